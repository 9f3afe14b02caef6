"""The stems of a show document."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from upbeat.song.key_tempo import key_tempo
from upbeat.song.layers import read_layer
from upbeat.song.stems import PreparedFile, Stem
from upbeat.song.treatment import Treatment, read_treatment


def read_stem(raw: Mapping[str, Any]) -> Stem:
    """A stem of a show document. Raises :class:`Refused`."""
    return Stem(
        id=raw["id"],
        name=raw["name"],
        file=raw["file"],
        group=raw.get("group", "tonal"),
        purpose=raw.get("purpose", "always"),
        covers=raw.get("covers"),
        gain_db=raw.get("gain_db", 0.0),
        pan=raw.get("pan", 0.0),
        invert=raw.get("invert", False),
        muted=raw.get("muted", False),
        delay_ms=raw.get("delay_ms", 0.0),
        tacet=frozenset(raw.get("tacet", [])),
        flip_side=raw.get("flip_side", False),
        mono=raw.get("mono", False),
        start_s=raw.get("start_s", 0.0),
        end_s=raw.get("end_s"),
        fade_in_s=raw.get("fade_in_s", 0.0),
        fade_out_s=raw.get("fade_out_s", 0.0),
        width=raw.get("width", 1.0),
        levels=raw.get("levels", {}),
        fades=raw.get("fades", {}),
        crc32=raw.get("crc32"),
        feeds=read_stem_feeds(raw.get("feeds")),
        keeps_pitch=raw.get("keeps_pitch", False),
        layer=read_layer(raw.get("layer")),
        prepared=tuple(_prepared_file(p) for p in raw.get("prepared", [])),
        treatment=read_treatment(raw.get("treatment"), raw["name"]),
        treatments=_treatments(raw.get("treatments", {}), raw["name"]),
    )


def _treatments(raw: Mapping[str, Any], name: str) -> dict[str, Treatment]:
    read = {section: read_treatment(one, name) for section, one in raw.items()}
    return {section: one for section, one in read.items() if one is not None}


def _prepared_file(raw: Mapping[str, Any]) -> PreparedFile:
    change = key_tempo(raw["semitones"], raw["tempo_percent"])
    return PreparedFile(change=change, file=raw["file"], crc32=raw.get("crc32"))


def read_stem_feeds(raw: Sequence[Mapping[str, Any]] | None) -> tuple[tuple[str, float], ...] | None:
    """The feeds that a stem goes to in place of its group's; None where it goes with its group."""
    return None if raw is None else tuple((f["feed"], f.get("gain_db", 0.0)) for f in raw)
