"""Rule S4: what a receiver of MIDI timecode reads is where the song is, whatever is pressed."""

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from material import RATE, show, song

from upbeat.errors import Refused
from upbeat.messages.kinds import Clock
from upbeat.messages.timecode import RATES, Label, number_of, parse_label
from upbeat.play.advance import advance
from upbeat.play.events import Message
from upbeat.play.presses import press
from upbeat.play.state import State
from upbeat.show.document import read_show
from upbeat.show.ready import make_ready

CODES = {0: "24", 1: "25", 2: "29.97df", 3: "30"}


def made(tmp_path_factory, fps="25", on_jump="jump", **entry):
    film = {"id": "film", "name": "Film", "kind": "timecode", "port": "Film", "fps": fps, "on_jump": on_jump}
    document = show(song(), devices=[film])
    document["entries"][0] |= entry
    return make_ready(read_show(document), tmp_path_factory, None)


def played(ready, presses, block=4001, seconds=40):
    """Everything the device gets, with what is heard: (frame, bytes), and the runs by frame."""
    state, events, runs = State(), [], {}
    presses = sorted(presses, key=lambda p: p[0])
    while state.head < seconds * RATE:
        while presses and presses[0][0] <= state.head:
            _, name, args = presses.pop(0)
            state, _ = press(ready.plan, state, name, args, state.head)
        state, span = advance(ready.plan, state, block)
        for run in (*state.music.past, state.music.run):
            if run is not None:
                runs[run.id] = run
        events += [e for e in span.events if isinstance(e, Message) and isinstance(e.out.send, Clock)]
    return [(e.frame, e.out.send.data) for e in events], list(runs.values())


def read(sent):
    """What a receiver reads: (frame of the first quarter, rate, label) of every whole set, and of every full frame."""
    found, pieces = [], []
    for frame, data in sent:
        if data[0] == 0xF0:
            assert data[:5] == (0xF0, 0x7F, 0x7F, 0x01, 0x01)
            assert data[-1] == 0xF7
            found.append((frame, CODES[data[5] >> 5], Label(data[5] & 31, *data[6:9]), "full"))
            pieces = []
            continue
        piece, value = data[1] >> 4, data[1] & 15
        pieces = [(frame, value)] if piece == 0 else [*pieces, (frame, value)]
        if piece == 7 and len(pieces) == 8:
            v = [value for _, value in pieces]
            label = Label(v[6] | (v[7] & 1) << 4, v[4] | v[5] << 4, v[2] | v[3] << 4, v[0] | v[1] << 4)
            found.append((pieces[0][0], CODES[v[7] >> 1], label, "set"))
    return found


def position(runs, frame):
    """Frames since bar 1 of what plays at an output frame."""
    run = max((r for r in runs if r.out_start <= frame), key=lambda r: r.id)
    return frame - (run.out_start - run.src_start)


@pytest.mark.parametrize("fps", RATES)
def test_the_song_played_straight_is_told_from_its_label_on(tmp_path, fps):
    ready = made(tmp_path, fps, timecode="03:00:00:00")
    sent, runs = played(ready, [(0, "go", {})], seconds=18)
    found = read(sent)
    assert found[0][2:] == (Label(3, 0, 0, 0), "full")
    assert len(found) > 15 * float(RATES[fps]) / 2 - 4
    first = number_of(parse_label("03:00:00:00", fps), fps)
    for frame, rate, label, _ in found:
        assert rate == fps
        at = (number_of(label, fps) - first) * RATE / float(RATES[fps])
        assert abs(at - position(runs, frame)) <= 0.5 * RATE / float(RATES[fps])
    quarters = [frame for frame, data in sent if data[0] == 0xF1]
    gaps = {b - a for a, b in zip(quarters, quarters[1:], strict=False)}
    assert max(gaps) - min(gaps) <= 1


STEPS = st.lists(
    st.tuples(
        st.integers(RATE, 20 * RATE),
        st.sampled_from(["go_to", "once_more", "stop", "resume", "vamp_here", "release"]),
        st.integers(0, 2),
        st.sampled_from(["at_once", "next_bar", "section_end"]),
    ),
    max_size=6,
)


@settings(max_examples=60)
@example([(RATE, "go_to", 0, "at_once"), (RATE, "go_to", 0, "next_bar")], "24", 4001)
@given(STEPS, st.sampled_from(list(RATES)), st.sampled_from([257, 4001, 30_011]))
def test_what_is_read_is_the_place_of_the_song_after_every_jump(tmp_path_factory, steps, fps, block):
    ready = made(tmp_path_factory.getbasetemp(), fps, timecode="00:59:58:10")
    presses = [(0, "go", {})]
    for at, name, step, when in steps:
        args = {"step": step, "when": when} if name == "go_to" else {"when": when} if name == "once_more" else {}
        presses.append((at, name, args))
    sent, runs = played(ready, presses, block, seconds=25)
    first = number_of(parse_label("00:59:58:10", fps), fps)
    frame_length = RATE / float(RATES[fps])
    for frame, _, label, kind in read(sent):
        at = (number_of(label, fps) - first) * frame_length
        # A whole frame says in which frame one is; a set where it begins.
        late = position(runs, frame) - at
        assert -1 <= late < frame_length + 1 if kind == "full" else abs(late) <= 1


def test_a_device_that_runs_on_counts_on_through_jumps_and_rounds(tmp_path):
    ready = made(tmp_path, on_jump="run_on")
    sent, _ = played(ready, [(0, "go", {}), (3 * RATE, "go_to", {"step": 2, "when": "next_bar"})], seconds=10)
    found = read(sent)
    numbers = [number_of(label, "25") for _, _, label, kind in found if kind == "set"]
    assert [kind for *_, kind in found].count("full") == 1
    assert numbers == list(range(numbers[0], numbers[0] + 2 * len(numbers), 2))
    assert found[0][2] == Label(1, 0, 0, 0)


def test_nothing_is_told_while_nothing_plays(tmp_path):
    sent, _ = played(made(tmp_path), [(0, "go", {}), (2 * RATE, "stop", {})], seconds=6)
    assert max(frame for frame, _ in sent) < 2 * RATE + RATE // 10


@pytest.mark.parametrize("label", ["25:00:00:00", "03:00:00:25", "noon", "03:00:60:00"])
def test_a_label_that_is_none_is_refused(tmp_path, label):
    with pytest.raises(Refused, match="is no time for 25 frames"):
        made(tmp_path, timecode=label)


def test_a_device_of_timecode_gets_no_messages():
    film = {"id": "film", "name": "Film", "kind": "timecode", "port": "Film"}
    message = {"id": "m", "device": "film", "at": {"place": "start"}, "send": {"kind": "program", "program": 1}}
    with pytest.raises(Refused, match="“Film” gets timecode alone"):
        make_ready(read_show(show(song(messages=[message]), devices=[film])), None, None)
