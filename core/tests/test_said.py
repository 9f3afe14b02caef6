"""Words said on the spot (rule Q7), found in the samples."""

import random

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from material import RATE, ready, show, song

from upbeat.cues.onset import perceived_onset
from upbeat.cues.palette import PALETTES, usual_palette
from upbeat.cues.usual_words import COUNTED
from upbeat.play.advance import advance
from upbeat.play.events import record
from upbeat.play.presses import PRESSES, press
from upbeat.play.state import standing_by

BEAT, BAR = RATE // 2, 2 * RATE
PALETTE = ["Hold", "Watch me", "Big finish"]


@pytest.fixture(scope="module")
def spoken(tmp_path_factory):
    """Two songs with calls and free cues, in a voice that speaks."""
    cues = [{"bar": 1, "beat": 2, "text": "Soft"}]
    songs = (song(calls=True, cues=cues), song(id="two", title="Second", calls=True))
    return ready(show(*songs, palette=PALETTE), tmp_path_factory.mktemp("said"), speak=True)


def night(made, *presses, seconds):
    """Words that are said, and the sound of click, cues and house; presses are (second, name, arguments)."""
    state, renderer, heard, events, outcomes = standing_by(), made.renderer(), [], [], []
    for at, name, args in (*presses, (seconds, None, {})):
        while state.head < round(at * RATE):
            state, span = advance(made.plan, state, min(4800, round(at * RATE) - state.head))
            out = np.empty((renderer.rows, span.end - span.start), dtype=np.float32)
            renderer.render(span, out)
            heard.append(out)
            events += map(record, span.events)
        if name:
            state, outcome = press(made.plan, state, name, args)
            outcomes.append(outcome)
    words = sorted((e for e in events if e["kind"] == "cue"), key=lambda e: e["frame"])
    return words, np.concatenate(heard, axis=1), outcomes, events


def test_q7_a_word_is_heard_on_the_next_counted_beat_in_the_ears_alone(spoken):
    words, sound, outcomes, events = night(spoken, (0, "go", {}), (2.3, "say", {"word": "Hold"}), seconds=4)
    begin = next(e["frame"] for e in events if e["kind"] == "bar")
    word = next(w for w in words if w["text"] == "Hold")
    onset = spoken.plan.words["Hold"][0].onset
    first = next(b for b in range(begin, begin + 9 * BEAT, BEAT) if b - onset >= round(2.3 * RATE))
    assert word["frame"] == first == outcomes[-1].frame
    heard = word["start"] + perceived_onset(sound[3, word["start"] : word["end"]], RATE)
    assert abs(heard - first) <= 0.005 * RATE
    assert not sound[0].any()


def test_q7_over_a_call_it_waits_for_the_beat_after(spoken):
    # The call of the chorus is said in the third bar, from its first beat on.
    words, _, outcomes, events = night(spoken, (0, "go", {}), (4.1, "say", {"word": "Big finish"}), seconds=8)
    begin = next(e["frame"] for e in events if e["kind"] == "bar")
    asked = next(w for w in words if w["text"] == "Big finish")
    assert asked["frame"] >= begin + 3 * BAR
    assert outcomes[-1].message == "“Big finish” is said once a beat is free."
    assert [w["text"] for w in words if w["frame"] < asked["frame"]][-4:] == ["Chorus", "two", "three", "four"]


def test_q3_a_call_under_way_goes_on_whatever_is_pressed_for_later(spoken):
    plain, _, _, _ = night(spoken, (0, "go", {}), seconds=8)
    words, _, _, _ = night(
        spoken,
        (0, "go", {}),
        (4.1, "play_after", {"entry": 1}),
        (4.7, "ending_tonight", {"ending": "fine", "step": 2}),
        seconds=8,
    )
    assert words == plain


