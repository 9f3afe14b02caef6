"""Recordings with known beats: found to the millisecond, followed where they breathe, and doubted where there is no beat."""

import json
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from material import write_wav

from upbeat.cli import main
from upbeat.errors import Refused
from upbeat.listening.follow.align import beats_per_bar, listen
from upbeat.listening.follow.fit import Moments, pieces, smooth, straight
from upbeat.listening.follow.novelty import RATE
from upbeat.listening.follow.result import align, tempo_map
from upbeat.time.meter import TimeSignature

CHORDS = ((0, 4, 7), (5, 9, 12), (7, 11, 14), (9, 12, 16))


def played(beats, per_bar=4, drums=True, seed=1, tail=3.0, jitter=0.0, snare=(1, 3), eighths=True):
    """A band on known beats: bass drum on the first and third, snare, cymbals between, a chord to each bar."""
    rng = np.random.default_rng(seed)
    line = np.zeros(int((beats[-1] + tail) * RATE), np.float32)

    def put(at, sound):
        first = round((at + jitter * rng.standard_normal()) * RATE)
        if 0 <= first < len(line):
            part = sound[: len(line) - first]
            line[first : first + len(part)] += part.astype(np.float32)

    t = np.arange(RATE // 3) / RATE
    kick = 0.8 * np.sin(2 * np.pi * (50 + 60 * np.exp(-t * 60)) * t) * np.exp(-t * 14)
    noise = rng.standard_normal(len(t))
    crack, hat = 0.4 * noise * np.exp(-t * 25), 0.12 * np.diff(noise, prepend=0) * np.exp(-t * 80)
    lengths = np.append(np.diff(beats), np.diff(beats)[-1])
    for i, (at, length) in enumerate(zip(beats, lengths, strict=True)):
        last = i == len(beats) - 1
        place = i % per_bar
        if drums:
            put(at, crack if place in snare and not last else kick)
            if eighths and not last:
                put(at, hat)
                put(at + length / 2, hat)
        if place == 0:
            u = np.arange(int(per_bar * length * RATE)) / RATE
            chord = sum(np.sin(2 * np.pi * 220 * 2 ** (n / 12) * u) for n in CHORDS[(i // per_bar) % 4])
            put(at, 0.06 * chord * np.minimum(1, u / 0.005) * np.exp(-u))
    return line


def steady(bpm, bars, start=1.234, per_bar=4):
    return start + np.arange(bars * per_bar + 1) * 60 / bpm


def agree(found, truth, within=0.02):
    """F-measure of beats within a distance (Davies, Degara and Plumbley, 2009)."""
    left, hits = list(truth), 0
    for b in found:
        near = [t for t in left if abs(t - b) <= within]
        if near:
            left.remove(min(near, key=lambda t: abs(t - b)))
            hits += 1
    return 2 * hits / (len(found) + len(truth))


FOUR = TimeSignature(4, 4)


@pytest.mark.parametrize(("bpm", "typed"), [(112, 112), (93.37, 93.37), (118, 117.6), (138.51, 137), (61.3, 62)])
def test_one_tempo_is_found_with_its_first_bar(bpm, typed):
    truth = steady(bpm, 24)
    found = listen(played(truth), typed, FOUR)
    assert found.steady
    assert found.bpm == pytest.approx(bpm, abs=0.01)
    assert found.offset_s == pytest.approx(truth[0], abs=0.002)
    assert agree(found.beats, truth) == 1
    assert found.downbeats == pytest.approx(truth[::4], abs=0.002)
    assert found.confidence > 0.8


def test_a_typed_half_or_double_is_noticed_and_a_slow_feel_is_not_one():
    fast, slow = steady(152, 30), steady(71, 16)
    assert listen(played(fast), 76, FOUR).typed_factor == 2
    assert listen(played(slow), 142, FOUR).typed_factor == 0.5
    lazy = listen(played(steady(138, 30), snare=(2,)), 138, FOUR)
    assert (lazy.typed_factor, round(lazy.bpm)) == (1, 138)


@pytest.mark.parametrize(
    ("meter", "bpm", "snare"), [("3/4", 138, (2,)), ("5/4", 126, (3,)), ("6/8", 92, (1,)), ("7/8", 252, (2, 4))]
)
def test_other_metres(meter, bpm, snare):
    signature = TimeSignature.parse(meter)
    per_bar = beats_per_bar(signature)
    truth = steady(bpm, 24, per_bar=per_bar)
    found = listen(played(truth, per_bar, snare=snare, eighths=bpm < 200), bpm, signature)
    assert agree(found.beats, truth) > 0.98
    assert agree(found.downbeats, truth[::per_bar], 0.07) > 0.97


def test_a_pickup_is_counted_before_bar_one():
    truth = steady(120, 20, start=2.0)
    band = played(truth)
    at = round((2.0 - 0.5) * RATE)
    t = np.arange(RATE // 2) / RATE
    band[at : at + len(t)] += (0.1 * np.sin(2 * np.pi * 440 * t) * np.minimum(1, t / 0.01)).astype(np.float32)
    found = listen(band, 120, FOUR, pickup=1)
    assert found.offset_s == pytest.approx(2.0, abs=0.003)
    assert found.beats[0] == pytest.approx(1.5, abs=0.003)


def test_players_who_breathe_are_followed_beat_by_beat():
    rng = np.random.default_rng(4)
    tempo = 104 * np.exp(np.cumsum(rng.normal(0, 0.004, 140)))
    truth = 1.1 + np.concatenate(([0], np.cumsum(60 / tempo)))
    found = listen(played(truth, jitter=0.004), 104, FOUR)
    assert not found.steady
    assert agree(found.beats, truth) > 0.97
    assert agree(found.downbeats, truth[::4], 0.07) > 0.97


def test_a_sudden_tempo_and_a_slowing_end():
    jump = np.concatenate((1.0 + np.arange(64) * 60 / 108, 1.0 + 64 * 60 / 108 + np.arange(81) * 60 / 126))
    found = listen(played(jump), 108, FOUR)
    assert agree(found.beats, jump) == 1
    assert [(i, round(t, 2)) for i, t in found.steps] == [(0, 108.0), (64, 126.0)]
    assert [(e["bar"], e["beat"], round(e["bpm"], 1)) for e in tempo_map(found)] == [(1, 1, 108.0), (17, 1, 126.0)]
    lengths = np.concatenate((np.full(72, 60 / 84), 60 / np.linspace(84, 52, 16)))
    rit = 1.5 + np.concatenate(([0], np.cumsum(lengths)))
    assert agree(listen(played(rit), 84, FOUR).beats, rit) > 0.95


def test_noise_and_bumps_before_the_music_are_not_bar_one():
    truth = steady(124, 24, start=5.431)
    band = played(truth)
    rng = np.random.default_rng(2)
    band += 0.003 * rng.standard_normal(len(band)).astype(np.float32)
    for at in (1.1, 3.02):
        band[int(at * RATE) : int(at * RATE) + 2000] += (
            0.5 * rng.standard_normal(2000) * np.exp(-np.arange(2000) / 300)
        ).astype(np.float32)
    assert listen(band, 124, FOUR).offset_s == pytest.approx(5.431, abs=0.003)


def test_what_has_no_beat_is_doubted_and_what_is_nothing_is_refused(tmp_path):
    rng = np.random.default_rng(3)
    noise = write_wav(tmp_path / "noise.wav", (0.1 * rng.standard_normal(40 * RATE)).astype(np.float32), RATE)
    answer = align(noise, "110", FOUR)
    assert answer["confidence"] < 0.35
    assert [p["code"] for p in answer["problems"]] == ["align-unsure"]
    assert "sure" in answer["proposal"]
    for name, sound, said in (
        ("silent", np.zeros(20 * RATE), "is silent"),
        ("short", 0.1 * rng.standard_normal(RATE), "1.0 s long"),
    ):
        with pytest.raises(Refused, match=said):
            align(write_wav(tmp_path / f"{name}.wav", sound.astype(np.float32), RATE), "110", FOUR)


def test_ten_seconds_are_enough_and_hours_are_refused(tmp_path):
    truth = steady(120, 4, start=0.5)
    assert align(write_wav(tmp_path / "ten.wav", played(truth, tail=1.0), RATE), "120", FOUR)["bpm"] == pytest.approx(
        120, abs=0.05
    )
    with pytest.raises(Refused, match="hours long"):
        align(write_wav(tmp_path / "long.wav", np.zeros(8000 * 3 * 3600 // 5, np.int16), 8000, np.int16), "120", FOUR)


@pytest.mark.parametrize(
    ("args", "said"),
    [
        (["--bpm", "0"], "cannot be played"),
        (["--bpm", "1e9"], "cannot be played"),
        (["--bpm", "fast"], "not a tempo"),
        (["--bpm", "120", "--meter", "0/4"], "metre"),
        (["--bpm", "120", "--meter", "7/8", "--grouping", "2+2"], "add up"),
        (["--bpm", "120", "--pickup", "99"], "pickup of 99"),
    ],
)
def test_wrong_figures_get_a_sentence(tmp_path, capsys, args, said):
    path = write_wav(tmp_path / "x.wav", played(steady(120, 4)), RATE)
    assert main(["align", str(path), *args, "--json"]) == 1
    answer = json.loads(capsys.readouterr().out)
    assert not answer["ok"]
    assert said in answer["problems"][0]["message"]


def test_the_command_tells_all_that_its_page_names(tmp_path, capsys):
    truth = steady(118, 24)
    path = write_wav(tmp_path / "x.wav", played(truth), RATE)
    assert main(["align", str(path), "--bpm", "117.6", "--meter", "4/4", "--follow", "--json"]) == 0
    answer = json.loads(capsys.readouterr().out)
    assert answer["ok"]
    assert {
        "bpm",
        "offset_s",
        "drift_ms_per_min",
        "confidence",
        "beats_s",
        "downbeats_s",
        "tempo_map",
        "proposal",
    } <= set(answer)
    assert answer["drift_ms_per_min"] == pytest.approx((117.6 / 118 - 1) * 60_000, abs=2)
    assert "set 118.00 and put bar 1 at 1.23" in answer["proposal"]
    assert answer["tempo_map"] == [{"bar": 1, "beat": 1, "bpm": answer["bpm"]}]


# --- fits


@given(st.floats(0, 20), st.floats(0.2, 1.5), st.integers(32, 200), st.integers(0, 2**31))
@settings(max_examples=60)
def test_a_straight_fit_is_not_led_astray_by_wrong_moments(start, period, count, seed):
    rng = np.random.default_rng(seed)
    k = np.arange(count, dtype=float)
    seconds = start + period * k
    wrong = rng.random(count) < 0.2
    seconds = seconds + np.where(wrong, rng.uniform(-0.03, 0.03, count), rng.normal(0, 0.0005, count))
    line = straight(k, Moments(seconds, np.ones(count)))
    assert abs(line.start - start) < 0.003
    assert abs(line.period - period) * count < 0.006


@given(st.integers(20, 300), st.floats(0.3, 1.0), st.floats(0, 0.03), st.integers(0, 2**31))
@settings(max_examples=40)
def test_a_curve_stays_near_what_was_heard_and_in_order(count, period, sway, seed):
    rng = np.random.default_rng(seed)
    truth = np.cumsum(period * (1 + sway * np.sin(np.arange(count) / 9)))
    moments = Moments(truth + rng.normal(0, 0.002, count), (rng.random(count) > 0.3).astype(float))
    curve = smooth(moments, truth + rng.normal(0, 0.005, count))
    assert all(b > a for a, b in pairwise(curve))
    assert np.median(np.abs(curve - truth)) < 0.004


def test_pieces_are_found_where_the_tempo_jumps():
    seconds = np.concatenate((np.arange(40) * 0.5, 20 + np.arange(50) * 0.43))
    found = pieces(Moments(seconds, np.ones(90)))
    assert [(a, round(line.period, 3)) for a, _, line in found] == [(0, 0.5), (40, 0.43)]


def test_a_grid_with_changes_of_metre_is_laid_on_what_is_played():
    from upbeat.listening.follow.warp import along_grid

    # Eight bars of four at 120, eight of three, eight of four; played 40 ms late and 0.4 % slower.
    counts = [4] * 8 + [3] * 8 + [4] * 8
    beats = 1.0 + np.arange(sum(counts)) * 0.5
    opens = np.zeros(len(beats), bool)
    opens[np.concatenate(([0], np.cumsum(counts)[:-1]))] = True
    truth = 1.04 + (beats - 1.0) * 1.004
    found, stretch = along_grid(played(truth), beats, opens, 120)
    assert stretch == pytest.approx(1.004, abs=2e-5)
    assert found.offset_s == pytest.approx(1.04, abs=0.002)
    assert found.beats == pytest.approx(truth[opens], abs=0.003)
    assert found.bpm == pytest.approx(120 / 1.004, abs=0.01)
