"""Changes that are kept, to be taken back and done again: which one comes next."""

from __future__ import annotations

from typing import Any, TypeVar

from django.db.models import Model, QuerySet

from upbeat.errors import refuse

Row = TypeVar("Row", bound=Model)


def change_to_travel(kept: QuerySet[Row], back: bool) -> Row:
    """The change (with a field ``undone``, oldest first) that is taken back, or done again, next.

    Raises :class:`Refused` where there is none.
    """
    ways: Any = kept.filter(undone=not back)
    change: Row | None = ways.last() if back else ways.first()
    if change is None:
        raise refuse(
            "undo-nothing" if back else "redo-nothing",
            "There is nothing to take back." if back else "There is nothing to do again.",
        )
    return change
