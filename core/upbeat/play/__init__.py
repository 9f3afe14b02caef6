"""The transport: what sounds at which output frame, as pure functions (rules J, P, C and Q).

- ``plan``: a show compiled to frames
- ``state``: everything known between two spans, in three parts; ``runs``: passes through a step
- ``tracks``: what is written against a song, mapped to output frames; ``events``: what happens at a frame
- ``calls``: the words before a seam
- ``presses``: the registry of presses
- ``advance``: time goes on
- ``view``: where a frame lies in the music, and what comes next

Nothing here reads a clock. Output frames count from 0 and never stop; ``State.head`` is the next
one to be rendered.
"""
