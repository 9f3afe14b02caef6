"""What a machine may not give: memory, rank, a disk that takes what is written; and a show that is gone."""

import json
import os
import shutil
import subprocess
import sys

import pytest
from material import RATE, ramp_stem, show, song, write_wav
from process import Running, free_port

from playout import shared
from upbeat.show.replay import read_night

BAR = 2 * RATE
WITHOUT_RANK = ("setpriv", "--bounding-set", "-sys_nice,-ipc_lock", "--inh-caps", "-sys_nice,-ipc_lock")


def evening(folder):
    """A show of eight bars, and its stem in place."""
    (folder / "evening").mkdir(parents=True, exist_ok=True)
    write_wav(folder / "evening" / "ramp.wav", ramp_stem(9 * BAR))
    return show(song(stems=[{"id": "r", "name": "Ramp", "file": "ramp.wav", "group": "rhythm"}]))


def test_a_user_without_the_right_to_raise_priorities_is_told_once_and_plays(tmp_path, capfd):
    if os.geteuid() == 0:
        running = Running(tmp_path, prefix=WITHOUT_RANK)
    else:
        running = Running(tmp_path)
    with running as engine:
        assert engine.load(evening(tmp_path))["ok"]
        engine.client.press("go")
        state = engine.until(lambda s: s["position"]["bar"] == 2 and s["load"])
        assert state["load"]["hurried"] is False
        assert (state["renderers"], state["faults"]) == (2, 0)
    assert capfd.readouterr().err.count("may not let a program run before others") == 1


def test_shared_memory_that_cannot_be_had_is_said_in_a_sentence(tmp_path):
    engine = tmp_path / "engine"
    engine.mkdir()
    place = shared.path_of(engine)
    place.mkdir()
    command = [sys.executable, "-m", "playout.main", "--control", str(free_port()), "--state", str(free_port())]
    try:
        done = subprocess.run([*command, "--folder", str(engine)], capture_output=True, text=True, check=False)
    finally:
        place.rmdir()
    assert done.returncode == 1
    assert "MB of shared memory and cannot have it" in done.stderr
    assert done.stderr.strip().count("\n") == 0


def test_a_disk_that_takes_nothing_is_told_and_the_music_goes_on(tmp_path, missing):
    with Running(tmp_path) as engine:
        nights = engine.engine / "night-logs"
        nights.write_text("in the way of the folder")
        assert engine.load(evening(tmp_path))["ok"]
        engine.client.press("go")
        state = engine.until(lambda s: s["unwritten"] and s["position"]["bar"] == 2)
        assert (state["faults"], state["renderers"]) == (0, 2)
        assert state["dropouts"] <= missing()
        assert engine.client.press("pull_house")["accepted"]
        # The one that could not begin the night is gone as well: the other one begins it.
        engine.kill_part("leader")
        engine.until(lambda s: s["renderers"] == 2)
        # What comes later is written as soon as the disk takes it.
        nights.unlink()
        engine.until(lambda s: not s["unwritten"])
        engine.client.press("bring_back")
        engine.until(lambda s: '"bring_back"' in engine.night().read_text())
        assert read_night(engine.night()).head["show"] == "evening"


@pytest.mark.parametrize("harm", ["missing", "half written", "of another kind"])
def test_a_show_folder_that_cannot_be_read_is_refused_and_what_was_there_stays(tmp_path, harm):
    with Running(tmp_path) as engine:
        assert engine.load(evening(tmp_path))["ok"]
        other = tmp_path / "other"
        if harm != "missing":
            other.mkdir()
            whole = (tmp_path / "evening" / "show.json").read_text()
            (other / "show.json").write_text(whole[: len(whole) // 2] if harm == "half written" else '{"a": 1}')
        answer = engine.client.load(str(other), "other")
        assert not answer["ok"]
        assert len(answer["problems"][0]["message"]) > 20
        engine.until(lambda s: s["show"] == "evening" and s["renderers"] == 2)
        assert engine.client.press("go")["accepted"]
        engine.until(lambda s: s["status"] == "playing")


def test_a_show_folder_that_goes_while_it_plays_is_not_missed(tmp_path, missing):
    with Running(tmp_path) as engine:
        assert engine.load(evening(tmp_path))["ok"]
        engine.client.press("go")
        bar = engine.until(lambda s: s["status"] == "playing")["position"]["bar"]
        shutil.rmtree(tmp_path / "evening")
        state = engine.until(lambda s: s["position"]["bar"] > bar)
        assert (state["unreadable"], state["renderers"]) == ([], 2)
        assert state["dropouts"] <= missing()


def test_a_show_that_is_gone_after_a_crash_leaves_the_stage_empty(tmp_path):
    with Running(tmp_path) as engine:
        assert engine.load(evening(tmp_path))["ok"]
        engine.client.press("go")
        engine.until(lambda s: s["position"]["bar"] == 2)
        engine.until(lambda s: (engine.engine / "checkpoint.json").exists())
        engine.kill()
        shutil.rmtree(tmp_path / "evening")
        engine.start()
        state = engine.until(lambda s: (s["load_answer"] or {}).get("ok") is False)
        assert state["status"] == "empty"
        assert "is not there" in state["load_answer"]["problems"][0]["message"]
        assert json.loads((engine.engine / "loaded.json").read_text())["show"] == "evening"
