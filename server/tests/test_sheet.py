"""Players and line-ups, the tacet sheet, levels and starting points over the API."""

import json
from dataclasses import replace

import numpy as np
import pytest

from people.models import Band
from shows.build import place_for_engine, show_document
from shows.models import Show
from songs import tasks as song_tasks
from songs.models import Measurement, Song
from songs.rows import snapshot
from upbeat.audio.pcm import open_prepared
from upbeat.mix.render import Renderer
from upbeat.show.bounce import rehearse, render
from upbeat.show.document import read_show
from upbeat.show.loudness import house_feeds
from upbeat.show.ready import make_ready

RATE = 48_000


@pytest.fixture
def song(ines, wav):
    made = ines.song()
    for i, name in enumerate(("Drums", "Bass", "Organ")):
        ines.imported(made, f"{name}.wav", wav(16, seed=i + 1))
    for first, last, name in ((1, 2, "Verse"), (3, 5, "Chorus"), (6, 8, "Coda")):
        made = ines.edit(made, "mark_section", first=first, last=last, name=name).json()
    return made


def stems(song):
    return {s["name"]: s for s in song["stems"]}


def sections(song):
    return {s["name"]: s["id"] for s in song["sections"]}


def says(answer, status=400):
    assert answer.status_code == status, answer.content
    return answer.json()["problems"][0]["message"]


def whole(song):
    return snapshot(Song.objects.get(pk=song["id"]))


def changed(content, change):
    """The bytes of a mono 16-bit WAV with other samples."""
    at = content.index(b"data") + 8
    return content[:at] + change(np.frombuffer(content[at:], np.int16)).astype(np.int16).tobytes()


def covered(ines, song, stem="Bass", name="Pilar", part="bass"):
    player = ines.post("players/", {"name": name, "part": part}).json()
    return player, ines.edit(song, "set_stem", stem=stems(song)[stem]["id"], covers=player["id"]).json()


# --- the sheet


def test_cells_are_set_one_by_one_and_as_a_block(ines, song):
    organ, bass = (stems(song)[n]["id"] for n in ("Organ", "Bass"))
    verse, chorus, coda = sections(song).values()
    song = ines.edit(song, "set_cells", stems=[organ, bass], sections=[verse, coda], tacet=True).json()
    assert [sorted(stems(song)[n]["tacet"]) for n in ("Organ", "Bass", "Drums")] == [sorted([verse, coda])] * 2 + [[]]
    song = ines.edit(song, "set_cells", stems=[organ], sections=[chorus], level_db=1.5, fade_beats=2).json()
    for _ in range(2):
        song = ines.edit(song, "set_cells", stems=[organ], sections=[chorus], by_db=0.5).json()
    assert (stems(song)["Organ"]["levels"], stems(song)["Organ"]["fades"]) == ({chorus: 2.5}, {chorus: 2})
    song = ines.edit(
        song,
        "set_cells",
        cells=[{"stem": organ, "section": verse, "tacet": False}, {"stem": bass, "section": chorus, "level_db": -2}],
    ).json()
    assert (stems(song)["Organ"]["tacet"], stems(song)["Bass"]["levels"]) == ([coda], {chorus: -2})
    song = ines.post(f"songs/{song['id']}/undo/").json()
    assert stems(song)["Organ"]["tacet"] == [verse, coda]
    assert (
        ines.edit(song, "set_cells", stems=[organ], sections=[chorus], level_db=0, fade_beats=0).json()["stems"][2][
            "levels"
        ]
        == {}
    )


@pytest.mark.parametrize(
    ("change", "sentence"),
    [
        ({"level_db": 30}, "“Drums” cannot be +30 dB in a section: -40 to +20 dB, or tacet."),
        ({"by_db": -41}, "cannot be -41 dB"),
        ({"fade_beats": 200}, "cannot change over 200 beats: 0 (at once) to 64"),
        ({"level_db": "loud"}, "misses or misspells"),
        ({"sections": ["gone"]}, "no longer on the sheet"),
    ],
)
def test_a_cell_that_cannot_be_leaves_no_trace(ines, song, change, sentence):
    before = whole(song)
    args = {
        "stems": [stems(song)["Drums"]["id"], stems(song)["Organ"]["id"]][::-1],
        "sections": [sections(song)["Verse"]],
        **change,
    }
    assert sentence in says(ines.edit(song, "set_cells", **args))
    assert whole(song) == before


