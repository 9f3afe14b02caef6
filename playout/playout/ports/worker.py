"""A process of ours that holds what may hang, from outside: ended and started again where it says nothing any more."""

from __future__ import annotations

import contextlib
import ctypes
import signal
import socket
import subprocess
import sys
import threading
import time
import traceback
from collections.abc import Callable, Iterable, Iterator

from playout.processes import LIBC, named, ordinary, urgent

STARTING_S, SILENT_S, AGAIN_S = 15.0, 1.5, 3.0
MOST_BYTES = 64 << 10
#: From look to look. What is plugged in by USB is not found by the system before 0.1 s (USB 2.0, 7.1.7.3, the debounce interval),
#: so that one which is pulled out and plugged in again is missed by one look at least.
LOOK_S = 0.1
AWAY_S = 0.6  # how long a port that went is left out, even if it is there again: others have to see that it was gone
_PR_SET_PDEATHSIG = 1


class Worker:
    """``python -m MODULE ARGUMENTS SOCKET``, which is to say something by its socket several times a second.

    ``look`` is for the thread that looks for ports; the rest never waits.
    """

    def __init__(self, module: str, *arguments: str):
        self._command = [sys.executable, "-m", module, *arguments]
        self._lock = threading.Lock()
        self._begin()

    def _begin(self) -> None:
        ours, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        self._process = subprocess.Popen([*self._command, str(theirs.fileno())], pass_fds=[theirs.fileno()])
        theirs.close()
        ours.setblocking(False)
        self.line = ours
        self._begun = self._heard = time.monotonic()
        self._patience = STARTING_S

    def put(self, packet: bytes) -> bool:
        """Give it something; False where it takes nothing now."""
        try:
            self.line.send(packet)
        except OSError:
            return False
        return True

    def packets(self) -> Iterator[bytes]:
        """What it has said since the last asking."""
        with contextlib.suppress(OSError):
            while packet := self.line.recv(MOST_BYTES):
                self._heard, self._patience = time.monotonic(), SILENT_S
                yield packet

    def look(self) -> bool:
        """Start it again where it has ended, or says nothing any more; True where it was."""
        now = time.monotonic()
        silent = now - self._heard > self._patience
        ended = self._process.poll() is not None and now - self._begun > AGAIN_S
        if silent or ended:
            with self._lock:
                self.close()
                self._begin()
        return silent or ended

    def close(self) -> None:
        self._process.kill()
        self._process.wait()
        self.line.close()


# --- from inside ---------------------------------------------------------------------


def line_of(name: str, handle: str) -> socket.socket:
    """Be the worker ``name``, which ends with the process that began it; gives its line."""
    named(name)
    LIBC.prctl(_PR_SET_PDEATHSIG, ctypes.c_ulong(signal.SIGKILL))
    urgent()
    sys.setswitchinterval(0.0005)
    return socket.socket(fileno=int(handle))


class Gone:
    """Ports that went a moment ago, and may not be taken again yet."""

    def __init__(self) -> None:
        self._since: dict[str, float] = {}

    def went(self, names: Iterable[str]) -> None:
        now = time.monotonic()
        self._since |= dict.fromkeys(names, now)

    def here(self, names: Iterable[str]) -> list[str]:
        """Those of ``names`` that may be taken."""
        now = time.monotonic()
        self._since = {name: since for name, since in self._since.items() if now - since < AWAY_S}
        return [name for name in names if name not in self._since]


def looking(look: Callable[[], None]) -> None:
    """Look for ports again and again, on a thread of its own."""
    threading.Thread(target=_watch, args=(look,), name="plugs", daemon=True).start()


def _watch(look: Callable[[], None]) -> None:
    ordinary()
    while True:
        try:
            look()
        except Exception:  # its server has just ended: the parent sees that too
            traceback.print_exc()
        time.sleep(LOOK_S)
