"""What is left to do: one list, worst first."""

import pytest

from upbeat.show.to_do import EntryFacts, SongFacts, setlist_to_do, song_to_do
from upbeat.song.stems import Stem


def stem(name, **changes):
    return Stem(**{"id": name, "name": name, "file": f"{name}.wav", **changes})


def facts(*stems, **changes):
    base = {"problem": None, "faults": 0, "checks": 0, "offers": 0, "sections": 4, "key": "D"}
    return SongFacts(stems=stems or (stem("Bass"),), **{**base, **changes})


def codes(song):
    return [(one["code"], one["count"]) for one in song_to_do(song)]


ALL = {"grid", "sections", "parts", "key"}


def test_what_is_wrong_comes_before_what_nobody_looked_at():
    song = facts(stem("Guide vox"), stem("Bass"), faults=1, checks=2, offers=1, sections=1, key="")
    assert codes(song) == [
        ("faults", 1),
        ("reference", 1),
        ("checks", 2),
        ("offers", 1),
        ("grid", 1),
        ("sections", 1),
        ("parts", 1),
        ("key", 1),
    ]
    assert [one["severity"] for one in song_to_do(song)] == ["wrong"] * 2 + ["look"] * 6


@pytest.mark.parametrize("what", sorted(ALL))
def test_what_somebody_said_is_right_is_done(what):
    left = {code for code, _ in codes(facts(sections=1, key="", seen=frozenset({what})))}
    assert left == ALL - {what}


def test_a_part_that_covers_a_player_is_a_look_at_the_parts():
    assert "parts" not in dict(codes(facts(stem("Bass", purpose="covers", covers="ana"))))
    assert "parts" in dict(codes(facts(stem("Bass", purpose="covers"))))


def test_a_song_of_click_alone_has_nothing_to_do_but_what_keeps_it_from_being_played():
    alone = SongFacts(problem=None, stems=(), faults=0, checks=0, offers=0, sections=1, key="")
    assert song_to_do(alone) == []
    broken = SongFacts(problem="No bars.", stems=(), faults=0, checks=0, offers=0, sections=1, key="")
    assert [(one["code"], one["name"]) for one in song_to_do(broken)] == [("broken", "No bars.")]


def test_a_full_mix_is_named_beside_its_own_parts_alone():
    mix = stem("Mix", group="full_mix")
    assert [one["of"] for one in song_to_do(facts(mix, stem("Bass"), seen=frozenset(ALL)))] == ["Mix"]
    assert codes(facts(mix, seen=frozenset(ALL))) == []
    assert codes(facts(stem("Mix", group="full_mix", purpose="full_mix"), stem("Bass"), seen=frozenset(ALL))) == []


def entry(at, song, lufs=None, wrong=0, look=0):
    return EntryFacts(entry=at, song=song, title=song.title(), wrong=wrong, look=look, lufs=lufs)


def test_a_setlist_names_each_song_once_and_the_steps_between_neighbours():
    listed = [
        entry(0, "kites", -18, look=2),
        entry(1, "boats", -13.5),
        entry(3, "kites", -18, look=2),
        entry(4, "lanterns", None, wrong=1, look=3),
        entry(5, "comets", -15.0),
    ]
    found = [(one["code"], one["severity"], one["entry"], one["value"]) for one in setlist_to_do(listed, 61.0, 0)]
    assert found == [
        ("song", "wrong", 4, 4),
        ("over-slot", "wrong", None, 61.0),
        ("loudness", "look", 1, 4.5),
        ("loudness", "look", 3, -4.5),
        ("song", "look", 0, 2),
        ("no-show", "look", None, 0),
    ]


def test_a_setlist_of_nothing_wants_songs_and_one_that_is_ready_wants_nothing():
    assert [one["code"] for one in setlist_to_do([], 0, 0)] == ["no-songs"]
    assert setlist_to_do([entry(0, "kites", -18), entry(1, "boats", -15)], -5, 1) == []
