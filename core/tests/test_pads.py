"""Rule P10: a pad sounds from the end of a song until the next bar 1."""

import numpy as np
import pytest
from material import RATE, ready, show, song, write_wav

from upbeat.errors import Refused
from upbeat.listening.seam.score import AFTER_S, BEFORE_S, Sides, judge, measure
from upbeat.mix.loops import TONE_S, TONES, looped, tone
from upbeat.play.advance import advance
from upbeat.play.events import EntryEnd
from upbeat.play.presses import press, reasons
from upbeat.play.state import standing_by
from upbeat.show.dress_run.paper import pad_faults

BAR, SONG = 2 * RATE, 16 * RATE
IN, OUT = 2 * RATE, RATE


def pair(folder, link, count_in=1, stems=(), **changes):
    """Two songs of eight bars, silent but for ``stems`` of the second, linked so."""
    count = {"count_in": {"bars": count_in, "aloud": False}}
    second = {"id": "two", "title": "Kites", "stems": list(stems), "key": "D", **count}
    return ready(show(song(**count), song(**second), links=(link,), **changes), folder)


class Night:
    """A show played block by block, with what the house hears on the left."""

    def __init__(self, made):
        self.made, self.state, self.renderer = made, standing_by(), made.renderer()
        self.heard, self.ends = [], []

    def press(self, name, **args):
        self.state, outcome = press(self.made.plan, self.state, name, args)
        assert outcome.accepted, outcome
        return self

    def on(self, frames):
        until = self.state.head + frames
        while self.state.head < until:
            self.state, span = advance(self.made.plan, self.state, min(4800, until - self.state.head))
            self.ends += [e.frame for e in span.only(EntryEnd)]
            out = np.empty((self.renderer.rows, span.end - span.start), np.float32)
            self.renderer.render(span, out)
            self.heard.append(out[0].copy())
        return self

    @property
    def left(self):
        return np.concatenate(self.heard)

    def end_of_first(self):
        """Plays on until the first song is over, and gives the frame of its end."""
        self.press("go")
        while not self.ends:
            self.on(4800)
        return self.ends[0]


def level(sound, at, frames=4800):
    return float(np.sqrt(np.mean(np.square(sound[at : at + frames]))))


