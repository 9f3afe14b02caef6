"""The chart over the API: chords, words, sections by key, forms, seams, heard sections, text and print."""

import io

import numpy as np
import pytest

from preview.listening import listening
from songs import tasks as song_tasks
from songs.models import Measurement, Song
from songs.rows import snapshot

RATE = 48_000


@pytest.fixture
def song(ines):
    made = ines.song()
    for first, last, name in ((1, 8, "Verse"), (9, 16, "Chorus"), (17, 32, "Bridge")):
        made = ines.edit(made, "mark_section", first=first, last=last, name=name).json()
    return made


def ids(song):
    return {s["name"]: s["id"] for s in song["sections"]}


def says(answer):
    assert answer.status_code == 400, answer.content
    return answer.json()["problems"][0]["message"]


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


# --- what is heard: seams and sections


def wav(sound):
    import soundfile

    out = io.BytesIO()
    soundfile.write(out, sound, RATE, format="WAV", subtype="PCM_16")
    return out.getvalue()


@pytest.fixture
def sounding(ines):
    """32 bars at 120: a hit on every beat; a pad that changes at every bar, but is held over bar lines 9 and 25."""
    t = np.arange(64 * RATE) / RATE
    beats = 0.4 * np.exp(-((t * 2) % 1) * 40) * np.random.default_rng(1).standard_normal(len(t))
    bar = (t // 2).astype(int)
    fresh = np.where(np.isin(bar, (8, 24)), bar - 1, bar)
    hz = 220 * 2 ** ((fresh * 5 % 12 % 5) / 12)
    starts = np.where(np.isin(bar, (8, 24)), 9.0, (t % 2) * 1.0)
    level = np.minimum(1, starts / 0.05) * np.where(np.isin(bar + 1, (8, 24)), 1.0, np.minimum(1, (2 - t % 2) / 0.08))
    turns = 2 * np.pi * np.cumsum(hz) / RATE
    pad = 0.3 * sum(np.sin(k * turns) / k for k in range(1, 16)) / 2 * np.where(np.isin(bar, (8, 24)), 1.0, level)
    song = ines.song()
    for name, sound in (("Drums", beats), ("Pad", pad)):
        assert ines.imported(song, f"{name}.wav", wav(sound.astype(np.float32)))["status"] == "done"
    for first, last, name in ((1, 8, "Verse"), (9, 16, "Chorus"), (17, 32, "Bridge")):
        song = ines.edit(song, "mark_section", first=first, last=last, name=name).json()
    return song


def test_seams_are_listed_worst_first_with_their_mends(ines, sounding):
    by_name = ids(sounding)
    steps = [
        {"section": by_name[n], "ending": {"kind": kind}}
        for n, kind in (("Verse", "attacca"), ("Bridge", "attacca"), ("Verse", "vamp"), ("Chorus", "fine"))
    ]
    song = ines.edit(sounding, "set_form", name="Odd", steps=steps).json()
    seams = ines.get(f"songs/{song['id']}/seams/?form={song['forms'][1]['id']}").json()
    names = {v: k for k, v in by_name.items()}
    joins = {(names[s["old"]], names[s["new"]]): s for s in seams}
    assert set(joins) == {("Verse", "Bridge"), ("Bridge", "Verse"), ("Verse", "Verse"), ("Verse", "Chorus")}
    assert joins["Verse", "Chorus"]["straight"]
    assert joins["Verse", "Chorus"]["likely"] == 0
    assert [s["likely"] for s in seams] == sorted((s["likely"] for s in seams), reverse=True)
    # The pad is held over the end of the verse: left for another bar it is cut in two.
    held = joins["Verse", "Bridge"]
    assert (held["reason"], held["stem"]) == ("cut", "Pad")
    assert held["likely"] > 0.5
    assert (held["verdict"], joins["Bridge", "Verse"]["verdict"]) in (("heard", "not"), ("may", "not"))
    assert joins["Bridge", "Verse"]["likely"] < held["likely"]
    mend = next(m for m in held["mends"] if m["kind"] == "ring_on")
    assert mend["likely"] < held["likely"] - 0.1
    song = ines.edit(song, "set_facts", ring_on_s=mend["value"]).json()
    after = ines.get(f"songs/{song['id']}/seam/?old={by_name['Verse']}&new={by_name['Bridge']}").json()
    assert after["likely"] == pytest.approx(mend["likely"], abs=0.002)
    assert "no longer there" in says(ines.get(f"songs/{song['id']}/seam/?old=x&new=y"))


def test_a_seam_is_heard_from_the_renderer_as_it_would_sound(ines, sounding):
    by_name = ids(sounding)
    ready, state = listening(
        ines.band,
        {
            "hear": sounding["id"],
            "click": False,
            "cues": False,
            "seam": {"old": by_name["Verse"], "new": by_name["Bridge"]},
        },
    )
    from upbeat.play.advance import advance
    from upbeat.play.events import BarLine

    renderer, heard, bars = ready.renderer(), [], []
    out = np.zeros((2, 4800), dtype=np.float32)
    for _ in range(100):
        state, span = advance(ready.plan, state, 4800)
        renderer.render(span, out)
        heard.append(out.copy())
        bars += [e.bar for e in span.only(BarLine)]
        if state.silent:
            break
    assert bars[:4] == [7, 8, 17, 18]
    sound = np.concatenate(heard, axis=1)[0]
    assert np.sqrt(np.mean(sound[: 4 * RATE] ** 2)) > 0.02


def test_sections_are_heard_in_the_worker_and_taken(ines):
    t = np.arange(64 * RATE) / RATE
    rng = np.random.default_rng(2)
    hits = 0.5 * np.exp(-((t * 2) % 1) * 30) * rng.standard_normal(len(t)) * ((t >= 16) & (t < 48))
    tone = 0.2 * np.sin(2 * np.pi * np.where(t < 32, 220, 330) * t) * (0.3 + 0.7 * np.exp(-((t * 2) % 1) * 4))
    song = ines.song()
    for name, sound in (("Drums", hits), ("Organ", tone)):
        ines.imported(song, f"{name}.wav", wav(sound.astype(np.float32)))
    asked = ines.post(f"songs/{song['id']}/heard-sections/").json()
    assert (asked["state"], asked["sections"]) == ("working", [])
    song_tasks.hear_sections(Measurement.objects.get(key__startswith="sections:").pk)
    told = ines.post(f"songs/{song['id']}/heard-sections/").json()
    assert (told["state"], [s["bar"] for s in told["sections"]]) == ("done", [1, 9, 17, 25])
    assert {"kind": "enters", "stem": "Drums", "value": 0.0} in told["sections"][1]["reasons"]
    assert {"kind": "leaves", "stem": "Drums", "value": 0.0} in told["sections"][3]["reasons"]
    taken = ines.edit(
        song, "set_sections", sections=[{"bar": s["bar"], "name": f"Part {s['like'] + 1}"} for s in told["sections"]]
    ).json()
    assert [s["first_bar"] for s in taken["sections"]] == [1, 9, 17, 25]


def test_a_song_that_is_all_alike_has_no_sections_to_offer(ines):
    t = np.arange(32 * RATE) / RATE
    song = ines.song()
    assert ines.post(f"songs/{song['id']}/heard-sections/").json()["state"] == "none"
    ines.imported(song, "Organ.wav", wav((0.2 * np.sin(2 * np.pi * 220 * t)).astype(np.float32)))
    ines.post(f"songs/{song['id']}/heard-sections/")
    song_tasks.hear_sections(Measurement.objects.get(key__startswith="sections:").pk)
    told = ines.post(f"songs/{song['id']}/heard-sections/").json()
    assert (told["state"], told["sections"]) == ("refused", [])
    assert "All bars of this song sound alike" in told["message"]


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
