"""Rules Q2, Q5, Q6: voices and languages, wording, own recordings, how loud and how early words are."""

import numpy as np
import pytest
from cue_words import RATE, TEMPOS, called, calls_of, drums, heard, one_word, placed, right, spoken, whole_call
from hypothesis import example, given, settings
from hypothesis import strategies as st

from upbeat.cues.onset import perceived_onset
from upbeat.cues.recorded import prepare_recording, word_of_file
from upbeat.cues.speech import make_words, speak
from upbeat.cues.treat import TARGET_LUFS, loudness, shortened
from upbeat.cues.usual_words import COUNTS, NAMES
from upbeat.cues.voice import Voice, installed_voices, voice_of
from upbeat.cues.wording import LANGUAGES, wording
from upbeat.errors import Refused

VOICES = {"en": "flite/rms", "fr": "fr-fr"}


@pytest.fixture(scope="module")
def kept(tmp_path_factory):
    return tmp_path_factory.mktemp("words")


@pytest.mark.parametrize("language", LANGUAGES)
def test_every_usual_word_is_heard_on_its_beat_at_every_tempo(language, kept):
    show = called(VOICES.get(language, language), names=NAMES[::3])
    for entry, bpm in enumerate(TEMPOS):
        sound, words = spoken(show, entry, kept)
        answer = placed(sound, words)
        assert (answer.worst_ms <= 5, answer.overlaps) == (True, 0), bpm
        # A call for every section and the count-in, each with one word of the count at least, and all of it where there is time.
        assert answer.words >= {60: 3.5, 90: 3.2}.get(bpm, 2) * (1 + len(NAMES[::3]))


@pytest.mark.parametrize("voice", [*(VOICES.get(lang, lang) for lang in LANGUAGES), "flite/slt", "en-us+f3"])
def test_words_are_as_loud_as_each_other_and_at_most_so_much_shortened(voice, kept):
    said = wording(Voice(name=voice).language)
    words = make_words([*{said.name(n) for n in NAMES[:9]}, *said.counts[:8]], Voice(name=voice), RATE, kept)
    for plain, fast in zip(words[::2], words[1::2], strict=True):
        assert not plain.silent, plain.text
        assert 1 <= len(plain.sound) / len(fast.sound) <= 1.35, plain.text
        for word in (plain, fast):
            assert np.abs(word.sound).max() <= 10 ** (-0.99 / 20)
            assert loudness(word.sound, RATE) == pytest.approx(TARGET_LUFS, abs=0.1)


@pytest.fixture(scope="module")
def english(kept):
    show = called("flite/rms", tempos=(120, 180))
    return [(bpm, *spoken(show, i, kept)) for i, bpm in enumerate((120, 180))]


