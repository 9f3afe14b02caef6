"""The running order on paper and as a table: for the floor in large type, for the crew with all they ask for."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping, Sequence
from html import escape
from typing import Any, Literal

from api.printing import FACE, duration, fitted
from upbeat.paper import plain_cell

For = Literal["floor", "crew"]
_FLOOR_SIZES = (44.0, 40.0, 36.0, 32.0, 28.0, 25.0, 22.0, 19.0, 17.0, 15.0, 13.0, 11.0, 9.5, 8.0)  # pt
_CREW_SIZES = (15.0, 13.5, 12.0, 11.0, 10.0, 9.0, 8.2, 7.5, 6.8, 6.2)
_LEAST = 7.0  # pt, of what is to be read at all
_UNITS = {"3/2": "♩.", "1/2": "♪"}
_STYLE = """
%(face)s
@page { size: A4; margin: 11mm 12mm; @bottom-right { content: counter(page) " / " counter(pages); font: 8pt Archivo; color: #555 } }
body { font: %(size)spt/1.18 Archivo, "DejaVu Sans", "WenQuanYi Zen Hei", sans-serif; font-variant-numeric: tabular-nums lining-nums; color: #111; margin: 0 }
h1 { font-size: 14pt; font-weight: 700; margin: 0 0 2mm; overflow-wrap: break-word }
h1 span { font-weight: 400; font-size: 10pt; color: #333 }
table { border-collapse: collapse; width: 100%% }
tr { break-inside: avoid }
td, th { vertical-align: baseline; text-align: left; padding: .18em .5em .18em 0; border-bottom: .5pt solid #999; overflow-wrap: break-word }
th { font-weight: 400; color: #333; white-space: nowrap; font-size: %(small)spt }
.n { white-space: nowrap; width: 1%% } .t { font-weight: 700 }
.s { font-size: %(small)spt; font-weight: 400; color: #333 }
.set td { border-bottom: 1.2pt solid #111; font-weight: 700; padding-top: .6em }
.break td { border-top: 1.6pt solid #111; border-bottom: 1.6pt solid #111; font-weight: 700 }
"""


def printed(setlist: Mapping[str, Any], what: For) -> bytes:
    """The running order as PDF, on one page in the largest type that fits. ``setlist``: as its serializer gives it."""
    if what == "floor":
        return fitted(lambda size: _page(setlist, _floor(setlist), size, 0.55 * size), _FLOOR_SIZES, 1)
    return fitted(lambda size: _page(setlist, _crew(setlist), size, 0.8 * size), _CREW_SIZES, 1)


def _page(setlist: Mapping[str, Any], body: str, size: float, small: float) -> str:
    style = _STYLE % {"face": FACE, "size": size, "small": max(_LEAST, round(small, 1))}
    name = escape(setlist["name"])
    begins = f"{setlist['starts_at']} · " if setlist["starts_at"] else ""
    about = f"{begins}{duration(setlist['seconds'])} of {setlist['slot_minutes']} min"
    return f"<!doctype html><meta charset=utf-8><title>{name}</title><style>{style}</style><h1>{name} <span>{about}</span></h1><table>{body}</table>"


def _floor(setlist: Mapping[str, Any]) -> str:
    rows = []
    for number, entry in _numbered(setlist["entries"]):
        if number is None:
            rows.append(f"<tr class={_row_class(entry)}><td colspan=3>{_between(entry)}</td></tr>")
            continue
        facts = " · ".join(escape(f) for f in (entry["key"], _tempo(entry)) if f)
        on = {"attacca": "straight on →", "after": f"after {entry['link_seconds']:g} s →"}.get(entry["link"], "")
        note = f"<div class=s>{escape(entry['note'])}</div>" if entry["note"] else ""
        rows.append(
            f"<tr><td class=n>{number}</td><td class=t>{escape(entry['title'])}{note}</td><td class='n s'>{facts}<div>{on}</div></td></tr>"
        )
    return "".join(rows)


def _crew(setlist: Mapping[str, Any]) -> str:
    heads = "".join(f"<th>{h}</th>" for h in ("starts", "", "song", "key", "tempo", "length", "then", "note"))
    rows = [f"<tr>{heads}</tr>"]
    for number, entry in _numbered(setlist["entries"]):
        at = _starts(setlist, entry)
        if number is None:
            rows.append(
                f"<tr class={_row_class(entry)}><td class=n>{at}</td><td></td><td colspan=6>{_between(entry)}</td></tr>"
            )
            continue
        form = _form(entry)
        tempo = f"{escape(_tempo(entry))}<div class=s>{escape(entry['meter'])}</div>"
        rows.append(
            f"<tr><td class=n>{at}</td><td class=n>{number}</td>"
            f"<td class=t>{escape(entry['title'])}{f'<div class=s>{escape(form)}</div>' if form else ''}</td>"
            f"<td>{escape(entry['key'])}</td><td class=n>{tempo}</td><td class=n>{duration(entry['seconds'])}</td>"
            f"<td class=s>{escape(_then(entry))}</td><td class=s>{escape(entry['note'])}</td></tr>"
        )
    return "".join(rows)


def table(setlist: Mapping[str, Any]) -> str:
    """The running order as CSV (RFC 4180), a line for each entry."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["starts", "number", "title", "form", "key", "tempo", "metre", "seconds", "then", "note"])
    for number, entry in _numbered(setlist["entries"]):
        title = entry["title"] if number is not None else _said(entry)
        row = [_starts(setlist, entry), number or "", title, _form(entry), entry["key"], _tempo(entry), entry["meter"]]
        row += [f"{entry['seconds']:.1f}", _then(entry) if number is not None else "", entry["note"]]
        writer.writerow([plain_cell(str(cell)) for cell in row])
    return out.getvalue()


def _said(entry: Mapping[str, Any]) -> str:
    """The name of a set, or how long an interval is."""
    return str(entry["set_name"]) or f"Interval {entry['interval_minutes']} min"


def _between(entry: Mapping[str, Any]) -> str:
    return escape(_said(entry))


def _row_class(entry: Mapping[str, Any]) -> str:
    return "set" if entry["set_name"] else "break"


def _numbered(entries: Sequence[Mapping[str, Any]]) -> list[tuple[int | None, Mapping[str, Any]]]:
    """Songs with their number, intervals without."""
    found: list[tuple[int | None, Mapping[str, Any]]] = []
    number = 0
    for entry in entries:
        number += entry["song"] is not None
        found.append((number if entry["song"] is not None else None, entry))
    return found


def _starts(setlist: Mapping[str, Any], entry: Mapping[str, Any]) -> str:
    """The time of day an entry starts at, where the start of the set is known; else the time since."""
    if not setlist["starts_at"]:
        return duration(entry["starts_s"])
    hours, minutes = map(int, setlist["starts_at"].split(":"))
    at = (60 * hours + minutes + int(entry["starts_s"] // 60)) % (24 * 60)
    return f"{at // 60:02d}:{at % 60:02d}"


def _tempo(entry: Mapping[str, Any]) -> str:
    return f"{_UNITS.get(entry['unit'], '♩')} {entry['bpm']}" if entry["bpm"] else ""


def _form(entry: Mapping[str, Any]) -> str:
    """The name of the form, where it is not the whole song."""
    return next((f["name"] for f in entry["forms"] if f["id"] == entry["form"]), "")


def _then(entry: Mapping[str, Any]) -> str:
    """What happens after an entry."""
    seconds = entry["link_seconds"]
    if entry["link"] == "attacca":
        return "attacca"
    if entry["link"] == "after":
        return f"after {seconds:g} s"
    return f"wait, talk {duration(seconds)}" if seconds else "wait"
