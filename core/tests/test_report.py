"""Rule P12: what was really played, and a form made of it."""

import json
import random

import numpy as np
import pytest
from material import RATE, ramp_stem, ready, show, song, write_wav
from nights import a_press, a_show, run

from upbeat.errors import Refused
from upbeat.play.state import standing_by
from upbeat.show.bounce import rehearse, render
from upbeat.show.document import read_show
from upbeat.show.form_played import BarsPlayed, form_played
from upbeat.show.on_paper import put_on_paper, ready_on_paper
from upbeat.show.replay import LoggedPress, Night, replay
from upbeat.show.report import report
from upbeat.song.lengths import form_length
from upbeat.song.song import Section

PRESSES_OF_A_NIGHT = 500


def logged(made, night):
    """A night as the log has it, and its events as they happened."""
    events, at, presses = [], 0, []
    for n, (name, args, frames) in enumerate(night):
        presses.append(LoggedPress(n=n, frame=at, heard=at, press=name, args=args, by="Mira"))
        at += frames
    _, events = run(made, night, 4096)
    return Night(standing_by(), tuple(presses), (), at, ({},)), events


def played_bars(entry):
    return [bar for p in entry["passes"] for bar in range(p["first_bar"], p["first_bar"] + p["bars"])]


@pytest.mark.parametrize("seed", range(4))
def test_the_report_of_500_random_presses_has_every_pass_round_jump_and_mark_as_they_happened(tmp_path, seed):
    draw = random.Random(seed)
    made = a_show(draw, tmp_path)
    night = [(*a_press(draw, made.plan), draw.randint(1, 4 * RATE)) for _ in range(PRESSES_OF_A_NIGHT)]
    # What belongs to rehearsals is not a night that is told.
    night = [one for one in night if one[0] not in ("rehearse", "from_bar", "round_bars")]
    log, events = logged(made, night)
    told = report(made, log)
    bars = [e for e in events if e["kind"] == "bar"]
    assert [b for one in told for b in played_bars(one)] == [e["bar"] for e in bars]
    rounds = [p["round"] for one in told for p in one["passes"] for _ in range(p["bars"])]
    assert rounds == [e["round"] for e in bars]
    names = [p["section"] for one in told for p in one["passes"] for _ in range(p["bars"])]
    assert names == [made.plan.entries[e["entry"]].steps[e["step"]].name for e in bars]
    jumps = [e for e in events if e["kind"] == "jump" and e["why"] != "round" and e["frame"] >= bars[0]["frame"]]
    assert sum(one["jumps"] for one in told) == len(jumps)
    marked = [e for e in events if e["kind"] == "press" and e["name"] == "mark" and e["outcome"].accepted]
    first = bars[0]["frame"]
    assert [m["bar"] for one in told for m in one["marks"]] == [e["outcome"].bar for e in marked if e["frame"] >= first]
    assert sorted(one["started_s"] for one in told) == [one["started_s"] for one in told]
    assert all(one["started_s"] < one["ended_s"] for one in told)
    # A form made of each is played again by itself.
    for one in told:
        again(tmp_path, made, one)


def again(folder, made, one):
    """The bars that a form made of what was played plays by itself are those of the night."""
    core = made.show.songs[one["song"]]
    document = plain_song(made, one["song"])
    spans = [BarsPlayed(p["first_bar"], p["first_bar"] + p["bars"] - 1) for p in one["passes"]]
    steps = form_played(core.title, core.sections, spans)
    document["forms"] = [{"id": "played", "name": "Played", "steps": [as_json(s) for s in steps]}]
    alone = show(document)
    alone["entries"][0]["form"] = "played"
    _, events = rehearse(ready(alone, folder), None)
    assert [e["bar"] for e in events if e["kind"] == "bar"] == played_bars(one)


def plain_song(made, song_id):
    core = made.show.songs[song_id]
    return song(
        id=core.id,
        title=core.title,
        sections=[{"id": s.id, "name": s.name, "bars": s.bars} for s in core.sections],
        meters=[{"bar": bar, "meter": str(m)} for bar, m in core.grid.meters.changes],
    )


def as_json(step):
    ending = {"kind": step.ending.kind, "times": step.ending.times}
    return {
        "section": step.section,
        "ending": ending,
        "first": step.first,
        **({"bars": step.bars} if step.bars else {}),
    }


NIGHT = [
    ("go", {}, 3 * RATE),
    ("go_to", {"step": 2, "when": "next_bar"}, 5 * RATE),
    ("go_to", {"step": 0, "when": "next_bar"}, 3 * RATE),
    ("once_more", {"when": "section_end"}, 60 * RATE),
]


def ramped(folder, **changes):
    write_wav(folder / "ramp.wav", ramp_stem(18 * RATE))
    stems = [{"id": "r", "name": "Ramp", "file": "ramp.wav", "group": "tonal", "pan": -1}]
    return show(song(stems=stems, **changes))


