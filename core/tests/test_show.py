"""The show document, the bundle, the command line."""

import json
import subprocess
import sys
import zipfile
from pathlib import Path

import numpy as np
import pytest
import soundfile
from material import RATE, onsets, show, song, write_wav

from upbeat.cli import main
from upbeat.errors import Refused
from upbeat.show.bundle import open_bundle, write_bundle
from upbeat.show.describe import describe
from upbeat.show.document import read_show
from upbeat.show.ready import make_ready


def folder_show(tmp_path, document):
    folder = tmp_path / "show"
    folder.mkdir(exist_ok=True)
    (folder / "show.json").write_text(json.dumps(document))
    return folder


@pytest.fixture
def noisy(tmp_path):
    write_wav(tmp_path / "n.wav", np.random.default_rng(0).uniform(-0.5, 0.5, (18 * RATE, 2)).astype(np.float32))
    return show(
        song(
            stems=[{"id": "n", "name": "Noise", "file": "audio/n.wav", "group": "rhythm"}],
            count_in={"bars": 1, "aloud": False},
        )
    )


def test_a_bundle_plays_as_its_folder_does(tmp_path, noisy, capsys):
    write_bundle(tmp_path / "show.zip", noisy, {"audio/n.wav": tmp_path / "n.wav"})
    with zipfile.ZipFile(tmp_path / "show.zip") as archive:
        archive.extractall(tmp_path / "folder")
    for source, out in (("show.zip", "a"), ("folder", "b")):
        assert main(["bounce", str(tmp_path / source), "--out", str(tmp_path / out), "--json"]) == 0
        answer = json.loads(capsys.readouterr().out)
        assert answer["ok"]
        assert answer["sockets"] == 4
    first, rate = soundfile.read(tmp_path / "a" / "sockets.wav", always_2d=True)
    second, _ = soundfile.read(tmp_path / "b" / "sockets.wav", always_2d=True)
    assert rate == RATE
    assert np.array_equal(first, second)
    events = json.loads((tmp_path / "a" / "events.json").read_text())
    clicks = [e["frame"] for e in events["events"] if e["kind"] == "click"]
    assert onsets(first[:, 2]) == clicks
    assert events["sockets"] == [1, 2, 3, 4]


def test_presses_are_done_when_they_say(tmp_path, noisy, capsys):
    write_bundle(tmp_path / "show.zip", noisy, {"audio/n.wav": tmp_path / "n.wav"})
    (tmp_path / "p.json").write_text(json.dumps([{"at_s": 0, "press": "go"}, {"at_s": 5, "press": "stop"}]))
    assert (
        main(
            [
                "bounce",
                str(tmp_path / "show.zip"),
                "--out",
                str(tmp_path / "o"),
                "--presses",
                str(tmp_path / "p.json"),
                "--json",
            ]
        )
        == 0
    )
    sound, _ = soundfile.read(tmp_path / "o" / "sockets.wav", always_2d=True)
    assert sound[: 5 * RATE, 0].any()
    assert not sound[5 * RATE + 960 :].any()


@pytest.mark.parametrize(
    ("spoil", "says"),
    [
        (lambda d: d.pop("songs"), "songs"),
        (lambda d: d["songs"][0].update(sections=[]), "sections"),
        (lambda d: d["songs"][0]["tempo"][0].update(bpm="fast"), "fast"),
        (lambda d: d["songs"][0]["tempo"][0].update(bpm="0"), "tempo"),
        (lambda d: d["songs"][0]["meters"][0].update(meter="4/3"), "4/3"),
        (lambda d: d["entries"][0].update(song="gone"), "gone"),
        (lambda d: d["songs"].append(dict(d["songs"][0])), "song"),
        (lambda d: d["entries"][0].update(form="gone"), "gone"),
        (lambda d: d["songs"][0]["sections"][0].update(bars=0), "bars"),
        (lambda d: d.update(surprise=1), "surprise"),
    ],
)
def test_a_document_that_is_wrong_gets_a_sentence(tmp_path, spoil, says, capsys):
    document = show(song())
    spoil(document)
    status = main(["bounce", str(folder_show(tmp_path, document)), "--out", str(tmp_path / "o"), "--json"])
    answer = json.loads(capsys.readouterr().out)
    assert (status, answer["ok"]) == (1, False)
    assert says in answer["problems"][0]["message"]
    assert not (tmp_path / "o" / "sockets.wav").exists()


