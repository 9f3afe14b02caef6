"""A flood of presses is not taken; hands are none, nor are presses that were held up on their way."""

import time

import pytest

from playout.lately import Lately
from upbeat.errors import Refused
from upbeat.limits import PRESSES_A_SECOND, PRESSES_AT_ONCE

HELD_S = 0.4


@pytest.fixture
def lately():
    return Lately(HELD_S)


@pytest.fixture
def now():
    return time.monotonic()


def taken(lately, made, who="Ines"):
    """How many of some presses are taken."""
    count = 0
    for at in made:
        try:
            lately.take(who, at)
            count += 1
        except Refused as no:
            assert no.problems[0].code == "presses-many"
    return count


def test_ten_fingers_at_once_are_taken_and_a_thousand_a_second_are_not(lately, now):
    assert taken(lately, [now] * 10) == 10
    assert taken(lately, [now + 0.3 + i / 1000 for i in range(1000)]) <= PRESSES_A_SECOND


def test_a_burst_of_one_is_a_quarter_of_a_second_long(lately, now):
    assert taken(lately, [now] * 100) == PRESSES_AT_ONCE
    assert taken(lately, [now + 0.2] * 100) == 0
    assert taken(lately, [now + 0.26] * 100) == PRESSES_AT_ONCE


def test_the_presses_of_another_are_taken_meanwhile(lately, now):
    assert taken(lately, [now] * 100) < 100
    assert taken(lately, [now + i / 20 for i in range(10)], who="Otto") == 10


def test_of_all_together_twice_as_many_are_taken(lately, now):
    assert sum(taken(lately, [now] * 10, who=i) for i in range(20)) == 2 * PRESSES_AT_ONCE


def test_presses_that_were_held_up_and_come_together_count_when_they_were_made(lately, now):
    assert taken(lately, [now - HELD_S + i / 50 for i in range(20)]) == 20