def share_right(decoder, source, groups):
    counts = [
        right(
            heard(decoder, source[max(0, g[0]["start"] - RATE // 10) : g[-1]["end"] + RATE // 10]),
            [w["text"] for w in g],
        )
        for g in groups
    ]
    return sum(c[0] for c in counts) / sum(c[1] for c in counts)


def test_english_words_are_understood_one_by_one(english):
    for _, sound, words in english:
        assert share_right(one_word(), sound, [[w] for w in words]) >= 0.9


def test_english_calls_are_understood_under_drums_that_are_louder(english):
    for bpm, sound, words in english:
        loud = sound + drums(bpm, len(sound), TARGET_LUFS + 6)
        assert share_right(whole_call(), loud, calls_of(words)) >= 0.8


def test_the_recogniser_does_not_hear_what_is_not_said(english):
    bpm, sound, words = english[0]
    assert share_right(whole_call(), drums(bpm, len(sound), TARGET_LUFS), calls_of(words)) <= 0.3


# --- wording --------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("language", "name", "said"),
    [
        ("es", "Chorus", "estribillo"),
        ("es", "verse 2", "estrofa dos"),
        ("de", "Pre chorus", "Vorrefrain"),
        ("pt-br", "Bridge", "ponte"),
        ("ko", "Final chorus", "마지막 코러스"),
        ("en", "Verse 2", "Verse two"),
        ("en", "middle 8", "Middle eight"),
        ("fr", "Kite song", "Kite song"),
        ("es", "Kites 12", "Kites 12"),
        ("sv", "Chorus", "Chorus"),
        ("uk", "Chorus 30", "приспів 30"),
        ("en", "  odd   spaces ", "odd spaces"),
    ],
)
def test_a_usual_name_is_said_in_the_language_of_the_voice(language, name, said):
    assert wording(language).name(name) == said


def test_any_word_is_said_otherwise_where_the_band_says_so():
    said = wording("es", {"Chorus": "coro", "three": "y tres", "Kite song": "la cometa", "blank": " "})
    assert (said.name("chorus"), said.name("Chorus 2"), said.name("Kite song"), said.counts[2], said.name("blank")) == (
        "coro",
        "coro dos",
        "la cometa",
        "y tres",
        "blank",
    )


def test_every_language_has_all_words_and_counts_that_differ():
    for language in LANGUAGES:
        said = wording(language)
        assert len({*said.counts}) == len(COUNTS)
        assert all(said.name(n).strip() for n in NAMES)


@given(st.text(max_size=30))
def test_no_name_is_too_odd_to_be_worded(name):
    for language in ("en", "uk"):
        assert wording(language).name(name) == " ".join(name.split()) or wording(language).name(name)


# --- voices ---------------------------------------------------------------------------------------------------


def test_the_voices_that_are_here_are_listed_and_speak():
    names = dict(installed_voices())
    assert {"flite/rms", "flite/slt", "es", "pt", "fr-fr", "de", "uk", "ko", "sw"} <= {*names}
    assert names["flite/rms"] == "en"


def test_a_voice_is_faster_and_higher_as_it_is_asked_for(kept):
    usual = len(speak("seven seven", Voice(name="es"), RATE))
    assert len(speak("seven seven", Voice(name="es", speed=1.4), RATE)) < 0.85 * usual
    low, high = (
        np.abs(np.fft.rfft(speak("aaa", Voice(name="en-us", pitch=p), RATE), RATE))[300:1000].argmax() for p in (0, 12)
    )
    assert high != low


@pytest.mark.parametrize(
    "raw",
    [
        {"name": "../etc/passwd"},
        {"name": "flite/../x"},
        {"speed": 9},
        {"pitch": 40},
        {"shifts": {"two": 500}},
        {"words": {"two": "x" * 99}},
        "en; rm",
    ],
)
def test_a_voice_that_cannot_be_gets_a_sentence(raw):
    with pytest.raises(Refused, match=r"[.:]"):
        voice_of(raw)


@pytest.mark.parametrize("voice", ["klingonish", "flite/nobody", "mb-en1"])
def test_a_voice_that_is_not_installed_is_said(voice):
    with pytest.raises(Refused, match=f"“{voice}” is not installed: choose another voice"):
        speak("one", Voice(name=voice), RATE)


def test_a_word_with_no_sound_is_known_and_takes_no_beat(kept):
    plain, fast = make_words(["…"], Voice(), RATE, kept)
    assert plain.silent
    assert fast.silent
    _, words = spoken(called("flite/rms", tempos=(120,), names=("🎸", "Chorus")), 0, kept)
    assert [w["text"] for w in words][:8] == ["one", "two", "three", "four", "two", "three", "four", "Chorus"]


def test_right_to_left_names_are_spoken_by_a_voice_of_their_language(kept):
    _, words = spoken(called("ar", tempos=(90,), names=("لازمة",)), 0, kept)
    assert "لازمة" in [w["text"] for w in words]


def test_a_word_put_later_by_hand_is_heard_later_and_no_other(kept):
    for shift in (-15, 15):
        _, straight = spoken(called("flite/rms", tempos=(60,), names=("Chorus", "Bridge")), 0, kept)
        _, moved = spoken(
            called({"name": "flite/rms", "shifts": {"Chorus": shift}}, tempos=(60,), names=("Chorus", "Bridge")),
            0,
            kept,
        )
        apart = {a["text"]: b["start"] - a["start"] for a, b in zip(straight, moved, strict=True)}
        assert apart.pop("Chorus") == shift * RATE // 1000
        assert set(apart.values()) == {0}


# --- own recordings -------------------------------------------------------------------------------------------


def recorded(seconds_before=0.4, rate=44_100, level=0.2, hz=180.0):
    """A word of half a second as a microphone takes it: room before and after, low hum, two sides."""
    t = np.arange(int(0.5 * rate)) / rate
    word = (
        level * np.sin(2 * np.pi * 900 * t) * (0.5 + 0.5 * np.sin(2 * np.pi * hz * t)) * np.sin(np.pi * t / 0.5) ** 0.5
    )
    quiet = np.zeros(int(seconds_before * rate))
    line = np.concatenate((quiet, word, np.zeros(rate // 2)))
    hum = 0.05 * np.sin(2 * np.pi * 25 * np.arange(len(line)) / rate) + np.random.default_rng(2).normal(
        0, 4e-4, len(line)
    )
    return np.stack((line + hum, line + hum), axis=1).astype(np.float32)


def test_a_recording_is_trimmed_levelled_and_takes_the_engines_place(kept):
    mine = prepare_recording("Chorus", recorded(), 44_100, RATE)
    assert 0.35 * RATE <= len(mine) <= 0.55 * RATE
    assert loudness(mine, RATE) == pytest.approx(TARGET_LUFS, abs=0.1)
    words = make_words(["Chorus", "two"], Voice(name="en"), RATE, kept, {"chorus": mine})
    assert np.array_equal(words[0].sound, mine)
    assert words[0].onset == perceived_onset(mine, RATE)
    assert len(mine) / 1.35 <= len(words[1].sound) <= len(mine) / 1.1
    assert not np.array_equal(words[2].sound, mine)


@settings(max_examples=15)
@example(2.95, 8_000)
@example(1.4, 8_000)
@example(0.69140625, 8_000)
@given(st.floats(0.05, 3), st.sampled_from([8_000, 22_050, 44_100, 48_000, 96_000]))
def test_a_recording_is_the_same_word_wherever_it_begins_in_its_file(before, rate):
    a, b = (prepare_recording("two", recorded(s, rate), rate, RATE) for s in (0.3, before))
    assert abs(len(a) - len(b)) <= 0.01 * RATE
    # It rises evenly over several of its 180 periods a second: any of three may be the steepest.
    assert abs(perceived_onset(a, RATE) - perceived_onset(b, RATE)) <= 3 / 180 * RATE


@pytest.mark.parametrize(
    ("sound", "code"),
    [
        (np.zeros((44_100, 1)), "silent"),
        (np.zeros((0, 1)), "silent"),
        (recorded(level=1e-4) * 1e-3, "silent"),
        (np.tile(recorded(), (15, 1)), "long"),
        (np.full((9, 1), np.nan), "silent"),
    ],
)
def test_a_recording_that_is_none_gets_a_sentence(sound, code):
    with pytest.raises(Refused, match="recording of “two”") as refused:
        prepare_recording("two", sound.astype(np.float32), 44_100, RATE)
    assert refused.value.problems[0].code == f"recording-{code}"


def test_files_are_told_apart_by_their_names():
    wanted = ["Chorus", "Pre-chorus", "two", "Verse two"]
    names = ["chorus.wav", "03 pre_chorus.FLAC", "TWO.wav", "Verse 2.wav", "verse-two.wav", "07_All up.wav", ".wav"]
    assert [word_of_file(n, wanted) for n in names] == [
        "Chorus",
        "Pre-chorus",
        "two",
        "Verse 2",
        "Verse two",
        "All up",
        ".wav",
    ]


def test_shortening_keeps_the_pitch():
    t = np.arange(RATE) / RATE
    tone = np.sin(2 * np.pi * 440 * t).astype(np.float32) * np.sin(np.pi * t).astype(np.float32)
    short = shortened(tone, RATE, 1.3)
    peak = np.abs(np.fft.rfft(short * np.hanning(len(short)), 4 * RATE)).argmax() / 4
    assert abs(peak - 440) < 4
    assert 1.25 <= len(tone) / len(short) <= 1.45
