"""What screens show of an entry, step by step (rule B4): worked out once, so that a screen only looks up its place."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from typing import Literal, TypedDict

import numpy as np

from upbeat.play.plan import EntryPlan, StepPlan
from upbeat.song.lines import Line, lines_of
from upbeat.song.screen import Film, ShownFile, shown_by

_CHORD = re.compile(r"\[[^\]]*\]")


class FileOnScreen(TypedDict):
    id: str
    type: str


class FilmOnScreen(TypedDict):
    """``starts_s``: where its first frame lies, in seconds after bar 1; ``rate``: how fast it runs, with the song's tempo."""

    file: FileOnScreen
    starts_s: float
    rate: float
    seconds: float
    fps: float


class LineOnScreen(TypedDict):
    """A line of the words, from ``at_s`` seconds after bar 1 on."""

    at_s: float
    text: str


class StillOnScreen(TypedDict):
    """A picture from ``at_s`` seconds after bar 1 on, or black."""

    at_s: float
    file: FileOnScreen | None


class StepOnScreen(TypedDict):
    """``still``: what a form played straight shows as the step begins; ``stills``: what comes within it."""

    lines: list[LineOnScreen]
    still: FileOnScreen | None
    stills: list[StillOnScreen]


class EntryOnScreen(TypedDict):
    shows: Literal["film", "stills", "words", "black"]
    film: FilmOnScreen | None
    steps: list[StepOnScreen]


def on_screen(plan: EntryPlan, sample_rate: int) -> EntryOnScreen:
    """What an entry shows on screens."""
    screen = plan.song.screen
    first = int(plan.bar_frames[0])

    def seconds(frame: float) -> float:
        return round((frame - first) / sample_rate, 4)

    firsts = {step.section: step.src_start for step in plan.steps}
    placed = [
        (seconds(firsts[s.section]) if s.section in firsts else s.at_s, _file(s.file))
        for s in screen.stills
        if s.section is None or s.section in firsts
    ]
    stills = sorted(((at, file) for at, file in placed if at is not None), key=lambda s: s[0])
    steps, still = [], _at_first(stills)
    for index, step in enumerate(plan.steps):
        start, end = seconds(step.src_start), seconds(step.src_end)
        within = [StillOnScreen(at_s=at, file=file) for at, file in stills if start <= at < end]
        steps.append(StepOnScreen(lines=_lines(plan, step, seconds_of=seconds), still=still, stills=within))
        if within and index in plan.playable:
            still = within[-1]["file"]
    film = screen.film
    return EntryOnScreen(
        shows=shown_by(screen, plan.screen),
        film=None if film is None else _film(film, float(plan.song.played.percent / 100)),
        steps=steps,
    )


def _at_first(stills: list[tuple[float, FileOnScreen | None]]) -> FileOnScreen | None:
    """What is shown from before bar 1 on."""
    before = [file for at, file in stills if at < 0]
    return before[-1] if before else None


def _film(film: Film, rate: float) -> FilmOnScreen:
    file = film.file
    shown = FileOnScreen(id=file.id, type=file.type)
    return FilmOnScreen(file=shown, starts_s=film.starts_s, rate=rate, seconds=file.seconds, fps=file.fps)


def _file(file: ShownFile | None) -> FileOnScreen | None:
    return None if file is None else FileOnScreen(id=file.id, type=file.type)


def _lines(plan: EntryPlan, step: StepPlan, seconds_of: Callable[[float], float]) -> list[LineOnScreen]:
    """The lines of a section's words without their chords; one that is only a place shows nothing."""
    section = next((s for s in plan.song.sections if s.id == step.section), None)
    lines = [(without_chords(line.text), line) for line in lines_of(section.words if section else "")]
    shown = [(text, line) for text, line in lines if text or line.bar is not None]
    bars = plan.bar_frames[step.first_bar - 1 : step.first_bar + step.bars]
    frames = np.interp(_places(plan, step, [line for _, line in shown]), np.arange(len(bars)), bars)
    return [LineOnScreen(at_s=seconds_of(float(f)), text=text) for f, (text, _) in zip(frames, shown, strict=True)]


def _places(plan: EntryPlan, step: StepPlan, lines: Sequence[Line]) -> list[float]:
    """In bars from the beginning of a step: of what has a place in it the own one, of the others even shares."""
    known, before = {0: 0.0, len(lines): float(step.bars)}, 0.0
    for i, line in enumerate(lines):
        place = _own_place(plan, step, line)
        if place is not None and place >= before:
            known[i] = before = place
    at = sorted(known)
    return [float(p) for p in np.interp(np.arange(len(lines)), at, [known[i] for i in at])]


def _own_place(plan: EntryPlan, step: StepPlan, line: Line) -> float | None:
    """None for a line without a place, or with one that the step does not have: sections are cut and stretched later."""
    if line.bar is None or not 1 <= line.bar <= step.bars:
        return None
    bar = step.first_bar + line.bar - 1
    beats, start, end = plan.counts(bar, 1), plan.bar_frames[bar - 1], plan.bar_frames[bar]
    if not 1 <= line.beat <= len(beats):
        return None
    return line.bar - 1 + float((beats[line.beat - 1] - start) / (end - start))


def without_chords(line: str) -> str:
    """A line of words as it is sung: chords in brackets are left out, with the gaps that they leave."""
    return " ".join(_CHORD.sub("", line).split())
