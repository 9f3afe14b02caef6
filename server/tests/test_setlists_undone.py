"""Changes of a setlist are taken back one by one and done again, two people at once without loss."""

import pytest

from setlists.models import Setlist


@pytest.fixture
def setlist(ines):
    songs = [ines.song(title=title)["id"] for title in ("One", "Two", "Three")]
    return ines.post("setlists/", {"name": "Thursday", "entries": [{"song": s} for s in songs]}).json()


def now(member, setlist):
    return next(s for s in member.get("setlists/").json() if s["id"] == setlist["id"])


def whole(setlist):
    """All of it but what counts its changes."""
    return {k: v for k, v in setlist.items() if k not in ("revision", "can_undo", "can_redo")}


def patch(member, setlist, **change):
    answer = member.patch(f"setlists/{setlist['id']}/", change)
    assert answer.status_code == 200, answer.content
    return answer.json()


def travel(member, setlist, way, **more):
    return member.post(f"setlists/{setlist['id']}/{way}/", more)


def rows(setlist):
    return [{k: e[k] for k in ("id", "song", "form", "link", "link_seconds", "call_title", "note", "interval_minutes")} for e in setlist["entries"]]  # fmt: skip


def test_every_change_is_taken_back_and_done_again(ines, setlist):
    states = [setlist]
    states.append(patch(ines, setlist, name="Friday", slot_minutes=40, starts_at="21:00"))
    one, two, three = rows(setlist)
    states.append(patch(ines, setlist, entries=[three, one]))
    states.append(patch(ines, setlist, entries=[three, {**one, "link": "after", "link_seconds": 12, "note": "capo"}]))
    states.append(patch(ines, setlist, entries=[{"song": None, "interval_minutes": 20}, three]))
    for state in reversed(states[:-1]):
        answer = travel(ines, setlist, "undo")
        assert answer.status_code == 200, answer.content
        assert whole(answer.json()) == whole(state)
    assert travel(ines, setlist, "undo").json()["problems"][0]["code"] == "undo-nothing"
    assert now(ines, setlist)["can_undo"] is False
    for state in states[1:]:
        assert whole(travel(ines, setlist, "redo").json()) == whole(state)
    assert travel(ines, setlist, "redo").json()["problems"][0]["code"] == "redo-nothing"


def test_a_new_change_ends_what_could_be_done_again_and_none_is_kept_of_nothing(ines, setlist):
    patch(ines, setlist, name="Friday")
    travel(ines, setlist, "undo")
    assert now(ines, setlist)["can_redo"]
    again = patch(ines, setlist, name="Thursday")
    assert (again["can_undo"], again["can_redo"]) == (False, True), "nothing was changed"
    other = patch(ines, setlist, name="Saturday")
    assert (other["can_undo"], other["can_redo"]) == (True, False)


def test_a_song_that_was_deleted_meanwhile_stays_away(ines, setlist):
    one, two, three = rows(setlist)
    patch(ines, setlist, entries=[one])
    assert ines.delete(f"songs/{two['song']}/").status_code == 204
    back = travel(ines, setlist, "undo").json()
    assert [e["title"] for e in back["entries"]] == ["One", "Three"]


def test_of_two_people_the_second_sees_what_the_first_changed(ines, setlist):
    seen = patch(ines, setlist, name="Friday")
    patch(ines, setlist, slot_minutes=30)
    refused = travel(ines, setlist, "undo", revision=seen["revision"])
    assert refused.status_code == 409
    assert now(ines, setlist)["slot_minutes"] == 30
    assert travel(ines, setlist, "undo", revision=now(ines, setlist)["revision"]).json()["slot_minutes"] == 75


def test_of_another_band_nothing_is_taken_back(ines, other, setlist):
    patch(ines, setlist, name="Friday")
    assert travel(other, setlist, "undo").status_code == 404
    assert Setlist.objects.get(pk=setlist["id"]).name == "Friday"


def test_the_list_asks_no_more_for_more_setlists(ines, setlist, django_assert_max_num_queries):
    for i in range(5):
        ines.post("setlists/", {"name": f"L{i}", "entries": []})
    with django_assert_max_num_queries(12):
        ines.get("setlists/")
