"""The ports: ``python -m playout.ports.main --listen PORT --publish PORT --control PORT --state PORT --folder DIR --hands DIR``.

Listens for commands (REP), and publishes (PUB) ``hands``: what is plugged in, at every change and once a second, and
``out``: lights of ports that pages have, ``devices``: how those are that get messages, and ``signals``: what was pressed, at most so many times a second as a page can draw.
"""

from __future__ import annotations

import argparse
import contextlib
import os
import signal
import sys
import threading
import time
import traceback
from pathlib import Path
from typing import Any

import msgspec
import zmq

from playout.ports.boxes import BOXES, Boxes
from playout.ports.commands import AnyCommand, Box, Bytes, Key, Quiet, Send, Tell, Try, read_command
from playout.ports.hub import Hub
from playout.ports.keyboards import Keyboards
from playout.ports.lane import DeviceNow
from playout.ports.midi import Midi
from playout.ports.midi_in import Came
from playout.ports.night import Night
from playout.ports.outbox import Outbox
from playout.ports.receivers import Address, MidiReceiver, OscReceiver, Receiver
from playout.ports.stand_ins import RECEIVERS, StandIns
from playout.processes import hurry, named
from upbeat.controls.signals import PAGE_KEYS
from upbeat.errors import Refused, refuse

LOOK_S, TELL_S, SHOW_S, DEVICES_S = 0.5, 1.0, 0.03, 0.2
#: Between two looks at what nobody wakes this process for: soon while something is held or an answer is to come.
SOON_MS, LATER_MS = 2, 20
MOST_SHOWN = 40  # signals at once


