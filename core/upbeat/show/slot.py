"""Whether a show keeps within its slot."""

from __future__ import annotations

from datetime import datetime, time, timedelta

from upbeat.show.document import Slot

_DAY, _LATE = timedelta(days=1), timedelta(hours=6)


def spare_s(slot: Slot | None, now: datetime, left_s: float) -> float | None:
    """Seconds that a show is expected to end before its slot is over (below 0: after it); None where it has none.

    ``left_s``: seconds that it still lasts. Before its time it has the whole slot.
    """
    if slot is None or slot.starts_at is None:
        return None
    start = datetime.combine(now.date(), time.fromisoformat(slot.starts_at))
    length = timedelta(minutes=slot.minutes)
    # A show that begins late in the evening ends tomorrow; hours after its end the next one is meant.
    if start - _DAY + length > now - _LATE:
        start -= _DAY
    elif start + length < now - _LATE:
        start += _DAY
    end = start + length
    return (end - max(now, start)).total_seconds() - left_s
