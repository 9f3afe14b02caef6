"""The chart over the API: chords, words, sections by key, forms, seams, heard sections, text and print."""

import pytest
from asked import ids, says

from songs.models import Song
from songs.rows import snapshot

RATE = 48_000


@pytest.fixture
def song(ines):
    made = ines.song()
    for first, last, name in ((1, 8, "Verse"), (9, 16, "Chorus"), (17, 32, "Bridge")):
        made = ines.edit(made, "mark_section", first=first, last=last, name=name).json()
    return made


# --- chords and words


def test_chords_are_written_bar_by_bar_and_over_and_over(ines, song):
    song = ines.edit(song, "set_chords", first=3, text="em C/E | G D7sus4 | % | %").json()
    assert song["chords"][:8] == ["", "", "Em C/E", "G D7sus4", "%", "%", "", ""]
    song = ines.edit(song, "set_chords", first=9, last=16, fill=True, text="G | D | Em").json()
    assert song["chords"][8:16] == ["G", "D", "Em", "G", "D", "Em", "G", "D"]
    song = ines.edit(song, "set_chords", first=3, last=4, text="").json()
    assert song["chords"][2:5] == ["", "G D7sus4", "%"]
    song = ines.post(f"songs/{song['id']}/undo/").json()
    assert song["chords"][2] == "Em C/E"


@pytest.mark.parametrize(
    ("args", "sentence"),
    [
        ({"first": 1, "text": "Em | Hm"}, "“Hm” is not a chord"),
        ({"first": 1, "text": "verse one"}, "“verse” is not a chord"),
        ({"first": 31, "text": "C | D | E"}, "You typed 3 bars of chords from bar 31 on, and the song ends at bar 32"),
        ({"first": 1, "last": 2, "text": "C | D | E"}, "You typed 3 bars of chords for 2 bars"),
        ({"first": 1, "text": "% | C"}, "There is no bar before bar 1"),
        ({"first": 0, "text": "C"}, "from bar 0 on"),
        ({"first": "x", "text": "C"}, "misses or misspells"),
    ],
)
def test_chords_that_cannot_be_leave_no_trace(ines, song, args, sentence):
    before = snapshot(Song.objects.get(pk=song["id"]))
    assert sentence in says(ines.edit(song, "set_chords", **args))
    assert snapshot(Song.objects.get(pk=song["id"])) == before


def test_chords_are_copied_moved_and_transposed_with_the_key(ines, song):
    by_name = ids(song)
    song = ines.edit(song, "set_facts", key="E minor").json()
    song = ines.edit(song, "set_chords", first=1, last=8, fill=True, text="Em | C G").json()
    song = ines.edit(song, "copy_chords", section=by_name["Verse"], to=by_name["Chorus"]).json()
    assert song["chords"][8:16] == ["Em", "C G"] * 4
    song = ines.edit(song, "copy_chords", section=by_name["Chorus"], to=by_name["Bridge"], move=True).json()
    assert song["chords"][8:24] == [""] * 8 + ["Em", "C G"] * 4
    song = ines.edit(song, "transpose", semitones=-2).json()
    assert (song["key"], song["chords"][:2]) == ("D minor", ["Dm", "Bb F"])
    assert "up to 11 semitones" in says(ines.edit(song, "transpose", semitones=40))


def test_chords_stay_on_their_bars_when_boundaries_move_and_come_back_with_the_length(ines, song):
    song = ines.edit(song, "set_chords", first=31, text="C | D").json()
    song = ines.edit(song, "move_boundary", section=ids(song)["Chorus"], first=5).json()
    assert song["chords"][30:] == ["C", "D"]
    song = ines.edit(song, "set_length", bars=30).json()
    assert len(song["chords"]) == 30
    song = ines.edit(song, "set_length", bars=32).json()
    assert song["chords"][30:] == ["C", "D"]


def test_words_and_notes_go_to_chordpro_text_and_back(ines, song):
    by_name = ids(song)
    ines.edit(
        song,
        "rename_section",
        section=by_name["Verse"],
        words="[Em]Lanterns [C]in\n\nround the 별 dome",
        note="glass pads only",
    )
    ines.edit(song, "set_chords", first=1, last=8, fill=True, text="Em | C")
    ines.edit(song, "set_facts", key="E minor", note="Watch Ozo for the last time")
    text = ines.get(f"songs/{song['id']}/chordpro/").json()["text"]
    assert "| Em | C | Em | C |" in text
    before = ines.get(f"songs/{song['id']}/").json()
    after = ines.edit(song, "read_chordpro", text=text).json()
    assert {k: after[k] for k in ("sections", "chords", "key", "note", "title")} == {
        k: before[k] for k in ("sections", "chords", "key", "note", "title")
    }
    # Put into another song of one section it divides that one.
    other = ines.song()
    made = ines.edit(other, "read_chordpro", text=text).json()
    assert [(s["name"], s["bars"]) for s in made["sections"]][:1] == [("Verse", 8)]
    assert made["sections"][0]["words"].endswith("round the 별 dome")
    assert "has none left" in says(ines.edit(song, "read_chordpro", text="{sov}\na\n{eov}\n" * 4))
    assert "9 bars of chords in the text and 8 in the song" in says(
        ines.edit(song, "read_chordpro", text='{sov: label="Verse"}\n{sog}\n' + "| C " * 9 + "|\n{eog}\n{eov}")
    )


