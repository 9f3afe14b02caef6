"""The engine's loop: render a block, hand it to the device, and answer commands between blocks."""

from __future__ import annotations

import os
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec
import numpy as np

from playout import commands
from playout.devices import BLOCK, Device
from playout.devices.simulated import SimulatedDevice
from playout.loading import Loaded, Loader
from playout.meters import Meters
from playout.night_log import Checkpoint, Crashed, NightLog
from playout.session import Session
from playout.snapshot import DeviceState, EmptyState, EngineState, LastPress, empty_state, engine_state, refused
from playout.wire import pack_tap
from upbeat.errors import Refused, refuse
from upbeat.play.advance import Span
from upbeat.play.events import BarLine, record
from upbeat.play.presses import PRESSES
from upbeat.play.state import Hand, Place, State, stopped_at
from upbeat.show.describe import describe

STATES_A_SECOND = 30
TAP_BLOCKS = 8
Publish = Callable[[bytes, bytes], None]


class Engine:
    """Plays one show at a time to one device.

    Everything runs on one thread but for loading. ``crashed``: what the process before this one
    was playing when it died; it is loaded again and stands stopped there (rule P4).
    """

    def __init__(
        self,
        device: Device,
        folder: Path,
        publish: Publish,
        words_folder: Path | None = None,
        crashed: Crashed | None = None,
    ):
        self.device, self.folder, self.publish = device, folder, publish
        self.session: Session | None = None
        self.loads = 0
        self._log = NightLog(folder)
        self._loader = Loader(words_folder, device.channels, device.name)
        self._meters = Meters(device.channels)
        self._out = np.zeros((device.channels, BLOCK), dtype=np.float32)
        self._tapped: list[tuple[str, np.ndarray]] = []
        self._tap_frame = 0
        self._frame = 0  # output frames since the engine began; a session's own begin with it
        self._dropouts_before = 0  # of earlier sessions
        self._last_state = 0.0
        self._changed = True
        self._load_answer: Any = None
        self._last_press: LastPress | None = None
        self._crashed = crashed
        if crashed is not None and Path(crashed["folder"]).is_dir():
            self._loader.begin(crashed["show"], Path(crashed["folder"]))

    # --- the loop --------------------------------------------------------------------

    def step(self) -> None:
        """Render one block and hand it to the device, which sets the pace."""
        loaded = self._loader.take()
        if loaded is not None:
            self._take(loaded)
        self._render()
        self._meters.push(self._out)
        self.device.write(self._out)
        self._frame += BLOCK
        now = time.monotonic()
        if self._changed or now - self._last_state >= 1 / STATES_A_SECOND:
            self._changed, self._last_state = False, now
            self.publish(b"state", msgspec.json.encode(self.state()))

    def _render(self) -> None:
        session = self.session
        if session is None:
            return
        before = session.state
        self._note(session, session.render(self._out), before)
        self._give_taps(session)

    def _note(self, session: Session, span: Span, before: State) -> None:
        """Write what happened in a block to the night log; a bar line is a checkpoint."""
        for event in span.logged():
            self._changed = True
            self._log.add(record(event))
            if isinstance(event, BarLine):
                self._log.checkpoint(
                    Checkpoint(
                        show=session.show,
                        entry=event.entry,
                        step=event.step,
                        bar=event.bar,
                        pulled=session.state.hand.house_pulled,
                    )
                )
        after = session.state
        if after.status != before.status or after.music.entry != before.music.entry:
            self._changed = True

    def _give_taps(self, session: Session) -> None:
        taps = session.renderer.taps
        if not taps:
            return
        self._tapped += session.tapped()
        if len(self._tapped) >= TAP_BLOCKS * len(taps):
            for tap in taps:
                sound = np.concatenate([b for t, b in self._tapped if t == tap], axis=1)
                self.publish(b"tap:" + tap.encode(), pack_tap(self._tap_frame, sound))
            self._tapped, self._tap_frame = [], session.state.head

    # --- loading ---------------------------------------------------------------------

    def _take(self, loaded: Loaded) -> None:
        """A show that was loaded takes the place of the one before; a refused one changes nothing."""
        self._changed = True
        if loaded.ready is None:
            problems = loaded.refused.problems if loaded.refused else ()
            self._load_answer = {"show": loaded.name, **refused(*problems)}
            return
        self.session = session = Session(loaded.name, loaded.ready)
        self._out[:] = 0
        self._tapped = []
        self.loads += 1
        self._dropouts_before = self.device.dropouts
        self._load_answer = {"show": loaded.name, "ok": True}
        self._log.opened(loaded.name, str(loaded.folder))
        at, self._crashed = self._crashed, None
        if at is not None and at["at"]["show"] == session.show:
            session.state = _recovered(session, at["at"])

    # --- commands --------------------------------------------------------------------

    def answer(self, raw: bytes) -> dict[str, Any]:
        """Answer one control message; never raises for what it holds."""
        self._changed = True
        try:
            return {"ok": True, **self._handle(commands.read_command(raw))}
        except Refused as no:
            return refused(*no.problems)
        except OSError as error:
            return refused(*refuse("file-system", f"The disk said no: {error.strerror or error}.").problems)

    def _handle(self, command: commands.AnyCommand) -> dict[str, Any]:
        match command:
            case commands.Ping():
                return {"device": self.device.name, "channels": self.device.channels, "pid": os.getpid()}
            case commands.GetState():
                return {"state": self.state(read_meters=False)}
            case commands.Describe():
                session = self._playing()
                return {"show": session.show, "described": describe(session.ready)}
            case commands.Load():
                return self._load(command)
            case commands.PressCommand():
                return self._press(self._playing(), command)
            case commands.Taps():
                return self._set_taps(command.feeds)
            case commands.Record():
                return self._record(command)

    def _playing(self) -> Session:
        if self.session is None:
            raise refuse("no-show", "No show is loaded: take one to the stage first.")
        return self.session

    def _load(self, command: commands.Load) -> dict[str, Any]:
        if self.session is not None and self.session.state.music.run is not None:
            raise refuse("load-playing", "A song is playing: stop it before another show is loaded.")
        self._loader.begin(command.show, Path(command.folder))
        self._load_answer = None
        return {"loading": command.show}

    def _press(self, session: Session, command: commands.PressCommand) -> dict[str, Any]:
        if command.press not in PRESSES:
            raise refuse("press-unknown", f"There is no press called “{command.press}”.")
        args = command.args or {}
        at = session.state.head
        heard = max(0, at - self.device.held())
        outcome = session.press(command.press, args, heard)
        self._last_press = {
            "press": command.press,
            "accepted": outcome.accepted,
            "code": outcome.code,
            "message": outcome.message,
            "frame": outcome.frame,
            "bar": outcome.bar,
            "late": outcome.late,
            "args": args,
            "at": at,
        }
        logged = {"press": command.press, "args": args, "heard": heard, "accepted": outcome.accepted}
        self._log.add({"frame": at, "kind": "press", **logged, "message": outcome.message})
        return {k: v for k, v in self._last_press.items() if k not in ("args", "at")}

    def _set_taps(self, feeds: list[str]) -> dict[str, Any]:
        if self.session is None:
            return {"feeds": []}
        self._tapped, self._tap_frame = [], self.session.state.head
        return {"feeds": list(self.session.set_taps(feeds))}

    def _record(self, command: commands.Record) -> dict[str, Any]:
        if not isinstance(self.device, SimulatedDevice):
            raise refuse("record-device", "Only the simulated device records: record a real one at the desk.")
        if command.on:
            name = f"sockets-{time.strftime('%Y%m%d-%H%M%S')}-{self._frame}.wav"
            path = self.folder / "recordings" / command.folder / name
            self.device.record(path)
            return {"recording": True, "file": str(path), "frame": self.session.state.head if self.session else 0}
        finished = self.device.finish_recording()
        return {"recording": False, "file": str(finished) if finished else None}

    # --- the state -------------------------------------------------------------------

    def state(self, read_meters: bool = True) -> EngineState | EmptyState:
        """The state at the audible frame; reading the meters resets them."""
        held = self.device.held()
        device: DeviceState = {
            "show": self.session.show if self.session else None,
            "loading": self._loader.name,
            "load_answer": self._load_answer,
            "device": self.device.name,
            "channels": self.device.channels,
            "dropouts": self.device.dropouts - self._dropouts_before,
            "latency_ms": round(1000 * held / self.device.sample_rate, 1),
            "recording": getattr(self.device, "recording", False),
            "last_press": self._last_press,
        }
        if read_meters:
            device["peak"], device["rms"] = self._meters.read()
        return engine_state(device, self.session, self.loads, held) if self.session else empty_state(device)

    def close(self, orderly: bool) -> None:
        """Finish what is being written. Without ``orderly`` the checkpoint stays, to be recovered from."""
        self.device.stop()
        self._log.close(orderly)


def _recovered(session: Session, at: Checkpoint) -> State:
    """Stopped at the bar that was playing (rule P4); standing by where the show does not have it."""
    plan = session.ready.plan
    try:
        entry = plan.entries[at["entry"]]
        known = at["entry"] >= 0 and 0 <= at["step"] < len(entry.steps) and 1 <= at["bar"] <= entry.bars
        place = Place(at["entry"], at["step"], at["bar"])
        return stopped_at(place, Hand(house_pulled=bool(at["pulled"]))) if known else State()
    except (KeyError, IndexError, TypeError):
        print("The checkpoint does not fit the show: it stands by at its start.", file=sys.stderr)
        return State()
