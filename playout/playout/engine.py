"""The engine's heart: one loop that renders a block, writes it, and listens between blocks."""

from __future__ import annotations

import json
import os
import queue
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from playout.device import Device, Meters, SimulatedDevice
from playout.wire import pack_tap
from upbeat.errors import Problem, Refused
from upbeat.mix.render import Renderer
from upbeat.play.transport import PRESSES, Place, Span, State, advance, coming, landings, position, press
from upbeat.show.bundle import read_document
from upbeat.show.describe import describe
from upbeat.show.ready import ReadyShow, make_ready

BLOCK = 256
STATES_A_SECOND = 30
TAP_BLOCKS = 8
Publish = Callable[[bytes, bytes], None]


class Engine:
    """Plays one show at a time to one device. Everything here runs on the engine's thread,
    but for loading, which makes a show ready on a thread of its own while time goes on.
    """

    def __init__(self, device: Device, folder: Path, publish: Publish, words_folder: Path | None = None):
        self.device, self.folder, self.publish, self.words_folder = device, folder, publish, words_folder
        folder.mkdir(parents=True, exist_ok=True)
        self.ready: ReadyShow | None = None
        self.renderer: Renderer | None = None
        self.show_id: str | None = None
        self.state = State()
        self.frame = 0  # output frames since the engine began; the transport's own begin with each show
        self.meters = Meters(device.channels)
        self.loading: str | None = None
        self.loads = 0
        self._dropouts_before = 0  # what was lost before this show was loaded is of no matter to it
        self._loaded: tuple[str, ReadyShow, Path] | Refused | None = None
        self._out = np.zeros((device.channels, BLOCK), dtype=np.float32)
        self._rows: np.ndarray | None = None
        self._places: list[int] = []
        self._tapped: list[tuple[str, np.ndarray]] = []
        self._tap_frame = 0
        self._log = NightLog(folder / "night-log.jsonl")
        self._last_state = 0.0
        self._changed = True
        self._answer: dict[str, Any] | None = None
        self._last_press: dict[str, Any] | None = None

    # --- the loop --------------------------------------------------------------------

    def step(self) -> None:
        """Render one block and hand it to the device, which sets the pace."""
        self._take_loaded()
        block = self._render()
        self.meters.push(block)
        self.device.write(block)
        self.frame += BLOCK
        now = time.monotonic()
        if self._changed or now - self._last_state >= 1 / STATES_A_SECOND:
            self._changed, self._last_state = False, now
            self.publish(b"state", json.dumps(self.snapshot()).encode())

    def _render(self) -> np.ndarray:
        if self.ready is None or self.renderer is None or self._rows is None:
            self._out[:] = 0
            return self._out
        before = self.state
        self.state, span = advance(self.ready.plan, before, BLOCK)
        self.renderer.render(span, self._rows)
        self._out[self._places] = self._rows[: len(self._places)]
        self._note(span, before)
        self._give_taps()
        return self._out

    def _note(self, span: Span, before: State) -> None:
        if span.events:
            self._changed = True
            for event in span.events:
                self._log.add(event)
                if event["kind"] == "bar":
                    self._checkpoint(event)
        if self.state.status != before.status or self.state.entry != before.entry:
            self._changed = True

    def _give_taps(self) -> None:
        assert self.renderer is not None
        assert self._rows is not None
        assert self.ready is not None
        if not self.renderer.taps:
            return
        row = len(self.ready.show.routing.sockets)
        channels = {f.id: f.channels for f in self.ready.show.routing.feeds}
        for tap in self.renderer.taps:
            self._tapped.append((tap, self._rows[row : row + channels[tap]].copy()))
            row += channels[tap]
        if len(self._tapped) >= TAP_BLOCKS * len(self.renderer.taps):
            for tap in self.renderer.taps:
                sound = np.concatenate([b for t, b in self._tapped if t == tap], axis=1)
                self.publish(b"tap:" + tap.encode(), pack_tap(self._tap_frame, sound))
            self._tapped = []
            self._tap_frame = self.state.head

    # --- commands --------------------------------------------------------------------

    def command(self, message: dict[str, Any]) -> dict[str, Any]:
        """Answer one control message; never raises for what it is asked."""
        name = message.get("do")
        handler = getattr(self, f"_do_{name}", None) if isinstance(name, str) and name.isidentifier() else None
        if handler is None:
            return _refused(Problem("command-unknown", f"The engine has no command “{name}”."))
        self._changed = True
        try:
            answer: dict[str, Any] = {"ok": True, **handler(message)}
            return answer
        except Refused as refused:
            return _refused(*refused.problems)
        except OSError as error:
            return _refused(Problem("file-system", f"The disk said no: {error.strerror or error}."))

    def _do_ping(self, message: dict[str, Any]) -> dict[str, Any]:
        return {"device": self.device.name, "channels": self.device.channels, "pid": os.getpid()}

    def _do_state(self, message: dict[str, Any]) -> dict[str, Any]:
        return {"state": self.snapshot(read_meters=False)}

    def _do_describe(self, message: dict[str, Any]) -> dict[str, Any]:
        if self.ready is None:
            raise Refused(Problem("no-show", "No show is loaded: take one to the stage first."))
        return {"show": self.show_id, "described": describe(self.ready)}

    def _do_load(self, message: dict[str, Any]) -> dict[str, Any]:
        if self.state.run is not None:
            raise Refused(Problem("load-playing", "A song is playing: stop it before another show is loaded."))
        if self.loading:
            raise Refused(Problem("load-loading", "A show is being loaded already: wait for it."))
        folder = Path(str(message.get("folder", "")))
        if not folder.is_dir():
            raise Refused(Problem("show-missing", "The show to be loaded is not there: save it again."))
        self.loading = str(message.get("show") or folder.name)
        self._answer = None
        threading.Thread(
            target=self._load, args=(self.loading, folder, message.get("place")), name="load", daemon=True
        ).start()
        return {"loading": self.loading}

    def _load(self, name: str, folder: Path, place: Any) -> None:
        try:
            ready = make_ready(read_document(folder), folder, words_folder=self.words_folder)
            top = max((s.number for s in ready.show.routing.sockets), default=0)
            if top > self.device.channels:
                raise Refused(
                    Problem(
                        "device-too-small",
                        f"The rig has a socket {top}, the device “{self.device.name}” has {self.device.channels} outputs.",
                    )
                )
            self._loaded = (name, ready, folder)
        except Refused as refused:
            self._loaded = refused
        except Exception as error:  # the loop must go on whatever a document holds
            self._loaded = Refused(
                Problem("load-failed", f"The show could not be loaded: {type(error).__name__}: {error}.")
            )

    def _take_loaded(self) -> None:
        if self._loaded is None:
            return
        loaded, self._loaded, name = self._loaded, None, self.loading
        self.loading = None
        self._changed = True
        if isinstance(loaded, Refused):
            self._answer = {"show": name, **_refused(*loaded.problems)}
            return
        self.show_id, self.ready, folder = loaded
        self.renderer = self.ready.renderer()
        self.state = State()
        self._size_rows()
        self._places = [s.number - 1 for s in self.ready.show.routing.sockets]
        self._out[:] = 0
        self.loads += 1
        self._dropouts_before = self.device.dropouts
        self._answer = {"show": name, "ok": True}
        self._log.open(self.show_id, str(folder))
        self._resume_checkpoint()

    def _size_rows(self) -> None:
        assert self.renderer is not None
        self._rows = np.zeros((self.renderer.rows, BLOCK), dtype=np.float32)

    def _do_press(self, message: dict[str, Any]) -> dict[str, Any]:
        name = message.get("press")
        if self.ready is None:
            raise Refused(Problem("no-show", "No show is loaded: take one to the stage first."))
        if name not in PRESSES:
            raise Refused(Problem("press-unknown", f"There is no press called “{name}”."))
        args = message.get("args") or {}
        heard = max(0, self.state.head - self.device.held())
        self.state, outcome = press(self.ready.plan, self.state, str(name), args, heard)
        answer = {
            "press": name,
            "accepted": outcome.accepted,
            "code": outcome.code,
            "message": outcome.message,
            "frame": outcome.frame,
            "bar": outcome.bar,
            "late": outcome.late,
        }
        self._last_press = {**answer, "args": args, "at": self.state.head}
        self._log.add(
            {
                "frame": self.state.head,
                "kind": "press",
                "press": name,
                "args": args,
                "heard": heard,
                "accepted": outcome.accepted,
                "message": outcome.message,
            }
        )
        return answer

    def _do_taps(self, message: dict[str, Any]) -> dict[str, Any]:
        feeds = [str(f) for f in message.get("feeds", [])]
        if self.renderer is not None:
            self.renderer.set_taps(feeds)
            self._size_rows()
            self._tapped, self._tap_frame = [], self.state.head
        return {"feeds": list(self.renderer.taps) if self.renderer else []}

    def _do_record(self, message: dict[str, Any]) -> dict[str, Any]:
        if not isinstance(self.device, SimulatedDevice):
            raise Refused(Problem("record-device", "Only the simulated device records: record a real one at the desk."))
        if message.get("on", True):
            path = self.folder / "recordings" / f"sockets-{time.strftime('%Y%m%d-%H%M%S')}-{self.frame}.wav"
            self.device.record(path)
            return {"recording": True, "file": str(path), "frame": self.state.head}
        finished = self.device.finish_recording()
        return {"recording": False, "file": str(finished) if finished else None}

    # --- what is told and kept ---------------------------------------------------------

    def snapshot(self, read_meters: bool = True) -> dict[str, Any]:
        """The state as it is heard now: position, what comes, meters, dropouts."""
        held = self.device.held()
        base: dict[str, Any] = {
            "show": self.show_id,
            "loading": self.loading,
            "load_answer": self._answer,
            "device": self.device.name,
            "channels": self.device.channels,
            "dropouts": self.device.dropouts - self._dropouts_before,
            "latency_ms": round(1000 * held / self.device.sample_rate, 1),
            "recording": getattr(self.device, "recording", False),
            "last_press": self._last_press,
        }
        if read_meters:
            base["peak"], base["rms"] = self.meters.read()
        if self.ready is None:
            return {**base, "status": "empty"}
        plan, state = self.ready.plan, self.state
        heard = max(0, state.head - held)
        return {
            **base,
            "loads": self.loads,
            "status": state.status,
            "head": state.head,
            "heard": heard,
            "entry": state.entry,
            "house_pulled": state.house_pulled,
            "fallback": state.fallback,
            "position": position(plan, state, heard),
            "coming": coming(plan, state),
            "landings": landings(plan, state),
            "sample_rate": plan.sample_rate,
            "taps": list(self.renderer.taps) if self.renderer else [],
        }

    def _checkpoint(self, event: dict[str, Any]) -> None:
        place = {
            "show": self.show_id,
            "entry": event["entry"],
            "step": event["step"],
            "bar": event["bar"],
            "pulled": self.state.house_pulled,
        }
        self._log.checkpoint(place)

    def _resume_checkpoint(self) -> None:
        """After a crash: stand stopped at the bar that was playing; never start (rule P4)."""
        file = self.folder / "checkpoint.json"
        if not file.exists() or self.ready is None:
            return
        try:
            at = json.loads(file.read_text())
            entry = self.ready.plan.entries[at["entry"]]
            if (
                at["show"] == self.show_id
                and at["crashed"]
                and 0 <= at["step"] < len(entry.steps)
                and 1 <= at["bar"] <= entry.bars
            ):
                self.state = State(
                    entry=at["entry"], place=Place(at["entry"], at["step"], at["bar"]), house_pulled=at["pulled"]
                )
        except (OSError, ValueError, KeyError, IndexError, TypeError):
            pass
        file.unlink(missing_ok=True)

    def recover(self) -> Path | None:
        """At the start of the process: the folder of the show that was playing when it died, if one was."""
        file, loaded = self.folder / "checkpoint.json", self.folder / "loaded.json"
        try:
            at = json.loads(file.read_text())
            file.write_text(json.dumps({**at, "crashed": True}))
            return Path(json.loads(loaded.read_text())["folder"])
        except (OSError, ValueError, KeyError):
            return None

    def close(self) -> None:
        """An orderly end: nothing to recover."""
        self.device.stop()
        self._log.close()
        (self.folder / "checkpoint.json").unlink(missing_ok=True)


