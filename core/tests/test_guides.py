"""Patterns of the click in the sound, and click and cues given away: rules C1 to C4."""

import json
from decimal import Decimal

import mido
import numpy as np
import pytest
import soundfile
from hypothesis import example, given, settings
from hypothesis import strategies as st
from material import RATE, onsets, ready, show, song
from test_sound import bounced, first_sound

from upbeat.cli import main
from upbeat.click.pattern import bar_clicks, checked_pattern, key_of, usual_pattern
from upbeat.click.sounds import SOUNDS, click_sound, click_voices
from upbeat.errors import Refused
from upbeat.intake.midi import tempo_map
from upbeat.show.bounce import rehearse
from upbeat.show.document import read_show
from upbeat.show.guides import guide_midi, played_bars, ready_guides
from upbeat.song.guides import ClickSettings
from upbeat.time.meter import TimeSignature

BEAT, BAR = RATE // 2, 2 * RATE


def clicked(tmp_path, click, **changes):
    """(frames after bar 1, voice) of every click of the usual eight bars, and the sound of the click socket."""
    sound, events = bounced(
        ready(
            show(song(click={"accent": "beep", "beat": "beep", "division": "beep", "gain_db": 0, **click}, **changes)),
            tmp_path,
        )
    )
    begin = first_sound(events)
    return [(e["frame"] - begin, e["voice"]) for e in events if e["kind"] == "click"], sound[2][begin:]


def test_c2_a_pattern_says_what_every_beat_is(tmp_path):
    answer, sound = clicked(tmp_path, {"patterns": {"4/4": "a s bd bdd"}})
    third = BEAT / 3
    assert answer[:6] == [
        (0, "accent"),
        (2 * BEAT, "beat"),
        (2.5 * BEAT, "division"),
        (3 * BEAT, "beat"),
        (3 * BEAT + third, "division"),
        (3 * BEAT + 2 * third, "division"),
    ]
    # Found in the sound, to the frame; the silent beat is silent.
    heard = onsets(sound[:BAR], 0.02, 1500)
    assert heard == [f for f, _ in answer[:6]]
    assert np.abs(sound[BEAT : 2 * BEAT - 1]).max() == 0


def test_c2_divisions_and_silence_belong_to_sections(tmp_path):
    answer, _ = clicked(tmp_path, {"parts": {"b": 2}, "silent": ["c"]})
    by_bar = [len([f for f, _ in answer if bar * BAR <= f < (bar + 1) * BAR]) for bar in range(8)]
    assert by_bar == [4, 4, 4, 8, 8, 8, 0, 0]


