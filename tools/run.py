"""Starts everything the product is made of, watches it, and stops it again. See ./start."""

from __future__ import annotations

import argparse
import fcntl
import json
import os
import shutil
import signal
import socket
import subprocess
import sys
import threading
import time
import urllib.request
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT / "tools"))

import network
from cluster import Cluster, Failed, free_port

PYTHON = sys.executable
DEFAULT_PORT = 8800
SHORT_LIFE_S, LONGEST_WAIT_S = 30.0, 2.0


class Part:
    """A process of ours; it is started again if it ends by itself.

    ``socket``: one that it inherits. ``forks``: the work is done by its child, which it starts again itself.
    """

    def __init__(
        self,
        name: str,
        command: list[str],
        env: dict[str, str],
        log: Path,
        *,
        socket: socket.socket | None = None,
        forks: bool = False,
    ):
        self.name, self.command, self.env, self.log = name, command, env, log
        self.socket, self.forks = socket, forks
        self.process: subprocess.Popen[bytes] | None = None
        self.began = 0.0
        self.deaths = 0

    def start(self) -> None:
        with open(self.log, "ab") as log:
            # A group of its own: Ctrl-C reaches us alone, and we stop the parts in order.
            self.process = subprocess.Popen(
                self.command,
                env=self.env,
                cwd=ROOT / "server",
                stdin=subprocess.DEVNULL,
                stdout=log,
                stderr=log,
                start_new_session=True,
                pass_fds=[self.socket.fileno()] if self.socket else [],
            )
        self.began = time.monotonic()

    def pid(self) -> int | None:
        """The process that does the work."""
        if self.process is None or not self.forks:
            return self.process and self.process.pid
        try:
            children = Path(f"/proc/{self.process.pid}/task/{self.process.pid}/children").read_text().split()
        except OSError:
            children = []
        return int(children[0]) if children else self.process.pid

    def alive(self) -> bool:
        return self.process is not None and self.process.poll() is None

    def stop(self, patience: float = 8) -> None:
        if self.process is None or not self.alive():
            return
        self.process.send_signal(signal.SIGTERM)
        try:
            self.process.wait(patience)
        except subprocess.TimeoutExpired:
            os.killpg(self.process.pid, signal.SIGKILL)
            self.process.wait()

    def last_words(self) -> str:
        lines = self.log.read_text(errors="replace").strip().splitlines() if self.log.exists() else []
        return lines[-1][:200] if lines else "it said nothing"


def main() -> int:
    args = _arguments()
    var = Path(os.environ.get("UPBEAT_VAR", ROOT / "var")).resolve()
    var.mkdir(parents=True, exist_ok=True)
    lock = open(var / "lock", "w")
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        print("Upbeat Cue is running already: stop it first (Ctrl-C where it was started).", file=sys.stderr)
        return 1
    cluster = Cluster(var)
    parts: list[Part] = []
    stopping: list[int] = []
    announced: Any = None
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda n, frame: stopping.append(n))
    try:
        if args.fresh:
            _start_over(cluster, var, args.yes)
        address, link = _bring_up(cluster, var, args, parts, stopping)
        if stopping:
            return 0
        announced = _on_the_network(args, address) if args.network else None
        print(f"\nUpbeat Cue is ready:  {address}\nSign in once with:    {link}\n\nCtrl-C stops it.", flush=True)
        _say_what_runs(var, {"address": address, "sign_in": link}, parts, cluster)
        _watch(parts, cluster, stopping, var)
        return 0
    except Failed as failed:
        print(f"Upbeat Cue could not start: {failed}", file=sys.stderr)
        return 1
    finally:
        if announced is not None:
            announced.close()
        for part in reversed(parts):
            part.stop()
        cluster.stop()
        (var / "run.json").unlink(missing_ok=True)


def _say_what_runs(var: Path, run: dict[str, Any], parts: list[Part], cluster: Cluster) -> None:
    """Write ``run.json`` whole, so that nobody ever reads half of it."""
    half = var / "run.json.part"
    pids = {p.name: p.pid() for p in parts if p.process}
    half.write_text(json.dumps({**run, **pids, "database": cluster.pid()}))
    half.replace(var / "run.json")


def _arguments() -> argparse.Namespace:
    parser = argparse.ArgumentParser(prog="./start", description="Start Upbeat Cue and print its address.")
    parser.add_argument(
        "--port", type=int, default=DEFAULT_PORT, help=f"port of the page (default {DEFAULT_PORT}; 0: any free one)"
    )
    parser.add_argument(
        "--network",
        action="store_true",
        help="let phones of the local network join the show by a code (everything else stays signed in only)",
    )
    parser.add_argument("--fresh", action="store_true", help="throw all data away and begin with the demo (asks first)")
    parser.add_argument("--yes", action="store_true", help="do not ask")
    parser.add_argument("--no-demo", action="store_true", help="begin with an empty band")
    parser.add_argument(
        "--device", help="simulated, or interface:NAME as Outputs lists it (default: the one chosen last)"
    )
    parser.add_argument("--outputs", type=int, help="outputs of the device (default 8)")
    parser.add_argument(
        "--ahead",
        type=int,
        default=1000,
        help="sound rendered ahead, in ms (200 to 2000): a stall of a renderer that is shorter is not heard",
    )
    parser.add_argument("--buffer", type=int, help="blocks of 5.3 ms that wait for the interface (2 to 64; default 4)")
    return parser.parse_args()


