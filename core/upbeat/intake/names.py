"""What the names of a folder and of its files give away: title, tempo, parts and their groups.

Everything here is a proposal with a figure for how sure it is; people correct it.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import chain, count
from pathlib import PurePosixPath

from upbeat.song.stems import GROUPS, GUIDES, Purpose

LOWEST_BPM, HIGHEST_BPM = 30.0, 300.0
SOUND_EXTENSIONS = frozenset(
    {".wav", ".wave", ".aif", ".aiff", ".aifc", ".flac", ".mp3", ".ogg", ".oga", ".opus", ".rf64"}
)

_GROUP_WORDS: tuple[tuple[str, tuple[str, ...]], ...] = (
    (
        "full_mix",
        ("full", "full mix", "fullmix", "mixdown", "mix", "master", "stereo mix", "premaster", "playback full"),
    ),
    ("click", ("click", "clicktrack", "metronome", "klick")),
    ("cues", ("cue", "cues", "count", "guide voice", "guide vox", "voice guide", "talkback")),
    (
        "effects",
        ("fx", "effects", "sfx", "riser", "risers", "noise", "atmo", "atmos", "impact", "impacts", "sweep", "ambience"),
    ),
    (
        "rhythm",
        (
            "drum",
            "drums",
            "perc",
            "percs",
            "percussion",
            "shaker",
            "shakers",
            "kick",
            "snare",
            "bass",
            "beat",
            "beats",
            "loop",
            "loops",
            "gong",
            "gongs",
            "kit",
            "hat",
            "hats",
            "hihat",
            "tom",
            "toms",
            "overhead",
            "overheads",
            "tambourine",
            "clap",
            "claps",
            "sub",
            "conga",
            "congas",
            "cajon",
            "timpani",
        ),
    ),
    (
        "voices",
        (
            "vox",
            "vocal",
            "vocals",
            "vocs",
            "bv",
            "bvs",
            "bgv",
            "bgvs",
            "choir",
            "voice",
            "voices",
            "lead",
            "harmony",
            "harmonies",
            "backing",
            "ooh",
            "oohs",
            "soprano",
            "alto",
            "tenor",
            "baritone",
            "singer",
            "rap",
            "gang",
        ),
    ),
    (
        "tonal",
        (
            "guitar",
            "gtr",
            "guitars",
            "keys",
            "piano",
            "organ",
            "synth",
            "synths",
            "pad",
            "pads",
            "strings",
            "string",
            "violin",
            "viola",
            "cello",
            "brass",
            "horn",
            "horns",
            "trumpet",
            "sax",
            "flute",
            "accordion",
            "harp",
            "harmonium",
            "rhodes",
            "arp",
            "banjo",
            "mandolin",
            "bells",
            "marimba",
            "lute",
            "glockenspiel",
        ),
    ),
)
# A guide guitar is a guitar; a lead guitar is one too.
_INSTRUMENT_FIRST = frozenset({"lead", "guide", "backing", "rhythm"})
_NUMBER = r"\d{2,3}(?:[.,]\d{1,4})?"
_TAGGED = re.compile(rf"(?<![\w.,])(?:bpm\s*[:=]?\s*({_NUMBER})|({_NUMBER})\s*bpm)(?![\w])", re.I)
_BARE = re.compile(rf"(?<![\w.,])({_NUMBER})(?![\w]|[.,]\d)")
# Before these a number is part of the title.
_TITLE_BEFORE_NUMBER = frozenset(
    {"of", "the", "number", "no", "platform", "route", "chapter", "room", "opus", "part", "year", "studio"}
)
_PLAIN_FOLDERS = frozenset(
    {
        "stems",
        "stem",
        "audio",
        "export",
        "exports",
        "bounces",
        "bounce",
        "tracks",
        "wav",
        "wavs",
        "files",
        "mixdown",
        "new folder",
        "backing tracks",
        "playback",
    }
)
# Said of files, not of music: rates, depths, versions.
_FILE_WORDS = re.compile(
    r"(?i)^(?:\d{2,3}(?:[.,]\d)?k(?:hz)?|\d{2}bit|\d{4,6}|v\d+|ver\d+|final|bounce|export|stem|stems|track|audio|stereo|mono|st|wav|flac|mp3|bpm)$"
)


@dataclass(frozen=True)
class Guess:
    """A value with how sure it is, 0 to 1."""

    value: str
    sure: float


_TO_LEARN = frozenset(
    {"guide", "guides", "ref", "reference", "references", "learn", "learning", "scratch", "rehearsal"}
)


@dataclass(frozen=True)
class StemGuess:
    """What one file of a folder is proposed to be: ``sure`` of its group, 0 to 1."""

    file: str
    name: str
    group: str
    sure: float

    @property
    def purpose(self) -> Purpose:
        """A full mix by its group; for rehearsal where the name says that it guides, refers or teaches."""
        if self.group == "full_mix":
            return "full_mix"
        learned = self.group not in GUIDES and any(w.casefold() in _TO_LEARN for w in _words(self.name))
        return "rehearsal" if learned else "always"


@dataclass(frozen=True)
class FolderReading:
    """A folder of exported files as a song. ``bpm`` is None where no name speaks of one."""

    title: Guess
    bpm: Guess | None
    stems: tuple[StemGuess, ...]


def clean_file_name(raw: str) -> str:
    """A name to show: the last part of any path, no control or direction marks, 255 characters at most."""
    last = PurePosixPath(raw.replace("\\", "/")).name
    kept = "".join(
        c
        for c in unicodedata.normalize("NFC", last)
        if unicodedata.category(c) not in ("Cc", "Cf", "Cs", "Co", "Cn", "Zl", "Zp")
    )
    return kept.strip(" .")[:255] or "unnamed"


def read_folder(folder: str, files: Sequence[str]) -> FolderReading:
    """Title, tempo and parts from a folder's name ("" for none) and its files' names.

    A tempo marked bpm counts most; a bare number counts at the end of a folder's name, or where it
    stands in every file's name (a number that differs from file to file is a track number).
    """
    folder = " ".join(folder.replace("_", " ").split())
    bases = [_base(f) for f in files]
    shared = _shared_words(bases)
    bpm = _tempo(folder, bases, shared)
    words = [w for w in _words(folder) if not _is_tempo(w, bpm)]
    known = _cased(words)
    plain = not words or folder.casefold() in _PLAIN_FOLDERS
    if not plain:
        title = Guess(" ".join(known), 0.9)
    else:
        # The words every file begins with, in one file's own spelling.
        ahead = [w for w in shared if not _is_tempo(w, bpm) and not _FILE_WORDS.match(w)]
        parts = _known_parts(ahead)
        title = Guess(" ".join(_cased([w for w in ahead if w.casefold() not in parts])), 0.7)
        if not title.value:
            title = Guess(" ".join(known) or "New song", 0.2)
    drop = {w.casefold() for w in [*words, *shared, *_words(title.value)]}
    return FolderReading(
        title, bpm, _unlike([_stem(f, b, drop, bpm, len(files)) for f, b in zip(files, bases, strict=True)])
    )


def read_stem(file: str, title: str = "") -> StemGuess:
    """What one file that arrives alone, for a song with this title, is proposed to be."""
    base = _base(file)
    tagged = _tagged(base)
    return _stem(file, base, {w.casefold() for w in _words(title)}, Guess(tagged, 1.0) if tagged else None, 1)


def group_of(name: str) -> tuple[str, float]:
    """The group a stem's name speaks of, and how sure; tonal at 0.2 where it speaks of none."""
    split = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name)
    words = [w.rstrip("0123456789") for w in re.findall(r"[^\W_]+", split.casefold())]
    flat = f" {' '.join(words)} "
    hits = {group for group, marks in _GROUP_WORDS for m in marks if f" {m} " in flat}
    if "tonal" in hits and hits <= {"tonal", "voices", "cues"} and any(w in _INSTRUMENT_FIRST for w in words):
        return "tonal", 0.9
    found = next((group for group, _ in _GROUP_WORDS if group in hits), None)
    assert found is None or found in GROUPS
    return (found, 0.9) if found else ("tonal", 0.2)


