"""Rule P8 in the engine: changes are taken in while a song plays, whoever dies."""

import copy
import json
import os
import random
import signal
import time

import numpy as np
import pytest
from material import ramp_stem, show, song, write_wav
from process import Running
from test_survival import BAR, both_in_step, compared, press_about, same

from playout import shared


def documents():
    stems = [
        {"id": "r", "name": "Ramp", "file": "../sound/ramp.wav", "group": "rhythm", "pan": -1},
        {"id": "n", "name": "Noise", "file": "../sound/noise.wav", "group": "tonal"},
    ]
    steps = [{"section": "a"}, {"section": "b", "ending": {"kind": "vamp"}}, {"section": "c"}]
    first = song(stems=stems, forms=[{"id": "f", "name": "F", "steps": steps}])
    return show(first, song(id="two", title="Second"))


class Evening(Running):
    """An engine that has a show of several versions, each in a folder of its own, as the product writes them."""

    versions = 0

    def written(self, document):
        self.versions += 1
        folder = self.folder / f"evening-{self.versions}"
        (folder / "sound").mkdir(parents=True)
        text = json.dumps(document).replace("../sound/", "sound/")
        (folder / "show.json").write_text(text)
        for name in ("ramp", "noise"):
            (folder / "sound" / f"{name}.wav").hardlink_to(self.folder / "sound" / f"{name}.wav")
        return str(folder)

    def take_in(self, document):
        return self.client.load(self.written(document), "evening", band="us", onto=True)


@pytest.fixture(scope="module")
def engine(tmp_path_factory):
    folder = tmp_path_factory.mktemp("changes")
    (folder / "sound").mkdir()
    write_wav(folder / "sound" / "ramp.wav", ramp_stem(9 * BAR))
    write_wav(folder / "sound" / "noise.wav", np.random.default_rng(3).uniform(-0.2, 0.2, (9 * BAR, 2)))
    with Evening(folder) as running:
        yield running


@pytest.fixture
def playing(engine):
    if engine.state()["status"] in ("playing", "count_in"):
        engine.client.press("stop")
    first = engine.written(documents())
    answer = engine.client.load(first, "evening", band="us")
    assert answer["ok"], answer
    engine.first = first
    engine.recording = engine.client.ask("record", on=True)
    assert engine.client.press("go")["accepted"]
    engine.until(lambda s: s["status"] == "playing")
    return engine


def changed():
    document = documents()
    document["songs"][0]["stems"][0]["gain_db"] = -6
    document["songs"][0]["tempo"] = [{"bar": 1, "bpm": "180"}]
    document["entries"].insert(0, {"id": "new", "song": "two"})
    document["patch"][1]["delay_ms"] = 7
    return document


def test_the_recording_is_what_its_log_says_over_changes_that_are_taken_in(playing, missing):
    rng = random.Random(2)
    for document in (changed(), documents(), changed()):
        press_about(playing, rng)
        time.sleep(rng.uniform(0.1, 0.4))
        answer = playing.take_in(document)
        assert answer["ok"], answer
        press_about(playing, rng)
        time.sleep(rng.uniform(0.1, 0.4))
    state = playing.state()
    assert (state["status"], state["renderers"], state["faults"]) == ("playing", 2, 0)
    recorded, replayed = compared(playing, playing.first)
    same(recorded, replayed, missing)


@pytest.mark.parametrize("part", ["leader", "follower"])
def test_either_renderer_dies_after_changes_were_taken_in_and_nobody_hears_it(playing, part, missing):
    before = playing.state()["dropouts"]
    assert playing.take_in(changed())["ok"]
    for _ in range(2):
        both_in_step(playing)
        playing.kill_part(part)
        time.sleep(0.2)
        playing.client.press("go_to", step=1, when="next_bar")
    both_in_step(playing)
    assert playing.state()["dropouts"] - before <= missing()
    recorded, replayed = compared(playing, playing.first)
    same(recorded, replayed, missing)


