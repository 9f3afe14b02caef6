"""What the processes of one engine share: settings, names of their meeting places, their place in the queue."""

from __future__ import annotations

import contextlib
import ctypes
import hashlib
import os
import socket
from dataclasses import dataclass
from pathlib import Path

import msgspec

from playout import shared
from playout.devices import Choice
from playout.shared import RENDERERS, Shared

LIBC = ctypes.CDLL(None, use_errno=True)
_PR_SET_NAME, _MCL_BOTH = 15, 3
#: Ranks of real time (sched(7)). jackd has 10 and its clients 5 where nothing else is said: a renderer, which has a
#: second in hand, must never keep a core from what is due within a block, or JACK leaves out that block and its notes.
FEEDING, SENDING, RENDERING = 20, 10, 1


@dataclass(frozen=True, kw_only=True)
class Settings:
    """How an engine was started. ``device``: None for the one that was chosen last. ``parts``: a file with names and
    process ids of what runs beside it.
    """

    control: int
    state: int
    folder: Path
    words: Path | None
    device: Choice | None
    rate: int
    ahead_ms: int
    parts: Path | None

    @property
    def name(self) -> str:
        return name_of(self.folder)

    @property
    def relay(self) -> str:
        """Where renderers give taps to the feeder, which publishes them, and a state that the memory has no room for."""
        return f"ipc://@{self.name}-relay"

    def memory(self, create: bool) -> Shared:
        return Shared(shared.path_of(self.folder), self.rate, self.ahead_ms, create)

    def wake(self, index: int) -> socket.socket:
        """Where renderer ``index`` waits for a sign that the log has grown."""
        waker = socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM)
        waker.bind(f"\0{self.name}-wake-{index}")
        return waker

    def taps_in(self, memory: Shared) -> list[str]:
        """The feeds that somebody listens to."""
        text = memory.text(shared.TAPS_TEXT)
        return msgspec.json.decode(text, type=list[str]) if text else []


def name_of(folder: Path) -> str:
    """A name that no other engine of the machine has, by its folder."""
    return "upbeat-" + hashlib.sha256(str(folder.resolve()).encode()).hexdigest()[:16]


def messages_of(folder: Path, index: int) -> str:
    """Where renderer ``index`` of an engine tells which messages come, while it leads."""
    return f"ipc://@{name_of(folder)}-messages-{index}"


class Wakers:
    """Signs to the renderers that the log has grown."""

    def __init__(self, settings: Settings):
        self._socket = socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM)
        self._socket.setblocking(False)
        self._names = [f"\0{settings.name}-wake-{i}" for i in range(RENDERERS)]

    def wake(self) -> None:
        for name in self._names:
            try:
                self._socket.sendto(b".", name)
            except OSError:
                pass  # it is not there, or has signs enough


def is_ours(pid: int) -> bool:
    """Whether a process of an engine has this number and is alive."""
    try:
        fields = Path(f"/proc/{pid}/stat").read_text() if pid > 0 else ""
    except OSError:
        return False
    return "(upbeat-" in fields and ") Z " not in fields


def named(name: str) -> None:
    """The name of this process as ``ps -o comm`` shows it, 15 letters at the most."""
    LIBC.prctl(_PR_SET_NAME, name.encode()[:15], 0, 0, 0)


def hurry(nice: int = -15) -> bool:
    """Ask to be scheduled before other processes; an ordinary user has no right to, and goes without."""
    try:
        os.setpriority(os.PRIO_PROCESS, 0, nice)
        return True
    except OSError:
        return False


def urgent(rank: int = SENDING) -> bool:
    """Ask for this thread to run before every ordinary one: a press leaves a renderer some milliseconds."""
    try:
        os.sched_setscheduler(0, os.SCHED_RR, os.sched_param(rank))
        return True
    except OSError:
        return hurry()


def calm() -> None:
    """Let this thread wait for others: it was begun by one that must not."""
    ordinary()
    with contextlib.suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, 0, 0)


def ordinary() -> None:
    """Give up the rank of this thread (:func:`urgent`), and no more."""
    with contextlib.suppress(OSError):
        os.sched_setscheduler(0, os.SCHED_OTHER, os.sched_param(0))


def first() -> bool:
    """Ask to be scheduled before everything else, with memory that is never taken away."""
    LIBC.mlockall(_MCL_BOTH)
    if _at_the_front():
        return True
    return hurry(-18)


def to_the_front() -> bool:
    """Ask for this thread to run before all others; done once, whether it was granted or not."""
    _at_the_front()
    return True


def _at_the_front() -> bool:
    try:
        os.sched_setscheduler(0, os.SCHED_FIFO, os.sched_param(FEEDING))
        return True
    except OSError:
        return False
