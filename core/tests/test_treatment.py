"""Gate, drive, tone and echo of stems (rule M8): what is heard at the sockets, to the sample."""

from itertools import accumulate

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from material import RATE, ready, show, song, write_wav

from upbeat.audio import kernels, stem_kernels
from upbeat.controls.faders import level_at, place_of
from upbeat.errors import Refused
from upbeat.mix.compiled import compiled
from upbeat.mix.driven import DrivenPcm
from upbeat.play.presses import press
from upbeat.play.state import standing_by
from upbeat.show.bounce import TimedPress, rehearse, render
from upbeat.show.document import read_show
from upbeat.song.tone import PURPOSES, response_db
from upbeat.song.treatment import TREATMENTS, Drive, Gate

START = 240  # frames of the fade that a song begins with: its first is heard there
BAR, BEAT = 2 * RATE, RATE // 2
TELEPHONE = {"tone": {"low_cut_hz": 400, "mid_db": 6, "mid_hz": 1500, "high_cut_hz": 3000}}
ECHO = {"echo": {"beats": "1", "db": -6, "repeats": 3, "fall_db": 6}}
ALL = {"gate": {"opens_db": -40}, "drive": {"db": 10}, **TELEPHONE, "echo": {"beats": "3/4", "repeats": 6}}
GO = TimedPress(0, "go", {})


def made(folder, sound, *stems, document=None, **changes):
    """A song whose stems, on the left, all have one sound."""
    write_wav(folder / "s.wav", np.asarray(sound, np.float32))
    listed = [
        {"id": f"s{i}", "name": f"S{i}", "file": "s.wav", "group": "tonal", "pan": -1, **stem}
        for i, stem in enumerate(stems)
    ]
    return ready(show(song(stems=listed, click={"gain_db": -120}, **changes), **(document or {})), folder)


def heard(shown, presses=(GO,), first=0, blocks=None):
    spans, _ = rehearse(shown, list(presses))
    out = []
    render(shown.renderer(), spans, out.append, first)
    return np.concatenate(out, axis=1)


def noise(seconds=16, seed=3, channels=None, level=0.1):
    shape = (seconds * RATE, channels) if channels else seconds * RATE
    return (level * np.random.default_rng(seed).standard_normal(shape)).astype(np.float32)


