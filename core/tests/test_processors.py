"""Feeds that carry a processor: buses, state across jumps, and bounces that begin anywhere (rule M8)."""

import numpy as np
import pytest
from material import RATE, ready, show, song, write_wav

from upbeat.mix.render import Renderer
from upbeat.show.bounce import TimedPress, rehearse, render

BAR = 2 * RATE


class Echo:
    """Adds what sounded ``delay`` frames before, at half its level: it remembers, and begins silent."""

    def __init__(self, channels: int, sample_rate: int):
        self.delay = sample_rate // 10
        self.kept = np.zeros((channels, self.delay), dtype=np.float32)

    @property
    def memory_frames(self) -> int:
        return self.delay

    def process(self, block: np.ndarray) -> np.ndarray:
        line = np.concatenate((self.kept, block), axis=1)
        self.kept = line[:, -self.delay :]
        return block + np.float32(0.5) * line[:, : block.shape[1]]


def gain(factor):
    class Gain:
        memory_frames = 0

        def __init__(self, channels: int, sample_rate: int):
            pass

        def process(self, block: np.ndarray) -> np.ndarray:
            return block * np.float32(factor)

    return Gain


@pytest.fixture
def noisy(tmp_path):
    rng = np.random.default_rng(5)
    write_wav(tmp_path / "n.wav", rng.standard_normal((9 * BAR, 2)).astype(np.float32) * 0.1)
    stems = [{"id": "n", "name": "N", "file": "n.wav", "group": "rhythm"}]
    return ready(show(song(stems=stems)), tmp_path)


PRESSES = [
    TimedPress(0, "go", {}),
    TimedPress(BAR // 2, "go_to", {"step": 2, "when": "next_bar"}),
    TimedPress(3 * BAR // 2, "pull_house", {}),
]


def rendered(made, spans, first=0, **processors):
    blocks: list[np.ndarray] = []
    render(Renderer(made.plan, made.audio, made.show.routing, processors=processors), spans, blocks.append, first)
    return np.concatenate(blocks, axis=1)


def test_a_feed_through_a_processor_that_does_nothing_is_the_same_feed(noisy):
    spans, _ = rehearse(noisy, PRESSES)
    assert rendered(noisy, spans, house=[gain(1)]) == pytest.approx(rendered(noisy, spans), abs=1e-7)


def test_a_processor_changes_its_feed_alone_and_those_after_it_take_what_it_gives(noisy):
    spans, _ = rehearse(noisy, PRESSES)
    plain, made = rendered(noisy, spans), rendered(noisy, spans, house=[gain(0.5), gain(0.5)])
    assert made[:2] == pytest.approx(plain[:2] / 4, abs=1e-6)
    assert np.array_equal(made[2:], plain[2:])


def test_what_a_processor_remembers_goes_on_through_a_jump_and_a_pull(noisy):
    spans, events = rehearse(noisy, PRESSES)
    assert any(e["kind"] == "jump" for e in events)
    # The processor stands after the matrix without the pull: an echo of what the feed had, sample by sample.
    plain, made = rendered(noisy, spans), rendered(noisy, spans, house=[Echo])
    pull = PRESSES[2].frame
    echoed = plain.copy()
    echoed[:, RATE // 10 :] += 0.5 * plain[:, : -RATE // 10]
    assert made[:2, :pull] == pytest.approx(echoed[:2, :pull], abs=1e-6)
    assert np.abs(made[:2, pull + RATE :]).max() == 0


def test_a_bounce_may_begin_anywhere_and_is_the_same_sample_for_sample(noisy):
    spans, _ = rehearse(noisy, PRESSES)
    whole = rendered(noisy, spans, house=[Echo])
    for first in (1, len(spans) // 2, len(spans) - 1):
        assert np.array_equal(rendered(noisy, spans, first, house=[Echo]), whole[:, spans[first].start :])
