"""Reading sound without trust, preparing it, measuring it."""

import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from material import RATE, write_wav
from scipy import ndimage, signal

from upbeat.audio.pcm import WavWriter, map_pcm, open_prepared
from upbeat.audio.peaks import BASE, PeakBuilder, envelope, peaks_level
from upbeat.audio.prepare import prepare
from upbeat.errors import Refused
from upbeat.listening.inspect import inspect

DATA = Path(__file__).parent / "data"
BAD = json.loads((DATA / "bad" / "expected.json").read_text())["files"]
LOUD = json.loads((DATA / "loudness" / "expected.json").read_text())["files"]


@pytest.mark.parametrize("case", [c for c in BAD if (DATA / "bad" / c["file"]).exists()], ids=lambda c: c["file"])
def test_awkward_files_are_taken_or_refused_with_a_sentence(case):
    try:
        answer = inspect(DATA / "bad" / case["file"])
    except Refused as refused:
        assert case["expect"] in ("reject", "either"), refused
        assert all(p.message.endswith((".", "?")) and case["file"] in p.message for p in refused.problems)
        return
    assert case["expect"] in ("accept", "either") or case.get("policy")
    facts = case.get("facts", {})
    assert answer["sample_rate"] == facts.get("sample_rate", answer["sample_rate"])
    assert answer["channels"] == facts.get("channels", answer["channels"])
    assert abs(answer["frames"] - facts.get("frames", answer["frames"])) <= facts.get(
        "frames_tolerance", case.get("frames_tolerance", 0)
    )


@pytest.mark.parametrize("case", [c for c in LOUD if (DATA / "loudness" / c["file"]).exists()], ids=lambda c: c["file"])
def test_loudness_and_true_peak(case):
    answer = inspect(DATA / "loudness" / case["file"])
    wanted, peak = case["loudness"]["integrated_lufs"], case["loudness"]["true_peak_dbtp"]
    if wanted is None:
        assert answer["integrated_lufs"] is None
    else:
        assert answer["integrated_lufs"] == pytest.approx(wanted, abs=0.1)
    if peak is not None:
        assert -0.4 <= answer["true_peak_dbtp"] - peak <= 0.2


def sixteen_fold(sound: np.ndarray) -> float:
    """Greatest value at sixteen times the rate, in dB: 128 samples to each side under a Kaiser window, in float64."""
    taps = signal.firwin(16 * 256 + 1, 1 / 16, window=("kaiser", 8.0)) * 16
    return 20 * np.log10(np.abs(signal.upfirdn(taps, sound.astype(np.float64), 16)).max())


def limited(noise: np.ndarray) -> np.ndarray:
    """Noise held under full scale by a gain that follows its peaks, then by force."""
    peaks = ndimage.maximum_filter1d(np.abs(noise), 64)
    return np.clip(noise / np.maximum(1, ndimage.uniform_filter1d(peaks, 64)), -1, 1)


def up_to(share: float):
    """A low-pass at ``share`` of the band."""
    sections = signal.butter(8, share, output="sos")
    return lambda noise: signal.sosfilt(sections, noise) / np.abs(signal.sosfilt(sections, noise)).max()


@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
@pytest.mark.parametrize(
    "made",
    [
        pytest.param(lambda noise: np.clip(noise * 0.7, -1, 1), id="clipped"),
        pytest.param(limited, id="limited"),
        pytest.param(up_to(0.5), id="half the band"),
        pytest.param(up_to(0.95), id="most of the band"),
        pytest.param(lambda noise: np.clip(up_to(0.95)(noise) * 4, -1, 1), id="most of the band, clipped"),
    ],
)
def test_true_peak_is_what_sixteen_times_oversampling_finds(tmp_path, made, rate):
    noise = np.random.default_rng(rate).standard_normal(4 * rate)
    sound = made(noise).astype(np.float32)
    sound[:400] = sound[-400:] = 0  # neither looks past the ends
    found = inspect(write_wav(tmp_path / "n.wav", sound, rate))["true_peak_dbtp"]
    assert -0.4 <= found - sixteen_fold(sound) <= 0.2


@pytest.mark.parametrize("cut", [0, 3, 11, 40, 100, 1000, 20_000])
def test_a_file_cut_at_any_byte_is_never_half_taken(tmp_path, cut):
    whole = write_wav(tmp_path / "whole.wav", np.sin(np.arange(12_000) / 20).astype(np.float32) * 0.3)
    part = tmp_path / "part.wav"
    part.write_bytes(whole.read_bytes()[:cut])
    with pytest.raises(Refused, match=r"part\.wav"):
        inspect(part)


