"""What files say of a song besides their sound: kept as offers, taken by an edit or dismissed."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from songs.build import core_song
from songs.models import Offer, Song
from songs.rows import held
from upbeat.errors import Refused
from upbeat.intake.labels import read_labels
from upbeat.intake.midi import tempo_map
from upbeat.intake.sections import Moment, Proposed, marks_on_bars, on_bar_lines
from upbeat.intake.wavcue import CueReading

MIDI_NAMES, LABEL_NAMES = (".mid", ".midi", ".smf"), (".txt", ".tsv", ".lab")


def _offer(song: Song, kind: str, source: str, content: dict[str, Any]) -> Offer:
    """Keep an offer; a new one from the same file takes the place of the old."""
    song.offers.filter(kind=kind, source=source).delete()
    return Offer.objects.create(song=song, kind=kind, source=source[:255], content=content)


def offer_cues(song: Song, source: str, reading: CueReading, sample_rate: int) -> None:
    """Sections that a sound file carries. The same list from several stems is offered once."""
    moments = [
        {"start_s": s.start / sample_rate, "end_s": s.end / sample_rate, "name": s.name} for s in reading.sections
    ]
    if moments and not any(o.content.get("moments") == moments for o in song.offers.filter(kind="sections")):
        _offer(song, "sections", source, {"moments": moments})


def offer_labels(song: Song, source: str, path: Path) -> None:
    """Sections of a text file. Raises :class:`Refused`."""
    labels = read_labels(path.read_bytes(), source)
    _offer(
        song,
        "sections",
        source,
        {"moments": [{"start_s": x.start_s, "end_s": x.end_s, "name": x.name} for x in labels]},
    )


def offer_midi(song: Song, source: str, path: Path) -> None:
    """Tempo map and sections of a MIDI file. Raises :class:`Refused`."""
    read = tempo_map(path, source)
    if read["tempo"]:
        tempo = [
            {
                "bar": t["bar"],
                **({"beat": str(round(t["beat"], 6))} if t["beat"] != 1 else {}),
                "bpm": f"{t['bpm']:.9f}".rstrip("0").rstrip("."),
            }
            for t in read["tempo"]
        ]
        _offer(
            song,
            "tempo_map",
            source,
            {"tempo": tempo, "meters": read["meters"], "bars": max(1, len(read["bar_lines_s"]) - 1)},
        )
    named = [m for m in read["markers"] if m["text"].strip()]
    if named and all(m["bar"] for m in named):
        _offer(
            song,
            "sections",
            source,
            {"bars": [{"bar": m["bar"], "beat": m["beat"], "name": m["text"][:80]} for m in named]},
        )
    elif named:
        _offer(
            song,
            "sections",
            source,
            {"moments": [{"start_s": m["seconds"], "end_s": m["seconds"], "name": m["text"][:80]} for m in named]},
        )


def offer_facts(song: Song, source: str, title: str | None, bpm: str | None) -> None:
    """Title and tempo as names have them, where the song says otherwise."""
    facts = {}
    if title and title.casefold() != song.title.casefold():
        facts["title"] = title[:120]
    if bpm and float(bpm) != float(song.tempo[0]["bpm"]):
        facts["bpm"] = bpm
    if facts:
        _offer(song, "facts", source, facts)


def proposed_sections(song: Song, offer: Offer) -> list[Proposed]:
    """An offer of sections on the song's bars as they are now. Raises :class:`Refused`."""
    core = core_song(song, stems=False)
    if "bars" in offer.content:
        return marks_on_bars(
            [(m["bar"], m["beat"], m["name"]) for m in offer.content["bars"]], core.grid, core.total_bars
        )
    return on_bar_lines([Moment(**m) for m in offer.content["moments"]], core.grid, core.total_bars)


def shown_offers(song: Song) -> list[dict[str, Any]]:
    """Offers that are neither taken nor dismissed, with what taking them would do."""
    shown: list[dict[str, Any]] = []
    for offer in held(song).offers:
        if offer.taken:
            continue
        one: dict[str, Any] = {"id": str(offer.pk), "kind": offer.kind, "source": offer.source}
        one.update(title=None, bpm=None, sections=[], tempos=0, meters=0, worst_ms=0.0)
        if offer.kind == "facts":
            one.update(title=offer.content.get("title"), bpm=offer.content.get("bpm"))
        elif offer.kind == "tempo_map":
            one.update(
                tempos=len(offer.content["tempo"]),
                meters=len(offer.content["meters"]),
                bpm=offer.content["tempo"][0]["bpm"],
            )
        else:
            try:
                places = proposed_sections(song, offer)
            except Refused:
                places = []
            one.update(
                sections=[{"bar": p.bar, "name": p.name, "off_ms": p.off_ms} for p in places],
                worst_ms=max((abs(p.off_ms) for p in places), default=0.0),
            )
            if not places:
                continue
        shown.append(one)
    return shown
