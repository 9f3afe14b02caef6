"""Signing in, and that every object is invisible to another band."""

import pytest
from django.test import Client

from people.models import SignInLink


def test_a_link_signs_in_once(ines):
    link = ines.post("sign-in-links/", {"name": "Hakon", "role": "sound"}).json()["link"]
    path = link.split("testserver")[1]
    browser = Client()
    assert browser.get(path).url == "/"
    assert browser.get("/api/me/").json() == {
        "name": "Hakon",
        "role": "sound",
        "band": "The Comet Caravan",
        "stage_port": 8801,
        "right": "everything",
        "player": None,
    }
    assert Client().get(path).url == "/signed-out?link=used"


def test_an_old_or_invented_link_does_not(ines):
    token = SignInLink.make(ines.user)
    SignInLink.objects.update(expires="2001-01-01T00:00Z")
    assert "used" in Client().get(f"/sign-in/{token}/").url
    assert "used" in Client().get("/sign-in/invented/").url


def test_signing_out(ines):
    assert ines.post("sign-out/").status_code == 204
    assert ines.get("me/").status_code == 403


@pytest.mark.parametrize(
    "path",
    [
        "me/",
        "songs/",
        "setlists/",
        "rigs/",
        "feeds/",
        "shows/",
        "players/",
        "uploads/",
        "engine/",
        "engine/show/",
        "engine/recording/",
    ],
)
def test_strangers_get_a_sentence_and_nothing_else(db, path):
    answer = Client().get(f"/api/{path}")
    assert answer.status_code == 403
    assert "Sign in" in answer.json()["problems"][0]["message"]


@pytest.fixture
def things(ines):
    """One of everything, as paths."""
    song = ines.song()
    rig = ines.post("rigs/", {"name": "Rig", "sockets": [{"number": 1}]}).json()
    feed = ines.post("feeds/", {"name": "House", "kind": "house"}).json()
    setlist = ines.post("setlists/", {"name": "List", "entries": [{"song": song["id"]}]}).json()
    show = ines.post("shows/", {"title": "Show", "setlist": setlist["id"], "rig": rig["id"]}).json()
    player = ines.post("players/", {"name": "Ozo"}).json()
    upload = ines.post("uploads/", {"song": song["id"], "name": "a.wav", "size": 10}).json()
    return {
        "songs": song["id"],
        "rigs": rig["id"],
        "feeds": feed["id"],
        "setlists": setlist["id"],
        "shows": show["id"],
        "players": player["id"],
        "uploads": upload["id"],
        "line-ups": ines.post("line-ups/", {"name": "All"}).json()["id"],
    }


def test_nothing_of_a_band_is_seen_changed_or_named_by_another(things, other):
    for noun, pk in things.items():
        assert other.get(f"{noun}/").json() == []
        assert other.get(f"{noun}/{pk}/").status_code == 404
        assert other.delete(f"{noun}/{pk}/").status_code in (404, 405)
        assert other.patch(f"{noun}/{pk}/", {"name": "Mine"}).status_code in (404, 405)
    for path in (
        f"songs/{things['songs']}/edits/",
        f"songs/{things['songs']}/undo/",
        f"shows/{things['shows']}/load/",
        f"uploads/{things['uploads']}/cancel/",
        f"uploads/{things['uploads']}/retry/",
    ):
        assert other.post(path, {"do": "set_facts"}).status_code == 404
    for path in (
        f"songs/{things['songs']}/chart/",
        f"shows/{things['shows']}/bundle/",
        f"shows/{things['shows']}/document/",
    ):
        assert other.get(path).status_code == 404
    assert (
        other.http.put(
            f"/api/uploads/{things['uploads']}/piece/?offset=0", b"x", content_type="application/octet-stream"
        ).status_code
        == 404
    )


def test_no_reference_reaches_into_another_band(things, other):
    own_list = other.post("setlists/", {"name": "Mine"}).json()
    own_rig = other.post("rigs/", {"name": "Mine", "sockets": [{"number": 1}]}).json()
    refused = [
        other.post("uploads/", {"song": things["songs"], "name": "a.wav", "size": 10}),
        other.post("setlists/", {"name": "X", "entries": [{"song": things["songs"]}]}),
        other.post("shows/", {"title": "X", "setlist": things["setlists"], "rig": own_rig["id"]}),
        other.post("shows/", {"title": "X", "setlist": own_list["id"], "rig": things["rigs"]}),
        other.post(
            "shows/", {"title": "X", "setlist": own_list["id"], "rig": own_rig["id"], "line_up": things["line-ups"]}
        ),
        other.post("line-ups/", {"name": "X", "away": [things["players"]]}),
        other.patch(f"rigs/{own_rig['id']}/", {"patches": [{"feed": things["feeds"], "side": "left", "socket": 1}]}),
    ]
    assert {r.status_code for r in refused} == {400}


def test_the_page_carries_its_policy_and_its_cookie(db):
    answer = Client().get("/songs")
    assert "default-src 'self'" in answer["Content-Security-Policy"]
    assert answer["X-Frame-Options"] == "DENY"
    assert answer.status_code == 503 or "csrftoken" in answer.cookies
