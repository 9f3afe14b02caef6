"""The demo: songs composed and synthesised by script, deterministic, made at set-up.

- ``synth``: instruments
- ``songs``: what is played, as data
- ``compose``: from the one to the other, as stems on disk
"""
