"""Edits of stems: settings, mends, in and out."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from typing import Any

from django.conf import settings

from api.query import uuid_or_none
from outputs.models import Feed
from people.models import Player
from songs import usual
from songs.edits import arguments
from songs.edits.covering import cover, covering
from songs.edits.registry import edit
from songs.heard import song_findings
from songs.models import Audio, Song, Stem
from songs.rows import held
from upbeat.errors import refuse
from upbeat.limits import PAD_S, STEM_DELAY_MS, STEM_FADE_S, STEM_GAIN_DB, STEM_NAME, STEM_PAN, STEM_TIME_S, STEM_WIDTH
from upbeat.song.stems import GROUPS, GUIDE_GROUPS, PURPOSES


def add_stem(
    song: Song, *, id: uuid.UUID, audio: uuid.UUID, name: str, file_name: str, group: str, purpose: str, position: int
) -> None:
    """Used by import, once the sound is ready."""
    was_covering = covering(song)
    stems = held(song).stems
    stem = Stem(
        id=id,
        song=song,
        audio=Audio.objects.get(pk=audio, band=song.band),
        name=free_name(song, name),
        file_name=file_name[:255],
        group=group,
        purpose="full_mix" if group == "full_mix" else purpose or "always",
        position=position,
    )
    stems.append(stem)
    usual.begin_with(song, stem)
    stems.sort(key=lambda s: (s.position, s.name))
    if was_covering:
        cover(song)


def free_name(song: Song, name: str) -> str:
    """``name``, or with a number behind it where the song has a stem called so."""
    taken = {s.name for s in held(song).stems}
    if name not in taken:
        return name[:120]
    return next(f"{name[:110]} {n}" for n in range(2, 10_000) if f"{name[:110]} {n}" not in taken)


_RANGES = {
    "gain_db": STEM_GAIN_DB,
    "pan": STEM_PAN,
    "delay_ms": STEM_DELAY_MS,
    "start_s": STEM_TIME_S,
    "end_s": STEM_TIME_S,
    "fade_in_s": STEM_FADE_S,
    "fade_out_s": STEM_FADE_S,
    "width": STEM_WIDTH,
}


@edit(arguments.SetStem)
def set_stem(song: Song, args: arguments.SetStem) -> None:
    change_stem(song, stem_of(song, args["stem"]), args)


def change_stem(song: Song, stem: Stem, changes: Mapping[str, Any]) -> None:
    """Give a stem settings by name."""
    if "name" in changes:
        stem.name = _name(song, stem, changes["name"])
    if "group" in changes:
        stem.group = _one_of(changes["group"], GROUPS, "group")
    if "purpose" in changes:
        stem.purpose = _one_of(changes["purpose"], PURPOSES, "purpose")
        if stem.purpose == "pad" and stem.audio.frames < PAD_S.low * settings.SAMPLE_RATE:
            raise refuse(
                "pad-short",
                f"“{stem.name}” lasts {stem.audio.frames / settings.SAMPLE_RATE:.1f} s: a pad goes round and round, "
                f"and lasts {PAD_S.low:g} s at least.",
            )
    if "covers" in changes:
        _cover_player(song, stem, changes["covers"])
    for field, allowed in _RANGES.items():
        if field in changes:
            value = changes[field]
            if not (field == "end_s" and value is None) and value not in allowed:
                raise refuse("stem-range", f"{value:g} is out of range for a stem: {allowed}.")
            setattr(stem, field, value)
    for field in ("muted", "invert", "flip_side", "mono", "keeps_pitch"):
        if field in changes:
            setattr(stem, field, changes[field])
    if "tacet" in changes:
        known = {s.id for s in held(song).sections}
        stem.tacet = [s for s in changes["tacet"] if s in known]
    if "feeds" in changes:
        stem.feeds = _feeds(song, stem, changes["feeds"])


def _feeds(song: Song, stem: Stem, asked: list[dict[str, Any]] | None) -> list[dict[str, Any]] | None:
    """Feeds of the band that a stem goes to by itself; a guide to none of the house (rule M3)."""
    if asked is None:
        return None
    known = {str(f.pk): f for f in Feed.objects.filter(band=song.band)}
    found: dict[str, dict[str, Any]] = {}
    for one in asked:
        feed = known.get(one["feed"])
        if feed is None:
            raise refuse("feed-unknown", f"“{stem.name}” would go to a feed that is not there: choose another.")
        if feed.kind == "house" and stem.group in GUIDE_GROUPS:
            raise refuse(
                "click-in-house", f"“{stem.name}” is {stem.group}: it never goes to the house feed “{feed.name}”."
            )
        found[one["feed"]] = {"feed": one["feed"], "gain_db": one.get("gain_db", 0.0)}
    return list(found.values())


def _name(song: Song, stem: Stem, name: str) -> str:
    name = name.strip()
    if not name:
        raise refuse("stem-nameless", "A stem needs a name: type one.")
    if any(s.name == name for s in held(song).stems if s is not stem):
        raise refuse("stem-name-taken", f"There is a stem called “{name}” already: choose another name.")
    return name[:STEM_NAME]


def _cover_player(song: Song, stem: Stem, covers: str | list[str] | None) -> None:
    if isinstance(covers, list):
        said = f"“{stem.name}” can cover one player: choose one, or bring the parts as two stems."
        raise refuse("covers-many", said)
    known = uuid_or_none(covers) if covers else None
    player = Player.objects.filter(pk=known, band=song.band).first() if known else None
    if covers and player is None:
        raise refuse("player-unknown", "That player is not in the band: choose one who is.")
    stem.covers = player
    stem.purpose = "covers" if player else ("always" if stem.purpose == "covers" else stem.purpose)


@edit(arguments.OneFinding)
def mend(song: Song, args: arguments.OneFinding) -> None:
    """Do what a finding proposes; what the stem was before is kept with it."""
    stem = stem_of(song, args["stem"])
    code = str(args["code"])
    finding = next((f for f in song_findings(song)[0] if f.stem == str(stem.pk) and f.code == code), None)
    if finding is None or finding.mend is None:
        raise refuse("mend-unknown", f"There is nothing to mend about “{stem.name}” any more: reload the song.")
    if code in stem.mends:
        return
    changes = finding.mend.changes
    stem.mends = {
        **stem.mends,
        code: {"kind": finding.mend.kind, "message": finding.message, "before": {f: getattr(stem, f) for f in changes}},
    }
    stem.accepted = [c for c in stem.accepted if c != code]
    change_stem(song, stem, changes)


@edit(arguments.OneFinding)
def unmend(song: Song, args: arguments.OneFinding) -> None:
    stem = stem_of(song, args["stem"])
    kept = stem.mends.get(str(args["code"]))
    if kept is None:
        raise refuse("mend-gone", f"“{stem.name}” is not mended like that any more: reload the song.")
    stem.mends = {c: m for c, m in stem.mends.items() if c != args["code"]}
    change_stem(song, stem, kept["before"])


@edit(arguments.AcceptFinding)
def accept_finding(song: Song, args: arguments.AcceptFinding) -> None:
    """Leave a finding as it is (or open it again): it is no longer shown among the worst."""
    stem = stem_of(song, args["stem"])
    rest = [c for c in stem.accepted if c != args["code"]]
    stem.accepted = [*rest, str(args["code"])[:40]] if args.get("accepted", True) else rest


def _one_of(value: Any, allowed: tuple[str, ...], what: str) -> str:
    if value not in allowed:
        raise refuse(f"{what}-unknown", f"“{value}” is not a {what}: choose one of {', '.join(allowed)}.")
    return str(value)


@edit(arguments.OneStem)
def remove_stem(song: Song, args: arguments.OneStem) -> None:
    held(song).stems.remove(stem_of(song, args["stem"]))


def stem_of(song: Song, stem_id: str) -> Stem:
    stem = next((s for s in held(song).stems if str(s.pk) == stem_id), None)
    if stem is None:
        raise refuse("stem-unknown", "That stem is no longer there: reload the song.")
    return stem
