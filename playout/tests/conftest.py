import sys
from pathlib import Path

sys.path[:0] = [str(Path(__file__).parent), str(Path(__file__).parents[2] / "core" / "tests")]

import pytest
from process import stolen

BUFFER_S = 64 * 256 / 48000


@pytest.fixture
def missing():
    """How many blocks may be missing: none, unless the machine below took time away for longer than the buffer.

    Then as many as would have been played in twice that time: what was due meanwhile is made up for later.
    """
    before = stolen()

    def most() -> int:
        taken = stolen() - before
        return round(2 * taken * 48000 / 256) if taken > BUFFER_S else 0

    return most
