"""A renderer's process: keeps its ring full, and does what the leader does while it leads."""

from __future__ import annotations

import gc
import os
import select
import signal
import socket
import sys
import threading
import time
from dataclasses import asdict
from typing import Any

import msgspec
import zmq

from playout import shared
from playout.ahead import Ahead, NotReady
from playout.catching_up import Base, join, newest_base
from playout.checkpoint import to_come_back_to
from playout.client import EngineClient, EngineSilent
from playout.duties import Duties, Told
from playout.loading import Loaded, Loader
from playout.night_log import NightLog
from playout.processes import RENDERING, Settings, hurry, is_ours, messages_of, named, ordinary, urgent
from playout.shared import Behind, Shared
from playout.snapshot import LoadAnswer
from upbeat.show.bounce import MEMORY_S

FOLLOWER_WAITS_S, REJOINS_S = 0.05, 0.1
FOLLOWER_RESTS_S = 0.1
BETWEEN_S = 0.004  # at most, from step to step while much is rendered: messages are offered by it
#: After a press the whole ring is rendered anew, before all other programs: with so much of it in hand there is a rest after
#: each span, so many times as long as that took. Who presses and who shows it need the processor too.
AMPLE_S, RESTS = 0.1, 2.0


def main(settings: Settings, index: int) -> None:
    """Render until the process is ended."""
    named(f"upbeat-render-{index}")
    hurry()
    memory = settings.memory(create=False)
    context = zmq.Context()
    out = context.socket(zmq.PUSH)
    out.setsockopt(zmq.SNDHWM, 100)
    out.setsockopt(zmq.LINGER, 0)
    out.connect(settings.relay)

    def publish(topic: bytes, body: bytes) -> None:
        try:
            out.send_multipart([topic, body], zmq.NOBLOCK)
        except zmq.Again:
            pass  # nobody takes it: the next state is as good

    offers = context.socket(zmq.PUB)
    offers.setsockopt(zmq.LINGER, 0)
    offers.bind(messages_of(settings.folder, index))

    # A show is made ready on another thread: let it hold the interpreter for moments only.
    sys.setswitchinterval(0.0005)
    gc.freeze()
    stopping: list[int] = []
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda n, frame: stopping.append(n))
    wake = settings.wake(index)
    while not stopping:
        render = Render(settings, memory, index, Told(publish, offers.send), wake)
        try:
            render.run(stopping)
        except (Behind, NotReady):
            time.sleep(REJOINS_S)  # too far back to go on: begin again from a base
        render.close()


