"""A song in another key and tempo (rule V1): everything but the sound itself, which is prepared (upbeat.audio.stretch)."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import replace
from fractions import Fraction

import msgspec

from upbeat.errors import Refused, refuse
from upbeat.limits import EDGE_FADE_S, HOLD_S
from upbeat.song.chords import step_on_fifths, transpose_bar, transpose_key
from upbeat.song.edges import Edges
from upbeat.song.key_tempo import AS_RECORDED, KeyTempo
from upbeat.song.screen import Screen
from upbeat.song.song import Section, Song
from upbeat.song.stems import GUIDE_GROUPS, Stem, is_bass
from upbeat.time.grid import Grid
from upbeat.time.tempo import TempoMap

_BRACKETS = re.compile(r"\[([^\]]*)\]")


def keeps_pitch(stem: Stem) -> bool:
    """Whether a stem stays as high as it is: what is struck, guides, and what is marked so."""
    return stem.keeps_pitch or stem.group in GUIDE_GROUPS or (stem.group == "rhythm" and not is_bass(stem))


def change_of(stem: Stem, change: KeyTempo) -> KeyTempo:
    """What becomes of a stem's file; a layer's follows the song as it is."""
    if stem.layer is not None:
        return AS_RECORDED
    return replace(change, semitones=0) if keeps_pitch(stem) else change


def is_struck(stem: Stem) -> bool:
    """Whether nothing in a stem sounds on through an attack."""
    return stem.group == "click" or (stem.group == "rhythm" and not is_bass(stem))


def played_in(song: Song, change: KeyTempo) -> Song:
    """A song in another key and tempo, of the files that are prepared for it.

    Timecode that was recorded is none at another tempo, and is left out. Raises :class:`Refused` where a file is not
    prepared, or the tempo is none that can be played.
    """
    if not change.changes:
        return song
    later = 100 / change.percent
    step = step_on_fifths(change.semitones, song.key, list(song.chords.values())) if change.semitones else 0
    return replace(
        song,
        grid=_grid(song.grid, change.percent, later),
        key=transpose_key(song.key, step) if step else song.key,
        chords={bar: transpose_bar(text, step) for bar, text in song.chords.items()} if step else song.chords,
        sections=tuple(_section(s, step) for s in song.sections) if step else song.sections,
        stems=tuple(_stems(song, change, later)),
        edges=_edges(song.edges, later),
        screen=_screen(song.screen, later),
        played=change,
    )


def _grid(grid: Grid, percent: Fraction, later: Fraction) -> Grid:
    points = [replace(p, bpm=p.bpm * percent / 100) for p in grid.tempo.points]
    return Grid(TempoMap(points), grid.meters, grid.bar1_s * later, grid.pickup)


def _section(section: Section, step: int) -> Section:
    """A section with the chords of its words moved; what is no chord stays."""
    return replace(section, words=_BRACKETS.sub(lambda found: f"[{_moved(found[1], step)}]", section.words))


def _moved(text: str, step: int) -> str:
    try:
        return transpose_bar(text, step)
    except Refused:
        return text


def _stems(song: Song, change: KeyTempo, later: Fraction) -> Iterable[Stem]:
    for stem in song.stems:
        if stem.group == "timecode" and change.percent != 100:
            continue
        own = change_of(stem, change)
        if stem.layer is not None:
            stem = replace(stem, layer=stem.layer.moved(0 if keeps_pitch(stem) else change.semitones))
        if not own.changes:
            yield stem
            continue
        file = next((p for p in stem.prepared if p.change == own), None)
        if file is None:
            raise refuse(
                "key-unprepared", f"“{stem.name}” of “{song.title}” is not prepared at {own}: prepare the song first."
            )
        yield replace(
            stem,
            file=file.file,
            crc32=file.crc32,
            delay_ms=stem.delay_ms * float(later),
            start_s=stem.start_s * float(later),
            end_s=None if stem.end_s is None else stem.end_s * float(later),
            fade_in_s=stem.fade_in_s * float(later),
            fade_out_s=stem.fade_out_s * float(later),
        )


def _edges(edges: Edges, later: Fraction) -> Edges:
    by = float(later)
    return replace(
        edges,
        start_s=None if edges.start_s is None else edges.start_s * by,
        fade_in_s=min(edges.fade_in_s * by, EDGE_FADE_S.high),
        fade_out_s=min(edges.fade_out_s * by, EDGE_FADE_S.high),
        hold_s=min(edges.hold_s * by, HOLD_S.high),
    )


def _screen(screen: Screen, later: Fraction) -> Screen:
    by = float(later)
    film = screen.film and msgspec.structs.replace(screen.film, starts_s=screen.film.starts_s * by)
    stills = tuple(s if s.at_s is None else msgspec.structs.replace(s, at_s=s.at_s * by) for s in screen.stills)
    return msgspec.structs.replace(screen, film=film, stills=stills)
