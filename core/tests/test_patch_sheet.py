"""The patch sheet: what is told of each socket is what its samples have; one page, nothing lost."""

import csv
import io
import json
import subprocess

import numpy as np
import pytest
from material import RATE, ready, show, song, write_wav
from test_sound import bounced

from upbeat.cli import main
from upbeat.outputs.patch_sheet import in_words
from upbeat.paper import fitted
from upbeat.show.document import read_show
from upbeat.show.patch_sheet import SIZES, advice, labels, lines_of, page, table

NAMES = "Ärger & Söhne, Überlänge", "Ночной паром", "月夜のフェリー", "=SUM(A1)", "<b>bold</b>"


def text_of(pdf, tmp_path):
    (tmp_path / "sheet.pdf").write_bytes(pdf)
    text = subprocess.run(["pdftotext", "-layout", str(tmp_path / "sheet.pdf"), "-"], capture_output=True, check=True)
    info = subprocess.run(["pdfinfo", str(tmp_path / "sheet.pdf")], capture_output=True, check=True)
    return text.stdout.decode(), int(info.stdout.decode().split("Pages:")[1].split()[0])


@pytest.fixture
def evening(tmp_path):
    """Three songs: one of rhythm alone, one of tonal alone with a stem of a player who is away, one of nothing but click."""
    write_wav(tmp_path / "s.wav", np.random.default_rng(2).uniform(-0.2, 0.2, 4 * RATE).astype(np.float32))

    def of(name, *stems):
        listed = [{"id": f"{name}{i}", "name": "S", "file": "s.wav", **s} for i, s in enumerate(stems)]
        return song(id=name, title=name.title(), stems=listed, sections=[{"id": "v", "name": "V", "bars": 2}])

    songs = (
        of("one", {"group": "rhythm"}),
        of("two", {"group": "tonal", "purpose": "covers", "covers": "p"}),
        of("three"),
    )
    feeds = [
        {"id": "r", "name": "Rhythm", "kind": "house", "sends": [{"source": "group:rhythm"}]},
        {"id": "t", "name": "Tonal", "kind": "house", "channels": 1, "sends": [{"source": "group:tonal"}]},
        {"id": "c", "name": "Click", "kind": "monitor", "channels": 1, "sends": [{"source": "click"}]},
        {"id": "m", "name": "Mix", "kind": "monitor", "player": "q", "sends": [{"source": "feed:t", "gain_db": -6.0}]},
    ]
    sockets = [
        {"number": 1, "desk": "21", "printed": "Out 1"},
        {"number": 2, "balanced": False, "cable_m": 12.0},
        {"number": 3, "balanced": False, "cable_m": 2.0},
        {"number": 4, "balanced": False},
        {"number": 5, "headphones": True, "balanced": False},
        {"number": 6, "use": "kept"},
        {"number": 7},
    ]
    patch = [
        {"feed": "r", "side": "left", "socket": 1},
        {"feed": "r", "side": "right", "socket": 2, "trim_db": -3.0},
        {"feed": "t", "socket": 3},
        {"feed": "c", "socket": 4, "delay_ms": 5.0},
        {"feed": "m", "side": "mono", "socket": 5},
    ]
    players = [{"id": "p", "name": "Pilar", "part": "bass"}, {"id": "q", "name": "Ozo"}]
    return show(
        *songs,
        feeds=feeds,
        rig={"name": "Rig", "sockets": sockets},
        patch=patch,
        players=players,
        line_up={"on": ["q"]},
    )


def test_the_songs_told_are_those_in_which_the_sockets_sound(evening, tmp_path):
    shown = ready(evening, tmp_path)
    lines = lines_of(shown.show)
    heard = [bounced(shown, entry=entry)[0].any(axis=1) for entry in range(3)]
    for row, line in enumerate(lines):
        assert line.songs == (in_words([e + 1 for e in range(3) if heard[e][row]], 3) if line.carries else ""), line
    assert [line.songs for line in lines] == ["1", "1", "2", "all", "2", "", ""]