class Render:
    """One life of a renderer, from its joining on."""

    def __init__(self, settings: Settings, memory: Shared, index: int, told: Told, wake: socket.socket) -> None:
        self.settings, self.memory, self.index, self._wake = settings, memory, index, wake
        self._loader = Loader(settings.folder, settings.words, lambda: memory.number(shared.OUTPUTS))
        ahead = settings.ahead_ms * memory.sample_rate // 1000
        self.ahead = Ahead(memory, index, ahead - ahead % shared.BLOCK, self._loader)
        log = NightLog(settings.folder, self._logged, self._unwritten, lambda: memory.number(shared.LOGGED))
        self.duties = Duties(memory, index, self.ahead, log, told)
        self._taps = -1
        self._first: bool | None = None
        self._joined: int | None = None  # the show that it joined in, until it has caught up with it
        other = shared.RENDERERS - 1 - index
        # What the process before this one said last is true until the other one, which leads now, says more.
        if not (memory.own(other, shared.JOINED) and is_ours(memory.own(other, shared.PID))):
            memory.forget_text(index * shared.OWN_TEXTS + shared.STATE)
        # What the process before this one had in hand is gone, before this one is taken for it.
        for number in (shared.JOINED, shared.READY, shared.HEAD, shared.TO_LOG):
            memory.set_own(index, number, 0)
        memory.set_own(index, shared.PID, os.getpid())

    def _logged(self, frame: int) -> None:
        self.memory.head[shared.LOGGED] = max(frame, self.memory.number(shared.LOGGED))

    def _unwritten(self, failed: bool) -> None:
        self.memory.head[shared.UNWRITTEN] = int(failed)

    def run(self, stopping: list[int]) -> None:
        """Join, and render from there on."""
        self._rank(False)
        self._join()
        self.memory.set_own(self.index, shared.JOINED, 1)
        stepped = time.monotonic()
        while not stopping:
            self.memory.set_own(self.index, shared.ALIVE_NS, time.monotonic_ns())
            self._take_loaded()
            self._take_taps()
            self._rank(self.ahead.in_hand() >= 0)
            self._catch_up()
            changed = self.ahead.read()
            began = time.monotonic()
            rendered = self.ahead.render()
            took = time.monotonic() - began
            if not rendered or self.ahead.outcomes or time.monotonic() - stepped > BETWEEN_S:
                self.duties.step(bool(self.ahead.outcomes))
                self._give_outcomes()
                stepped = time.monotonic()
            if not rendered and not changed:
                self._rest()
                stepped = time.monotonic()
            elif rendered and self.ahead.in_hand() > AMPLE_S * self.memory.sample_rate:
                self._wait(min(RESTS * took, BETWEEN_S))

    def _rank(self, first: bool) -> None:
        """Run before other programs, but not while there is much to catch up with.

        A process of that rank which works through a second has the kernel hold up every one of the rank,
        the feeder too (sched_rt_runtime_us).
        """
        if first != self._first:
            self._first = first
            if first:
                urgent(RENDERING)
            else:
                ordinary()

    def _join(self) -> None:
        memory = self.memory
        begun = memory.number(shared.COUNT)
        alone, base = self._base_to_join()
        if base is None:
            join(self.ahead, None, None)
            if alone:
                threading.Thread(
                    target=come_back, args=(self.settings, memory, begun), name="come back", daemon=True
                ).start()
            return
        self.ahead.loads[base.load.generation] = base.load
        loaded = self._loader.load(base.load)
        self.ahead.loaded[base.load.generation] = loaded
        while (
            base.load.onto and memory.number(shared.WRITTEN) * shared.BLOCK < base.frame + MEMORY_S * memory.sample_rate
        ):
            time.sleep(REJOINS_S)  # what was changed is made from there on: until then it would lack what rang before
        join(self.ahead, loaded, base)
        self._joined = base.load.generation

    def _catch_up(self) -> None:
        """Say that it has the show once it could take over."""
        if self._joined is not None and self.ahead.in_hand() > AMPLE_S * self.memory.sample_rate:
            self.memory.set_own(self.index, shared.READY, self._joined)
            self._joined = None

    def _base_to_join(self) -> tuple[bool, Base | None]:
        """Whether no other renderer is there, and the base of the show that sounds, once the other has written it."""
        memory = self.memory
        other = shared.RENDERERS - 1 - self.index
        while memory.own(other, shared.JOINED) and is_ours(memory.own(other, shared.PID)):
            base = newest_base(memory)
            if base is not None or not memory.number(shared.PLAYING):
                return False, base if memory.number(shared.PLAYING) else None
            time.sleep(REJOINS_S)
        return True, None

    def _take_loaded(self) -> None:
        loaded = self._loader.take()
        if loaded is None:
            return
        generation = loaded.entry.generation
        self.ahead.loaded[generation] = loaded
        self.duties.load_answer = _answer(loaded)
        which = shared.READY if loaded.show is not None else shared.REFUSED
        self.memory.set_own(self.index, which, generation)
        self._joined = None

    def _take_taps(self) -> None:
        count = self.memory.number(shared.TAPS)
        if count != self._taps:
            self._taps = count
            self.ahead.set_taps(self.settings.taps_in(self.memory))

    def close(self) -> None:
        self.duties.log.close()

    def _give_outcomes(self) -> None:
        """Answer presses once their state is published; the renderer that follows answers what was left unanswered."""
        outcomes = self.ahead.outcomes
        leads = self.memory.number(shared.LEADER) == self.index
        while outcomes and (leads or time.monotonic() - outcomes[0][2] > FOLLOWER_WAITS_S):
            number, body, _ = outcomes.popleft()
            self.memory.set_outcome(number, body)

    def _rest(self) -> None:
        """Wait for the log to grow, until the next state is due or the next span."""
        leads = self.memory.number(shared.LEADER) == self.index
        waits = FOLLOWER_WAITS_S if self.ahead.outcomes else FOLLOWER_RESTS_S
        self._wait(self.duties.rest_s() if leads else waits)

    def _wait(self, seconds: float) -> None:
        """Wait so long, or until the log grows."""
        if select.select([self._wake], [], [], seconds)[0]:
            self._wake.recv(64)


def come_back(settings: Settings, memory: Shared, begun: int) -> None:
    """Where every renderer had died: load what was loaded, stopped at the bar that was playing (rule P4).

    ``begun``: entries of the log when this renderer joined.
    """
    at = to_come_back_to(settings.folder, memory)
    if at is None:
        return
    asked: dict[str, Any] = {"folder": at.last.folder, "show": at.last.show, "band": at.last.band, "recover": begun}
    asked |= {
        "entry": at.entry,
        "place": at.place and asdict(at.place),
        "hand": list(at.hand),
        "tonight": msgspec.to_builtins(at.tonight),
        "kept": msgspec.to_builtins(at.last.kept),
    }
    with EngineClient(settings.control, settings.state) as client:
        for _ in range(20):
            try:
                answer = client.ask("load", **asked)
            except EngineSilent:
                continue
            if answer["ok"] or answer["problems"][0]["code"] != "command-long":
                return
            # Of a night of hundreds of songs, what was changed on the spot may be too much to be told.
            asked.pop("tonight", None)


def _answer(loaded: Loaded) -> LoadAnswer:
    answer: LoadAnswer = {"show": loaded.entry.show, "generation": loaded.entry.generation, "ok": True}
    if loaded.refused is not None:
        answer["ok"] = False
        answer["problems"] = [{"code": p.code, "message": p.message} for p in loaded.refused.problems]
    return answer
