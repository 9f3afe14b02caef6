"""What a sound file says of itself, checked against what it holds, before any decoder sees it.

Decoders forgive: they play a file that was cut short as if it were whole. On stage that is a
song that stops early, so a header that does not agree with its file is refused here. WAV as in
Microsoft's and IBM's "Multimedia Programming Interface" and RFC 2361, RF64 as in EBU Tech 3306,
AIFF and AIFC as in Apple's specifications of 1989 and 1991, Ogg pages as in RFC 3533.
"""

from __future__ import annotations

import os
import struct
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO, NoReturn

from upbeat.errors import Refused, refuse

MIN_RATE, MAX_RATE, MAX_CHANNELS = 1000, 768_000, 64
_WAV_CODES = {1: "int", 3: "float", 6: "alaw", 7: "ulaw"}


@dataclass(frozen=True, kw_only=True)
class Header:
    """``frames`` is None where only decoding tells (lossy files, FLAC)."""

    format: str
    channels: int | None = None
    sample_rate: int | None = None
    frames: int | None = None
    bit_depth: int | None = None
    encoding: str | None = None


def check_header(path: str | os.PathLike[str], name: str | None = None) -> Header:
    """Recognise a sound file by its first bytes and check its structure. Raises :class:`Refused`.

    ``name``: what people know the file by, for the sentences.
    """
    name = name or Path(path).name
    size = os.path.getsize(path)
    if size == 0:
        raise refuse("file-empty", f"“{name}” is empty: export it again.")
    with open(path, "rb") as file:
        head = file.read(64)
        file.seek(0)
        if head[:4] in (b"RIFF", b"RF64", b"RIFX"):
            return _wav(file, size, name)
        if head[:4] == b"FORM":
            return _aiff(file, size, name)
        if head[:4] == b"OggS":
            _ogg(file, size, name)
            return Header(format="OGG", encoding="lossy")
        if head[:4] == b"fLaC":
            return Header(format="FLAC", encoding="int")
    if head[:3] == b"ID3" or _mpeg_sync(head):
        return Header(format="MP3", encoding="lossy")
    _not_sound(head, name)


def _not_sound(head: bytes, name: str) -> NoReturn:
    pictures = (b"\x89PNG", b"\xff\xd8\xff", b"GIF8")
    if head.startswith(pictures):
        raise refuse("file-picture", f"“{name}” is a picture, not sound: choose the exported sound file.")
    if all(32 <= b < 127 or b in b"\t\r\n" for b in head):
        raise refuse("file-text", f"“{name}” is text, not sound: choose the exported sound file.")
    raise refuse("file-not-sound", f"“{name}” is not a sound file that can be read: export it as WAV or FLAC.")


def _mpeg_sync(head: bytes) -> bool:
    return len(head) > 1 and head[0] == 0xFF and head[1] & 0xE0 == 0xE0 and head[1] & 0x06 != 0


def _cut(name: str, promised: int, held: int) -> NoReturn:
    raise refuse(
        "file-cut-short",
        f"“{name}” is cut short: it promises {promised:,} bytes of sound and holds {held:,}. Copy or export it again.",
    )


def _plausible(name: str, channels: int, rate: float, bits: int) -> None:
    if not 1 <= channels <= MAX_CHANNELS:
        raise refuse("header-channels", f"“{name}” says it has {channels} channels: it is damaged. Export it again.")
    if not MIN_RATE <= rate <= MAX_RATE or rate != int(rate):
        raise refuse("header-rate", f"“{name}” says a sample rate of {rate:g} Hz: it is damaged. Export it again.")
    if not 1 <= bits <= 64:
        raise refuse("header-bits", f"“{name}” says {bits} bits a sample: it is damaged. Export it again.")


def _wav(file: BinaryIO, size: int, name: str) -> Header:
    riff = file.read(12)
    if len(riff) < 12 or riff[8:12] != b"WAVE":
        raise refuse("header-cut", f"“{name}” ends in the middle of its header: copy or export it again.")
    if riff[:4] == b"RIFX":
        raise refuse("header-rifx", f"“{name}” is a big-endian WAV, which is not read here: export it as WAV or FLAC.")
    long = riff[:4] == b"RF64"
    claimed = struct.unpack("<I", riff[4:8])[0] + 8
    fmt, data = _wav_chunks(file, size, name, long)
    if fmt is None or len(fmt) < 16:
        raise refuse(
            "header-no-format", f"“{name}” does not say how its sound is stored (no format chunk): export it again."
        )
    if data is None:
        raise refuse("header-no-data", f"“{name}” has no sound in it (no data chunk): export it again.")
    start, length = data
    code, channels, rate, align, bits = _wav_format(fmt, name)
    if length == 0:
        raise refuse("no-frames", f"“{name}” has no sound in it: export it again.")
    if not long and claimed < start + length:
        raise refuse("header-size", f"“{name}” is damaged: its header ends inside its sound. Export it again.")
    if not long and claimed > size + 1:
        raise refuse(
            "file-cut-short",
            f"“{name}” is cut short: its header promises {claimed:,} bytes and the file has {size:,}. Copy or export it again.",
        )
    return Header(
        format="RF64" if long else "WAV",
        channels=channels,
        sample_rate=rate,
        frames=length // align,
        bit_depth=bits,
        encoding=_WAV_CODES[code],
    )


