"""What files and their names say of a song: names, cue chunks, lists, MIDI, and where sections fall."""

import json
import struct
from fractions import Fraction
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from upbeat.errors import Refused
from upbeat.intake.labels import read_labels
from upbeat.intake.midi import read_midi, tempo_map
from upbeat.intake.names import read_folder, read_stem
from upbeat.intake.sections import Moment, on_bar_lines
from upbeat.intake.wavcue import read_cues
from upbeat.time.grid import Grid
from upbeat.time.meter import MeterMap
from upbeat.time.tempo import TempoMap

DATA = Path(__file__).parent / "data"
MIDI = json.loads((DATA / "midi" / "expected.json").read_text())["files"]

# --- names


@pytest.mark.parametrize(
    ("folder", "files", "title", "bpm", "parts"),
    [
        (
            "Tin Moon Waltz 138 bpm",
            ["Tin Moon Waltz 138 - Bass.wav", "Tin Moon Waltz 138 - Drums.wav"],
            "Tin Moon Waltz",
            "138",
            {"Bass": "rhythm", "Drums": "rhythm"},
        ),
        (
            "Platform 9 Copper Kites 112",
            ["Copper Kites BVs.flac", "Copper Kites FULL MIX.flac", "Copper Kites Guide Guitar.flac"],
            "Platform 9 Copper Kites",
            "112",
            {"BVs": "voices", "FULL MIX": "full_mix", "Guide Guitar": "tonal"},
        ),
        (
            "Ottoline Umbrella Waltz",
            ["ottoline_accordion_141bpm.wav", "ottoline_mix_141bpm.flac"],
            "Ottoline Umbrella Waltz",
            "141",
            {"Accordion": "tonal", "Mix": "full_mix"},
        ),
        (
            "stems",
            ["night_ferry_bass_93.37.wav", "night_ferry_click_93.37.wav"],
            "Night Ferry",
            "93.37",
            {"Bass": "rhythm", "Click": "click"},
        ),
        (
            "Room 101",
            ["01 Bass.wav", "02 Choir.wav", "03 Whoosh FX.wav"],
            "Room 101",
            None,
            {"Bass": "rhythm", "Choir": "voices", "Whoosh FX": "effects"},
        ),
    ],
)
def test_names_tell_title_tempo_and_parts(folder, files, title, bpm, parts):
    read = read_folder(folder, files)
    assert (read.title.value, read.bpm.value if read.bpm else None) == (title, bpm)
    assert {s.name: s.group for s in read.stems} == parts
    assert [s.file for s in read.stems] == files


@given(folder=st.text(max_size=60), files=st.lists(st.text(max_size=60), max_size=12))
@settings(max_examples=300)
def test_any_names_are_read_and_no_two_stems_are_called_the_same(folder, files):
    read = read_folder(folder, files)
    names = [s.name.casefold() for s in read.stems]
    assert len(names) == len(files)
    assert read.title.value.strip()
    assert all(s.name for s in read.stems)
    assert read.bpm is None or 30 <= float(read.bpm.value) <= 300
    assert all(read_stem(f, folder).file == f for f in files)


# --- cue chunks


def chunk(kind, body):
    return kind + struct.pack("<I", len(body)) + body + b"\0" * (len(body) & 1)


def cue_wav(path, frames, sections, order=("fmt", "data", "cue", "adtl"), encoding="utf-8", names="labl"):
    """A mono 16-bit WAV whose (start, length, name) sections are in its chunks, laid out in ``order``."""
    points = [struct.pack("<II4sIII", i + 1, 0, b"data", 0, 0, start) for i, (start, _, _) in enumerate(sections)]
    texts = b""
    for i, (_, length, name) in enumerate(sections):
        raw = name.encode(encoding)
        if names == "labl" and name:
            texts += chunk(b"labl", struct.pack("<I", i + 1) + raw + b"\0")
        if length:
            texts += chunk(
                b"ltxt", struct.pack("<IIIHHHH", i + 1, length, 0, 0, 0, 0, 0) + (raw if names == "ltxt" else b"")
            )
    parts = {
        "fmt": chunk(b"fmt ", struct.pack("<HHIIHH", 1, 1, 48000, 96000, 2, 16)),
        "data": chunk(b"data", bytes(2 * frames)),
        "cue": chunk(b"cue ", struct.pack("<I", len(points)) + b"".join(points)),
        "adtl": chunk(b"LIST", b"adtl" + texts),
    }
    body = b"WAVE" + b"".join(parts[p] for p in order)
    path.write_bytes(b"RIFF" + struct.pack("<I", len(body)) + body)
    return path


