"""Sound for every socket: feeds, sends and patch, matrices, buses, the one renderer.

- ``routing``: feeds, sends, sockets and patch (rules M1 to M4)
- ``matrices``: how loud each source channel is on each row, for every step and state
- ``sources``: what a span sounds (``stems``, ``guides``); ``processors``: what a feed sounds through
- ``matrix``, ``buses``, ``delays``: sources to rows, rows through processors, rows to sockets in time
- ``render``: spans of the transport become sound
- ``sounding``, ``line_up``: which stems sound for whom, and why
- ``matching``: songs made equally loud; ``edges``: how a song's recording begins and ends
- ``stem_audio``, ``together``: prepared sound, read and added up
"""
