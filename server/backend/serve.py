"""A server: ``python -m backend.serve APPLICATION --fd N [--hurry]``, on a listening socket that it is given.

This process loads everything and serves nothing: the child that it forks does. One that ends is forked
anew, with everything loaded, so that pages wait for a tenth of a second
and not for the imports. The
socket is the caller's: who connects meanwhile waits, and is not refused.
"""

from __future__ import annotations

import argparse
import ctypes
import gc
import os
import signal
import socket
import sys
import time

import uvicorn

from playout.processes import hurry

_PR_SET_PDEATHSIG = 1
HURRIED = -10  # presses go through here: after what renders and sends, before pages and imports
SHORT_LIFE_S = 1.0  # one that lives no longer is not followed at once by another


def main() -> int:
    parser = argparse.ArgumentParser(prog="serve", description="Serves an ASGI application on a listening socket.")
    parser.add_argument("application", help="module:name")
    parser.add_argument("--fd", type=int, required=True, help="file descriptor of the socket")
    parser.add_argument("--hurry", action="store_true", help="run before the other programs of this machine, if it may")
    args = parser.parse_args()
    if args.hurry:
        hurry(HURRIED)
    listening = socket.socket(fileno=args.fd)
    config = uvicorn.Config(args.application, log_level="warning", timeout_graceful_shutdown=2, ws_max_size=1 << 20)
    config.load()
    gc.freeze()
    serving = 0
    stopping: list[int] = []

    def stop(number: int, frame: object) -> None:
        stopping.append(number)
        if serving:
            os.kill(serving, signal.SIGTERM)

    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, stop)
    while not stopping:
        began = time.monotonic()
        serving = _forked(config, listening)
        os.waitpid(serving, 0)
        serving = 0
        if not stopping and time.monotonic() - began < SHORT_LIFE_S:
            time.sleep(SHORT_LIFE_S)
    return 0


def _forked(config: uvicorn.Config, listening: socket.socket) -> int:
    """The process id of a child that serves, and ends with this process."""
    pid = os.fork()
    if pid:
        return pid
    code = 1
    try:
        ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM, 0, 0, 0)
        for number in (signal.SIGTERM, signal.SIGINT):
            signal.signal(number, signal.SIG_DFL)
        uvicorn.Server(config).run(sockets=[listening])
        code = 0
    finally:
        sys.stderr.flush()
        os._exit(code)


if __name__ == "__main__":
    sys.exit(main())