def _wav_chunks(file: BinaryIO, size: int, name: str, long: bool) -> tuple[bytes | None, tuple[int, int] | None]:
    """The format chunk, and where the sound starts and its length in bytes. ``long``: an RF64 file."""
    fmt: bytes | None = None
    data: tuple[int, int] | None = None
    sound_bytes: int | None = None
    while data is None or fmt is None:
        head = file.read(8)
        if len(head) < 8:
            break
        chunk, length = struct.unpack("<4sI", head)
        start = file.tell()
        if chunk == b"ds64" and long:
            body = file.read(min(length, 28))
            if len(body) < 24:
                raise refuse("header-cut", f"“{name}” ends in the middle of its header: copy or export it again.")
            sound_bytes = struct.unpack("<Q", body[8:16])[0]
        elif chunk == b"fmt ":
            fmt = file.read(min(length, 40))
        elif chunk == b"data":
            if long and length == 0xFFFFFFFF and sound_bytes is not None:
                length = sound_bytes
            data = (start, length)
        if start + length > size:
            if chunk == b"data":
                _cut(name, length, size - start)
            raise _beyond(name, length)
        file.seek(start + length + (length & 1))
    return fmt, data


def _wav_format(fmt: bytes, name: str) -> tuple[int, int, int, int, int]:
    """Coding, channels, sample rate, bytes a frame, bits of a format chunk."""
    code, channels, rate, _, align, bits = struct.unpack("<HHIIHH", fmt[:16])
    if code == 0xFFFE and len(fmt) >= 26:
        code = struct.unpack("<H", fmt[24:26])[0]
    if code not in _WAV_CODES:
        raise refuse(
            "codec-unknown", f"“{name}” is a WAV of an unknown coding (number {code}): export it as plain WAV or FLAC."
        )
    _plausible(name, channels, rate, bits)
    width = (bits + 7) // 8
    if align != channels * width:
        raise refuse(
            "header-align",
            f"“{name}” is damaged: {channels} channels of {bits} bit need {channels * width} bytes a frame, its header says {align}. Export it again.",
        )
    return code, channels, rate, align, bits


def _beyond(name: str, length: int) -> Refused:
    return refuse(
        "header-chunk",
        f"“{name}” is damaged: a part of its header claims {length:,} bytes, more than the file holds. Export it again.",
    )


_AIFC_CODES = {
    b"NONE": "int",
    b"sowt": "int",
    b"twos": "int",
    b"fl32": "float",
    b"FL32": "float",
    b"fl64": "float",
    b"FL64": "float",
}


def _aiff(file: BinaryIO, size: int, name: str) -> Header:
    form = file.read(12)
    if len(form) < 12 or form[8:12] not in (b"AIFF", b"AIFC"):
        raise refuse("header-cut", f"“{name}” ends in the middle of its header: copy or export it again.")
    comm, sound = _aiff_chunks(file, size, name)
    if comm is None or len(comm) < 18:
        raise refuse(
            "header-no-format", f"“{name}” does not say how its sound is stored (no COMM chunk): export it again."
        )
    if sound is None:
        raise refuse("header-no-data", f"“{name}” has no sound in it (no SSND chunk): export it again.")
    channels, frames, bits = struct.unpack(">hIh", comm[:8])
    rate = _extended(comm[8:18])
    _plausible(name, channels, rate, bits)
    encoding = _AIFC_CODES.get(comm[18:22] if form[8:12] == b"AIFC" else b"NONE")
    if encoding is None:
        raise refuse(
            "codec-unknown", f"“{name}” is an AIFC of a coding that is not read here: export it as WAV or FLAC."
        )
    if frames == 0:
        raise refuse("no-frames", f"“{name}” has no sound in it: export it again.")
    needed = frames * channels * ((bits + 7) // 8)
    if needed > sound:
        _cut(name, needed, sound)
    return Header(
        format="AIFC" if form[8:12] == b"AIFC" else "AIFF",
        channels=channels,
        sample_rate=int(rate),
        frames=frames,
        bit_depth=bits,
        encoding=encoding,
    )


def _aiff_chunks(file: BinaryIO, size: int, name: str) -> tuple[bytes | None, int | None]:
    """The common chunk, and how many bytes of sound there are."""
    comm: bytes | None = None
    sound: int | None = None
    while len(head := file.read(8)) == 8:
        chunk, length = struct.unpack(">4sI", head)
        start = file.tell()
        if chunk == b"COMM":
            comm = file.read(min(length, 64))
        elif chunk == b"SSND":
            sound = length - 8
        if start + length > size:
            if chunk == b"SSND":
                _cut(name, length - 8, size - start - 8)
            raise _beyond(name, length)
        file.seek(start + length + (length & 1))
    return comm, sound


def _extended(raw: bytes) -> float:
    """An IEEE 754 80-bit extended number as a float; 0 for one that is none."""
    exponent, mantissa = struct.unpack(">HQ", raw)
    if exponent & 0x7FFF == 0x7FFF:
        return 0.0
    power = (exponent & 0x7FFF) - 16383 - 63
    if not -200 < power < 200:
        return 0.0
    return float((-1 if exponent & 0x8000 else 1) * mantissa * 2.0**power)


def _ogg(file: BinaryIO, size: int, name: str) -> None:
    """Walk the pages to the end; the last one has to be whole."""
    at = 0
    while at < size:
        file.seek(at)
        head = file.read(27)
        if len(head) < 27:
            raise refuse("file-cut-short", f"“{name}” is cut short in the middle of a page: copy or export it again.")
        if head[:4] != b"OggS":
            raise refuse("ogg-damaged", f"“{name}” is damaged at byte {at:,}: copy or export it again.")
        table = file.read(head[26])
        at += 27 + head[26] + sum(table)
        if len(table) < head[26] or at > size:
            raise refuse("file-cut-short", f"“{name}” is cut short in the middle of a page: copy or export it again.")
