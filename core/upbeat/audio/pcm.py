"""Plain PCM on disk: WAV (RF64 where it is long) written as it comes, and mapped for playing.

RIFF/WAVE as in Microsoft's and IBM's "Multimedia Programming Interface" (1991); RF64 and its
``ds64`` chunk as in EBU Tech 3306 (2009).
"""

from __future__ import annotations

import os
import struct
import zlib
from pathlib import Path
from types import TracebackType
from typing import BinaryIO, NamedTuple, Protocol

import numpy as np

from upbeat.errors import refuse

_PCM, _FLOAT = 1, 3
_HEADER = 12 + 36 + 24 + 8  # RIFF, room for ds64 (JUNK until needed), fmt, data


class WavWriter:
    """Write (frames, channels) blocks of int16 or float32; the header is set right at the end.

    The header keeps room for ``ds64``, so that a recording of any length stays readable.
    ``crc32``: of the samples written (ISO/IEC/IEEE 8802-3, as in zip).
    """

    def __init__(self, path: str | os.PathLike[str], sample_rate: int, channels: int, dtype: type = np.float32):
        self.sample_rate, self.channels, self.dtype = sample_rate, channels, np.dtype(dtype).newbyteorder("<")
        self.frames = 0
        self.crc32 = 0
        self._file: BinaryIO = open(path, "wb")
        self._file.write(self._header())

    def _header(self) -> bytes:
        frame = self.channels * self.dtype.itemsize
        size = self.frames * frame
        long = size + _HEADER > 0xFFFFFFFF
        code = _FLOAT if self.dtype.kind == "f" else _PCM
        fmt = struct.pack(
            "<4sIHHIIHH",
            b"fmt ",
            16,
            code,
            self.channels,
            self.sample_rate,
            self.sample_rate * frame,
            frame,
            8 * self.dtype.itemsize,
        )
        sizes = struct.pack("<4sIQQQI", b"ds64", 28, size + _HEADER - 8, size, self.frames, 0)
        extra = sizes if long else struct.pack("<4sI28x", b"JUNK", 28)
        small = 0xFFFFFFFF
        riff = struct.pack("<4sI4s", b"RF64" if long else b"RIFF", small if long else size + _HEADER - 8, b"WAVE")
        return riff + extra + fmt + struct.pack("<4sI", b"data", small if long else size)

    def write(self, block: np.ndarray) -> None:
        samples = np.ascontiguousarray(block, dtype=self.dtype).data
        self._file.write(samples)
        self.crc32 = zlib.crc32(samples, self.crc32)
        self.frames += len(block)

    def skip(self, frames: int) -> None:
        """Leave room for ``frames`` that others write with :func:`seek_frame` and :func:`write_block`."""
        self.frames += frames
        self._file.flush()
        self._file.truncate(_HEADER + self.frames * self.channels * self.dtype.itemsize)

    def flush(self) -> None:
        """Make what was written so far a whole file."""
        end = self._file.tell()
        self._file.seek(0)
        self._file.write(self._header())
        self._file.seek(end)
        self._file.flush()

    def close(self) -> None:
        if not self._file.closed:
            try:
                self.flush()
            finally:
                self._file.close()

    def __enter__(self) -> WavWriter:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()


def seek_frame(file: BinaryIO, frame: int, channels: int) -> None:
    """Go to a frame of a float32 file that a :class:`WavWriter` made."""
    file.seek(_HEADER + frame * channels * 4)


def write_block(file: BinaryIO, block: np.ndarray) -> None:
    """Write (frames, channels) as float32 where the file stands."""
    file.write(np.ascontiguousarray(block, dtype="<f4").data)


class HasType(Protocol):
    """Samples of some type."""

    @property
    def dtype(self) -> np.dtype: ...


class PcmLayout(NamedTuple):
    """Where the samples of a WAV lie: from byte ``start``, ``frames`` of ``channels`` each."""

    start: int
    frames: int
    channels: int
    dtype: np.dtype
    sample_rate: int


def map_pcm(path: str | os.PathLike[str]) -> tuple[np.ndarray, int] | None:
    """Map a WAV of int16 or float32 as ((frames, channels), sample rate); None if it is anything else.

    No sound is read yet.
    """
    layout = pcm_layout(path)
    if layout is None:
        return None
    start, frames, channels, dtype, rate = layout
    if frames == 0:
        return np.zeros((0, channels), dtype=dtype), rate
    # As a plain array: a memmap object costs a microsecond at every slice.
    return np.asarray(np.memmap(path, dtype=dtype, mode="r", offset=start, shape=(frames, channels))), rate


def pcm_layout(path: str | os.PathLike[str]) -> PcmLayout | None:
    """Where the samples of a WAV of int16 or float32 lie; None if it is anything else, or its chunks do not add up."""
    size = os.path.getsize(path)
    with open(path, "rb") as file:
        head = file.read(12)
        if len(head) < 12 or head[:4] not in (b"RIFF", b"RF64") or head[8:] != b"WAVE":
            return None
        fmt: tuple[int, int, int, int] | None = None
        long_data = 0
        while True:
            chunk = file.read(8)
            if len(chunk) < 8:
                return None
            name, length = struct.unpack("<4sI", chunk)
            if name == b"ds64":
                long_data = struct.unpack("<QQ", file.read(16))[1]
                file.seek(length - 16 + (length & 1), 1)
            elif name == b"fmt " and length >= 16:
                code, channels, rate, _, _, bits = struct.unpack("<HHIIHH", file.read(16))
                fmt = (code, channels, rate, bits)
                file.seek(length - 16 + (length & 1), 1)
            elif name == b"data":
                start = file.tell()
                length = long_data if length == 0xFFFFFFFF and long_data else length
                break
            else:
                file.seek(length + (length & 1), 1)
    known: dict[tuple[int, int], np.dtype] = {(_PCM, 16): np.dtype("<i2"), (_FLOAT, 32): np.dtype("<f4")}
    dtype = known.get((fmt[0], fmt[3])) if fmt else None
    if fmt is None or dtype is None or not 1 <= fmt[1] <= 64:
        return None
    frames = min(length, size - start) // (fmt[1] * dtype.itemsize)
    return PcmLayout(start, frames, fmt[1], dtype, fmt[2])


def open_prepared(path: str | os.PathLike[str], sample_rate: int) -> np.ndarray:
    """A stem's sound at the show's rate as (frames, channels), int16 or float32.

    A prepared WAV is mapped. Anything else that can be read is decoded (and resampled) into
    memory. Raises :class:`Refused`.
    """
    if not Path(path).is_file():
        raise refuse(
            "stem-file-missing", f"The file “{Path(path).name}” is missing: put it back, or add the stem again."
        )
    mapped = map_pcm(path)
    if mapped is not None and mapped[1] == sample_rate:
        return mapped[0]
    from upbeat.audio.read import read_whole

    return read_whole(path, sample_rate)


def full_scale(pcm: HasType) -> float:
    """What a sample is multiplied by so that full scale is 1: prepared sound is int16 or float32."""
    return 1 / 32768 if pcm.dtype == np.int16 else 1.0
