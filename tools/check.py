"""Runs the checks of ./test, all or by name, and says at the end what passed."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
BIN = Path(sys.executable).parent
PYTEST = [sys.executable, "-m", "pytest"]
WEB = ROOT / "web"

PARTS: dict[str, list[tuple[list[str], Path]]] = {
    "lint": [([str(BIN / "ruff"), "check", "."], ROOT)],
    "types": [
        ([str(BIN / "mypy"), "core/upbeat", "playout/playout"], ROOT),
        (["npx", "--no-install", "tsc", "--noEmit"], WEB),
    ],
    "imports": [([str(BIN / "lint-imports"), "--no-logo"], ROOT)],
    "api": [(["tools/api", "--check"], ROOT)],
    "core": [([*PYTEST, "core/tests", "-n", "2"], ROOT)],
    "playout": [([*PYTEST, "playout/tests"], ROOT)],
    "server": [([*PYTEST, "server/tests", "-n", "2"], ROOT)],
    "web": [(["npx", "--no-install", "vitest", "run"], WEB)],
    "browser": [([*PYTEST, "tests"], ROOT)],
}


def main(names: list[str]) -> int:
    unknown = [n for n in names if n not in PARTS]
    if unknown:
        print(f"There is no part “{unknown[0]}”: choose from {' '.join(PARTS)}.", file=sys.stderr)
        return 2
    env = {k: v for k, v in os.environ.items() if not k.startswith("UPBEAT_")}
    # Each BLAS product here is small: more threads than one only get into each other's way.
    env["OPENBLAS_NUM_THREADS"] = "1"
    failed = []
    for name in names or list(PARTS):
        print(f"── {name}", flush=True)
        began = time.monotonic()
        for command, folder in PARTS[name]:
            if subprocess.run(command, cwd=folder, env=env, check=False).returncode and name not in failed:
                failed.append(name)
        print(f"   {time.monotonic() - began:.0f} s{', FAILED' if name in failed else ''}", flush=True)
    ran = len(names or PARTS)
    if failed:
        print(f"Failed: {' '.join(failed)}")
    print(f"{ran - len(failed)} passed, {len(failed)} failed")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