def is_sound_name(name: str) -> bool:
    """Whether a file's name is one of sound (the content is looked at anyway)."""
    return PurePosixPath(name).suffix.casefold() in SOUND_EXTENSIONS


def _base(file: str) -> str:
    """A file's name without path and extension; ``take_93.37`` has no extension."""
    name = PurePosixPath(file.replace("\\", "/")).name
    suffix = PurePosixPath(name).suffix
    return (
        name[: -len(suffix)]
        if suffix and not suffix[1:].isdigit() and len(suffix) <= 6 and len(name) > len(suffix)
        else name
    )


def _words(text: str) -> list[str]:
    return [w for w in re.split(r"[\s_\-–—]+|(?<!\d)\.|\.(?!\d)|[()\[\]]", text) if w]


def _tagged(text: str) -> str | None:
    match = _TAGGED.search(text.replace("_", " ").replace("-", " "))
    return _in_range(match[1] or match[2]) if match else None


def _in_range(number: str) -> str | None:
    plain = number.replace(",", ".")
    return plain if LOWEST_BPM <= float(plain) <= HIGHEST_BPM else None


def _is_tempo(word: str, bpm: Guess | None) -> bool:
    if re.fullmatch(r"(?i)bpm", word):
        return True
    number = re.fullmatch(rf"(?i)(?:bpm)?({_NUMBER})(?:bpm)?", word)
    return bool(number and bpm and float(number[1].replace(",", ".")) == float(bpm.value))


