"""A PostgreSQL cluster of the project's own: made, started on loopback, stopped."""

from __future__ import annotations

import hashlib
import os
import pwd
import secrets
import shutil
import socket
import subprocess
import time
from pathlib import Path


class Failed(Exception):
    """Something that cannot go on, in one sentence."""


def free_port() -> int:
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return int(s.getsockname()[1])


def binaries() -> Path:
    """Where Debian keeps the newest PostgreSQL server's programs."""
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"), key=lambda p: int(p.parts[-3]))
    if not found:
        raise Failed("PostgreSQL is not installed: run ./setup.")
    return found[-1].parent


class Cluster:
    """The cluster under ``var``. PostgreSQL refuses to run as root, so root hands it to ``postgres``."""

    def __init__(self, var: Path):
        self.var = var
        self.root = os.geteuid() == 0
        self.home = var / "postgres"
        if self.root and not self._reachable(var):
            # A folder that the postgres user cannot enter (under /root, say): keep the data beside Debian's.
            name = hashlib.sha256(str(var).encode()).hexdigest()[:12]
            self.home = Path("/var/lib/postgresql") / f"upbeat-{name}"
        self.data = self.home / "data"
        self.password_file = var / "db-password"
        self.port = 0

    def _reachable(self, folder: Path) -> bool:
        folder.mkdir(parents=True, exist_ok=True)
        done = subprocess.run(
            ["runuser", "-u", "postgres", "--", "test", "-x", str(folder)], capture_output=True, check=False
        )
        return done.returncode == 0

    def _run(self, *command: str, timeout: float = 120) -> subprocess.CompletedProcess[str]:
        as_user = ["runuser", "-u", "postgres", "--"] if self.root else []
        # A cluster that starts keeps the descriptors it is given: the log goes to a file, never to a pipe.
        return subprocess.run(
            [*as_user, *command],
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            text=True,
            timeout=timeout,
            check=False,
            cwd="/",
        )

    @property
    def password(self) -> str:
        if not self.password_file.exists():
            self.var.mkdir(parents=True, exist_ok=True)
            self.password_file.touch(mode=0o600)
            self.password_file.write_text(secrets.token_hex(16))
        return self.password_file.read_text()

    def make(self) -> bool:
        """Make the cluster if it is new; tells whether it was."""
        if (self.data / "PG_VERSION").exists():
            return False
        shutil.rmtree(self.home, ignore_errors=True)
        self.home.mkdir(parents=True)
        handed = self.home / "pw"
        handed.write_text(self.password)
        if self.root:
            owner = pwd.getpwnam("postgres")
            os.chown(self.home, owner.pw_uid, owner.pw_gid)
            os.chown(handed, owner.pw_uid, owner.pw_gid)
        done = self._run(
            str(binaries() / "initdb"),
            "-D",
            str(self.data),
            "-U",
            "upbeat",
            f"--pwfile={handed}",
            "--auth=scram-sha-256",
            "-E",
            "UTF8",
            "--locale=C.UTF-8",
            "-N",
        )
        handed.unlink()
        if done.returncode:
            raise Failed(f"The database cluster could not be made in {self.data}.")
        return True

    def start(self) -> int:
        """Start it on a free loopback port and give the port."""
        self.stop()
        for _ in range(3):
            self.port = free_port()
            if self._start_on(self.port):
                return self.port
            time.sleep(0.3)
        raise Failed(f"The database did not start: its log is {self.home / 'log'}.")

    def start_again(self) -> None:
        """Start it on the port it had. Processes of the one that ended may hold its memory for a moment."""
        for _ in range(20):
            if self._start_on(self.port):
                return
            time.sleep(0.3)
        raise Failed(f"The database did not start again: its log is {self.home / 'log'}.")

    def pid(self) -> int:
        """Of its first process, as it wrote it down; 0 where it did not."""
        try:
            return int((self.data / "postmaster.pid").read_text().split()[0])
        except (OSError, ValueError, IndexError):
            return 0

    def alive(self) -> bool:
        """Whether its first process is there."""
        try:
            pid = self.pid()
            return pid > 0 and "Z" not in Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0]
        except (OSError, ValueError, IndexError):
            return False

    def _start_on(self, port: int) -> bool:
        options = f"-p {port} -c listen_addresses=127.0.0.1 -c unix_socket_directories='' -c max_connections=60 -c shared_buffers=64MB"
        log = self.home / "log"
        control = [str(binaries() / "pg_ctl"), "-D", str(self.data), "-l", str(log), "-o", options]
        return self._run(*control, "-w", "-t", "60", "start").returncode == 0

    def stop(self) -> None:
        if (self.data / "postmaster.pid").exists():
            self._run(str(binaries() / "pg_ctl"), "-D", str(self.data), "-m", "fast", "-w", "-t", "30", "stop")

    def remove(self) -> None:
        self.stop()
        shutil.rmtree(self.home, ignore_errors=True)
