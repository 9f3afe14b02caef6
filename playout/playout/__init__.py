"""The engine: a process that plays a loaded show to a device, block by block.

It needs neither the web server nor the database once a show is loaded.

- ``devices``: where sound goes; ``meters`` of its sockets
- ``session``: a loaded show being played; ``loading`` makes one ready
- ``commands``: what the control socket takes; ``snapshot``: the state that is published
- ``night_log``: what was played; ``checkpoint``: the place to come back to
- ``wire``: framing on the sockets; ``client``: talking to the engine from another process
- ``main``: the process
"""
