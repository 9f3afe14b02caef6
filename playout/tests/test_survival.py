"""Rules E1 to E4: any process may die at any frame, and what leaves the sockets is what the log says."""

import contextlib
import json
import os
import random
import signal
import time
from pathlib import Path

import numpy as np
import pytest
import soundfile
import zmq
from material import RATE, ramp_stem, show, song, write_wav
from process import Running

from playout import shared
from playout.client import EngineSilent
from playout.processes import is_ours
from upbeat.audio.pcm import WavWriter
from upbeat.cli import main as cli
from upbeat.show.bundle import read_document
from upbeat.show.ready import make_ready
from upbeat.show.replay import read_night, replay

BAR = 2 * RATE


@pytest.fixture(scope="module")
def engine(tmp_path_factory):
    folder = tmp_path_factory.mktemp("survival")
    (folder / "evening").mkdir()
    write_wav(folder / "evening" / "ramp.wav", ramp_stem(9 * BAR))
    noise = np.random.default_rng(3).uniform(-0.2, 0.2, (9 * BAR, 2))
    write_wav(folder / "evening" / "noise.wav", noise)
    with Running(folder) as running:
        yield running


@pytest.fixture
def playing(engine):
    """A show that goes round and round in its middle, being recorded."""
    if engine.state()["status"] in ("playing", "count_in"):
        engine.client.press("stop")
    stems = [
        {"id": "r", "name": "Ramp", "file": "ramp.wav", "group": "rhythm", "pan": -1},
        {"id": "n", "name": "Noise", "file": "noise.wav", "group": "tonal"},
    ]
    steps = [{"section": "a"}, {"section": "b", "ending": {"kind": "vamp"}}, {"section": "c"}]
    forms = [{"id": "f", "name": "F", "steps": steps}]
    answer = engine.load(show(song(stems=stems, forms=forms)))
    assert answer["ok"], answer
    engine.recording = engine.client.ask("record", on=True)
    assert engine.client.press("go")["accepted"]
    engine.until(lambda s: s["status"] == "playing")
    return engine


def compared(engine, shown=None):
    """(recorded, replayed) samples of the show in a folder, from the beginning of the recording on."""
    time.sleep(0.3)
    path = engine.finished_recording()
    recorded, _ = soundfile.read(path, dtype="float32", always_2d=True)
    # What was heard last is written down a moment later.
    time.sleep(0.3)
    folder = Path(shown or engine.folder / "evening")
    ready = make_ready(read_document(folder), folder)
    blocks = []
    first = engine.recording["frame"]
    replay(ready, read_night(engine.night()), blocks.append, max(first, 0) + len(recorded))
    replayed = np.concatenate(blocks, axis=1).T
    begin = max(0, -first)
    return recorded[begin:], replayed[max(0, first) : max(0, first) + len(recorded) - begin]


