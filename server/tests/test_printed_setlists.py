"""The running order on paper and as a table: nothing is cut, everything is there."""

import csv
import io
import subprocess

import pytest

LONG = "The Unreasonably Long Ballad of the Lamplighter’s Seventeen Daughters and Their Comet, in Five"


def setlist(member, titles, **fields):
    songs = {title: member.song(title=title)["id"] for title in dict.fromkeys(t for t in titles if t)}
    entries = [
        {"song": songs[t], "note": f"note {i}", "link_seconds": 90} if t else {"song": None, "interval_minutes": 20}
        for i, t in enumerate(titles)
    ]
    made = member.post("setlists/", {"name": "Thursday", "entries": entries, **fields})
    assert made.status_code == 201, made.content
    return made.json()


def text_of(member, made, what, folder):
    answer = member.get(f"setlists/{made['id']}/print/?for={what}")
    assert answer["Content-Type"] == "application/pdf"
    (folder / "x.pdf").write_bytes(answer.content)
    run = subprocess.run(["pdftotext", "-layout", folder / "x.pdf", "-"], capture_output=True, text=True, check=True)
    return run.stdout


@pytest.mark.parametrize("count", [1, 7, 30])
def test_the_floor_gets_one_page_with_every_song(ines, tmp_path, count):
    titles = [f"Number {i + 1}" for i in range(count)]
    made = setlist(ines, [*titles[: count // 2], None, *titles[count // 2 :]])
    text = text_of(ines, made, "floor", tmp_path)
    assert text.count("\f") == 1
    # Once as the title, and its note.
    assert all(title in text for title in titles)
    assert "Interval 20 min" in text


def test_the_longest_title_is_not_cut(ines, tmp_path):
    made = setlist(ines, [LONG] * 30)
    for what in ("floor", "crew"):
        words = " ".join(text_of(ines, made, what, tmp_path).split())
        assert words.count("Lamplighter’s") == 30
        assert words.count("Five") == 30


def test_the_crew_gets_times_what_follows_and_notes(ines, tmp_path):
    made = setlist(ines, ["One", None, "Two"], starts_at="20:15")
    text = text_of(ines, made, "crew", tmp_path)
    assert "20:15" in text
    # 32 bars at 120 are 64 s, two bars of count-in 4 s, the talk 90 s; then the interval.
    assert "20:37" in text
    assert "wait, talk 1:30" in text
    assert "note 0" in text
    assert "♩ 120" in text


def test_the_table_has_a_line_for_each_entry_and_no_formula(ines):
    made = setlist(ines, ["One", None, "=HYPERLINK(1)"])
    answer = ines.get(f"setlists/{made['id']}/table/")
    assert answer["Content-Disposition"] == 'attachment; filename="Thursday.csv"'
    rows = list(csv.DictReader(io.StringIO(answer.content.decode())))
    assert [r["title"] for r in rows] == ["One", "Interval 20 min", "'=HYPERLINK(1)"]
    assert [r["number"] for r in rows] == ["1", "", "2"]
    assert (rows[0]["seconds"], rows[0]["then"], rows[0]["note"]) == ("64.0", "wait, talk 1:30", "note 0")


def test_a_note_and_the_talk_are_kept_and_counted(ines):
    made = setlist(ines, ["One", "Two"])
    assert [e["note"] for e in made["entries"]] == ["note 0", "note 1"]
    assert made["entries"][1]["starts_s"] == 68 + 90
    # Nobody waits for a talk after the last song.
    assert made["seconds"] == 68 + 90 + 68
    long = [{"song": made["entries"][0]["song"], "note": "x" * 201}]
    refused = ines.patch(f"setlists/{made['id']}/", {"entries": long})
    assert refused.status_code == 400


def test_another_bands_setlist_is_not_printed(ines, other):
    made = setlist(ines, ["One"])
    for path in ("print/?for=crew", "table/"):
        assert other.get(f"setlists/{made['id']}/{path}").status_code == 404