def test_each_socket_says_what_it_is_and_what_it_needs(evening):
    lines = lines_of(read_show(evening))
    assert [line.di for line in lines] == ["", "needed", "", "maybe", "", "", ""]
    assert [line.width for line in lines] == ["left", "right", "mono", "mono", "mono", "", ""]
    assert [" + ".join(line.carries) for line in lines][:4] == [
        "Rhythm L",
        "Rhythm R, −3.0 dB",
        "Tonal",
        "Click, 5 ms late",
    ]
    assert [line.number for line in lines if line.house] == [1, 2, 3]
    said = advice(read_show(evening), {})
    assert any("stands in for Pilar (bass)" in line for line in said)
    assert any("−18.0 dBFS" in line for line in said)


def test_it_is_one_page_with_everything_on_it(evening, tmp_path):
    shown = read_show(evening)
    text, pages = text_of(fitted(lambda size: page(shown, "Rig", size, notes="Mind the cat."), SIZES, 1), tmp_path)
    assert pages == 1
    for said in (
        "Out 1",
        "Rhythm R, −3.0 dB",
        "DI box needed",
        "kept for",
        "Ozo",
        "Mind the cat.",
        "3 Three",
    ):
        assert said in text


@pytest.mark.parametrize("title", NAMES)
def test_thirty_two_sockets_of_any_names_are_one_page(evening, tmp_path, title):
    sockets = [
        {"number": n, "label": f"{title} {n}"[:120], "printed": "Output of the box", "desk": str(n), "balanced": False}
        for n in range(1, 33)
    ]
    patch = [{"feed": "rtcm"[n % 4], "side": "mono", "socket": n} for n in range(1, 33) if n % 4 in (0, 1)]
    for feed in evening["feeds"]:
        feed["name"] = title
    shown = read_show({**evening, "title": title, "rig": {"sockets": sockets}, "patch": patch})
    text, pages = text_of(fitted(lambda size: page(shown, title, size), SIZES, 1), tmp_path)
    assert pages == 1
    assert all(f"{n} (Output" in text or f"\n {n}" in text or f"{n} " in text for n in range(1, 33))
    assert title[:6] in text
    rows = list(csv.reader(io.StringIO(table(shown))))
    assert len(rows) == 33
    assert all(not cell.startswith(("=", "+", "-", "@")) for row in rows for cell in row)
    made = labels(shown)
    assert made.count("<div>") == 16
    assert "<b>bold" not in made


@pytest.mark.parametrize(
    ("numbers", "words"), [([], "none"), ([1, 2, 3, 4, 5], "all"), ([1, 2, 4], "1, 2, 4"), ([1, 2, 3, 5], "1–3, 5")]
)
def test_songs_are_told_in_words(numbers, words):
    assert in_words(numbers, 5) == words


def test_the_command_writes_a_page_or_a_table_and_nothing_else(evening, tmp_path, capsys):
    (tmp_path / "show.json").write_text(json.dumps(evening))
    for name in ("sheet.pdf", "sheet.csv"):
        assert main(["patch-sheet", str(tmp_path), "--out", str(tmp_path / name), "--json"]) == 0
        assert json.loads(capsys.readouterr().out)["file"] == name
    assert (tmp_path / "sheet.pdf").read_bytes().startswith(b"%PDF")
    assert len((tmp_path / "sheet.csv").read_text().splitlines()) == 8
    assert main(["patch-sheet", str(tmp_path), "--out", str(tmp_path / "sheet.doc"), "--json"]) == 1
    assert json.loads(capsys.readouterr().out)["problems"][0]["code"] == "out-kind"
    assert sorted(p.name for p in tmp_path.iterdir() if "sheet" in p.name) == ["sheet.csv", "sheet.pdf"]