LAYOUTS = (
    ("fmt", "data", "cue", "adtl"),
    ("fmt", "cue", "adtl", "data"),
    ("fmt", "cue", "data", "adtl"),
    ("fmt", "adtl", "cue", "data"),
)


@given(
    cuts=st.lists(st.integers(0, 4999), min_size=2, max_size=12, unique=True).map(sorted),
    layout=st.sampled_from(LAYOUTS),
    named=st.sampled_from(("labl", "ltxt")),
    words=st.lists(
        st.text(st.characters(codec="utf-8", categories=("L", "N", "P", "S")), min_size=1, max_size=12),
        min_size=12,
        max_size=12,
    ),
)
@settings(max_examples=150)
def test_every_section_is_read_at_its_frame_from_any_layout(tmp_path_factory, cuts, layout, named, words):
    sections = [(a, b - a, words[i]) for i, (a, b) in enumerate(zip(cuts, cuts[1:], strict=False))]
    path = cue_wav(tmp_path_factory.mktemp("cue") / "x.wav", 5000, sections[::-1], layout, names=named)
    read = read_cues(path, 5000)
    assert [(s.start, s.end - s.start, s.name) for s in read.sections] == sections
    assert not read.problems


def test_latin_names_points_without_length_and_a_stray_name(tmp_path):
    read = read_cues(cue_wav(tmp_path / "x.wav", 5000, [(10, 0, "Début"), (70, 0, "")], encoding="latin-1"), 5000)
    assert [(s.start, s.end, s.name) for s in read.sections] == [(10, 10, "Début"), (70, 70, "")]


@pytest.mark.parametrize("name", ["cue-beyond-end", "cue-count-lies", "label-size-lies"])
def test_damaged_marks_leave_the_sound_and_nothing_lies_outside_it(name):
    truth = json.loads((DATA / "wavcue" / f"{name}.json").read_text())
    read = read_cues(DATA / "wavcue" / f"{name}.wav", truth["frames"])
    assert read.problems
    assert all(name in p.message for p in read.problems)
    assert [s.start for s in read.sections] == truth["broken_ok_starts"]
    assert all(s.end <= truth["frames"] for s in read.sections)


# --- lists


def test_a_list_is_read_with_commas_points_headings_and_marks_of_order():
    answer = read_labels(
        "Start\tEnd\tName\n0,5\t1.25\tIntro\n2\t\tHit\n1.25\t2\tサビ\n\n3.5\n".encode("utf-8-sig"), "a.txt"
    )
    assert [(x.start_s, x.end_s, x.name) for x in answer] == [
        (0.5, 1.25, "Intro"),
        (1.25, 2, "サビ"),
        (2, 2, "Hit"),
        (3.5, 3.5, ""),
    ]
    assert read_labels("0\t1\tEnde".encode("utf-16"), "a.txt")[0].name == "Ende"
    assert read_labels("0\t1\tDébut".encode("latin-1"), "a.txt")[0].name == "Début"


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "lists no sections"),
        ("Name\n", "lists no sections"),
        ("0\t1\ta\nx1\t2\tb", "Line 2"),
        ("2\t1\ta", "Line 1 of “a.txt” ends before it starts"),
        ("1e9\t2\ta", "Line 1"),
        ("0\t1\n" * 10_001, "10,001 lines"),
        ("0" * (1 << 21), "KB"),
    ],
)
def test_a_wrong_list_is_refused_by_its_line(text, said):
    with pytest.raises(Refused, match=said):
        read_labels(text.encode(), "a.txt")


# --- MIDI


