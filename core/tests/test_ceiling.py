"""Ceilings of feeds (rule M8): true peaks are measured in the samples, by the meter that import has."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from material import RATE, ready, show, song, write_wav
from test_taking_in import Playing
from test_tone import sounded

from upbeat.audio.measure import TruePeak
from upbeat.errors import Refused
from upbeat.mix.ceilings import Ceilings
from upbeat.mix.routing import Feed, Patch, Routing, Socket
from upbeat.show.bounce import TimedPress, rehearse
from upbeat.show.document import read_show

SECONDS = 20


def peak_db(sound):
    meter = TruePeak(len(sound))
    meter.push(np.ascontiguousarray(sound, dtype=np.float32))
    return 20 * np.log10(max(meter.peak, 1e-9))


def ceilings(db=-1.0, feeds=1):
    """Stereo feeds with a ceiling on two sockets each, and a socket beside."""
    made = tuple(Feed(id=f"f{i}", name="F", kind="house", ceiling_db=db) for i in range(feeds))
    patches = tuple(
        Patch(feed=f.id, side=side, socket=2 * i + k + 1)
        for i, f in enumerate(made)
        for k, side in enumerate(("left", "right"))
    )
    return Ceilings(RATE, Routing(made, tuple(Socket(n + 1) for n in range(2 * feeds + 1)), patches))


def held(sound, db=-1.0, size=32768):
    """(2, frames) through a ceiling in blocks, with what a socket beside has: an impulse at 0."""
    made = ceilings(db)
    rows = np.zeros((3, sound.shape[1] + made.frames), np.float32)
    rows[:2, : sound.shape[1]] = sound
    rows[2, 0] = 1
    for a in range(0, rows.shape[1], size):
        part = rows[:, a : a + size].copy()
        made.process(part)
        rows[:, a : a + size] = part
    return rows, made.frames


def hot(seed, kind):
    chance, t = np.random.default_rng(seed), np.arange(2 * RATE) / RATE
    if kind == "noise":
        return chance.normal(scale=0.7, size=(2, len(t)))
    if kind == "quarter":  # a quarter of the rate, at its worst phase: peaks 3 dB above its samples
        return np.stack([1.3 * np.sin(2 * np.pi * RATE / 4 * t + np.pi / 4), 0.2 * np.sin(2 * np.pi * 100 * t)])
    if kind == "bass":
        return np.stack([2.0 * np.sin(2 * np.pi * 55 * t), 1.5 * np.sin(2 * np.pi * 55 * t)])
    hits = np.zeros((2, len(t)))
    for at in chance.integers(0, len(t) - 4000, 30):
        hits[:, at : at + 4000] += chance.normal(size=(2, 4000)) * np.exp(-np.arange(4000) / 300)
    return hits


@pytest.mark.parametrize("kind", ["noise", "quarter", "bass", "hits"])
@pytest.mark.parametrize("db", [-1.0, -9.0, 0.0])
def test_no_true_peak_is_above_the_ceiling(kind, db):
    sound = hot(3, kind).astype(np.float32)
    assert peak_db(sound) > db + 2
    rows, _ = held(sound, db)
    assert peak_db(rows[:2]) <= db + 0.1
    assert peak_db(rows[:2]) > db - 1.5


@settings(max_examples=15)
@given(st.integers(0, 1000), st.sampled_from(["noise", "hits"]), st.floats(-20, 0), st.floats(0.3, 6))
def test_whatever_comes_in_stays_below(seed, kind, db, level):
    rows, _ = held((level * hot(seed, kind)).astype(np.float32), db)
    assert peak_db(rows[:2]) <= db + 0.1


def test_what_is_below_is_untouched_and_every_socket_is_as_late():
    sound = (0.5 * np.random.default_rng(1).uniform(-1, 1, (2, RATE)) * 0.5).astype(np.float32)
    rows, late = held(sound, -1)
    assert 0 < late <= 0.003 * RATE
    assert np.array_equal(rows[:2, late:], sound)
    assert list(np.flatnonzero(rows[2])) == [late]


def test_both_sides_are_turned_down_alike_and_come_back():
    t = np.arange(2 * RATE) / RATE
    sound = np.stack([0.1 * np.sin(2 * np.pi * 500 * t), 0.05 * np.sin(2 * np.pi * 500 * t)]).astype(np.float32)
    sound[0, RATE : RATE + 200] += 2.0
    rows, late = held(sound, -1)
    heard = rows[:2, late:]
    there = np.abs(sound[1]) > 0.01
    gains = heard[1][there] / sound[1][there]
    assert gains.min() < 0.5
    # As before within a second, and never by a step that is heard: 1.5 ms down, a quarter of a second up.
    assert np.abs(heard[:, -RATE // 2 :] - sound[:, -RATE // 2 :]).max() == 0
    assert np.abs(np.diff(heard[1])).max() < 1.5 * np.abs(np.diff(sound[1])).max()


@pytest.mark.parametrize("size", [1, 37, 256, 4096])
def test_the_samples_are_the_same_however_they_are_cut(size):
    sound = hot(2, "hits")[:, : RATE // (20 if size == 1 else 1)].astype(np.float32)
    assert np.array_equal(held(sound, -3, size)[0], held(sound, -3)[0])


def loud(folder, ceiling=None, trim_db=0.0):
    """Nine bars of bursts that are far too loud, with a click to the ears."""
    chance = np.random.default_rng(5)
    noise = (
        chance.normal(size=(SECONDS * RATE, 2)) * 0.4 * (1 + np.sin(np.arange(SECONDS * RATE) / RATE * 9))[:, None]
    ).astype(np.float32)
    write_wav(folder / "n.wav", noise)
    stems = [{"id": "n", "name": "N", "file": "n.wav", "group": "tonal"}]
    document = show(song(stems=stems, sections=[{"id": s, "name": s, "bars": 3} for s in "abc"]))
    document["feeds"][0]["ceiling_db"] = ceiling
    for patch in document["patch"][:2]:
        patch["trim_db"] = trim_db
    return document


PRESSES = [
    TimedPress(0, "go", {}),
    TimedPress(RATE, "level", {"part": "feed:house", "db": 10}),
    TimedPress(5 * RATE, "go_to", {"step": 2, "when": "next_bar"}),
]


def test_a_show_stays_below_with_levels_by_hand_trims_and_jumps_and_its_ears_are_in_step(tmp_path):
    plain, under = (ready(loud(tmp_path, db, 3), tmp_path) for db in (None, -2))
    spans, _ = rehearse(plain, PRESSES)
    own, made = sounded(plain, spans), sounded(under, spans)
    late = under.renderer().late_frames
    assert plain.renderer().late_frames == 0
    assert peak_db(own[:2]) > 8
    assert peak_db(made[:2]) <= -1.9
    # The click in the ears is what it is without, by as much later as the house is.
    assert own[2].any()
    assert np.array_equal(made[2:, late:], own[2:, :-late])


def test_a_bounce_that_begins_anywhere_is_the_same_to_the_last_bit(tmp_path):
    made = ready(loud(tmp_path, -6), tmp_path)
    spans, _ = rehearse(made, PRESSES)
    whole = sounded(made, spans)
    for first in (len(spans) // 3, len(spans) // 2, len(spans) - 2):
        assert np.array_equal(sounded(made, spans, first), whole[:, spans[first].start :])


def test_a_renderer_that_is_put_back_makes_the_same_samples(tmp_path):
    made = ready(loud(tmp_path, -6), tmp_path)
    spans, _ = rehearse(made, PRESSES)
    whole = sounded(made, spans)
    renderer, blocks = made.renderer(), []
    for i, span in enumerate(spans[:12]):
        block = np.zeros((renderer.rows, span.end - span.start), np.float32)
        if i % 3 == 1:
            kept, renderer = renderer.saved(), made.renderer()
            renderer.restore(kept)
        renderer.render(span, block)
        blocks.append(block)
    heard = np.concatenate(blocks, axis=1)
    assert np.array_equal(heard, whole[:, : heard.shape[1]])


@pytest.mark.parametrize(("was", "now"), [(None, -6), (-6, None), (-6, -3)])
def test_a_ceiling_is_taken_in_while_a_song_plays_without_a_step(tmp_path, was, now):
    before, after = loud(tmp_path, was), loud(tmp_path, now)
    for document in (before, after):
        # A low tone, whose own steps are small.
        t = np.arange(SECONDS * RATE) / RATE
        write_wav(
            tmp_path / "n.wav", np.repeat((0.9 * np.sin(2 * np.pi * 80 * t)).astype(np.float32)[:, None], 2, axis=1)
        )
        document["songs"][0]["click"]["gain_db"] = -120
    playing = Playing(ready(before, tmp_path))
    playing.press("go")
    playing.play(3 * RATE)
    playing.take_in(ready(after, tmp_path)).play(2 * RATE)
    heard = playing.heard()[:2]
    assert np.abs(np.diff(heard)).max() < 1.3 * 0.9 * 2 * np.pi * 80 / RATE
    end = heard[:, -RATE:]
    assert peak_db(end) <= (now if now is not None else 3) + 0.1


@pytest.mark.parametrize("db", [1, -40, "low"])
def test_what_is_no_ceiling_is_refused(tmp_path, db):
    with pytest.raises(Refused):
        read_show(loud(tmp_path, db))
