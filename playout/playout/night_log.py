"""The night log: what was really played, when (rule P5)."""

from __future__ import annotations

import contextlib
import json
import queue
import sys
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
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


@dataclass(frozen=True)
class Begun:
    """A show and the output frame it began at: what the first line of its file tells."""

    load: order.LoadEntry
    title: str
    frame: int
    sample_rate: int

    def head(self) -> str:
        load = self.load
        head = {"at": round(load.asked_at, 3), "kind": "night-log", "version": VERSION}
        head |= {"sample_rate": self.sample_rate, "origin": self.frame, "title": self.title}
        head |= msgspec.to_builtins(last_show(load))
        head |= {"entry": load.entry, "place": msgspec.to_builtins(load.place)}
        head |= {"hand": msgspec.to_builtins(load.hand._asdict()), "tonight": msgspec.to_builtins(load.tonight)}
        return json.dumps(head) + "\n"


class NightLog:
    """One file for each show that is loaded, a line of JSON for each event.

    Written on a thread of its own: a busy disk must not hold up the music. What cannot be written is
    said once; what comes later is tried again. ``on_written`` is told up to which output frame all is
    on the disk, ``on_failed`` whether writing fails; ``written`` tells up to which frame it is, by whoever wrote it.
    """

    def __init__(
        self,
        folder: Path,
        on_written: Callable[[int], None],
        on_failed: Callable[[bool], None],
        written: Callable[[], int],
    ):
        self.folder = folder
        self._on_written, self._on_failed, self._written = on_written, on_failed, written
        self._queue: queue.SimpleQueue[tuple[str, Any] | None] = queue.SimpleQueue()
        self._file: Any = None
        self._generation = 0
        self._failed = False
        self._given = self._done = 0  # jobs: the first is counted by the renderer, the second by the thread
        self._thread = threading.Thread(target=self._write, name="night-log", daemon=True)
        self._thread.start()

    def opened(self, show: Begun) -> None:
        """A show begins: a file of its own."""
        self._put("open", show)

    def given_back(self) -> None:
        """The show that was loaded is not to come back by itself."""
        self._put("given back", None)

    def add(self, show: Begun, event: dict[str, Any]) -> None:
        """Add an event to the night of a show."""
        self._put("line", (show, {"at": round(time.time(), 3), **event}))

    def checkpoint(self, place: Checkpoint) -> None:
        self._put("checkpoint", place)

    def heard(self, frame: int) -> None:
        """All that was heard before an output frame has been added."""
        if self._given == self._done:
            self._on_written(frame)  # it is written already: most of the time nothing waits
        else:
            self._put("heard", frame)

    def _put(self, what: str, content: Any) -> None:
        self._given += 1
        self._queue.put((what, content))

    def _write(self) -> None:
        calm()
        while (job := self._queue.get()) is not None:
            try:
                self._do(*job)
            except Exception as error:  # the music goes on whatever cannot be written
                if not self._failed:
                    print(f"The night log cannot be written: {error}.", file=sys.stderr, flush=True)
                self._fail(True)
            self._done += 1

    def _fail(self, failed: bool) -> None:
        # Told each time: another process may have failed before this one writes.
        self._failed = failed
        self._on_failed(failed)

    def _do(self, what: str, content: Any) -> None:
        match what:
            case "line":
                show, event = content
                if show.frame + event["frame"] < self._written():
                    return  # this process stood still for so long that the other renderer wrote it
                self._go_on(show)
                self._file.write(json.dumps(event) + "\n")
                self._file.flush()
                self._fail(False)
            case "heard":
                self._on_written(content)
            case "open":
                self._open(content)
            case "given back":
                (self.folder / LOADED).unlink(missing_ok=True)
            case "checkpoint":
                replace_file(self.folder / CHECKPOINT, msgspec.json.encode(content))

    def _open(self, show: Begun) -> None:
        replace_file(self.folder / LOADED, msgspec.json.encode(last_show(show.load)))
        _forget_old(self.folder / FOLDER)
        self._go_on(show)
        self._fail(False)

    def _go_on(self, show: Begun) -> None:
        """Write in the night of a show, which another renderer may have begun, or may have failed to begin."""
        if show.load.generation == self._generation:
            return
        self._close()
        path = self.folder / FOLDER / show.load.night_file
        path.parent.mkdir(parents=True, exist_ok=True)
        self._file = open(path, "a", encoding="utf-8")
        if self._file.tell() == 0:
            self._file.write(show.head())
            self._file.flush()
        self._generation = show.load.generation

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


def _forget_old(folder: Path) -> None:
    oldest = time.time() - KEPT_DAYS * 86400
    for path in folder.glob("*.jsonl"):
        with contextlib.suppress(OSError):
            if path.stat().st_mtime < oldest:
                path.unlink()
