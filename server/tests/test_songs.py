"""Songs: edits by the core's rules, undo and redo, two people at one song."""

import json
import uuid

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from songs.models import Song
from songs.rows import snapshot


def named(song):
    return [(s["mark"], s["name"], s["first_bar"], s["bars"]) for s in song["sections"]]


def test_a_new_song_has_bars_to_work_on(ines):
    song = ines.song(bpm="93.37", meter="6/8")
    assert (song["tempo"], song["meters"], song["bars"]) == (
        [{"bar": 1, "bpm": "93.37"}],
        [{"bar": 1, "meter": "6/8"}],
        32,
    )
    assert not song["can_undo"]


def test_three_sections_are_marked(ines):
    song = ines.song()
    for first, last, name in ((1, 8, "Intro"), (9, 24, "Verse"), (25, 32, "Chorus")):
        song = ines.edit(song, "mark_section", first=first, last=last, name=name).json()
    assert named(song) == [("A", "Intro", 1, 8), ("B", "Verse", 9, 16), ("C", "Chorus", 25, 8)]
    chart = ines.get(f"songs/{song['id']}/chart/").json()
    assert [b["start_s"] for b in chart["bars"][:3]] == [0, 2, 4]
    assert chart["calls"] == [{"bar": 8, "text": "Verse", "beat": 0}, {"bar": 24, "text": "Chorus", "beat": 0}]


def test_a_section_keeps_the_id_that_the_page_drew_it_under(ines):
    right, own = str(uuid.uuid4()), str(uuid.uuid4())
    song = ines.edit(ines.song(), "mark_section", first=1, last=32, name="Verse", ids=["<b>", 7, own]).json()
    assert [s["id"] for s in song["sections"]] == [own]
    song = ines.edit(song, "mark_section", first=5, last=8, name="Bridge", ids=[own, right]).json()
    # An id that is taken is never given twice.
    ids = [s["id"] for s in song["sections"]]
    assert ids[0] == own
    assert ids[2] == right
    assert len({*ids}) == 3


def test_tempo_and_metre_change_at_bars(ines):
    song = ines.song()
    song = ines.edit(song, "set_tempo", bar=9, bpm="60").json()
    song = ines.edit(song, "set_meter", bar=17, meter="7/8", grouping="2+2+3").json()
    bars = ines.get(f"songs/{song['id']}/chart/").json()["bars"]
    assert bars[8]["end_s"] - bars[8]["start_s"] == 4
    assert bars[16]["grouping"] == [2, 2, 3]
    song = ines.edit(song, "set_tempo", bar=9, bpm="").json()
    assert song["tempo"] == [{"bar": 1, "bpm": "120"}]


EDITS = st.one_of(
    st.tuples(
        st.just("mark_section"),
        st.fixed_dictionaries({"first": st.integers(-1, 40), "last": st.integers(0, 40), "name": st.text(max_size=5)}),
    ),
    st.tuples(
        st.just("set_tempo"),
        st.fixed_dictionaries({"bpm": st.sampled_from(["60", "126.5", "0", "x"]), "bar": st.integers(1, 9)}),
    ),
    st.tuples(
        st.just("set_meter"),
        st.fixed_dictionaries({"meter": st.sampled_from(["3/4", "7/8", "4/3"]), "bar": st.integers(1, 9)}),
    ),
    st.tuples(st.just("set_length"), st.fixed_dictionaries({"bars": st.integers(-1, 50)})),
    st.tuples(
        st.just("set_facts"),
        st.fixed_dictionaries({"title": st.text(max_size=4), "pickup": st.sampled_from(["0", "1", "3/2", "?"])}),
    ),
    st.tuples(st.just("set_bar1"), st.fixed_dictionaries({"by_ms": st.integers(-500, 500)})),
)


