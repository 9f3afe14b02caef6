"""Making a show ready on a thread of its own, while time goes on."""

from __future__ import annotations

import threading
from dataclasses import dataclass
from pathlib import Path

from upbeat.errors import Refused, refuse
from upbeat.show.bundle import read_document
from upbeat.show.ready import ReadyShow, make_ready


@dataclass(frozen=True)
class Loaded:
    """A show that is ready, or why it is not."""

    name: str
    folder: Path
    ready: ReadyShow | None = None
    refused: Refused | None = None


class Loader:
    """Loads one show at a time. ``name``: the show that is being loaded."""

    def __init__(self, words_folder: Path | None, channels: int, device: str):
        self._words, self._channels, self._device = words_folder, channels, device
        self._done: Loaded | None = None
        self.name: str | None = None

    def begin(self, name: str, folder: Path) -> None:
        """Raises :class:`Refused` while another show is being loaded, or where the folder is not there."""
        if self.name is not None:
            raise refuse("load-loading", "A show is being loaded already: wait for it.")
        if not folder.is_dir():
            raise refuse("show-missing", "The show to be loaded is not there: save it again.")
        self.name = name
        threading.Thread(target=self._load, args=(name, folder), name="load", daemon=True).start()

    def take(self) -> Loaded | None:
        """The show that was loaded since the last call."""
        done, self._done = self._done, None
        if done is not None:
            self.name = None
        return done

    def _load(self, name: str, folder: Path) -> None:
        try:
            self._done = Loaded(name, folder, ready=self._ready(folder))
        except Refused as refused:
            self._done = Loaded(name, folder, refused=refused)
        except Exception as error:  # the loop goes on whatever a document holds
            why = f"The show could not be loaded: {type(error).__name__}: {error}."
            self._done = Loaded(name, folder, refused=refuse("load-failed", why))

    def _ready(self, folder: Path) -> ReadyShow:
        ready = make_ready(read_document(folder), folder, words_folder=self._words)
        top = max((s.number for s in ready.show.routing.sockets), default=0)
        if top > self._channels:
            has = f"the device “{self._device}” has {self._channels} outputs"
            raise refuse("device-too-small", f"The rig has a socket {top}, {has}.")
        return ready