@pytest.mark.parametrize("case", MIDI, ids=lambda c: c["file"])
def test_every_bar_line_of_a_midi_file_is_where_it_belongs(case):
    try:
        answer = tempo_map(DATA / "midi" / case["file"])
    except Refused as refused:
        assert case["expect"] in ("reject", "either"), refused
        assert case["file"] in str(refused)
        return
    assert case["expect"] != "reject"
    truth, checks = case.get("truth", {}), case.get("checks", [])
    if "bar_lines_s" in checks:
        assert len(answer["bar_lines_s"]) >= case["bars_required"]
        shared = min(len(answer["bar_lines_s"]), len(truth["bar_lines_s"]))
        assert answer["bar_lines_s"][:shared] == pytest.approx(truth["bar_lines_s"][:shared], abs=1e-6)
    if "tempo" in checks:
        for field in ("bar", "beat", "bpm"):
            assert [t[field] for t in answer["tempo"]] == pytest.approx([t[field] for t in truth["tempo"]], abs=1e-6)
    if "meters" in checks:
        assert [(m["bar"], m["meter"]) for m in answer["meters"]] == [(m["bar"], m["meter"]) for m in truth["meters"]]
    if "markers" in checks:
        assert [(m["text"], m["kind"]) for m in answer["markers"]] == [(m["text"], m["kind"]) for m in truth["markers"]]
        assert [m["seconds"] for m in answer["markers"]] == pytest.approx(
            [m["seconds"] for m in truth["markers"]], abs=1e-6
        )


def midi(*events: bytes) -> bytes:
    """A file of one track at 480 ticks a quarter note."""
    track = b"".join(b"\0" + e for e in events) + b"\0\xff\x2f\0"
    return b"MThd\0\0\0\6\0\0\0\1\1\xe0" + b"MTrk" + len(track).to_bytes(4, "big") + track


def test_a_tempo_is_three_bytes_long_or_the_file_is_refused():
    whole = midi(b"\xff\x51\3\7\xa1\x20")
    assert read_midi(whole, "t.mid").tempos == ((0, 500_000),)
    for wrong in (b"\xff\x51\2\7\xa1", b"\xff\x51\4\7\xa1\x20\0", b"\xff\x51\0"):
        with pytest.raises(Refused, match=r"“t\.mid” is damaged: a tempo is \d bytes long instead of 3"):
            read_midi(midi(wrong), "t.mid")
    with pytest.raises(Refused, match="a time signature is 1 bytes long"):
        read_midi(midi(b"\xff\x58\1\4"), "t.mid")


# --- sections on bar lines

STEADY = Grid(TempoMap.steady(120), MeterMap(), Fraction(1))  # bar 1 at 1 s, a bar each 2 s


def test_moments_fall_on_the_nearest_bar_line_with_their_distance():
    placed = on_bar_lines(
        [Moment(1.03, 5.0, "Intro"), Moment(4.98, 4.98, "Hit"), Moment(9.4, 12.9, "Chorus"), Moment(99, 100, "Gone")],
        STEADY,
        8,
    )
    assert [(p.bar, p.name, p.off_ms) for p in placed] == [
        (1, "Intro", 30.0),
        (3, "Hit", -20.0),
        (5, "Chorus", 400.0),
        (7, "Section", 0.0),
    ]


def test_what_comes_before_the_first_moment_is_a_section_of_its_own():
    assert [
        (p.bar, p.name) for p in on_bar_lines([Moment(5.0, 5.0, "Verse"), Moment(5.1, 9.0, "Longer")], STEADY, 8)
    ] == [(1, "Opening"), (3, "Longer"), (5, "Section")]
    assert on_bar_lines([], STEADY, 8) == []


@given(st.lists(st.tuples(st.floats(-10, 200), st.floats(0, 50), st.text(max_size=5)), max_size=30), st.integers(1, 60))
@settings(max_examples=200)
def test_proposed_sections_always_start_at_bar_one_in_order_within_the_song(spans, bars):
    placed = on_bar_lines([Moment(a, a + b, n) for a, b, n in spans], STEADY, bars)
    starts = [p.bar for p in placed]
    assert starts == sorted(set(starts))
    assert not placed or (starts[0] == 1 and starts[-1] <= bars)
