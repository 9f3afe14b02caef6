"""Planted flaws are found and nothing else is; mends are heard in the samples and nowhere else."""

from dataclasses import asdict, replace

import numpy as np
import pytest
from material import RATE, ready, show, song, write_wav

from upbeat.listening.comparing import Compared, compare
from upbeat.listening.findings import Heard, as_heard, findings
from upbeat.listening.groups import group_by_sound
from upbeat.listening.inspect import measure_file
from upbeat.listening.trace import TRACE_RATE, trace_file
from upbeat.show.bounce import rehearse
from upbeat.show.examine import inspect_folder
from upbeat.song.stems import Stem

SECONDS = 48
rng = np.random.default_rng(7)


def hits(times, make, seconds=SECONDS):
    sound = np.zeros(int(seconds * RATE), np.float32)
    for t in times:
        one = make()
        at = int(t * RATE)
        sound[at : at + len(one)] += one[: max(0, len(sound) - at)]
    return sound


def note(hz, length=0.4, level=0.2, attack=0.004):
    level *= 0.6
    t = np.arange(int(length * RATE)) / RATE
    return (
        level
        * np.minimum(1, t / attack)
        * np.exp(-4 * t / length)
        * sum(np.sin(2 * np.pi * hz * k * t) / k for k in (1, 2, 3))
    ).astype(np.float32)


def drum():
    t = np.arange(int(0.15 * RATE)) / RATE
    return (0.12 * np.exp(-t / 0.02) * rng.standard_normal(len(t))).astype(np.float32)


def music():
    """Five stems of a song at 120, each ending well before the file does."""
    beats = np.arange(0.5, SECONDS - 3, 0.5)
    scale = (220, 247, 262, 294, 330, 349, 392)
    stems = {
        "Drums": hits(beats, drum),
        "Bass": hits(beats[::2], lambda: note(rng.choice((55, 62, 73, 82)), 0.8, 0.25)),
        "Keys": hits(beats + 0.25, lambda: note(rng.choice(scale), 0.5, 0.1)),
        "Guitar": hits(beats[1::4], lambda: note(rng.choice(scale) * 1.5, 1.2, 0.12, 0.01)),
        "Choir": hits(beats[2::8], lambda: note(rng.choice(scale) * 2, 3.0, 0.08, 0.2)),
    }
    return {k: np.stack((v, 0.8 * v), axis=1) for k, v in stems.items()}


CLEAN = music()
MIX = sum(CLEAN.values())


def late(x, ms):
    n = round(ms * RATE / 1000)
    return (
        np.vstack((np.zeros((n, 2), np.float32), x))[: len(x)]
        if n > 0
        else np.vstack((x[-n:], np.zeros((-n, 2), np.float32)))
    )


def fade(x, seconds):
    n = int(seconds * RATE)
    return np.vstack((x[:-n], x[-n:] * np.linspace(1, 0, n, dtype=np.float32)[:, None]))


def loud(x, db):
    return x * np.float32(10 ** (db / 20))


def answer(folder, stems, mix=MIX, rate=RATE):
    folder.mkdir(exist_ok=True)
    for name, sound in stems.items():
        write_wav(folder / f"{name}.wav", sound, rate, np.int16)
    if mix is not None:
        write_wav(folder / "Full mix.wav", mix, rate, np.int16)
    return {(f["file"].removesuffix(".wav"), f["code"]): f for f in inspect_folder(folder)["findings"]}


def test_clean_stems_show_nothing_with_a_full_mix_and_without(tmp_path):
    assert answer(tmp_path / "a", CLEAN) == {}
    assert answer(tmp_path / "b", CLEAN, None) == {}


@pytest.mark.parametrize(
    ("name", "flaw", "code", "value", "within"),
    [
        ("Keys", lambda x: late(x, 12), "late", 12, 0.05),
        ("Choir", lambda x: late(x, 31.7), "late", 31.7, 0.05),
        ("Drums", lambda x: late(x, -4), "early", 4, 0.05),
        ("Guitar", lambda x: -x, "inverted", None, 0),
        ("Bass", lambda x: x * [1, -1], "side-inverted", None, 0),
        ("Guitar", lambda x: loud(x, 9), "loud", 9, 0.3),
        ("Keys", lambda x: loud(x, -8), "soft", -8, 0.3),
        ("Drums", lambda x: np.clip(loud(x, 16), -1, 0.99997), "clipped", None, 0),
        ("Choir", lambda x: 0 * x, "silent", None, 0),
        ("Bass", lambda x: x[: int(20.3 * RATE)], "cut-off", None, 0),
        ("Drums", lambda x: x[: -int(0.4 * RATE)], "shorter", 400, 1),
        ("Guitar", lambda x: x * [1, 0], "one-sided", 1, 0),
        ("Keys", lambda x: x + np.float32(0.08), "dc-offset", 0.08, 0.001),
        ("Keys", lambda x: x[:, :1], "mono", 1, 0),
        ("Drums", lambda x: fade(x, 9), "fades", 9, 1.0),
    ],
)
def test_one_flaw_is_found_with_its_figure_and_no_other(tmp_path, name, flaw, code, value, within):
    found = answer(tmp_path, {**CLEAN, name: flaw(CLEAN[name]).astype(np.float32)})
    assert set(found) == {(name, code)}
    one = found[name, code]
    assert f"“{name}”" in one["message"]
    assert one["message"].endswith(".")
    if value is not None:
        assert one["value"] == pytest.approx(value, abs=within)


