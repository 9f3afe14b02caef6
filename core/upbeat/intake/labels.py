"""Sections as a list in plain text: start, end and name of each line, apart by tabs, in seconds."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

from upbeat.errors import refuse
from upbeat.intake.wavcue import shown

MAX_BYTES = 1 << 20
MAX_LINES = 10_000
_SECONDS = re.compile(r"\d{1,7}(?:[.,]\d{1,12})?")


@dataclass(frozen=True)
class Label:
    start_s: float
    end_s: float
    name: str


def read_labels(data: bytes, name: str) -> tuple[Label, ...]:
    """Every line of a list, in order of starts. The name, and the end with it, may be missing.

    A first line without numbers is a heading. Raises :class:`Refused`, naming the first wrong line.
    """
    if len(data) > MAX_BYTES:
        raise refuse(
            "labels-too-big",
            f"“{name}” is {len(data) >> 10} KB, more than a list of sections needs: choose the right file.",
        )
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = (
            data.decode("utf-16")
            if data[:2] in (b"\xff\xfe", b"\xfe\xff") and len(data) % 2 == 0 and _is_utf16(data)
            else data.decode("latin-1")
        )
    lines = [(i, line) for i, line in enumerate(text.splitlines(), 1) if line.strip()]
    if len(lines) > MAX_LINES:
        raise refuse("labels-many", f"“{name}” has {len(lines):,} lines; a song has at most {MAX_LINES:,} sections.")
    if lines and not any(c.isdigit() for c in lines[0][1].split("\t")[0]):
        lines = lines[1:]
    found = [_label(line, i, name) for i, line in lines]
    if not found:
        raise refuse(
            "labels-none", f"“{name}” lists no sections: write a line for each, with start, end and name apart by tabs."
        )
    return tuple(sorted(found, key=lambda one: (one.start_s, one.end_s)))


def _is_utf16(data: bytes) -> bool:
    try:
        data.decode("utf-16")
    except UnicodeDecodeError:
        return False
    return True


def _label(line: str, number: int, name: str) -> Label:
    parts = [p.strip() for p in line.split("\t")]
    start = _seconds(parts[0], number, name)
    end = _seconds(parts[1], number, name) if len(parts) > 1 and parts[1] else start
    if end < start:
        raise refuse("labels-backwards", f"Line {number} of “{name}” ends before it starts: put the start first.")
    return Label(start, end, shown(" ".join(parts[2:]).encode("utf-8", "replace")))


def _seconds(text: str, number: int, name: str) -> float:
    if not _SECONDS.fullmatch(text):
        raise refuse(
            "labels-line",
            f"Line {number} of “{name}” is not start, end and name apart by tabs: “{text[:40]}” is not a time in seconds.",
        )
    value = float(text.replace(",", "."))
    if not math.isfinite(value):
        raise refuse("labels-line", f"Line {number} of “{name}” has a time that is no number.")
    return value
