"""Layers over the API: the shelf, a loop under a song, stacks, what is heard before it is taken (rule V3)."""

import io

import numpy as np
import pytest
import soundfile
from asked import says
from material import RATE
from test_keys_and_tempos import show_of

from preview.listening import listening
from shows.build import place_for_engine
from songs.models import Audio, Loop
from upbeat.shelf.shipped import sound_of
from upbeat.show.bounce import play
from upbeat.show.bundle import read_document
from upbeat.show.ready import make_ready


def wav_of(sound, rate=RATE):
    out = io.BytesIO()
    soundfile.write(out, sound, rate, format="WAV", subtype="PCM_16")
    return out.getvalue()


def bring(member, content, file):
    return member.http.post(f"/api/loops/?file={file}", content, content_type="application/octet-stream")


def layers(song):
    return [s for s in song["stems"] if s["layer"]]


@pytest.fixture
def song(ines):
    made = ines.song(title="Lamplighter's Orbit", bpm="96")
    ines.edit(made, "set_length", bars=8)
    return ines.edit(made, "set_sections", sections=[{"bar": 1, "name": "Verse"}, {"bar": 5, "name": "Chorus"}]).json()


def struck_at(ready, src_of=0):
    """Frames of a song at which its layers' sound begins to rise, of all of them together."""
    pcm = ready.audio.entries[0].stems[src_of].pcm
    return np.abs(pcm[0 : len(pcm)]).max(axis=1)


def test_the_shelf_has_forty_and_each_can_be_heard_and_reading_writes_nothing(ines):
    shelf = ines.get("loops/").json()
    assert len(shelf) >= 40
    for code in ("clap-back", "hey-one", "warm-3"):
        sound, rate = soundfile.read(io.BytesIO(b"".join(ines.get(f"loops/{code}/sound/").streaming_content)))
        assert rate == RATE
        assert np.abs(sound - sound_of(code, RATE)).max() < 1e-6
    assert not Audio.objects.exists()
    assert says(ines.get("loops/kazoo/sound/")) == "That loop is not on the shelf: choose another."


def test_a_loop_under_a_song_is_on_its_beats_in_the_sections_that_were_chosen_and_at_another_tempo(ines, song):
    chorus = song["sections"][1]["id"]
    changed = ines.edit(song, "add_layer", loop="clap-back", sections=[chorus])
    assert changed.status_code == 200, changed.content
    one = layers(changed.json())[0]
    assert (one["name"], one["group"], one["tacet"]) == ("Claps, two and four", "rhythm", [song["sections"][0]["id"]])
    assert one["layer"]["kind"] == "struck"
    assert changed.json()["findings"]["list"] == []
    # The song is as long as it was; it does not follow the loop.
    assert changed.json()["bars"] == 8
    rows = [{"song": song["id"], "tempo_percent": p} for p in (100, 80)]
    setlist = ines.post("setlists/", {"name": "Thursday", "entries": rows}).json()
    assert [e["preparing"] and e["preparing"]["state"] for e in setlist["entries"]] in ([None, "ready"], [None, None])
    folder = place_for_engine(show_of(ines, setlist))
    ready = make_ready(read_document(folder), folder, speak=False)
    for entry, percent in ((0, 100), (1, 80)):
        pcm = ready.audio.entries[entry].stems[0].pcm
        size = np.abs(pcm[0 : len(pcm)]).max(axis=1)
        for beat in range(8 * 4):
            frame = round(beat * 60 / 96 * 100 / percent * RATE)
            assert (size[frame : frame + 100].max() > 0.2) == (beat % 2 == 1)
            assert size[max(0, frame - 400) : frame].max(initial=0) < 0.05
    undone = ines.post(f"songs/{song['id']}/undo/", {}).json()
    assert layers(undone) == []
    assert len(layers(ines.post(f"songs/{song['id']}/redo/", {}).json())) == 1


def test_a_layer_is_switched_by_section_on_the_sheet_and_drawn_there(ines, song):
    one = layers(ines.edit(song, "add_layer", loop="shaker-16").json())[0]
    verse, chorus = (s["id"] for s in song["sections"])
    ines.edit(song, "set_cells", stems=[one["id"]], sections=[chorus], level_db=-6, fade_beats=4)
    ines.edit(song, "set_cells", stems=[one["id"]], sections=[verse], tacet=True)
    stem = layers(ines.get(f"songs/{song['id']}/").json())[0]
    assert (stem["tacet"], stem["levels"], stem["fades"]) == ([verse], {chorus: -6}, {chorus: 4})
    cells = ines.get(f"songs/{song['id']}/sheet/").json()["pictures"][0]["cells"]
    assert all(min(cell) > 30 for cell in cells)


