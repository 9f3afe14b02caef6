"""Runs the checks of ./test, all or by name, and says at the end what passed and how long each part took.

``quick`` runs format, lint, types, import contracts and the unit tests of the packages that differ from main.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
BIN = Path(sys.executable).parent
PYTEST = [sys.executable, "-m", "pytest", "--durations=8", "--durations-min=5"]
WEB = ROOT / "web"
NPX = ["npx", "--no-install"]
ESLINT = [*NPX, "eslint", "--max-warnings", "0"]
APPS = [
    "api",
    "backend",
    "jobs",
    "outputs",
    "people",
    "preview",
    "setlists",
    "shows",
    "songs",
    "stage",
    "uploads",
    "voices",
]

PARTS: dict[str, list[tuple[list[str], Path]]] = {
    "lint": [
        ([str(BIN / "ruff"), "check", "."], ROOT),
        ([str(BIN / "ruff"), "format", "--check", "--quiet", "."], ROOT),
        ([*NPX, "prettier", "--check", "--log-level", "warn", "."], WEB),
        ([*ESLINT, "."], WEB),
    ],
    "types": [
        ([str(BIN / "mypy"), "core/upbeat", "playout/playout", *(f"server/{app}" for app in APPS)], ROOT),
        ([*NPX, "tsc", "--noEmit"], WEB),
    ],
    "imports": [([str(BIN / "lint-imports"), "--no-logo"], ROOT)],
    "api": [(["tools/api", "--check"], ROOT)],
    "pictures": [([sys.executable, "tools/pictures.py"], ROOT)],
    "core": [([*PYTEST, "core/tests", "-n", "2", "--dist", "worksteal"], ROOT)],
    "playout": [([*PYTEST, "playout/tests"], ROOT)],
    "server": [([*PYTEST, "server/tests", "-n", "2", "--dist", "worksteal"], ROOT)],
    "web": [([*NPX, "vitest", "run"], WEB)],
    "browser": [([*PYTEST, "tests"], ROOT)],
}


def quick() -> dict[str, list[tuple[list[str], Path]]]:
    """The parts that need no running product, with the unit tests of what changed.

    A test file of Python runs where it changed itself, or where it imports a module that changed; the
    tests of the pages are found by Vitest.
    """
    parts = {name: PARTS[name] for name in ("lint", "types", "imports", "api")}
    changed = _changed()
    modules = {_module(path) for path in changed if path.suffix == ".py"}
    for name in ("core", "playout", "server"):
        tests = sorted((ROOT / name / "tests").glob("test_*.py"))
        hit = [t for t in tests if t in changed or any(f"from {m} import" in t.read_text() for m in modules)]
        if hit:
            parts[name] = [([*PYTEST, "-n", "2", *map(str, hit)], ROOT)]
    pages = [str(path) for path in changed if WEB in path.parents and path.suffix in (".ts", ".tsx")]
    parts["lint"] = [*PARTS["lint"][:-1], *([([*ESLINT, *pages], WEB)] if pages else [])]
    if pages:
        parts["web"] = [([*NPX, "vitest", "related", "--run", *pages], WEB)]
    return parts


def _changed() -> set[Path]:
    """Files that differ from the last commit on main that this work began at, or that are new."""
    base = _git("merge-base", "HEAD", "origin/main") or "HEAD"
    named = _git("diff", "--name-only", base).splitlines() + _git("ls-files", "-o", "--exclude-standard").splitlines()
    return {ROOT / name for name in named if (ROOT / name).exists()}


def _git(*arguments: str) -> str:
    return subprocess.run(["git", *arguments], cwd=ROOT, capture_output=True, text=True, check=False).stdout.strip()


def _module(path: Path) -> str:
    """``core/upbeat/song/forms.py`` as ``upbeat.song.forms``."""
    parts = path.relative_to(ROOT).with_suffix("").parts[1:]
    return ".".join(parts[:-1] if parts and parts[-1] == "__init__" else parts)


def main(names: list[str]) -> int:
    unknown = [n for n in names if n not in (*PARTS, "quick")]
    if unknown:
        print(f"There is no part “{unknown[0]}”: choose from quick {' '.join(PARTS)}.", file=sys.stderr)
        return 2
    parts = quick() if "quick" in names else {name: PARTS[name] for name in names or PARTS}
    failed, seconds = [], {}
    with tempfile.TemporaryDirectory() as var:
        env = {k: v for k, v in os.environ.items() if not k.startswith("UPBEAT_")}
        # The settings are read for the types, and keep a secret under this folder.
        env["UPBEAT_VAR"] = var
        # Each BLAS product here is small: more threads than one only get into each other's way.
        env["OPENBLAS_NUM_THREADS"] = "1"
        for name, commands in parts.items():
            print(f"── {name}", flush=True)
            began = time.monotonic()
            running = [subprocess.Popen(command, cwd=folder, env=env) for command, folder in commands]
            codes = [process.wait() for process in running]
            if any(codes):
                failed.append(name)
            seconds[name] = time.monotonic() - began
            print(f"   {seconds[name]:.0f} s{', FAILED' if name in failed else ''}", flush=True)
    slowest = sorted(seconds.items(), key=lambda part: -part[1])
    print(f"{sum(seconds.values()) / 60:.1f} min: " + ", ".join(f"{name} {took:.0f} s" for name, took in slowest))
    if failed:
        print(f"Failed: {' '.join(failed)}")
    print(f"{len(parts) - len(failed)} passed, {len(failed)} failed")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
