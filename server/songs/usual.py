"""A band's usual settings of stems: new stems begin with them, and one song can take those of another."""

from __future__ import annotations

from typing import Any

from people.models import Band
from songs.models import Song, Stem, UsualStem
from songs.rows import held

SETTINGS = ("group", "purpose", "covers", "gain_db", "pan", "width", "mono")


def key_of(name: str) -> str:
    """A name as it is compared: case folded, its words one space apart."""
    return " ".join(name.casefold().split())[:120]


def begin_with(song: Song, stem: Stem) -> None:
    """Give a new stem what a stem of its name usually is in the band."""
    usual = UsualStem.objects.filter(band=song.band_id, key=key_of(stem.name)).select_related("covers").first()
    if usual is not None:
        _take(stem, usual)


def _take(stem: Stem, source: Stem | UsualStem) -> None:
    for field in SETTINGS:
        setattr(stem, field, getattr(source, field))
    if stem.purpose == "covers" and stem.covers is None:
        stem.purpose = "always"


def take_from(song: Song, other: Song) -> list[str]:
    """Set the stems of a song as those of another with the same names are; gives the names."""
    known = {key_of(s.name): s for s in held(other).recorded}
    taken = []
    for stem in held(song).recorded:
        source = known.get(key_of(stem.name))
        if source is not None:
            _take(stem, source)
            taken.append(stem.name)
    return taken


def keep(song: Song) -> list[dict[str, Any]]:
    """Make what the stems of a song are the band's usual."""
    for stem in held(song).recorded:
        UsualStem.objects.update_or_create(
            band_id=song.band_id,
            key=key_of(stem.name),
            defaults={"name": stem.name, **{f: getattr(stem, f) for f in SETTINGS}},
        )
    return shown(song.band)


def shown(band: Band) -> list[dict[str, Any]]:
    return [
        {
            "id": u.pk,
            "name": u.name,
            "covers_name": u.covers.name if u.covers else None,
            "covers": str(u.covers_id) if u.covers_id else None,
            **{f: getattr(u, f) for f in SETTINGS if f != "covers"},
        }
        for u in UsualStem.objects.filter(band=band).select_related("covers")
    ]
