"""Rule V1: a song in another key and tempo. Attacks are looked for in the samples, by a detector of the test's own."""

import json
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from material import RATE, ready, show, song, write_wav

from upbeat.audio import stretch
from upbeat.audio.stretch import excerpt, stretch_file, stretched, stretched_frames
from upbeat.cli import main
from upbeat.errors import Refused
from upbeat.show.bounce import play
from upbeat.show.describe import describe
from upbeat.show.document import read_show
from upbeat.show.dress_run.run import dress_run
from upbeat.song.key_tempo import KeyTempo, key_tempo, typed_percent

SECONDS = 12


def struck(seconds=SECONDS, apart=0.4317, rate=RATE):
    """Bursts of noise over two tones, (frames, 2) float32, and when they begin, in seconds."""
    chance = np.random.default_rng(1)
    places = np.arange(0.5, seconds - 0.5, apart)
    t = np.arange(seconds * rate) / rate
    sound = 0.1 * np.sin(2 * np.pi * 220 * t) + 0.1 * np.sin(2 * np.pi * 277 * t)
    decay = np.exp(-40 * np.arange(round(0.15 * rate)) / rate)
    for at in places:
        first = round(at * rate)
        sound[first : first + len(decay)] += 0.5 * decay * chance.normal(size=len(decay))
    return np.stack([sound, 0.5 * sound], axis=1).astype(np.float32), places


def begins(sound, at):
    """Ms by which the burst near each place is off: where a tenth of its energy's peak is reached; and how long it rises."""
    off, rises = [], []
    for place in at:
        first = int((place - 0.06) * RATE)
        near = np.diff(sound[first : first + int(0.12 * RATE)], n=2)
        energy = np.convolve(near * near, np.ones(48) / 48)
        tenth, most = (np.argmax(energy > part * energy.max()) for part in (0.1, 0.9))
        off.append(1000 * ((first + tenth) / RATE - place))
        rises.append(1000 * (most - tenth) / RATE)
    return np.array(off), np.median(rises)


@pytest.mark.parametrize(
    ("semitones", "percent"),
    [(-6, 100), (-1, 100), (2, 100), (6, 100), (0, 50), (0, 92), (0, 150), (3, 80), (-4, 137.5)],
)
def test_attacks_lie_where_the_tempo_puts_them(semitones, percent):
    sound, places = struck()
    own, rise = begins(sound[:, 0], places)
    made = stretched(sound, sample_rate=RATE, semitones=semitones, percent=Fraction(percent))
    assert len(made) == stretched_frames(len(sound), Fraction(percent))
    off, rises = begins(made[:, 0], places * 100 / percent)
    assert np.median(np.abs(off - np.median(own))) < 0.5
    assert np.abs(off - np.median(own)).max() < 2
    assert rises < 2 * rise
    # The sides stay in step to the sample.
    assert np.abs(made[:, 0] - 2 * made[:, 1]).max() < 2e-3


@pytest.mark.parametrize(("semitones", "percent"), [(5, 100), (0, 70), (-3, 110)])
def test_a_tone_is_as_high_as_it_was_asked_for(semitones, percent):
    t = np.arange(6 * RATE) / RATE
    tone = (0.3 * np.sin(2 * np.pi * 440 * t)).astype(np.float32)[:, None]
    made = stretched(tone, sample_rate=RATE, semitones=semitones, percent=Fraction(percent))
    middle = made[RATE : 3 * RATE, 0]
    spectrum = np.abs(np.fft.rfft(middle * np.hanning(len(middle))))
    assert np.argmax(spectrum) / 2 == pytest.approx(440 * 2 ** (semitones / 12), abs=1)
    assert np.sqrt(np.mean(middle**2)) == pytest.approx(0.3 / np.sqrt(2), rel=0.1)


def test_the_same_request_gives_the_same_samples_in_memory_and_on_disk(tmp_path):
    sound, _ = struck(3)
    source = write_wav(tmp_path / "own.wav", sound)
    how = {"sample_rate": RATE, "semitones": 2, "percent": Fraction(92)}
    crcs = {stretch_file(source, tmp_path / name, **how) for name in ("a.wav", "b.wav")}
    assert len(crcs) == 1
    assert (tmp_path / "a.wav").read_bytes() == (tmp_path / "b.wav").read_bytes()
    assert np.array_equal(stretch.open_prepared(tmp_path / "a.wav", RATE), stretched(sound, **how))


@settings(max_examples=25)
@given(st.integers(0, 20_000), st.integers(-6, 6), st.fractions(50, 150, max_denominator=50), st.integers(1, 3))
def test_the_length_is_exact_to_the_frame(frames, semitones, percent, channels):
    sound = np.random.default_rng(frames).uniform(-0.5, 0.5, (frames, channels)).astype(np.float32)
    made = stretched(sound, sample_rate=RATE, semitones=semitones, percent=percent)
    assert made.shape == (stretched_frames(frames, percent), channels)
    assert abs(len(made) - frames * 100 / percent) <= Fraction(1, 2)
    assert np.isfinite(made).all()


