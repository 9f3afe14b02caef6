"""Tone of a feed (rule M8): what the filters do is measured in the samples, against the analog model."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from material import RATE, ready, show, song, write_wav

from upbeat.controls.faders import level_at, place_of
from upbeat.errors import Refused
from upbeat.limits import HIGH_CUT_HZ, LOW_CUT_HZ, MID_HZ, TONE_DB
from upbeat.mix.processors.matched import TOP_HZ, sections
from upbeat.mix.processors.tone_filter import ToneFilter
from upbeat.play.presses import press
from upbeat.play.state import standing_by
from upbeat.show.bounce import TimedPress, rehearse, render
from upbeat.show.document import read_show
from upbeat.song.tone import FLAT, PURPOSES, Tone, response_db

HZ = np.geomspace(20, TOP_HZ, 300)
TONES = [
    *(Tone(low_cut_hz=hz) for hz in (LOW_CUT_HZ.low, 80, LOW_CUT_HZ.high)),
    *(Tone(high_cut_hz=hz) for hz in (HIGH_CUT_HZ.low, 3000, HIGH_CUT_HZ.high)),
    *(Tone(low_db=db) for db in (TONE_DB.low, 3, TONE_DB.high)),
    *(Tone(high_db=db) for db in (TONE_DB.low, 3, TONE_DB.high)),
    *(Tone(mid_db=db, mid_hz=hz) for db in (TONE_DB.low, -3, TONE_DB.high) for hz in (MID_HZ.low, 1000, MID_HZ.high)),
]


def impulse_response(tone, frames=1 << 17):
    """How loud each frequency comes out, in dB, of an impulse."""
    block = np.zeros((1, frames), dtype=np.float32)
    block[0, 0] = 1
    answer = np.fft.rfft(ToneFilter(1, RATE, tone).process(block)[0].astype(float))
    return 20 * np.log10(
        np.maximum(np.abs(np.interp(HZ, np.arange(len(answer)) * RATE / frames, np.abs(answer))), 1e-9)
    )


@pytest.mark.parametrize("tone", TONES, ids=str)
def test_it_is_the_analog_filter_to_the_top_of_the_band(tone):
    wanted = response_db(tone, HZ)
    heard = wanted > -60
    assert np.abs(impulse_response(tone) - wanted)[heard].max() < 0.1


@settings(max_examples=30)
@given(
    st.builds(
        Tone,
        low_cut_hz=st.none() | st.floats(LOW_CUT_HZ.low, LOW_CUT_HZ.high),
        low_db=st.floats(TONE_DB.low, TONE_DB.high),
        mid_db=st.floats(TONE_DB.low, TONE_DB.high),
        mid_hz=st.floats(MID_HZ.low, MID_HZ.high),
        high_db=st.floats(TONE_DB.low, TONE_DB.high),
        high_cut_hz=st.none() | st.floats(HIGH_CUT_HZ.low, HIGH_CUT_HZ.high),
    )
)
def test_every_setting_is_stable_and_near_its_model(tone):
    wanted = response_db(tone, HZ)
    assert np.abs(impulse_response(tone) - wanted)[wanted > -50].max() < 0.25
    for b0, _, _, a1, a2 in sections(tone, RATE):
        assert b0 > 0
        assert np.abs(np.roots([1, a1, a2])).max() < 1


def test_a_sine_comes_out_as_loud_as_the_model_says():
    tone = Tone(low_cut_hz=120, mid_db=-6, mid_hz=700, high_db=4)
    t = np.arange(RATE) / RATE
    for hz in (60, 120, 700, 3000, 12_000):
        heard = ToneFilter(1, RATE, tone).process(np.sin(2 * np.pi * hz * t, dtype=np.float32)[None])[0, RATE // 2 :]
        level = 10 * np.log10(2 * np.mean(heard.astype(float) ** 2))
        assert level == pytest.approx(response_db(tone, np.array([hz]))[0], abs=0.1)


def test_another_tone_makes_no_step():
    t = np.arange(2 * RATE) / RATE
    sound = (0.5 * np.sin(2 * np.pi * 110 * t)).astype(np.float32)[None]
    filter_ = ToneFilter(1, RATE, FLAT)
    parts = []
    # A fader that is pulled through the range, twenty times a second.
    for i, db in enumerate(np.linspace(0, 12, 40)):
        filter_.to(Tone(low_db=float(db), mid_db=-float(db)), i * 2400)
        parts.append(filter_.process(sound[:, i * 2400 : (i + 1) * 2400]))
    heard = np.concatenate(parts, axis=1)[0]
    most = 10 ** (12 / 20) * np.abs(np.diff(sound)).max()
    assert np.abs(np.diff(heard)).max() < 1.05 * most
    assert np.abs(np.diff(heard, n=2)).max() < 1.5 * 10 ** (12 / 20) * np.abs(np.diff(sound[0], n=2)).max()


@pytest.mark.parametrize("cut", [1, 7, 256, 2400, 100_000])
def test_the_samples_are_the_same_however_they_are_cut(cut):
    sound = np.random.default_rng(2).normal(scale=0.2, size=(2, RATE)).astype(np.float32)
    tone = PURPOSES["less_boom"]

    def made(size):
        filter_ = ToneFilter(2, RATE, FLAT)
        filter_.to(tone, 0)
        return np.concatenate([filter_.process(sound[:, a : a + size]) for a in range(0, RATE, size)], axis=1)

    assert np.array_equal(made(cut), made(RATE))


def noisy(tmp_path, **tones):
    """Nine bars of noise, with a tone on feeds by their id."""
    noise = np.random.default_rng(5).standard_normal((36 * RATE, 2)).astype(np.float32) * 0.1
    write_wav(tmp_path / "n.wav", noise)
    stems = [{"id": "n", "name": "N", "file": "n.wav", "group": "tonal"}]
    document = show(song(stems=stems, sections=[{"id": s, "name": s, "bars": 6} for s in "abc"]))
    for feed in document["feeds"]:
        feed["tone"] = tones.get(feed["id"])
    return ready(document, tmp_path)


def sounded(made, spans, first=0):
    blocks = []
    render(made.renderer(), spans, blocks.append, first)
    return np.concatenate(blocks, axis=1)


PRESSES = [TimedPress(0, "go", {}), TimedPress(3 * RATE, "go_to", {"step": 2, "when": "next_bar"})]


def test_it_is_of_its_feed_alone_goes_on_through_a_jump_and_is_in_step_with_the_others(tmp_path):
    plain, toned = noisy(tmp_path), noisy(tmp_path, house={"low_cut_hz": 200, "high_db": 6})
    spans, _ = rehearse(plain, PRESSES)
    own, made = sounded(plain, spans), sounded(toned, spans)
    assert np.array_equal(made[2:], own[2:])
    alone = ToneFilter(2, RATE, Tone(low_cut_hz=200, high_db=6)).process(np.ascontiguousarray(own[:2]))
    assert np.abs(made[:2] - alone).max() < 1e-5


def test_a_bounce_that_begins_anywhere_is_the_same_to_the_last_bit(tmp_path):
    made = noisy(tmp_path, house={"low_cut_hz": 20, "low_db": 12, "mid_db": -12, "mid_hz": 100, "high_cut_hz": 4000})
    spans, _ = rehearse(made, PRESSES)
    whole = sounded(made, spans)
    for first in (len(spans) // 3, len(spans) // 2, len(spans) - 2):
        assert np.array_equal(sounded(made, spans, first), whole[:, spans[first].start :])


def test_a_feed_that_is_cut_says_less_of_what_lies_below(tmp_path):
    made = noisy(tmp_path, house={"low_cut_hz": 400})
    spans, _ = rehearse(made, PRESSES)
    heard = sounded(made, spans)[0]
    spectrum = np.abs(np.fft.rfft(heard[: 8 * RATE])) ** 2
    hz = np.fft.rfftfreq(8 * RATE, 1 / RATE)
    below, above = spectrum[(hz > 40) & (hz < 100)].mean(), spectrum[(hz > 2000) & (hz < 8000)].mean()
    assert 10 * np.log10(below / above) < -20


@pytest.mark.parametrize(
    "tone", [{"low_cut_hz": 0}, {"mid_db": 40}, {"high_cut_hz": 10}, {"boom": 1}, {"low_db": "much"}]
)
def test_what_is_no_tone_is_refused(tmp_path, tone):
    document = show(song())
    document["feeds"][0]["tone"] = tone
    with pytest.raises(Refused):
        read_show(document)


def test_one_press_takes_every_tone_out_and_back_in_without_a_step(tmp_path):
    plain, toned = noisy(tmp_path), noisy(tmp_path, house={"low_cut_hz": 200, "high_db": 6})
    presses = [
        TimedPress(0, "go", {}),
        TimedPress(4 * RATE, "tones_off", {}),
        TimedPress(8 * RATE, "tones_off", {"on": False}),
    ]
    spans, events = rehearse(toned, presses)
    assert [e["accepted"] for e in events if e["kind"] == "press"] == [True] * 3
    own, _ = rehearse(plain, presses[:1])
    without, made = sounded(plain, own), sounded(toned, spans)
    assert np.array_equal(made[:2, 5 * RATE : 8 * RATE], without[:2, 5 * RATE : 8 * RATE])
    assert np.abs(made[:2, 2 * RATE : 3 * RATE] - without[:2, 2 * RATE : 3 * RATE]).max() > 0.02
    assert np.abs(made[:2, 9 * RATE : 10 * RATE] - without[:2, 9 * RATE : 10 * RATE]).max() > 0.02


def test_where_no_feed_has_a_tone_there_is_none_to_be_taken_out(tmp_path):
    plain = noisy(tmp_path)
    state, outcome = press(plain.plan, standing_by(), "tones_off")
    assert (outcome.accepted, outcome.code) == (False, "tone-none")
    assert not state.hand.tones_off


def test_the_lows_of_a_feed_are_raised_by_hand_and_are_as_prepared_by_a_press(tmp_path):
    toned = noisy(tmp_path, house={"low_db": -3})
    presses = [
        TimedPress(0, "go", {}),
        TimedPress(3 * RATE, "level", {"part": "low:house", "db": 9}),
        TimedPress(8 * RATE, "as_prepared", {"part": "low:house"}),
    ]
    spans, _ = rehearse(toned, presses)
    heard = sounded(toned, spans)[0]

    def lows(first):
        part = heard[first * RATE : (first + 2) * RATE]
        power = np.abs(np.fft.rfft(part)) ** 2
        hz = np.fft.rfftfreq(len(part), 1 / RATE)
        return 10 * np.log10(power[(hz > 30) & (hz < 90)].mean() / power[(hz > 2000) & (hz < 6000)].mean())

    assert lows(5) - lows(1) == pytest.approx(9, abs=1)
    assert lows(11) - lows(1) == pytest.approx(0, abs=1)
    assert toned.plan.parts["low:house"] == "House, lows"


@pytest.mark.parametrize(
    ("name", "args", "code"),
    [
        ("level", {"part": "low:house", "db": 20}, "level-range"),
        ("level", {"part": "low:house", "off": True}, "tone-level"),
        ("level", {"part": "low:click", "db": 3}, "part-unknown"),
        ("in_out", {"part": "high:house", "on": False}, "tone-level"),
        ("alone", {"part": "mid:house"}, "part-alone"),
    ],
)
def test_a_tone_has_a_level_alone(tmp_path, name, args, code):
    toned = noisy(tmp_path, house={"low_db": -3})
    state, outcome = press(toned.plan, standing_by(), name, args)
    assert (outcome.accepted, outcome.code) == (False, code)
    assert outcome.message.endswith(".")
    assert state.hand.parts == ()


def test_steps_of_a_level_stay_within_a_tone(tmp_path):
    toned = noisy(tmp_path, house={"low_db": -3})
    state = standing_by()
    for _ in range(20):
        state, _ = press(toned.plan, state, "level", {"part": "mid:house", "by": 3})
    assert state.hand.part("mid:house").db == TONE_DB.high


def test_a_fader_of_a_tone_goes_in_a_straight_line_and_has_no_off():
    assert [level_at(place, "tone") for place in (0, 0.25, 0.505, 0.75, 1)] == [-12, -6, 0, 6, 12]
    assert [place_of(db, "tone") for db in (-12, 0, None, 12)] == [0, 0.5, 0.5, 1]
