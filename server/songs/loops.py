"""The shelf of loops: those that ship, made when they are first wanted, and those that the band brought (rule V3)."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import Any, NamedTuple

from django.conf import settings

from api.query import uuid_or_nil, uuid_or_none
from api.sound_files import MOST_BYTES, read_sound
from people.models import Band
from songs.kept import keep_sound
from songs.models import Audio, Loop, Song, Stack, Stem
from songs.rows import held
from upbeat.errors import refuse
from upbeat.limits import LAYERS, LOOP_S, LOOPS, STACKS, STEM_NAME
from upbeat.mix.loops import TONES
from upbeat.shelf.measure import measured_loop
from upbeat.shelf.shipped import shipped_by, sound_of
from upbeat.show.pads import tonic
from upbeat.song.layers import Layer, layer_document, read_layer

# What a stack keeps of a layer besides its name, its sound and what it is.
_KEPT = ("group", "gain_db", "pan", "width", "mono", "muted", "keeps_pitch", "treatment")


class Laid(NamedTuple):
    """A loop as it is put under a song."""

    name: str
    audio: Audio
    group: str
    layer: dict[str, Any]
    settings: dict[str, Any]


def chosen(song: Song, code: str) -> Laid:
    """A loop of the shelf by its code or id; a tone by its name is the one in the key of the song. Raises :class:`Refused`."""
    own = uuid_or_none(code)
    if own is not None:
        loop = Loop.objects.filter(band=song.band_id, pk=own).select_related("audio").first()
        if loop is None:
            raise refuse("loop-unknown", "That loop is not on the shelf any more: choose another.")
        return Laid(loop.name, loop.audio, loop.group, loop.layer, {})
    if code in TONES:
        key = tonic(song.key)
        if key is None:
            raise refuse("loop-key", f"“{song.title}” has no key yet: type its key, or choose a pad by its own.")
        code = f"{code}-{key}"
    one = shipped_by(code)
    audio = keep_sound(song.band, sound_of(code, settings.SAMPLE_RATE), one.name)
    return Laid(one.name, audio, one.group, layer_document(one.layer), {})


def of_stack(song: Song, stack_id: str) -> list[Laid]:
    """The layers of a stack. Raises :class:`Refused`."""
    stack = Stack.objects.filter(band=song.band_id, pk=uuid_or_nil(stack_id)).first()
    if stack is None:
        raise refuse("stack-unknown", "That stack is not there any more: choose another.")
    audio = {str(a.pk): a for a in Audio.objects.filter(band=song.band_id, pk__in=[x["audio"] for x in stack.layers])}
    return [
        Laid(x["name"], audio[x["audio"]], x["settings"]["group"], x["layer"], x["settings"])
        for x in stack.layers
        if x["audio"] in audio
    ]


def layers_of(song: Song) -> list[Stem]:
    return [s for s in held(song).stems if s.layer is not None]


def check_room(song: Song, more: int) -> None:
    """Raise :class:`Refused` where a song would have too many layers."""
    if len(layers_of(song)) + more not in LAYERS:
        raise refuse("layers-many", f"A song has at most {LAYERS.high:.0f} layers: take some out first.")


def keep_stack(song: Song, name: str) -> Stack:
    """Keep the layers of a song under a name, in place of a stack that has it. Raises :class:`Refused`."""
    layers = layers_of(song)
    if not layers:
        raise refuse("stack-empty", f"“{song.title}” has no layers: add some, then keep them as a stack.")
    if song.band.stacks.exclude(name=name).count() + 1 not in STACKS:
        raise refuse("stacks-many", f"A band keeps at most {STACKS.high:.0f} stacks: remove some first.")
    kept = [
        {
            "name": s.name,
            "audio": str(s.audio_id),
            "layer": s.layer,
            "settings": {f: getattr(s, f) for f in _KEPT},
        }
        for s in layers
    ]
    return Stack.objects.update_or_create(band=song.band, name=name, defaults={"layers": kept})[0]


def take_loop(band: Band, file_name: str, content: bytes) -> Loop:
    """Keep a file as a loop of the band's shelf, measured. Raises :class:`Refused`."""
    if len(content) > MOST_BYTES:
        raise refuse("loop-big", f"“{file_name}” has more than {MOST_BYTES >> 20} MB: a loop is a short file.")
    if band.loops.count() + 1 not in LOOPS:
        raise refuse("loops-many", f"A band has at most {LOOPS.high:.0f} loops of its own: remove some first.")
    sound, rate = read_sound(content, file_name, LOOP_S.high + 1)
    layer = measured_loop(file_name, sound[:, :2], rate)
    audio = keep_sound(band, resampled(sound[:, :2], rate), file_name)
    name = Path(file_name).stem.replace("_", " ").strip()[:STEM_NAME] or "Loop"
    group = "rhythm" if layer.kind == "struck" else "tonal"
    return Loop.objects.create(band=band, audio=audio, name=name, group=group, layer=layer_document(layer))


def resampled(sound: Any, rate: int) -> Any:
    import soxr

    return sound if rate == settings.SAMPLE_RATE else soxr.resample(sound, rate, settings.SAMPLE_RATE, "VHQ")


def seconds_of(audio: Audio) -> float:
    return audio.frames / settings.SAMPLE_RATE


def core_layer(stem: Stem) -> Layer:
    """Raises :class:`Refused` where a stem is none."""
    layer = read_layer(stem.layer)
    if layer is None:
        raise refuse("layer-none", f"“{stem.name}” is a recording of the song, and no layer.")
    return layer


def tried_documents(song: Song, laid: Iterable[Laid], files: dict[str, Path]) -> list[dict[str, Any]]:
    """Stems of a show document as these loops would be under a song; ``files`` gathers name to path."""
    found = []
    for number, one in enumerate(laid):
        name = f"audio/{one.audio.pk}.wav"
        files[name] = one.audio.prepared
        kept = {f: one.settings[f] for f in _KEPT if f in one.settings and f != "muted"}
        found.append(
            {
                "id": f"tried-{number}",
                "name": one.name,
                "file": name,
                "group": one.group,
                "purpose": "always",
                "tacet": [],
                "layer": one.layer,
                **kept,
            }
        )
    return found
