"""The way to a real interface: what leaves PortAudio, recorded through JACK, is what the simulated device records."""

import json
import os
import shutil
import subprocess
import sys
import time

import numpy as np
import pytest
import soundfile
from material import RATE, show, song, write_wav
from process import Running

TAKES = 3
NAME = f"upbeat-test-{os.getpid()}"


@pytest.fixture(scope="module")
def jack():
    """A dummy interface of eight outputs in real time (Debian's jackd2)."""
    assert shutil.which("jackd"), "jackd is missing: run ./setup --tests"
    env = {**os.environ, "JACK_NO_AUDIO_RESERVATION": "1", "JACK_DEFAULT_SERVER": NAME}
    server = subprocess.Popen(
        ["jackd", "--no-realtime", "-n", NAME, "-d", "dummy", "-r", str(RATE), "-p", "256", "-P", "8", "-C", "2"],
        env=env,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    time.sleep(2)
    assert server.poll() is None, "jackd did not start"
    yield env
    server.terminate()
    server.wait()


def recorded(env, seconds, go):
    """What arrives at a recorder's eight inputs, wired to the engine's ports, from before ``go`` on."""
    os.environ.update({k: env[k] for k in ("JACK_DEFAULT_SERVER", "JACK_NO_AUDIO_RESERVATION")})
    import jack as jackclient

    client = jackclient.Client("ear", servername=NAME, no_start_server=True)
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


def listed(env):
    """What PortAudio shows, asked in a process of its own: its library does not outlive the server it found."""
    code = "from playout.devices.portaudio import outputs; import json; print(json.dumps(outputs()))"
    return json.loads(
        subprocess.run([sys.executable, "-c", code], env=env, capture_output=True, text=True, check=True).stdout
    )


def device_index(env):
    found = [d for d in listed(env) if d["channels"] >= 8]
    assert found, "PortAudio shows no device of eight outputs"
    return found[0]["index"]


def test_what_leaves_the_interface_is_the_simulated_recording_frame_for_frame(tmp_path, jack):
    noise = np.random.default_rng(5).uniform(-0.5, 0.5, (18 * RATE, 2)).astype(np.float32)
    document = show(song(stems=[{"id": "n", "name": "Noise", "file": "n.wav", "group": "rhythm"}]))
    document["rig"]["sockets"] = [{"number": n} for n in range(1, 9)]
    document["patch"].append({"feed": "click", "side": "mono", "socket": 8})
    for name in ("a", "b"):
        (tmp_path / name / "evening").mkdir(parents=True)
        write_wav(tmp_path / name / "evening" / "n.wav", noise)
    with Running(tmp_path / "a", channels=8) as simulated:
        assert simulated.load(document)["ok"]
        simulated.client.ask("record", on=True)
        simulated.client.press("go")
        time.sleep(8.5)  # longer than any take below
        path = simulated.finished_recording()
    ours = soundfile.read(path, always_2d=True, dtype="float32")[0].T
    with Running(tmp_path / "b", channels=8, device=f"portaudio:{device_index(jack)}", env=jack) as real:
        assert real.load(document)["ok"]
        # Where a busy machine does not give the interface or our ear its turn, whole blocks are lost
        # on the way: such a take is taken again.
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
            assert blocks_in_order(ours, theirs) > RATE // 256
    assert np.array_equal(theirs[7], theirs[2])
    assert not theirs[4:7].any()


def same_from_the_start(ours, theirs):
    """Both begin in silence of a length of their own: the first sample of the house stands for the start."""
    start = [int(np.flatnonzero(np.abs(s[0]) > 0)[0]) for s in (ours, theirs)]
    length = min(ours.shape[1] - start[0], theirs.shape[1] - start[1], 3 * RATE)
    return length >= 2 * RATE and np.array_equal(
        ours[:, start[0] : start[0] + length], theirs[:, start[1] : start[1] + length]
    )


def blocks_in_order(ours, theirs, block=256):
    """How many blocks of the last take arrived, each frame for frame ours and later than the one before.

    The sound is noise: a sample of it stands for its frame. A block that begins in silence is the
    edge of one that was lost, or what the device still held of the take before.
    """
    frame = {value: i for i, value in enumerate(ours[0].tolist()) if value}
    arrived, at = 0, -1
    for i in range(0, theirs.shape[1] - block, block):
        part = theirs[:, i : i + block]
        here = frame.get(float(part[0, 0])) if part[0, 0] else None
        if here is None or here + block > ours.shape[1]:
            continue
        if here < at:
            arrived = 0  # the take before ended here, and this one begins
        wrong = (ours[:, here : here + block] != part).any(axis=0)
        if wrong.any():
            # The recording's blocks need not begin where ours do: a loss may lie within one. What follows it is later.
            torn = int(np.argmax(wrong))
            assert torn > 0, "a block is not ours"
            assert frame.get(float(part[0, torn])) != here + torn, "the sockets of one frame do not belong together"
            continue
        arrived, at = arrived + 1, here + block
    return arrived


def test_hardware_is_listed_only_where_there_is_some(jack):
    assert any(d["channels"] == 8 for d in listed(jack))
    nowhere = {**{k: v for k, v in os.environ.items() if not k.startswith("JACK_")}, "JACK_NO_START_SERVER": "1"}
    assert not any(d["channels"] == 8 for d in listed(nowhere))
