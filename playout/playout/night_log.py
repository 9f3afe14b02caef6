"""The night log: what was really played, when (rule P5), and the place to come back to (rule P4)."""

from __future__ import annotations

import contextlib
import json
import os
import queue
import re
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypedDict

import msgspec

from playout import order
from playout.commands import Name
from playout.processes import calm
from upbeat.play.state import Hand, Place

VERSION = 1
FOLDER, CHECKPOINT, LOADED = "night-logs", "checkpoint.json", "loaded.json"
KEPT_DAYS = 90


class Checkpoint(TypedDict):
    """Where the show of a generation is: its entry, the place (entry, step, bar) it can be resumed at, the mix by hand."""

    generation: int
    show: str
    entry: int
    place: list[int] | None
    hand: list[Any]


class _LoadedFile(msgspec.Struct):
    generation: int
    folder: str
    show: Name
    band: Name = ""


class _CheckpointFile(msgspec.Struct):
    generation: int
    entry: int
    place: tuple[int, int, int] | None
    hand: Hand


class NightLog:
    """One file for each show that is loaded, a line of JSON for each event.

    Written on a thread of its own: a busy disk must not hold up the music. What cannot be written is
    said once; what comes later is tried again. ``on_written`` is told up to which output frame all is
    on the disk, ``on_failed`` whether writing fails.
    """

    def __init__(self, folder: Path, on_written: Callable[[int], None], on_failed: Callable[[bool], None]):
        self.folder = folder
        self._on_written, self._on_failed = on_written, on_failed
        self._queue: queue.SimpleQueue[tuple[str, Any] | None] = queue.SimpleQueue()
        self._file: Any = None
        self._generation = 0
        self._head: tuple[int, str] = 0, ""  # of the newest show: its generation, the first line of its file
        self._failed = False
        self._thread = threading.Thread(target=self._write, name="night-log", daemon=True)
        self._thread.start()

    def opened(self, load: order.LoadEntry, title: str, frame: int, sample_rate: int) -> None:
        """A show begins at an output frame: a file of its own."""
        self._queue.put(("open", (load, title, frame, sample_rate)))

    def given_back(self) -> None:
        """The show that was loaded is not to come back by itself."""
        self._queue.put(("given back", None))

    def add(self, load: order.LoadEntry, event: dict[str, Any]) -> None:
        """Add an event to the night of a show."""
        self._queue.put(("line", (load, {"at": round(time.time(), 3), **event})))

    def checkpoint(self, place: Checkpoint | None) -> None:
        if place is not None:
            self._queue.put((CHECKPOINT, place))

    def heard(self, frame: int) -> None:
        """All that was heard before an output frame has been added."""
        self._queue.put(("heard", frame))

    def _write(self) -> None:
        calm()
        while (job := self._queue.get()) is not None:
            try:
                self._do(*job)
            except Exception as error:  # the music goes on whatever cannot be written
                if not self._failed:
                    print(f"The night log cannot be written: {error}.", file=sys.stderr, flush=True)
                self._fail(True)

    def _fail(self, failed: bool) -> None:
        if failed != self._failed:
            self._failed = failed
            self._on_failed(failed)

    def _do(self, what: str, content: Any) -> None:
        match what:
            case "line":
                load, event = content
                self._go_on(load)
                self._file.write(json.dumps(event) + "\n")
                self._file.flush()
                self._fail(False)
            case "heard":
                self._on_written(content)
            case "open":
                self._open(*content)
            case "given back":
                (self.folder / LOADED).unlink(missing_ok=True)
            case _:
                replace_file(self.folder / what, json.dumps(content).encode())

    def _open(self, load: order.LoadEntry, title: str, frame: int, sample_rate: int) -> None:
        loaded = {"generation": load.generation, "folder": load.folder, "show": load.show, "band": load.band}
        head = {"kind": "night-log", "version": VERSION, "sample_rate": sample_rate, "origin": frame, **loaded}
        head["title"] = title
        start = {"entry": load.entry, "place": msgspec.to_builtins(load.place), "hand": load.hand._asdict()}
        self._head = load.generation, json.dumps({"at": round(time.time(), 3), **head, **start}) + "\n"
        _forget_old(self.folder / FOLDER)
        self._go_on(load)
        self._fail(False)
        replace_file(self.folder / LOADED, json.dumps(loaded).encode())

    def _go_on(self, load: order.LoadEntry) -> None:
        """Write in the night of a show, which another renderer may have begun."""
        if load.generation == self._generation:
            return
        self._close()
        path = self.folder / FOLDER / name_of(load)
        path.parent.mkdir(parents=True, exist_ok=True)
        self._file = open(path, "a", encoding="utf-8")
        if self._file.tell() == 0 and self._head[0] == load.generation:
            self._file.write(self._head[1])
            self._file.flush()
        self._generation = load.generation

    def _close(self) -> None:
        if self._file is not None:
            with contextlib.suppress(OSError):
                self._file.close()
            self._file, self._generation = None, 0

    def close(self) -> None:
        """Write what is left."""
        self._queue.put(None)
        self._thread.join()
        self._close()


def name_of(load: order.LoadEntry) -> str:
    """The file of a show's night: band and show are part of it, so that a page lists those of its band alone."""
    day = time.strftime("%Y%m%d", time.gmtime(load.asked_at))
    clock = time.strftime("%H%M%S", time.gmtime(load.asked_at))
    return f"{day}-{clock}-{load.generation}-{plain(load.band)}-{plain(load.show)}.jsonl"


def plain(text: str) -> str:
    return re.sub(r"[^A-Za-z0-9]", "", text)[:40] or "none"


def _forget_old(folder: Path) -> None:
    oldest = time.time() - KEPT_DAYS * 86400
    for path in folder.glob("*.jsonl"):
        with contextlib.suppress(OSError):
            if path.stat().st_mtime < oldest:
                path.unlink()


def replace_file(path: Path, body: bytes) -> None:
    """Write a file whole, in place of the one before."""
    path.parent.mkdir(parents=True, exist_ok=True)
    part = path.with_name(f"{path.name}.{os.getpid()}.part")
    part.write_bytes(body)
    part.replace(path)


def last_show(folder: Path) -> tuple[str, str, str, int, Place | None, Hand] | None:
    """What was loaded last: folder, show, band, entry, the place it was stopped at by a crash, the mix by hand."""
    try:
        loaded = msgspec.json.decode((folder / LOADED).read_bytes(), type=_LoadedFile)
    except (OSError, msgspec.MsgspecError):
        return None
    try:
        at = msgspec.json.decode((folder / CHECKPOINT).read_bytes(), type=_CheckpointFile)
    except (OSError, msgspec.MsgspecError):
        at = None
    if at is None or at.generation != loaded.generation:
        return loaded.folder, loaded.show, loaded.band, 0, None, Hand()
    place = None if at.place is None else Place(*at.place)
    return loaded.folder, loaded.show, loaded.band, at.entry, place, at.hand
