"""The job itself: time, songs, playing, click, cues, mixing, listening, sound files and the show document.

Plain Python and numpy. Nothing here opens a socket, starts a thread, reads a clock or keeps global
state; everything that plays, draws or stores is built on top of it.

Packages, from the bottom up (import contracts in ``pyproject.toml`` keep the order):

- ``errors``, ``limits``, ``arguments``: refusals, the ranges of every value, values from outside
- ``time``: time signatures, the tempo map, bars to frames
- ``audio``: reading, preparing, measuring and writing sound
- ``click``: the sounds of the click; ``cues``: the words of the cues and the voice that speaks them
- ``song``: a song as it is written: sections, forms, stems, chart
- ``play``: a show compiled to frames, and the transport
- ``intake``: what comes in besides sound: names, tempo maps, labels
- ``mix``: feeds, patch, matrices, sources, processors, the one renderer
- ``listening``: what is found in recordings: grid, seams, findings
- ``outputs``: patches for other rigs, checks before the doors, why something is not heard
- ``show``: the show document, its JSON Schema, the bundle, bounce
- ``cli``: the command ``upbeat``
"""

import os

# Products are small, and work is shared out by processes: threads within one of them took a dress run four times as long.
# numpy asks once, when it is first imported.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
