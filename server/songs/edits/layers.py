"""Edits of layers: loops put under a song, what they are, and stacks of them (rule V3)."""

from __future__ import annotations

import uuid
from fractions import Fraction

from songs.edits import layer_arguments
from songs.edits.registry import edit
from songs.edits.stems import free_name, stem_of
from songs.loops import Laid, check_room, chosen, core_layer, of_stack, seconds_of
from songs.models import Song, Stem
from songs.rows import held
from upbeat.errors import refuse
from upbeat.shelf.measure import relabelled
from upbeat.song.layers import KINDS, layer_document


@edit(layer_arguments.AddLayer)
def add_layer(song: Song, args: layer_arguments.AddLayer) -> None:
    """A loop of the shelf, in these sections alone where some are named."""
    check_room(song, 1)
    stem = _put(song, chosen(song, args["loop"]))
    sections = args.get("sections")
    if sections is not None:
        stem.tacet = [s.id for s in held(song).sections if s.id not in sections]
    stem.muted = args.get("waits", False)


@edit(layer_arguments.TakeStack)
def take_stack(song: Song, args: layer_arguments.TakeStack) -> None:
    """The layers of a stack besides those that are there."""
    layers = of_stack(song, args["stack"])
    check_room(song, len(layers))
    for one in layers:
        _put(song, one)


@edit(layer_arguments.SetLayer)
def set_layer(song: Song, args: layer_arguments.SetLayer) -> None:
    """What a loop is to the song."""
    stem = stem_of(song, args["stem"])
    layer = core_layer(stem)
    if "bars" in args or "meter" in args:
        bars, meter = args.get("bars", layer.bars), args.get("meter", str(layer.meter))
        layer = relabelled(layer, seconds_of(stem.audio), bars=bars, meter=meter)
    document = layer_document(layer)
    if "kind" in args:
        if args["kind"] not in KINDS:
            raise refuse("layer-kind", f"“{args['kind']}” is no way to lay a loop: choose {', '.join(KINDS)}.")
        document["kind"] = args["kind"]
    if "semitones" in args:
        document["semitones"] = args["semitones"]
    if "pace" in args:
        document["pace"] = float(Fraction(args["pace"]).limit_denominator(2))
    stem.layer = document


def _put(song: Song, one: Laid) -> Stem:
    stems = held(song).stems
    stem = Stem(
        id=uuid.uuid4(),
        song=song,
        audio=one.audio,
        name=free_name(song, one.name),
        file_name=f"{one.name}.wav"[:255],
        group=one.group,
        position=max((s.position for s in stems), default=0) + 1,
        layer=one.layer,
    )
    for field, value in one.settings.items():
        setattr(stem, field, value)
    stems.append(stem)
    return stem