def test_q7_where_nothing_plays_it_is_said_at_once_and_after_the_song_what_found_no_beat(spoken):
    words, sound, _, _ = night(spoken, (1, "say", {"word": "Watch me"}), seconds=3)
    assert words[0]["start"] == RATE
    assert np.abs(sound[3, RATE : words[0]["end"]]).max() > 0.05
    words, _, _, events = night(
        spoken,
        (0, "go", {}),
        (1, "play_after", {"entry": 1}),
        (15.9, "say", {"word": "Watch me"}),
        seconds=19,
    )
    end = next(e["frame"] for e in events if e["kind"] == "end")
    assert next(w for w in words if w["text"] == "Watch me")["frame"] >= end - BEAT


def test_q7_what_is_not_in_the_palette_or_cannot_be_said_is_refused_in_words(tmp_path, spoken):
    silent = ready(show(song(), palette=["Hold"]), tmp_path)
    for made, word, code in ((spoken, "Bananas", "say-unknown"), (silent, "Hold", "say-silent")):
        _, outcome = press(made.plan, standing_by(), "say", {"word": word})
        assert (outcome.accepted, outcome.code) == (False, code)
    state = standing_by()
    for _ in range(4):
        state, outcome = press(spoken.plan, state, "say", {"word": "Hold"})
        assert outcome.accepted
    _, outcome = press(spoken.plan, state, "say", {"word": "Hold"})
    assert outcome.code == "say-many"


@settings(max_examples=60)
@given(seed=st.integers(0, 1 << 32))
def test_q7_words_never_overlap_a_call_or_each_other_whatever_is_pressed(spoken, seed):
    draw = random.Random(seed)
    state, _ = press(spoken.plan, standing_by(), "go")
    words = []
    for _ in range(40):
        name = draw.choice(("say", "say", "go_to", "once_more", "choose", "take_back", *PRESSES))
        if name in ("stop", "fade_away", "begin_again", "resume", "go", "stand_by"):
            continue
        args = {"say": {"word": draw.choice(PALETTE)}}.get(name, {})
        if name in ("go_to", "once_more", "choose"):
            # At once cuts words; all other jumps finish them.
            args = {"when": draw.choice(("next_bar", "in_2_bars", "section_end"))}
            args |= {"step": draw.randrange(3)} if name == "go_to" else {}
        state, _ = press(spoken.plan, state, name, args)
        state, span = advance(spoken.plan, state, draw.randrange(1, 2 * RATE))
        words += [e for e in map(record, span.events) if e["kind"] == "cue"]
    words.sort(key=lambda w: w["start"])
    for a, b in zip(words, words[1:], strict=False):
        assert a["end"] <= b["start"]


def test_q8_an_entry_calls_its_title_before_its_count_in_and_not_where_it_goes_on(tmp_path):
    document = show(song(calls=True, count_in={"bars": 2, "aloud": True}), song(id="two", title="Second"))
    document["entries"][0]["call_title"] = True
    made = ready(document, tmp_path, speak=True)
    words, sound, _, events = night(made, (1, "go", {}), (14, "stop", {}), (15, "resume", {}), seconds=22)
    title = made.plan.words["Paper Boats"][0]
    assert (words[0]["text"], words[0]["start"]) == ("Paper Boats", RATE)
    assert np.abs(sound[3, RATE : RATE + title.frames]).max() > 0.05
    counted = [e["frame"] for e in events if e["kind"] == "click" and e["voice"] == "count_in"]
    # The first click of two bars comes once the title is over; nothing is said under another word.
    assert min(counted) == RATE + title.frames + 240
    assert all(a["end"] <= b["start"] for a, b in zip(words, words[1:], strict=False))
    assert [w["text"] for w in words[1:5]] == ["one", "two", "three", "four"]
    assert [w["text"] for w in words].count("Paper Boats") == 1


def test_every_language_with_counts_has_a_dozen_words():
    assert set(PALETTES) == set(COUNTED)
    assert {len(set(words)) for words in PALETTES.values()} == {12}
    assert usual_palette("pt-br") == PALETTES["pt"]
    assert usual_palette("xx") == PALETTES["en"]