def test_a_pad_is_in_the_key_of_the_song(ines, song):
    said = says(ines.edit(song, "add_layer", loop="warm"))
    assert said == "“Lamplighter's Orbit” has no key yet: type its key, or choose a pad by its own."
    ines.edit(song, "set_facts", key="Eb minor")
    one = layers(ines.edit(song, "add_layer", loop="warm").json())[0]
    assert one["name"] == "Pad, warm, in E♭"
    assert one["layer"]["kind"] == "held"


def test_a_stack_is_taken_to_another_song_in_another_tempo_and_metre(ines, song):
    for code in ("tambourine-back", "kick-four"):
        song = ines.edit(song, "add_layer", loop=code).json()
    ines.edit(song, "set_stem", stem=layers(song)[1]["id"], gain_db=-4, pan=0.25)
    stack = ines.post("stacks/", {"song": song["id"], "name": "Lift"})
    assert stack.status_code == 201
    assert [x["name"] for x in stack.json()["layers"]] == ["Tambourine, two and four", "Kick on every beat"]
    waltz = ines.song(title="Tin Moon Waltz", bpm="132", meter="3/4")
    # Heard before it is taken: the kick on each of the three beats, and nothing of the song is changed.
    asked = {"hear": waltz["id"], "bar": 1, "click": False, "cues": False, "stack": stack.json()["id"]}
    ready, _ = listening(ines.band, asked)
    assert [s.stem.name for s in ready.audio.entries[0].stems] == ["Tambourine, two and four", "Kick on every beat"]
    size = struck_at(ready, 1)
    for beat in range(12):
        frame = round(beat * 60 / 132 * RATE)
        assert size[frame : frame + 200].max() > 0.3
        assert size[max(0, frame - 300) : max(0, frame - 150)].max(initial=0) < 0.1
    assert layers(ines.get(f"songs/{waltz['id']}/").json()) == []
    taken = ines.edit(waltz, "take_stack", stack=stack.json()["id"]).json()
    assert [(s["name"], s["gain_db"], s["pan"]) for s in layers(taken)] == [
        ("Tambourine, two and four", 0, 0),
        ("Kick on every beat", -4, 0.25),
    ]
    assert ines.delete(f"stacks/{stack.json()['id']}/").status_code == 204
    assert says(ines.edit(waltz, "take_stack", stack=stack.json()["id"])).startswith("That stack is not there any more")


def test_a_song_of_layers_alone_waits_for_hands(ines):
    made = ines.song(title="Drift Garden", bpm="84", until_stopped=True)
    ines.edit(made, "set_facts", key="D")
    for code in ("low", "shaker-8"):
        made = ines.edit(made, "add_layer", loop=code, waits=True).json()
    assert [s["muted"] for s in made["stems"]] == [True, True]
    assert made["sections"][0]["ending"]["kind"] == "vamp"
    # It has nobody's parts, and no sections to be found.
    pilar = ines.post("players/", {"name": "Pilar", "part": "Bass"}).json()
    line_up = ines.post("line-ups/", {"name": "Without Pilar", "away": [pilar["id"]]}).json()
    tonight = ines.get(f"songs/{made['id']}/tonight/?line_up={line_up['id']}").json()
    assert (tonight["gaps"], tonight["looks"]) == ([], [])
    assert set(tonight["standing"].values()) == {"waits"}
    assert made["to_do"] == []
    setlist = ines.post("setlists/", {"name": "Free", "entries": [{"song": made["id"]}]}).json()
    folder = place_for_engine(show_of(ines, setlist))
    assert not make_ready(read_document(folder), folder, speak=False).plan.entries[0].steps[0].tacet


