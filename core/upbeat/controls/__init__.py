"""Hands: pads, pedals, keys, knobs and faders, and the presses they make (rules K1 to K3).

Bytes of a port become signals (``signals``), bindings say what each control does (``bindings``), and guards
decide which signals are meant (``guards``). Time is given in, never asked for.
"""
