"""The engine's process: control, states, recording, crash, what it refuses."""

import json
import subprocess
import sys
import time

import numpy as np
import pytest
import soundfile
from material import RATE, onsets, ramp_stem, show, song, write_wav
from process import Running

from playout.wire import STATE, pack_tap, unpack_tap
from upbeat.mix.sources.stems import PIECE

BAR = 2 * RATE


@pytest.fixture(scope="module")
def engine(tmp_path_factory):
    folder = tmp_path_factory.mktemp("engine")
    (folder / "evening").mkdir()
    write_wav(folder / "evening" / "ramp.wav", ramp_stem(9 * BAR))
    with Running(folder) as running:
        yield running


@pytest.fixture
def loaded(engine):
    if engine.state()["status"] in ("playing", "count_in"):
        engine.client.press("stop")
    stem = {"id": "r", "name": "Ramp", "file": "ramp.wav", "group": "rhythm", "pan": -1}
    forms = [
        {
            "id": "f",
            "name": "F",
            "steps": [
                {"section": "a"},
                {"section": "b", "ending": {"kind": "vamp"}},
                {"section": "c", "ending": {"kind": "fine"}},
            ],
        }
    ]
    assert engine.load(show(song(stems=[stem], forms=forms, crossfade_ms=0)))["ok"]
    return engine


