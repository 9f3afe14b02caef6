"""./start: what it says when it cannot, and that Ctrl-C stops everything."""

import os
import socket
import subprocess
import sys
from pathlib import Path

from conftest import ROOT, Product


def run(var: Path, *options: str, typed: str = "") -> subprocess.CompletedProcess[str]:
    env = {**os.environ, "UPBEAT_VAR": str(var)}
    return subprocess.run(
        [sys.executable, str(ROOT / "tools" / "run.py"), *options],
        env=env,
        input=typed,
        capture_output=True,
        text=True,
        timeout=60,
        check=False,
    )


def test_a_taken_port_is_said(tmp_path):
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        done = run(tmp_path / "var", "--port", str(taken.getsockname()[1]))
    assert done.returncode == 1
    assert "is taken: choose another with --port" in done.stderr


def test_starting_twice_is_said(product):
    done = run(product.var, "--port", "0")
    assert done.returncode == 1
    assert "running already" in done.stderr


def test_the_stages_server_runs_before_pages_and_imports(product):
    ranks = {part: os.getpriority(os.PRIO_PROCESS, product.pid(part)) for part in ("stage", "web", "worker")}
    assert ranks == {"stage": -10 if os.geteuid() == 0 else 0, "web": 0, "worker": 0}


def test_fresh_asks_and_keeps_everything_on_no(tmp_path):
    (tmp_path / "var" / "media").mkdir(parents=True)
    (tmp_path / "var" / "media" / "song").touch()
    done = run(tmp_path / "var", "--fresh", typed="no\n")
    assert done.returncode == 1
    assert "nothing was thrown away" in done.stderr
    assert (tmp_path / "var" / "media" / "song").exists()


def test_ctrl_c_stops_every_part_and_a_second_start_finds_all_as_it_was(tmp_path):
    first = Product(tmp_path / "var", "--no-demo")
    pids = [first.pid(part) for part in ("engine", "worker", "web")]
    assert first.stop() == 0
    assert not any(Path(f"/proc/{pid}").exists() for pid in pids)
    assert not (tmp_path / "var" / "run.json").exists()
    again = Product(tmp_path / "var", "--no-demo")
    assert "Making an empty band" not in Path(again.log.name).read_text()
    assert again.stop() == 0
