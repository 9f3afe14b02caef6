"""Edits of forms: lists of steps through the sections (rules F2 and F3)."""

from __future__ import annotations

import uuid
from typing import Any

from songs.edits import arguments
from songs.edits.registry import edit
from songs.edits.sections import known
from songs.models import Song
from songs.rows import FormRow, held
from upbeat.errors import refuse
from upbeat.limits import FORMS, NAME, STEPS
from upbeat.song.forms import Ending, Step


def _steps(song: Song, raw_steps: list[arguments.StepArguments]) -> list[dict[str, Any]]:
    if len(raw_steps) > STEPS.high:
        raise refuse("form-long", f"A form has at most {STEPS.high:g} steps, not {len(raw_steps)}.")
    stems = {str(s.pk) for s in held(song).stems}
    steps = []
    for raw in raw_steps:
        section = known(song, raw["section"])
        ending = Ending(**raw.get("ending", {}))
        step: dict[str, Any] = {"section": section.id, "ending": {"kind": ending.kind, "times": ending.times}}
        if str(raw.get("cue") or "").strip():
            step["cue"] = str(raw["cue"]).strip()[:NAME]
        part = Step(section.id, first=int(raw.get("first") or 1), bars=raw.get("bars"))
        first, last = part.bars_in(section.bars)
        if first > 1:
            step["first"] = first
        if last < section.bars:
            step["bars"] = last - first + 1
        tacet = raw.get("tacet")
        if tacet:
            step["tacet"] = [s for s in tacet if s in stems]
        steps.append(step)
    if not steps or all(s["ending"]["kind"] == "cut" for s in steps):
        raise refuse("form-empty", "A form needs at least one section that is played: put one back.")
    return steps


@edit(arguments.SetForm)
def set_form(song: Song, args: arguments.SetForm) -> None:
    """Make a form, or give another list of steps or another name to one that has an id."""
    forms = held(song).forms
    form = next((f for f in forms if f.id == str(args["form"])), None) if args.get("form") else None
    if args.get("form") and form is None:
        raise refuse("form-unknown", "That form is no longer there: reload the song.")
    if form is None and len(forms) >= FORMS.high:
        raise refuse("forms-many", f"A song has at most {FORMS.high:g} forms besides the full one.")
    name = str(args.get("name", form.name if form else "") or "").strip()[:80] or "Short"
    if name.casefold() in {"full", *(f.name.casefold() for f in forms if f is not form)}:
        raise refuse("form-name-taken", f"There is a form called “{name}” already: choose another name.")
    steps = _steps(song, args["steps"]) if "steps" in args or form is None else form.steps
    made = FormRow(form.id if form else str(uuid.uuid4()), name, steps)
    held(song).forms = [made if f is form else f for f in forms] if form else [*forms, made]


@edit(arguments.RemoveForm)
def remove_form(song: Song, args: arguments.RemoveForm) -> None:
    held(song).forms = [f for f in held(song).forms if f.id != str(args["form"])]