def test_a_form_of_what_was_played_bounces_to_the_samples_of_the_night(tmp_path):
    document = ramped(tmp_path)
    made = ready(document, tmp_path)
    log, _ = logged(made, NIGHT)
    heard = []
    replay(made, log, lambda block: heard.append(block.copy()), log.end)
    (told,) = report(made, log)
    assert told["jumps"] >= 2
    assert told["whole"]
    core = made.show.songs["song"]
    steps = form_played(
        core.title, core.sections, [BarsPlayed(p["first_bar"], p["first_bar"] + p["bars"] - 1) for p in told["passes"]]
    )
    assert any(s.bars is not None or s.first > 1 for s in steps)
    document["songs"][0]["forms"] = [{"id": "p", "name": "Played", "steps": [as_json(s) for s in steps]}]
    document["entries"][0]["form"] = "p"
    other = ready(document, tmp_path)
    spans, _ = rehearse(other, None)
    bounced = []
    render(other.renderer(), spans, lambda block: bounced.append(block.copy()))
    night, bounce = np.concatenate(heard, axis=1)[:2], np.concatenate(bounced, axis=1)[:2]
    frames = round((told["ended_s"] - told["started_s"]) * RATE)
    assert frames > 10 * RATE
    assert np.array_equal(night[:, :frames], bounce[:, :frames])


SECTIONS = (Section(id="a", name="A", bars=4), Section(id="b", name="B", bars=4), Section(id="c", name="C", bars=2))


@pytest.mark.parametrize(
    ("played", "steps"),
    [
        ([(1, 10)], [("a", 1, None, 1), ("b", 1, None, 1), ("c", 1, None, 1)]),
        ([(1, 4), (1, 4), (1, 8)], [("a", 1, None, 3), ("b", 1, None, 1)]),
        # Stopped in bar 3 and gone on from there.
        ([(1, 2), (3, 10)], [("a", 1, None, 1), ("b", 1, None, 1), ("c", 1, None, 1)]),
        ([(1, 2), (6, 7), (10, 10)], [("a", 1, 2, 1), ("b", 2, 2, 1), ("c", 2, None, 1)]),
    ],
)
def test_steps_of_what_was_played(played, steps):
    made = form_played("Kites", SECTIONS, [BarsPlayed(*p) for p in played])
    assert [(s.section, s.first, s.bars, s.ending.times) for s in made] == steps


def test_a_hundred_rounds_are_two_repeats():
    made = form_played("Kites", SECTIONS, [BarsPlayed(1, 4)] * 100)
    assert sum(s.ending.times for s in made) == 100


def test_a_song_that_was_shortened_or_never_begun_has_no_form_to_be_made():
    with pytest.raises(Refused, match="up to bar 12 and has 10 bars by now"):
        form_played("Kites", SECTIONS, [BarsPlayed(1, 12)])
    with pytest.raises(Refused, match="Not a bar of “Kites” was played"):
        form_played("Kites", SECTIONS, [])


def test_a_show_that_was_put_on_paper_tells_the_same_night(tmp_path):
    document = ramped(tmp_path)
    (tmp_path / "show.json").write_text(json.dumps(document))
    log, _ = logged(ready_on_paper(tmp_path), NIGHT)
    before = report(ready(document, tmp_path), log)
    put_on_paper(tmp_path)
    assert sorted(p.name for p in tmp_path.iterdir()) == ["lengths.json", "show.json"]
    assert report(ready_on_paper(tmp_path), log) == before
    put_on_paper(tmp_path)
    assert report(ready_on_paper(tmp_path), log) == before


def test_dropouts_are_told_with_the_bar_they_were_heard_in(tmp_path):
    made = ready(ramped(tmp_path), tmp_path)
    log, _ = logged(made, [("go", {}, 10 * RATE)])
    lines = (
        {},
        {"kind": "dropout", "frame": 5 * RATE, "blocks": 2},
        {"kind": "dropout", "frame": "x"},
        {"kind": "bar"},
    )
    assert not report(made, log)[0]["whole"]
    (told,) = report(made, Night(log.start, log.presses, (), log.end, lines))
    assert told["dropouts"] == 2
    assert told["dropouts_at"] == [{"s": 5.0, "bar": 3, "blocks": 2}]


def test_partial_steps_last_as_long_as_their_bars_and_clamp_where_the_section_became_shorter(tmp_path):
    document = ramped(tmp_path)
    document["songs"][0]["forms"] = [
        {"id": "p", "name": "P", "steps": [{"section": "a", "first": 2, "bars": 1}, {"section": "b", "first": 9}]}
    ]
    document["entries"][0]["form"] = "p"
    made = ready(document, tmp_path)
    assert [(s.first_bar, s.bars) for s in made.plan.entries[0].steps] == [(2, 1), (6, 1)]
    _, events = rehearse(made, None)
    assert [e["bar"] for e in events if e["kind"] == "bar"] == [2, 6]
    core = read_show(document).songs["song"]
    length = form_length(core, core.form("p"))
    assert (length.bars, float(length.seconds)) == (2, 4.0)


def test_a_log_of_another_show_is_refused(tmp_path):
    made = ready(ramped(tmp_path), tmp_path)
    log, events = logged(made, [("go", {}, 10 * RATE)])
    lines = ({}, *(e for e in events if e["kind"] == "bar"))
    assert report(made, Night(log.start, log.presses, (), log.end, lines))
    slower = ready(ramped(tmp_path, tempo=[{"bar": 1, "bpm": "90"}]), tmp_path)
    with pytest.raises(Refused, match="the log of another show"):
        report(slower, Night(log.start, log.presses, (), log.end, lines))
    with pytest.raises(Refused, match="the log of another show"):
        report(made, Night(standing_by(4), log.presses, (), log.end, ({},)))
