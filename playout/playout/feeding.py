"""The feeder's process: audio first, then a bounded number of messages, and again."""

from __future__ import annotations

import contextlib
import gc
import math
import os
import select
import signal
import time

import zmq

from playout import shared
from playout.devices import Choice, chosen
from playout.feeder import Feeder
from playout.inbox import Inbox
from playout.processes import Settings, Wakers, first, hurry, named
from playout.recordings import Recordings

RELAYED_AT_ONCE = 32
#: Threads of ZeroMQ: one that takes three hundred new clients in has no time for a press for a tenth of a second.
CARRIERS = 2
MOST_BYTES = 64 << 10
IDLE_S, SHORT_S = 0.02, 0.001
#: In a flood of messages the others, who come after this process, get this much time before it reads and answers more.
FLOOD_RESTS_S = 0.003
PUBLISH_EVERY_S, TEND_EVERY_S = 0.018, 0.045  # how often what may wait for some blocks is done


def main(settings: Settings) -> None:
    """Feed the device until the process is ended."""
    named("upbeat-feeder")
    # ZeroMQ's own thread, which carries every press, comes after this one only.
    hurry()
    memory = settings.memory(create=False)
    memory.head[shared.FEEDER_PID] = os.getpid()
    choice = chosen(memory) or settings.device or Choice()
    feeder = Feeder(choice, memory, Recordings(settings.folder / "recordings"), Wakers(settings).wake)
    context = zmq.Context(CARRIERS)
    control = context.socket(zmq.ROUTER)
    control.setsockopt(zmq.MAXMSGSIZE, MOST_BYTES + 1)
    control.setsockopt(zmq.LINGER, 0)
    control.bind(f"tcp://127.0.0.1:{settings.control}")
    states = context.socket(zmq.PUB)
    states.setsockopt(zmq.SNDHWM, 200)
    states.setsockopt(zmq.LINGER, 0)
    states.bind(f"tcp://127.0.0.1:{settings.state}")
    relay = context.socket(zmq.PULL)
    relay.setsockopt(zmq.RCVHWM, 200)
    relay.bind(settings.relay)
    asking, relayed = Coming(control), Coming(relay)
    inbox = Inbox()
    stopping: list[int] = []
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda n, frame: stopping.append(n))
    memory.head[shared.HURRIED] = int(first())
    gc.freeze()
    gc.disable()
    feeder.start()
    published, tended, late, flooded = 0.0, 0.0, 0.0, False
    try:
        while not stopping and not feeder.device.broken:
            wait = _wait(feeder, FLOOD_RESTS_S if flooded else SHORT_S if feeder.waiting else IDLE_S)
            due = time.monotonic() + wait + 0.001
            if flooded:
                time.sleep(wait)
            asked = flooded or asking.within(wait)
            late = max(late, 0.0 if asked else time.monotonic() - due)
            feeder.feed()
            if asked or feeder.waiting:
                full = inbox.read(control)
                _answer(feeder, inbox, control)
                asking.used()
                flooded = full or bool(inbox)
                feeder.feed()
            now = time.monotonic()
            if now >= published + PUBLISH_EVERY_S:
                _publish(feeder.new_state(), relayed, states)
                published = now
            if now >= tended + TEND_EVERY_S:
                feeder.see(late)
                feeder.tend()
                tended, late = now, 0.0
    finally:
        if not feeder.device.broken:
            feeder.stop()
        context.destroy(linger=0)


def _wait(feeder: Feeder, most: float) -> float:
    """How long there is nothing to do for, ``most`` seconds at most.

    A block that is not there yet is waited for, never asked for without a pause: this process comes before those that
    have to make it.
    """
    if feeder.short:
        return SHORT_S
    return min(feeder.device.wait(), most)


class Coming:
    """Whether there are messages at a socket of ZeroMQ, which is asked itself only where there may be: that takes its time.

    zmq_getsockopt(3) has the rule, under ZMQ_FD: its file tells of what comes after the socket was last used and found empty.
    """

    def __init__(self, socket: zmq.Socket[bytes]):
        self.socket = socket
        self._file = select.poll()
        self._file.register(socket.fileno(), select.POLLIN)
        self._used = True

    def used(self) -> None:
        """The socket was read from, or written to."""
        self._used = True

    def within(self, seconds: float) -> bool:
        """Whether a message is there, or comes in that time."""
        if self._used and self._has():
            return True
        self._used = bool(self._file.poll(math.ceil(1000 * seconds))) and self._has()
        return self._used

    def _has(self) -> bool:
        return bool(int(self.socket.get(zmq.EVENTS)) & zmq.POLLIN)


def _answer(feeder: Feeder, inbox: Inbox, control: zmq.Socket[bytes]) -> None:
    """Do what is asked first, and send the answers that are there."""
    for client, raw in inbox.next():
        answer = feeder.answer(client, raw)
        if answer is not None:
            _send(control, client, answer)
    for client, answer in feeder.answers():
        _send(control, client, answer)


def _send(control: zmq.Socket[bytes], client: bytes, answer: bytes) -> None:
    try:
        control.send_multipart([client, b"", answer], zmq.NOBLOCK)
    except zmq.ZMQError:
        pass  # the client has gone, or does not read


def _publish(state: bytes, relayed: Coming, states: zmq.Socket[bytes]) -> None:
    """Tell a new state, and what the renderers gave to be told."""
    with contextlib.suppress(zmq.Again):
        if state:
            states.send_multipart([b"state", state], zmq.NOBLOCK)
        for _ in range(RELAYED_AT_ONCE):
            if not relayed.within(0):
                return
            states.send_multipart(relayed.socket.recv_multipart(zmq.NOBLOCK), zmq.NOBLOCK)
