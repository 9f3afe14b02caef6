"""The verbs of ``upbeat`` and their arguments (docs/cli.md)."""

from __future__ import annotations

import argparse
from typing import Any, NamedTuple


class Argument(NamedTuple):
    """As :meth:`argparse.ArgumentParser.add_argument` takes it."""

    name: str
    settings: dict[str, Any]


def _one(name: str, about: str = "", **settings: Any) -> Argument:
    return Argument(name, {"help": about or None, **settings})


_SHOW = _one("show", "a bundle (zip) or its folder")
_PLAYED = _one("--show", "the bundle (zip) or folder that was played", required=True)
_LOG = _one("log", "a night log (.jsonl)")
_SOCKETS = _one("--out", "folder for sockets.wav and events.json", required=True)
_PRESSES = _one("--presses", "JSON list of presses")
_PROGRESS = _one("--progress", "the share that is done, 0 to 1, on standard error", action="store_true")
_ENTRY_ABOUT = "the entry of the setlist, counted from 1"
_ENTRY = _one("--entry", _ENTRY_ABOUT, type=int, required=True)
_FIRST_ENTRY = _one("--entry", _ENTRY_ABOUT, type=int, default=1)

#: What each verb does, and its arguments.
VERBS: dict[str, tuple[str, tuple[Argument, ...]]] = {
    "inspect": (
        "What a sound file is, or a folder of stems, and what is wrong with it.",
        (_one("file", "a sound file, or a folder of one song's stems"),),
    ),
    "tempo-map": (
        "Tempo, metres, markers and bar lines of a MIDI file.",
        (_one("file", "a Standard MIDI File"),),
    ),
    "align": (
        "Where a recording lies under a click.",
        (
            _one("file"),
            _one("--bpm", "about what tempo, in the metre's beats", required=True),
            _one("--meter", "such as 4/4 or 7/8", default="4/4"),
            _one("--grouping", "such as 2+2+3"),
            _one("--pickup", "beats before bar 1", type=int, default=0),
            _one("--follow", "a tempo map, bar by bar", action="store_true"),
        ),
    ),
    "bounce": (
        "Play a show offline into one file with a channel for each socket.",
        (
            _SHOW,
            _SOCKETS,
            _PRESSES,
            _one("--entry", "only this entry of the setlist, counted from 1", type=int),
        ),
    ),
    "click": (
        "The click of one entry as sound (.wav, .flac) or as a MIDI file (.mid), the count-in first.",
        (
            _SHOW,
            _FIRST_ENTRY,
            _one("--out", "the file to write", required=True),
            _one("--cues", "cues too", action="store_true"),
        ),
    ),
    "dress-run": (
        "Look at a show and play it at full speed, to find what would go wrong.",
        (
            _SHOW,
            _one("--kept", "file of measures: songs that are as they were are not played again"),
            _one("--words", "folder in which spoken words are kept"),
            _PROGRESS,
        ),
    ),
    "replay": (
        "Play a night again from its log, into one file with a channel for each socket.",
        (_LOG, _PLAYED, _SOCKETS),
    ),
    "report": ("What was really played, told from a night log.", (_LOG, _PLAYED)),
    "fold-down": (
        "Patch a show to a smaller or larger rig, and tell what is lost.",
        (
            _SHOW,
            _one("--sockets", "how many sockets the other rig has", type=int, required=True),
            _one("--out", "the bundle (zip) to write", required=True),
        ),
    ),
    "prepare": (
        "The stems of one entry in another key and tempo.",
        (
            _SHOW,
            _ENTRY,
            _one("--semitones", "-6 to 6; lower is negative", default="0"),
            _one("--tempo", "50 to 150 %% of its own tempo", default="100"),
            _one("--out", "folder for the files", required=True),
            _PROGRESS,
        ),
    ),
    "why": (
        "Why a source is heard at a socket, or not: its way, and the first thing that stops it.",
        (
            _SHOW,
            _one("--source", "stem:ID, click, cues or feed:ID", required=True),
            _one("--socket", "the socket's number", type=int, required=True),
            _FIRST_ENTRY,
            _one("--bar", "the bar of the song, counted from 1", type=int, default=1),
        ),
    ),
    "messages": ("What the devices of a show are sent in one entry, frame by frame.", (_SHOW, _ENTRY, _PRESSES)),
    "timecode": (
        "Linear timecode of one entry as sound, where the song goes.",
        (
            _SHOW,
            _ENTRY,
            _one("--out", "the file to write, .wav", required=True),
            _one("--fps", "24, 25, 29.97df or 30", default="25"),
            _one("--start", "of bar 1, such as 03:00:00:00; by itself the hour is the entry's number"),
        ),
    ),
    "patch-sheet": (
        "The page for the desk engineer: what is on which socket.",
        (_SHOW, _one("--out", "the file to write, .pdf or .csv", required=True)),
    ),
    "schema": ("The JSON Schema of the show document.", ()),
}


def parser() -> argparse.ArgumentParser:
    """Reads the arguments of the command."""
    top = argparse.ArgumentParser(prog="upbeat", description="What a technician's scripts can ask of the core.")
    verbs = top.add_subparsers(dest="verb", required=True)
    for name, (about, arguments) in VERBS.items():
        sub = verbs.add_parser(name, help=about, description=about)
        sub.add_argument("--json", action="store_true", help="one JSON object on standard output, nothing else")
        for argument in arguments:
            sub.add_argument(argument.name, **argument.settings)
    return top
