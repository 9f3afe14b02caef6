"""Waiting for the worker, where setlists are played in keys and tempos that it still prepares."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

PATIENCE_S = 300


def until_prepared(ask: Callable[[str], Any]) -> None:
    """Wait until every entry can be taken to the stage. ``ask``: gets what the API answers at a path."""
    until = time.monotonic() + PATIENCE_S
    setlists = [one["id"] for one in ask("setlists/")]
    while any(not _is_prepared(e) for one in setlists for e in ask(f"setlists/{one}/")["entries"]):
        assert time.monotonic() < until, "the songs of the demo are still being prepared"
        time.sleep(1)


def _is_prepared(entry: dict[str, Any]) -> bool:
    return entry["preparing"] is None or entry["preparing"]["state"] == "ready"
