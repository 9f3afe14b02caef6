"""Whether a show keeps within its slot, also over midnight."""

from datetime import datetime

import pytest

from upbeat.show.document import Slot
from upbeat.show.slot import spare_s


@pytest.mark.parametrize(
    ("starts_at", "minutes", "now", "left_min", "spare_min"),
    [
        ("20:00", 45, "2026-11-20 20:10", 30, 5),
        ("20:00", 45, "2026-11-20 20:10", 40, -5),
        ("20:00", 45, "2026-11-20 18:00", 40, 5),  # before its time it has the whole slot
        ("23:30", 60, "2026-11-21 00:10", 25, -5),
        ("00:15", 60, "2026-11-20 23:50", 50, 10),
        ("20:15", 75, "2026-11-21 06:30", 15, 60),  # in the morning it is the evening to come
        ("20:15", 75, "2026-11-21 01:30", 15, -255),
    ],
)
def test_minutes_to_spare(starts_at, minutes, now, left_min, spare_min):
    assert spare_s(Slot(starts_at, minutes), datetime.fromisoformat(now), 60 * left_min) == 60 * spare_min


def test_without_a_slot_or_its_time_nothing_is_said():
    assert spare_s(None, datetime(2026, 11, 20, 20), 60) is None
    assert spare_s(Slot(None, 45), datetime(2026, 11, 20, 20), 60) is None
