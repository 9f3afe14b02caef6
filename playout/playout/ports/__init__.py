"""The process that holds the ports: MIDI and keyboards in, presses to the engine, lights out (rules K1 to K5).

It is not the feeder and not a renderer: a port that floods or hangs costs the sound nothing.
"""