def test_the_recording_has_click_jump_and_release_on_their_frames(loaded, missing):
    assert loaded.client.ask("record", on=True)["recording"]
    assert loaded.client.press("go")["accepted"]
    loaded.until(lambda s: s["position"]["bar"] == 1 and s["position"]["beat"] == 2)
    jump = loaded.client.press("go_to", step=1, when="next_bar")
    assert jump["accepted"]
    left = 4 * (jump["bar"] - 1)  # beats until the seam: on a busy machine the next bar line may be a later one
    loaded.until(lambda s: s["position"]["bar"] == 5)
    assert loaded.client.press("release")["accepted"]
    loaded.until(lambda s: s["status"] == "finished")
    time.sleep(0.3)
    path = loaded.finished_recording()
    sound, rate = soundfile.read(path, always_2d=True, dtype="float32")
    assert rate == RATE
    clicks = onsets(sound[:, 2])
    if missing():
        # Clicks that are missing with their blocks are where the others say.
        assert not (np.diff(clicks) % (RATE // 2)).any()
        return
    assert set(np.diff(clicks)) == {RATE // 2}
    heard = np.round(sound[:, 0] * np.float64(1 << 22)).astype(int) - 1
    begin, seam = clicks[0], clicks[left]
    assert heard[begin + 1000] == 1000
    assert (heard[seam - 1], heard[seam]) == (left // 4 * BAR - 1, 3 * BAR)
    coda = clicks[-8]
    assert (heard[coda - 1], heard[coda]) == (6 * BAR - 1, 6 * BAR)
    assert (len(clicks) - left - 8) % 12 == 0


def test_states_come_at_least_twenty_times_a_second_and_on_every_change(loaded):
    socket = loaded.client.subscribe(STATE)
    time.sleep(0.2)
    while socket.poll(0):
        socket.recv_multipart()
    # A machine that takes the processor away for a while says nothing about the engine: any two seconds will do.
    assert any(states_in(socket, 2) >= 40 for _ in range(10))
    loaded.client.press("go")
    seen = [json.loads(socket.recv_multipart()[1])["status"] for _ in range(5)]
    assert "playing" in seen
    loaded.client.press("stop")
    socket.close()


def states_in(socket, seconds):
    began, count = time.monotonic(), 0
    while time.monotonic() - began < seconds:
        if socket.poll(100):
            socket.recv_multipart()
            count += 1
    return count


def test_meters_show_what_sounds(loaded):
    loaded.client.press("go")
    socket = loaded.client.subscribe(STATE)
    peaks = np.zeros(4)
    for _ in range(60):
        peaks = np.maximum(peaks, json.loads(socket.recv_multipart()[1])["peak"])
    socket.close()
    loaded.client.press("stop")
    assert peaks[0] > 0.01
    assert peaks[1] == 0
    assert peaks[2] > 0.5
    assert peaks[3] == 0


def test_the_meter_of_a_stem_is_what_is_heard_of_it_at_its_level(loaded):
    loaded.client.press("go")
    loaded.until(lambda s: s["status"] == "playing" and s["position"]["song_s"] > 0.5)
    socket, seen = loaded.client.subscribe(STATE), []
    for _ in range(20):
        state = json.loads(socket.recv_multipart()[1])
        seen.append((state["position"]["song_s"] * RATE, state["stem_peak"][0]))
    loaded.client.press("level", part="stem:r", db=-20)
    quieter = loaded.until(lambda s: s["stem_peak"][0] < 0.5 * seen[-1][1])
    socket.close()
    loaded.client.press("stop")
    longest = PIECE + 0.01 * RATE  # a place is told to a hundredth of a second
    for at, peak in [*seen, (quieter["position"]["song_s"] * RATE, 10 * quieter["stem_peak"][0])]:
        assert (at - 0.01 * RATE) / (1 << 22) - 5e-4 <= peak <= (at + longest) / (1 << 22) + 5e-4


def test_a_feed_is_heard_through_a_tap(loaded):
    assert loaded.client.ask("taps", feeds=["click", "gone"])["ok"]
    loaded.until(lambda s: s["taps"] == ["click"])
    socket = loaded.client.subscribe(b"tap:click")
    loaded.client.press("go")
    frames, sound = [], []
    for _ in range(12):
        frame, block = unpack_tap(socket.recv_multipart()[1])
        frames.append((frame, len(block)))
        sound.append(block[:, 0])
    socket.close()
    loaded.client.press("stop")
    loaded.client.ask("taps", feeds=[])
    assert all(a + n == b for (a, n), (b, _) in zip(frames, frames[1:], strict=False))
    assert np.concatenate(sound).max() > 10_000


def test_a_line_check_is_told_heard_at_its_socket_and_answered_by_name(loaded):
    answer = loaded.client.press("check_line", socket=2)
    assert answer["message"] == "Socket 2, House: a tone at −30 dBFS."
    assert loaded.client.ask("taps", feeds=["socket:2", "socket:9", "click"])["ok"]
    told = loaded.until(lambda s: s["line_check"] and s["taps"] == ["click", "socket:2"])["line_check"]
    assert (told["socket"]["number"], told["following"]["number"], told["db"]) == (2, 3, -30)
    socket = loaded.client.subscribe(b"tap:socket:2")
    sound = np.concatenate([unpack_tap(socket.recv_multipart()[1])[1][:, 0] for _ in range(12)])
    socket.close()
    peak = loaded.until(lambda s: s["peak"][1] > 0)["peak"]
    assert peak[1] == pytest.approx(10**-1.5, rel=0.02)
    assert peak[0] == 0
    assert np.abs(sound).max() / 32767 == pytest.approx(10**-1.5, rel=0.02)
    assert loaded.client.press("stop")["message"] == "The line check is over."
    assert loaded.until(lambda s: s["line_check"] is None)["status"] == "standby"
    loaded.client.ask("taps", feeds=[])


def test_a_tap_survives_the_wire():
    block = np.array([[0.5, -1.2], [0, 2]], np.float32)
    frame, sound = unpack_tap(pack_tap(77, block))
    assert (frame, sound.tolist()) == (77, [[16383, 0], [-32768, 32767]])


def test_the_description_tells_what_is_loaded(loaded):
    got = loaded.described()
    assert [s["ending"]["kind"] for s in got["entries"][0]["steps"]] == ["attacca", "vamp", "fine"]


@pytest.mark.parametrize(
    ("command", "code"),
    [
        ({"do": "dance"}, "command-unknown"),
        ({"do": "press", "press": "dance"}, "press-unknown"),
        ({"do": "load", "folder": "/nowhere", "show": "x"}, "show-missing"),
        ({"do": "__init__"}, "command-unknown"),
        ({}, "command-unknown"),
        ({"do": None}, "command-unknown"),
    ],
)
def test_what_it_cannot_do_it_says_and_plays_on(loaded, command, code):
    begun = loaded.client.press("go")
    assert begun["accepted"], begun
    if command.get("do") == "load":
        loaded.client.press("stop")
        answer = loaded.client.load(command["folder"], command["show"])
    else:
        answer = loaded.client.ask(command.get("do"), **{k: v for k, v in command.items() if k != "do"})
        loaded.until(lambda s: s["status"] in ("playing", "count_in"))
        loaded.client.press("stop")
    assert not answer["ok"]
    assert answer["problems"][0]["code"] == code


def test_a_show_with_click_in_the_house_does_not_load_and_the_old_one_stays(loaded):
    document = show(song())
    document["feeds"][0]["sends"].append({"source": "click"})
    answer = loaded.load(document, "evil")
    assert not answer["ok"]
    assert answer["problems"][0]["code"] == "click-in-house"
    assert loaded.state()["show"] == "evening"


def test_no_show_is_loaded_while_a_song_plays(loaded):
    loaded.client.press("go")
    answer = loaded.load(show(song()), "other")
    loaded.client.press("stop")
    assert answer["problems"][0]["code"] == "load-playing"


def test_a_rig_larger_than_the_device_is_refused(loaded):
    document = show(song())
    document["rig"]["sockets"].append({"number": 9})
    assert loaded.load(document, "big")["problems"][0]["code"] == "device-too-small"


def test_p4_after_a_crash_it_stands_at_the_bar_and_never_starts_by_itself(tmp_path):
    (tmp_path / "evening").mkdir()
    with Running(tmp_path) as engine:
        assert engine.load(show(song()))["ok"]
        engine.client.press("go")
        engine.until(lambda s: s["position"]["bar"] == 3 and s["position"]["beat"] == 2)
        time.sleep(0.3)
        engine.kill()
        engine.start()
        state = engine.until(lambda s: s["status"] == "stopped")
        assert state["position"]["bar"] == 3
        time.sleep(0.5)
        assert engine.state()["status"] == "stopped"
        assert engine.client.press("resume")["bar"] == 3
        engine.until(lambda s: s["status"] == "playing" and s["position"]["bar"] == 4)
        pressed = []
        for night in sorted((tmp_path / "engine" / "night-logs").glob("*.jsonl")):
            lines = [json.loads(line) for line in night.read_text().splitlines()]
            assert lines[0]["kind"] == "night-log"
            pressed += [e["press"] for e in lines if e["kind"] == "press"]
        assert pressed == ["go", "resume"]
    assert not (tmp_path / "engine" / "checkpoint.json").exists()


def test_after_an_orderly_end_the_last_show_stands_by_from_its_start(tmp_path):
    with Running(tmp_path) as engine:
        assert engine.load(show(song()))["ok"]
        engine.client.press("go")
        engine.until(lambda s: s["position"]["bar"] == 2)
    with Running(tmp_path) as engine:
        state = engine.until(lambda s: s["show"] == "evening")
        assert (state["status"], state["entry"]) == ("standby", 0)


def test_arguments_of_a_press_that_are_a_list_are_refused_and_it_plays_on(loaded):
    loaded.client.press("go")
    answer = loaded.client.ask("press", press="go_to", args=[1])
    assert answer["problems"][0]["code"] == "command-arguments"
    assert loaded.state()["status"] in ("playing", "count_in")
    loaded.client.press("stop")


def test_what_cannot_be_pressed_now_is_told_with_the_reason_the_press_gives(loaded):
    standing_by = loaded.state()["unavailable"]
    of_a_song = {"stop", "fade_away", "go_to", "once_more", "release", "choose", "ending_tonight", "more", "play_after"}
    of_a_rehearsal = {"from_bar", "round_bars", "slower"}
    of_a_line_check = {"check_next", "check_level", "check_end"}
    of_devices = {"send", "program", "program_here"}
    others = {"resume", "begin_again", "take_back"}
    assert set(standing_by) == {*of_a_song, *of_a_rehearsal, *of_a_line_check, *of_devices, "tones_off", *others}
    assert loaded.client.press("stop")["code"] == standing_by["stop"]["code"]
    loaded.client.press("go")
    assert "go" in loaded.state()["unavailable"]
    loaded.client.press("stop")


def test_stems_are_told_with_what_they_do_in_the_present_section(loaded):
    assert loaded.state()["stems"] == [{"id": "r", "standing": "sounds", "prepared": "sounds", "level_db": 0.0}]


def test_the_engine_is_up_without_libraries_that_only_preparation_needs():
    asked = "import sys, playout.main; print('scipy.signal' in sys.modules, 'django' in sys.modules)"
    done = subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True, check=True)
    assert done.stdout.split() == ["False", "False"]