class Ports:
    """Everything that is plugged in, and the two sockets of the process."""

    def __init__(self, context: zmq.Context[Any], args: argparse.Namespace):
        self.night = Night(context, control=args.control, state=args.state, folder=Path(args.folder))
        self.hub = Hub(self.night, Path(args.hands))
        self.midi = Midi(BOXES, RECEIVERS)
        self.boxes = Boxes(self.midi, self.hub.heard, self._changed)
        self.stand_ins = StandIns(self.midi)
        self.keyboards = Keyboards()
        self.outbox = Outbox(context, Path(args.folder), self._receiver)
        self.asked = context.socket(zmq.REP)
        self.asked.bind(f"tcp://127.0.0.1:{args.listen}")
        self.public = context.socket(zmq.PUB)
        self.public.bind(f"tcp://127.0.0.1:{args.publish}")
        self._there: dict[str, dict[str, Any]] = {}
        self._outputs: set[str] = set()
        self._looked = self._told = self._showed = self._said = 0.0
        self._devices: list[DeviceNow] = []
        self._devices_told = 0.0
        self._change = True
        threading.Thread(target=self._watch, name="plugs", daemon=True).start()

    def run(self, stopping: list[int]) -> None:
        poller = zmq.Poller()
        for socket in (self.asked, self.night.states, self.outbox.offers):
            poller.register(socket, zmq.POLLIN)
        waited: set[int] = set()
        more = False
        while not stopping:
            handles = set(self.keyboards.handles) | self.midi.handles
            for new in handles - waited:
                poller.register(new, zmq.POLLIN)
            for old in waited - handles:
                poller.unregister(old)
            waited = handles
            poller.poll(0 if more else SOON_MS if self.hub.waits or self.night.waits else LATER_MS)
            more = self._turn()
        self.midi.close()

    def _turn(self) -> bool:
        self.outbox.take()
        for came in self.midi.heard():
            self._came(came)
        for ports, until in self.midi.read():
            self.hub.read(ports, until)
        more = self.hub.turn()
        for name, key, down, at in self.keyboards.heard():
            self.hub.key(name, key, down, at=at)
        self._answer()
        self.night.look()
        if self.night.generation is None:
            self.outbox.leave()
        else:
            self.outbox.use(self.night.generation)
        self.hub.due()
        for binding, answer in self.night.answers():
            self._publish("answer", {"binding": binding, "answer": answer})
        now = time.monotonic()
        if now - self._looked >= LOOK_S / 2:
            self._looked = now
            self.hub.look()
            self._plugged()
        for port, message in self.hub.lights(self._outputs | self.hub.outputs):
            if port not in self._outputs:
                self._publish("out", {"port": port, "data": list(message)})
            elif self.boxes.has(port) and not self.boxes.plugged:
                self.boxes.show(port, message)
            else:
                self.midi.send(port, message)
        if self._change or now - self._told >= TELL_S:
            self._change, self._told = False, now
            self._publish("hands", self._hands())
        if now - self._said >= DEVICES_S:
            self._said = now
            self._say_devices()
        if now - self._showed >= SHOW_S:
            self._showed = now
            self._show()
        return more

    def _came(self, came: Came) -> None:
        """Something came to a port: to one of ours, which a box or a stand-in has, or to one of the machine."""
        if not came.own:
            self.hub.heard(came.port, came.data, came.at)
        elif self.boxes.has(came.port):
            self.boxes.show(came.port, came.data)
        elif self.stand_ins.has(came.port):
            self.stand_ins.came(came.port, came.data, came.at)

    def _show(self) -> None:
        """Tell what was pressed, and what came to the stand-ins."""
        if self.hub.shown:
            self._publish("signals", self.hub.shown[-MOST_SHOWN:])
            self.hub.shown.clear()
        if self.stand_ins.changed:
            self._publish("stand_ins", self.stand_ins.told())

    def _say_devices(self) -> None:
        """Tell how the devices are, where it changed and once a second."""
        devices, now = self.outbox.told(), time.monotonic()
        if devices != self._devices or now - self._devices_told >= TELL_S:
            self._devices, self._devices_told = devices, now
            self._publish("devices", devices)

    def _receiver(self, address: Address) -> Receiver:
        if address.kind == "osc":
            return OscReceiver(address)
        return MidiReceiver(address, lambda: self._outputs, self._send)

    def _send(self, port: str, message: bytes, due_ns: int | None) -> bool:
        self.stand_ins.expect(port, message, due_ns)
        return self.stand_ins.take(port, message) or self.midi.send(port, message)

    # --- what is plugged in ------------------------------------------------------------

    def _watch(self) -> None:
        """Look for ports on a thread of its own: opening one may take longer than a press may wait."""
        while True:
            try:
                self.midi.look()
                self.outbox.look()
            except Exception:  # a system of MIDI that has just ended: the next look finds it as it is then
                traceback.print_exc()
            time.sleep(LOOK_S)

    def _plugged(self) -> None:
        self.keyboards.look()
        ins, outs = self.midi.inputs, self.midi.outputs
        there: dict[str, dict[str, Any]] = {
            name: {"kind": "midi", "into": name in ins, "out": name in outs} for name in ins | outs
        }
        there |= {name: {"kind": "keyboard", "into": True, "out": False} for name in self.keyboards.names}
        for box in self.boxes.told():
            there[box["name"]] = {"kind": "box", "into": True, "out": True}
        for name in self.stand_ins.unplugged:
            there[name] = {"kind": "stand_in", "into": False, "out": True}
        there[PAGE_KEYS] = {"kind": "page", "into": True, "out": False}
        if there == self._there:
            return
        for name in self._there.keys() - there.keys():
            self.hub.lost(name)
        for name in there.keys() - self._there.keys():
            self.hub.dark(name)
        self._there, self._change = there, True
        self._outputs = {name for name, can in there.items() if can["out"]}

    def _changed(self) -> None:
        self._change = True

    # --- asked and told ------------------------------------------------------------------

    def _answer(self) -> None:
        for _ in range(16):
            try:
                raw = self.asked.recv(zmq.NOBLOCK)
            except zmq.Again:
                return
            try:
                answer = {"ok": True, **self._do(read_command(raw))}
            except Refused as refused:
                answer = {"ok": False, "problems": [p.as_dict() for p in refused.problems]}
            self.asked.send(msgspec.json.encode(answer))

    def _do(self, command: AnyCommand) -> dict[str, Any]:
        match command:
            case Box(box=box, data=data):
                if not self.boxes.has(box):
                    raise refuse("box-unknown", "There is no such box.")
                self.boxes.press(box, bytes(data))
            case Bytes(port=port, data=data, by=by, out=out, since_ms=since_ms):
                if port in self._there:
                    raise refuse("port-twice", f"“{port}” is a port of the machine itself, and is heard there.")
                if out:
                    self.hub.opened(port, by)
                self.hub.heard(port, bytes(data), by=by, since_ms=since_ms)
            case Key(key=key, down=down, by=by, since_ms=since_ms):
                self.hub.key(PAGE_KEYS, key, down, by, since_ms=since_ms)
            case Quiet(port=port, since_ms=since_ms):
                if port == PAGE_KEYS or port not in self._there:
                    self.hub.quiet(port, since_ms)
            case Try(band=band, on=on):
                self.hub.try_out(band, on)
                self.hub.look()
                self._change = True
            case Send(device=device, send=send, name=name):
                self.outbox.send_now(device, send, name)
            case Tell():
                return {**self._hands(), "devices": self.outbox.told(), "stand_ins": self.stand_ins.told()}
        return {}

    def _hands(self) -> dict[str, Any]:
        return {**self.hub.told(self._there), "boxes": self.boxes.told(), "plugged": self.boxes.plugged}

    def _publish(self, topic: str, what: Any) -> None:
        self.public.send_multipart([topic.encode(), msgspec.json.encode(what)])


def main(argv: list[str] | None = None) -> int:
    parser = argparse.ArgumentParser(prog="ports", description="Holds the ports of hands.")
    for name, about in (
        ("--listen", "loopback port for commands"),
        ("--publish", "loopback port for what is pressed"),
        ("--control", "the engine's port for commands"),
        ("--state", "the engine's port for states"),
    ):
        parser.add_argument(name, type=int, required=True, help=about)
    parser.add_argument("--folder", required=True, help="the engine's folder")
    parser.add_argument("--hands", required=True, help="folder of the hands of each band")
    args = parser.parse_args(argv)
    os.environ.setdefault("JACK_NO_START_SERVER", "1")
    named("upbeat-ports")
    hurry()
    # What is due goes out on threads of their own: let each hold the interpreter for moments only.
    sys.setswitchinterval(0.0005)
    stopping: list[int] = []
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda n, frame: stopping.append(n))
    context: zmq.Context[Any] = zmq.Context()
    with contextlib.suppress(KeyboardInterrupt):
        Ports(context, args).run(stopping)
    context.destroy(linger=0)
    return 0


if __name__ == "__main__":
    sys.exit(main())
