"""Rule P6: each kind of fault that was planted is found where it is, and a clean show has none."""

import json

import numpy as np
import pytest
from material import RATE, show, song, write_wav

from upbeat.audio.measure import TruePeak
from upbeat.cli import main
from upbeat.show.bounce import play
from upbeat.show.document import read_show
from upbeat.show.dress_run.run import dress_run
from upbeat.show.ready import make_ready

BAR = 2 * RATE


def hum(seconds=16, level=0.2, seed=0):
    """Stereo noise whose level goes neither up nor down."""
    return np.random.default_rng(seed).uniform(-level, level, (seconds * RATE, 2)).astype(np.float32)


def stems(folder, title, seed, level=0.2):
    """Two stems of noise, their files in the folder."""
    found = []
    for i, (name, group) in enumerate((("Drums", "rhythm"), ("Keys", "tonal"))):
        file = f"{title}-{name}.wav".replace(" ", "-")
        write_wav(folder / file, hum(level=level, seed=seed + i))
        found.append({"id": f"{title}-{i}", "name": name, "file": file, "group": group})
    return found


def clean(folder, **changes):
    songs = [
        song(id=f"s{i}", title=title, stems=stems(folder, title, 10 * i), click={"accent": "beep", "gain_db": -6})
        for i, title in enumerate(("One", "Two", "Three"))
    ]
    document = show(*songs, **changes)
    # Nothing is said in it: the socket of the cues would be silent.
    document["patch"] = document["patch"][:3]
    return document


def found(document, folder):
    run = dress_run(read_show(document), folder)
    return run, [(f.code, f.severity, f.entry, f.bar, f.socket) for f in run.faults]


def test_a_clean_show_has_no_fault(tmp_path):
    run, faults = found(clean(tmp_path), tmp_path)
    assert faults == []
    assert run.seconds == 48
    assert [e["title"] for e in run.entries] == ["One", "Two", "Three"]
    assert run.counts["files"] == 6
    assert run.counts["seams"] == 6


def test_its_length_has_talk_and_intervals_in_it(tmp_path):
    document = clean(tmp_path)
    document["entries"][0]["link"] = {"kind": "wait", "seconds": 30}
    document["entries"][2]["link"] = {"kind": "wait", "seconds": 30}
    document["intervals"] = [{"after": 2, "minutes": 10}]
    run, faults = found(document, tmp_path)
    assert (run.seconds, faults) == (48 + 30 + 600, [])


def test_what_has_not_changed_is_not_played_again(tmp_path, capsys):
    document = clean(tmp_path)
    for one in document["songs"]:
        for stem in one["stems"]:
            stem["crc32"] = 7
    show_file, kept = tmp_path / "show.json", tmp_path / "kept.json"

    def again():
        show_file.write_text(json.dumps(document))
        assert main(["dress-run", str(tmp_path), "--json", "--kept", str(kept)]) == 0
        answer = json.loads(capsys.readouterr().out)
        return {e["title"]: e["integrated_lufs"] for e in answer["entries"]}, set(json.loads(kept.read_text()))

    first, keys = again()
    # The files have other sound now, and the document says that they have not: it is not listened to.
    for one in document["songs"]:
        for stem in one["stems"]:
            write_wav(tmp_path / stem["file"], hum(level=0.1))
    document["entries"].reverse()
    moved, same = again()
    assert (moved, same) == (first, keys)
    document["songs"][1]["stems"][0]["gain_db"] = -1.0
    changed, others = again()
    assert changed["One"] == first["One"]
    assert changed["Two"] < first["Two"] - 3
    assert len(keys & others) == 3


def silenced(folder, file, first_bar, bars):
    """The file with nothing in some bars."""
    path = folder / file
    sound = np.copy(hum(seed=len(file)))
    sound[(first_bar - 1) * BAR : (first_bar - 1 + bars) * BAR] = 0
    write_wav(path, sound)


def plant_missing(document, folder, i):
    (folder / document["songs"][i]["stems"][0]["file"]).unlink()
    return [("file-missing", "wrong", i + 1, None, None)]


def plant_changed(document, folder, i):
    stem = document["songs"][i]["stems"][1]
    stem["crc32"] = 1
    return [("file-changed", "wrong", i + 1, None, None)]


def plant_overload(document, folder, i):
    stem, bar = document["songs"][i]["stems"][0], 4 + i
    sound = hum(seed=50 + i)
    # Between two samples lies the peak.
    sound[(bar - 1) * BAR + 1000 : (bar - 1) * BAR + 1002, 0] = 1.0
    write_wav(folder / stem["file"], sound)
    stem["gain_db"] = 3.0
    return [("overload", "wrong", i + 1, bar, 1)]


def plant_silence(document, folder, i):
    for stem in document["songs"][i]["stems"]:
        silenced(folder, stem["file"], 4, 3)
    return [("silence", "look", i + 1, 4, None)]


def plant_click(document, folder, i):
    document["feeds"][0]["sends"].append({"source": "click"})
    return [("click-in-house", "wrong", None, None, None)]


def plant_reference(document, folder, i):
    document["songs"][i]["stems"][1]["name"] = "Guide keys"
    return [("reference-in-house", "wrong", i + 1, None, None)]


def plant_seam(document, folder, i):
    """A tone that is cut off by a jump, with nothing that covers it."""
    t = np.arange(16 * RATE) / RATE
    tone = 0.2 * np.sin(2 * np.pi * 440 * t)
    tone[6 * BAR :] = 0.2 * np.sin(2 * np.pi * 622 * t[6 * BAR :])
    one = document["songs"][i]
    for stem in (s for each in document["songs"] for s in each["stems"]):
        write_wav(folder / stem["file"], tone.astype(np.float32))
        stem["gain_db"] = -6.0
    one["forms"] = [{"id": "f", "name": "F", "steps": [{"section": "a"}, {"section": "c"}]}]
    return [("seam-heard", "look", i + 1, 3, None)]