@settings(max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(EDITS, max_size=8))
def test_undo_brings_back_every_step_and_redo_does_it_again(ines, edits):
    song = ines.song()
    row = lambda: Song.objects.get(pk=song["id"])
    seen = [snapshot(row())]
    for do, args in edits:
        answer = ines.edit(song, do, **args)
        assert answer.status_code in (200, 400), answer.content
        if answer.status_code == 400:
            assert answer.json()["problems"][0]["message"]
            assert snapshot(row()) == seen[-1]
        elif snapshot(row()) != seen[-1]:
            seen.append(snapshot(row()))
    for kept in reversed(seen[:-1]):
        assert ines.post(f"songs/{song['id']}/undo/").status_code == 200
        assert snapshot(row()) == kept
    assert ines.post(f"songs/{song['id']}/undo/").status_code == 400
    for kept in seen[1:]:
        assert ines.post(f"songs/{song['id']}/redo/").status_code == 200
        assert snapshot(row()) == kept


def test_two_people_on_one_song_never_lose_an_edit_in_silence(ines):
    song = ines.song()
    first = ines.post(
        f"songs/{song['id']}/edits/", {"do": "set_facts", "args": {"key": "D"}, "revision": song["revision"]}
    )
    second = ines.post(
        f"songs/{song['id']}/edits/", {"do": "set_facts", "args": {"key": "E"}, "revision": song["revision"]}
    )
    assert (first.status_code, second.status_code) == (200, 409)
    assert "Ines changed" in second.json()["problems"][0]["message"]
    assert ines.get(f"songs/{song['id']}/").json()["key"] == "D"


@pytest.mark.parametrize(
    ("do", "args", "says"),
    [
        ("set_tempo", {"bpm": "fast"}, "fast"),
        ("set_tempo", {}, "bpm"),
        ("dance", {}, "dance"),
        ("mark_section", {"first": 3, "last": 2, "name": "X"}, "Bars 3 to 2"),
        ("mark_section", {"first": 1, "last": 99, "name": "X"}, "99"),
        ("set_facts", {"title": "  "}, "title"),
        ("set_facts", {"crossfade_ms": 81}, "80 ms"),
        ("set_facts", {"count_in_bars": 9}, "8 bars"),
        ("set_stem", {"stem": "00000000-0000-0000-0000-000000000000"}, "stem"),
        ("set_bar1", {"seconds": "nan"}, "Bar 1"),
        ("set_facts", {"click": {"accent": "gong"}}, "gong"),
        ("set_length", {"bars": 0}, "bars"),
        ("set_form", {"steps": []}, "form"),
        ("move_boundary", {"section": "x", "first": 2}, "section"),
    ],
)
def test_an_edit_that_cannot_be_gets_a_sentence_and_leaves_no_trace(ines, do, args, says):
    song = ines.song()
    answer = ines.edit(song, do, **args)
    assert answer.status_code == 400
    assert says in answer.json()["problems"][0]["message"]
    after = ines.get(f"songs/{song['id']}/").json()
    assert after["revision"] == song["revision"]
    assert not after["can_undo"]


def test_names_in_any_script_are_kept_as_they_are(ines):
    song = ines.song()
    for name in ("夜の歌", "أغنية", "🎸 Solo", "<b>Bridge</b>", "Pre‑chorus"):
        song = ines.edit(song, "mark_section", first=1, last=4, name=name).json()
        assert song["sections"][0]["name"] == name


def test_an_edit_takes_few_queries_however_many_sections(ines, django_assert_max_num_queries):
    song = ines.song()
    for i in range(8):
        song = ines.edit(song, "mark_section", first=1 + 4 * i, last=4 + 4 * i, name=f"S{i}").json()
    with django_assert_max_num_queries(60):
        ines.edit(song, "set_facts", key="D")


@pytest.mark.parametrize("text", ["a\0b", "half \ud83d", {"deep": ["\0"]}])
def test_text_that_cannot_be_kept_is_said_not_stumbled_over(ines, text):
    song = ines.song()
    answer = ines.http.post(
        f"/api/songs/{song['id']}/edits/",
        json.dumps({"do": "set_facts", "args": {"title": text}}),
        content_type="application/json",
    )
    assert answer.status_code == 400
    assert "cannot be kept" in answer.json()["problems"][0]["message"]
