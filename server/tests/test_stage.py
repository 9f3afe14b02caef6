"""The stage over the API, with a real engine: whose it is, which interface it feeds, what is written down."""

import asyncio
import json

import pytest
from process import Running
from test_apart import opened, socket

from outputs.models import Rig
from people.passes import new_pass
from setlists.models import Setlist
from shows.models import Show
from stage.members import as_now


@pytest.fixture
def engine(settings, tmp_path):
    with Running(tmp_path) as running:
        settings.ENGINE_CONTROL_PORT, settings.ENGINE_STATE_PORT = running.ports
        yield running


def made_show(member, title="Thursday", sockets=(1, 2), **facts):
    """A show of one song of click alone, twice."""
    song = member.song(**facts)
    rig = member.post("rigs/", {"name": "Rig", "sockets": [{"number": n} for n in sockets], "patches": []}).json()
    entries = [{"song": song["id"]}, {"song": song["id"]}]
    setlist = member.post("setlists/", {"name": "L", "entries": entries}).json()
    return member.post("shows/", {"title": title, "setlist": setlist["id"], "rig": rig["id"]}).json()


def load(member, show, sure=False):
    return member.post(f"shows/{show['id']}/load/", {"sure": sure})


def code(answer):
    assert answer.status_code == 400, answer.content
    return answer.json()["problems"][0]["code"]


def press(member, name):
    answer = member.post("engine/", {"press": name})
    assert answer.status_code == 200, answer.content
    return answer.json()


def playing(member, engine):
    assert press(member, "go")["accepted"]
    return engine.until(lambda s: s["status"] in ("count_in", "playing") and s["position"]["counting"] is not None)


def stopped(member, engine):
    assert press(member, "stop")["accepted"]
    return engine.until(lambda s: s["status"] == "stopped")


def test_loading_asks_where_a_place_or_another_show_would_be_lost(ines, other, engine):
    first, second, theirs = made_show(ines), made_show(ines, "Friday"), made_show(other, "Theirs")
    assert load(ines, first).status_code == 200
    assert load(ines, first).status_code == 200  # nothing is lost at its beginning
    playing(ines, engine)
    assert code(load(ines, first, sure=True)) == "load-playing"
    stopped(ines, engine)
    answer = load(ines, first)
    assert code(answer) == "stage-place"
    assert "“Thursday” stands stopped at bar" in answer.json()["problems"][0]["message"]
    assert code(load(ines, second)) == "stage-other-show"
    answer = load(other, theirs)
    assert code(answer) == "stage-taken"
    assert ines.band.name in answer.json()["problems"][0]["message"]
    assert engine.state()["status"] == "stopped"
    assert load(ines, second, sure=True).status_code == 200
    assert ines.get("engine/").json()["show_title"] == "Friday"
    assert load(other, theirs, sure=True).status_code == 200
    assert ines.get("engine/").json()["status"] == "other"


def test_the_stage_is_given_back_and_stays_empty_after_a_crash(ines, other, engine):
    show = made_show(ines)
    load(ines, show)
    assert code(other.delete("engine/")) == "no-show"
    playing(ines, engine)
    assert code(ines.delete("engine/")) == "load-playing"
    stopped(ines, engine)
    assert ines.delete("engine/").status_code == 204
    engine.until(lambda s: s["status"] == "empty")
    assert load(other, made_show(other)).status_code == 200
    engine.until(lambda s: s["show"] is not None)
    assert other.delete("engine/").status_code == 204
    engine.until(lambda s: s["status"] == "empty" and not (engine.engine / "loaded.json").exists())
    engine.kill()
    engine.start()
    assert engine.state()["status"] == "empty"


def test_what_plays_can_be_stopped_whatever_is_deleted(ines, engine):
    show = made_show(ines)
    load(ines, show)
    playing(ines, engine)
    for model in (Show, Setlist, Rig):
        model.objects.filter(band=ines.band).delete()
    assert ines.get("engine/").json()["show_title"] == "Thursday"
    stopped(ines, engine)
    assert press(ines, "resume")["accepted"]
    # The stage's own server believes passes: a band that is gone turns nobody out of what it has loaded.
    one = new_pass(user=ines.user.pk, person="Ines", band=str(ines.band.pk), band_name="x")
    ines.band.delete()
    assert as_now(one) == one
    ines.user.delete()
    assert as_now(one) == one


