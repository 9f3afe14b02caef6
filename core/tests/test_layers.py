"""Rule V3: a loop under a song. What is laid is looked for in the samples."""

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from material import RATE, ready, show, song, write_wav

from upbeat.errors import Refused
from upbeat.mix.laid import laid
from upbeat.show.bounce import play
from upbeat.show.document import read_song
from upbeat.song.layers import PACES, Layer
from upbeat.song.laying import stretches
from upbeat.time.meter import TimeSignature

METERS = ("2/4", "3/4", "4/4", "5/4", "6/8", "7/8", "12/8")


def layer(meter="4/4", bpm="100", bars=1, **changes):
    return Layer(meter=TimeSignature.parse(meter), bpm=Fraction(bpm), bars=bars, **changes)


def at_quarters(of, *places):
    """Seconds at which quarter notes of a loop are, to the nearest frame."""
    return tuple(round(float(Fraction(p) * 60 / of.bpm) * RATE) / RATE for p in places)


def pulses(of, *places, heights=None):
    """A loop that is silent but for one sample at each of some quarter notes, and the loop with these attacks."""
    sound = np.zeros((round(of.seconds * RATE), 1), np.float32)
    times = at_quarters(of, *places)
    for at, height in zip(times, heights or [0.5] * len(times), strict=True):
        sound[round(at * RATE)] = height
    return sound, Layer(meter=of.meter, bpm=of.bpm, bars=of.bars, pace=of.pace, attacks=times)


def heard(of, sound, core):
    """Frames at which something sounds, with how much."""
    whole = laid(of, core, sound, RATE)[0 : 10**9][:, 0]
    return {int(i): round(float(whole[i]), 6) for i in np.flatnonzero(whole)}


def song_of(meters=(("4/4", 1),), tempo=(("120", 1),), sections=(4, 4), bar1_s="0.5"):
    return read_song(
        song(
            meters=[{"bar": bar, "meter": m} for m, bar in meters],
            tempo=[{"bar": t[1], "bpm": t[0], "ramp": len(t) > 2} for t in tempo],
            sections=[{"id": f"s{i}", "name": f"Part {i}", "bars": n} for i, n in enumerate(sections)],
            bar1_s=bar1_s,
        )
    )


@st.composite
def songs(draw):
    bars = draw(st.lists(st.integers(1, 6), min_size=1, max_size=4))
    changes = sorted({1, *draw(st.lists(st.integers(1, sum(bars)), max_size=3))})
    tempos = sorted({1, *draw(st.lists(st.integers(1, sum(bars)), max_size=3))})
    bpm = st.decimals(50, 220, places=3).map(str)
    return song_of(
        meters=[(draw(st.sampled_from(METERS)), bar) for bar in changes],
        tempo=[(draw(bpm), bar, *(["ramp"] if draw(st.booleans()) else [])) for bar in tempos],
        sections=bars,
        bar1_s=draw(st.sampled_from(["0", "0.3337", "2"])),
    )


@settings(max_examples=60)
@given(
    songs(), st.sampled_from(METERS), st.decimals(60, 200, places=2).map(str), st.integers(1, 4), st.sampled_from(PACES)
)
def test_the_bar_line_of_a_loop_lies_on_the_bar_line_of_the_song_to_the_frame(core, meter, bpm, bars, pace):
    """Of every bar of the song where the loop's bar begins: of every one, unless a bar of the loop holds several."""
    of = layer(meter, bpm, bars, pace=pace)
    sound, of = pulses(of, *(n * of.meter.quarters for n in range(bars)))
    found = heard(of, sound, core)
    lines = core.grid.bar_lines(range(core.total_bars), RATE)
    firsts = [1]
    for section in core.sections:
        firsts.append(firsts[-1] + section.bars)
    for bar, line in enumerate(lines, 1):
        several = (of.meter.quarters / (core.grid.meters.at_bar(bar).quarters * pace)).denominator == 1
        if bar in firsts[:-1] or not several or of.meter.quarters == core.grid.meters.at_bar(bar).quarters * pace:
            assert line in found, (bar, line, sorted(found))
    # And of nothing else but the loop's own bar lines within a bar.
    begins = [s.position for s in stretches(of, core) if s.loop % of.meter.quarters == 0]
    assert set(found) == set(core.grid.frames(begins, RATE))