def test_p4_all_killed_it_stands_stopped_in_what_sounded_and_comes_back_with_the_changes(playing):
    at = playing.until(lambda s: s["position"]["bar"] >= 4)["position"]
    assert playing.take_in(changed())["ok"]
    loads = playing.state()["loads"]
    time.sleep(0.3)
    playing.kill_part("leader")
    playing.kill_part("follower")
    state = playing.until(lambda s: s["status"] == "stopped" and s["loads"] > loads)
    shown = playing.described()["entries"]
    assert [e["title"] for e in shown] == ["Second", "Paper Boats", "Second", "Paper Boats"]
    assert [e["kept"] for e in shown] == [False, False, False, True]
    assert abs(state["position"]["bar"] - at["bar"]) <= 3
    assert playing.client.press("resume")["accepted"]
    playing.until(lambda s: s["status"] == "playing")


def test_p4_all_killed_the_moment_a_show_begins_it_is_that_show_that_comes_back(playing):
    playing.client.press("stop")
    other, loads = playing.written(changed()), playing.state()["loads"]
    assert playing.client.ask("load", folder=other, show="other", band="us", entry=1)["ok"]
    memory, until = playing.memory(), time.monotonic() + 40
    while memory.number(shared.PLAYING) == loads:
        assert time.monotonic() < until, "the show never began"
    playing.kill_part("leader")
    playing.kill_part("follower")
    state = playing.until(lambda s: s.get("loads", 0) > loads + 1)
    assert (state["show"], state["status"], state["position"]["entry"]) == ("other", "standby", 1)


def test_renderers_that_start_again_make_nothing_ready_that_was_given_back(playing):
    playing.client.press("stop")
    playing.until(lambda s: s["status"] == "stopped")
    assert playing.client.ask("give back")["ok"]
    described = {path: path.stat().st_mtime_ns for path in playing.engine.glob("described-*.json")}
    before = {part: playing.pid(part) for part in ("leader", "follower")}
    for pid in before.values():
        os.kill(pid, signal.SIGKILL)
    memory = playing.memory()
    while any(
        memory.own(r, shared.PID) in before.values() or not memory.own(r, shared.JOINED)
        for r in range(shared.RENDERERS)
    ):
        time.sleep(0.02)
    time.sleep(1.5)
    assert playing.state()["status"] == "empty"
    assert {path: path.stat().st_mtime_ns for path in described} == described


def test_changes_that_break_a_rule_are_refused_and_the_old_show_goes_on(playing, missing):
    before = playing.state()
    wrong = documents()
    wrong["feeds"][0]["sends"].append({"source": "click"})
    answer = playing.take_in(wrong)
    assert {p["code"] for p in answer["problems"]} == {"click-in-house"}
    assert "House" in answer["problems"][0]["message"]
    state = playing.state()
    assert (state["loads"], state["status"], state["loading"]) == (before["loads"], "playing", None)
    assert state["dropouts"] - before["dropouts"] <= missing()
    assert playing.take_in(changed())["ok"]


def test_only_the_show_that_is_loaded_can_be_changed(playing):
    folder = playing.written(documents())
    for show_id, band in (("other", "us"), ("evening", "them")):
        answer = playing.client.load(folder, show_id, band=band, onto=True)
        assert answer["problems"][0]["code"] == "onto-other"
    answer = playing.client.load(playing.first, "evening", band="us", onto=True)
    assert answer["problems"][0]["code"] == "onto-same"
    assert playing.state()["status"] == "playing"


def test_a_report_tells_a_song_once_whatever_was_taken_in_meanwhile(playing, capsys):
    from upbeat.cli import main as cli

    time.sleep(0.3)
    gone = copy.deepcopy(changed())
    gone["entries"] = [e for e in gone["entries"] if e["song"] == "two"]
    assert playing.take_in(gone)["ok"]
    playing.client.press("go_to", step=2, when="next_bar")
    playing.until(lambda s: s["status"] == "standby")
    time.sleep(0.5)
    playing.client.ask("record", on=False)
    assert cli(["report", str(playing.night()), "--show", playing.first, "--json"]) == 0
    (entry,) = json.loads(capsys.readouterr().out)["entries"]
    assert entry["title"] == "Paper Boats"
    assert [p["section"] for p in entry["passes"]] == ["Verse", "Coda"]
