"""The way to a real interface: what leaves PortAudio, recorded through JACK, is what the core renders."""

import contextlib
import json
import os
import shutil
import statistics
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
from material import RATE, show, song, write_wav
from process import Running

from playout.client import EngineSilent
from playout.loading import Loaded
from playout.order import LoadEntry
from playout.session import Session
from upbeat.show.document import read_show
from upbeat.show.ready import make_ready
from upbeat.show.taking_in import ChangedShow

TAKES = 3
NAME = f"upbeat-test-{os.getpid()}"


SLACK = 3  # a machine with more to do than this test


def jack_env(name=NAME):
    return {**os.environ, "JACK_NO_AUDIO_RESERVATION": "1", "JACK_DEFAULT_SERVER": name}


#: JACK's synchronous mode, and how long a cycle may take before the next one begins without a client that is late, in ms.
WAITING = ("--sync", "--timeout", "500")
DUMMY = ("-d", "dummy", "-r", str(RATE), "-p", "256", "-P", "8", "-C", "2")


def started_jack(name=NAME, realtime=False, waits=False):
    """A dummy interface of eight outputs in real time (Debian's jackd2). ``realtime``: it comes before other programs.

    ``waits``: a cycle waits for a client that is late. Otherwise that client is left out of it, and what was sent in it is lost.
    """
    assert shutil.which("jackd"), "jackd is missing: run ./setup --tests"
    # JACK keeps a list of its servers in shared memory, and gives up where it is full of those that were killed.
    for _ in range(3):
        server = subprocess.Popen(
            ["jackd", f"--{'' if realtime else 'no-'}realtime", *(WAITING if waits else ()), "-n", name, *DUMMY],
            env=jack_env(name),
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        time.sleep(2)
        if server.poll() is None:
            break
        if not any(_is_jack(process) for process in Path("/proc").glob("[0-9]*")):
            Path("/dev/shm/jack-shm-registry").unlink(missing_ok=True)
    assert server.poll() is None, "jackd did not start"
    return server


def end_jack(server):
    """End a server. One that waits for its clients waits at its end, too, for those that have gone: not for a minute."""
    server.terminate()
    try:
        server.wait(5)
    except subprocess.TimeoutExpired:
        server.kill()
        server.wait()
        # JACK keeps a list of eight servers: one that was killed stays in it until one of its name ends by itself.
        name = server.args[server.args.index("-n") + 1]
        again = subprocess.Popen(server.args, env=jack_env(name), stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        time.sleep(1)
        again.terminate()
        again.wait()


def _is_jack(process):
    try:
        return (process / "comm").read_text() == "jackd\n"
    except OSError:
        return False  # it has just ended


@pytest.fixture(scope="module", autouse=True)
def nothing_is_left():
    """A server that was killed leaves its shared memory behind."""
    yield
    for left in Path("/dev/shm").glob(f"jack*{NAME}*"):
        left.unlink(missing_ok=True)


@pytest.fixture(scope="module")
def jack():
    server = started_jack(waits=True)
    yield jack_env()
    end_jack(server)


def recorded(env, seconds, go):
    """What arrives at a recorder's eight inputs, wired to the engine's ports, from before ``go`` on."""
    os.environ.update({k: env[k] for k in ("JACK_DEFAULT_SERVER", "JACK_NO_AUDIO_RESERVATION")})
    import jack as jackclient

    client = jackclient.Client("ear", servername=env["JACK_DEFAULT_SERVER"], no_start_server=True)
    ports = [client.inports.register(f"in_{i}") for i in range(8)]
    blocks = []
    client.set_process_callback(lambda frames: blocks.append(np.stack([p.get_array().copy() for p in ports])))
    with client:
        outs = [
            p for p in client.get_ports(is_output=True, is_audio=True) if not p.name.startswith(("system:", "ear:"))
        ]
        for out, port in zip(sorted(outs, key=lambda p: int(p.name.rsplit("_", 1)[1])), ports, strict=True):
            client.connect(out, port)
        go()
        time.sleep(seconds)
    return np.concatenate(blocks, axis=1)


def interfaces(env):
    """What this machine has, as the page gets it."""
    code = "from playout.devices.listing import listed; import json; print(json.dumps(listed(48000)))"
    done = subprocess.run([sys.executable, "-c", code], env=env, capture_output=True, text=True, check=True)
    return json.loads(done.stdout)


def eight_outputs(env):
    """The dummy interface of eight outputs among them."""
    found = [d for d in interfaces(env) if d["outputs"] == 8 and d["name"] != "simulated"]
    assert found, "PortAudio shows no interface of eight outputs"
    return found[0]


def test_what_leaves_the_interface_is_what_the_core_renders_frame_for_frame(tmp_path, jack):
    noise = np.random.default_rng(5).uniform(-0.5, 0.5, (18 * RATE, 2)).astype(np.float32)
    document = show(song(stems=[{"id": "n", "name": "Noise", "file": "n.wav", "group": "rhythm"}]))
    document["rig"]["sockets"] = [{"number": n} for n in range(1, 9)]
    document["patch"].append({"feed": "click", "side": "mono", "socket": 8})
    (tmp_path / "evening").mkdir()
    write_wav(tmp_path / "evening" / "n.wav", noise)
    ready = make_ready(read_show(document), tmp_path / "evening")
    session = Session(Loaded(LoadEntry(1, "evening", "evening"), ChangedShow(ready)), 0)
    session.press("go", {}, 0)
    # Longer than any take below.
    ours = np.concatenate([session.on_sockets(session.render(RATE)[1]) for _ in range(9)], axis=1)
    with Running(tmp_path, channels=8, device=eight_outputs(jack)["name"], env=jack) as real:
        # An interface that a busy machine does not let ask for sound for a while is opened anew.
        real.until(lambda s: not s["device_problem"])
        assert real.load(document)["ok"]
        # Where a busy machine does not give the interface or our ear its turn, whole blocks are lost
        # on the way, and all of them where it was opened anew: such a take is taken again.
        for _ in range(TAKES):
            theirs = recorded(jack, 7, lambda: real.client.press("go"))
            if same_from_the_start(ours, theirs):
                break
            real.client.press("stop")
            real.client.press("stand_by", entry=0)
            real.until(lambda s: s["status"] == "standby")
            time.sleep(3)  # what the device still holds of this take
        else:
            # No take came through whole: then every block that came has to be ours, and in order.
            assert blocks_in_order(ours, theirs) > 2 * RATE // 256
    assert np.array_equal(theirs[7], theirs[2])
    assert not theirs[4:7].any()


def same_from_the_start(ours, theirs):
    """Both begin in silence of a length of their own: the first sample of the house stands for the start."""
    if not theirs[0].any():
        return False
    start = [int(np.flatnonzero(np.abs(s[0]) > 0)[0]) for s in (ours, theirs)]
    length = min(ours.shape[1] - start[0], theirs.shape[1] - start[1], 3 * RATE)
    return length >= 2 * RATE and np.array_equal(
        ours[:, start[0] : start[0] + length], theirs[:, start[1] : start[1] + length]
    )


def blocks_in_order(ours, theirs, block=256):
    """How many blocks of the last take arrived, each frame for frame ours and later than the one before.

    The sound is noise: two samples of it stand for their frame. A block that begins in silence is the
    edge of one that was lost, or what the device still held of the take before.
    """
    frame = {pair: i for i, pair in enumerate(zip(*ours[:2].tolist(), strict=True)) if pair[0]}
    arrived, at = 0, -1
    for i in range(0, theirs.shape[1] - block, block):
        part = theirs[:, i : i + block]
        here = frame.get(tuple(part[:2, 0].tolist())) if part[0, 0] else None
        if here is None or here + block > ours.shape[1]:
            continue
        if here < at - RATE:
            arrived = 0  # the take before ended here, and this one begins
        elif here < at:
            continue  # our ear was late, and found the block that came next in the place of this one: it hears it twice
        wrong = (ours[:, here : here + block] != part).any(axis=0)
        if wrong.any():
            # The recording's blocks need not begin where ours do: a loss may lie within one. What follows it is later.
            torn = int(np.argmax(wrong))
            assert torn > 0, "a block is not ours"
            assert frame.get(tuple(part[:2, torn].tolist())) != here + torn, (
                "the sockets of one frame do not belong together"
            )
            continue
        arrived, at = arrived + 1, here + block
    return arrived


def test_hardware_is_listed_only_where_there_is_some(jack):
    found = eight_outputs(jack)
    assert found["rates"] == [RATE]
    assert found["refused"] == ""
    assert found["latency_ms"] > 0
    nowhere = {**{k: v for k, v in os.environ.items() if not k.startswith("JACK_")}, "JACK_NO_START_SERVER": "1"}
    assert not [d for d in interfaces(nowhere) if d["outputs"] == 8]


def choose(engine, **choice):
    return engine.client.ask("device", choice=choice)


def noisy(folder):
    noise = np.random.default_rng(5).uniform(-0.5, 0.5, (40 * RATE, 2)).astype(np.float32)
    document = show(song(stems=[{"id": "n", "name": "Noise", "file": "n.wav", "group": "rhythm"}]))
    (folder / "evening").mkdir(parents=True)
    write_wav(folder / "evening" / "n.wav", noise)
    return document


def test_e6_another_device_is_chosen_while_a_song_plays_and_kept(tmp_path, jack, missing):
    name = eight_outputs(jack)["name"]
    with Running(tmp_path, env=jack) as engine:
        assert engine.load(noisy(tmp_path))["ok"]
        engine.client.press("go")
        before = engine.until(lambda s: s["status"] == "playing" and s["heard"] > 0)
        assert (before["device"], before["channels"]) == ("simulated", 4)
        began = time.monotonic()
        assert choose(engine, name=name, outputs=8, block=128, buffer=4)["ok"]
        state = engine.until(lambda s: s["device_there"] and s["device"] == name)
        assert (state["channels"], state["block"], state["buffer"], state["device_problem"]) == (8, 128, 4, "")
        sound = recorded(jack, 1.0, lambda: None)
        assert np.abs(sound[:2]).max() > 0.1
        # Time went on meanwhile: what is heard is as far as the clock says.
        state = engine.state()
        passed = (time.monotonic() - began) * RATE
        assert abs(state["heard"] - before["heard"] - passed) < 0.15 * RATE or missing()
        assert 0 < state["latency_ms"] < 200
        kept = json.loads((engine.engine / "device.json").read_text())
        assert kept["name"] == name


@pytest.mark.parametrize(
    ("choice", "code"),
    [
        ({"name": "other"}, "command-arguments"),
        ({"name": "simulated", "outputs": 65}, "command-arguments"),
        ({"name": "simulated", "block": 100}, "command-arguments"),
        ({"name": "simulated", "buffer": 1}, "command-arguments"),
    ],
)
def test_a_choice_that_cannot_be_is_refused_and_what_played_goes_on(tmp_path, choice, code):
    with Running(tmp_path) as engine:
        answer = choose(engine, **choice)
        assert answer["problems"][0]["code"] == code
        engine.until(lambda s: s["device"] == "simulated")


@pytest.mark.parametrize(
    ("choice", "words"),
    [
        ({"name": "interface:Nowhere (ALSA)", "outputs": 2}, "“Nowhere (ALSA)” is not there"),
        ({"outputs": 64}, "has 8 outputs, not 64"),
    ],
)
def test_e6_an_interface_that_cannot_be_had_is_told_and_time_goes_on(tmp_path, jack, choice, words):
    with Running(tmp_path, env=jack) as engine:
        assert engine.load(noisy(tmp_path))["ok"]
        engine.client.press("go")
        engine.until(lambda s: s["status"] == "playing")
        assert choose(engine, **{"name": eight_outputs(jack)["name"], **choice})["ok"]
        state = engine.until(lambda s: words in s["device_problem"])
        assert not state["device_there"]
        bar = state["position"]["bar"]
        engine.until(lambda s: s["position"]["bar"] > bar)
        assert choose(engine, name="simulated")["ok"]
        assert engine.until(lambda s: s["device_there"])["device_problem"] == ""


def started(engine):
    """Press go. A feeder whose interface hangs, as on a machine that is taken away, ends with what it was just asked."""
    for _ in range(3):
        with contextlib.suppress(EngineSilent):
            return engine.client.press("go")
    raise AssertionError("the engine never answered")


def place(engine):
    """Seconds between what is heard and the clock. An interface tells by its last call what is heard, so that one state may be off."""
    told = []
    for _ in range(9):
        state = engine.state()
        told.append(state["heard"] / RATE - state["heard_at"])
        time.sleep(0.06)
    return statistics.median(told)


def test_e6_an_interface_that_goes_and_comes_back_is_found_in_its_place(tmp_path, missing):
    own = f"{NAME}-goes"
    env, server = jack_env(own), started_jack(own)
    try:
        name = eight_outputs(env)["name"]
        with Running(tmp_path, channels=8, device=name, env=env) as engine:
            assert engine.load(noisy(tmp_path))["ok"]
            engine.until(lambda s: s["device_there"])
            started(engine)
            engine.until(lambda s: s["status"] == "playing" and s["heard"] > 0.2 * RATE)
            before = place(engine)
            server.kill()
            server.wait()
            engine.until(lambda s: not s["device_there"] and "is not there" in s["device_problem"])
            time.sleep(1)
            server = started_jack(own)
            back = time.monotonic()
            engine.until(lambda s: s["device_there"])
            assert time.monotonic() - back < 2 * SLACK or missing()
            time.sleep(0.5)
            assert abs(place(engine) - before) < 0.05 or missing()
            assert np.abs(recorded(env, 1.0, lambda: None)[:2]).max() > 0.1
    finally:
        end_jack(server)