@pytest.mark.parametrize("percent", [70, 130])
def test_a_long_sound_is_made_in_pieces_that_nobody_hears(monkeypatch, percent):
    sound, places = struck(20)
    whole = stretched(sound, sample_rate=RATE, percent=Fraction(percent))
    monkeypatch.setattr(stretch, "PIECE_S", 5.0)
    monkeypatch.setattr(stretch, "SEARCH_S", 1.0)
    pieces = stretched(sound, sample_rate=RATE, percent=Fraction(percent))
    assert pieces.shape == whole.shape
    off, _ = begins(pieces[:, 0], places * 100 / percent)
    assert np.abs(off).max() < 2
    # No step that the whole has not.
    assert np.abs(np.diff(pieces, axis=0)).max() < 1.2 * np.abs(np.diff(whole, axis=0)).max()
    level = [
        10 * np.log10(np.mean(one.reshape(-1, RATE // 5, 2) ** 2, axis=(1, 2)))
        for one in (made[: len(made) // (RATE // 5) * (RATE // 5)] for made in (pieces, whole))
    ]
    assert np.abs(level[0] - level[1]).max() < 1.5


def test_what_is_not_changed_stays_as_it_is_through_every_piece(monkeypatch):
    sound, _ = struck(12)
    monkeypatch.setattr(stretch, "PIECE_S", 3.0)
    monkeypatch.setattr(stretch, "SEARCH_S", 1.0)
    assert np.abs(stretched(sound, sample_rate=RATE) - sound).max() < 1e-6


def test_an_excerpt_is_heard_as_the_whole_is():
    sound, places = struck()
    percent = Fraction(80)
    made = excerpt(sound, 5 * RATE, 8 * RATE, sample_rate=RATE, semitones=2, percent=percent)
    assert made.shape == (3 * RATE, 2)
    inside = [p for p in places * 1.25 - 5 if 0.1 < p < 2.9]
    off, _ = begins(made[:, 0], inside)
    assert np.abs(off).max() < 2


def moved(tmp_path, semitones=0, percent=100, **changes):
    """A show of one song with drums and an organ, played in another key and tempo, its files prepared by the command."""
    sound, _ = struck(20, apart=0.5)
    stems = [
        {"id": "kit", "name": "Drums", "file": "kit.wav", "group": "rhythm", "start_s": 0.25},
        {"id": "organ", "name": "Organ", "file": "organ.wav", "group": "tonal", "delay_ms": 40},
    ]
    for name in ("kit", "organ"):
        write_wav(tmp_path / f"{name}.wav", sound)
    own = song(stems=stems, key="G", chords=[{"bar": 1, "text": "G D/F#"}, {"bar": 2, "text": "%"}], **changes)
    own["sections"][0]["words"] = "[Em]Tin horns [C]call [softly]"
    document = show(own)
    document["entries"][0] |= {"semitones": semitones, "tempo_percent": percent}
    (tmp_path / "show.json").write_text(json.dumps(document))
    return document


def prepared(tmp_path, document, capsys, semitones, percent):
    command = ["prepare", str(tmp_path), "--entry", "1", f"--semitones={semitones}", f"--tempo={percent}"]
    assert main([*command, "--out", str(tmp_path / "made"), "--json"]) == 0
    answer = json.loads(capsys.readouterr().out)
    for stem, made in zip(document["songs"][0]["stems"], answer["stems"], strict=True):
        own = semitones if stem["group"] == "tonal" else 0
        file = {"semitones": own, "tempo_percent": percent, "file": f"made/{made['file']}", "crc32": made["crc32"]}
        stem["prepared"] = [file]
    return answer


def test_what_is_written_follows(tmp_path, capsys):
    document = moved(tmp_path, semitones=2, percent=92)
    answer = prepared(tmp_path, document, capsys, 2, 92)
    assert answer["tempo"] == [{"position": 0.0, "bpm": 110.4, "unit": "1", "ramp": False}]
    one = read_show(document)
    [played] = one.songs.values()
    assert (played.key, dict(played.chords)) == ("A", {1: "A E/G#", 2: "%"})
    assert played.sections[0].words == "[F#m]Tin horns [D]call [softly]"
    assert played.played == KeyTempo(2, Fraction(92))
    plan = ready(document, tmp_path).plan.entries[0]
    assert list(plan.bar_frames) == [round(i * 2 * RATE * 100 / 92) for i in range(9)]


@pytest.mark.parametrize(("semitones", "percent"), [(2, 92), (-3, 100), (0, 125)])
def test_the_click_lies_on_the_beats_of_what_was_prepared(tmp_path, capsys, semitones, percent):
    document = moved(tmp_path, semitones, percent, bar1_s=0.5)
    prepared(tmp_path, document, capsys, semitones, percent)
    blocks: list = []
    play(ready(document, tmp_path), None, blocks.append)
    out = np.concatenate(blocks, axis=1)
    clicks = [
        i
        for i in range(int(0.6 * RATE), out.shape[1] - RATE)
        if abs(out[2, i]) > 1e-3 and not out[2, i - 900 : i].any()
    ]
    assert len(clicks) > 20
    off, _ = begins(out[0], np.array(clicks) / RATE)
    assert np.median(np.abs(off)) < 1
    assert np.abs(off).max() < 2


def test_a_stem_is_read_from_the_file_that_it_needs(tmp_path, capsys):
    document = moved(tmp_path, semitones=2)
    prepared(tmp_path, document, capsys, 2, 100)
    [played] = read_show(document).songs.values()
    kit, organ = played.stems
    assert (kit.file, organ.file) == ("kit.wav", "made/02-Organ.wav")
    # A bass in the rhythm group has a pitch; what is marked keeps its own.
    own = document["songs"][0]["stems"]
    own[0] |= {"name": "Bass", "prepared": own[1]["prepared"]}
    own[1] |= {"keeps_pitch": True}
    [played] = read_show(document).songs.values()
    assert [s.file for s in played.stems] == ["made/02-Organ.wav", "organ.wav"]


def test_one_song_is_played_in_two_keys_in_one_show(tmp_path, capsys):
    document = moved(tmp_path, semitones=2)
    prepared(tmp_path, document, capsys, 2, 100)
    document["entries"].append({"id": "again", "song": "song"})
    made = ready(document, tmp_path)
    assert [e.song.key for e in made.plan.entries] == ["A", "G"]
    assert len({id(e.stems[1].pcm) for e in made.audio.entries}) == 2


def test_two_tempos_that_are_written_alike_are_two(tmp_path, capsys):
    document = moved(tmp_path, percent=114.1667)
    prepared(tmp_path, document, capsys, 0, 114.1667)
    own = document["songs"][0]["stems"]
    for stem in own:
        stem["prepared"].append({**stem["prepared"][0], "tempo_percent": 114.1671})
    document["entries"].append({"id": "again", "song": "song", "tempo_percent": 114.1671})
    one = read_show(document)
    assert [float(one.songs[e.song].played.percent) for e in one.entries] == [114.1667, 114.1671]


def test_what_is_not_prepared_and_what_cannot_be_is_said(tmp_path):
    document = moved(tmp_path, semitones=2, percent=92)
    with pytest.raises(Refused, match="“Drums” of “Paper Boats” is not prepared at 92 % of its tempo"):
        read_show(document)
    for semitones, percent, says in [
        (12, 100, "by -6 to 6 semitones, not by \\+12"),
        (0, 0, "at 50 to 150 % of its tempo, not at 0 %"),
        (1, "fast", "“fast” % is no key and tempo"),
        ("1/2", 100, "is no key and tempo"),
    ]:
        with pytest.raises(Refused, match=says):
            key_tempo(semitones, percent)
    own = Fraction("126.5")
    assert [typed_percent(t, own) for t in ("113.85", "92 %", "92,5%")] == [90, 92, Fraction("92.5")]
    for text, says in [
        ("0", "cannot be played"),
        ("fast", "“fast” is not a tempo"),
        ("slow %", "“slow %” is no tempo"),
    ]:
        with pytest.raises(Refused, match=says):
            typed_percent(text, own)


def test_a_film_runs_with_the_tempo_and_pictures_come_with_it(tmp_path, capsys):
    film = {"file": {"id": "f", "type": "video/webm", "fps": 25, "seconds": 60}, "starts_s": 4}
    stills = [{"file": {"id": "p", "type": "image/png"}, "at_s": 5}]
    document = moved(tmp_path, percent=80, screen={"film": film, "stills": stills})
    prepared(tmp_path, document, capsys, 0, 80)
    shown = describe(ready(document, tmp_path))["entries"][0]["screen"]
    assert (shown["film"]["starts_s"], shown["film"]["rate"]) == (5, 0.8)
    assert [s["at_s"] for step in shown["steps"] for s in step["stills"]] == [6.25]


def test_the_dress_run_says_what_is_not_prepared(tmp_path, capsys):
    document = moved(tmp_path, semitones=2)
    answer = prepared(tmp_path, document, capsys, 2, 100)
    (tmp_path / "made" / answer["stems"][1]["file"]).unlink()
    (tmp_path / "show.json").write_text(json.dumps(document))
    found = dress_run(read_show(document), tmp_path)
    says = [f.message for f in found.faults if f.code == "file-missing"]
    assert says == ["“Organ” of “Paper Boats” is not prepared at +2 semitones yet: look at it in the setlist."]


@pytest.mark.parametrize(("semitones", "percent"), [(2, 100), (-5, 100), (0, 80), (0, 120)])
def test_what_sounds_to_the_end_does_so_at_its_level(semitones, percent):
    tone = 0.2 * np.sin(2 * np.pi * 440 * np.arange(2 * RATE) / RATE)
    sound = tone.astype(np.float32)[:, None]
    end = stretched(sound, sample_rate=RATE, semitones=semitones, percent=Fraction(percent))[-RATE // 50 :]
    assert 20 * np.log10(np.sqrt(2 * np.square(end).mean()) / 0.2) > -1.5
