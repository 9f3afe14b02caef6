"""Making a show ready on a thread of its own, while time goes on."""

from __future__ import annotations

import contextlib
import fcntl
import queue
import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path

import msgspec

from playout import order
from playout.files import replace_file
from playout.processes import calm
from upbeat.audio.file_pcm import Pcm, SilentPcm, open_to_play
from upbeat.errors import Refused, refuse
from upbeat.show.bundle import read_document
from upbeat.show.check import harmed_files
from upbeat.show.describe import describe
from upbeat.show.document import Show
from upbeat.show.ready import ReadyShow, inside, make_ready
from upbeat.show.taking_in import ChangedShow, KeptEntry, KeptSound


@dataclass(frozen=True)
class Loaded:
    """A show that is ready, or why it is not. ``folders``: every show in it, by the folder it lies in."""

    entry: order.LoadEntry
    show: ChangedShow | None = None
    folders: Mapping[str, ReadyShow] = field(default_factory=dict)
    refused: Refused | None = None


def described_file(folder: Path, generation: int) -> Path:
    """Where the description of a show lies; a few generations share the files."""
    return folder / f"described-{generation % 4}.json"


class Loader:
    """Makes shows ready, one after the other, and writes down in ``folder`` what pages need to know of them.

    ``outputs``: how many the device has now.
    """

    def __init__(self, folder: Path, words_folder: Path | None, outputs: Callable[[], int]):
        self._folder, self._words, self._outputs = folder, words_folder, outputs
        self._asked: queue.SimpleQueue[order.LoadEntry | Loaded] = queue.SimpleQueue()
        self._done: queue.SimpleQueue[Loaded] = queue.SimpleQueue()
        threading.Thread(target=self._run, name="load", daemon=True).start()

    def begin(self, entry: order.LoadEntry) -> None:
        self._asked.put(entry)

    def take(self) -> Loaded | None:
        """A show that was made ready since the last call."""
        try:
            return self._done.get_nowait()
        except queue.Empty:
            return None

    def load(self, entry: order.LoadEntry) -> Loaded:
        """Make a show ready here and now."""
        try:
            loaded = self._loaded(entry)
            if not entry.onto:
                self._describe(loaded)
            return loaded
        except Refused as no:
            return Loaded(entry, refused=no)
        except Exception as error:  # the loop goes on whatever a document holds
            why = f"The show could not be loaded: {type(error).__name__}: {error}."
            return Loaded(entry, refused=refuse("load-failed", why))

    def describe(self, loaded: Loaded) -> None:
        """Write down a show that has taken the place of another, with what sounds on of that."""
        self._asked.put(loaded)

    def _describe(self, loaded: Loaded) -> None:
        assert loaded.show is not None
        entry = loaded.entry
        document = {"show": entry.show, "generation": entry.generation, "folder": entry.folder}
        document["described"] = describe(loaded.show.ready)
        # Of a full disk the music knows nothing: pages are told to ask again.
        with contextlib.suppress(OSError):
            replace_file(described_file(self._folder, entry.generation), msgspec.json.encode(document))

    def _run(self) -> None:
        calm()
        while True:
            asked = self._asked.get()
            if isinstance(asked, Loaded):
                self._describe(asked)
            else:
                self._done.put(self.load(asked))

    def _loaded(self, entry: order.LoadEntry) -> Loaded:
        ready = self._ready(entry, Path(entry.folder), 0)
        folders = {entry.folder: ready}
        for one in entry.kept:
            if one.folder not in folders:
                folders[one.folder] = self._ready(entry, Path(one.folder), len(folders))
        entries = tuple(KeptEntry(folders[k.folder], k.entry) for k in entry.kept if k.entry is not None)
        sounds = tuple(KeptSound(folders[k.folder], k.sound, k.rings_as) for k in entry.kept if k.entry is None)
        return Loaded(entry, ChangedShow(ready, entries, sounds), folders)

    def _ready(self, entry: order.LoadEntry, folder: Path, nth: int) -> ReadyShow:
        """The show of a folder, the ``nth`` of those that an entry loads."""
        if not folder.is_dir():
            raise refuse("show-missing", "The show to be loaded is not there: save it again.")
        show = read_document(folder)
        harmed = {inside(folder, name) for name in self._harmed(entry, show, folder, nth)}

        def opened(path: Path, sample_rate: int) -> Pcm:
            # What is not as it was prepared may be noise: it is silent, and named.
            return SilentPcm() if path in harmed else open_to_play(path, sample_rate)

        ready = make_ready(show, folder, words_folder=self._words, open_stem=opened, line_check=True)
        top, outputs = max((s.number for s in ready.show.routing.sockets), default=0), self._outputs()
        # What played before a crash comes back whatever is plugged in now.
        if top > outputs and not entry.recover and not nth:
            raise refuse(
                "device-too-small",
                f"The rig has a socket {top}, the interface has {outputs} outputs: choose another under Outputs.",
            )
        return ready

    def _harmed(self, entry: order.LoadEntry, show: Show, folder: Path, nth: int) -> list[str]:
        """Files of a show that are not as they were prepared: looked at by one renderer, for both and for all their lives."""
        kept = self._folder / f"harmed-{entry.generation % 4}-{nth}.json"
        with open(self._folder / "harmed.lock", "w") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX)
            with contextlib.suppress(OSError, msgspec.MsgspecError):
                found = msgspec.json.decode(kept.read_bytes(), type=_Harmed)
                if (found.generation, found.asked_at) == (entry.generation, entry.asked_at):
                    return found.files
            files = harmed_files(show, folder)
            with contextlib.suppress(OSError):
                replace_file(kept, msgspec.json.encode(_Harmed(entry.generation, entry.asked_at, files)))
            return files


class _Harmed(msgspec.Struct, frozen=True):
    generation: int
    asked_at: float
    files: list[str]