@pytest.mark.parametrize("name", ["../outside.wav", "/etc/passwd", "audio/../../outside.wav"])
def test_no_file_outside_the_bundle_is_opened(tmp_path, name):
    write_wav(tmp_path / "outside.wav", np.zeros(100, np.float32))
    document = show(song(stems=[{"id": "x", "name": "X", "file": name}]))
    with pytest.raises(Refused, match="outside its own folder|missing"):
        make_ready(read_show(document), folder_show(tmp_path, document), speak=False)


def test_a_zip_that_climbs_out_is_not_opened(tmp_path):
    with zipfile.ZipFile(tmp_path / "evil.zip", "w") as archive:
        archive.writestr("show.json", "{}")
        archive.writestr("../evil.txt", "x")
    with pytest.raises(Refused, match="outside itself"), open_bundle(tmp_path / "evil.zip"):
        pass
    assert not (tmp_path.parent / "evil.txt").exists()


@pytest.mark.parametrize("content", [b"", b"PK", b"not a zip", b"{}"])
def test_what_is_no_bundle_gets_a_sentence(tmp_path, content, capsys):
    (tmp_path / "x.zip").write_bytes(content)
    assert main(["bounce", str(tmp_path / "x.zip"), "--out", str(tmp_path / "o"), "--json"]) == 1
    assert "not a show bundle" in json.loads(capsys.readouterr().out)["problems"][0]["message"]


def test_a_missing_stem_is_named(tmp_path, noisy):
    with pytest.raises(Refused, match=r"n\.wav"):
        make_ready(read_show(noisy), folder_show(tmp_path, noisy), speak=False)


def test_the_description_is_what_plays(tmp_path):
    forms = [{"id": "f", "name": "Short", "steps": [{"section": "c"}, {"section": "a", "ending": {"kind": "vamp"}}]}]
    document = show(
        song(forms=forms, meters=[{"bar": 1, "meter": "6/8"}], tempo=[{"bar": 1, "bpm": "64", "unit": "3/2"}])
    )
    answer = describe(make_ready(read_show(document), tmp_path, speak=False))
    entry = answer["entries"][0]
    assert [(s["name"], s["first_bar"], s["ending"]["kind"]) for s in entry["steps"]] == [
        ("Coda", 7, "attacca"),
        ("Verse", 1, "vamp"),
    ]
    assert (entry["bpm"], entry["unit"], entry["seconds"]) == (64, "3/2", pytest.approx(5 * 120 / 64, abs=0.001))
    assert answer["sockets"][0]["carries"] == [{"feed": "house", "name": "House", "kind": "house", "side": "left"}]


def test_the_command_line_never_shows_a_traceback(tmp_path):
    upbeat = Path(sys.executable).with_name("upbeat")
    (tmp_path / "deep.json").write_text("[" * 100_000)
    runs = [
        (["inspect", "gone.wav"], 1),
        (["bounce", "gone", "--out", "o"], 1),
        ([], 2),
        (["dance"], 2),
        (["inspect", str(tmp_path)], 1),
    ]
    for args, status in runs:
        done = subprocess.run(
            [upbeat, *args, "--json"] if args else [upbeat], capture_output=True, text=True, cwd=tmp_path, check=False
        )
        assert done.returncode == status
        assert "Traceback" not in done.stderr
        if status == 1:
            assert json.loads(done.stdout)["problems"][0]["message"]
