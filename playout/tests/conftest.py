import sys
from pathlib import Path

sys.path[:0] = [str(Path(__file__).parent), str(Path(__file__).parents[2] / "core" / "tests")]

import pytest
from material import RATE
from process import Running, stolen

from playout.loading import Loader
from playout.shared import Shared

BUFFER_S = 64 * 256 / 48000


@pytest.fixture(scope="session", autouse=True)
def _words_kept(tmp_path_factory):
    """Words are spoken once for all engines of the tests."""
    Running.words = tmp_path_factory.mktemp("words")


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


@pytest.fixture
def memory(tmp_path):
    made = Shared(tmp_path / "memory", RATE, 1000, create=True, channels=4)
    yield made
    made.remove()


@pytest.fixture
def loader(tmp_path):
    (tmp_path / "engine").mkdir()
    return Loader(tmp_path / "engine", None, lambda: 4)
