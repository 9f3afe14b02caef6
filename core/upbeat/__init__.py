"""The job itself: time, form, click, cues, mixing, sound files and the show document.

Plain Python and numpy. Nothing here opens a socket, starts a thread, reads a clock or
keeps global state; everything that plays, draws or stores is built on top of it.

Packages, from the bottom up:

- ``time``: time signatures, the tempo map, bars to frames
- ``form``: sections, forms, endings, the song compiled for playing, the transport
- ``click`` and ``cues``: what the band alone hears
- ``audio``: reading, preparing, measuring and writing sound
- ``mix``: feeds, patch, the one matrix, the one renderer
- ``show``: the show document, its JSON Schema, the bundle, bounce
- ``cli``: the front door, ``upbeat``
"""
