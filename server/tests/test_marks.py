"""Rule P13: what is marked in rehearsal lands on the chart, until it is seen to."""

import time

import pytest
from test_changes_taken_in import edit, song_of
from test_stage import engine, load, made_show, press  # noqa: F401  (fixtures)


@pytest.fixture
def rehearsing(ines, engine):  # noqa: F811
    # A bar of four seconds is still the same when a busy machine comes to press.
    show = made_show(ines, bpm="60")
    assert load(ines, show).status_code == 200
    return show


def marks(member, song):
    answer = member.get(f"marks/?song={song}")
    return answer.status_code, answer.json().get("marks")


def until_marked(member, song, count):
    end = time.monotonic() + 20
    while time.monotonic() < end:
        found = marks(member, song)[1]
        if len(found) == count:
            return found
        time.sleep(0.05)
    raise AssertionError(f"{found} are not {count} marks")


def marked(member, engine, bar, rehearsal=True):  # noqa: F811
    if rehearsal:
        assert member.post("engine/", {"press": "rehearse"}).json()["accepted"]
        assert member.post("engine/", {"press": "from_bar", "args": {"bar": bar, "count_in": False}}).json()["accepted"]
    else:
        assert press(member, "go")["accepted"]
    engine.until(lambda s: s["status"] == "playing" and s["position"]["bar"] == bar)
    assert press(member, "mark")["accepted"]
    time.sleep(0.3)
    press(member, "stop")
    engine.until(lambda s: s["status"] == "stopped")


def test_a_mark_lands_at_its_bar_until_it_is_seen_to_and_comes_back_by_undo(ines, other, rehearsing, engine):  # noqa: F811
    song, _ = song_of(ines, rehearsing)
    marked(ines, engine, 3)
    (one,) = until_marked(ines, song, 1)
    assert (one["bar"], one["by"]) == (3, "Ines")
    assert marks(other, song) == (404, None)
    edit(ines, song, "done_mark", mark=one["id"])
    assert marks(ines, song)[1] == []
    assert ines.post(f"songs/{song}/undo/", {}).status_code == 200
    assert marks(ines, song)[1] == [one]


def test_a_mark_stays_at_its_place_in_its_section_where_bars_come_before_it(ines, rehearsing, engine):  # noqa: F811
    song, _ = song_of(ines, rehearsing)
    edit(ines, song, "split_section", bar=3, name="Chorus")
    assert ines.post(f"shows/{rehearsing['id']}/load/", {"sure": True}).status_code == 200
    marked(ines, engine, 4)
    assert until_marked(ines, song, 1)[0]["bar"] == 4
    first = ines.get(f"songs/{song}/").json()["sections"][0]
    edit(ines, song, "resize_section", section=first["id"], bars=first["bars"] + 4)
    assert marks(ines, song)[1][0]["bar"] == 8


def test_what_is_marked_in_a_show_is_for_the_report_alone(ines, rehearsing, engine):  # noqa: F811
    song, _ = song_of(ines, rehearsing)
    marked(ines, engine, 1, rehearsal=False)
    assert marks(ines, song)[1] == []