# --- sections


def test_a_section_starts_on_the_bar_line_nearest_to_what_is_heard(ines, song):
    song = ines.edit(song, "split_section", bar=20, phase=0.6, name="Solo").json()
    assert [(s["name"], s["first_bar"]) for s in song["sections"]] == [
        ("Verse", 1),
        ("Chorus", 9),
        ("Bridge", 17),
        ("Solo", 21),
    ]
    assert "starts at bar 21 already" in says(ines.edit(song, "split_section", bar=21, phase=0.1))


def test_a_locked_section_keeps_its_length(ines, song):
    by_name = ids(song)
    song = ines.edit(song, "rename_section", section=by_name["Chorus"], locked=True).json()
    song = ines.edit(song, "move_boundary", section=by_name["Chorus"], first=11).json()
    assert [(s["first_bar"], s["bars"]) for s in song["sections"]] == [(1, 10), (11, 8), (19, 14)]
    assert "locked to 8 bars" in says(ines.edit(song, "resize_section", section=by_name["Chorus"], bars=4))


def test_once_more_copies_bars_chords_and_colour(ines, song):
    by_name = ids(song)
    ines.edit(song, "set_chords", first=1, last=8, fill=True, text="Em | C")
    song = ines.edit(song, "duplicate_section", section=by_name["Verse"]).json()
    assert [(s["name"], s["bars"]) for s in song["sections"]] == [("Verse", 8), ("Verse", 8), ("Bridge", 16)]
    assert song["chords"][8:16] == ["Em", "C"] * 4
    assert song["sections"][0]["colour"] == song["sections"][1]["colour"]


@pytest.mark.parametrize(
    ("do", "args", "sentence"),
    [
        ("resize_section", {"bars": 0}, "cannot have 0 bars"),
        ("move_boundary", {"first": 99}, "can start at bars 2 to 16"),
        ("set_sections", {"sections": [{"bar": b, "name": "x"} for b in range(1, 1003)]}, ""),
        ("rename_section", {"words": "x" * 20_001}, "at most 20,000"),
        (
            "rename_section",
            {"words": "one\n@9 two"},
            "Line 2 of the words of “Chorus” stands at bar 9, and the section has",
        ),
        ("rename_section", {"words": "@2.5 one"}, "stands at bar 2, beat 5, and that bar has 4 beats"),
        ("rename_section", {"words": "@3 one\n@2 two"}, "before the line above it: put the lines in order"),
        ("rename_section", {"name": "  "}, "A section needs a name"),
        ("duplicate_section", {"section": "00000000-0000-0000-0000-000000000000"}, "no longer there"),
    ],
)
def test_sections_that_cannot_be_get_a_sentence(ines, song, do, args, sentence):
    answer = ines.edit(song, do, **{"section": ids(song)["Chorus"], **args})
    if sentence:
        assert sentence in says(answer)
    else:
        assert answer.status_code == 200
        assert len(answer.json()["sections"]) == 32


def test_more_than_a_thousand_sections_are_refused(ines):
    song = ines.song()
    song = ines.edit(song, "set_length", bars=1200).json()
    assert "at most 1000 sections" in says(
        ines.edit(song, "set_sections", sections=[{"bar": b, "name": "x"} for b in range(1, 1201)])
    )


@pytest.mark.parametrize("name", ["Куплет", "후렴", "مقدمة", "🎺 solo", "a" * 80, "<b>x</b>"])
def test_names_in_any_script_come_back_as_typed_and_print(ines, song, name):
    song = ines.edit(song, "rename_section", section=ids(song)["Verse"], name=name).json()
    assert song["sections"][0]["name"] == name
    pdf = b"".join(ines.get(f"songs/{song['id']}/print/"))
    assert pdf.startswith(b"%PDF")


# --- forms


