"""Messages to keyboards, lights and screens (rules S): kinds, and what a song's messages are on its frames.

- ``kinds``: devices, messages and their places as they are written; ``wire``: their bytes
- ``held``: what a device has been brought to by what was sent
- ``score``: a song's messages in one form, compiled to source frames
"""
