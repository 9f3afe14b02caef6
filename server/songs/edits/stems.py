"""Edits of stems: settings, mends, in and out."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from people.models import Player
from songs import usual
from songs.edits.tempo import cover, covering
from songs.heard import song_findings
from songs.models import Audio, Song, Stem
from songs.rows import held
from upbeat.errors import refuse
from upbeat.song.stems import GROUPS, PURPOSES


def add_stem(song: Song, args: dict[str, Any]) -> None:
    """Used by import, once the sound is ready."""
    was_covering = covering(song)
    stems = held(song).stems
    stems.append(
        Stem(
            id=args["id"],
            song=song,
            audio=Audio.objects.get(pk=args["audio"], band=song.band),
            name=free_name(song, args["name"]),
            file_name=args["file_name"][:255],
            group=args["group"],
            purpose="full_mix" if args["group"] == "full_mix" else "always",
            position=args["position"],
        )
    )
    usual.begin_with(song, stems[-1])
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
    "gain_db": (-120, 20),
    "pan": (-1, 1),
    "delay_ms": (-10_000, 10_000),
    "start_s": (0, 10_800),
    "end_s": (0, 10_800),
    "fade_in_s": (0, 600),
    "fade_out_s": (0, 600),
    "width": (0, 2),
}


def _set_stem(song: Song, args: dict[str, Any]) -> None:
    stem = _stem_of(song, args)
    if "name" in args:
        name = str(args["name"]).strip()
        if not name:
            raise refuse("stem-nameless", "A stem needs a name: type one.")
        if any(s.name == name for s in held(song).stems if s is not stem):
            raise refuse("stem-name-taken", f"There is a stem called “{name}” already: choose another name.")
        stem.name = name[:120]
    if "group" in args:
        stem.group = _one_of(args["group"], GROUPS, "group")
    if "purpose" in args:
        stem.purpose = _one_of(args["purpose"], PURPOSES, "purpose")
    if "covers" in args:
        if isinstance(args["covers"], list):
            raise refuse(
                "covers-many", f"“{stem.name}” can cover one player: choose one, or bring the parts as two stems."
            )
        player = Player.objects.filter(pk=args["covers"], band=song.band).first() if args["covers"] else None
        if args["covers"] and player is None:
            raise refuse("player-unknown", "That player is not in the band: choose one who is.")
        stem.covers = player
        stem.purpose = "covers" if player else ("always" if stem.purpose == "covers" else stem.purpose)
    for field, (low, high) in _RANGES.items():
        if field == "end_s" and field in args and args[field] is None:
            stem.end_s = None
        elif field in args:
            value = float(args[field])
            if not low <= value <= high:
                raise refuse("stem-range", f"{value:g} is out of range for a stem: {low} to {high}.")
            setattr(stem, field, value)
    for field in ("muted", "invert", "flip_side", "mono"):
        if field in args:
            setattr(stem, field, bool(args[field]))
    if "tacet" in args:
        known = {s.id for s in held(song).sections}
        stem.tacet = [s for s in map(str, args["tacet"]) if s in known]


def _mend(song: Song, args: dict[str, Any]) -> None:
    """Do what a finding proposes; what the stem was before is kept with it."""
    stem = _stem_of(song, args)
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
    _set_stem(song, {"stem": stem.pk, **changes})


def _unmend(song: Song, args: dict[str, Any]) -> None:
    stem = _stem_of(song, args)
    kept = stem.mends.get(str(args["code"]))
    if kept is None:
        raise refuse("mend-gone", f"“{stem.name}” is not mended like that any more: reload the song.")
    stem.mends = {c: m for c, m in stem.mends.items() if c != args["code"]}
    _set_stem(song, {"stem": stem.pk, **kept["before"]})


def _accept_finding(song: Song, args: dict[str, Any]) -> None:
    """Leave a finding as it is (or open it again): it is no longer shown among the worst."""
    stem = _stem_of(song, args)
    rest = [c for c in stem.accepted if c != args["code"]]
    stem.accepted = [*rest, str(args["code"])[:40]] if args.get("accepted", True) else rest


def _one_of(value: Any, allowed: tuple[str, ...], what: str) -> str:
    if value not in allowed:
        raise refuse(f"{what}-unknown", f"“{value}” is not a {what}: choose one of {', '.join(allowed)}.")
    return str(value)


def _remove_stem(song: Song, args: dict[str, Any]) -> None:
    held(song).stems.remove(_stem_of(song, args))


def _stem_of(song: Song, args: dict[str, Any]) -> Stem:
    stem = next((s for s in held(song).stems if str(s.pk) == str(args["stem"])), None)
    if stem is None:
        raise refuse("stem-unknown", "That stem is no longer there: reload the song.")
    return stem


EDITS: dict[str, Callable[[Song, dict[str, Any]], None]] = {
    "set_stem": _set_stem,
    "remove_stem": _remove_stem,
    "mend": _mend,
    "unmend": _unmend,
    "accept_finding": _accept_finding,
}