def _tempo(folder: str, bases: Sequence[str], shared: Sequence[str]) -> Guess | None:
    tagged = _tagged(folder)
    if tagged:
        return Guess(tagged, 0.95)
    tags = [t for t in map(_tagged, bases) if t]
    if tags:
        most = max(set(tags), key=tags.count)
        return Guess(most, 0.95 if tags.count(most) == len(bases) else 0.7 if tags.count(most) * 2 > len(tags) else 0.4)
    in_all = [n for n in (_bare(w) for w in shared) if n]
    ends = folder.split()[-2:]
    at_end = _bare(ends[1].strip("()[]")) if len(ends) == 2 and ends[0].casefold() not in _TITLE_BEFORE_NUMBER else None
    if at_end:
        return Guess(at_end, 0.9 if at_end in in_all or "." in at_end else 0.75)
    # A number that is in every name and not in the folder's is not part of the title.
    outside = [n for n in in_all if not re.search(rf"(?<!\d){re.escape(n)}(?!\d)", folder.replace(",", "."))]
    if outside and len(bases) > 1:
        return Guess(outside[-1], 0.8 if "." in outside[-1] else 0.6)
    if outside and "." in outside[-1]:
        return Guess(outside[-1], 0.6)
    return None


def _bare(word: str) -> str | None:
    match = _BARE.fullmatch(word)
    return _in_range(match[1]) if match else None


def _shared_words(bases: Sequence[str]) -> list[str]:
    """Words that stand in every name, in the order and spelling of the first."""
    if not bases:
        return []
    sets = [{w.casefold() for w in _words(b)} for b in bases]
    common = set.intersection(*sets)
    return [w for w in dict.fromkeys(_words(bases[0])) if w.casefold() in common]


def _known_parts(words: Sequence[str]) -> set[str]:
    return {w.casefold() for w in words if group_of(w)[1] > 0.5}


def _cased(words: Sequence[str]) -> list[str]:
    """Words as a title has them: if none of them has a capital, each gets one."""
    if any(w != w.casefold() for w in words):
        return list(words)
    return [w[:1].upper() + w[1:] for w in words]


def _stem(file: str, base: str, drop: set[str], bpm: Guess | None, files: int) -> StemGuess:
    words = _words(base)
    if len(words) > 1 and re.fullmatch(r"\d{1,3}", words[0]):
        words = words[1:]
    kept = [
        w
        for w in words
        if w.casefold() not in drop and not _is_tempo(w, bpm) and not re.fullmatch(rf"{_NUMBER}|(?i:{_NUMBER}bpm)", w)
    ]
    kept = [w for w in kept if not _FILE_WORDS.match(w)] or kept
    if not kept:
        # Only the title is left: among parts, that is the whole song.
        parts = [w for w in words if group_of(w)[1] > 0.5]
        if parts:
            name = " ".join(parts)
        elif files > 2:
            return StemGuess(file, "Full mix", "full_mix", 0.6)
        else:
            name = " ".join(w for w in words if not _is_tempo(w, bpm)) or base
    else:
        name = " ".join(kept)
    name = (name[:1].upper() + name[1:]).strip()[:120] or base[:120]
    group, sure = group_of(name)
    return StemGuess(file, name, group, sure)


def _unlike(stems: Sequence[StemGuess]) -> tuple[StemGuess, ...]:
    """The same stems, each with a name; names that come twice are numbered from 2."""
    taken: set[str] = set()
    unlike = []
    for s in stems:
        base = s.name.strip() or "Stem"
        name = next(n for n in chain((base,), (f"{base} {i}" for i in count(2))) if n.casefold() not in taken)
        taken.add(name.casefold())
        unlike.append(replace(s, name=name))
    return tuple(unlike)
