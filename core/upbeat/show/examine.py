"""``upbeat inspect`` and ``upbeat tempo-map``: what a file, or a folder of stems, is."""

from __future__ import annotations

import hashlib
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

from upbeat.errors import Problem, Refused, refuse
from upbeat.intake.names import is_sound_name, read_folder
from upbeat.intake.wavcue import read_cues
from upbeat.listening.comparing import compare
from upbeat.listening.findings import Finding, Heard, as_heard, findings
from upbeat.listening.inspect import facts, inspect, measure_file
from upbeat.listening.trace import trace_file
from upbeat.song.stems import Stem

MAX_FILES = 200


def inspect_file(path: Path) -> dict[str, Any]:
    """The fields of docs/cli.md, with the sections that the file carries. Raises :class:`Refused`."""
    document = inspect(path)
    reading = read_cues(path, document["frames"])
    document["problems"] += [p.as_dict() for p in reading.problems]
    document["sections"] = [
        {
            "start_frame": s.start,
            "end_frame": s.end,
            "start_s": round(s.start / document["sample_rate"], 6),
            "end_s": round(s.end / document["sample_rate"], 6),
            "name": s.name,
        }
        for s in reading.sections
    ]
    return document


def inspect_folder(folder: Path) -> dict[str, Any]:
    """Every sound file of a folder, its names read, and what the stems tell of each other. Raises :class:`Refused`."""
    paths = sorted(p for p in folder.iterdir() if p.is_file() and is_sound_name(p.name) and not p.name.startswith("."))
    if not paths:
        raise refuse("folder-empty", f"There are no sound files in “{folder.name}”.")
    if len(paths) > MAX_FILES:
        raise refuse(
            "folder-full", f"“{folder.name}” holds {len(paths)} sound files; a song has at most {MAX_FILES} stems."
        )
    reading = read_folder(folder.name, [p.name for p in paths])
    problems: list[Problem] = []
    heard, taken, files = [], [], []
    with ThreadPoolExecutor() as pool:
        measured = list(pool.map(_measured, paths))
    for path, guess, got in zip(paths, reading.stems, measured, strict=True):
        if isinstance(got, Refused):
            problems += got.problems
            files.append({"file": path.name, "ok": False, "problems": [p.as_dict() for p in got.problems]})
            continue
        stem = Stem(
            id=path.name,
            name=guess.name,
            file=path.name,
            group=guess.group,
            purpose="full_mix" if guess.group == "full_mix" else "always",
        )
        with open(path, "rb") as file:
            heard.append(Heard(stem=stem, measured=got, content=hashlib.file_digest(file, "sha256").hexdigest()))
        taken.append(path)
        files.append({"file": path.name, "ok": True, "name": guess.name, "group": guess.group, **facts(got)})
    mix = next((i for i, one in enumerate(heard) if one.stem.purpose == "full_mix"), None)
    with ThreadPoolExecutor() as pool:
        traces = list(pool.map(trace_file, taken))
    found = findings(as_heard(heard, compare(traces, mix)))
    return {
        "ok": True,
        "problems": [p.as_dict() for p in problems] + [{"code": f.code, "message": f.message} for f in found],
        "title": reading.title.value,
        "bpm": float(reading.bpm.value) if reading.bpm else None,
        "files": files,
        "findings": [_written(f) for f in found],
    }


def _written(finding: Finding) -> dict[str, Any]:
    return {
        "file": finding.stem,
        "code": finding.code,
        "severity": finding.severity,
        "message": finding.message,
        "value": finding.value,
        "unit": finding.unit,
        "sure": finding.sure,
        "mend": finding.mend.kind if finding.mend else None,
    }


def _measured(path: Path) -> Any:
    try:
        return measure_file(path)
    except Refused as refused:
        return refused