def test_an_own_loop_is_measured_corrected_and_kept_by_the_songs_that_have_it(ines, song):
    made = bring(ines, wav_of(sound_of("kick-broken", RATE)), "Big_kick.wav")
    assert made.status_code == 201, made.content
    one = made.json()
    assert (one["name"], one["family"], one["group"]) == ("Big kick", "own", "rhythm")
    assert (one["layer"]["bars"], one["layer"]["meter"], round(float(one["layer"]["bpm"]))) == (2, "4/4", 102)
    ines.edit(song, "add_layer", loop=one["code"])
    changed = ines.patch(f"loops/{one['code']}/", {"bars": 1, "meter": "4/4", "name": "Kick"}).json()
    assert (changed["name"], round(float(changed["layer"]["bpm"]))) == ("Kick", 51)
    assert says(ines.patch(f"loops/{one['code']}/", {"bars": 0})).startswith("A loop has 1 to 64 whole bars, not 0")
    assert says(ines.patch(f"loops/{one['code']}/", {"meter": "4/5"})).startswith("A metre of 4/5")
    # What a song has stays as it was taken, and when the shelf has it no more.
    assert ines.delete(f"loops/{one['code']}/").status_code == 204
    kept = layers(ines.get(f"songs/{song['id']}/").json())[0]
    assert kept["layer"]["bars"] == 2
    corrected = ines.edit(song, "set_layer", stem=kept["id"], bars=1, meter="8/4", pace=2).json()
    assert layers(corrected)[0]["layer"] == {**kept["layer"], "bars": 1, "meter": "8/4", "pace": 2.0}


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"bars": 0}, "A loop has 1 to 64 whole bars, not 0: say how many it has."),
        ({"bars": 64}, "64 bars of 4/4 in 2.22 s would be"),
        ({"meter": "5"}, "“5” is not a metre: write it as"),
        ({"pace": 3}, "A loop goes in half time, as it is written, or in double time."),
        ({"semitones": 12}, "A loop can be moved by -6 to 6 semitones, not +12."),
        ({"kind": "loud"}, "“loud” is no way to lay a loop"),
    ],
)
def test_what_a_loop_cannot_be_gets_a_sentence_and_changes_nothing(ines, song, change, said):
    before = ines.edit(song, "add_layer", loop="clap-back").json()
    assert says(ines.edit(song, "set_layer", stem=layers(before)[0]["id"], **change)).startswith(said)
    assert ines.get(f"songs/{song['id']}/").json()["stems"] == before["stems"]


@pytest.mark.parametrize(
    ("content", "said"),
    [
        (lambda: wav_of(np.zeros((2 * RATE, 2))), "Nothing is heard in “x.wav”"),
        (lambda: wav_of(np.full((RATE // 20, 1), 0.3)), "“x.wav” lasts 0.1 s: a loop lasts 0.2 to 60 s"),
        (lambda: wav_of(np.full((61 * 8000, 1), 0.3), 8000), "“x.wav” lasts 61.0 s: a loop lasts 0.2 to 60 s"),
        (lambda: b"", ""),
        (lambda: b"<html>", ""),
    ],
)
def test_what_is_no_loop_gets_a_sentence_and_leaves_nothing(ines, content, said):
    sentence = says(bring(ines, content(), "x.wav"))
    assert sentence.startswith(said)
    assert sentence.endswith(".")
    assert not Loop.objects.exists()
    assert not Audio.objects.exists()


def test_loops_and_stacks_of_another_band_are_nobodys(ines, other, song):
    one = bring(ines, wav_of(sound_of("clap-back", RATE)), "clap.wav").json()
    ines.edit(song, "add_layer", loop=one["code"])
    stack = ines.post("stacks/", {"song": song["id"], "name": "Lift"}).json()
    assert all(x["family"] != "own" for x in other.get("loops/").json())
    assert other.get("stacks/").json() == []
    theirs = other.song(title="Elsewhere")
    assert says(other.edit(theirs, "add_layer", loop=one["code"])).startswith("That loop is not on the shelf")
    assert says(other.edit(theirs, "take_stack", stack=stack["id"])).startswith("That stack is not there")
    assert (
        says(other.post("stacks/", {"song": song["id"], "name": "Mine"})) == "That song is not there: choose another."
    )
    for path in (f"loops/{one['code']}/", f"stacks/{stack['id']}/"):
        assert other.delete(path).status_code == 404
    assert other.patch(f"loops/{one['code']}/", {"name": "Mine"}).status_code == 404


def test_a_show_with_layers_sounds_the_same_from_a_bundle(ines, song):
    for code in ("toms-march", "hey-back"):
        ines.edit(song, "add_layer", loop=code)
    setlist = ines.post("setlists/", {"name": "Thursday", "entries": [{"song": song["id"]}]}).json()
    folder = place_for_engine(show_of(ines, setlist))
    heard = []
    for _ in range(2):
        blocks = []
        play(make_ready(read_document(folder), folder, speak=False), None, lambda b: blocks.append(b.copy()))
        heard.append(np.concatenate(blocks, axis=1))
    assert np.array_equal(*heard)
