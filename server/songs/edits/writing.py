"""Edits of what is written on the chart: chords, words, notes, and all of it from ChordPro text."""

from __future__ import annotations

from dataclasses import replace

from songs.build import core_grid
from songs.edits import arguments
from songs.edits.registry import edit
from songs.edits.sections import put, write
from songs.models import Song
from songs.rows import held
from songs.written import bar_texts
from upbeat.errors import refuse
from upbeat.limits import CUE, CUES, KEY, NOTE, TITLE, TRANSPOSE, WORDS
from upbeat.song import chordpro
from upbeat.song.chords import parse_bars, transposed
from upbeat.song.sections import fit_to_bars, span_of
from upbeat.time.meter import counted

MARKS_DONE = 500  # that are kept: marks are gone with their nights


@edit(arguments.SetCue)
def set_cue(song: Song, args: arguments.SetCue) -> None:
    """Words spoken at a bar and a counted beat of it; none take the cue out (rule Q4)."""
    bar, beat, text = int(args["bar"]), int(args.get("beat", 1)), " ".join(str(args["text"]).split())
    if not 1 <= bar <= _total(song):
        raise refuse("bar-unknown", f"The song has bars 1 to {_total(song)}: choose one of them.")
    beats = len(counted(core_grid(song).meters.at_bar(bar)).felt_beats)
    if not 1 <= beat <= beats:
        raise refuse("cue-beat", f"Bar {bar} has {beats} beats: put the cue on one of them.")
    if len(text) > CUE:
        raise refuse("cue-long", f"This cue has {len(text)} characters: at most {CUE} can be spoken in time.")
    if text and not any(c.isalnum() for c in text):
        raise refuse("cue-mute", f"“{text}” has nothing to be spoken: type words.")
    rest = [c for c in song.cues if (c["bar"], c["beat"]) != (bar, beat)]
    if text and len(rest) >= CUES.high:
        raise refuse("cues-many", f"A song has at most {CUES.high:,.0f} cues.")
    song.cues = sorted(
        [*rest, {"bar": bar, "beat": beat, "text": text}] if text else rest, key=lambda c: (c["bar"], c["beat"])
    )


def _total(song: Song) -> int:
    return sum(s.bars for s in held(song).sections)


def _put(song: Song, first: int, bars: list[str]) -> None:
    changed = {str(first + i): text for i, text in enumerate(bars)}
    merged = {**song.chords, **changed}
    song.chords = {bar: merged[bar] for bar in sorted(merged, key=int) if merged[bar]}


@edit(arguments.SetChords)
def set_chords(song: Song, args: arguments.SetChords) -> None:
    """Write chords from bar ``first`` on; with ``last`` over and over until there, or one bar emptied for no text."""
    first, total = int(args["first"]), _total(song)
    bars = parse_bars(str(args["text"])) or [""]
    last = int(args.get("last") or first + len(bars) - 1)
    if not 1 <= first <= last <= total:
        typed = f"{len(bars)} bars of chords" if len(bars) > 1 else "a bar of chords"
        raise refuse(
            "chords-past-end",
            f"You typed {typed} from bar {first} on, and the song ends at bar {total}: type fewer, or make the song longer.",
        )
    wanted = last - first + 1
    if args.get("fill"):
        bars = [bars[i % len(bars)] for i in range(wanted)]
    elif len(bars) > wanted:
        raise refuse(
            "chords-past-section",
            f"You typed {len(bars)} bars of chords for {wanted} bars: leave {len(bars) - wanted} out, or choose more bars.",
        )
    if bars[0] == "%" and first == 1:
        raise refuse("chord-repeat-first", "There is no bar before bar 1 to be played once more: write its chords.")
    _put(song, first, bars)


@edit(arguments.CopyChords)
def copy_chords(song: Song, args: arguments.CopyChords) -> None:
    """The chords of one section over those of another; with ``move`` they leave the first."""
    source, target = span_of(held(song).sections, str(args["section"])), span_of(held(song).sections, str(args["to"]))
    bars = bar_texts(song)
    length = min(source.last - source.first, target.last - target.first) + 1
    if args.get("move"):
        _put(song, source.first, [""] * (source.last - source.first + 1))
    _put(song, target.first, bars[source.first - 1 : source.first - 1 + length])


@edit(arguments.Transpose)
def transpose(song: Song, args: arguments.Transpose) -> None:
    semitones = int(args["semitones"])
    if semitones not in TRANSPOSE:
        raise refuse("transpose-range", f"Chords are moved by up to 11 semitones, not {semitones}.")
    order = sorted(song.chords, key=int)
    bars, song.key = transposed([song.chords[b] for b in order], song.key, semitones)
    song.chords = dict(zip(order, bars, strict=True))


@edit(arguments.ReadChordpro)
def read_chordpro(song: Song, args: arguments.ReadChordpro) -> None:
    """Everything that a ChordPro text says of chords, words, notes and key; a song not divided yet gets its sections."""
    chart = chordpro.read(str(args["text"]))
    if not chart.parts and not chart.key and not chart.title:
        raise refuse(
            "chordpro-empty",
            "There is no section, key or title in this text: write ChordPro, such as {start_of_verse} and a line of words.",
        )
    if len(held(song).sections) == 1 and len(chart.parts) > 1:
        _divide(song, chart)
    sections = list(held(song).sections)
    for part, index in chordpro.matched(chart.parts, [s.name for s in sections]):
        if index is None:
            raise refuse(
                "chordpro-section-left",
                f"The text has a section “{part.name}” for which the song has none left: add it to the song, or take it out of the text.",
            )
        s = sections[index]
        if len(part.bars) > s.bars:
            raise refuse(
                "chordpro-bars",
                f"“{part.name}” has {len(part.bars)} bars of chords in the text and {s.bars} in the song: make them alike.",
            )
        sections[index] = replace(s, words=part.words[:WORDS], note=part.note[:NOTE])
        _put(
            song,
            span_of(tuple(sections), s.id).first,
            [*part.bars, *[""] * (s.bars - len(part.bars))] if part.bars else [],
        )
    write(song, tuple(sections))
    song.key = chart.key[:KEY] or song.key
    song.note = chart.note[:NOTE] or song.note
    song.title = chart.title.strip()[:TITLE] or song.title


def _divide(song: Song, chart: chordpro.ChartText) -> None:
    starts, bar = [], 1
    for part in chart.parts:
        starts.append((bar, part.name))
        bar += max(1, len(part.bars))
    if bar - 1 > _total(song):
        if held(song).stems:
            raise refuse(
                "chordpro-long-song",
                f"The text has {bar - 1} bars and the song {_total(song)}: look at tempo and metre, or shorten the text.",
            )
        write(song, fit_to_bars(held(song).sections, bar - 1))
    put(song, starts)


@edit(arguments.DoneMark)
def done_mark(song: Song, args: arguments.DoneMark) -> None:
    """A place that was marked in rehearsal was seen to, and leaves the chart."""
    song.marks_done = [*(m for m in song.marks_done if m != args["mark"]), args["mark"]][-MARKS_DONE:]


@edit(arguments.SetSeen)
def set_seen(song: Song, args: arguments.SetSeen) -> None:
    """Something of the song was looked at and is right, so that it is not to be done any more."""
    rest = [one for one in song.seen if one != args["what"]]
    song.seen = [*rest, args["what"]] if args.get("seen", True) else rest
