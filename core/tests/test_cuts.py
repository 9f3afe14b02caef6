"""Sound does not depend on where spans are cut, nor on a renderer that was put back to where it was."""

import json
import random

import numpy as np
import pytest
from material import RATE, show, song, write_wav

from upbeat.audio.file_pcm import open_to_play
from upbeat.mix.matrix import times
from upbeat.play.advance import advance
from upbeat.play.presses import press
from upbeat.play.state import State
from upbeat.show.bundle import read_document
from upbeat.show.ready import make_ready

BAR = 2 * RATE
BLOCK = 256
PRESSES = [
    ("go_to", {"step": 2, "when": "next_bar"}),
    ("go_to", {"step": 0, "when": "at_once"}),
    ("once_more", {"when": "section_end"}),
    ("pull_house", {}),
    ("bring_back", {}),
    ("release", {}),
]


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    path = tmp_path_factory.mktemp("cuts")
    rng = np.random.default_rng(2)
    for name in ("a", "b", "c"):
        write_wav(path / f"{name}.wav", rng.uniform(-0.3, 0.3, (9 * BAR, 2)))
    stems = [
        {"id": n, "name": n, "file": f"{n}.wav", "group": g, "delay_ms": d}
        for n, g, d in (("a", "rhythm", 0), ("b", "tonal", 3.3), ("c", "voices", 0))
    ]
    steps = [{"section": "a"}, {"section": "b", "ending": {"kind": "vamp"}}, {"section": "c"}]
    document = show(song(stems=stems, forms=[{"id": "f", "name": "F", "steps": steps}], crossfade_ms=20))
    (path / "show.json").write_text(json.dumps(document))
    return path


def played(folder, presses, cut):
    """The sound of ten seconds with presses at their frames; ``cut``: gives the length of the next span."""
    ready = make_ready(read_document(folder), folder, open_stem=open_to_play)
    renderer, state, blocks, presses = ready.renderer(), State(), [], list(presses)
    while state.head < 10 * RATE:
        while presses and presses[0][0] <= state.head:
            _, name, args = presses.pop(0)
            state, _ = press(ready.plan, state, name, args)
        frames = min(cut(), presses[0][0] - state.head if presses else 10 * RATE, 10 * RATE - state.head)
        state, span = advance(ready.plan, state, frames)
        out = np.empty((renderer.rows, frames), dtype=np.float32)
        renderer.render(span, out)
        blocks.append(out)
    return np.concatenate(blocks, axis=1)


@pytest.mark.parametrize("seed", range(6))
def test_e1_every_cut_gives_the_same_samples(folder, seed):
    rng = random.Random(seed)
    presses = [(0, "go", {})]
    presses += sorted(
        ((rng.randrange(10 * RATE // BLOCK) * BLOCK, *rng.choice(PRESSES)) for _ in range(8)), key=lambda p: p[0]
    )
    whole = played(folder, presses, lambda: 32768)
    assert np.abs(whole).max() > 0.1
    assert np.array_equal(played(folder, presses, lambda: BLOCK), whole)
    assert np.array_equal(played(folder, presses, lambda: rng.choice([1, 37, 100, 256, 2048, 5000])), whole)


def test_e2_a_renderer_put_back_goes_on_as_if_nothing_had_been(folder):
    ready = make_ready(read_document(folder), folder)
    renderer = ready.renderer()
    state, _ = press(ready.plan, State(), "go", {})

    def rendered(state, frames):
        state, span = advance(ready.plan, state, frames)
        out = np.empty((renderer.rows, frames), dtype=np.float32)
        renderer.render(span, out)
        return state, out

    state, _ = rendered(state, 3 * RATE)
    state, _ = press(ready.plan, state, "pull_house", {})
    state, _ = rendered(state, 1000)  # in the middle of its ramp
    saved = renderer.saved()
    _, first = rendered(state, RATE)
    for _ in range(2):
        renderer.restore(saved)
        assert np.array_equal(rendered(state, RATE)[1], first)


def test_taps_leave_the_sockets_alone(folder):
    ready = make_ready(read_document(folder), folder)
    plain, tapped = ready.renderer(), ready.renderer()
    state, _ = press(ready.plan, State(), "go", {})
    for i in range(20):
        if i % 5 == 2:
            tapped.set_taps(["click"] if i % 2 else ["click", ready.show.routing.feeds[0].id])
        state, span = advance(ready.plan, state, 3000)
        outs = [np.empty((r.rows, 3000), dtype=np.float32) for r in (plain, tapped)]
        for renderer, out in zip((plain, tapped), outs, strict=True):
            renderer.render(span, out)
        assert np.array_equal(outs[1][: plain.rows], outs[0])


@pytest.mark.parametrize("rows", [1, 2, 5, 16])
@pytest.mark.parametrize("k", [1, 3, 16, 33])
def test_a_column_is_the_same_whatever_stands_beside_it(rows, k):
    rng = np.random.default_rng(rows * 100 + k)
    matrix = rng.standard_normal((rows, k)).astype(np.float32)
    sound = rng.standard_normal((k, 1600)).astype(np.float32)
    whole = times(matrix, sound)
    for a, b in ((0, 1), (3, 40), (17, 900), (500, 520), (1590, 1600)):
        assert np.array_equal(times(matrix, np.ascontiguousarray(sound[:, a:b])), whole[:, a:b])


def test_a_file_that_is_cut_short_is_silent_where_it_ends(tmp_path):
    path = tmp_path / "a.wav"
    write_wav(path, np.full((1000, 2), 0.5))
    pcm = open_to_play(path, RATE)
    assert (len(pcm), pcm.shape) == (1000, (1000, 2))
    assert np.all(pcm[900:1100] == pcm[0:1])
    assert len(pcm[900:1100]) == 100
    with open(path, "r+b") as file:
        file.truncate(path.stat().st_size - 500 * 2 * pcm.dtype.itemsize - 3)
    sound = pcm[400:600]
    assert sound[:90].all()
    assert not sound[110:].any()
    assert pcm.broken
