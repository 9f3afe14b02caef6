"""Rules S4 and M10: timecode as sound while a show plays, read back from the socket, and never in the house."""

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from material import RATE, ready, show, song
from test_midi_timecode import played as played_midi
from test_timecode import decoded

from upbeat.errors import Refused
from upbeat.messages.timecode import RATES, linear, number_of, parse_label
from upbeat.play.advance import advance
from upbeat.play.presses import press
from upbeat.play.state import State
from upbeat.show.describe import describe

SOCKETS = [{"number": n, "label": f"Out {n}"} for n in (1, 2, 3, 4)]
FEEDS = [
    {"id": "house", "name": "House", "kind": "house", "channels": 2, "sends": [{"source": "group:rhythm"}]},
    {"id": "ears", "name": "Ears", "kind": "monitor", "channels": 1, "sends": [{"source": "click"}]},
]
PATCH = [
    {"feed": "house", "side": "left", "socket": 1},
    {"feed": "house", "side": "right", "socket": 2},
    {"feed": "ears", "side": "mono", "socket": 3},
]


def made(folder, fps="25", on_jump="jump", socket=4, **changes):
    device = {"id": "film", "name": "Film", "kind": "timecode", "fps": fps, "on_jump": on_jump, "socket": socket}
    document = show(song(), devices=[device]) | {
        "feeds": FEEDS,
        "rig": {"sockets": changes.get("sockets", SOCKETS)},
        "patch": PATCH,
    }
    document["entries"][0] |= {"timecode": "00:59:58:10"}
    return ready(document, folder)


def sounded(made, presses, block, seconds):
    """What every socket gives, (sockets, frames), and the runs."""
    state, renderer, parts, runs = State(), made.renderer(), [], {}
    presses = sorted(presses, key=lambda p: p[0])
    while state.head < seconds * RATE:
        while presses and presses[0][0] <= state.head:
            _, name, args = presses.pop(0)
            state, _ = press(made.plan, state, name, args, state.head)
        until = presses[0][0] if presses else seconds * RATE
        state, span = advance(made.plan, state, max(1, min(block, until - state.head)))
        out = np.empty((renderer.rows, span.end - span.start), dtype=np.float32)
        renderer.render(span, out)
        parts.append(out)
        for run in (*state.music.past, state.music.run):
            if run is not None:
                runs[run.id] = run
    return np.concatenate(parts, axis=1), list(runs.values())


@pytest.mark.parametrize("fps", RATES)
@given(
    st.integers(0, 24 * 3600 * 24 - 1), st.lists(st.integers(1, 4000), min_size=1, max_size=8), st.integers(0, 10**6)
)
@settings(max_examples=15)
def test_a_stretch_has_the_same_samples_however_it_is_cut(fps, number, cuts, start):
    whole = linear(number, fps, start, sum(cuts), RATE)
    at, parts = start, []
    for frames in cuts:
        parts.append(linear(number, fps, at, frames, RATE))
        at += frames
    assert np.array_equal(np.concatenate(parts), whole)
    assert float(np.abs(whole).max()) <= 0.5


def position(runs, frame):
    run = max((r for r in runs if r.out_start <= frame), key=lambda r: r.id)
    return frame - (run.out_start - run.src_start)


STEPS = st.lists(
    st.tuples(st.integers(RATE, 14 * RATE), st.integers(0, 2), st.sampled_from(["at_once", "next_bar", "section_end"])),
    max_size=4,
)


@settings(max_examples=20)
@given(STEPS, st.sampled_from(list(RATES)), st.sampled_from([256, 4001]))
def test_what_is_heard_at_the_socket_is_the_place_of_the_song_after_every_jump(tmp_path_factory, steps, fps, block):
    show_made = made(tmp_path_factory.getbasetemp(), fps)
    presses = [(0, "go", {}), *((at, "go_to", {"step": s, "when": w}) for at, s, w in steps)]
    sound, runs = sounded(show_made, presses, block, seconds=17)
    first, length = number_of(parse_label("00:59:58:10", fps), fps), RATE / float(RATES[fps])
    cuts = sorted({r.out_start for r in runs if r.out_start < sound.shape[1]})
    assert not sound[3, : cuts[0]].any()
    read = 0
    for a, b in zip(cuts, [*cuts[1:], sound.shape[1]], strict=True):
        for at, label, _ in decoded(sound[3, a:b].astype(float), fps):
            read += 1
            assert abs(position(runs, a + round(at)) - (number_of(label, fps) - first) * length) < 0.5 * length
    assert read > 3 * float(RATES[fps])


def test_the_house_and_the_ears_have_nothing_of_it_and_pulling_the_house_leaves_it(tmp_path):
    show_made = made(tmp_path)
    presses = [(0, "go", {}), (4 * RATE, "pull_house", {})]
    sound, _ = sounded(show_made, presses, 1000, seconds=8)
    without, _ = sounded(made(tmp_path, socket=None), presses, 1000, seconds=8)
    assert np.array_equal(sound[:3], without[:3])
    assert not without[3].any()
    assert len(decoded(sound[3, 5 * RATE : 7 * RATE].astype(float), "25")) >= 48
    sound, _ = sounded(show_made, [(0, "go", {}), (4 * RATE, "stop", {})], 1000, seconds=8)
    assert not sound[3, 5 * RATE :].any()


def test_what_runs_on_counts_on_through_jumps(tmp_path):
    sound, _ = sounded(
        made(tmp_path, on_jump="run_on"), [(0, "go", {}), (3 * RATE, "go_to", {"step": 2, "when": "next_bar"})], 777, 7
    )
    numbers = [number_of(label, "25") for _, label, _ in decoded(sound[3].astype(float), "25")]
    assert numbers == list(range(numbers[0], numbers[0] + len(numbers)))


def test_sound_and_midi_tell_the_same_place(tmp_path):
    """A device at a socket is sent no MIDI."""
    sent, _ = played_midi(made(tmp_path), [(0, "go", {})], seconds=3)
    assert sent == []
    assert describe(made(tmp_path))["devices"] == []  # nor is a port of it missed


@pytest.mark.parametrize(
    ("changes", "sentence"),
    [
        ({"socket": 1}, "“Film” hears timecode at socket 1, where “House” would be heard with it"),
        ({"socket": 3}, "where “Ears” would be heard with it"),
        ({"socket": 9}, "socket 9, which the rig does not have"),
        (
            {"sockets": [*SOCKETS[:3], {"number": 4, "label": "", "use": "kept"}]},
            "Socket 4 is kept for another program",
        ),
    ],
)
def test_a_socket_that_carries_anything_is_refused(tmp_path, changes, sentence):
    with pytest.raises(Refused, match=sentence):
        made(tmp_path, **changes)


def test_only_timecode_has_a_socket(tmp_path):
    keys = {"id": "k", "name": "Keys", "kind": "midi", "port": "Keys", "socket": 4}
    with pytest.raises(Refused, match="“Keys” gets messages, which are no sound"):
        ready(show(song(), devices=[keys]), tmp_path)


def test_the_labels_of_an_hour_of_drop_frame_are_right_at_the_socket():
    hour = round(3600 * Fraction(30_000, 1001))
    start = round((hour - 5) * RATE / Fraction(30_000, 1001))
    found = decoded(linear(0, "29.97df", start, RATE, RATE).astype(float), "29.97df")
    labels = [str(label) for _, label, _ in found]
    assert "01:00:00:00" in labels
    assert all(drop for *_, drop in found)
