"""Gate, drive, tone and echo of a song's stems: kept, played, heard, and told (rule M8)."""

import numpy as np
import pytest
from asked import says
from material import RATE
from test_keys_and_tempos import show_of
from test_layers_of_songs import wav_of

from preview.listening import listening
from shows.build import place_for_engine
from upbeat.play.advance import advance
from upbeat.show.bounce import play
from upbeat.show.bundle import read_document
from upbeat.show.ready import make_ready
from upbeat.song.tone import CURVE_HZ

ECHO = {"gate": None, "drive": None, "tone": None, "echo": {"beats": "1", "db": -6.0, "repeats": 2, "fall_db": 6.0}}
DARK = {"tone": {"high_cut_hz": 400, "low_cut_hz": None}}


@pytest.fixture
def song(ines, wav):
    made = ines.song()
    for i, name in enumerate(("Drums", "Organ")):
        ines.imported(made, f"{name}.wav", wav(16, seed=i + 1))
    for first, last, name in ((1, 4, "Verse"), (5, 8, "Chorus")):
        made = ines.edit(made, "mark_section", first=first, last=last, name=name).json()
    return made


def stem(song, name="Drums"):
    return next(s for s in song["stems"] if s["name"] == name)


def test_a_treatment_is_kept_drawn_undone_and_copied_with_its_section(ines, song):
    drums, (verse, chorus) = stem(song)["id"], [s["id"] for s in song["sections"]]
    ines.edit(song, "set_treatment", stems=[drums], treatment=ECHO)
    changed = ines.edit(song, "set_treatment", stems=[drums], sections=[chorus], treatment=DARK).json()
    one = stem(changed)
    assert one["treatment"] == ECHO
    assert one["treatments"][chorus]["tone"]["high_cut_hz"] == 400
    drawn = one["curves"][chorus]
    assert len(drawn) == len(CURVE_HZ)
    assert drawn[CURVE_HZ.index(max(CURVE_HZ))] == -60
    assert stem(ines.get(f"songs/{song['id']}/").json())["treatments"] == one["treatments"]
    split = ines.edit(song, "split_section", bar=7).json()
    assert len(stem(split)["treatments"]) == 2
    for _ in range(3):
        back = ines.post(f"songs/{song['id']}/undo/", {}).json()
    assert (stem(back)["treatment"], stem(back)["treatments"], stem(back)["curves"]) == (None, {}, {})
    ines.edit(song, "set_treatment", stems=[drums], sections=[verse], treatment=ECHO)
    assert (
        stem(ines.edit(song, "set_treatment", stems=[drums], sections=[verse], treatment=None).json())["treatments"]
        == {}
    )


def test_it_is_played_by_the_show_and_heard_in_the_page(ines, song):
    drums, chorus = stem(song)["id"], song["sections"][1]["id"]
    heard = {}
    for name in ("plain", "dark"):
        if name == "dark":
            ines.edit(song, "set_treatment", stems=[drums], sections=[chorus], treatment=DARK)
        ready, state = listening(
            ines.band, {"hear": song["id"], "bar": 1, "click": False, "cues": False, "alone": drums}
        )
        renderer, parts = ready.renderer(), []
        for _ in range(15):
            state, span = advance(ready.plan, state, RATE)
            parts.append(np.empty((renderer.rows, RATE), np.float32))
            renderer.render(span, parts[-1])
        heard[name] = np.concatenate(parts, axis=1)[0]
    # The same until the chorus, whatever the fade at the beginning; then its highs are gone.
    line = 8 * RATE
    assert np.abs(heard["plain"][: line - RATE] - heard["dark"][: line - RATE]).max() < 1e-6
    high = {k: np.abs(np.diff(v[line + RATE : line + 4 * RATE])).mean() for k, v in heard.items()}
    assert high["dark"] < 0.2 * high["plain"]
    setlist = ines.post("setlists/", {"name": "Thursday", "entries": [{"song": song["id"]}]}).json()
    folder = place_for_engine(show_of(ines, setlist))
    made = make_ready(read_document(folder), folder, speak=False)
    assert made.plan.treated == (drums,)
    assert play(made, [], lambda block: None)


def test_what_a_person_should_know_is_told(ines, song):
    soft = np.random.default_rng(1).uniform(-0.1, 0.1, 16 * RATE)
    ines.imported(song, "Soft.wav", wav_of(soft))
    song = ines.get(f"songs/{song['id']}/").json()
    drums = stem(song, "Soft")["id"]
    gate = {"gate": {"opens_db": -10}}
    notes = stem(ines.edit(song, "set_treatment", stems=[drums], treatment=gate).json(), "Soft")["notes"]
    assert len(notes) == 1
    assert notes[0].startswith("The gate of “Soft” never opens: it opens at -10 dBFS, and the file is at most at ")
    echoed = ines.edit(song, "set_treatment", stems=[drums], treatment=ECHO)
    assert echoed.status_code == 200, echoed.content
    ines.edit(song, "set_tempo", bar=3, bpm="120", ramp=True)
    slides = ines.edit(song, "set_tempo", bar=5, bpm="90")
    assert slides.status_code == 200, slides.content
    assert stem(slides.json(), "Soft")["notes"] == [
        "The tempo slides in bars 3 to 4: there the echo of “Soft” keeps each bar's mean tempo, and falls beside the beats."
    ]


@pytest.mark.parametrize(
    ("treatment", "said"),
    [
        ({"gate": {"opens_db": -5}}, "opens_db"),
        ({"echo": {"beats": "5/4"}}, "beats"),
        ({"echo": {"repeats": 20}}, "repeats"),
        ({"reverb": {}}, "reverb"),
    ],
)
def test_what_cannot_be_is_refused_in_a_sentence_and_nothing_is_kept(ines, song, treatment, said):
    answer = ines.edit(song, "set_treatment", stems=[stem(song)["id"]], treatment=treatment)
    assert said in says(answer)
    assert stem(ines.get(f"songs/{song['id']}/").json())["treatment"] is None


def test_a_guide_has_none_and_a_stem_or_section_of_another_song_is_refused(ines, song):
    drums = stem(song)["id"]
    other = ines.song(title="Tin Moon Waltz")
    answers = [
        ines.edit(other, "set_treatment", stems=[drums], treatment=ECHO),
        ines.edit(song, "set_treatment", stems=[drums], sections=["nowhere"], treatment=ECHO),
    ]
    assert all(a.status_code == 400 for a in answers)
    ines.edit(song, "set_treatment", stems=[drums], treatment=ECHO)
    refused = ines.edit(song, "set_stem", stem=drums, group="click")
    assert says(refused) == "“Drums” is heard as it is: a guide, timecode or a pad between songs has no tone."
    assert stem(ines.get(f"songs/{song['id']}/").json())["group"] != "click"