@settings(max_examples=150)
@given(
    st.binary(max_size=600),
    st.sampled_from(
        [
            b"",
            b"RIFF\xff\xff\xff\x7fWAVE",
            b"FORM\0\0\1\0AIFF",
            b"OggS",
            b"fLaC\0\0\0\x22",
            b"ID3\x04\0\0",
            b"\xff\xfb\x90\0",
        ]
    ),
)
def test_no_bytes_whatever_make_the_reader_fall_over(tmp_path_factory, body, head):
    path = tmp_path_factory.mktemp("fuzz") / "x.wav"
    path.write_bytes(head + body)
    try:
        inspect(path)
    except Refused as refused:
        assert "x.wav" in str(refused)


def test_16_bit_sound_at_the_right_rate_stays_bit_for_bit(tmp_path):
    sound = np.random.default_rng(1).integers(-32768, 32767, (40_000, 2)).astype(np.int16)
    with WavWriter(tmp_path / "in.wav", RATE, 2, np.int16) as writer:
        writer.write(sound)
    made = prepare(tmp_path / "in.wav", tmp_path / "out.wav", RATE)
    assert (made.dtype, made.frames) == ("int16", 40_000)
    assert np.array_equal(open_prepared(tmp_path / "out.wav", RATE), sound)


def test_another_rate_is_resampled_in_place_in_time(tmp_path):
    click = np.zeros(88_200, np.float32)
    click[44_100] = 0.9
    made = prepare(write_wav(tmp_path / "in.wav", click, 44_100), tmp_path / "out.wav", RATE)
    assert made.frames == 96_000
    assert int(np.abs(open_prepared(tmp_path / "out.wav", RATE)[:, 0]).argmax()) == RATE


def test_a_long_recording_becomes_rf64(tmp_path, monkeypatch):
    path = tmp_path / "long.wav"
    with WavWriter(path, RATE, 64) as writer:
        writer.write(np.ones((100, 64), np.float32))
        # The header of 5 GB of sound, without writing it.
        writer.frames = 5 * (1 << 30) // 256
        assert writer._header()[:4] == b"RF64"
        writer.frames = 100
    mapped, rate = map_pcm(path)
    assert (mapped.shape, rate) == ((100, 64), RATE)


@settings(max_examples=60)
@given(st.lists(st.integers(1, 3000), min_size=1, max_size=8), st.integers(1, 2))
def test_peaks_enclose_the_sound_whatever_the_blocks(sizes, channels):
    sound = np.random.default_rng(sum(sizes)).uniform(-1, 1, (channels, sum(sizes))).astype(np.float32)
    builder, at = PeakBuilder(), 0
    for n in sizes:
        builder.push(np.ascontiguousarray(sound[:, at : at + n]))
        at += n
    peaks = builder.result()
    assert len(peaks) == -(-at // BASE)
    for i, (low, high) in enumerate(peaks):
        part = sound[:, i * BASE : (i + 1) * BASE]
        assert low / 127 <= part.min() + 1e-6
        assert high / 127 >= part.max() - 1e-6
        assert high - part.max() * 127 <= 1.001
    assert np.array_equal(peaks_level(peaks, 1)[0], [peaks[:2, 0].min(), peaks[:2, 1].max()])


def test_envelope_follows_edges():
    base = np.array([[-10, 5], [-127, 3], [0, 64]], dtype=np.int8)
    assert envelope(base, np.array([0, 256, 512, 768])).tolist() == pytest.approx([10 / 127, 1, 64 / 127])


def test_ends_are_told_apart(tmp_path):
    t = np.arange(20 * RATE) / RATE
    tone = (0.3 * np.sin(2 * np.pi * 220 * t)).astype(np.float32)
    clean = tone.copy()
    clean[-2 * RATE :] = 0
    fade = tone * np.minimum(1, (20 - t) / 12).astype(np.float32) ** 2
    ends = {
        name: inspect(write_wav(tmp_path / f"{name}.wav", s))["end"]
        for name, s in {"cut": tone, "clean": clean, "fades": fade, "silent": 0 * tone}.items()
    }
    assert ends == {"cut": "cut", "clean": "clean", "fades": "fades", "silent": "silent"}


def test_figures_of_a_known_stem(tmp_path):
    t = np.arange(4 * RATE) / RATE
    left = 0.5 * np.sin(2 * np.pi * 997 * t)
    answer = inspect(write_wav(tmp_path / "x.wav", np.stack((left + 0.042, -left + 0.042), axis=1).astype(np.float32)))
    assert answer["dc_offset"] == pytest.approx(0.042, abs=1e-4)
    assert answer["mono_loss_db"] > 15
    clipped = inspect(write_wav(tmp_path / "c.wav", np.clip(3 * left, -1, 1).astype(np.float32)))
    assert clipped["clipped_frames"] > RATE
    assert {"side-inverted", "dc-offset"} <= {p["code"] for p in answer["problems"]}
