"""The dress run of a show, in the worker: its process is another, so that it can be ended."""

from __future__ import annotations

import json
import shutil
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from django.conf import settings
from procrastinate.contrib.django import app

from jobs.command import run_upbeat
from jobs.run import LOST, MAX_ATTEMPTS, carry_out
from shows.build import placed, show_document
from shows.models import DressRun, Show
from upbeat.errors import Problem, Refused, refuse

KEPT = "kept.json"


def ask_dress_run(show: Show) -> DressRun:
    """The dress run that is under way, or a new one. Raises :class:`Refused` where the show cannot be made up."""
    working = show.dress_runs.filter(state=DressRun.State.WORKING).last()
    if working is not None:
        return working
    document, _ = show_document(show)
    row = DressRun.objects.create(show=show, document=document)
    run_dress.defer(dress_run_id=row.pk)
    return row


@app.task(name="dress_run", queue="import", pass_context=False)
def run_dress(dress_run_id: int) -> None:
    carry_out(DressRun.objects.select_related("show__band").filter(pk=dress_run_id).first(), _run)


def _run(row: DressRun) -> None:
    document, files = show_document(row.show)
    # A worker that was killed leaves its folder behind.
    for old in (settings.MEDIA / "dress-runs").glob(f"{row.show_id}-*"):
        shutil.rmtree(old, ignore_errors=True)
    folder = placed(document, files, settings.MEDIA / "dress-runs", str(row.show_id), missing_ok=True)
    try:
        before = row.show.dress_runs.filter(state=DressRun.State.DONE).last()
        (folder / KEPT).write_text(json.dumps(before.kept if before is not None else {}))
        answer = _played(row, folder)
        row.kept = json.loads((folder / KEPT).read_text())
    finally:
        shutil.rmtree(folder, ignore_errors=True)
    if not answer["ok"]:
        raise Refused(*(Problem(p["code"], p["message"]) for p in answer["problems"]))
    row.document, row.result = document, answer
    # Only the newest is needed: it has all that is kept.
    row.show.dress_runs.exclude(pk=row.pk).filter(state=DressRun.State.DONE).delete()


def _played(row: DressRun, folder: Path) -> dict[str, Any]:
    """What ``upbeat dress-run`` answers. Raises :class:`Refused` where the run was called off, or its process died."""
    options = ["--kept", str(folder / KEPT), "--words", str(settings.WORDS)]
    answer = run_upbeat(row, folder, "dress-run", str(folder), *options)
    if answer is None:
        raise refuse("dress-run-ended", "The dress run was ended: begin it once more.")
    return answer


def _lost(args: Mapping[str, Any]) -> None:
    DressRun.objects.filter(pk=args["dress_run_id"], state=DressRun.State.WORKING).update(
        state=DressRun.State.REFUSED, message=f"The dress run was broken off {MAX_ATTEMPTS} times: begin it once more."
    )


LOST["dress_run"] = _lost
