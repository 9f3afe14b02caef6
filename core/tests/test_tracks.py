"""Runs, tracks and the small rules beside them: properties that hold for whatever is written."""

from dataclasses import dataclass
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from upbeat.play.events import BarLine, Click, EntryEnd, LinkTaken, Seam, record
from upbeat.play.state import Run
from upbeat.play.tracks import Track, mapped
from upbeat.song import stems
from upbeat.song.covering import covered, covers
from upbeat.song.song import Section
from upbeat.time.grid import Grid
from upbeat.time.meter import MeterMap
from upbeat.time.tempo import TempoMap

FRAMES = st.lists(st.integers(0, 100_000), unique=True, max_size=40).map(sorted)


@given(frames=FRAMES, src=st.integers(0, 100_000), out=st.integers(0, 10**9), cuts=st.lists(st.integers(0, 50_000)))
def test_a_track_gives_each_event_once_however_the_output_is_cut(frames, src, out, cuts):
    run = Run(id=0, entry=0, step=0, round=1, out_start=out, src_start=src)
    track = Track(frames, [f"at {frame}" for frame in frames])
    edges = sorted({out, out + 50_000, *(out + cut for cut in cuts)})
    found = [e for a, b in zip(edges, edges[1:], strict=False) for e in mapped(track, run, a, b)]
    expected = [(run.out(f), f"at {f}") for f in frames if src <= f < src + 50_000]
    assert found == expected


@given(src=st.integers(-1000, 10**7), out=st.integers(0, 10**9), frame=st.integers(-(10**6), 10**9))
def test_a_run_maps_frames_there_and_back(src, out, frame):
    run = Run(id=0, entry=0, step=0, round=1, out_start=out, src_start=src)
    assert run.src(run.out(frame)) == frame
    assert run.out(run.src(frame)) == frame
    assert run.out(src) == out


@pytest.mark.parametrize(
    ("event", "kind"),
    [
        (Click(7, 0, 0), "click"),
        (BarLine(frame=7, entry=0, step=1, round=2, bar=9), "bar"),
        (Seam(frame=7, why="go_to", entry=0, step=1, round=1, src_from=4, src_to=90), "jump"),
        (EntryEnd(7, 0), "end"),
        (LinkTaken(7, "attacca", 1), "link"),
    ],
)
def test_every_event_is_written_with_its_frame_and_kind(event, kind):
    answer = record(event)
    assert (answer["frame"], answer["kind"]) == (7, kind)
    assert all(isinstance(v, int | str) for v in answer.values())


@dataclass
class Part:
    name: str
    group: str = "tonal"
    purpose: str = "always"


@pytest.mark.parametrize(
    ("part", "music", "performed", "bass", "drums", "tonal", "harmonic"),
    [
        (Part("Drum kit", "rhythm"), True, True, False, True, False, False),
        (Part("Shaker", "rhythm"), True, True, False, False, False, False),
        (Part("Upright Bass", "rhythm"), True, True, True, False, False, True),
        (Part("Organ"), True, True, False, False, True, True),
        (Part("Choir", "voices"), True, True, False, False, True, True),
        (Part("Violin guide", "tonal", "rehearsal"), True, False, False, False, True, True),
        (Part("Between songs", "tonal", "pad"), False, False, False, False, True, True),
        (Part("Click", "click"), False, False, False, False, False, False),
        (Part("Full mix", "full_mix", "full_mix"), False, False, False, False, False, False),
        (Part("Mixdown", "tonal", "full_mix"), False, False, False, False, True, True),
    ],
)
def test_what_a_stem_is_to_its_music(part, music, performed, bass, drums, tonal, harmonic):
    assert stems.is_music(part) == music
    assert stems.is_performed(part) == performed
    assert stems.is_bass(part) == bass
    assert stems.is_drums(part) == drums
    assert stems.is_tonal(part) == tonal
    assert stems.is_harmonic(part) == harmonic


GRID = Grid(TempoMap.steady(120), MeterMap(), Fraction(1))  # bar 1 at 1 s, a bar each 2 s


def sections(*bars, locked=()):
    return tuple(
        Section(id=f"s{i}", name=f"Part {i}", bars=b, colour=1, locked=i in locked) for i, b in enumerate(bars)
    )


@given(seconds=st.floats(1.1, 600), bars=st.lists(st.integers(1, 20), min_size=1, max_size=5))
def test_a_song_is_covered_to_the_end_of_its_stems_and_no_further(seconds, bars):
    before = sections(*bars)
    after = covered(before, GRID, seconds)
    total = sum(s.bars for s in after)
    assert [s.bars for s in after[:-1]] == bars[:-1]
    if total != sum(bars):
        assert covers(after, GRID, seconds)
        assert (total - 1) * 2 + 1 < seconds <= total * 2 + 1 + 0.05
    else:
        assert covers(after, GRID, seconds) or GRID.bars_to_cover(seconds) <= sum(bars[:-1])


def test_a_locked_last_section_and_a_song_without_stems_stay():
    assert covered(sections(4, 4, locked=(1,)), GRID, 100) == sections(4, 4, locked=(1,))
    assert covered(sections(4, 4), GRID, 0) == sections(4, 4)
    assert covers(sections(32), GRID, 0)
    assert not covers(sections(16, 16), GRID, 0)
