"""Carrying a job out, and what is done where its worker is lost."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, TypeVar

from jobs.models import Job
from upbeat.errors import Refused

Row = TypeVar("Row", bound=Job)
#: How often a job is begun before it is given up.
MAX_ATTEMPTS = 3
#: Task name to what is done with its arguments once it took its worker down too often.
LOST: dict[str, Callable[[Mapping[str, Any]], None]] = {}


def carry_out(row: Row | None, how: Callable[[Row], None]) -> None:
    """Do ``how`` with a row that waits for it, and keep what came of it; a refusal is its message."""
    if row is None or row.state != Job.State.WORKING:
        return
    try:
        how(row)
        row.state, row.progress, row.message = Job.State.DONE, 1, ""
    except Refused as refused:
        row.state, row.message = Job.State.REFUSED, str(refused)
    # One that was deleted meanwhile was called off.
    if type(row)._default_manager.filter(pk=row.pk).exists():
        row.save()