def bursts():
    """A burst of 0.1 s at the beginning of every second, over spill that is 40 dB softer."""
    sound = noise(6, level=0.002)
    for second in range(6):
        sound[second * RATE : second * RATE + RATE // 10] += noise(1)[: RATE // 10]
    return sound


# --- gate and drive --------------------------------------------------------------------------------


def test_a_gate_leaves_what_opens_it_whole_and_is_silent_between(tmp_path):
    sound = bursts()
    out = heard(made(tmp_path, sound, {"treatment": {"gate": {"opens_db": -40, "release_ms": 100}}}))[0]
    for second in range(1, 6):
        a = second * RATE
        assert np.array_equal(out[a + START : a + START + RATE // 10], sound[a : a + RATE // 10])
        assert not out[a + START + RATE // 4 : a + START + RATE - RATE // 200].any()


@pytest.mark.parametrize(("opens", "silent"), [(-10, True), (-70, False)])
def test_a_gate_that_nothing_opens_is_silent_and_one_that_all_opens_changes_nothing(tmp_path, opens, silent):
    sound = noise(level=0.02)
    out = heard(made(tmp_path, sound, {"treatment": {"gate": {"opens_db": opens}}}))[0]
    if silent:
        assert not out.any()
    else:
        assert np.array_equal(out[2 * START : 10 * RATE], sound[START : 10 * RATE - START])


@settings(max_examples=25)
@given(
    st.none() | st.builds(Gate, opens_db=st.sampled_from([-50.0, -30.0]), release_ms=st.sampled_from([20.0, 300.0])),
    st.none() | st.builds(Drive, db=st.sampled_from([1.0, 30.0])),
    st.lists(st.tuples(st.integers(0, 6 * RATE), st.lists(st.integers(1, 3000), max_size=8)), min_size=1, max_size=6),
)
def test_the_samples_are_those_of_the_file_however_the_music_jumps(gate, drive, reads):
    sound = bursts()[:, None]
    whole, read = DrivenPcm(sound, RATE, gate, drive)[0 : len(sound)], DrivenPcm(sound, RATE, gate, drive)
    for at, sizes in reads:
        for size in sizes:
            assert np.array_equal(read[at : at + size], whole[at : at + size])
            at += size


def test_a_drive_rounds_off_in_step_and_what_it_adds_above_the_band_is_not_folded_back():
    t = np.arange(RATE) / RATE
    sine = (0.9 * np.sin(2 * np.pi * 7000 * t)).astype(np.float32)[:, None]
    power = np.abs(np.fft.rfft(DrivenPcm(sine, RATE, None, Drive(db=30))[0:RATE][:, 0] * np.hanning(RATE))) ** 2
    own = power[6990:7010].sum() + power[20_990:21_010].sum()
    assert 10 * np.log10((power.sum() - own) / own) < -35
    soft = noise(1, level=0.001)[:, None]
    out = DrivenPcm(soft, RATE, None, Drive(db=1))[0:RATE][:, 0]
    lag = np.argmax(np.correlate(out[1000:-1000], soft[900:-900, 0], "valid")) - 100
    assert lag == 0
    usual = np.full((RATE, 1), 10 ** (-18 / 20), np.float32)
    assert DrivenPcm(usual, RATE, None, Drive(db=24))[0:RATE][RATE // 2, 0] == pytest.approx(usual[0, 0], rel=0.01)


# --- tone ------------------------------------------------------------------------------------------


def test_a_section_has_its_own_tone_from_its_first_frame_to_its_last(tmp_path):
    sound = noise()
    plain = heard(made(tmp_path, sound, {}))[0]
    out = heard(made(tmp_path, sound, {"treatments": {"b": TELEPHONE}}))[0]
    begins, ends, fade = START + 3 * BAR, START + 6 * BAR, round(0.02 * RATE)
    assert np.array_equal(out[:begins], plain[:begins])
    assert not np.array_equal(out[begins : begins + 100], plain[begins : begins + 100])
    assert np.abs(out[ends + fade : 15 * RATE] - plain[ends + fade : 15 * RATE]).max() < 1e-6
    # Within it is the tone that is drawn, to a tenth of a decibel.
    a, b = begins + RATE, ends - RATE
    hz = np.fft.rfftfreq(4096, 1 / RATE)
    windows = [np.hanning(4096) * x[i : i + 4096] for x in (out, plain) for i in range(a, b, 2048)]
    powers = np.abs(np.fft.rfft(np.array(windows))) ** 2
    half = len(powers) // 2
    ratio = 10 * np.log10(powers[:half].mean(axis=0) / powers[half:].mean(axis=0))
    band = (hz > 300) & (hz < 6000)
    # A spectrum by windows is blurred: a little more than the tenth that an impulse shows.
    assert np.abs(ratio - response_db(PURPOSES["telephone"], np.maximum(hz, 1)))[band].max() < 0.3


def test_it_goes_on_through_a_jump_and_is_in_step_with_what_has_none(tmp_path):
    sound = noise()
    jump = (GO, TimedPress(3 * RATE, "go_to", {"step": 2, "when": "next_bar"}))
    plain = heard(made(tmp_path, sound, {}), jump)[0]
    flat = heard(made(tmp_path, sound, {"treatment": {}}), jump)[0]
    assert np.abs(plain - flat).max() < 1e-6
    boosted = heard(made(tmp_path, sound, {"treatment": {"tone": {"low_db": 12}}}), jump)[0]
    lag = np.argmax(np.correlate(boosted[RATE : 2 * RATE], plain[RATE - 50 : 2 * RATE + 50], "valid")) - 50
    assert lag == 0


PARTS = ("stem:s0", "stem:s1", "feed:house")
#: Seconds after the press before, so that no two changes are under way at once: two ramps make a curve, where one makes a line.
HANDS = st.lists(
    st.tuples(
        st.integers(round(1.2 * RATE), 3 * RATE),
        st.one_of(
            st.builds(
                lambda part, db, beats: ("level", {"part": part, "db": db, "beats": beats}),
                st.sampled_from(PARTS),
                st.sampled_from([-60.0, -6.0, 0.0, 6.0]),
                st.sampled_from([0, 2]),
            ),
            st.builds(lambda part, on: ("in_out", {"part": part, "on": on}), st.sampled_from(PARTS), st.booleans()),
            st.builds(lambda on: ("alone", {"part": "stem:s0", "on": on, "in_house": True}), st.booleans()),
            st.sampled_from([("pull_house", {}), ("bring_back", {}), ("stop", {}), ("go", {})]),
            st.builds(lambda step: ("go_to", {"step": step, "when": "at_once"}), st.integers(0, 2)),
        ),
    ),
    max_size=6,
)


@settings(max_examples=20, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(HANDS)
def test_a_stem_that_goes_through_nothing_is_mixed_as_one_without_whatever_is_pressed(tmp_path, hands):
    frames = accumulate(gap for gap, _ in hands)
    presses = [GO, *(TimedPress(frame, name, args) for frame, (_, (name, args)) in zip(frames, hands, strict=True))]
    own = {"levels": {"b": -6}, "tacet": ["c"]}
    sides = {"flip_side": True, "width": 0.5, "pan": 0.3}
    outs = [
        heard(made(tmp_path, noise(channels=2), {**own, **more}, {**sides, **more}), presses)
        for more in ({}, {"treatment": {}})
    ]
    # Where a section at another level begins while a feed changes over beats, two ramps cross for 5 ms: a curve where the stem
    # is treated, else two lines. Of a change of one over a second they are 1/4 × 1/2 × 1/200 apart at the most.
    assert np.abs(outs[0] - outs[1]).max() < np.abs(outs[0]).max() / 1600


# --- everything ------------------------------------------------------------------------------------

JUMPS = (GO, TimedPress(3 * RATE, "go_to", {"step": 2, "when": "next_bar"}), TimedPress(9 * RATE, "go_to", {"step": 1}))


def test_a_bounce_that_begins_anywhere_is_the_same_to_the_last_bit(tmp_path):
    shown = made(tmp_path, bursts(), {"treatment": ALL, "treatments": {"b": ECHO}})
    spans, _ = rehearse(shown, list(JUMPS))
    whole = heard(shown, JUMPS)
    for first in (len(spans) // 3, len(spans) // 2, len(spans) - 2):
        out = []
        render(shown.renderer(), spans, out.append, first)
        assert np.array_equal(np.concatenate(out, axis=1), whole[:, spans[first].start :])


def test_a_renderer_that_is_put_back_and_cut_otherwise_makes_the_same_samples(tmp_path):
    shown = made(tmp_path, noise(), {"treatment": ALL, "treatments": {"b": ECHO}})
    spans, _ = rehearse(shown, list(JUMPS))
    whole, renderer, out = heard(shown, JUMPS), shown.renderer(), []
    for span in spans[:14]:
        point = renderer.saved()
        block = np.zeros((renderer.rows, span.end - span.start), np.float32)
        renderer.render(span, block)
        renderer.restore(point)
        again = np.zeros_like(block)
        renderer.render(span, again)
        assert np.array_equal(block, again)
        out.append(block)
    joined = np.concatenate(out, axis=1)
    assert np.array_equal(joined, whole[:, : joined.shape[1]])


def test_one_press_takes_all_of_it_out_and_back_in_without_a_step(tmp_path):
    t = np.arange(16 * RATE) / RATE
    sound = (0.2 * np.sin(2 * np.pi * 110 * t)).astype(np.float32)
    treated = made(tmp_path, sound, {"treatment": {"drive": {"db": 12}, "tone": {"low_db": 6}, **ECHO}})
    out = heard(treated, (GO, TimedPress(4 * RATE, "tones_off", {}), TimedPress(8 * RATE, "tones_off", {"on": False})))[
        0
    ]
    plain = heard(made(tmp_path, sound, {}))[0]
    assert np.abs(out[5 * RATE : 8 * RATE] - plain[5 * RATE : 8 * RATE]).max() < 1e-6
    for at in (4 * RATE, 8 * RATE):
        around = out[at - RATE // 10 : at + RATE // 2]
        usual = max(np.abs(np.diff(out[a : a + RATE])).max() for a in (2 * RATE, 6 * RATE, 11 * RATE))
        assert np.abs(np.diff(around)).max() < 1.1 * usual


def test_a_jump_through_a_treatment_makes_no_step_larger_than_one_without(tmp_path):
    t = np.arange(16 * RATE) / RATE
    sound = (0.2 * np.sin(2 * np.pi * 110 * t)).astype(np.float32)
    jump = (GO, TimedPress(4 * RATE, "go_to", {"step": 2, "when": "at_once"}))
    whole = {"drive": {"db": 12}, "tone": {"low_db": 6}, "echo": {"beats": "1/2", "repeats": 4}}
    outs = [heard(made(tmp_path, sound, {"treatment": one} if one else {}), jump)[0] for one in (None, whole)]
    around, usual = slice(4 * RATE - RATE // 10, 4 * RATE + RATE), slice(3 * RATE, 4 * RATE - RATE // 10)
    plain, treated = (np.abs(np.diff(out[around])).max() / np.abs(np.diff(out[usual])).max() for out in outs)
    assert treated < 1.1 * max(1.0, plain)


def test_it_never_reaches_the_house_where_the_stem_is_to_rehearse_with(tmp_path):
    out = heard(made(tmp_path, noise(), {"treatment": ALL, "purpose": "rehearsal"}))
    assert not out[:2].any()


def test_a_sweep_by_hand_cuts_and_gives_back(tmp_path):
    low = np.sin(2 * np.pi * 100 * np.arange(16 * RATE) / RATE) * 0.2
    shown = made(tmp_path, low, {"treatment": {}})
    out = heard(
        shown,
        (
            GO,
            TimedPress(2 * RATE, "level", {"part": "low_sweep:stem:s0", "db": 75}),
            TimedPress(6 * RATE, "level", {"part": "low_sweep:stem:s0", "by": -75}),
        ),
    )[0]
    assert np.abs(out[4 * RATE : 6 * RATE]).max() < 0.2 * (100 / 632) ** 2 * 1.1
    assert np.abs(out[7 * RATE : 8 * RATE]).max() == pytest.approx(0.2, rel=0.01)


@pytest.mark.parametrize(
    ("out", "left"),
    [(("gate",), {"drive": {"db": 12}}), (("drive",), {"gate": {"opens_db": -40}}), (("gate", "drive"), {})],
)
def test_gate_and_drive_go_out_and_come_in_by_hand_each_alone(tmp_path, out, left):
    treated = made(tmp_path, bursts(), {"treatment": {"gate": {"opens_db": -40}, "drive": {"db": 12}}})
    pressed = [TimedPress(0, "in_out", {"part": f"{kind}:stem:s0", "on": False}) for kind in out]
    back = [TimedPress(3 * RATE, "in_out", {"part": f"{kind}:stem:s0"}) for kind in out]
    sounds = heard(treated, (GO, *pressed, *back))[0]
    there = slice(RATE, 3 * RATE)
    assert np.array_equal(sounds[there], heard(made(tmp_path, bursts(), {"treatment": left}))[0][there])
    there = slice(3 * RATE + RATE // 20, 5 * RATE)
    assert np.array_equal(sounds[there], heard(treated)[0][there])


def test_a_drive_that_goes_out_over_beats_makes_no_step_and_is_out_in_every_section(tmp_path):
    sine = (0.2 * np.sin(2 * np.pi * 110 * np.arange(16 * RATE) / RATE)).astype(np.float32)
    by_section = {"treatment": None, "treatments": {"b": {"drive": {"db": 20}}}}
    treated = made(tmp_path, sine, by_section)
    out = TimedPress(RATE, "in_out", {"part": "drive:stem:s0", "on": False, "beats": 4, "when": "next_bar"})
    sounds = heard(treated, (GO, out))[0]
    there = slice(START, 16 * RATE - START)
    assert np.abs(sounds[there] - heard(made(tmp_path, sine, {}))[0][there]).max() < 1e-6
    back = TimedPress(5 * RATE, "as_prepared", {"part": "drive:stem:s0"})
    sounds = heard(treated, (GO, out, back))[0]
    assert np.abs(np.diff(sounds[4 * RATE : 8 * RATE])).max() < 1.1 * np.abs(np.diff(heard(treated)[0])).max()


@pytest.mark.parametrize(
    ("name", "args", "code"),
    [
        ("level", {"part": "low_sweep:stem:s0", "db": 101}, "level-range"),
        ("level", {"part": "high_sweep:stem:s0", "off": True}, "tone-level"),
        ("level", {"part": "low:stem:s1"}, "part-unknown"),
        ("level", {"part": "echo:stem:s0"}, "part-unknown"),
        ("level", {"part": "gate:stem:s0"}, "switch-level"),
        ("in_out", {"part": "drive:stem:s0"}, "part-unknown"),
        ("in_out", {"part": "mid:stem:s0"}, "tone-level"),
        ("alone", {"part": "gate:stem:s0"}, "part-alone"),
    ],
)
def test_what_a_treatment_cannot_be_by_hand_is_refused(tmp_path, name, args, code):
    plan = made(tmp_path, noise(1), {"treatment": {"gate": {}}}, {}).plan
    assert press(plan, standing_by(), name, args)[1].code == code


def test_a_fader_of_a_sweep_goes_from_nought_to_a_hundred():
    assert [level_at(place, "sweep") for place in (0, 0.25, 1)] == [0, 25, 100]
    assert [place_of(percent, "sweep") for percent in (0, None, 25, 100)] == [0, 0, 0.25, 1]


def test_nothing_is_compiled_while_it_plays(tmp_path):
    compiled()
    loops = (
        kernels.second_order,
        kernels.ceiling_gains,
        stem_kernels.gate_gains,
        stem_kernels.rounded_off,
        stem_kernels.echoes,
        stem_kernels.add_pairs,
        stem_kernels.add_rows,
        stem_kernels.meter_rows,
    )
    before = [len(loop.signatures) for loop in loops]
    write_wav(tmp_path / "short.wav", noise(channels=2), RATE, np.int16)
    document = {"feeds": [{**f, "tone": {"high_db": 3}, "ceiling_db": -12} for f in show()["feeds"]]}
    shown = made(
        tmp_path, noise(level=0.5), {"treatment": ALL}, {"file": "short.wav", "treatment": ALL}, document=document
    )
    heard(shown, JUMPS)
    assert [len(loop.signatures) for loop in loops] == before == [1] * len(loops)


@pytest.mark.parametrize(
    "stem",
    [
        {"treatment": {"gate": {"opens_db": -5}}},
        {"treatment": {"drive": {"db": 40}}},
        {"treatment": {"echo": {"beats": "5/4"}}},
        {"treatment": {"echo": {"repeats": 9}}},
        {"treatment": {"reverb": {}}},
        {"treatment": ECHO, "group": "click"},
        {"treatments": {"a": ECHO}, "purpose": "pad"},
    ],
)
def test_what_is_no_treatment_is_refused(stem):
    whole = {"id": "x", "name": "X", "file": "x.wav", **stem}
    with pytest.raises(Refused):
        read_show(show(song(stems=[whole])))


def test_every_treatment_by_purpose_can_be_read():
    import msgspec

    for treatment in TREATMENTS.values():
        whole = {"id": "x", "name": "X", "file": "x.wav", "treatment": msgspec.to_builtins(treatment)}
        assert read_show(show(song(stems=[whole]))).songs["song"].stems[0].treatment == treatment
