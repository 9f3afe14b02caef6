"""Timecode: labels of frames, and linear timecode as sound (SMPTE ST 12-1)."""

from __future__ import annotations

import re
from fractions import Fraction
from typing import NamedTuple

import numpy as np

from upbeat.errors import refuse

#: Frames in a second by their usual name; ``29.97df`` leaves labels out so that it keeps to the clock.
RATES = {"24": Fraction(24), "25": Fraction(25), "29.97df": Fraction(30_000, 1001), "30": Fraction(30)}
BITS = 80
LEVEL = 0.5  # of full scale: -6 dBFS
_SYNC = (0, 0, *[1] * 12, 0, 1)
_TEXT = re.compile(r"(\d\d):(\d\d):(\d\d)[:;.](\d\d)")


class Label(NamedTuple):
    """A frame's name."""

    hours: int
    minutes: int
    seconds: int
    frames: int

    def __str__(self) -> str:
        return ":".join(f"{part:02d}" for part in self)


def nominal(fps: str) -> int:
    """Labels in a second, 30 for 29.97. Raises :class:`Refused` for a rate that is none."""
    if fps not in RATES:
        raise refuse("timecode-rate", f"“{fps}” is no rate of timecode: choose {', '.join(RATES)}.")
    return round(RATES[fps])


def parse_label(text: str, fps: str) -> Label:
    """``03:00:00:00`` as a label. Raises :class:`Refused` for what is none, or is left out in drop-frame."""
    found, most = _TEXT.fullmatch(text.strip()), nominal(fps)
    label = Label(*map(int, found.groups())) if found else None
    if label is None or label.hours > 23 or label.minutes > 59 or label.seconds > 59 or label.frames >= most:
        raise refuse("timecode-label", f"“{text}” is no time for {fps} frames a second: write it as 03:00:00:00.")
    if fps == "29.97df" and label.frames < 2 and label.seconds == 0 and label.minutes % 10:
        raise refuse("timecode-label", f"“{text}” is left out in drop-frame: write :02 for its frames.")
    return label


def own_label(entry: int) -> str:
    """The label of bar 1 of an entry, from 0, that has no other: its hour is the entry's number."""
    return str(Label((entry + 1) % 24, 0, 0, 0))


def number_of(label: Label, fps: str) -> int:
    """How many frames lie before a label in its day.

    Drop-frame leaves out :00 and :01 of every minute that is not a multiple of ten (ST 12-1, 5.2).
    """
    per_second = nominal(fps)
    minutes = 60 * label.hours + label.minutes
    frames = (60 * minutes + label.seconds) * per_second + label.frames
    return frames - 2 * (minutes - minutes // 10) if fps == "29.97df" else frames


def label_of(number: int, fps: str) -> Label:
    """The label of a frame by its number in the day; after 24 hours it begins anew."""
    per_second = nominal(fps)
    if fps == "29.97df":
        number %= 24 * 6 * 17_982
        tens, rest = divmod(number, 17_982)  # frames of ten minutes; 1798 of a minute that is shortened
        number += 18 * tens + (2 * ((rest - 2) // 1798) if rest >= 2 else 0)
    seconds, frames = divmod(number % (24 * 3600 * per_second), per_second)
    return Label(seconds // 3600, seconds // 60 % 60, seconds % 60, frames)


def word(label: Label, fps: str) -> tuple[int, ...]:
    """The 80 bits of a frame, user bits empty. The polarity bit makes every word begin alike (ST 12-1, 9.2)."""
    bits = [0] * 64
    for at, width, value in (
        (0, 4, label.frames % 10), (8, 2, label.frames // 10), (16, 4, label.seconds % 10), (24, 3, label.seconds // 10),
        (32, 4, label.minutes % 10), (40, 3, label.minutes // 10), (48, 4, label.hours % 10), (56, 2, label.hours // 10),
    ):  # fmt: skip
        bits[at : at + width] = [value >> k & 1 for k in range(width)]
    bits[10] = int(fps == "29.97df")
    polarity = 59 if fps == "25" else 27
    bits[polarity] = 1 - sum(bits) % 2  # the sync word has 13 ones: with an odd number here, ones and zeros are even
    return (*bits, *_SYNC)


def linear(number: int, fps: str, start: int, frames: int, sample_rate: int) -> np.ndarray:
    """Linear timecode, float32 (frames,): from sample ``start`` on of what begins with the frame of this number in the day.

    Biphase mark: the level changes where a bit begins, and in the middle of a one. A change within a sample
    is that sample's share of both levels, so that its time is exact. However a stretch is cut up, its samples are the same.
    """
    per_word = Fraction(sample_rate) / RATES[fps]
    first = max(0, int((start - 1) / per_word))
    last = int((start + frames) / per_word)
    words = [np.array(word(label_of(number + n, fps), fps), dtype=bool) for n in range(first, last + 1)]
    begins = np.array([float(n * per_word) for n in range(first, last + 1)])
    index = np.arange(BITS)
    within = [np.sort(np.concatenate((index, index[bits] + 0.5))) * float(per_word / BITS) for bits in words]
    changes = np.concatenate([at + w for at, w in zip(begins, within, strict=True)])
    # Every word has an even number of changes: each begins at the lower level and rises.
    signs = np.where(np.arange(len(changes)) % 2 == 0, 2.0, -2.0)
    whole = np.floor(changes).astype(np.int64)
    share = 1 - (changes - whole)
    at = whole - start
    before = float(signs[at < -1].sum())
    steps = np.zeros(frames + 2)
    for place, size in ((at, signs * share), (at + 1, signs * (1 - share))):
        kept = (place >= 0) & (place < frames)
        np.add.at(steps, place[kept], size[kept])
        before += float(size[(place < 0) & (at >= -1)].sum())
    return (LEVEL * (before + np.cumsum(steps[:frames]) - 1)).astype(np.float32)
