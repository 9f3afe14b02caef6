"""Messages of the show that is loaded, given to the lanes of its devices."""

from __future__ import annotations

import time
from collections import defaultdict
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec
import zmq

from playout.due import Due, Offer, decoded
from playout.loading import described_file
from playout.ports.lane import SETTLED_NS, DeviceNow, Lane
from playout.ports.receivers import Address, Receiver
from playout.processes import messages_of
from playout.shared import RENDERERS
from upbeat.errors import refuse
from upbeat.messages.held import Outgoing
from upbeat.messages.kinds import Sent

MOST_TRIED = 16
KNOWN_NS = SETTLED_NS - 500_000_000  # a little less than the lanes keep


class Outbox:
    """The lanes of devices. ``folder``: the engine's; ``receiver``: makes the way to a device."""

    def __init__(self, context: zmq.Context[Any], folder: Path, receiver: Callable[[Address], Receiver]):
        self._folder, self._receiver = folder, receiver
        self.offers = context.socket(zmq.SUB)
        self.offers.setsockopt(zmq.SUBSCRIBE, b"")
        self.offers.setsockopt(zmq.RCVHWM, 10_000)
        for index in range(RENDERERS):
            self.offers.connect(messages_of(folder, index))
        self._generation = 0
        self._covered = 0  # output frame up to which messages were offered
        self._lanes: dict[str, Lane] = {}
        self._tried: dict[str, Lane] = {}

    def take(self) -> None:
        """Take in what the engine offers."""
        while True:
            try:
                raw = self.offers.recv(zmq.NOBLOCK)
            except zmq.Again:
                return
            self._take(decoded(raw))

    def _take(self, offer: Offer) -> None:
        self.use(offer.generation)
        # The lanes know what they have sent of this; of what lies before it they do not, and it stays as it is.
        settled = min(self._covered, offer.heard_at(time.monotonic_ns() - KNOWN_NS))
        self._covered = max(settled, offer.end)
        offer = offer.from_(settled)
        of_device: dict[str, list[Due]] = defaultdict(list)
        for due in offer.due:
            of_device[due.device].append(due)
        for device, lane in self._lanes.items():
            lane.offer(offer, of_device[device])

    def use(self, generation: int) -> None:
        """Have the devices of a show; those that are as before stay."""
        if generation == self._generation:
            return
        found = _read(self._folder, generation)
        if found is None:
            return
        self._generation = generation
        wanted = {a.id: a for a in found}
        for device, lane in list(self._lanes.items()):
            if wanted.get(device) != lane.address:
                self._lanes.pop(device).end()
        for device, address in wanted.items():
            if device not in self._lanes:
                self._lanes[device] = self._begun(address)

    def leave(self) -> None:
        """No show is loaded."""
        self._generation = 0
        for lane in self._lanes.values():
            lane.end()
        self._lanes.clear()

    def look(self) -> None:
        """See which devices are there; may take a while, and is for a thread of its own."""
        for lane in [*self._lanes.values(), *self._tried.values()]:
            lane.look()

    def _begun(self, address: Address) -> Lane:
        lane = Lane(address, self._receiver(address))
        lane.see()
        return lane

    def send_now(self, address: Address, send: Sent, name: str) -> None:
        """Send a message to a device at once. Raises :class:`Refused` where it is not there, or does not take it."""
        lane = self._lanes.get(address.id)
        if lane is None or lane.address != address:
            lane = self._trial(address)
        lane.see()
        told = lane.told()
        if not told["there"]:
            raise refuse("device-missing", told["why"])
        if not lane.now(Outgoing(address.id, address.channel, send, False, name=name)):
            raise refuse("device-full", f"“{address.name}” does not take anything now: look at its connection.")

    def _trial(self, address: Address) -> Lane:
        """A lane of a device that is tried while its show is not loaded."""
        lane = self._tried.get(address.id)
        if lane is None or lane.address != address:
            if lane is not None:
                self._tried.pop(address.id).end()
            if len(self._tried) >= MOST_TRIED:
                self._tried.pop(next(iter(self._tried))).end()
            lane = self._tried[address.id] = self._begun(address)
        return lane

    def told(self) -> list[DeviceNow]:
        return [lane.told() for lane in self._lanes.values()]


def _read(folder: Path, generation: int) -> list[Address] | None:
    """The devices of a show that was described; None while it is being written down."""
    try:
        document = msgspec.json.decode(described_file(folder, generation).read_bytes())
        if document["generation"] != generation:
            return None
        return msgspec.convert(document["described"]["devices"], list[Address])
    except (OSError, KeyError, msgspec.MsgspecError):
        return None