def test_new_sections_do_what_the_bars_they_take_did(ines, song):
    organ, chorus = stems(song)["Organ"]["id"], sections(song)["Chorus"]
    ines.edit(song, "set_cells", stems=[organ], sections=[chorus], level_db=-3)
    song = ines.edit(song, "set_cells", stems=[stems(song)["Bass"]["id"]], sections=[chorus], tacet=True).json()
    split = ines.edit(song, "split_section", bar=4).json()
    second = split["sections"][2]["id"]
    assert second not in sections(song).values()
    assert stems(split)["Organ"]["levels"] == {chorus: -3, second: -3}
    assert stems(split)["Bass"]["tacet"] == [chorus, second]
    back = ines.post(f"songs/{song['id']}/undo/").json()
    assert stems(back)["Bass"]["tacet"] == [chorus]
    twice = ines.edit(back, "duplicate_section", section=chorus).json()
    twin = twice["sections"][2]["id"]
    assert twin != sections(song)["Coda"]
    assert stems(twice)["Organ"]["levels"][twin] == -3


def test_the_picture_of_a_cell_is_what_the_file_holds(ines, song, wav):
    bars = np.arange(16 * RATE) // (2 * RATE)
    ines.imported(
        song, "Choir.wav", changed(wav(16, seed=9), lambda sound: np.where((bars >= 2) & (bars < 5), 0, sound))
    )
    sheet = ines.get(f"songs/{song['id']}/sheet/").json()
    shown = ines.get(f"songs/{song['id']}/").json()
    choir = next(p["cells"] for p in sheet["pictures"] if p["stem"] == stems(shown)["Choir"]["id"])
    assert [len(c) for c in choir] == [8, 12, 12]
    assert max(choir[0]) > 50
    assert max(choir[1][1:-1]) == 0
    got = ines.get(f"songs/{song['id']}/tonight/").json()
    assert got["empty"] == [{"stem": stems(shown)["Choir"]["id"], "section": sections(shown)["Chorus"]}]


# --- who plays


def test_a_line_up_says_what_sounds_and_what_would_be_missing(ines, song):
    pilar, song = covered(ines, song)
    ozo = ines.post("players/", {"name": "Ozo", "part": "drums"}).json()
    line_up = ines.post("line-ups/", {"name": "Two away", "away": [pilar["id"], ozo["id"]]}).json()
    bass = stems(song)["Bass"]["id"]
    everybody = ines.get(f"songs/{song['id']}/tonight/").json()
    assert (everybody["standing"][bass], everybody["gaps"]) == ("rests", [])
    got = ines.get(f"songs/{song['id']}/tonight/?line_up={line_up['id']}").json()
    assert (got["standing"][bass], got["gaps"]) == ("sounds", ["Ozo is away and Paper Boats has no drums stem."])
    guest = ines.patch(f"line-ups/{line_up['id']}/", {"guests": {ozo["id"]: "Sami", "nobody": "X"}}).json()
    assert guest["guests"] == {ozo["id"]: "Sami"}
    assert ines.get(f"songs/{song['id']}/tonight/?line_up={line_up['id']}").json()["gaps"] == []


def test_all_stems_tacet_is_said_and_kept(ines, song):
    song = ines.edit(
        song, "set_cells", stems=[s["id"] for s in song["stems"]], sections=[sections(song)["Chorus"]], tacet=True
    ).json()
    looks = ines.get(f"songs/{song['id']}/tonight/").json()["looks"]
    assert {"code": "nothing", "section": sections(song)["Chorus"], "stem": ""} in looks