def test_c4_the_click_starts_late_and_ends_where_the_song_says(tmp_path):
    answer, _ = clicked(tmp_path, {"from_bar": 2, "to_bar": 5})
    assert {f // BAR + 1 for f, _ in answer} == {2, 3, 4, 5}


def test_uneven_bars_have_patterns_of_their_own_and_six_eighths_go_in_two_or_in_six(tmp_path):
    seven, two, six = TimeSignature(7, 8, (2, 2, 3)), TimeSignature(6, 8, (3, 3)), TimeSignature(6, 8, (1,) * 6)
    assert (key_of(seven), usual_pattern(seven), usual_pattern(seven, 2)) == ("7/8 2+2+3", "a b b", "ad bd bdd")
    assert [float(o) for o, _ in bar_clicks(seven, {"7/8 2+2+3": "ad b bds"}, 1)] == [0, 0.5, 1, 2, 2.5]
    assert (len(bar_clicks(two, {}, 1)), len(bar_clicks(six, {}, 1)), len(bar_clicks(two, {}, 2))) == (2, 6, 6)
    assert bar_clicks(two, {"6/8 3+3": "a b"}, 1, 3)[1:3] == bar_clicks(two, {"6/8 3+3": "add bdd"}, 1)[1:3]


@pytest.mark.parametrize(
    ("text", "signature", "sentence"),
    [
        (
            "a b b",
            TimeSignature(4, 4),
            "“a b b” has 3 beats, and a bar of 4/4 has 4: write one group of letters for each, such as a b b b.",
        ),
        ("a x b b", TimeSignature(4, 4), "“x” is no part of a pattern"),
        ("", TimeSignature(3, 4), "has 0 beats"),
        ("addddddddd b b", TimeSignature(3, 4), "at most 8 parts"),
    ],
)
def test_a_pattern_that_cannot_be_gets_a_sentence(text, signature, sentence):
    with pytest.raises(Refused) as refused:
        checked_pattern(text, signature)
    assert sentence in str(refused.value)


@pytest.mark.parametrize(
    "raw",
    [
        {"patterns": {"0/4": "a"}},
        {"patterns": {"4/3": "a b b b"}},
        {"patterns": {"4/4": "a"}},
        {"divisions": 5},
        {"parts": {"a": 0}},
        {"pitches": {"accent": 40}},
        {"pitches": {"cowbell": 1}},
        {"levels": {"beat": 30}},
        {"from_bar": 9, "to_bar": 3},
    ],
)
def test_a_click_that_cannot_be_is_refused(raw):
    with pytest.raises(Refused):
        ClickSettings(**raw)


@pytest.mark.parametrize("name", list(SOUNDS))
@pytest.mark.parametrize("semitones", [-12, 0, 7])
def test_every_sound_begins_on_its_first_frame_and_is_tuned(name, semitones):
    sound = click_sound(name, RATE, semitones)
    assert abs(sound[0]) == pytest.approx(1)
    assert np.abs(sound).max() <= 1
    assert sound[-1] == 0
    if name == "beep":
        spectrum = np.abs(np.fft.rfft(sound, RATE))
        assert spectrum.argmax() == pytest.approx(1000 * 2 ** (semitones / 12), abs=12)


def test_a_voice_has_a_level_of_its_own():
    plain, softer = click_voices(("beep",) * 4, RATE), click_voices(("beep",) * 4, RATE, {}, {"beat": -6})
    assert np.abs(softer[1]).max() / np.abs(plain[1]).max() == pytest.approx(10 ** (-6 / 20))
    assert np.array_equal(softer[0], plain[0])


# --- given away -------------------------------------------------------------------------------------

WANDERING = {
    "tempo": [{"bar": 1, "bpm": "126.5"}, {"bar": 5, "bpm": "97.3", "ramp": True}, {"bar": 9, "bpm": "141.7"}],
    "meters": [
        {"bar": 1, "meter": "4/4"},
        {"bar": 3, "meter": "7/8", "grouping": [2, 2, 3]},
        {"bar": 7, "meter": "6/8"},
    ],
    "sections": [{"id": "a", "name": "Verse", "bars": 6}, {"id": "b", "name": "Chörus", "bars": 6}],
    "forms": [
        {
            "id": "f",
            "name": "F",
            "steps": [
                {"section": "a", "ending": {"kind": "repeat", "times": 2}},
                {"section": "b", "ending": {"kind": "fine"}},
            ],
        }
    ],
    "count_in": {"bars": 2, "aloud": False},
}


def midi_of(document, tmp_path, what="click"):
    made = ready_guides(read_show(document), 0, tmp_path, what)
    path = tmp_path / "guide.mid"
    path.write_bytes(guide_midi(made, what))
    _, events = rehearse(made, None, 0)
    return path, made, events


def test_a_midi_file_reads_back_to_the_same_bar_lines_within_a_tick(tmp_path):
    path, made, events = midi_of(show(song(**WANDERING)), tmp_path)
    bars = played_bars(made.plan.entries[0], events, RATE)
    assert len(bars) == 2 + 12 + 6
    lines = np.array([b.beats[0] for b in bars] + [bars[-1].end]) / RATE
    answer = tempo_map(path, "guide.mid")
    back = np.array(answer["bar_lines_s"])
    tick_s = 60 / 141.7 / 960
    assert np.abs(back[: len(lines)] - (lines - lines[0])).max() < tick_s
    assert [(m["bar"], m["meter"]) for m in answer["meters"]] == [
        (1, "4/4"),
        (5, "7/8"),
        (9, "4/4"),
        (11, "7/8"),
        (15, "6/8"),
    ]
    assert [(m["bar"], m["text"]) for m in answer["markers"]] == [
        (1, "Count-in"),
        (3, "Verse"),
        (9, "Verse"),
        (15, "Chörus"),
    ]
    # By mido: the clicks are where they sound.
    at, clicks = 0.0, []
    for message in mido.MidiFile(path, charset="utf-8"):
        at += message.time
        if message.type == "note_on":
            clicks.append(at)
    heard = [e["frame"] / RATE - lines[0] for e in events if e["kind"] == "click"]
    assert np.abs(np.array(clicks) - np.array(heard)).max() < 2 * tick_s


@settings(max_examples=15)
@given(
    bpm=st.decimals(30, 300, places=3),
    meter=st.sampled_from(["4/4", "3/4", "5/4", "7/8", "6/8", "2/2"]),
    bars=st.integers(1, 400),
)
@example(bpm=Decimal("97.123"), meter="7/8", bars=2000)
def test_a_steady_tempo_never_drifts_in_the_file(tmp_path_factory, bpm, meter, bars):
    document = show(
        song(
            tempo=[{"bar": 1, "bpm": str(bpm)}],
            meters=[{"bar": 1, "meter": meter}],
            sections=[{"id": "a", "name": "All", "bars": bars}],
        )
    )
    path, made, events = midi_of(document, tmp_path_factory.mktemp("midi"))
    lines = np.array([b.beats[0] for b in played_bars(made.plan.entries[0], events, RATE)])
    back = np.array(tempo_map(path, "guide.mid")["bar_lines_s"])[: len(lines)]
    assert np.abs(back - (lines - lines[0]) / RATE).max() < 60 / float(bpm) / 960 + 1 / RATE


@pytest.mark.parametrize("kind", ["wav", "flac"])
def test_the_click_is_given_away_as_sound_with_its_count_in(tmp_path, capsys, kind):
    (tmp_path / "show.json").write_text(
        json.dumps(show(song(count_in={"bars": 2, "aloud": False}), song(id="other", title="Other")))
    )
    out = tmp_path / f"click.{kind}"
    assert main(["click", str(tmp_path), "--entry", "1", "--out", str(out), "--json"]) == 0
    answer = json.loads(capsys.readouterr().out)
    sound, rate = soundfile.read(out)
    assert (rate, len(sound), answer["title"]) == (RATE, answer["frames"], "Paper Boats")
    assert soundfile.SoundFile(out).title == "Paper Boats"
    heard = onsets(sound, 0.02)
    assert len(heard) == 8 + 8 * 4
    assert all(f - heard[0] == i * BEAT for i, f in enumerate(heard))


def test_what_cannot_be_given_away_gets_a_sentence_and_leaves_no_file(tmp_path, capsys):
    (tmp_path / "show.json").write_text(json.dumps(show(song())))
    for args, sentence in (
        (["--entry", "7", "--out", "c.wav"], "entries 1 to 1"),
        (["--out", "c.txt"], "end it in .wav, .flac or .mid"),
    ):
        assert main(["click", str(tmp_path), *args[:-1], str(tmp_path / args[-1]), "--json"]) == 1
        assert sentence in json.loads(capsys.readouterr().out)["problems"][0]["message"]
    assert [p.name for p in tmp_path.iterdir()] == ["show.json"]


def test_cues_are_lyrics(tmp_path):
    path, _, _ = midi_of(show(song(calls=True, count_in={"bars": 2, "aloud": True})), tmp_path, "both")
    words = [m.text for m in mido.MidiFile(path, charset="utf-8").tracks[1] if m.type == "lyrics"]
    assert words[:4] == ["one", "two", "three", "four"]
    assert "Chorus" in words
