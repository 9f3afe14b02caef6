"""The night log: what was really played, when (rule P5), and the checkpoint of every bar (rule P4)."""

from __future__ import annotations

import json
import queue
import sys
import threading
import time
from pathlib import Path
from typing import Any, TypedDict

LOG, CHECKPOINT, LOADED = "night-log.jsonl", "checkpoint.json", "loaded.json"


class Checkpoint(TypedDict):
    """Where the show is: entry, step and bar (from 1), and the house."""

    show: str | None
    entry: int
    step: int
    bar: int
    pulled: bool


class Crashed(TypedDict):
    """What was loaded when the process died, and where it was."""

    folder: str
    show: str
    at: Checkpoint


class NightLog:
    """One JSON line for each event, and the newest checkpoint, in ``folder``.

    Written on a thread of its own: a busy disk must not hold up the music. A write that fails is
    said once on standard error, and the next one is tried.
    """

    def __init__(self, folder: Path):
        self.folder = folder
        folder.mkdir(parents=True, exist_ok=True)
        self._file = open(folder / LOG, "a", encoding="utf-8")
        self._queue: queue.SimpleQueue[tuple[str, str] | None] = queue.SimpleQueue()
        self._failed = False
        self._thread = threading.Thread(target=self._write, name="night-log", daemon=True)
        self._thread.start()

    def opened(self, show: str, show_folder: str) -> None:
        """A show was loaded."""
        self.add({"frame": 0, "kind": "loaded", "show": show, "folder": show_folder})
        self._queue.put((LOADED, json.dumps({"show": show, "folder": show_folder})))

    def add(self, event: dict[str, Any]) -> None:
        self._queue.put((LOG, json.dumps({"at": round(time.time(), 3), **event}, ensure_ascii=False) + "\n"))

    def checkpoint(self, place: Checkpoint) -> None:
        self._queue.put((CHECKPOINT, json.dumps(place)))

    def _write(self) -> None:
        while (job := self._queue.get()) is not None:
            try:
                self._write_one(*job)
                self._failed = False
            except (OSError, ValueError) as error:
                if not self._failed:
                    print(f"The night log cannot be written: {error}.", file=sys.stderr)
                self._failed = True

    def _write_one(self, name: str, text: str) -> None:
        if name == LOG:
            self._file.write(text)
        else:
            part = self.folder / f"{name}.part"
            part.write_text(text)
            part.replace(self.folder / name)
        if self._queue.empty():
            self._file.flush()

    def close(self, orderly: bool) -> None:
        """Write what is left. After an ``orderly`` end there is nothing to recover."""
        self._queue.put(None)
        self._thread.join()
        try:
            self._file.close()
        except OSError:
            pass
        if orderly:
            (self.folder / CHECKPOINT).unlink(missing_ok=True)


def crashed(folder: Path) -> Crashed | None:
    """What was playing when the process before this one died; None after an orderly end."""
    try:
        at: Checkpoint = json.loads((folder / CHECKPOINT).read_text())
        loaded = json.loads((folder / LOADED).read_text())
        return Crashed(folder=str(loaded["folder"]), show=str(loaded["show"]), at=at)
    except (OSError, ValueError, KeyError, TypeError):
        return None
