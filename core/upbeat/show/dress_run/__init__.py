"""The dress run: a show looked at and played at full speed, to find before the doors what would go wrong (rule P6).

- ``faults``: what is found, and what would mend it
- ``paper``: what needs no sound: files, wires, links, line-up, cues, the slot
- ``sound``: what leaves every socket, and how loud every entry is in the house
- ``kept``: what was measured of songs that have not changed since
- ``judged``: what is wrong with that: overloads, silence, entries out of line
- ``run``: all of it
"""
