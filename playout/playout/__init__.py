"""The engine: a process that plays a loaded show to a device, block by block.

It needs neither the web server nor the database once a show is loaded.

- ``device``: where sound goes; ``simulated`` stands in for an interface and can record
- ``portaudio``: real hardware by way of sounddevice
- ``engine``: the core's transport and renderer in a loop, commands, checkpoints, the night log
- ``wire``: what goes over the control and state sockets
- ``client``: what other programs use to talk to the engine
- ``main``: the process
"""