def test_with_wait_it_rises_over_two_seconds_and_is_silent_at_the_next_bar_1(tmp_path):
    night = Night(pair(tmp_path, {"kind": "wait", "pad": "warm"}))
    end = night.end_of_first()
    night.on(10 * RATE).press("go")
    bar1 = night.state.music.run.out_start
    left = night.on(bar1 - night.state.head + RATE).left
    assert not left[:end].any()
    assert np.count_nonzero(left[end : end + 480]) > 400
    full = level(left, end + IN, 4 * RATE)
    assert full > 0.01
    # Half a cosine: a quarter of the way it is at 15 % of the level.
    assert 0.3 < level(left, end + IN // 2 - 2400) / full < 0.8
    assert np.count_nonzero(left[bar1 - OUT : bar1]) > 0.99 * OUT
    assert not left[bar1:].any()
    assert level(left, bar1 - OUT - 9600) > 0.3 * full
    assert np.abs(left[bar1 - 480 : bar1]).max() < 0.01 * np.abs(left).max()


def test_with_after_it_fills_the_silence_and_the_count_in(tmp_path):
    night = Night(pair(tmp_path, {"kind": "after", "seconds": 3, "pad": "low"}))
    end = night.end_of_first()
    bar1 = night.state.music.run.out_start
    assert bar1 - end == pytest.approx(3 * RATE + BAR, abs=300)
    left = night.on(bar1 - night.state.head + RATE).left
    assert not left[:end].any()
    assert left[end:bar1].any()
    assert not left[bar1:].any()


def test_where_the_next_bar_1_comes_at_once_it_fades_in_what_is_left(tmp_path):
    night = Night(pair(tmp_path, {"kind": "wait", "pad": "open"}, count_in=0))
    night.end_of_first()
    night.on(4 * RATE).press("go")
    pressed = night.state.head
    left = night.on(2 * RATE).left
    assert left[pressed : pressed + 1200].any()
    assert not left[pressed + 4800 :].any()
    # No sample jumps further than the pad itself does.
    assert np.abs(np.diff(left[pressed - 100 :])).max() <= 1.2 * np.abs(np.diff(left[:pressed])).max()


@pytest.mark.parametrize(("name", "args", "lasts"), [("stop", {}, 0.1), ("fade_away", {"seconds": 2.0}, 2.0)])
def test_stop_ends_a_pad_and_the_song_stands_by_as_before(tmp_path, name, args, lasts):
    night = Night(pair(tmp_path, {"kind": "wait", "pad": "warm"}))
    night.end_of_first()
    night.on(5 * RATE).press(name, **args)
    pressed = night.state.head
    left = night.on(4 * RATE).left
    assert left[pressed : pressed + 480].any()
    assert not left[pressed + round(lasts * RATE) :].any()
    assert (night.state.status, night.state.music.entry) == ("standby", 1)
    assert name in reasons(night.made.plan, night.state)
    night.press("go").on(6 * RATE)
    assert night.state.status == "playing"


def test_stop_in_the_count_in_that_follows_by_itself_ends_the_pad_too(tmp_path):
    night = Night(pair(tmp_path, {"kind": "after", "seconds": 4, "pad": "warm"}))
    night.end_of_first()
    night.on(4 * RATE).press("stop")
    pressed = night.state.head
    left = night.on(4 * RATE).left
    assert left[:pressed].any()
    assert not left[pressed + RATE // 10 :].any()


@pytest.mark.parametrize(
    ("link", "changes"),
    [
        ({"kind": "attacca", "pad": "warm"}, {}),
        ({"kind": "wait"}, {}),
        ({"kind": "wait", "pad": "song"}, {}),
        ({"kind": "wait", "pad": "warm"}, {"intervals": [{"after": 1, "minutes": 5}]}),
    ],
)
def test_none_sounds_where_none_is_meant(tmp_path, link, changes):
    night = Night(pair(tmp_path, link, **changes))
    night.end_of_first()
    assert not night.on(4 * RATE).left.any()


def test_the_pad_stem_of_the_song_that_comes_goes_round_at_its_own_level(tmp_path):
    write_wav(tmp_path / "pad.wav", np.full(6 * RATE, 0.25, np.float32))
    stem = {"id": "p", "name": "Pad", "file": "pad.wav", "group": "tonal", "pan": -1, "purpose": "pad", "gain_db": -6}
    night = Night(pair(tmp_path, {"kind": "wait", "pad": "song"}, stems=[stem]))
    end = night.end_of_first()
    left = night.on(12 * RATE).left
    # A round of 4.5 s: its first 1.5 s are the crossfade, in which a sound that is the same on both sides gets louder.
    own = 0.25 * 10 ** (-6 / 20)
    assert left[end + round(2.5 * RATE)] == pytest.approx(own, rel=1e-4)
    assert left[end + round(4.5 * RATE) + round(2.5 * RATE)] == pytest.approx(own, rel=1e-4)
    assert left[end + round(4.5 * RATE) + round(0.75 * RATE)] == pytest.approx(own * np.sqrt(2), rel=1e-3)
    # In its own song it is silent.
    night.press("go")
    bar1 = night.state.music.run.out_start
    assert not night.on(bar1 - night.state.head + RATE).left[bar1:].any()


def test_a_pad_stem_of_half_a_second_does_not_sound(tmp_path):
    write_wav(tmp_path / "pad.wav", np.full(RATE // 2, 0.25, np.float32))
    stem = {"id": "p", "name": "Pad", "file": "pad.wav", "purpose": "pad"}
    night = Night(pair(tmp_path, {"kind": "wait", "pad": "song"}, stems=[stem]))
    night.end_of_first()
    assert not night.on(4 * RATE).left.any()


def test_the_dress_run_says_where_the_pad_of_the_next_song_is_missing(tmp_path):
    made = pair(tmp_path, {"kind": "wait", "pad": "song"})
    (fault,) = pad_faults(made.show)
    assert (fault.code, fault.severity, fault.entry) == ("pad-none", "look", 1)
    assert not list(pad_faults(pair(tmp_path, {"kind": "wait", "pad": "warm"}).show))


def test_an_unknown_tone_is_refused_in_words(tmp_path):
    with pytest.raises(Refused, match="“brass” is no pad: choose song, warm, open, low, or none"):
        pair(tmp_path, {"kind": "wait", "pad": "brass"})


def heard_at_its_seam(cycle):
    """How the seam of a loop is judged, by what is heard around it against what would be without one."""
    before, after = round(BEFORE_S * RATE), round(AFTER_S * RATE)
    line = np.concatenate((cycle[0], cycle[0]))
    left = line[cycle.shape[1] - before : cycle.shape[1] + after]
    m = measure([Sides(left, left)], RATE)
    return judge(m, 0.0, 0.0).verdict


@pytest.mark.parametrize("name", TONES)
@pytest.mark.parametrize("tonic", [0, 5, 11])
def test_the_seam_of_no_tone_is_heard(name, tonic):
    cycle = tone(name, tonic, RATE)
    assert cycle.shape == (2, round(TONE_S * RATE))
    assert heard_at_its_seam(cycle) == "not"
    around = np.concatenate((cycle, cycle[:, :2]), axis=1)
    inside = np.abs(np.diff(cycle, 2, axis=1)).max()
    assert np.abs(np.diff(around[:, -5:], 2, axis=1)).max() <= inside
    # Its lowest strong partial is the tonic, whatever the octave.
    spectrum = np.abs(np.fft.rfft(cycle[0]))
    strongest = np.argmax(spectrum) / TONE_S
    pitch = 12 * np.log2(strongest / 261.6256)
    assert min((pitch - tonic) % 12, -(pitch - tonic) % 12) < 0.2


def test_the_seam_of_a_stem_is_not_heard_after_its_crossfade():
    noise = np.random.default_rng(3).normal(0, 0.1, (1, 10 * RATE)).astype(np.float32)
    cycle = looped(noise, RATE)
    assert cycle.shape[1] == 8 * RATE
    assert heard_at_its_seam(cycle) == "not"
    # Equal power: as loud in the crossfade as elsewhere.
    assert level(cycle[0], RATE, RATE) == pytest.approx(level(cycle[0], 4 * RATE, RATE), rel=0.02)
