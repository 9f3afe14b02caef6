"""An engine as processes of its own, for the tests."""

from __future__ import annotations

import json
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from playout import shared
from playout.client import EngineClient, EngineSilent
from playout.loading import described_file
from playout.shared import Shared

PATIENCE_MS = 10_000
STARTS_S = 60  # where its loops are not compiled yet


def free_port() -> int:
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return int(s.getsockname()[1])


def stolen() -> float:
    """Seconds that the machine below took away from this one (steal in /proc/stat)."""
    return int(Path("/proc/stat").read_text().split("\n")[0].split()[8]) / os.sysconf("SC_CLK_TCK")


class Running:
    """Starts ``playout.main`` and talks to it; ends it on leaving.

    ``prefix``: a command that the engine is run by; ``more``: other options of it. ``blocks``: in the device's own buffer; many, where a busy machine must not spoil what is compared.
    """

    words: Path | None = None  # where all keep what they have spoken, as ./start has them do; None: nowhere

    def __init__(
        self,
        folder: Path,
        channels: int = 4,
        device: str = "simulated",
        env: dict[str, str] | None = None,
        ahead: int = 1000,
        blocks: int = 64,
        prefix: Sequence[str] = (),
        more: Sequence[str] = (),
    ):
        self.folder, self.ports = folder, (free_port(), free_port())
        self.engine = folder / "engine"
        self._layout = (48000, ahead)
        command = [
            *prefix,
            sys.executable,
            "-m",
            "playout.main",
            "--control",
            str(self.ports[0]),
            "--state",
            str(self.ports[1]),
        ]
        self._command = [
            *command,
            "--folder",
            str(self.engine),
            "--channels",
            str(channels),
            "--device",
            device,
            "--ahead",
            str(ahead),
            "--blocks",
            str(blocks),
            *(["--words", str(self.words)] if self.words else []),
            *more,
        ]
        self._env = env
        self.process: subprocess.Popen[bytes] | None = None

    def __enter__(self) -> Running:
        try:
            self.start()
        except BaseException:
            self.__exit__()
            raise
        return self

    def start(self) -> None:
        self.process = subprocess.Popen(self._command, env=self._env, start_new_session=True)
        self.client = EngineClient(*self.ports, timeout_ms=PATIENCE_MS)
        end = time.monotonic() + STARTS_S
        while time.monotonic() < end:
            assert self.process.poll() is None, "the engine ended as it was started"
            try:
                if self.client.ask("state")["ok"]:
                    return
            except EngineSilent:
                continue
            time.sleep(0.02)
        raise AssertionError("the engine did not start")

    def memory(self) -> Shared:
        """The memory of the engine, to look into."""
        return Shared(shared.path_of(self.engine), *self._layout, create=False)

    def pid(self, part: str) -> int:
        """The process id of ``feeder``, ``leader`` or ``follower``."""
        memory = self.memory()
        leader = memory.number(shared.LEADER)
        if part == "feeder":
            return memory.number(shared.FEEDER_PID)
        return memory.own(leader if part == "leader" else 1 - leader, shared.PID)

    def kill_part(self, part: str) -> None:
        os.kill(self.pid(part), signal.SIGKILL)

    def kill(self) -> None:
        """Kill every process of the engine at once."""
        assert self.process
        os.killpg(self.process.pid, signal.SIGKILL)
        self.process.wait()
        self.client.close()

    def __exit__(self, *args: object) -> None:
        if self.process and self.process.poll() is None:
            self.process.terminate()
            self.process.wait(15)
        shared.path_of(self.engine).unlink(missing_ok=True)
        self.client.close()

    def load(self, document: dict[str, Any], name: str = "evening") -> dict[str, Any]:
        folder = self.folder / name
        folder.mkdir(exist_ok=True)
        (folder / "show.json").write_text(json.dumps(document))
        return self.client.load(str(folder), name)

    def finished_recording(self) -> Path:
        """End the recording; gives the file once it is whole."""
        path = Path(self.client.ask("record", on=False)["file"])
        for _ in range(200):
            if path.exists():
                return path
            time.sleep(0.02)
        raise AssertionError("the recording was not finished")

    def described(self) -> dict[str, Any]:
        """What is loaded, as the pages get it."""
        document: dict[str, Any] = json.loads(described_file(self.engine, self.state()["loads"]).read_text())
        return document["described"]

    def night(self) -> Path:
        """The newest night log."""
        return max((self.engine / "night-logs").glob("*.jsonl"), key=lambda p: p.stat().st_mtime)

    def state(self) -> dict[str, Any]:
        return self.until(lambda s: True)

    def until(self, wanted, seconds: float = 40) -> dict[str, Any]:
        """The first state that ``wanted`` accepts."""
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            try:
                state = self.client.ask("state").get("state")
            except EngineSilent:
                state = None
            if state is not None and wanted(state):
                return state
            time.sleep(0.02)
        raise AssertionError(f"never came: {state}")
