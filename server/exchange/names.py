"""What a file's name gives away: a stem's name and its group. Offered, never imposed."""

from __future__ import annotations

import re
import unicodedata
from pathlib import PurePosixPath

_GROUPS = (
    ("full_mix", ("full mix", "fullmix", "mixdown", "mix", "master")),
    ("click", ("click", "metronome")),
    ("cues", ("cue", "cues")),
    ("rhythm", ("drum", "drums", "perc", "percussion", "shaker", "shakers", "kick", "snare", "bass", "beat", "beats", "loop", "gongs", "kit", "hats")),
    ("voices", ("vox", "vocal", "vocals", "bv", "bvs", "choir", "voice", "voices", "lead", "harmony", "backing")),
    ("effects", ("fx", "effects", "sfx", "riser", "noise", "atmo")),
)


def clean_file_name(raw: str) -> str:
    """A name to show: the last part of any path, no control or direction marks, 255 characters at most."""
    last = PurePosixPath(raw.replace("\\", "/")).name
    kept = "".join(c for c in unicodedata.normalize("NFC", last) if unicodedata.category(c) not in ("Cc", "Cf", "Cs", "Co", "Cn", "Zl", "Zp"))
    return kept.strip(" .")[:255] or "unnamed"


def stem_name(file_name: str, title: str = "") -> str:
    """``"03 Tin Moon Waltz 138 - Bass.wav"`` of Tin Moon Waltz becomes ``Bass``."""
    stem = PurePosixPath(file_name).stem or file_name
    words = re.sub(r"[_]+", " ", stem)
    words = re.sub(r"\b\d+(?:[.,]\d+)?\s*bpm\b", " ", words, flags=re.I)
    shared = [w for w in re.findall(r"\w+", title.casefold()) if len(w) > 1]
    kept = [w for w in re.split(r"[\s\-–]+", words) if w and w.casefold() not in shared and not re.fullmatch(r"\d+(?:[.,]\d+)?", w)]
    name = " ".join(kept).strip()
    return (name[:1].upper() + name[1:] if name else stem)[:120]


def group_of(name: str) -> str:
    """The group a stem's name speaks of; tonal where it speaks of none."""
    words = set(re.findall(r"[a-z]+", name.casefold()))
    flat = " ".join(re.findall(r"[a-z]+", name.casefold()))
    for group, marks in _GROUPS:
        if any(m in words or (" " in m and m in flat) for m in marks):
            return group
    return "tonal"