def test_the_interface_is_chosen_and_kept_for_its_rig(ines, engine):
    show = made_show(ines)
    rig = show["rig"]
    found = ines.get("interfaces/").json()
    assert found["found"][0]["name"] == "simulated"
    assert (found["now"]["name"], found["now"]["outputs"], found["now"]["there"]) == ("simulated", 4, True)
    choice = {"rig": rig, "name": "simulated", "outputs": 16, "block": 128, "buffer": 8}
    assert ines.post("interfaces/", choice).status_code == 200
    state = engine.until(lambda s: s["channels"] == 16)
    assert (state["block"], state["buffer"]) == (128, 8)
    assert ines.get(f"rigs/{rig}/").json()["interface"] == {k: v for k, v in choice.items() if k != "rig"}
    # It comes back with the rig.
    elsewhere = made_show(ines, "Elsewhere")
    ines.post("interfaces/", {**choice, "rig": elsewhere["rig"], "outputs": 2})
    engine.until(lambda s: s["channels"] == 2)
    assert load(ines, show).status_code == 200
    engine.until(lambda s: s["channels"] == 16 and s["show"] == show["id"])


@pytest.mark.parametrize(
    ("change", "code_"),
    [
        ({"name": "interface:Nowhere (ALSA)"}, "interface-missing"),
        ({"name": "nothing of the kind"}, "interface-unknown"),
    ],
)
def test_an_interface_that_cannot_be_is_refused_in_a_sentence(ines, engine, change, code_):
    rig = made_show(ines)["rig"]
    choice = {"rig": rig, "name": "simulated", "outputs": 2, "block": 256, "buffer": 4, **change}
    assert code(ines.post("interfaces/", choice)) == code_
    assert ines.get(f"rigs/{rig}/").json()["interface"] is None
    assert engine.until(lambda s: s["device"] == "simulated")["channels"] == 4


@pytest.mark.parametrize("change", [{"outputs": 65}, {"outputs": 0}, {"block": 100}, {"buffer": 1}, {"buffer": 65}])
def test_figures_of_an_interface_have_bounds(ines, engine, change):
    rig = made_show(ines)["rig"]
    choice = {"rig": rig, "name": "simulated", "outputs": 2, "block": 256, "buffer": 4, **change}
    assert ines.post("interfaces/", choice).status_code == 400


def test_an_interface_of_another_bands_rig_or_song_is_left_alone(ines, other, engine):
    show = made_show(ines)
    choice = {"rig": show["rig"], "name": "simulated", "outputs": 2, "block": 256, "buffer": 4}
    assert other.post("interfaces/", choice).status_code == 404
    load(ines, show)
    playing(ines, engine)
    theirs = made_show(other)["rig"]
    assert code(other.post("interfaces/", {**choice, "rig": theirs})) == "interface-taken"


def test_nights_are_listed_and_saved_by_the_band_that_played_them(ines, other, engine):
    show = made_show(ines)
    load(ines, show)
    playing(ines, engine)
    stopped(ines, engine)
    nights = engine.engine / "night-logs"
    engine.until(lambda s: any('"stop"' in night.read_text() for night in nights.glob("*")))
    nights = ines.get("nights/").json()
    assert nights["kept_days"] == 90
    (night,) = nights["nights"]
    assert night["title"] == "Thursday", engine.night().read_text()
    assert night["bytes"] > 0
    answer = ines.get(f"nights/{night['name']}/")
    assert "attachment" in answer["Content-Disposition"]
    lines = [json.loads(line) for line in b"".join(answer.streaming_content).splitlines()]
    assert [line["press"] for line in lines if line["kind"] == "press"] == ["go", "stop"]
    assert [line["by"] for line in lines if line["kind"] == "press"] == ["Ines", "Ines"]
    assert other.get("nights/").json()["nights"] == []
    for name in (night["name"], "../checkpoint.json", "%2e%2e%2fcheckpoint.json", night["name"] + "%00"):
        assert other.get(f"nights/{name}/").status_code == 404
        if name != night["name"]:
            assert ines.get(f"nights/{name}/").status_code == 404


@pytest.mark.django_db(transaction=True)
def test_a_press_that_was_long_on_its_way_is_refused(ines, engine):
    load(ines, made_show(ines))
    ines.get("me/")

    async def said(stage, key):
        while key not in (text := (await stage.receive_output(10)).get("text", "")):
            pass
        return json.loads(text)

    async def run():
        stage = socket("/ws/stage/", ines)
        assert await opened(stage)
        await said(stage, '"described"')
        found = []
        for made in (-5000, 1):
            await stage.send_input({"type": "websocket.receive", "text": '{"ping": 1}'})
            now = (await said(stage, "pong"))["now"]
            press = {"press": "go", "made": now + made}
            await stage.send_input({"type": "websocket.receive", "text": json.dumps(press)})
            found.append((await said(stage, '"answer"'))["answer"])
        await stage.send_input({"type": "websocket.disconnect", "code": 1000})
        await stage.wait()
        return found

    old, fresh = asyncio.run(run())
    assert old["problems"][0]["code"] == "press-old"
    assert fresh["accepted"]
