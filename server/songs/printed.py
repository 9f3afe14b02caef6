"""A song's chart on paper: A4, one page or two, as large as it fits, for music stands."""

from __future__ import annotations

import re
from dataclasses import replace
from html import escape

from api.printing import FACE, duration, fitted
from songs.build import core_song
from songs.models import Song
from songs.written import bar_texts
from upbeat.song.forms import Form, Step, played
from upbeat.song.lengths import form_lengths
from upbeat.song.lines import without_places
from upbeat.song.song import Section
from upbeat.song.song import Song as CoreSong

_PAGES = 2
_SIZES = (15.0, 13.5, 12.0, 10.8, 9.6, 8.6, 7.7, 6.9, 6.2, 5.6)  # pt
_DENSE = 9.0  # pt
_OVER = re.compile(r"\[([^\[\]]*)\]")
_FLATS = re.compile(r"(?<=[A-G])b(?!b)|(?<=[(,/])b(?=\d)|(?<=\d)b(?=\d)")
_ENDING = {"attacca": "", "fine": "fine", "vamp": "vamp till released"}
_STYLE = """
%(face)s
@page { size: A4; margin: 13mm 13mm 12mm; @bottom-left { content: "%(title)s"; font: 8pt Archivo, "DejaVu Sans"; color: #555 }
  @bottom-right { content: counter(page) " / " counter(pages); font: 8pt Archivo, "DejaVu Sans"; color: #555 } }
body { font: %(size)spt/1.2 Archivo, "DejaVu Sans", "WenQuanYi Zen Hei", sans-serif; font-variant-numeric: tabular-nums lining-nums; color: #111; margin: 0 }
h1 { font-size: 1.7em; font-weight: 700; margin: 0; line-height: 1.1 }
.facts { margin: .15em 0 .7em; border-bottom: .8pt solid #111; padding-bottom: .35em }
section { margin: 0 0 .55em }
h2 { font-size: 1em; margin: 0 0 .18em; font-weight: 700; break-after: avoid }
h2 b { border: 1.2pt solid #111; padding: 0 .3em; margin-right: .35em; }
h2 span { font-weight: 400; font-size: .85em; color: #333 }
table { border-collapse: collapse; table-layout: fixed; width: 100%%; break-inside: avoid; margin-bottom: .12em }
td { height: 1.75em; vertical-align: middle; padding: 0 .3em; border-right: .9pt solid #111; font-weight: 700; font-size: 1.18em; overflow: hidden }
td i { display: inline-block; font-style: normal; padding-right: .5em }
tr > td:first-child { border-left: .9pt solid #111 }
td.off { border: none }
td.rests { text-align: center; font-size: 1em; color: #333 }
.open tr:first-child > td:first-child, .open > tr:first-child > td:first-child { border-left: 3pt double #111 }
td.close { border-right: 3pt double #111 } td.fine { border-right: 3.4pt solid #111 }
.note { margin: .1em 0; font-style: normal; color: #333; font-size: .88em }
.words { margin: .2em 0 0; font-size: .95em } .words p { margin: 0; min-height: .5em; break-inside: avoid }
.words .w { display: inline-block; vertical-align: bottom; white-space: pre } .words .w b { display: block; font-size: .85em; line-height: 1.1; min-height: 1.1em }
"""


def printed(song: Song, form_id: str | None, words: bool) -> bytes:
    """The chart as PDF, in the largest type that fits two pages. Raises :class:`Refused`."""
    core = core_song(song)
    form = core.form(form_id)
    sizes = [s for s in _SIZES if s <= _guess(song, core, form, words)]
    return fitted(lambda size: _html(song, core, form, words, size), sizes, _PAGES)


