"""An engine as a process of its own, for the tests."""

from __future__ import annotations

import json
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

from playout.client import EngineClient, EngineSilent


def free_port() -> int:
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return int(s.getsockname()[1])


class Running:
    """Starts ``playout.main`` and talks to it; ends it on leaving.

    ``ahead``: blocks in hand; many, where a busy machine must not spoil what is compared.
    """

    def __init__(
        self,
        folder: Path,
        channels: int = 4,
        device: str = "simulated",
        env: dict[str, str] | None = None,
        ahead: int = 8,
    ):
        self.folder, self.ports = folder, (free_port(), free_port())
        command = [sys.executable, "-m", "playout.main", "--control", str(self.ports[0]), "--state", str(self.ports[1])]
        self._command = [
            *command,
            "--folder",
            str(folder / "engine"),
            "--channels",
            str(channels),
            "--device",
            device,
            "--ahead",
            str(ahead),
        ]
        self._env = env
        self.process: subprocess.Popen[bytes] | None = None

    def __enter__(self) -> Running:
        self.start()
        return self

    def start(self) -> None:
        self.process = subprocess.Popen(self._command, env=self._env)
        self.client = EngineClient(*self.ports)
        for _ in range(100):
            try:
                self.client.ask("ping")
                return
            except EngineSilent:
                continue
        raise AssertionError("the engine did not start")

    def kill(self) -> None:
        assert self.process
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()
        self.client.close()

    def __exit__(self, *args: object) -> None:
        if self.process and self.process.poll() is None:
            self.process.terminate()
            self.process.wait(10)
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

    def state(self) -> dict[str, Any]:
        answer: dict[str, Any] = self.client.ask("state")["state"]
        return answer

    def until(self, wanted, seconds: float = 20) -> dict[str, Any]:
        """The first state that ``wanted`` accepts."""
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            state = self.state()
            if wanted(state):
                return state
            time.sleep(0.02)
        raise AssertionError(f"never came: {self.state()}")
