"""The night log: what was really played, when (rule P5)."""

from __future__ import annotations

import contextlib
import json
import queue
import re
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec

from playout import order
from playout.checkpoint import CHECKPOINT, LOADED, Checkpoint, last_show
from playout.files import replace_file
from playout.processes import calm

VERSION = 1
FOLDER = "night-logs"
KEPT_DAYS = 90


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

    def checkpoint(self, place: Checkpoint) -> None:
        self._queue.put(("checkpoint", place))

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
        # Told each time: another process may have failed before this one writes.
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
            case "checkpoint":
                replace_file(self.folder / CHECKPOINT, msgspec.json.encode(content))

    def _open(self, load: order.LoadEntry, title: str, frame: int, sample_rate: int) -> None:
        last = last_show(load)
        head = {"kind": "night-log", "version": VERSION, "sample_rate": sample_rate, "origin": frame}
        head |= msgspec.structs.asdict(last)
        head["title"] = title
        start = {
            "entry": load.entry,
            "place": msgspec.to_builtins(load.place),
            "hand": msgspec.to_builtins(load.hand._asdict()),
        }
        start["tonight"] = msgspec.to_builtins(load.tonight)
        self._head = load.generation, json.dumps({"at": round(time.time(), 3), **head, **start}) + "\n"
        _forget_old(self.folder / FOLDER)
        self._go_on(load)
        self._fail(False)
        replace_file(self.folder / LOADED, msgspec.json.encode(last))

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
