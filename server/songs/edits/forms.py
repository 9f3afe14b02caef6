"""Edits of forms: lists of steps through the sections (rules F2 and F3)."""

from __future__ import annotations

import uuid
from collections.abc import Callable
from typing import Any

from songs.edits.sections import known
from songs.models import Song
from songs.rows import FormRow, held
from upbeat.errors import refuse
from upbeat.song.forms import Ending

MOST_FORMS, MOST_STEPS = 50, 2000


def _steps(song: Song, raw_steps: list[dict[str, Any]]) -> list[dict[str, Any]]:
    if len(raw_steps) > MOST_STEPS:
        raise refuse("form-long", f"A form has at most {MOST_STEPS} steps, not {len(raw_steps)}.")
    stems = {str(s.pk) for s in held(song).stems}
    steps = []
    for raw in raw_steps:
        section = known(song, raw["section"])
        ending = Ending(**_whole(raw.get("ending", {})))
        step: dict[str, Any] = {"section": section.id, "ending": {"kind": ending.kind, "times": ending.times}}
        if str(raw.get("cue") or "").strip():
            step["cue"] = str(raw["cue"]).strip()[:80]
        if raw.get("tacet"):
            step["tacet"] = [s for s in map(str, raw["tacet"]) if s in stems]
        steps.append(step)
    if not steps or all(s["ending"]["kind"] == "cut" for s in steps):
        raise refuse("form-empty", "A form needs at least one section that is played: put one back.")
    return steps


def _whole(ending: dict[str, Any]) -> dict[str, Any]:
    if "times" in ending and not isinstance(ending["times"], int):
        raise refuse("ending-times", "A repeat plays a whole number of times, 2 to 99 in all: type one.")
    return ending


def _set_form(song: Song, args: dict[str, Any]) -> None:
    """Make a form, or give another list of steps or another name to one that has an id."""
    forms = held(song).forms
    form = next((f for f in forms if f.id == str(args["form"])), None) if args.get("form") else None
    if args.get("form") and form is None:
        raise refuse("form-unknown", "That form is no longer there: reload the song.")
    if form is None and len(forms) >= MOST_FORMS:
        raise refuse("forms-many", f"A song has at most {MOST_FORMS} forms besides the full one.")
    name = str(args.get("name", form.name if form else "") or "").strip()[:80] or "Short"
    if name.casefold() in {"full", *(f.name.casefold() for f in forms if f is not form)}:
        raise refuse("form-name-taken", f"There is a form called “{name}” already: choose another name.")
    steps = _steps(song, args["steps"]) if "steps" in args or form is None else form.steps
    made = FormRow(form.id if form else str(uuid.uuid4()), name, steps)
    held(song).forms = [made if f is form else f for f in forms] if form else [*forms, made]


def _remove_form(song: Song, args: dict[str, Any]) -> None:
    held(song).forms = [f for f in held(song).forms if f.id != str(args["form"])]


EDITS: dict[str, Callable[[Song, dict[str, Any]], None]] = {"set_form": _set_form, "remove_form": _remove_form}
