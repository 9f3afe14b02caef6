"""The web server's project: settings, addresses, ASGI, the demo. One app for each noun stands beside it.

- ``api``: answers and refusals, typed documents, parsers: what every app's views share
- ``jobs``: work done by the worker, its state and its retries
- ``people``: bands, members, players, line-ups, sign-in, what a role may do
- ``voices``: voices and recorded words; ``outputs``: rigs, sockets, feeds, sends, patch
- ``songs``: songs, their pages, the edits that change them and undo
- ``setlists``: setlists and their entries
- ``shows``: shows, the show document built from all of these
- ``stage``: the engine's WebSocket and commands; ``preview``: listening in the browser
- ``uploads``: files coming in
"""