def test_forms_have_lengths_and_are_laid_side_by_side(ines, song):
    by_name = ids(song)
    steps = [
        {"section": by_name["Verse"]},
        {"section": by_name["Chorus"], "ending": {"kind": "repeat", "times": 3}},
        {"section": by_name["Verse"], "ending": {"kind": "cut"}},
    ]
    song = ines.edit(song, "set_form", name="Short", steps=steps).json()
    short = song["forms"][1]
    assert (short["bars"], short["seconds"]) == (8 + 24, 64.0)
    rows = ines.get(f"songs/{song['id']}/compared/").json()
    assert rows == {"forms": ["full", short["id"]], "rows": [[0, 0], [1, 1], [2, None], [None, 2]]}
    song = ines.edit(song, "set_form", form=short["id"], name="For the fair").json()
    assert (song["forms"][1]["name"], len(song["forms"][1]["steps"])) == ("For the fair", 3)
    assert "called “for the fair” already" in says(ines.edit(song, "set_form", name="for the fair", steps=steps))
    assert "at least one section that is played" in says(
        ines.edit(song, "set_form", form=short["id"], steps=[steps[2]])
    )
    wrong = [{**steps[1], "ending": {"kind": "repeat", "times": None}}]
    assert "expected a whole number" in says(ines.edit(song, "set_form", form=short["id"], steps=wrong))
    assert "no longer there" in says(ines.edit(song, "set_form", form="gone", steps=steps))
    assert len(ines.get(f"songs/{song['id']}/").json()["forms"][1]["steps"]) == 3


# --- undo, and two people


def test_two_hundred_edits_are_taken_back_one_by_one_and_done_again(ines, song):
    row = lambda: snapshot(Song.objects.get(pk=song["id"]))
    seen = [row()]
    for i in range(205):
        do, args = (
            ("set_chords", {"first": 1 + i % 32, "text": "ABCDEFG"[i % 7] + ("m7" if i % 3 else "")})
            if i % 2
            else ("set_facts", {"key": f"K{i}"})
        )
        assert ines.edit(song, do, **args).status_code == 200
        if row() != seen[-1]:
            seen.append(row())
    assert len(seen) > 200
    for wanted in reversed(seen[:-1]):
        assert ines.post(f"songs/{song['id']}/undo/").status_code == 200
        assert row() == wanted
    for wanted in seen[1:]:
        assert ines.post(f"songs/{song['id']}/redo/").status_code == 200
        assert row() == wanted


def test_the_second_of_two_is_told_who_was_first_and_can_make_the_edit_again(ines, song):
    first = ines.post(
        f"songs/{song['id']}/edits/",
        {"do": "set_chords", "args": {"first": 1, "text": "Em"}, "revision": song["revision"]},
    )
    second = ines.post(
        f"songs/{song['id']}/edits/",
        {"do": "set_chords", "args": {"first": 2, "text": "C"}, "revision": song["revision"]},
    )
    assert (first.status_code, second.status_code) == (200, 409)
    assert "Ines changed" in second.json()["problems"][0]["message"]
    again = ines.post(
        f"songs/{song['id']}/edits/",
        {"do": "set_chords", "args": {"first": 2, "text": "C"}, "revision": first.json()["revision"]},
    ).json()
    assert again["chords"][:2] == ["Em", "C"]


def test_another_band_sees_none_of_it(ines, other, song):
    for path in ("chart/", "seams/", "seam/?old=a&new=b", "compared/", "chordpro/", "print/", "heard-sections/"):
        assert other.get(f"songs/{song['id']}/{path}").status_code == 404
    assert other.edit(song, "set_chords", first=1, text="C").status_code == 404
    assert other.post(f"songs/{song['id']}/undo/").status_code == 404


# --- print


def test_the_printed_chart_holds_chords_marks_and_words_on_two_pages_at_most(ines, song, tmp_path):
    import subprocess

    by_name = ids(song)
    ines.edit(song, "set_chords", first=1, last=32, fill=True, text="Em C/E | Bb D7sus4 | N.C.")
    ines.edit(
        song, "rename_section", section=by_name["Verse"], words="[Em]Lanterns <in>\nsecond line", note="quiet & slow"
    )
    answer = ines.get(f"songs/{song['id']}/print/")
    assert answer["Content-Type"] == "application/pdf"
    (tmp_path / "chart.pdf").write_bytes(answer.content)
    text = subprocess.run(
        ["pdftotext", "-layout", tmp_path / "chart.pdf", "-"], capture_output=True, text=True, check=True
    ).stdout
    for wanted in (
        "Paper Boats",
        "♩ = 120",
        "Verse",
        "Chorus",
        "Em C/E",
        "B♭ D7sus4",
        "N.C.",
        "Lanterns <in>",
        "quiet & slow",
    ):
        assert wanted in " ".join(text.split()), wanted
    assert "Lanterns" not in _text(ines, song, tmp_path, "?words=false")
    long = ines.song(title="Long")
    ines.edit(long, "set_length", bars=200)
    ines.edit(long, "set_sections", sections=[{"bar": 1 + 10 * i, "name": f"S{i}"} for i in range(20)])
    ines.edit(long, "set_chords", first=1, last=200, fill=True, text="Em C/E | G")
    assert _text(ines, long, tmp_path, "").count("\f") <= 2


def _text(ines, song, folder, query):
    import subprocess

    (folder / "x.pdf").write_bytes(ines.get(f"songs/{song['id']}/print/{query}").content)
    return subprocess.run(
        ["pdftotext", "-layout", folder / "x.pdf", "-"], capture_output=True, text=True, check=True
    ).stdout