def _guess(song: Song, core: CoreSong, form: Form, words: bool) -> float:
    """The largest type worth trying: rows and heads have to fit the height of two pages."""
    texts = bar_texts(song)

    def lines(size: float) -> float:
        total = 5.0
        for _, section, first in _steps(core, form):
            own = texts[first - 1 : first - 1 + section.bars]
            total += 1.9 + 2.2 * (-(-section.bars // _per_row(own, size)) if any(own) else 1)
            total += 1.9 * len(section.words.splitlines()) if words else 0
            total += len(section.note.splitlines())
        return total

    return next((s for s in _SIZES if s * lines(s) <= _PAGES * 760 * 1.2), _SIZES[-1])


def _per_row(bars: list[str], size: float) -> int:
    """Four bars to a row as on a lead sheet; eight where bars hold a single chord and are many, or the type is small."""
    return 8 if size < _DENSE or (len(bars) > 8 and all(len(b.split()) <= 1 for b in bars)) else 4


def _steps(core: CoreSong, form: Form) -> list[tuple[Step, Section, int]]:
    steps = []
    for step in played(form):
        section = core.section(step.section)
        first, last = step.bars_in(section.bars)
        steps.append((step, replace(section, bars=last - first + 1), core.first_bar(section.id) + first - 1))
    return steps


def _html(song: Song, core: CoreSong, form: Form, words: bool, size: float) -> str:
    length = form_lengths(core, [form])[0]
    tempo, meter = song.tempo[0], " · ".join(dict.fromkeys(m["meter"] for m in song.meters))
    unit = {"3/2": "♩.", "1/2": "♪"}.get(str(tempo.get("unit", "1")), "♩")
    facts = [
        f"{unit} = {tempo['bpm']}",
        meter,
        song.key,
        duration(float(length.seconds)),
        form.name if form.id != "full" else "",
    ]
    texts = bar_texts(song)
    title = re.sub(r'["\\\n\r<>]', " ", song.title)
    parts, before = [], str(core.grid.meters.at_bar(1))
    for step, section, first in _steps(core, form):
        here = str(core.grid.meters.at_bar(first))
        parts.append(
            _section(
                step,
                section,
                texts[first - 1 : first - 1 + section.bars],
                first,
                here if here != before else "",
                words,
                size,
            )
        )
        before = str(core.grid.meters.at_bar(first + section.bars - 1))
    note = "".join(f"<p class=note>{escape(line)}</p>" for line in song.note.splitlines())
    style = _STYLE % {"face": FACE, "title": title, "size": size}
    shown = "&emsp;".join(escape(f) for f in facts if f)
    name = escape(song.title)
    return f"<!doctype html><meta charset=utf-8><title>{name}</title><style>{style}</style><h1>{name}</h1><p class=facts>{shown}</p>{note}{''.join(parts)}"


def _section(step: Step, section: Section, bars: list[str], first: int, meter: str, words: bool, size: float) -> str:
    kind = step.ending.kind
    ending = f"{step.ending.times} times" if kind == "repeat" else _ENDING[kind]
    about = " · ".join(
        t
        for t in (f"bars {first}–{first + section.bars - 1}" if section.bars > 1 else f"bar {first}", meter, ending)
        if t
    )
    head = f"<h2><b>{escape(section.mark)}</b>{escape(section.name)} <span>{about}</span></h2>"
    note = "".join(f"<p class=note>{escape(line)}</p>" for line in section.note.splitlines())
    opens = " class=open" if kind in ("repeat", "vamp") else ""
    closes = "close" if kind in ("repeat", "vamp") else "fine" if kind == "fine" else ""
    said = without_places(section.words).splitlines() if words else []
    lines = f"<div class=words>{''.join(map(_line, said))}</div>" if said else ""
    return f"<section>{head}{note}<table{opens}>{_rows(bars, closes, size)}</table>{lines}</section>"


def _rows(bars: list[str], closes: str, size: float) -> str:
    if not any(bars):
        return f'<tr><td class="rests {closes}">{len(bars)}</td></tr>'
    per_row, rows = _per_row(bars, size), []
    for at in range(0, len(bars), per_row):
        row = bars[at : at + per_row]
        cells = [
            f'<td class="{closes if at + i == len(bars) - 1 else ""}">{"".join(f"<i>{escape(_sign(c))}</i>" for c in bar.split())}</td>'
            for i, bar in enumerate(row)
        ]
        rows.append(f"<tr>{''.join(cells)}{'<td class=off></td>' * (per_row - len(row))}</tr>")
    return "".join(rows)


def _sign(chord: str) -> str:
    """A chord with printed accidentals."""
    return _FLATS.sub("♭", chord).replace("#", "♯")


def _line(line: str) -> str:
    """A line of words, each chord over the place it is sung at."""
    pieces = _OVER.split(line)
    if len(pieces) == 1:
        return f"<p>{escape(line)}</p>"
    shown = [f"<span class=w><b></b>{escape(pieces[0])}</span>"] if pieces[0] else []
    for chord, text in zip(pieces[1::2], pieces[2::2], strict=True):
        shown.append(f"<span class=w><b>{escape(_sign(chord))}&nbsp;</b>{escape(text)}</span>")
    return f"<p>{''.join(shown)}</p>"
