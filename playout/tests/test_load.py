"""How busy the machine is, in one word: what it is made of, and what it is not taken for."""

import json
import os
import subprocess

import pytest
from material import show, song
from process import Running

from playout.load import Load, judged


def load(**more):
    calm = Load(
        word="calm",
        reasons=[],
        processor=0.2,
        memory=0.3,
        memory_free_mb=9000,
        disk=0.4,
        disk_free_mb=50_000,
        temperature=None,
        parts=[],
        least_ms=900,
        ahead_ms=1000,
        latest_ms=1.0,
        buffer_ms=21.3,
        hurried=True,
        gone=[],
    )
    return {**calm, **more}


@pytest.mark.parametrize(
    ("more", "word", "reasons"),
    [
        ({}, "calm", []),
        ({"processor": 1.0}, "busy", ["processor"]),
        ({"least_ms": 500}, "busy", ["ring"]),
        ({"least_ms": 200}, "strained", ["ring"]),
        ({"latest_ms": 11.0}, "busy", ["waking"]),
        ({"latest_ms": 21.3}, "strained", ["waking"]),
        ({"latest_ms": 21.3, "buffer_ms": 341.3}, "calm", []),
        ({"disk_free_mb": 150}, "strained", ["disk"]),
        ({"memory": 0.96, "temperature": 88.0}, "strained", ["memory", "temperature"]),
        ({"least_ms": None, "latest_ms": None}, "calm", []),
    ],
)
def test_one_word_is_red_only_where_it_matters(more, word, reasons):
    assert judged(load(**more)) == (word, reasons)


def test_every_part_is_told_with_its_share_and_a_press_is_not_taken_for_a_busy_machine(tmp_path, missing):
    (tmp_path / "parts.json").write_text(json.dumps({"web": os.getpid(), "address": "x", "engine": 1}))
    engine = Running(tmp_path, more=("--parts", str(tmp_path / "parts.json")))
    with engine:
        assert engine.load(show(song()))["ok"]
        engine.client.press("go")
        engine.until(lambda s: s["position"]["bar"] == 2)
        for _ in range(8):
            engine.client.press("go_to", step=0, when="at_once")
        state = engine.until(lambda s: s["load"] and s["load"]["least_ms"] is not None and s["position"]["bar"] == 2)
        assert state["load"]["least_ms"] > 300 or missing()
        # A second renderer that is only just up is told with the next look.
        state = engine.until(lambda s: all(p["memory_mb"] > 1 for p in s["load"]["parts"]))
        parts = {p["name"]: p for p in state["load"]["parts"]}
        assert set(parts) == {"feeder", "renderer-1", "renderer-2", "web"}
        assert state["load"]["ahead_ms"] == 1000
        assert state["load"]["buffer_ms"] == pytest.approx(341.3)


def test_a_part_that_has_ended_is_told_while_the_show_goes_on(tmp_path):
    with subprocess.Popen(["sleep", "60"]) as part:
        (tmp_path / "parts.json").write_text(json.dumps({"database": part.pid, "web": os.getpid()}))
        with Running(tmp_path, more=("--parts", str(tmp_path / "parts.json"))) as engine:
            assert engine.load(show(song()))["ok"]
            engine.client.press("go")
            engine.until(lambda s: s["load"] and s["load"]["gone"] == [])
            part.kill()
            state = engine.until(lambda s: s["load"]["gone"] == ["database"])
            assert state["status"] in ("count_in", "playing")
            (tmp_path / "parts.json").write_text(json.dumps({"database": os.getpid(), "web": os.getpid()}))
            engine.until(lambda s: s["load"]["gone"] == [])
