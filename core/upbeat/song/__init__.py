"""A song as it is written. Plain data, checked when it is made.

- ``song``: the song; ``sections``, ``forms``, ``stems``, ``guides``: its parts
- ``chords``, ``chordpro``: the chart
- ``lengths``, ``side_by_side``: how long forms last, and how they differ
- ``covering``: songs as long as their stems; ``edges``: how a recording begins and ends
- ``excerpt``: parts of a song as songs of their own form
"""
