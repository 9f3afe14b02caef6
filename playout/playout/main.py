"""The engine: ``python -m playout.main --control PORT --state PORT --folder DIR``.

This process only keeps the others: it starts a feeder and two renderers, and starts again what ends by
itself. They go on without it; a keeper that is started again adopts them.
"""

from __future__ import annotations

import argparse
import contextlib
import gc
import os
import select
import signal
import sys
import time
import traceback
from collections.abc import Callable
from pathlib import Path

# A product of 14 by 16 by 256 is done before a second thread wakes; threads only cost here.
os.environ["OPENBLAS_NUM_THREADS"] = "1"

import msgspec

from playout import checkpoint, feeding, renderer, shared
from playout.devices import Choice, DeviceNow
from playout.files import replace_file
from playout.load import Watch
from playout.processes import Settings, hurry, is_ours, named
from playout.shared import RENDERERS, Read, Shared
from upbeat.errors import Refused
from upbeat.mix.compiled import compiled

PATIENCE_S = 5.0
DEVICE_FILE = "device.json"
NOT_HURRIED = "This user may not let a program run before others: the engine works, but a busy machine may be heard."
SHORT_LIFE_S = 1.0


class Process:
    """A process of the engine, child or adopted. ``needs``: what is done in this process before it is copied."""

    def __init__(
        self, name: str, run: Callable[[], None], pid_of: Callable[[], int], needs: Callable[[], None] | None = None
    ):
        self.name, self._run, self._pid_of, self._needs = name, run, pid_of, needs
        self.pid = 0
        self.handle = -1
        self.began = 0.0
        self.short_lives = 0
        self.how = ""  # it ended the last time

    def adopt(self) -> bool:
        """Take over a process that an earlier keeper started."""
        pid = self._pid_of()
        try:
            comm = Path(f"/proc/{pid}/comm").read_text().strip() if pid else ""
            if comm != self.name[:15]:
                return False
            self.handle, self.pid = os.pidfd_open(pid), pid
        except OSError:
            return False
        self.began = time.monotonic()
        return True

    def start(self) -> None:
        """A copy of this process, in which everything is loaded already, goes on as the other one."""
        if self._needs:
            self._needs()
        self.began = time.monotonic()
        pid = os.fork()
        if pid == 0:
            _be(self._run)
        self.pid, self.handle = pid, os.pidfd_open(pid)

    def ended(self) -> None:
        """Reap it, and count it where it did not live long."""
        self.how = "no child of this process"
        with contextlib.suppress(ChildProcessError):
            code = os.waitstatus_to_exitcode(os.waitpid(self.pid, 0)[1])
            self.how = f"signal {-code}" if code < 0 else f"exit status {code}"
        os.close(self.handle)
        self.handle = -1
        self.short_lives = self.short_lives + 1 if time.monotonic() - self.began < SHORT_LIFE_S else 0

    def signal(self, number: int) -> None:
        if self.handle >= 0:
            with contextlib.suppress(ProcessLookupError):
                signal.pidfd_send_signal(self.handle, number)


def _be(run: Callable[[], None]) -> None:
    """Be a child until it ends; never come back."""
    code = 1
    try:
        for number in (signal.SIGTERM, signal.SIGINT):
            signal.signal(number, signal.SIG_DFL)
        run()
        code = 0
    except BaseException:
        traceback.print_exc()
    finally:
        sys.stderr.flush()
        os._exit(code)


def main(argv: list[str] | None = None) -> int:
    settings = _settings(argv)
    named("upbeat-engine")
    # What ends is started again at once, also where the machine is busy.
    hurry()
    settings.folder.mkdir(parents=True, exist_ok=True)
    try:
        memory = _memory(settings)
    except Refused as refused:
        print("; ".join(p.message for p in refused.problems), file=sys.stderr)
        return 1
    processes = [Process("upbeat-feeder", lambda: feeding.main(settings), lambda: memory.number(shared.FEEDER_PID))]
    for i in range(RENDERERS):
        processes.append(_renderer(settings, memory, i))
    stopping: list[int] = []
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda n, frame: stopping.append(n))
    gc.freeze()
    for process in processes:
        if not process.adopt():
            process.start()
    compiled()  # where all were adopted: what is started from here on has the loops already
    chores = Chores(settings, memory)
    keep(processes, stopping, chores.do)
    stop(processes)
    (settings.folder / checkpoint.CHECKPOINT).unlink(missing_ok=True)
    memory.remove()
    return 0


def _renderer(settings: Settings, memory: Shared, index: int) -> Process:
    return Process(
        f"upbeat-render-{index}",
        lambda: renderer.main(settings, index),
        lambda: memory.own(index, shared.PID),
        needs=compiled,
    )


