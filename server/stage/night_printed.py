"""A night on paper: what was played when, and what was noted."""

from __future__ import annotations

from datetime import datetime
from html import escape
from itertools import groupby

from api.printing import FACE, duration, fitted
from stage.told import EntryTold, NightTold

_SIZES = (11.0, 10.0, 9.0, 8.2, 7.5, 6.8)  # pt
_PAGES = 3
_STYLE = """
%(face)s
@page { size: A4; margin: 12mm; @bottom-right { content: counter(page) " / " counter(pages); font: 8pt Archivo; color: #555 } }
body { font: %(size)spt/1.25 Archivo, "DejaVu Sans", "WenQuanYi Zen Hei", sans-serif; font-variant-numeric: tabular-nums lining-nums; color: #111; margin: 0 }
h1 { font-size: 15pt; font-weight: 700; margin: 0 0 1mm; overflow-wrap: break-word }
p { margin: 0 0 3mm; color: #333 }
table { border-collapse: collapse; width: 100%% }
tr { break-inside: avoid }
td, th { vertical-align: baseline; text-align: left; padding: .22em .6em .22em 0; border-bottom: .5pt solid #999; overflow-wrap: break-word }
th { font-weight: 400; color: #333; white-space: nowrap }
.n { white-space: nowrap; width: 1%% } .t { font-weight: 700 } .s { font-weight: 400; color: #333 }
"""


def printed(night: NightTold) -> bytes:
    """A night as PDF: a row for each song that was played."""
    return fitted(lambda size: _page(night, size), _SIZES, _PAGES)


def _page(night: NightTold, size: float) -> str:
    style = _STYLE % {"face": FACE, "size": size}
    name = escape(night["title"])
    rows = "".join(map(_row, night["entries"]))
    heads = "".join(f"<th>{h}</th>" for h in ("at", "", "song", "took", "prepared", "what was played"))
    return (
        f"<!doctype html><meta charset=utf-8><title>{name}</title><style>{style}</style>"
        f"<h1>{name}</h1><p>{escape(_about(night))}</p><table><tr>{heads}</tr>{rows}</table>"
    )


def _about(night: NightTold) -> str:
    if night["began"] is None or night["ended"] is None:
        return "Nothing was played."
    day = datetime.fromtimestamp(night["began"])
    said = [f"{day:%d.%m.%Y}", f"{_clock(night['began'])} to {_clock(night['ended'])}"]
    said.append(duration(night["ended"] - night["began"]))
    if night["slot"]:
        said[-1] += f" of {night['slot']['minutes']} min"
    if night["line_up_away"]:
        said.append(f"without {', '.join(night['line_up_away'])}")
    if night["dropouts"]:
        said.append(f"{night['dropouts']} dropouts")
    return " · ".join(said)


def _clock(at: float) -> str:
    return f"{datetime.fromtimestamp(at):%H:%M}"


def _row(entry: EntryTold) -> str:
    took = entry["ended_s"] - entry["started_s"]
    number = entry["entry"] or ""
    form = f"<div class=s>{escape(entry['form'])}</div>" if entry["form"] != "Full" else ""
    return (
        f"<tr><td class=n>{_clock(entry['at'])}</td><td class=n>{number}</td>"
        f"<td class=t>{escape(entry['title'])}{form}</td><td class=n>{duration(took)}</td>"
        f"<td class=n>{duration(entry['prepared_s'])}</td><td>{escape(_passes(entry))}{_notes(entry)}</td></tr>"
    )


def _passes(entry: EntryTold) -> str:
    """Sections in the order they were played, those again and again with how often."""
    runs = [(name, len(list(again))) for name, again in groupby(p["section"] for p in entry["passes"])]
    return " – ".join(f"{name} ×{times}" if times > 1 else name for name, times in runs)


def _notes(entry: EntryTold) -> str:
    notes = [f"marked in bar {m['bar']}" if m["bar"] else "marked" for m in entry["marks"]]
    notes += [f"{level['name']} {_level(level['db'], level['on'])}" for level in entry["levels_changed"]]
    notes += [f"{d['blocks']} dropouts in bar {d['bar']}" for d in entry["dropouts_at"]]
    return f"<div class=s>{escape(' · '.join(notes))}</div>" if notes else ""


def _level(db: float | None, on: bool | None) -> str:
    if on is not None:
        return "in" if on else "out"
    return "off" if db is None else f"{db:+.1f} dB"
