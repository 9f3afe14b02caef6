"""The patch sheet of a show: one page for the desk engineer, a table, and labels for the cables."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping
from dataclasses import replace
from html import escape

from upbeat.mix.matrices import stem_columns
from upbeat.mix.sounding import standing
from upbeat.outputs.patch_sheet import REFERENCE_DBFS, Entry, MixLine, SocketLine, mix_lines, socket_lines
from upbeat.paper import FACE, plain_cell
from upbeat.play.hand import AUDIBLE
from upbeat.show.document import Show
from upbeat.song.song import Song

SIZES = (11.0, 10.0, 9.2, 8.5, 7.8, 7.2, 6.6, 6.0, 5.4)
_GROUPS = {"rhythm": "rhythm", "tonal": "tonal", "voices": "voices", "effects": "effects", "full_mix": "full mix"}
_STYLE = """
%(face)s
@page { size: A4; margin: 11mm 12mm }
body { font: %(size)spt/1.25 Archivo, "DejaVu Sans", "WenQuanYi Zen Hei", sans-serif; font-variant-numeric: tabular-nums; color: #111; margin: 0 }
h1 { font-size: 15pt; margin: 0 } h1 + p { margin: 0 0 3mm; color: #333 } h2 { font-size: 1.05em; margin: 3mm 0 1mm }
table { border-collapse: collapse; width: 100%% } tr { break-inside: avoid }
td, th { text-align: left; vertical-align: baseline; padding: .2em .6em .2em 0; border-bottom: .5pt solid #999; overflow-wrap: break-word }
th { font-weight: 400; color: #333 } th, .w { white-space: nowrap } .n { font-weight: 700; font-size: 1.2em; white-space: nowrap } .h { font-weight: 700 } .kept td { color: #555 }
.qr { float: right; width: 24mm; height: 24mm; margin: 0 0 2mm 4mm } .qr svg { width: 24mm; height: 24mm }
ul { margin: 0; padding-left: 1.2em } p { margin: .4em 0 }
"""
_LABELS = """
%(face)s
@page { size: A4; margin: 10mm }
body { font: 8.5pt/1.15 Archivo, "DejaVu Sans", "WenQuanYi Zen Hei", sans-serif; color: #111; margin: 0 }
div { display: inline-block; width: 60mm; height: 18mm; border: .4pt dashed #777; padding: 2mm; margin: 0 1mm 2mm 0; box-sizing: border-box; overflow: hidden; vertical-align: top; break-inside: avoid }
b { font-size: 20pt; line-height: 1; float: left; width: 13mm } span { display: block; margin-left: 13mm; overflow-wrap: anywhere }
"""


def page(
    show: Show,
    rig: str,
    size: float,
    notes: str = "",
    qr: str = "",
    loudness: Mapping[str, float] | None = None,
) -> str:
    """The sheet as HTML. ``rig``: its name; ``notes``: of the band; ``qr``: an SVG that leads to the live page.

    ``loudness``: integrated LUFS of songs in the house, by title, where they were measured.
    """
    players = {p.id: p.name for p in show.players}
    sockets, mixes = lines_of(show), mix_lines(show.routing, players, _GROUPS)
    style = _STYLE % {"face": FACE, "size": size}
    title = escape(show.title)
    picture = f"<div class=qr>{qr}</div>" if qr else ""
    said = f"<h2>Notes</h2><p>{escape(notes)}</p>" if notes else ""
    return (
        f"<!doctype html><meta charset=utf-8><title>{title}</title><style>{style}</style>{picture}"
        f"<h1>{title}</h1><p>{escape(rig)} · {_songs(show)}</p>"
        f"<table>{_table(sockets)}</table>"
        f"<h2>Who hears what</h2><ul>{''.join(_mix(m) for m in mixes) or '<li>Nobody has a monitor feed.</li>'}</ul>"
        f"<h2>Levels</h2><ul>{''.join(f'<li>{escape(line)}</li>' for line in advice(show, loudness or {}))}</ul>{said}"
        f"<h2>Songs</h2><p>{' · '.join(f'{e.number} {escape(e.title)}' for e in entries_of(show))}</p>"
    )


def labels(show: Show) -> str:
    """A label for each cable, as HTML: number, where it leads, what is on it."""
    cells = "".join(
        f"<div><b>{line.number}</b><span>{escape(line.label or line.printed)}</span>"
        f"<span>{escape(' + '.join(line.carries))}</span></div>"
        for line in lines_of(show)
        if line.carries
    )
    return f"<!doctype html><meta charset=utf-8><title>Labels</title><style>{_LABELS % {'face': FACE}}</style>{cells}"


def table(show: Show) -> str:
    """The sockets as CSV (RFC 4180)."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["socket", "printed", "leads to", "desk", "carries", "width", "songs", "house", "di box"])
    for line in lines_of(show):
        carries = "kept for another program" if line.kept else " + ".join(line.carries)
        cells = [line.number, line.printed, line.label, line.desk, carries, line.width, line.songs]
        writer.writerow([plain_cell(str(c)) for c in (*cells, "house" if line.house else "", line.di)])
    return out.getvalue()


def advice(show: Show, loudness: Mapping[str, float]) -> list[str]:
    """How loud playback is to sit, in words: by a tone, by figures where there are any, and by whom it stands in for."""
    tone = f"Line up with a tone of 1 kHz at {_signed(REFERENCE_DBFS)} dBFS: set the gain so that it reads 0 VU; the loudest moments have {-REFERENCE_DBFS:g} dB above it."
    away = [p for p in show.players if p.id in show.away]
    covered = {s.covers for e in show.entries for s in show.songs[e.song].stems if s.purpose == "covers"}
    stands_in = [f"{p.name} ({p.part})" if p.part else p.name for p in away if p.id in covered]
    found = [
        tone,
        "Playback supports the band: under the voices, and felt rather than heard where somebody plays the part.",
    ]
    if loudness:
        found.insert(1, _measured(loudness))
    if stands_in:
        found.append(f"It stands in for {' and '.join(stands_in)}: there it is as loud as they would be.")
    if len({f.id for f in show.routing.feeds if f.kind == "house"} & {p.feed for p in show.routing.patches}) > 1:
        found.append("The house feeds are apart so that one can be raised without the others.")
    return found


def _measured(loudness: Mapping[str, float]) -> str:
    """EBU R 128, as the house sockets give it."""
    (soft, least), (loud, most) = min(loudness.items(), key=_second), max(loudness.items(), key=_second)
    middle = sorted(loudness.values())[len(loudness) // 2]
    about = f"Songs leave the house sockets at about {_signed(middle)} LUFS"
    if most - least < 0.1:
        return f"{about}."
    return f"{about}: “{soft}” is the softest at {_signed(least)}, “{loud}” the loudest at {_signed(most)}."


def _second(pair: tuple[str, float]) -> float:
    return pair[1]


def lines_of(show: Show) -> list[SocketLine]:
    return socket_lines(show.routing, entries_of(show))


def entries_of(show: Show) -> list[Entry]:
    """The songs of the setlist, each with the columns of its stems that sound in it."""
    return [_entry(show, i, show.songs[e.song]) for i, e in enumerate(show.entries)]


def _entry(show: Show, place: int, song: Song) -> Entry:
    away = show.away_in(place)
    stems = [s for s in song.stems if standing(s, away) in AUDIBLE]
    # Whether a file is mono or stereo is not asked here: what sounds at all is the same.
    columns = tuple(c for s in stems for c in stem_columns(replace(s, mono=False), 1))
    barred = frozenset(f"stem:{s.id}" for s in stems if s.purpose == "rehearsal")
    return Entry(number=place + 1, title=song.title, columns=columns, barred=barred)


def _songs(show: Show) -> str:
    count = len(show.entries)
    return f"{count} song{'' if count == 1 else 's'}"


def _table(sockets: list[SocketLine]) -> str:
    heads = "".join(f"<th>{h}</th>" for h in ("socket", "desk", "leads to", "carries", "width", "in songs", ""))
    return f"<tr>{heads}</tr>" + "".join(_row(line) for line in sockets)


def _row(line: SocketLine) -> str:
    carries = "kept for another program" if line.kept else " + ".join(line.carries) or "nothing"
    di = {"needed": "DI box needed", "maybe": "DI box if the cable is long", "": ""}[line.di]
    also = f"also at {line.mirrored}" if line.mirrored else ""
    remarks = " · ".join(r for r in (di, "headphones" if line.headphones else "", also) if r)
    number = f"{line.number}{f' <span>({escape(line.printed)})</span>' if line.printed else ''}"
    cells = [line.label, carries, line.width, line.songs, remarks]
    name = "kept" if line.kept or not line.carries else "h" if line.house else ""
    rest = "".join(f"<td>{escape(c)}</td>" for c in cells)
    return f"<tr class='{name}'><td class=n>{number}</td><td class=w>{escape(line.desk)}</td>{rest}</tr>"


def _mix(mix: MixLine) -> str:
    holds = ", ".join(f"{name} {_signed(db)} dB" if db else name for name, db in mix.holds)
    who = f" ({mix.who})" if mix.who else ""
    sockets = ", ".join(map(str, mix.sockets))
    return f"<li><b>{escape(mix.name)}</b>{escape(who)}, socket {sockets}: {escape(holds or 'nothing')}</li>"


def _signed(db: float) -> str:
    return f"{db:+.1f}".replace("-", "−")
