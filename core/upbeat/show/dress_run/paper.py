"""What a dress run finds without playing anything."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from itertools import pairwise
from pathlib import Path

from upbeat.errors import Refused
from upbeat.listening.seam.score import MAY, Measures, judge, mends
from upbeat.mix.line_up import gaps
from upbeat.mix.routing import Feed, Routing, guide_of, routing_problems
from upbeat.mix.sounding import standing
from upbeat.mix.stem_audio import StemAudio
from upbeat.play.plan import EntryPlan, Link
from upbeat.play.state import Music
from upbeat.show.check import harmed_files
from upbeat.show.document import Show
from upbeat.show.dress_run.faults import Fault, Mend, MendKind
from upbeat.show.lane import LeftOut, Pass, cue_lane
from upbeat.show.left import shorter_forms
from upbeat.show.pads import pad_of
from upbeat.show.ready import ReadyShow, inside
from upbeat.show.references import reference
from upbeat.show.running import check_links
from upbeat.show.seams import measured_join, places
from upbeat.song.forms import Join, joins_of
from upbeat.song.sections import bars_of, straight_on
from upbeat.song.song import Song
from upbeat.song.stems import is_music, is_performed

# A shift moves the whole grid: that is for the page of seams, where it is heard first.
_SEAM_MENDS: dict[str, MendKind] = {"crossfade": "crossfade", "ring_on": "ring_on"}
_CUT = {
    "cut": "a note is cut off",
    "early": "the downbeat begins before the bar line",
    "level": "the level steps",
    "colour": "the sound changes at once",
}


def first_entries(show: Show) -> list[tuple[int, Song, str | None]]:
    """(entry from 0, song, form) of each song in each form with the same players, where it comes first."""
    found: dict[tuple[str, str | None, frozenset[str]], int] = {}
    for i, entry in enumerate(show.entries):
        found.setdefault((entry.song, entry.form, show.away_in(i)), i)
    return [(i, show.songs[song], form) for (song, form, _), i in found.items()]


def file_faults(show: Show, folder: Path) -> tuple[list[Fault], int]:
    """Files that are missing or changed, and how many were looked at."""
    of_song = {stem.file: (stem.name, song) for song in show.songs.values() for stem in song.stems}
    first = {song.id: i for i, song, _ in reversed(first_entries(show))}
    found = []
    for file in harmed_files(show, folder):
        name, song = of_song[file]
        there = inside(folder, file).is_file()
        what = "has changed since it was prepared" if there else "is missing"
        message = f"The file of “{name}” in “{song.title}” {what}: import it again."
        if song.played.changes and not there:
            message = f"“{name}” of “{song.title}” is not prepared at {song.played} yet: look at it in the setlist."
        found.append(
            Fault(
                code="file-changed" if there else "file-missing",
                severity="wrong",
                message=message,
                entry=first.get(song.id, 0) + 1 if song.id in first else None,
            )
        )
    others = {w.file: f"The word “{w.text}”" for w in show.words}
    others |= {file: f"The click sound “{name}”" for name, file in show.sounds.items()}
    others |= {s.file: f"The sound “{s.name}”" for s in show.hand_sounds}
    for file, what in others.items():
        if not inside(folder, file).is_file():
            found.append(
                Fault(code="file-missing", severity="wrong", message=f"{what} has lost its file: make it anew.")
            )
    return found, len(of_song) + len(others)


def routing_faults(routing: Routing) -> list[Fault]:
    """Why the routing cannot be played (rule M3: no click in the house): its feeds first, then what is wired wrong beside."""
    feeds = routing_problems(Routing(routing.feeds))
    wires = routing_problems(replace(routing, feeds=without_guides(routing.feeds)))
    return [Fault.of(p) for p in (*feeds, *(p for p in wires if p not in feeds))]


def without_guides(feeds: Sequence[Feed]) -> tuple[Feed, ...]:
    """Feeds with neither click nor cues in those of the house."""
    return tuple(
        replace(f, sends=tuple(s for s in f.sends if guide_of(s.source) is None)) if f.kind == "house" else f
        for f in feeds
    )


def link_faults(show: Show) -> Iterator[Fault]:
    """Entries that lead into an interval without a stop (rule P9)."""
    for after in show.intervals:
        if not 1 <= after <= len(show.entries):
            continue
        entry = show.entries[after - 1]
        try:
            check_links([(show.songs[entry.song].title, entry.link.kind), (None, "wait")])
        except Refused as no:
            yield from (Fault.of(p, entry=after, mend=Mend("link_wait", entry.id)) for p in no.problems)


def pad_faults(show: Show) -> Iterator[Fault]:
    """Entries after which the pad of the next song is to sound, which has none (rule P10)."""
    for i, (entry, following) in enumerate(pairwise(show.entries)):
        song = show.songs[following.song]
        if entry.link.pad == "song" and entry.link.kind != "attacca" and not pad_of(song):
            yield Fault(
                code="pad-none",
                severity="look",
                message=f"The pad of “{song.title}” is to sound before it, and none of its stems is a pad.",
                entry=i + 1,
            )


def line_up_faults(show: Show) -> Iterator[Fault]:
    """Parts that nobody plays: of players who are away, and whom no stem covers. A song of click alone has no parts."""
    for i, song, _ in first_entries(show):
        away = [p for p in show.players if p.id in show.away_in(i)]
        if not any(is_performed(s) for s in song.stems):
            continue
        for sentence in gaps(song, away):
            yield Fault(code="nobody-plays", severity="look", message=sentence, entry=i + 1)


def reference_faults(show: Show) -> Iterator[Fault]:
    """Parts to learn from, and full mixes, that the audience would hear beside the band."""
    for i, song, _ in first_entries(show):
        for stem in song.stems:
            kind = reference(stem, song.stems, show.away_in(i))
            if kind is not None:
                what = "a part to learn from" if kind == "learned" else "a full mix beside its own parts"
                yield Fault(
                    code="reference-in-house",
                    severity="wrong",
                    message=f"“{stem.name}” of “{song.title}” is {what}, and the house would hear it.",
                    entry=i + 1,
                    mend=Mend("rehearsal_only", stem.id),
                )


def seam_faults(ready: ReadyShow) -> tuple[list[Fault], int]:
    """Seams that would be heard, each with what would mend it best, and how many were looked at."""
    show, rate = ready.show, ready.plan.sample_rate
    found: list[Fault] = []
    looked = 0
    for i, song, form in first_entries(show):
        stems = [
            s
            for s in ready.audio.entries[i].stems
            if is_music(s.stem) and is_performed(s.stem) and standing(s.stem, show.away_in(i)) == "sounds"
        ]
        for join in joins_of(song.form(form)):
            looked += 1
            if stems and not straight_on(song.sections, join):
                found += _seam(song, stems, join, rate, i + 1)
    return found, looked


def _seam(song: Song, stems: list[StemAudio], join: Join, rate: int, entry: int) -> Iterator[Fault]:
    def measured(shift_ms: float) -> Measures:
        return measured_join(stems, join, *places(song, join, rate, shift_ms), rate)

    m = measured(0.0)
    heard = judge(m, song.crossfade_ms, song.ring_on_s)
    if heard.verdict != "heard":
        return
    offers = mends(m, song.crossfade_ms, song.ring_on_s, measured)
    best = next((o for o in offers if o.kind in _SEAM_MENDS and o.likely < MAY), None)
    names = {s.id: s.name for s in song.sections}
    of = f" of “{stems[heard.stem].stem.name}”" if heard.reason == "cut" and heard.stem is not None else ""
    yield Fault(
        code="seam-heard",
        severity="look",
        message=f"The seam from {names[join.old]} to {names[join.new]} in “{song.title}” will be heard: "
        f"{_CUT[heard.reason]}{of}.",
        entry=entry,
        bar=bars_of(song.sections, join)[0] - 1,
        mend=Mend(_SEAM_MENDS[best.kind], song.id, best.value) if best else None,
        seam=(join.old, join.new) if join == Join(join.old, join.new) else None,
    )


def cue_faults(ready: ReadyShow) -> tuple[list[Fault], int]:
    """Words that would not be said, and how many would."""
    found: list[Fault] = []
    said = 0
    for i, _, _ in first_entries(ready.show):
        plan = ready.plan.entries[i]
        passes = cue_lane(_alone(ready, i))
        said += sum(len(p.words) for p in passes)
        missed = {(left.text, _bar(p, left)): left for p in passes for left in p.left_out}
        for (text, bar), left in missed.items():
            found += _left_out(plan, text, bar, left, ready.plan.counts, i + 1)
    return found, said


def _alone(ready: ReadyShow, entry: int) -> ReadyShow:
    """One entry by itself, on paper."""
    own = replace(ready.plan.entries[entry], link=Link())
    return replace(ready, plan=replace(ready.plan, entries=(own,), intervals={}))


def _bar(found: Pass, left: LeftOut) -> int | None:
    return next((b.bar for b in found.beats if b.at == left.at and b.bar > 0), None)


def _left_out(
    plan: EntryPlan, text: str, bar: int | None, left: LeftOut, counts: tuple[str, ...], entry: int
) -> Iterator[Fault]:
    if left.why == "covered" and text in counts:
        return  # a count under the name of its call is left out on purpose (rule Q2)
    why = {
        "covered": "there is no room for it before its section: call it earlier, or name it shorter",
        "call": "another word is said there: move it",
        "silent": "this voice cannot say it: spell it another way, or record it",
    }[left.why]
    yield Fault(
        code="word-silent" if left.why == "silent" else "cue-left-out",
        severity="look",
        message=f"“{text}” will not be said in “{plan.title}”: {why}.",
        entry=entry,
        bar=bar,
    )


def slot_faults(ready: ReadyShow, seconds: float) -> Iterator[Fault]:
    """A show that is longer than its slot, with the form that would save most."""
    slot = ready.show.slot
    if slot is None or seconds <= 60 * slot.minutes:
        return
    over = seconds - 60 * slot.minutes
    best = max(shorter_forms(ready.plan, Music()), key=lambda f: f["saves_s"], default=None)
    yield Fault(
        code="over-slot",
        severity="wrong",
        message=f"The show takes {_minutes(seconds)}, which is {_minutes(over)} more than its slot of {slot.minutes} minutes.",
        mend=Mend("shorter_form", ready.plan.entries[best["instead"]].id, best["saves_s"]) if best else None,
    )


def _minutes(seconds: float) -> str:
    whole = round(seconds)
    return f"{whole // 60}:{whole % 60:02d} min"
