import sys
from pathlib import Path

sys.path[:0] = [str(Path(__file__).parent), str(Path(__file__).parents[2] / "core" / "tests")]

import pytest
from process import stolen

BUFFER_S = 64 * 256 / 48000


@pytest.fixture
def missing():
    """How many blocks may be missing: none, unless the machine below took time away for longer than the buffer."""
    before = stolen()
    return lambda: 10**6 if stolen() - before > BUFFER_S else 0
