"""Song sections that a WAV or RF64 file carries in its cue, labl and ltxt chunks.

Layout as in Microsoft's and IBM's "Multimedia Programming Interface and Data Specifications 1.0"
(1991): a cue point's place is its sample offset, ``labl`` names it, ``ltxt`` gives it a length.
The chunks may stand before or after the sound, in any order. Damage to them never damages the
sound: what cannot be true is left out and said.
"""

from __future__ import annotations

import os
import struct
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from upbeat.errors import Problem

MAX_POINTS = 10_000
MAX_CHUNK = 4 << 20
MAX_CHUNKS = 10_000
_POINT = struct.Struct("<II4sIII")


@dataclass(frozen=True)
class CueSection:
    """A named span of the sound, in frames of the file; a bare point has no length."""

    start: int
    end: int
    name: str


@dataclass(frozen=True)
class CueReading:
    """``sections`` in order of their starts; ``problems``: what was left out."""

    sections: tuple[CueSection, ...]
    problems: tuple[Problem, ...] = ()


def read_cues(path: str | os.PathLike[str], frames: int, name: str | None = None) -> CueReading:
    """The cue sections of a file of ``frames`` frames; none for files of another kind."""
    name = name or Path(path).name
    points: dict[int, int] = {}
    labels: dict[int, str] = {}
    texts: dict[int, str] = {}
    lengths: dict[int, int] = {}
    damaged = False
    with open(path, "rb") as file:
        for kind, body, whole in _chunks(file):
            if kind == b"cue ":
                damaged |= _points(body, points) or not whole
            elif kind == b"LIST" and body[:4] == b"adtl":
                damaged |= _texts(body[4:], labels, texts, lengths) or not whole
    found, outside = [], 0
    for number, start in points.items():
        length = lengths.get(number, 0)
        if start >= frames or start + length > frames:
            outside += 1
        if start < frames:
            found.append(CueSection(start, min(frames, start + length), labels.get(number) or texts.get(number, "")))
    problems = []
    if damaged:
        problems.append(
            Problem(
                "cues-damaged",
                f"The section marks in “{name}” are damaged; what could be read is offered, the sound is whole.",
            )
        )
    if outside:
        problems.append(
            Problem(
                "cues-outside",
                f"“{name}” has {outside} section mark{'s' if outside > 1 else ''} past the end of its sound: left out or shortened.",
            )
        )
    return CueReading(tuple(sorted(found, key=lambda s: (s.start, s.end))), tuple(problems))


def _chunks(file: BinaryIO) -> Iterator[tuple[bytes, bytes, bool]]:
    """The cue and list chunks of a file: kind, body, and whether the body is whole."""
    head = file.read(12)
    if len(head) < 12 or head[:4] not in (b"RIFF", b"RF64") or head[8:] != b"WAVE":
        return
    size = os.fstat(file.fileno()).st_size
    data_size = 0
    for _ in range(MAX_CHUNKS):
        head = file.read(8)
        if len(head) < 8:
            return
        kind, length = struct.unpack("<4sI", head)
        start = file.tell()
        if kind == b"ds64":
            body = file.read(min(length, 16))
            data_size = struct.unpack("<Q", body[8:16])[0] if len(body) == 16 else 0
        elif kind == b"data" and length == 0xFFFFFFFF and data_size:
            length = data_size
        elif kind in (b"cue ", b"LIST"):
            body = file.read(min(length, MAX_CHUNK))
            yield kind, body, len(body) == length
        if start + length > size:
            return
        file.seek(start + length + (length & 1))


def _points(body: bytes, points: dict[int, int]) -> bool:
    """Put the cue points into ``points``; True where the chunk claims more than it holds."""
    if len(body) < 4:
        return True
    claimed = int.from_bytes(body[:4], "little")
    held = min(claimed, (len(body) - 4) // _POINT.size, MAX_POINTS)
    for i in range(held):
        number, _, _, _, _, offset = _POINT.unpack_from(body, 4 + i * _POINT.size)
        points.setdefault(number, offset)
    return held < claimed


def _texts(body: bytes, labels: dict[int, str], texts: dict[int, str], lengths: dict[int, int]) -> bool:
    """Names and lengths out of an associated data list; True where it is damaged."""
    at = 0
    for _ in range(2 * MAX_POINTS):
        if len(body) - at < 8:
            return False
        kind, length = struct.unpack_from("<4sI", body, at)
        end = at + 8 + length
        if end > len(body) or (kind in (b"labl", b"note") and length < 4) or (kind == b"ltxt" and length < 20):
            return True
        part = body[at + 8 : end]
        if kind == b"labl":
            labels.setdefault(int.from_bytes(part[:4], "little"), shown(part[4:]))
        elif kind == b"ltxt":
            number, span = struct.unpack_from("<II", part)
            lengths.setdefault(number, span)
            texts.setdefault(number, shown(part[20:]))
        at = end + (length & 1)
    return True


def shown(raw: bytes) -> str:
    """A name out of a file: UTF-8 where it is valid, else Latin-1; up to its zero, 80 characters."""
    raw = raw.split(b"\0", 1)[0]
    try:
        text = raw.decode("utf-8")
    except UnicodeDecodeError:
        text = raw.decode("latin-1")
    return " ".join("".join(c if c.isprintable() else " " for c in text).split())[:80]
