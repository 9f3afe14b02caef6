"""When messages came, whatever the process that reads them is held up for."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from playout.ports.arrivals import Arrivals

POLL_S = 0.004


def read_at(came, readings, arrivals=None, drift=0.0):
    """What is told of messages that ``came`` at these times, read at those."""
    arrivals, told, done, before = arrivals or Arrivals(), [], 0, 0.0
    for now in readings:
        upto = int(np.searchsorted(came, now, side="right"))
        since = [(1 + drift) * (came[k] - came[k - 1]) if k else 0.0 for k in range(done, upto)]
        told += arrivals.times(since, now=now, before=before)
        done, before = upto, now
    return told


gaps = st.lists(st.floats(0, 0.5), min_size=1, max_size=60)
waits = st.lists(st.sampled_from([0.001, POLL_S, 0.05, 0.4]), min_size=1, max_size=60)


@given(gaps=gaps, waits=waits)
def test_a_message_is_told_in_order_and_between_the_readings_that_it_came_between(gaps, waits):
    came = np.cumsum(gaps)
    readings = np.sort(np.append(np.cumsum(waits), came[-1] + 1))
    told = read_at(came, readings)
    assert told == sorted(told)
    for at, true in zip(told, came, strict=True):
        k = int(np.searchsorted(readings, true, side="left"))
        assert (readings[k - 1] if k else 0.0) <= at <= readings[k]


@pytest.mark.parametrize("drift", [0, 1e-4, -1e-4])
@pytest.mark.parametrize("held_s", [0.1, 0.9])
def test_what_came_while_the_reader_was_held_up_has_its_own_time(held_s, drift):
    """A pad is let go in the hold-up and hit again 130 ms later, just after it: no bounce."""
    before = np.arange(0.02, 3600.0, 0.77)
    held = before[-1] + 0.1
    let_go = held + 0.002
    again = held + held_s + 0.03
    readings = np.r_[np.arange(0.0, held, POLL_S), np.arange(held + held_s, held + held_s + 1, POLL_S)]
    told = read_at(np.r_[before, let_go, again], readings, drift=drift)
    assert told[-2] == pytest.approx(let_go, abs=POLL_S)
    assert told[-1] - told[-2] == pytest.approx(again - let_go, abs=POLL_S)


def test_messages_that_the_library_lost_make_no_later_one_early():
    arrivals = Arrivals()
    arrivals.times([0.0], now=1.0, before=0.996)
    # Two seconds and a lost message later: the time since the lost one alone is known.
    assert arrivals.times([0.01], now=3.0, before=2.996) == [2.996]
    assert arrivals.times([0.5], now=3.5, before=3.496) == pytest.approx([3.496])