def test_a_covered_player_stays_and_a_line_up_in_use_too(ines, song):
    pilar, song = covered(ines, song)
    assert (
        says(ines.delete(f"players/{pilar['id']}/"))
        == "Pilar is covered by “Bass” in Paper Boats: say what those stems are for first."
    )
    assert ines.get(f"songs/{song['id']}/").json()["stems"][1]["covers"] == pilar["id"]
    line_up = ines.post("line-ups/", {"name": "Three", "away": [pilar["id"]]}).json()
    rig = ines.post("rigs/", {"name": "R", "sockets": [{"number": 1}]}).json()
    setlist = ines.post("setlists/", {"name": "L", "entries": [{"song": song["id"]}]}).json()
    show = ines.post(
        "shows/", {"title": "Friday", "setlist": setlist["id"], "rig": rig["id"], "line_up": line_up["id"]}
    ).json()
    assert "who plays “Friday”" in says(ines.delete(f"line-ups/{line_up['id']}/"))
    assert "There is a line-up called Three already" in says(ines.post("line-ups/", {"name": "Three"}))
    ines.patch(f"shows/{show['id']}/", {"line_up": None})
    assert ines.delete(f"line-ups/{line_up['id']}/").status_code == 204
    ines.edit(song, "set_stem", stem=stems(song)["Bass"]["id"], covers=None)
    assert ines.delete(f"players/{pilar['id']}/").status_code == 204


def test_a_stem_covers_one_player(ines, song):
    before = whole(song)
    assert "can cover one player" in says(
        ines.edit(song, "set_stem", stem=stems(song)["Bass"]["id"], covers=["a", "b"])
    )
    assert whole(song) == before


# --- how loud


def measured(ines, song, query=""):
    """As the worker does it, here and now."""
    path = f"songs/{song['id']}/level/{query}"
    ines.post(path)
    for row in Measurement.objects.filter(song=song["id"], state="working"):
        song_tasks.measure_house(row.pk)
    return ines.get(path).json()


def house(show, folder):
    """LUFS of each entry where the audience hears it, from the show as the engine gets it."""
    from upbeat.audio.measure import Meter

    document = read_show(json.loads((folder / "show.json").read_text()))
    found = []
    for i, entry in enumerate(document.entries):
        ready = make_ready(replace(document, entries=(entry,)), folder, speak=False)
        feeds = house_feeds(document.routing.feeds)
        renderer = Renderer(ready.plan, ready.audio, document.routing, document.away, [f.id for f in feeds])
        meter, rows = Meter(RATE, 2), len(document.routing.sockets)
        spans, _ = rehearse(ready, None, 0)
        render(
            renderer,
            spans,
            lambda block, meter=meter, rows=rows: meter.push(sum(block[r : r + 2] for r in range(rows, len(block), 2))),
        )
        found.append((i, meter.result("house", None)))
    return [m for _, m in found]


def test_a_song_is_as_loud_as_it_was_measured_for_every_line_up(ines, song):
    pilar, song = covered(ines, song)
    line_up = ines.post("line-ups/", {"name": "Three", "away": [pilar["id"]]}).json()
    for name in ("rhythm", "tonal"):
        ines.post(
            "feeds/", {"name": f"House {name}", "kind": "house", "sends": [{"source": f"group:{name}", "gain_db": -1}]}
        )
    ines.edit(song, "set_level", gain_db=1.25)
    ines.edit(song, "set_level", gain_db=-2, line_up=line_up["id"])
    rig = ines.post("rigs/", {"name": "R", "sockets": [{"number": 1}]}).json()
    setlist = ines.post("setlists/", {"name": "L", "entries": [{"song": song["id"]}]}).json()
    show = ines.post("shows/", {"title": "Friday", "setlist": setlist["id"], "rig": rig["id"]}).json()
    for key, gain_db in ((None, 1.25), (line_up["id"], -2)):
        ines.patch(f"shows/{show['id']}/", {"line_up": key})
        got = measured(ines, song, f"?target=-20&line_up={key or ''}")
        heard = house(show, place_for_engine(Show.objects.get(pk=show["id"])))[0]
        assert got["gain_db"] == gain_db
        assert got["lufs"] == pytest.approx(heard.integrated_lufs, abs=0.02)
        assert got["peak_dbtp"] == pytest.approx(heard.true_peak_dbtp, abs=0.02)
        assert got["proposal"]["gain_db"] == pytest.approx(gain_db - 20 - got["lufs"], abs=0.02)
        assert len(got["short_term"]) == pytest.approx(got["seconds"] / got["step_s"], abs=2)


