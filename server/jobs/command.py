"""A job that the command ``upbeat`` does: its process is another, so that it can be ended."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
from pathlib import Path
from typing import Any

from jobs.models import Job


def run_upbeat(row: Job, folder: Path, *args: str) -> dict[str, Any] | None:
    """What ``upbeat`` answers, its progress kept in ``row``; None where it was called off, or its process died.

    It is called off by deleting the row. ``folder``: where its answer may lie meanwhile.
    """
    # Whatever plays or is edited meanwhile comes first.
    command = ["nice", "-n", "10", sys.executable, "-m", "upbeat.cli", *args, "--json", "--progress"]
    out = folder / "answer.json"
    with open(out, "wb") as answer:
        process = subprocess.Popen(command, stdout=answer, stderr=subprocess.PIPE, text=True, start_new_session=True)
        assert process.stderr is not None
        for line in process.stderr:
            if not _told(row, line):
                # It has a process for every core.
                os.killpg(process.pid, signal.SIGKILL)
                break
        process.wait()
    try:
        return dict(json.loads(out.read_text()))
    except ValueError:
        return None


def _told(row: Job, line: str) -> bool:
    """Keep how far it is; False once its row is gone."""
    try:
        share = float(line)
    except ValueError:
        return True
    return bool(type(row)._default_manager.filter(pk=row.pk).update(progress=round(share, 2)))
