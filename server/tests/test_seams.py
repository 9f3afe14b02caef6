"""Seams as they are judged and heard, and sections that are found in the stems."""

import io

import numpy as np
import pytest
from asked import ids, says
from material import RATE

from preview.listening import listening
from songs import tasks as song_tasks
from songs.models import Measurement

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
    answer = ines.post(f"songs/{song['id']}/heard-sections/").json()
    assert (answer["state"], [s["bar"] for s in answer["sections"]]) == ("done", [1, 9, 17, 25])
    assert {"kind": "enters", "stem": "Drums", "value": 0.0} in answer["sections"][1]["reasons"]
    assert {"kind": "leaves", "stem": "Drums", "value": 0.0} in answer["sections"][3]["reasons"]
    taken = ines.edit(
        song, "set_sections", sections=[{"bar": s["bar"], "name": f"Part {s['like'] + 1}"} for s in answer["sections"]]
    ).json()
    assert [s["first_bar"] for s in taken["sections"]] == [1, 9, 17, 25]


def test_a_song_that_is_all_alike_has_no_sections_to_offer(ines):
    t = np.arange(32 * RATE) / RATE
    song = ines.song()
    assert ines.post(f"songs/{song['id']}/heard-sections/").json()["state"] == "none"
    ines.imported(song, "Organ.wav", wav((0.2 * np.sin(2 * np.pi * 220 * t)).astype(np.float32)))
    ines.post(f"songs/{song['id']}/heard-sections/")
    song_tasks.hear_sections(Measurement.objects.get(key__startswith="sections:").pk)
    answer = ines.post(f"songs/{song['id']}/heard-sections/").json()
    assert (answer["state"], answer["sections"]) == ("refused", [])
    assert "All bars of this song sound alike" in answer["message"]