def _start_over(cluster: Cluster, var: Path, sure: bool) -> None:
    if not sure:
        print(f"This throws away every song, setlist and recording in {var}. Type yes to go on: ", end="", flush=True)
        if sys.stdin.readline().strip().lower() != "yes":
            raise Failed("nothing was thrown away.")
    cluster.remove()
    for name in ("media", "words", "engine", "hands", "demo", "db-password", "secret-key", "demo-made"):
        path = var / name
        shutil.rmtree(path) if path.is_dir() else path.unlink(missing_ok=True)


def _on_the_network(args: argparse.Namespace, address: str) -> Any:
    """Say where phones join, as an address and a picture; gives what ends the announcing."""
    own = network.own_address()
    if own is None:
        print("This machine has no address in a network: phones cannot join.", flush=True)
        return None
    port = int(address.rsplit(":", 1)[1])
    joined = f"http://{own}:{port}/band"
    print(f"\nPhones join at:       {joined}\n{network.picture(joined)}", flush=True)
    return network.announce(own, port)


def _listening(port: int, host: str = "127.0.0.1") -> socket.socket:
    """The socket of the pages: it stays while who serves them may come and go."""
    listening = socket.socket()
    listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listening.bind((host, port))
    except OSError:
        listening.close()
        raise Failed(f"port {port} is taken: choose another with --port.") from None
    listening.listen(128)
    return listening


def _bring_up(
    cluster: Cluster, var: Path, args: argparse.Namespace, parts: list[Part], stopping: list[int]
) -> tuple[str, str]:
    """Start everything; gives the address and a sign-in link. The engine first: it needs no database."""
    host = "0.0.0.0" if args.network else "127.0.0.1"
    listening = _listening(args.port, host)
    port = int(listening.getsockname()[1])
    cluster.make()
    env = _environment(cluster, var, port)
    own = network.own_address() if args.network else None
    if own is not None:
        known = [*os.environ.get("UPBEAT_HOSTS", "").split(), own, network.HOST]
        env.update(UPBEAT_NETWORK=f"http://{own}:{port}", UPBEAT_HOSTS=" ".join(known))
    logs = var / "logs"
    logs.mkdir(exist_ok=True)
    parts.append(Part("engine", _engine(env, var, args), env, logs / "engine.log"))
    parts.append(Part("ports", _ports(env, var), env, logs / "ports.log"))
    stage = _listening(int(env["UPBEAT_STAGE_PORT"]), host)
    parts.append(_server("stage", "backend.stage_asgi", stage, env, logs, "--hurry"))
    for part in parts:
        part.start()
    env["UPBEAT_DB_PORT"] = str(cluster.start())
    _prepare(env, var, args)
    if stopping:
        return "", ""
    parts.append(Part("worker", [PYTHON, "manage.py", "work"], env, logs / "worker.log"))
    parts.append(_server("web", "backend.asgi", listening, {**env, "UPBEAT_DB_POOL": "1"}, logs))
    for part in parts[-2:]:
        part.start()
    address = f"http://127.0.0.1:{port}"
    link = subprocess.run(
        [PYTHON, "manage.py", "sign_in_link", "--base", address],
        cwd=ROOT / "server",
        env=env,
        capture_output=True,
        text=True,
        check=True,
    ).stdout.strip()
    _until_answers(parts, address, stopping)
    return address, link


def _engine(env: dict[str, str], var: Path, args: argparse.Namespace) -> list[str]:
    options = {
        "--control": env["UPBEAT_ENGINE_CONTROL"],
        "--state": env["UPBEAT_ENGINE_STATE"],
        "--folder": str(var / "engine"),
        "--words": str(var / "words"),
        "--device": args.device,
        "--channels": args.outputs,
        "--ahead": args.ahead,
        "--blocks": args.buffer,
        "--parts": str(var / "run.json"),
    }
    said = [str(part) for name, value in options.items() if value is not None for part in (name, value)]
    return [PYTHON, "-m", "playout.main", *said]


