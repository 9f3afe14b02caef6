"""Rule B4: what screens show of a song, by section or time, and when each line of its words comes."""

from pathlib import Path

import av
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from material import RATE, ready, show, song

from upbeat.errors import Refused
from upbeat.intake import screen_files
from upbeat.intake.screen_files import check_size, read_screen_file
from upbeat.play.advance import advance
from upbeat.play.presses import press
from upbeat.play.state import standing_by
from upbeat.play.view import position
from upbeat.show.describe import describe
from upbeat.show.for_band import show_for_band
from upbeat.show.on_screen import without_chords

BAR = 2.0  # seconds
RED, BLUE = {"id": "red", "type": "image/png"}, {"id": "blue", "type": "image/png"}
FILM = {"id": "film", "type": "video/webm", "fps": 25.0, "seconds": 30.0}
SECTIONS = [
    {"id": "a", "name": "Verse", "bars": 3, "words": "[Em]Tin horns [C]under\n\n[G]paper [D]moons on a string"},
    {"id": "b", "name": "Chorus", "bars": 3},
    {"id": "c", "name": "Coda", "bars": 2, "words": "home\nagain\nhome"},
]


def shown(screen, steps=None, shows=None):
    forms = [{"id": "f", "name": "F", "steps": [{"section": s} for s in steps]}] if steps else []
    document = show(song(sections=SECTIONS, screen=screen, forms=forms))
    document["entries"][0] |= {"screen": shows} if shows else {}
    return describe(ready(document, Path(".")))["entries"][0]["screen"]


def test_lines_of_words_share_the_bars_of_their_section_and_lose_their_chords():
    steps = shown({})["steps"]
    assert steps[0]["lines"] == [
        {"at_s": 0.0, "text": "Tin horns under"},
        {"at_s": 3.0, "text": "paper moons on a string"},
    ]
    assert steps[1]["lines"] == []
    assert [line["at_s"] for line in steps[2]["lines"]] == [12.0, pytest.approx(13.3333), pytest.approx(14.6667)]
    assert without_chords("[A]one[B]two  [C] three") == "onetwo three"


@given(
    st.lists(st.tuples(st.integers(1, 8), st.integers(1, 4)) | st.none(), min_size=1, max_size=12),
    st.sampled_from(["4/4", "3/4", "6/8"]),
)
def test_a_line_with_a_place_comes_on_its_beat_and_the_others_between_their_neighbours(places, meter):
    words = "\n".join(f"@{p[0]}.{p[1]} line {i}" if p else f"line {i}" for i, p in enumerate(places))
    section = {"id": "a", "name": "Verse", "bars": 4, "words": words}
    document = show(
        song(sections=[section, {"id": "b", "name": "End", "bars": 1}], meters=[{"bar": 1, "meter": meter}])
    )
    made = ready(document, Path("."))
    lines = describe(made)["entries"][0]["screen"]["steps"][0]["lines"]
    plan = made.plan.entries[0]
    at = [line["at_s"] for line in lines]
    assert [line["text"] for line in lines] == [f"line {i}" for i in range(len(places))]
    assert at == sorted(at)
    assert at[0] >= 0
    assert at[-1] <= plan.bar_frames[4] / RATE
    before = (1, 1)
    for i, place in enumerate(places):
        if place and place >= before and place[0] <= 4 and place[1] <= len(plan.counts(place[0], 1)):
            assert at[i] == pytest.approx(plan.counts(*(place[0], 1))[place[1] - 1] / RATE, abs=1e-4)
            before = place


def test_a_place_with_nothing_behind_it_ends_the_line_and_readers_see_no_places():
    sections = [{"id": "a", "name": "Verse", "bars": 4, "words": "@1.2 [Em]Tin horns\n@3\n@4 home"}]
    entry = describe(ready(show(song(sections=sections)), Path(".")))["entries"][0]
    assert entry["steps"][0]["words"] == "[Em]Tin horns\n\nhome"
    assert entry["screen"]["steps"][0]["lines"] == [
        {"at_s": 0.5, "text": "Tin horns"},
        {"at_s": 4.0, "text": ""},
        {"at_s": 6.0, "text": "home"},
    ]


def test_a_still_holds_until_the_next_in_the_order_of_the_form():
    stills = [{"file": RED, "section": "a"}, {"file": BLUE, "at_s": 9.0}, {"section": "c"}]
    straight = shown({"stills": stills})
    assert straight["shows"] == "stills"
    a, b, c = straight["steps"]
    assert (a["still"], a["stills"]) == (None, [{"at_s": 0.0, "file": {"id": "red", "type": "image/png"}}])
    assert (b["still"]["id"], [s["file"]["id"] for s in b["stills"]]) == ("red", ["blue"])
    assert (c["still"]["id"], c["stills"]) == ("blue", [{"at_s": 12.0, "file": None}])
    back = shown({"stills": stills}, steps=["c", "b", "b"])["steps"]
    assert [s["still"] and s["still"]["id"] for s in back] == [None, None, "blue"]