def test_measuring_is_kept_until_something_is_heard_otherwise(ines, song):
    measured(ines, song)
    organ = stems(song)["Organ"]["id"]
    for what, args, again in (
        ("set_level", {"gain_db": -3}, False),
        ("set_facts", {"title": "Other"}, False),
        ("set_stem", {"stem": organ, "gain_db": -3}, True),
        ("set_cells", {"stems": [organ], "sections": [sections(song)["Verse"]], "level_db": 2}, True),
        ("set_edges", {"end_bar": 6}, True),
    ):
        ines.edit(song, what, **args)
        assert (ines.post(f"songs/{song['id']}/level/").json()["state"] == "working") == again, what
        measured(ines, song)


def test_a_setlist_is_matched_in_one_press_and_taken_back(ines, song, wav):
    other = ines.song(title="Quiet one")
    ines.imported(other, "Drums.wav", changed(wav(16, seed=5), lambda sound: sound * 0.3))
    alone = ines.song(title="Click alone")
    setlist = ines.post(
        "setlists/", {"name": "L", "entries": [{"song": s["id"]} for s in (song, other, alone, song)]}
    ).json()
    path = f"setlists/{setlist['id']}"
    assert "has been measured" in says(ines.post(f"{path}/match/"))
    ines.get(f"{path}/loudness/")
    for row in Measurement.objects.filter(state="working"):
        song_tasks.measure_house(row.pk)
    before = ines.get(f"{path}/loudness/").json()
    assert [s["title"] for s in before["songs"]] == ["Paper Boats", "Quiet one", "Click alone"]
    assert before["songs"][0]["lufs"] - before["songs"][1]["lufs"] > 8
    assert "no stems" in before["songs"][2]["message"]
    ines.edit(song, "set_level", gain_db=0.5)
    after = ines.post(f"{path}/match/").json()
    first, second = after["songs"][:2]
    assert first["lufs"] == pytest.approx(second["lufs"], abs=0.02)
    assert max(first["peak_dbtp"], second["peak_dbtp"]) <= -1
    assert [b["gain_db"] for b in after["before"]] == [0.5, 0]
    back = ines.post(f"{path}/match/", {"gains": after["before"]}).json()
    assert [s["gain_db"] for s in back["songs"]] == [0.5, 0, 0]
    # Each song's own undo knows of it too.
    assert ines.post(f"songs/{other['id']}/undo/").json()["gain_db"] == second["gain_db"]
    assert (
        says(ines.post(f"{path}/match/", {"target": "+20"}))
        == "+20 LUFS cannot be a target: a show lies between -36 and -8 LUFS."
    )
    got = ines.get(f"{path}/loudness/?target=-9").json()
    assert got["songs"][0]["short_db"] > 0
    assert got["songs"][0]["after_peak_dbtp"] <= -1


def test_a_gain_that_cannot_be_is_refused(ines, song):
    assert "cannot be made +40 dB louder" in says(ines.edit(song, "set_level", gain_db=40))
    assert "line-up is no longer there" in says(
        ines.edit(song, "set_level", gain_db=0, line_up="3fa85f64-5717-4562-b3fc-2c963f66afa6")
    )
    assert says(ines.post(f"songs/{song['id']}/level/?target=20")).startswith("+20 LUFS cannot be a target")


# --- how it begins and ends


def test_an_end_on_a_bar_line_ends_the_song_there(ines, song):
    ended = ines.edit(song, "set_edges", end_bar=6, hold_s=3, start_s=0.5).json()
    assert (ended["bars"], ended["edges"]) == (6, {"end_bar": 6, "hold_s": 3, "start_s": 0.5})
    rig = ines.post("rigs/", {"name": "R", "sockets": [{"number": 1}]}).json()
    setlist = ines.post("setlists/", {"name": "L", "entries": [{"song": song["id"]}]}).json()
    show = ines.post("shows/", {"title": "S", "setlist": setlist["id"], "rig": rig["id"]}).json()
    document, _ = show_document(Show.objects.get(pk=show["id"]))
    assert read_show(document).songs[song["id"]].edges.hold_s == 3
    assert "either faded out or held" in says(ines.edit(song, "set_edges", fade_out_s=2))
    assert "has bars 1 to 6" in says(ines.edit(song, "set_edges", end_bar=40))
    back = ines.post(f"songs/{song['id']}/undo/").json()
    assert (back["bars"], back["edges"]) == (8, {})
    ines.edit(song, "set_edges", end_bar=6)
    assert ines.edit(song, "set_edges", end_bar=None).json()["bars"] == 8