class NightLog:
    """What was really played, when: one JSON line for each event (rule P5), and the checkpoint of every bar.

    Written on a thread of its own: a disk that is busy must not hold up the music. A full one is
    told once and then forgotten.
    """

    def __init__(self, path: Path):
        self.path = path
        self._file = open(path, "a", encoding="utf-8")
        self._queue: queue.SimpleQueue[tuple[str, str] | None] = queue.SimpleQueue()
        self._thread = threading.Thread(target=self._write, name="night-log", daemon=True)
        self._thread.start()

    def open(self, show: str | None, folder: str) -> None:
        self.add({"frame": 0, "kind": "loaded", "show": show, "folder": folder})
        self._queue.put(("loaded.json", json.dumps({"show": show, "folder": folder})))

    def add(self, event: dict[str, Any]) -> None:
        self._queue.put(("", json.dumps({"at": round(time.time(), 3), **event}, ensure_ascii=False) + "\n"))

    def checkpoint(self, place: dict[str, Any]) -> None:
        self._queue.put(("checkpoint.json", json.dumps(place)))

    def _write(self) -> None:
        while (job := self._queue.get()) is not None:
            name, text = job
            try:
                if name:
                    part = self.path.parent / f"{name}.part"
                    part.write_text(text)
                    part.replace(self.path.parent / name)
                else:
                    self._file.write(text)
                if self._queue.empty():
                    self._file.flush()
            except OSError as error:
                print(f"The night log cannot be written: {error.strerror}.", file=sys.stderr)

    def close(self) -> None:
        """Write what is left."""
        self._queue.put(None)
        self._thread.join()
        try:
            self._file.close()
        except OSError:
            pass


def _refused(*problems: Problem) -> dict[str, Any]:
    return {"ok": False, "problems": [p.as_dict() for p in problems]}