@pytest.mark.parametrize(
    ("screen", "entry", "shows"),
    [
        ({}, "song", "black"),
        ({"film": {"file": FILM}}, "song", "film"),
        ({"film": {"file": FILM}}, "words", "words"),
        ({"film": {"file": FILM}}, "stills", "black"),
        ({"film": {"file": FILM}, "stills": [{"file": RED, "section": "a"}]}, "stills", "stills"),
        ({"film": {"file": FILM}}, "black", "black"),
    ],
)
def test_each_entry_shows_what_is_chosen_for_it(screen, entry, shows):
    assert shown(screen, shows=entry)["shows"] == shows


def test_a_film_and_its_place_are_told_to_the_screens():
    document = show(song(screen={"film": {"file": FILM, "starts_s": -1.5}}))
    [entry] = show_for_band(describe(ready(document, Path("."))))["entries"]
    assert entry["screen"]["film"] == {
        "file": {"id": "film", "type": "video/webm"}, "starts_s": -1.5, "rate": 1.0, "seconds": 30.0, "fps": 25.0,
    }  # fmt: skip


@pytest.mark.parametrize(
    ("screen", "word"),
    [
        ({"stills": [{"file": RED}]}, "at a section or at a time"),
        ({"stills": [{"file": RED, "section": "a", "at_s": 3}]}, "at a section or at a time"),
        ({"film": {"file": FILM, "starts_s": "soon"}}, "starts_s"),
        ({"movie": {}}, "movie"),
    ],
)
def test_what_is_no_screen_is_refused(screen, word):
    with pytest.raises(Refused, match=word):
        shown(screen)


def test_the_place_of_the_song_goes_with_the_state_and_jumps_with_it():
    plan = ready(show(song(count_in={"bars": 1, "aloud": False})), Path(".")).plan
    state, _ = press(plan, standing_by(), "go", {})
    begin = state.music.run.out_start
    assert position(plan, state, begin - RATE)["song_s"] == pytest.approx(-1, abs=1e-3)
    state, _ = advance(plan, state, begin + RATE)
    assert position(plan, state, state.head)["song_s"] == pytest.approx(1, abs=1e-3)
    state, _ = press(plan, state, "go_to", {"step": 2, "when": "next_bar"})
    state, _ = advance(plan, state, 2 * RATE)
    assert position(plan, state, state.head)["song_s"] == pytest.approx(6 * BAR + 1, abs=1e-3)


# --- files ---------------------------------------------------------------------------------------------------


def film(path: Path, codec="libvpx", frames=20, sound=False):
    with av.open(str(path), "w") as container:
        if sound:
            stream = container.add_stream("libopus", rate=48000)
            block = av.AudioFrame.from_ndarray(np.zeros((1, 960), np.int16), format="s16", layout="mono")
            block.rate = 48000
            container.mux([*stream.encode(block), *stream.encode(None)])
            return path
        stream = container.add_stream(codec, rate=25)
        stream.width, stream.height, stream.pix_fmt = 160, 90, "yuv420p"
        for n in range(frames):
            picture = av.VideoFrame.from_ndarray(np.full((90, 160, 3), n * 9, np.uint8), format="rgb24")
            container.mux(stream.encode(picture))
        container.mux(stream.encode(None))
    return path


@pytest.mark.parametrize(
    ("name", "codec", "kind"),
    [
        ("Dome 灯.webm", "libvpx-vp9", "video/webm"),
        ("a.webm", "libvpx", "video/webm"),
        ("b.mp4", "libx264", "video/mp4"),
    ],
)
def test_films_that_browsers_play_are_taken(tmp_path, name, codec, kind):
    facts = read_screen_file(film(tmp_path / name, codec), name)
    assert facts == ("film", kind, 160, 90, pytest.approx(0.8, abs=0.05), 25.0)


@pytest.mark.parametrize("name", ["a.png", "a.jpg", "a.webp"])
def test_pictures_are_taken(tmp_path, name):
    from PIL import Image

    Image.new("RGB", (64, 48), "navy").save(tmp_path / name)
    facts = read_screen_file(tmp_path / name, name)
    assert (facts.kind, facts.width, facts.height) == ("still", 64, 48)


def test_what_is_no_film_is_refused_in_a_sentence(tmp_path, monkeypatch):
    (tmp_path / "words.mp4").write_bytes(b"these are words " * 400)
    whole = film(tmp_path / "whole.webm").read_bytes()
    (tmp_path / "cut.webm").write_bytes(whole[:200])
    (tmp_path / "empty.webm").write_bytes(b"")
    film(tmp_path / "matroska.mkv", "libx264")
    film(tmp_path / "sound.webm", sound=True)
    for name, word in (
        ("words.mp4", "no film and no picture"),
        ("cut.webm", "no film and no picture"),
        ("empty.webm", "is empty"),
        ("matroska.mkv", "browsers do not play"),
        ("sound.webm", "has no picture"),
    ):
        with pytest.raises(Refused, match=word) as refused:
            read_screen_file(tmp_path / name, name)
        assert name in str(refused.value)
    with pytest.raises(Refused, match=r"“long.mp4” has 8.0 GB: a film has at most 2 GB"):
        check_size("long.mp4", 8 << 30)
    monkeypatch.setattr(screen_files, "MOST_PIXELS", 100)
    with pytest.raises(Refused, match="160x90 pixels"):
        read_screen_file(tmp_path / "whole.webm", "whole.webm")
