"""Edits of tempo, metre, grid and the other facts of a song."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal

from people.models import Band
from songs import grid
from songs.build import core_grid
from songs.edits import arguments
from songs.edits.covering import cover, covering
from songs.edits.registry import edit
from songs.edits.sections import put, write
from songs.models import Measurement, Song
from songs.offers import proposed_sections
from songs.prepared import ask_preparation
from songs.rows import held
from upbeat.click.pattern import VOICES, checked_pattern, signature_of
from upbeat.click.sounds import SOUNDS
from upbeat.errors import refuse
from upbeat.limits import BAR1_S, KEY, NOTE, PIN_S, TEMPO_FACTOR, TITLE
from upbeat.listening.follow.align import beat_tempo
from upbeat.song.guides import ClickSettings
from upbeat.song.key_tempo import key_tempo, typed_percent
from upbeat.song.sections import fit_to_bars
from upbeat.time.meter import TimeSignature
from upbeat.time.tempo import parse_bpm


@edit(arguments.SetTempo)
def set_tempo(song: Song, args: arguments.SetTempo) -> None:
    """One tempo at a bar (bar 1 unless said); an empty bpm takes a change out."""
    was_covering = covering(song)
    bar = int(args.get("bar", 1))
    rest = [t for t in song.tempo if t["bar"] != bar]
    if args.get("bpm") in (None, "") and bar != 1:
        song.tempo = rest
    else:
        parse_bpm(args["bpm"])
        point = {"bar": bar, "bpm": str(args["bpm"]).strip().replace(",", ".")}
        if args.get("unit"):
            point["unit"] = str(args["unit"])
        if args.get("ramp"):
            point["ramp"] = True
        song.tempo = sorted([*rest, point], key=lambda t: t["bar"])
    if was_covering:
        cover(song)


@edit(arguments.ScaleTempo)
def scale_tempo(song: Song, args: arguments.ScaleTempo) -> None:
    """Half or double: every tempo of the song times ``by``."""
    by = float(args["by"])
    if by not in TEMPO_FACTOR:
        raise refuse("tempo-factor", f"A tempo is not made {by:g} times as fast: type it instead.")
    was_covering = covering(song)
    song.tempo = grid.scaled(song.tempo, by)
    if was_covering:
        cover(song)


@edit(arguments.SetMeter)
def set_meter(song: Song, args: arguments.SetMeter) -> None:
    was_covering = covering(song)
    bar = int(args.get("bar", 1))
    rest = [m for m in song.meters if m["bar"] != bar]
    if args.get("meter") in (None, "") and bar != 1:
        song.meters = rest
    else:
        signature = TimeSignature.parse(str(args["meter"]), args.get("grouping"))
        meter: dict[str, Any] = {"bar": bar, "meter": str(signature)}
        if signature.grouping:
            meter["grouping"] = list(signature.grouping)
        song.meters = sorted([*rest, meter], key=lambda m: m["bar"])
    if was_covering:
        cover(song)


@edit(arguments.SetBar1)
def set_bar1(song: Song, args: arguments.SetBar1) -> None:
    """The time of bar 1 beat 1, or ``by_ms`` or ``by_beats`` from where it is."""
    if "by_beats" in args:
        bpm, _, _ = beat_tempo(core_grid(song))
        seconds = float(song.bar1_s) + float(args["by_beats"]) * 60 / bpm
    elif "by_ms" in args:
        seconds = float(song.bar1_s) + float(args["by_ms"]) / 1000
    else:
        seconds = float(args["seconds"])
    if seconds not in BAR1_S:
        raise refuse("bar1-range", f"Bar 1 at {seconds:g} s cannot be: it lies from {BAR1_S} s.")
    was_covering = covering(song)
    song.bar1_s = grid.figure(seconds)
    if was_covering:
        cover(song)


@edit(arguments.TakeGrid)
def take_grid(song: Song, args: arguments.TakeGrid) -> None:
    """Set tempo and bar 1 by what was heard: ``how`` is both, shift or follow; ``even`` from 0 to 1."""
    row = song.measurements.filter(pk=args["measurement"], state=Measurement.State.DONE).first()
    if row is None:
        raise refuse("measurement-gone", "What was heard is no longer there: listen again.")
    changes = grid.taken(song, row, str(args["how"]), float(args.get("even", 0)))
    was_covering = covering(song)
    for field, value in changes.items():
        setattr(song, field, value)
    if was_covering:
        cover(song)


@edit(arguments.PinBar)
def pin_bar(song: Song, args: arguments.PinBar) -> None:
    """Put a bar line by hand, at ``seconds``; without them the pin is taken out."""
    bar = int(args["bar"])
    if not 1 <= bar <= sum(s.bars for s in held(song).sections):
        raise refuse("bar-unknown", "That bar is not in the song: choose one of its own.")
    pins = {b: s for b, s in song.pins.items() if int(b) != bar}
    seconds = args.get("seconds")
    if seconds is not None:
        if seconds not in PIN_S:
            raise refuse("pin-range", f"A bar line at {seconds:g} s cannot be.")
        pins[str(bar)] = round(seconds, 6)
    song.pins = pins
    row = song.measurements.filter(pk=args.get("measurement") or 0, state=Measurement.State.DONE).first()
    if row is not None:
        for field, value in grid.taken(song, row, "follow", float(args.get("even", 0))).items():
            setattr(song, field, value)


#: Facts that are kept as they come; the core checks them.
_AS_TYPED: tuple[
    Literal["count_in_bars", "count_in_aloud", "count_in_sticks", "calls", "lead", "crossfade_ms", "ring_on_s"],
    ...,
] = ("count_in_bars", "count_in_aloud", "count_in_sticks", "calls", "lead", "crossfade_ms", "ring_on_s")


@edit(arguments.SetPlayed)
def set_played(song: Song, args: arguments.SetPlayed) -> None:
    """The key and tempo that the band plays the song in, wherever an entry has none of its own; it is prepared so at once."""
    percent = song.played.percent
    if "tempo" in args:
        percent = typed_percent(args["tempo"].strip() or "100 %", parse_bpm(song.tempo[0]["bpm"]))
    change = key_tempo(args.get("semitones", song.semitones), percent)
    song.semitones, song.tempo_percent = change.semitones, float(change.percent)
    ask_preparation(song, change)


@edit(arguments.SetFacts)
def set_facts(song: Song, args: arguments.SetFacts) -> None:
    if "title" in args:
        title = str(args["title"]).strip()
        if not title:
            raise refuse("song-nameless", "A song needs a title: type one.")
        song.title = title[:TITLE]
    if "key" in args:
        song.key = str(args["key"]).strip()[:KEY]
    if "note" in args:
        song.note = str(args["note"]).replace("\r\n", "\n").strip()[:NOTE]
    if "pickup" in args:
        song.pickup = str(args["pickup"]).strip()[:20]
    for field in _AS_TYPED:
        if field in args:
            setattr(song, field, args[field])
    if "click" in args:
        merged = {**song.click, **checked_click(args["click"], song.band)}
        checked_click({**song.band.click, **merged}, song.band)
        song.click = merged


def checked_click(raw: Mapping[str, Any], band: Band) -> dict[str, Any]:
    """What is kept of the click that was asked for. Raises :class:`Refused`."""
    own = (
        {o.click_name for o in band.own_sounds.filter(kind="click")}
        if any(str(raw.get(v, "")).startswith("own:") for v in VOICES)
        else set()
    )
    kept: dict[str, Any] = {}
    for voice in VOICES:
        if voice in raw:
            if raw[voice] not in SOUNDS and raw[voice] not in own:
                raise refuse(
                    "click-sound-unknown", f"There is no click sound “{raw[voice]}”: choose one of {', '.join(SOUNDS)}."
                )
            kept[voice] = raw[voice]
    kept.update({name: value for name, value in raw.items() if name not in VOICES})
    if "patterns" in kept:
        kept["patterns"] = {key: checked_pattern(p, signature_of(key)) for key, p in kept["patterns"].items()}
    ClickSettings(**{**kept, "silent": tuple(kept.get("silent", ()))})
    return kept


@edit(arguments.TakeOffer)
def take_offer(song: Song, args: arguments.TakeOffer) -> None:
    offer = next((o for o in held(song).offers if str(o.pk) == str(args["offer"])), None)
    if offer is None:
        raise refuse("offer-gone", "What that file offered is no longer there: reload the song.")
    content = offer.content
    if offer.kind == "facts":
        if content.get("title"):
            set_facts(song, {"title": content["title"]})
        if content.get("bpm"):
            set_tempo(song, {"bpm": content["bpm"]})
    elif offer.kind == "tempo_map":
        was_covering = covering(song)
        song.tempo, song.meters = content["tempo"], content["meters"]
        if was_covering:
            cover(song)
        elif content.get("bars"):
            write(song, fit_to_bars(held(song).sections, int(content["bars"])))
    else:
        put(song, [(p.bar, p.name) for p in proposed_sections(song, offer)])
    offer.taken = True
