"""The web server's project: settings, addresses, ASGI. One app for each noun stands beside it.

- ``people``: bands, members, players, sign-in
- ``songs``: songs, sections, stems, the edits that change them and undo
- ``setlists``: setlists and their entries
- ``outputs``: rigs, sockets, feeds, sends, patch
- ``shows``: shows, the show document built from all of these, the engine's doorkeeper
- ``exchange``: uploads, import, listening in the browser
"""
