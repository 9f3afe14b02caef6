"""Files on their way in: sent in pieces, imported by the worker, tried again."""
