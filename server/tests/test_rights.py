"""What a member may do (rule B3): every way of the API, the stage's socket, and the own mix."""

import asyncio
import json
from dataclasses import replace

import pytest
from drf_spectacular.generators import SchemaGenerator
from rest_framework.test import APIClient
from test_apart import opened, socket
from test_stage import engine, load, made_show  # noqa: F401 - a fixture

from outputs.models import Feed
from people.models import Membership, Player, user_named
from people.passes import COOKIE, read_pass
from stage.members import as_now

NIL = "00000000-0000-0000-0000-000000000000"
#: What is open to somebody without the right to everything, and says itself what may be done there.
OPEN = {
    ("post", "/api/sign-out/"),
    ("post", "/api/engine/"),
    ("delete", "/api/engine/"),
    ("patch", "/api/feeds/{id}/"),
    ("post", "/api/feeds/{id}/more-me/"),
}


class Wren:
    """A member with a right of their own, and a mix."""

    def __init__(self, ines, right):
        self.band = ines.band
        self.player = Player.objects.create(band=ines.band, name="Wren", part="bass")
        self.user = user_named("Wren", ines.band, right=right, player=self.player)
        self.http = APIClient(raise_request_exception=False)
        self.http.force_login(self.user)

    def patch(self, path, data):
        return self.http.patch(f"/api/{path}", data, format="json")

    def post(self, path, data=None):
        return self.http.post(f"/api/{path}", data or {}, format="json")

    def get(self, path):
        return self.http.get(f"/api/{path}")


def ways():
    """Method and path of everything in the API that changes something."""
    paths = SchemaGenerator().get_schema(request=None, public=True)["paths"]
    return [
        (method, path) for path, own in paths.items() for method in own if method in ("post", "put", "patch", "delete")
    ]


@pytest.mark.parametrize("right", ["nothing", "own_mix", "sections"])
def test_nothing_is_changed_without_the_right_to_everything(ines, right):
    wren, tried = Wren(ines, right), 0
    for method, path in ways():
        if (method, path) in OPEN:
            continue
        filled = "/".join(NIL if part.startswith("{") else part for part in path.split("/"))
        answer = getattr(wren.http, method)(filled, {}, format="json")
        assert answer.status_code == 403, (method, path, answer.status_code)
        tried += 1
    assert tried > 60
    assert wren.get("feeds/").status_code == 200


def mixes(ines, wren):
    made = [
        ines.post(
            "feeds/", {"name": name, "kind": kind, "player": player, "sends": [{"source": "group:rhythm"}]}
        ).json()
        for name, kind, player in (
            ("Wren", "monitor", str(wren.player.pk)),
            ("Ozo", "monitor", None),
            ("House", "house", str(wren.player.pk)),
        )
    ]
    return [f["id"] for f in made]


def test_the_own_mix_and_nothing_else(ines):
    wren = Wren(ines, "own_mix")
    own, other, house = mixes(ines, wren)
    sends = [{"source": "group:rhythm", "gain_db": -9.0}, {"source": "click"}]
    changed = wren.patch(f"feeds/{own}/", {"gain_db": -3.0, "channels": 1, "sends": sends})
    assert (changed.status_code, changed.json()["gain_db"]) == (200, -3.0)
    for feed, change in ((other, {"gain_db": -3.0}), (house, {"gain_db": -3.0}), (own, {"player": None})):
        assert wren.patch(f"feeds/{feed}/", change).status_code == 403
    for change in ({"name": "Mine"}, {"kind": "house"}, {"alone": True}):
        assert wren.patch(f"feeds/{own}/", {**change, "gain_db": -3.0}).status_code == 403
    assert wren.http.delete(f"/api/feeds/{own}/").status_code == 403
    assert wren.post("feeds/", {"name": "New", "kind": "monitor"}).status_code == 403
    Membership.objects.filter(user=wren.user).update(right="nothing")
    assert wren.patch(f"feeds/{own}/", {"gain_db": 0.0}).status_code == 403
    assert Feed.objects.get(pk=own).gain_db == -3.0


