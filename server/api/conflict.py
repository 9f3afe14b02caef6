"""Two people at one thing."""

from typing import Any


class Conflict(Exception):
    """Somebody else changed it meanwhile. ``current`` is how it stands now."""

    def __init__(self, message: str, current: Any = None):
        super().__init__(message)
        self.current = current
