"""A night told afterwards (rule P12): worked out from its log and its show, and kept until the log is another."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any, TypedDict

from django.conf import settings

from people.models import Band
from playout.files import replace_file
from songs.build import core_song
from songs.models import Song, Stem
from stage.night_shows import folder_of
from stage.nights import night_paths
from upbeat.errors import Refused, refuse
from upbeat.show.form_played import BarsPlayed, form_played
from upbeat.show.on_paper import ready_on_paper
from upbeat.show.ready import ReadyShow
from upbeat.show.replay import Night, read_night
from upbeat.show.report import EntryPlayed, LevelChanged, report
from upbeat.song.forms import Step

_KEPT = 2  # counted on where what is kept of a night changes


class LevelThen(LevelChanged):
    """A level by hand; ``now_db``: the stem's own level as it is now, None where it is none or is gone."""

    now_db: float | None


class EntryTold(EntryPlayed):
    """An entry that was played; ``at``: seconds since 1970; ``there``: its song is still in the library."""

    at: float
    there: bool
    levels: list[LevelThen]


class SlotThen(TypedDict):
    starts_at: str | None
    minutes: int


class NightTold(TypedDict):
    """A night: ``began`` and ``ended`` in seconds since 1970, of its first bar and its last, None where nothing was played."""

    name: str
    title: str
    began: float | None
    ended: float | None
    slot: SlotThen | None
    line_up_away: list[str]
    dropouts: int
    entries: list[EntryTold]


class TimeTaken(TypedDict):
    """A song played from its first bar to its end in night ``name``, which began at ``at``."""

    name: str
    at: float
    form: str
    seconds: float
    prepared_s: float


class SongTimes(TypedDict):
    """What a song took, night by night, the newest first; ``usual_s``: the median."""

    song: str
    title: str
    usual_s: float
    times: list[TimeTaken]


def night_told(band: Band, path: Path) -> NightTold:
    """A night of a band in words and figures. Raises :class:`Refused` where its show or its log cannot be read."""
    kept = _kept(path)
    songs = {str(pk) for pk in Song.objects.filter(band=band).values_list("pk", flat=True)}
    stems = {str(s): db for s, db in Stem.objects.filter(song__band=band).values_list("pk", "gain_db")}
    played: list[EntryPlayed] = kept["entries"]
    entries = [
        EntryTold(
            **one,
            at=kept["zero_at"] + one["started_s"],
            there=one["song"] in songs,
            levels=[
                LevelThen(**level, now_db=stems.get(level["part"].removeprefix("stem:")))
                for level in one["levels_changed"]
            ],
        )
        for one in played
    ]
    return NightTold(
        name=path.name,
        title=kept["title"],
        began=entries[0]["at"] if entries else None,
        ended=max(e["at"] + e["ended_s"] - e["started_s"] for e in entries) if entries else None,
        slot=kept["slot"],
        line_up_away=kept["away"],
        dropouts=sum(e["dropouts"] for e in entries),
        entries=entries,
    )


def steps_played(band: Band, path: Path, entry: int) -> tuple[Song, tuple[Step, ...]]:
    """The song of entry ``entry`` of a night, from 0, and the steps that play it again. Raises :class:`Refused`."""
    entries = _kept(path)["entries"]
    if not 0 <= entry < len(entries):
        raise refuse("night-entry", "That night has no such song: reload the page.")
    told: EntryPlayed = entries[entry]
    song = Song.objects.filter(pk=told["song"], band=band).first()
    if song is None:
        raise refuse("song-unknown", f"“{told['title']}” was deleted since: no form can be made of it.")
    core = core_song(song)
    form = next((f for f in core.forms if f.name == told["form"]), None)
    played = []
    for one in told["passes"]:
        step = form.steps[one["step"]] if form and one["step"] < len(form.steps) else Step("")
        last = one["first_bar"] + one["bars"] - 1
        played.append(BarsPlayed(one["first_bar"], last, step.cue, step.tacet))
    return song, form_played(song.title, core.sections, played)


def times_taken(band: Band) -> list[SongTimes]:
    """How long the songs of a band really took, by title. Nights that cannot be told are left out."""
    found: dict[str, SongTimes] = {}
    for path in sorted(night_paths(band), reverse=True):
        try:
            told = _kept(path)
        except Refused:
            continue
        for one in told["entries"]:
            if not one["whole"]:
                continue
            song = found.setdefault(one["song"], SongTimes(song=one["song"], title=one["title"], usual_s=0.0, times=[]))
            song["times"].append(
                TimeTaken(
                    name=path.name,
                    at=told["zero_at"] + one["started_s"],
                    form=one["form"],
                    seconds=round(one["ended_s"] - one["started_s"], 3),
                    prepared_s=one["prepared_s"],
                )
            )
    for song in found.values():
        song["usual_s"] = _median([t["seconds"] for t in song["times"]])
    return sorted(found.values(), key=lambda s: s["title"].casefold())


def _median(values: Sequence[float]) -> float:
    ordered, half = sorted(values), len(values) // 2
    return ordered[half] if len(values) % 2 else (ordered[half - 1] + ordered[half]) / 2


def _kept(path: Path) -> dict[str, Any]:
    """What was worked out of a night, or is now. Raises :class:`Refused`."""
    folder = settings.MEDIA / "nights"
    file = folder / f"{path.stem}.json"
    mark = [_KEPT, path.stat().st_mtime_ns]
    try:
        known: dict[str, Any] = json.loads(file.read_text("utf-8"))
        if known["mark"] == mark:
            return known
    except (OSError, ValueError, KeyError, TypeError):
        pass
    told = {"mark": mark, **_told(path)}
    folder.mkdir(parents=True, exist_ok=True)
    replace_file(file, json.dumps(told).encode())
    _forget(folder, path.parent)
    return told


def _told(path: Path) -> dict[str, Any]:
    night = read_night(path)
    ready = _show_of(night.head.get("folder"))
    show = ready.show
    return {
        "zero_at": _zero_at(night, ready.plan.sample_rate),
        "title": show.title,
        "slot": {"starts_at": show.slot.starts_at, "minutes": show.slot.minutes} if show.slot else None,
        "away": sorted(p.name for p in show.players if p.id in show.away),
        "entries": report(ready, night, _show_of),
    }


def _show_of(folder: Any) -> ReadyShow:
    found = folder_of(str(folder)) if folder else None
    if found is None:
        raise refuse("night-show", "The show of that night is not kept any more: its log can still be saved.")
    return ready_on_paper(found)


def _zero_at(night: Night, sample_rate: int) -> float:
    """When frame 0 of a night was, in seconds since 1970, by the first thing that was written down as it was heard."""
    for line in night.lines[1:]:
        if _is_number(line, "at") and _is_number(line, "frame"):
            return float(line["at"]) - line["frame"] / sample_rate
    return float(night.head["at"]) if _is_number(night.head, "at") else 0.0


def _is_number(line: Mapping[str, Any], name: str) -> bool:
    return isinstance(line.get(name), int | float)


def _forget(folder: Path, logs: Path) -> None:
    """Remove what was kept of nights whose log is gone."""
    for file in folder.glob("*.json"):
        if not (logs / f"{file.stem}.jsonl").exists():
            file.unlink(missing_ok=True)
