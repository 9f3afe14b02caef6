"""Blocks of sound in the memory that the parts share: what is taken out of a ring is what was put into it, or nothing."""

import numpy as np
import pytest

from playout.shared import BLOCK


def sound(first, blocks, rows=3):
    """(rows, frames) whose samples tell their block and row."""
    numbers = np.arange(first, first + blocks, dtype=np.float32)
    return np.repeat(numbers[None] + 100_000 * np.arange(1, rows + 1, dtype=np.float32)[:, None], BLOCK, axis=1)


@pytest.fixture
def into():
    return np.full((4, 8, BLOCK), np.nan, dtype=np.float32)


def test_blocks_are_taken_as_they_were_put_and_rows_without_sound_are_silent(memory, into):
    memory.put(0, 10, 5, sound(10, 20))
    assert memory.take(0, 12, 5, into) == 8
    assert np.array_equal(into[:3].reshape(3, -1), sound(12, 8))
    assert not into[3].any()


def test_it_ends_with_the_ring_and_goes_on_at_its_beginning(memory, into):
    last = memory.slots - 3
    memory.put(0, last, 5, sound(last, 8))
    assert memory.take(0, last, 5, into) == 3
    assert np.array_equal(into[:3, :3].reshape(3, -1), sound(last, 3))
    assert memory.take(0, last + 3, 5, into) == 5
    assert np.array_equal(into[:3, :5].reshape(3, -1), sound(last + 3, 5))


def test_what_was_made_before_a_press_is_not_taken_after_it(memory, into):
    memory.put(0, 10, 5, sound(10, 4))
    memory.put(0, 14, 6, sound(14, 4))
    assert memory.take(0, 10, 5, into) == 4
    assert memory.take(0, 10, 6, into) == 0
    assert memory.take(0, 14, 6, into) == 4
    assert memory.take(1, 10, 5, into) == 0


def test_a_show_with_other_rows_begins_a_taking_of_its_own(memory, into):
    memory.put(0, 10, 5, sound(10, 2, rows=3))
    memory.put(0, 12, 5, sound(12, 2, rows=1))
    assert memory.take(0, 10, 5, into) == 2
    assert memory.take(0, 12, 5, into) == 2
    assert np.array_equal(into[:1, :2].reshape(1, -1), sound(12, 2, rows=1))
    assert not into[1:, :2].any()


def test_a_block_that_is_not_there_is_not_taken(memory, into):
    memory.put(0, 10, 5, sound(10, 2))
    assert memory.take(0, 10, 5, into) == 2
    assert memory.take(0, 12, 5, into) == 0
    assert memory.take(0, 10 + memory.slots, 5, into) == 0