@settings(max_examples=30)
@given(songs(), st.lists(st.integers(0, 31), min_size=1, max_size=12, unique=True), st.sampled_from(PACES), st.data())
def test_every_attack_is_in_its_place_however_it_is_read(core, sixteenths, pace, data):
    sound, of = pulses(layer(bars=2, pace=pace), *(Fraction(n, 4) for n in sorted(sixteenths)))
    pcm = laid(of, core, sound, RATE)
    whole = pcm[0 : len(pcm)]
    expected = [
        s.position + (Fraction(n, 4) - s.loop) / pace
        for s in stretches(of, core)
        for n in sixteenths
        if s.loop <= Fraction(n, 4) < s.loop + s.length * pace
    ]
    assert set(np.flatnonzero(whole[:, 0])) == set(core.grid.frames(expected, RATE))
    a = data.draw(st.integers(0, len(pcm)))
    b = data.draw(st.integers(a, min(len(pcm), a + 5000)))
    assert np.array_equal(pcm[a:b], whole[a:b])


def test_at_its_own_tempo_a_loop_is_itself_round_and_round():
    chance = np.random.default_rng(5)
    of = layer(bpm="120", bars=2, attacks=tuple(n * 0.25 for n in range(16)))
    sound = chance.uniform(-0.3, 0.3, (4 * RATE, 2)).astype(np.float32)
    core = song_of(sections=(4, 4), bar1_s="0")
    whole = laid(of, core, sound, RATE)[0 : 16 * RATE]
    expected = np.concatenate([sound] * 4)
    # The end of the last round gives way over the last three milliseconds.
    assert np.abs(whole - expected[: len(whole)])[: -RATE // 100].max() < 1e-6


def counted_out(meter, song_meter, beats, pace=Fraction(1)):
    """Which beats of a loop are heard, by number, in the two bars of a song."""
    of = layer(meter, pace=pace)
    unit = of.meter.unit
    sound, of = pulses(of, *(n * unit for n in range(beats)), heights=[(n + 1) / 16 for n in range(beats)])
    core = song_of(meters=[(song_meter, 1)], sections=(2,))
    found = heard(of, sound, core)
    return "".join(f"{round(16 * height):x}" for _, height in sorted(found.items()))


@pytest.mark.parametrize(
    ("meter", "song_meter", "beats", "is_heard"),
    [
        ("4/4", "4/4", 4, "12341234"),
        ("4/4", "3/4", 4, "123123"),  # cut
        ("3/4", "4/4", 3, "12321232"),  # filled after its first beat
        ("2/4", "4/4", 2, "12121212"),
        ("4/4", "2/4", 4, "1234"),  # over two bars
        ("6/8", "3/4", 6, "123456123456"),
        ("6/8", "7/8", 6, "1234564123456" + "4"),  # after its first beat of three
        ("7/8", "6/8", 7, "123456123456"),
        ("10/8", "7/8", 10, "12345671234567"),
        ("6/8", "12/8", 6, "123456123456123456123456"),
    ],
)
def test_another_metre_is_cut_or_filled_by_rules(meter, song_meter, beats, is_heard):
    assert counted_out(meter, song_meter, beats) == is_heard


def test_half_and_double_time():
    assert counted_out("4/4", "4/4", 4, Fraction(2)) == "1234" * 4
    assert counted_out("4/4", "4/4", 4, Fraction(1, 2)) == "1234"


def test_a_loop_begins_anew_with_every_section():
    sound, of = pulses(layer(bars=4), 0, 4, 8, 12, heights=[0.1, 0.2, 0.3, 0.4])
    found = heard(of, sound, song_of(sections=(3, 2)))
    assert [height for _, height in sorted(found.items())] == [0.1, 0.2, 0.3, 0.1, 0.2]


def test_a_tonal_loop_is_stretched_and_its_attacks_are_on_the_beats():
    of = layer(bpm="100", bars=2, kind="tonal", semitones=3)
    t = np.arange(round(of.seconds * RATE)) / RATE
    sound = 0.2 * np.sin(2 * np.pi * 220 * t)
    chance = np.random.default_rng(2)
    beat = round(0.6 * RATE)
    for n in range(8):
        sound[n * beat : n * beat + 480] += 0.5 * np.exp(-np.arange(480) / 100) * chance.normal(size=480)
    core = song_of(tempo=[("110", 1), ("84", 3)], sections=(4,))
    pcm = laid(of, core, sound[:, None].astype(np.float32), RATE)
    whole = pcm[0 : len(pcm)][:, 0]
    assert len(pcm) == core.grid.bar_lines([4], RATE)[0]
    high = np.abs(np.diff(whole, n=2))
    beats = core.grid.frames([Fraction(n) for n in range(1, 16)], RATE)
    off = [int(np.argmax(high[b - 240 : b + 240] > 0.1 * high[b - 240 : b + 240].max())) - 240 for b in beats]
    assert np.abs(off).max() <= 0.002 * RATE
    # The tone between two beats, a minor third higher.
    a = beats[9] + 4000
    spectrum = np.abs(np.fft.rfft(whole[a : a + 16384] * np.hanning(16384)))
    assert abs(np.argmax(spectrum) * RATE / 16384 - 220 * 2 ** (3 / 12)) < 3
    assert np.array_equal(pcm[1000:300_000], pcm[0:300_000][1000:])


def test_a_held_loop_goes_round_without_a_step():
    t = np.arange(6 * RATE) / RATE
    sound = np.stack([0.3 * np.sin(2 * np.pi * 110 * t), 0.3 * np.cos(2 * np.pi * 165 * t)], axis=1).astype(np.float32)
    core = song_of(tempo=[("133", 1)], sections=(8, 8), bar1_s="1")
    for semitones in (0, -2):
        pcm = laid(layer(kind="held", semitones=semitones), core, sound, RATE)
        whole = pcm[0 : len(pcm)]
        first, last = core.grid.bar_lines([0, 16], RATE)
        assert not whole[:first].any()
        assert len(pcm) == last
        step = np.abs(np.diff(whole[first + 1 :], axis=0)).max()
        assert step < 1.6 * np.abs(np.diff(sound, axis=0)).max()


def test_a_layer_is_a_stem_of_the_song_in_every_section_and_at_another_tempo(tmp_path):
    of = layer(bpm="120")
    sound, of = pulses(of, 1)
    write_wav(tmp_path / "tick.wav", sound)
    stem = {
        "id": "t",
        "name": "Ticks",
        "file": "tick.wav",
        "group": "rhythm",
        "pan": -1,
        "tacet": ["b"],
        "layer": {"kind": "struck", "bars": 1, "meter": "4/4", "bpm": "120", "attacks": [0.5]},
    }
    document = show(song(stems=[stem]))
    for percent in (100, 80):
        document["entries"][0]["tempo_percent"] = percent
        blocks = []
        play(ready(document, tmp_path), None, lambda block: blocks.append(block.copy()))
        bar = round(2 * RATE * 100 / percent)
        found = np.flatnonzero(np.abs(np.concatenate(blocks, axis=1)[0]) > 0.1)
        expected = [n * bar for n in (0, 1, 2, 6, 7)]
        assert list(found - found[0]) == expected


def test_what_is_no_loop_is_refused_in_a_sentence():
    for changes, said in (
        ({"bars": 0}, "whole bars"),
        ({"bpm": "10"}, "quarter notes a minute"),
        ({"semitones": 12}, "semitones"),
        ({"pace": Fraction(3)}, "half time"),
    ):
        with pytest.raises(Refused, match=said):
            layer(**changes)
    assert layer(kind="tonal", semitones=5).moved(4).semitones == -3
    assert layer(kind="struck").moved(4).semitones == 0