def both_in_step(engine):
    """Wait until both renderers have the show, and half a second of it in hand."""
    memory = engine.memory()
    until = time.monotonic() + 20
    while time.monotonic() < until:
        playing, written = memory.number(shared.PLAYING), memory.number(shared.WRITTEN) * shared.BLOCK
        own = [[memory.own(r, n) for n in (shared.READY, shared.HEAD, shared.PID)] for r in (0, 1)]
        if all(ready == playing and head > written + RATE // 2 and is_ours(pid) for ready, head, pid in own):
            return
        time.sleep(0.01)
    raise AssertionError("the renderers are not in step")


def press_about(engine, rng):
    engine.client.press("go_to", step=rng.randrange(3), when=rng.choice(["next_bar", "at_once", "in_2_bars"]))
    if rng.random() < 0.3:
        engine.client.press(rng.choice(["pull_house", "bring_back"]))


def same(recorded, replayed, missing):
    """Whether both are the same, bit for bit, but for silence in place of so many blocks; says where they part."""
    replayed = replayed[:, : recorded.shape[1]]
    differ = (recorded != replayed).any(axis=1)
    silent = differ & ~recorded.any(axis=1)
    if silent.sum() <= missing() * shared.BLOCK:
        differ &= ~silent
    parted = np.flatnonzero(differ)
    assert not len(parted), f"{len(parted)} of {len(recorded)} frames differ, from {parted[0]} to {parted[-1]}"


def test_e1_the_recording_is_what_its_log_says_bit_for_bit(playing, missing):
    rng = random.Random(1)
    for _ in range(12):
        time.sleep(rng.uniform(0.1, 0.5))
        press_about(playing, rng)
    recorded, replayed = compared(playing)
    same(recorded, replayed, missing)
    assert np.abs(recorded).max() > 0.1


def test_p5_a_night_is_played_again_and_told_by_the_command_line(playing, tmp_path, capsys, missing):
    playing.client.press("go_to", step=2, when="next_bar")
    playing.until(lambda s: s["status"] == "finished")
    recorded, _ = compared(playing)
    show_folder, night = str(playing.folder / "evening"), str(playing.night())
    assert cli(["replay", night, "--show", show_folder, "--out", str(tmp_path), "--json"]) == 0
    assert len(json.loads(capsys.readouterr().out)["faults"]) <= missing()
    again, _ = soundfile.read(tmp_path / "sockets.wav", dtype="float32", always_2d=True)
    first = max(0, playing.recording["frame"])
    length = min(len(recorded), len(again) - first)
    same(recorded[:length], again[first : first + length], missing)
    assert cli(["report", night, "--show", show_folder, "--json"]) == 0
    (entry,) = json.loads(capsys.readouterr().out)["entries"]
    assert [p["section"] for p in entry["passes"]] == ["Verse", "Coda"]
    assert (entry["title"], entry["jumps"]) == ("Paper Boats", 1)
    assert entry["dropouts"] <= missing()
    assert entry["passes"][1]["bars"] == 2


def test_p5_what_is_no_night_log_is_refused(tmp_path, capsys):
    (tmp_path / "log.jsonl").write_text('{"kind": "other"}\nhalf a li')
    assert cli(["report", str(tmp_path / "log.jsonl"), "--show", str(tmp_path), "--json"]) == 1
    assert json.loads(capsys.readouterr().out)["problems"][0]["code"] == "log-format"


@pytest.mark.parametrize("part", ["leader", "follower"])
def test_e3_either_renderer_is_killed_again_and_again_and_nobody_hears_it(playing, part, missing):
    rng = random.Random(part)
    before = playing.state()["dropouts"]
    for _ in range(6):
        both_in_step(playing)
        time.sleep(rng.uniform(0, 0.2))
        playing.kill_part(part)
        press_about(playing, rng)
        time.sleep(rng.uniform(0.1, 0.5))
    assert playing.until(lambda s: s["renderers"] == 2)["dropouts"] - before <= missing()
    recorded, replayed = compared(playing)
    same(recorded, replayed, missing)


def test_e2_a_leader_that_is_held_up_for_less_than_the_ring_is_not_heard(playing, missing):
    before = playing.until(lambda s: s["renderers"] == 2)["dropouts"]
    pid = playing.pid("leader")
    os.kill(pid, signal.SIGSTOP)
    time.sleep(0.8)
    os.kill(pid, signal.SIGCONT)
    time.sleep(0.5)
    assert playing.state()["dropouts"] - before <= missing()
    recorded, replayed = compared(playing)
    same(recorded, replayed, missing)


def test_what_is_told_goes_on_when_the_lead_changes(playing):
    """The one that takes the lead has a state of when it led before: nobody is told that one."""
    states = zmq.Context.instance().socket(zmq.SUB)
    states.setsockopt(zmq.SUBSCRIBE, b"state")
    states.setsockopt(zmq.LINGER, 0)
    states.connect(f"tcp://127.0.0.1:{playing.ports[1]}")
    led = set()
    for _ in range(4):
        both_in_step(playing)
        pid = playing.pid("leader")
        led.add(pid)
        os.kill(pid, signal.SIGSTOP)
        time.sleep(0.6)
        os.kill(pid, signal.SIGCONT)
        time.sleep(0.5)
    told = []
    while states.poll(200) and len(told) < 2000 and (not told or told[-1]["heard_at"] < time.monotonic() - 0.3):
        told.append(json.loads(states.recv_multipart()[1]))
    states.close()
    assert len(led) == 2
    assert len(told) > 20
    assert {s["status"] for s in told} == {"playing"}
    assert len({s["loads"] for s in told}) == 1
    at = [s["heard_at"] for s in told]
    assert at == sorted(at)


def test_who_asks_for_the_state_gets_no_older_one_when_the_leader_dies(playing):
    """The one that takes the lead has a state of when it led before; the one that died is started again at once."""
    for _ in range(5):
        both_in_step(playing)
        at = playing.state()["heard_at"]
        playing.kill_part("leader")
        end = time.monotonic() + 0.3
        while time.monotonic() < end:
            before, at = at, playing.client.ask("state")["state"]["heard_at"]
            assert at >= before


def test_e4_a_feeder_that_is_killed_is_back_in_its_place(playing):
    time.sleep(0.5)
    killed = time.monotonic()
    old = playing.pid("feeder")
    os.kill(old, signal.SIGKILL)
    while playing.pid("feeder") == old:
        time.sleep(0.005)
        assert time.monotonic() - killed < 10
    # The gap is counted, and time has gone on.
    playing.until(lambda s: s["status"] == "playing" and s["dropouts"] >= 1 and s["position"]["bar"] >= 1)


def test_p5_a_press_is_in_the_night_log_once_whatever_dies_meanwhile(playing):
    for part in ("feeder", "leader", "feeder"):
        for _ in range(12):
            with contextlib.suppress(EngineSilent):
                playing.client.press("mark")
            time.sleep(0.06)
        playing.kill_part(part)
    playing.until(lambda s: s["renderers"] == 2)
    time.sleep(2)
    lines = [json.loads(line) for line in Path(playing.night()).read_text().splitlines()]
    numbers = [line["n"] for line in lines if line.get("press") == "mark"]
    assert len(numbers) > 20
    assert len(set(numbers)) == len(numbers)


def test_p4_both_renderers_killed_it_stands_stopped_at_the_bar(playing):
    assert playing.client.press("pull_house")["accepted"]
    at = playing.until(lambda s: s["position"]["bar"] >= 2 and s["house_pulled"])["position"]
    playing.kill_part("leader")
    playing.kill_part("follower")
    state = playing.until(lambda s: s["status"] == "stopped" and s["show"] == "evening")
    assert state["house_pulled"]
    assert abs(state["position"]["bar"] - at["bar"]) <= 1
    assert playing.client.press("resume")["accepted"]
    playing.until(lambda s: s["status"] == "playing")
    playing.client.press("bring_back")


@pytest.mark.parametrize("harm", ["truncated", "emptied", "deleted", "replaced"])
def test_e7_a_stem_that_is_harmed_while_it_sounds_is_at_worst_silent_and_named(tmp_path, harm, missing):
    (tmp_path / "evening").mkdir()
    path = tmp_path / "evening" / "noise.wav"
    write_wav(path, np.random.default_rng(3).uniform(-0.2, 0.2, (9 * BAR, 2)))
    stem = {"id": "n", "name": "Noise", "file": "noise.wav", "group": "tonal"}
    with Running(tmp_path) as engine:
        assert engine.load(show(song(stems=[stem])))["ok"]
        engine.client.press("go")
        engine.until(lambda s: s["position"]["bar"] == 2)
        if harm == "truncated":
            os.truncate(path, path.stat().st_size // 2)
        elif harm == "emptied":
            os.truncate(path, 0)
        elif harm == "deleted":
            path.unlink()
        else:
            path.with_suffix(".new").write_bytes(b"nothing of the kind")
            path.with_suffix(".new").replace(path)
        state = engine.until(lambda s: s["position"]["bar"] >= 6)
        assert state["unreadable"] == (["Noise"] if harm in ("truncated", "emptied") else [])
        assert (state["renderers"], state["faults"]) == (2, 0)
        assert state["dropouts"] <= missing()


def test_e7_a_stem_that_was_changed_before_loading_is_silent_and_named_and_the_rest_plays(tmp_path, missing):
    (tmp_path / "evening").mkdir()
    stems = []
    for name, value in (("Bass", 0.25), ("Keys", 0.125)):
        with WavWriter(tmp_path / "evening" / f"{name}.wav", RATE, 2) as writer:
            writer.write(np.full((9 * BAR, 2), value, dtype=np.float32))
        stems.append({"id": name, "name": name, "file": f"{name}.wav", "group": "tonal", "crc32": writer.crc32})
    path = tmp_path / "evening" / "Bass.wav"
    whole = path.read_bytes()
    with open(path, "r+b") as file:
        file.seek(1 << 20)
        file.write(b"\x00\x00\xc0\x7f" * 64)
    with Running(tmp_path) as engine:
        assert engine.load(show(song(stems=stems)))["ok"]
        engine.client.press("go")
        state = engine.until(lambda s: s["position"]["bar"] >= 2 and max(s["peak"]) > 0)
        assert state["unreadable"] == ["Bass"]
        assert state["peak"][0] == pytest.approx(0.125, abs=1e-3)
        # One that starts anew keeps it silent although the file is whole again: both play the same.
        path.write_bytes(whole)
        both_in_step(engine)
        engine.kill_part("leader")
        both_in_step(engine)
        engine.kill_part("leader")
        state = engine.until(lambda s: s["renderers"] == 2)
        assert state["unreadable"] == ["Bass"]
        assert state["dropouts"] <= missing()


def test_p4_a_press_that_was_answered_and_not_heard_yet_is_kept(playing):
    # The device holds 341 ms here: the pull is answered long before it is heard.
    assert playing.client.press("pull_house")["accepted"]
    playing.kill_part("leader")
    playing.kill_part("follower")
    state = playing.until(lambda s: s["status"] == "stopped" and s["show"] == "evening")
    assert state["house_pulled"]
    playing.client.press("bring_back")
    assert playing.client.press("resume")["accepted"]


def spent(pid):
    """Seconds of processor time that a process has taken."""
    fields = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


def test_a_feeder_that_waits_for_renderers_leaves_them_the_core(playing):
    """It comes before them: asking without a pause, two engines on two cores would never catch up any more."""
    held = [playing.pid("leader"), playing.pid("follower")]
    for pid in held:
        os.kill(pid, signal.SIGSTOP)
    time.sleep(1.5)
    feeder, before, since = playing.pid("feeder"), spent(playing.pid("feeder")), time.monotonic()
    time.sleep(2)
    share = (spent(feeder) - before) / (time.monotonic() - since)
    for pid in held:
        os.kill(pid, signal.SIGCONT)
    playing.until(lambda s: s["ring_ms"] > 500 and s["renderers"] == 2)
    assert share < 0.6, f"the feeder takes {share:.0%} of a core"