def test_a_full_mix_that_fades_is_told_from_stems_that_do_not(tmp_path):
    assert set(answer(tmp_path, CLEAN, fade(MIX, 9))) == {("Full mix", "fades")}


def test_sum_click_and_copies_are_recognised_by_their_sound(tmp_path):
    click = hits(np.arange(0.5, SECONDS - 1, 0.5), lambda: note(1500, 0.03, 0.5, 0.001))
    found = answer(
        tmp_path, {**CLEAN, "Track 9": MIX, "Track 8": np.stack((click, click), axis=1), "Keys b": CLEAN["Keys"]}, None
    )
    assert set(found) == {("Track 9", "is-full-mix"), ("Track 8", "is-click"), ("Keys", "duplicate")}
    assert found["Track 8", "is-click"]["value"] == pytest.approx(120, abs=0.5)


def test_rate_and_depth_that_differ_are_noted(tmp_path):
    folder = tmp_path / "s"
    answer(folder, CLEAN)
    write_wav(folder / "Bass.wav", CLEAN["Bass"][::2], RATE // 2, np.float32)
    codes = {(f["file"], f["code"]) for f in inspect_folder(folder)["findings"]}
    assert codes == {("Bass.wav", "sample-rate"), ("Bass.wav", "bit-depth")}


def test_lateness_without_a_mix_is_said_only_where_it_is_plain(tmp_path):
    found = answer(tmp_path / "a", {**CLEAN, "Drums": late(CLEAN["Drums"], 80)}, None)
    assert set(found) <= {("Drums", "late")}
    assert found == {} or found["Drums", "late"]["sure"] <= 0.5
    assert answer(tmp_path / "b", {**CLEAN, "Choir": late(CLEAN["Choir"], 12)}, None) == {}


def test_groups_by_sound():
    traced = {k: v.mean(axis=1)[:: RATE // TRACE_RATE][None] for k, v in CLEAN.items()}
    assert [group_by_sound(traced[k])[0] for k in ("Drums", "Bass", "Keys", "Choir")] == [
        "rhythm",
        "rhythm",
        "tonal",
        "tonal",
    ]
    assert group_by_sound(np.zeros((1, 5000), np.float32))[1] == 0


def test_a_comparison_survives_being_kept_as_json():
    kept = [asdict(c) for c in compare([v.T[:, ::8] for v in CLEAN.values()], None)]
    assert [Compared(**k) for k in kept]


def test_a_mend_does_away_with_its_finding_and_says_so(tmp_path):
    path = write_wav(tmp_path / "a.wav", CLEAN["Bass"] * [1, -1], RATE, np.int16)
    one = Heard(stem=Stem(id="a", name="Bass", file="a.wav"), measured=measure_file(path))
    found = findings(as_heard([one], compare([trace_file(path)], None)))[0]
    mended = replace(one, stem=replace(one.stem, **found.mend.changes))
    assert [(f.code, f.mended) for f in findings([mended])] == [("side-inverted", True)]


# --- mends in the sound


def heard(tmp_path, sound, **settings):
    """What the house sockets get of one stem with these settings: (2, frames)."""
    folder = tmp_path / "show"
    folder.mkdir(exist_ok=True)
    write_wav(folder / "s.wav", sound)
    made = ready(show(song(stems=[{"id": "s", "name": "S", "file": "s.wav", "group": "tonal", **settings}])), folder)
    renderer, parts = made.renderer(), []
    spans, events = rehearse(made, None)
    for span in spans:
        out = np.zeros((renderer.rows, span.end - span.start), np.float32)
        renderer.render(span, out)
        parts.append(out[:2])
    start = next(e["frame"] for e in events if e["kind"] == "bar")
    return np.concatenate(parts, axis=1)[:, start:]


STEREO = np.stack((np.linspace(0.1, 0.5, 3 * RATE), np.linspace(-0.5, 0.2, 3 * RATE)), axis=1).astype(np.float32)


def test_flip_sum_trim_fade_and_shift_do_what_they_say_to_the_frame(tmp_path):
    plain = heard(tmp_path, STEREO)
    n = 3 * RATE
    assert np.allclose(plain[:, 480:n], STEREO.T[:, 480:], atol=1e-6)
    flipped = heard(tmp_path, STEREO, flip_side=True)
    assert np.allclose(flipped[0], plain[0], atol=1e-6)
    assert np.allclose(flipped[1], -plain[1], atol=1e-6)
    summed = heard(tmp_path, STEREO, mono=True)
    assert np.allclose(summed[0], summed[1], atol=1e-6)
    assert np.allclose(summed[0], plain.mean(axis=0), atol=1e-6)
    shifted = heard(tmp_path, STEREO, delay_ms=-10)
    assert np.allclose(shifted[:, 480 : n - 480], plain[:, 960:n], atol=1e-6)
    trimmed = heard(tmp_path, STEREO, start_s=0.5, end_s=2.0)
    first, last = int(0.5 * RATE), 2 * RATE
    assert not trimmed[:, :first].any()
    assert not trimmed[:, last:].any()
    assert np.allclose(trimmed[:, first + 240 : last - 240], plain[:, first + 240 : last - 240], atol=1e-6)
    # A trimmed edge is a ramp of 5 ms: no step is larger than that makes.
    assert np.abs(np.diff(trimmed)).max() < 0.5 * np.pi / 2 / 240 * 1.1
    faded = heard(tmp_path, STEREO, fade_out_s=1.0)
    middle = n - RATE // 2
    assert faded[0, middle] == pytest.approx(plain[0, middle] / 2, rel=1e-3)
    assert abs(faded[0, n - 1]) < 1e-6