def plant_cue(document, folder, i):
    one = document["songs"][i]
    one["cues"] = [{"bar": 2, "beat": 1, "text": "Everybody quiet now"}, {"bar": 2, "beat": 2, "text": "Wait"}]
    document["patch"].append({"feed": "cues", "side": "mono", "socket": 4})
    return [("cue-left-out", "look", i + 1, 2, None)]


def plant_loud(document, folder, i):
    document["songs"][i]["gain_db"] = -5.0
    return [("loudness", "look", i + 1, None, None)]


def plant_attacca(document, folder, i):
    document["entries"][i]["link"] = {"kind": "attacca"}
    document["intervals"] = [{"after": i + 1, "minutes": 20}]
    return [("attacca-interval", "wrong", i + 1, None, None)]


def plant_nobody(document, folder, i):
    document["players"] = [{"id": "p", "name": "Pia", "part": "Bass"}, {"id": "q", "name": "Quirin"}]
    document["line_up"] = {"on": ["q"]}
    for n, one in enumerate(document["songs"]):
        if n != i:
            one["stems"][1] |= {"purpose": "covers", "covers": "p"}
    return [("nobody-plays", "look", i + 1, None, None)]


def plant_slot(document, folder, i):
    document["slot"] = {"starts_at": "20:00", "minutes": 20}
    document["intervals"] = [{"after": 1, "minutes": 20}]
    return [("over-slot", "wrong", None, None, None)]


def plant_silent_socket(document, folder, i):
    document["feeds"].append({"id": "d", "name": "Drum riser", "kind": "monitor", "channels": 1, "sends": []})
    document["patch"].append({"feed": "d", "side": "mono", "socket": 4})
    return [("socket-silent", "look", None, None, 4)]


PLANTED = [f for name, f in sorted(globals().items()) if name.startswith("plant_")]


@pytest.mark.parametrize("plant", PLANTED, ids=lambda f: f.__name__.removeprefix("plant_"))
@pytest.mark.parametrize("seed", [0, 1, 2])
def test_each_fault_is_found_and_no_other(plant, seed, tmp_path):
    document = clean(tmp_path)
    planted = plant(document, tmp_path, seed)
    _, faults = found(document, tmp_path)
    assert faults == planted


def test_every_message_is_one_sentence_and_every_mend_says_what_it_changes(tmp_path):
    document = clean(tmp_path)
    for plant, i in ((plant_overload, 2), (plant_loud, 0), (plant_reference, 2)):
        plant(document, tmp_path, i)
    run, _ = found(document, tmp_path)
    assert all(f.message.endswith(".") and ". " not in f.message for f in run.faults)
    assert {f.code: (f.mend.kind, f.mend.of) for f in run.faults} == {
        "overload": ("turn_down", "s2"),
        "reference-in-house": ("rehearsal_only", "Three-1"),
        "loudness": ("turn_up", "s0"),
    }
    # The song is turned down to the ceiling, no further than a tenth.
    (over,) = [f for f in run.faults if f.code == "overload"]
    loudest = max(s["true_peak_dbtp"] for s in run.sockets[:2])
    assert 1 <= over.mend.value - loudest < 1.1


def test_the_peaks_are_those_of_the_bounce(tmp_path):
    document = clean(tmp_path)
    plant_overload(document, tmp_path, 1)
    run, _ = found(document, tmp_path)
    meters = [TruePeak(1) for _ in range(4)]

    def listen(block):
        for row, meter in enumerate(meters):
            meter.push(np.ascontiguousarray(block[row : row + 1]))

    play(make_ready(read_show(document), tmp_path), None, listen)
    for socket, meter in zip(run.sockets, meters, strict=True):
        if meter.peak:
            assert 10 ** (socket["true_peak_dbtp"] / 20) == pytest.approx(meter.peak, abs=1e-4)
        else:
            assert socket["true_peak_dbtp"] is None


def test_the_command_line_gives_what_scripts_need(tmp_path, capsys):
    document = clean(tmp_path)
    plant_overload(document, tmp_path, 0)
    (tmp_path / "show.json").write_text(json.dumps(document))
    assert main(["dress-run", str(tmp_path), "--json"]) == 0
    answer = json.loads(capsys.readouterr().out)
    assert (answer["ok"], answer["seconds"]) == (True, 48)
    (problem,) = answer["problems"]
    assert (problem["code"], problem["entry"], problem["bar"], problem["socket"]) == ("overload", 1, 4, 1)
    assert problem["mend"]["kind"] == "turn_down"
    assert answer["sockets"][0]["true_peak_dbtp"] > 0
    assert [e["integrated_lufs"] is not None for e in answer["entries"]] == [True] * 3
    assert set(answer["counts"]) >= {"files", "seams", "words", "messages"}


def test_a_bounce_without_presses_plays_every_song(tmp_path):
    ready = make_ready(read_show(clean(tmp_path)), tmp_path)
    events = play(ready, None, lambda block: None)
    assert sorted({e["entry"] for e in events if e["kind"] == "bar"}) == [0, 1, 2]
    assert all(e["accepted"] for e in events if e["kind"] == "press")


def test_progress_is_told_and_a_run_can_be_ended(tmp_path):
    told = []

    class Enough(Exception):
        pass

    def progress(share):
        told.append(share)
        if share > 0.2:
            raise Enough

    with pytest.raises(Enough):
        dress_run(read_show(clean(tmp_path)), tmp_path, progress=progress)
    assert told == sorted(told)
    assert told[-1] < 0.9
