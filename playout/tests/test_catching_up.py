"""Rule E3: a renderer that joins makes the very samples that the other one made, whenever the place to begin from was
written."""

import json

import numpy as np
import pytest
from material import RATE, show, song, write_wav

from playout import order, shared
from playout.ahead import LEAST, Ahead
from playout.catching_up import join, newest_base
from playout.duties import Duties, Told
from playout.night_log import NightLog
from playout.shared import BLOCK

AHEAD = RATE - RATE % BLOCK


@pytest.fixture
def load(tmp_path):
    noise = np.random.default_rng(5).uniform(-0.2, 0.2, (16 * RATE, 2))
    write_wav(tmp_path / "noise.wav", noise)
    stems = [{"id": "n", "name": "Noise", "file": "noise.wav", "group": "tonal"}]
    steps = [{"section": s} for s in "abcabc"]
    document = show(song(stems=stems, forms=[{"id": "f", "name": "F", "steps": steps}]))
    (tmp_path / "show.json").write_text(json.dumps(document))
    return order.LoadEntry(generation=1, folder=str(tmp_path), show="evening")


def begun(memory, loader, load, frame):
    """The renderer that was there from the beginning: the show begins at an output frame, and its song with it."""
    ahead = Ahead(memory, 0, AHEAD, loader)
    ahead.start_reading()
    memory.head[shared.GENERATION] = memory.head[shared.PLAYING] = 1
    for at, body in ((0, load), (frame, order.BeginEntry(1)), (frame, order.PressEntry(press="go"))):
        memory.append(at, 0, order.encoded(body))
    ahead.loads[1], ahead.loaded[1] = load, loader.load(load)
    ahead.stand_at(0, None, 0)
    ahead.read()
    return ahead


def played(memory, ahead, frames):
    """Have the device take so much, with the ring kept full."""
    until = memory.number(shared.WRITTEN) + frames // BLOCK
    while memory.number(shared.WRITTEN) < until:
        while ahead.render():
            pass
        memory.head[shared.WRITTEN] = min(until, memory.number(shared.WRITTEN) + 64)
    while ahead.render():
        pass


@pytest.mark.parametrize("looked", [0, 64, 4096, 12800, 7 * RATE])
@pytest.mark.parametrize("later", [0, 3 * RATE, 9 * RATE])
def test_the_one_that_joins_makes_the_same_samples(memory, loader, load, tmp_path, monkeypatch, looked, later):
    """``looked``: frames after the beginning at which the first renderer came to write a base; ``later``: until the
    second one joins from it, and renders in shorter spans.
    """
    first = begun(memory, loader, load, frame=AHEAD // 2 - AHEAD // 2 % BLOCK)
    log = NightLog(tmp_path / "engine", lambda frame: None, lambda failed: None, lambda: 0)
    duties = Duties(memory, 0, first, log, Told(lambda topic, body: None, lambda body: None))
    played(memory, first, AHEAD // 2 + looked)
    duties.step(False)
    # How long its spans are, and so which of them it remembers, is a matter of how busy the machine is.
    while newest_base(memory) is None:
        played(memory, first, BLOCK)
        duties.step(False)
    played(memory, first, later)
    base = newest_base(memory)
    assert base is not None
    monkeypatch.setattr("playout.ahead.LONG_S", 1e-9)
    second = Ahead(memory, 1, AHEAD, loader)
    join(second, loader.load(base.load), base)
    while second.render():
        pass
    log.close()
    assert max(p.end - p.start for p in second.spans) == 2 * LEAST * BLOCK
    number, version = memory.number(shared.WRITTEN), memory.number(shared.COUNT)
    ours, theirs = np.zeros((2, 4, 1, BLOCK), dtype=np.float32)
    for block in range(number, number + AHEAD // BLOCK):
        assert memory.take(0, block, version, theirs)
        assert memory.take(1, block, version, ours)
        assert theirs.any(), "it sounds"
        assert np.array_equal(ours, theirs), f"block {block - number} after {looked} and {later} frames"