def _ports(env: dict[str, str], var: Path) -> list[str]:
    options = {
        "--listen": env["UPBEAT_HANDS"],
        "--publish": env["UPBEAT_HANDS_SIGNALS"],
        "--control": env["UPBEAT_ENGINE_CONTROL"],
        "--state": env["UPBEAT_ENGINE_STATE"],
        "--folder": str(var / "engine"),
        "--hands": str(var / "hands"),
    }
    return [PYTHON, "-m", "playout.ports.main", *(part for pair in options.items() for part in pair)]


def _server(name: str, module: str, listening: socket.socket, env: dict[str, str], logs: Path, *options: str) -> Part:
    command = [PYTHON, "-m", "backend.serve", f"{module}:application", "--fd", str(listening.fileno()), *options]
    return Part(name, command, env, logs / f"{name}.log", socket=listening, forks=True)


def _environment(cluster: Cluster, var: Path, port: int) -> dict[str, str]:
    env = dict(os.environ)
    env.pop("PYTHONDONTWRITEBYTECODE", None)
    control, state = free_port(), free_port()
    env.update(UPBEAT_VAR=str(var), UPBEAT_DB_PASSWORD=cluster.password, DJANGO_SETTINGS_MODULE="backend.settings")
    env.update(UPBEAT_ENGINE_CONTROL=str(control), UPBEAT_ENGINE_STATE=str(state))
    env.update(UPBEAT_HANDS=str(free_port()), UPBEAT_HANDS_SIGNALS=str(free_port()))
    env.update(UPBEAT_WEB_PORT=str(port), UPBEAT_STAGE_PORT=str(free_port()))
    return env


def _prepare(env: dict[str, str], var: Path, args: argparse.Namespace) -> None:
    """Database, migrations, and the demo where the database is new."""
    done = subprocess.run(
        [PYTHON, str(ROOT / "tools" / "database.py")], env=env, capture_output=True, text=True, check=False
    )
    if done.returncode:
        raise Failed(f"the database could not be made ready: {(done.stderr.strip().splitlines() or ['?'])[-1]}")
    if done.stdout.strip().endswith("empty"):
        print("Making the demo: composing its songs" if not args.no_demo else "Making an empty band", flush=True)
        command = [PYTHON, "manage.py", "demo", *(["--empty"] if args.no_demo else [])]
        made = subprocess.run(command, cwd=ROOT / "server", env=env, capture_output=True, text=True, check=False)
        if made.returncode:
            raise Failed(f"the demo could not be made: {(made.stderr.strip().splitlines() or ['?'])[-1]}")


def _until_answers(parts: list[Part], address: str, stopping: list[int]) -> None:
    until = time.monotonic() + 150
    while time.monotonic() < until and not stopping:
        for part in parts:
            if not part.alive():
                raise Failed(f"{part.name} ended at once: {part.last_words()}")
        try:
            with urllib.request.urlopen(f"{address}/", timeout=5) as answer:
                if answer.status == 200:
                    return
        except OSError:
            time.sleep(0.1)
    if not stopping:
        raise Failed("the web server does not answer.")


def _watch(parts: list[Part], cluster: Cluster, stopping: list[int], var: Path) -> None:
    """Start again whatever ends by itself, for as long as it takes: a show may be playing."""
    due: dict[str, float] = {}
    keeper = DatabaseKeeper(cluster)
    said = [part.pid() for part in parts]
    while not stopping:
        time.sleep(0.1)
        keeper.look()
        now_running = [part.pid() for part in parts]
        if now_running != said:
            said = now_running
            _say_what_runs(var, json.loads((var / "run.json").read_text()), parts, cluster)
        for part in parts:
            now = time.monotonic()
            if part.alive():
                continue
            if part.name not in due:
                part.deaths = part.deaths + 1 if now - part.began < SHORT_LIFE_S else 1
                due[part.name] = now + min(LONGEST_WAIT_S, 0.2 * (part.deaths - 1))
                words = f"{part.name} ended by itself ({part.last_words()}); it is started again."
                print(words, file=sys.stderr, flush=True)
            if now >= due[part.name] and not stopping:
                del due[part.name]
                part.start()
    keeper.wait()


class DatabaseKeeper:
    """Starts the database again where it ended by itself, on a thread: its recovery may take a while."""

    def __init__(self, cluster: Cluster):
        self.cluster = cluster
        self._thread: threading.Thread | None = None

    def look(self) -> None:
        if (self._thread is None or not self._thread.is_alive()) and not self.cluster.alive():
            print("The database ended by itself; it is started again.", file=sys.stderr, flush=True)
            self._thread = threading.Thread(target=self._start, daemon=True)
            self._thread.start()

    def _start(self) -> None:
        try:
            self.cluster.start_again()
        except Failed as failed:
            print(failed, file=sys.stderr, flush=True)
            time.sleep(LONGEST_WAIT_S)

    def wait(self) -> None:
        if self._thread is not None:
            self._thread.join(10)


if __name__ == "__main__":
    sys.exit(main())