def _memory(settings: Settings) -> Shared:
    """The memory of the engine; a new one where nobody of the last engine is left."""
    memory = settings.memory(create=True)
    pids = [memory.number(shared.FEEDER_PID), *(memory.own(i, shared.PID) for i in range(RENDERERS))]
    if any(is_ours(pid) for pid in pids):
        return memory
    checkpoint.save(settings.folder, memory)
    memory.remove()
    return settings.memory(create=True)


class Chores:
    """What may wait and needs files: the load, which device is fed, a word about what this user may not do."""

    def __init__(self, settings: Settings, memory: Shared):
        self._settings, self._memory = settings, memory
        self._watch = Watch(memory, settings.folder, settings.ahead_ms, settings.parts)
        self._chosen = Read(memory, shared.DEVICE_TEXT, DeviceNow)
        self._written: Choice | None = None
        self._said = self._failed = False

    def do(self) -> None:
        try:
            self._watch.look()
            self._keep_choice()
        except (
            Exception
        ) as error:  # a disk that takes nothing, a process that just ended: the show is kept all the same
            if not self._failed:
                self._failed = True
                print(f"The load or the chosen device cannot be written down: {error}.", file=sys.stderr, flush=True)
        if not self._said and self._memory.number(shared.WRITTEN):
            self._said = True
            if not self._memory.number(shared.HURRIED):
                print(NOT_HURRIED, file=sys.stderr, flush=True)

    def _keep_choice(self) -> None:
        now = self._chosen.now()
        if now is not None and now.choice != self._written:
            replace_file(self._settings.folder / DEVICE_FILE, msgspec.json.encode(now.choice))
            self._written = now.choice


def keep(processes: list[Process], stopping: list[int], chores: Callable[[], None]) -> None:
    """Start again what ends, until this process is asked to stop; do chores meanwhile."""
    waiting: list[tuple[float, Process]] = []
    while not stopping:
        poll = select.poll()
        by_handle = {p.handle: p for p in processes if p.handle >= 0}
        for handle in by_handle:
            poll.register(handle, select.POLLIN)
        for handle, _ in poll.poll(200):
            process = by_handle[handle]
            process.ended()
            print(f"{process.name} ended by itself ({process.how}); it is started again.", file=sys.stderr, flush=True)
            # What dies at once is not worth the processor of what still plays.
            waiting.append((time.monotonic() + min(2.0, 0.25 * max(0, process.short_lives - 3)), process))
        now = time.monotonic()
        for due, process in waiting:
            if due <= now:
                process.start()
        waiting = [(due, process) for due, process in waiting if due > now]
        chores()


def stop(processes: list[Process]) -> None:
    """End all, the renderers first, so that what was heard is written down."""
    for process in reversed(processes):
        process.signal(signal.SIGTERM)
    until = time.monotonic() + PATIENCE_S
    for process in processes:
        if process.handle >= 0:
            select.select([process.handle], [], [], max(0.0, until - time.monotonic()))
            process.signal(signal.SIGKILL)
            process.ended()


def _settings(argv: list[str] | None) -> Settings:
    parser = argparse.ArgumentParser(prog="playout", description="Plays a loaded show to a device.")
    parser.add_argument("--control", type=int, required=True, help="loopback port for commands")
    parser.add_argument("--state", type=int, required=True, help="loopback port for state")
    parser.add_argument("--folder", required=True, help="checkpoints, night logs, recordings")
    parser.add_argument("--words", help="folder of rendered words")
    parser.add_argument("--device", help="simulated, or interface: with a name or PortAudio's index")
    parser.add_argument("--channels", type=int, help="outputs of the device (default 8)")
    parser.add_argument("--rate", type=int, default=48000)
    parser.add_argument("--ahead", type=int, default=1000, help="sound rendered ahead, in ms (200 to 2000)")
    parser.add_argument("--blocks", type=int, help="blocks of 256 frames in the device's own buffer (default 4)")
    parser.add_argument("--parts", help="a file with the process ids of what runs beside the engine")
    args = parser.parse_args(argv)
    if not 200 <= args.ahead <= 2000:
        parser.error("--ahead is 200 to 2000 ms")
    try:
        device = _device(args, Path(args.folder) / DEVICE_FILE)
    except msgspec.ValidationError as error:
        parser.error(str(error))
    return Settings(
        control=args.control,
        state=args.state,
        folder=Path(args.folder),
        words=Path(args.words) if args.words else None,
        device=device,
        rate=args.rate,
        ahead_ms=args.ahead,
        parts=Path(args.parts) if args.parts else None,
    )


def _device(args: argparse.Namespace, kept: Path) -> Choice | None:
    """The device that was asked for, or the one that was chosen last; None where there is neither."""
    asked = {"name": args.device, "outputs": args.channels, "buffer": args.blocks}
    asked = {name: value for name, value in asked.items() if value is not None}
    if asked:
        return msgspec.convert(asked, Choice)
    try:
        return msgspec.json.decode(kept.read_bytes(), type=Choice)
    except (OSError, msgspec.MsgspecError):
        return None


if __name__ == "__main__":
    sys.exit(main())
