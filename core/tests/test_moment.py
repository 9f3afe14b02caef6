"""Meters of click and cues: worked out beside the sound, they show what sounds."""

from dataclasses import replace

import numpy as np
import pytest
from material import RATE, ready, show, song

from upbeat.audio.stem_kernels import factored, meter_rows, read_meters
from upbeat.cues.place import Spoken
from upbeat.mix.moment import PIECE, Loudness, guide_peaks, stem_factors
from upbeat.play.advance import advance
from upbeat.play.events import Click
from upbeat.play.hand import Hand
from upbeat.play.presses import press
from upbeat.play.state import standing_by

SHOWN = 3000  # frames that a meter looks at


@pytest.fixture
def made(tmp_path):
    return ready(show(song()), tmp_path)


def around(line, first, more=0):
    return float(np.abs(line[max(0, first - more) : first + SHOWN + more]).max(initial=0.0))


def test_the_click_is_as_loud_as_it_sounds_and_silent_between(made):
    state, _ = press(made.plan, standing_by(), "go")
    _, span = advance(made.plan, state, 4 * RATE)
    events, line, loud = span.only(Click), np.zeros(5 * RATE, np.float32), Loudness()
    for event in events:
        own = made.audio.entries[event.entry]
        sound = own.click[event.voice]
        line[event.frame : event.frame + len(sound)] += own.click_gain * sound
    shown = [guide_peaks(made.audio, Hand(), events, loud, f, f + SHOWN)[0] for f in range(0, 4 * RATE, 997)]
    for first, peak in zip(range(0, 4 * RATE, 997), shown, strict=True):
        assert around(line, first) - 1e-6 <= peak <= around(line, first, PIECE) + 1e-6
    assert max(shown) > 0.1
    assert min(shown) == 0.0


def test_a_word_is_as_loud_as_it_sounds(made):
    word = np.concatenate((np.full(2000, 0.1), np.full(2000, -0.6), np.full(100, 0.2))).astype(np.float32)
    audio = replace(made.audio, words={("Hold", False): word, ("", False): word[:0]})
    said = [
        Spoken(text="Hold", beat=10_000, start=9000, end=9000 + len(word)),
        Spoken(text="unknown", beat=10_000, start=9000, end=9000),
        Spoken(text="", beat=10_000, start=9000, end=9000),
    ]
    at = lambda first, last: round(guide_peaks(audio, Hand(), said, Loudness(), first, last)[1], 3)
    assert at(0, 9000) == 0.0
    assert at(9000, 9500) == 0.1
    assert at(0, 20_000) == at(11_000, 11_001) == 0.6
    assert at(13_000, 14_000) == 0.2
    assert at(9000 + len(word), 20_000) == 0.0


def test_there_is_a_factor_for_each_stem(made):
    factors = stem_factors(made.plan, made.audio, frozenset(), Hand(), entry=0, step=0)
    assert factors.shape == (len(made.audio.entries[0].stems),)


def test_meters_show_peak_and_rms_to_five_places_and_begin_anew():
    rows = np.stack((np.full(480, 0.123456), np.tile((0.5, -0.25), 240), np.zeros(480))).astype(np.float32)
    peaks, powers, read = np.zeros(3, np.float32), np.zeros(3), np.zeros((2, 3))
    meter_rows(rows, 0, 480, peaks, powers)
    read_meters(peaks, powers, 480, read)
    assert read.tolist() == [[0.12346, 0.5, 0.0], [0.12346, 0.39528, 0.0]]
    read_meters(peaks, powers, 480, read)
    assert not read.any()
    assert factored(np.array([0.5, 1.0], np.float32), np.array([0.33333, 0.0])).tolist() == [0.1667, 0.0]