def test_more_of_a_player_is_less_of_all_other_music(ines, wav):
    wren = Wren(ines, "own_mix")
    own, other, _ = mixes(ines, wren)
    song = ines.song()
    assert ines.imported(song, "Bass.wav", wav(4))["status"] == "done"
    stem = ines.get(f"songs/{song['id']}/").json()["stems"][0]
    covers = {"stem": stem["id"], "covers": str(wren.player.pk), "purpose": "covers", "group": "tonal"}
    assert ines.edit(song, "set_stem", **covers).status_code == 200
    sends = [{"source": s} for s in ("click", "group:rhythm", "group:tonal")]
    assert wren.patch(f"feeds/{own}/", {"sends": sends}).status_code == 200
    found = wren.post(f"feeds/{own}/more-me/").json()["sends"]
    levels = {s["source"]: s["gain_db"] for s in found}
    assert levels.pop(f"stem:{stem['id']}") == pytest.approx(-10.69, abs=0.02)
    assert levels == {"click": 0.0, "group:rhythm": -3.0, "group:tonal": -3.0}
    assert wren.post(f"feeds/{other}/more-me/").status_code == 403
    assert ines.post(f"feeds/{other}/more-me/").json()["problems"][0]["code"] == "mix-nobodys"
    ines.post("outputs/undo/")
    assert [s["gain_db"] for s in ines.get(f"feeds/{own}/").json()["sends"]] == [0.0, 0.0, 0.0]


def test_somebody_keeps_the_right_to_everything(ines):
    wren = Wren(ines, "nothing")
    members = {m["name"]: m for m in ines.get("members/").json()}
    assert members["Wren"] == {
        "id": members["Wren"]["id"],
        "name": "Wren",
        "role": "",
        "right": "nothing",
        "player": str(wren.player.pk),
    }
    last = ines.patch(f"members/{members['Ines']['id']}/", {"right": "nothing"})
    assert last.json()["problems"][0]["code"] == "right-last"
    assert ines.patch(f"members/{members['Wren']['id']}/", {"right": "everything"}).status_code == 200
    assert ines.patch(f"members/{members['Ines']['id']}/", {"right": "nothing"}).status_code == 200
    assert ines.post("songs/", {"title": "No"}).status_code == 403


def test_members_of_another_band_are_not_there(ines, other):
    theirs = Membership.objects.get(user=other.user)
    assert ines.patch(f"members/{theirs.pk}/", {"right": "nothing"}).status_code == 404
    assert [m["name"] for m in ines.get("members/").json()] == ["Ines"]


def test_the_stage_takes_what_the_right_allows(ines, engine):  # noqa: F811
    wren = Wren(ines, "sections")
    own, other, house = mixes(ines, wren)
    load(ines, made_show(ines))
    wren.get("me/")  # with it comes the pass

    def code(press, **args):
        answer = wren.post("engine/", {"press": press, "args": args}).json()
        return answer.get("code") or answer["problems"][0]["code"]

    assert code("go") == "right-missing"
    assert code("pull_house") == "right-missing"
    assert code("check_line") == "right-missing"
    assert code("go_to", step=0) == "jump-silent"  # it came as far as the engine
    assert code("level", part=f"feed:{own}", db=-3) == "level"
    assert code("level", part=f"feed:{other}", db=-3) == "right-missing"
    assert code("level", part="click", db=-3) == "right-missing"
    assert code("level", part=f"feed:{house}", db=-3) == "right-missing"
    assert wren.http.delete("/api/engine/").status_code == 403

    async def answers():
        stage = socket("/ws/stage/", wren)
        assert await opened(stage)

        async def said(what):
            while True:
                text = (await stage.receive_output(10)).get("text") or ""
                if what in text:
                    return json.loads(text)

        async def pressed(**press):
            await stage.send_input({"type": "websocket.receive", "text": json.dumps(press)})
            return (await said('"answer"'))["answer"]

        await said('"described"')
        levels = [{"part": f"feed:{feed}", "db": -1} for feed in (own, house)]
        found = [await pressed(press="go"), *[await pressed(press="level", args=args) for args in levels]]
        await stage.send_input({"type": "websocket.disconnect", "code": 1000})
        await stage.wait()
        return found

    refused, mix, in_house = asyncio.run(answers())
    assert {one["problems"][0]["code"] for one in (refused, in_house)} == {"right-missing"}
    assert mix["accepted"]


def test_a_pass_has_the_right_of_the_moment(ines):
    wren = Wren(ines, "sections")
    one = read_pass(wren.get("me/").cookies[COOKIE].value)
    assert (one.right, one.player) == ("sections", str(wren.player.pk))
    Membership.objects.filter(user=wren.user).update(right="everything")
    assert as_now(one) == replace(one, right="everything")
    Membership.objects.filter(user=wren.user).delete()
    assert as_now(one) is None