# --- starting points


def test_new_stems_begin_as_the_band_has_them(ines, song, wav):
    pilar, song = covered(ines, song)
    ines.edit(song, "set_stem", stem=stems(song)["Bass"]["id"], gain_db=-4, pan=0.25, width=0.5)
    ines.edit(song, "set_stem", stem=stems(song)["Organ"]["id"], group="effects")
    kept = ines.post(f"songs/{song['id']}/keep-usual/").json()
    assert [u["name"] for u in kept] == ["Bass", "Drums", "Organ"]
    other = ines.song(title="Next one")
    ines.imported(other, "bass.wav", wav(8, seed=7))
    made = ines.get(f"songs/{other['id']}/").json()["stems"][0]
    assert (made["purpose"], made["covers_name"], made["gain_db"], made["pan"], made["width"]) == (
        "covers",
        "Pilar",
        -4,
        0.25,
        0.5,
    )
    assert ines.delete(f"usual-stems/{kept[0]['id']}/").status_code == 204
    assert [u["name"] for u in ines.get("usual-stems/").json()] == ["Drums", "Organ"]


def test_a_song_takes_the_settings_of_another(ines, song, wav, other):
    ines.edit(song, "set_stem", stem=stems(song)["Organ"]["id"], gain_db=-7, purpose="rehearsal")
    ines.edit(song, "set_facts", count_in_bars=1, click={"accent": "beep"})
    target = ines.song(title="Target")
    ines.imported(target, "ORGAN.wav", wav(8, seed=8))
    taken = ines.edit(target, "take_settings", **{"from": song["id"]}).json()
    assert (taken["stems"][0]["gain_db"], taken["stems"][0]["purpose"], taken["count_in_bars"], taken["click"]) == (
        -7,
        "rehearsal",
        1,
        {"accent": "beep"},
    )
    nothing = ines.song(title="Nothing alike")
    ines.imported(nothing, "Kazoo.wav", wav(8, seed=9))
    assert "No stem of “Nothing alike” is called as one of “Paper Boats” is" in says(
        ines.edit(nothing, "take_settings", **{"from": song["id"]})
    )
    foreign = other.song()
    assert "no longer there" in says(ines.edit(target, "take_settings", **{"from": foreign["id"]}))
    assert Band.objects.count() == 2


def test_hearing_knows_the_line_up_and_the_cell(ines, song):
    from preview.listening import listening

    pilar, song = covered(ines, song)
    line_up = ines.post("line-ups/", {"name": "Three", "away": [pilar["id"]]}).json()
    chorus, bass = sections(song)["Chorus"], stems(song)["Bass"]["id"]
    ines.edit(song, "set_cells", stems=[bass], sections=[chorus], tacet=True)

    def sounding(**message):
        ready, _ = listening(ines.band, {"hear": song["id"], "bar": 3, "click": False, "cues": False, **message})
        out = np.zeros((2, RATE), np.float32)
        spans, _ = rehearse(ready, None)
        blocks = []
        render(ready.renderer(), spans, blocks.append)
        del out
        return np.concatenate(blocks, axis=1)[0], ready

    _, ready = sounding(line_up=line_up["id"])
    assert {s.stem.name for s in ready.audio.entries[0].stems if s.stem.purpose == "covers"} == {"Bass"}
    assert ready.show.away == {pilar["id"]}
    # A cell by itself is heard even where it is tacet: that is how one finds out what is in it.
    alone, ready = sounding(alone=bass, loop=3)
    assert np.abs(alone[:RATE]).max() > 0.05
    assert open_prepared(Song.objects.get(pk=song["id"]).stems.get(pk=bass).audio.prepared, RATE).any()
