"""Prints ``web/src/generated/core.ts``: ranges, lengths and choices of the core, for the pages. See tools/api."""

from __future__ import annotations

import json

import msgspec

from upbeat import limits
from upbeat.controls.bindings import BANKS, ENCODINGS, STEM_PARTS, STEM_SWITCHES
from upbeat.controls.lights import LIGHTS
from upbeat.controls.signals import PAGE_KEYS
from upbeat.controls.starters import STARTERS as HAND_STARTERS
from upbeat.messages.kinds import HOLDING
from upbeat.outputs.starters import STARTERS
from upbeat.outputs.templates import PHONES, SHAPES
from upbeat.play.hand import AUDIBLE, SWEEPS, SWITCHES
from upbeat.play.hand import TONES as TONE_PARTS
from upbeat.play.rights import RIGHTS
from upbeat.play.state import WHENS
from upbeat.show.document import PADS
from upbeat.show.to_do import LOUDNESS_STEP_LU
from upbeat.song.forms import ENDINGS
from upbeat.song.stems import GROUPS, PURPOSES
from upbeat.song.tone import CURVE_HZ, Tone
from upbeat.song.tone import PURPOSES as TONES
from upbeat.song.treatment import ECHO_BEATS, TREATMENTS, Drive, Echo, Gate


def typescript() -> str:
    """The module's text."""
    ranges = {name: [r.json_schema["minimum"], r.json_schema["maximum"]] for name, r in limits.ranges().items()}
    lines = ["// Made by tools/api from the core: do not edit."]
    lines.append("/** Least and greatest of everything a person can set. */")
    lines.append(f"export const RANGES = {_object({n: _range(*ends) for n, ends in ranges.items()})} as const;")
    lines.append("/** Most characters of texts. */")
    lines.append(f"export const LENGTHS = {_object(limits.lengths())} as const;")
    choices = {
        "BANKS": BANKS,
        "ENCODINGS": ENCODINGS,
        "HAND_STARTERS": HAND_STARTERS,
        "HOLDING": HOLDING,
        "LIGHTS": LIGHTS,
        "GROUPS": GROUPS,
        "PHONES": PHONES,
        "SHAPES": SHAPES,
        "STARTERS": STARTERS,
        "PURPOSES": PURPOSES,
        "RIGHTS": RIGHTS,
        "ENDINGS": ENDINGS,
        "PADS": PADS,
        "WHENS": WHENS,
        "TONE_PARTS": tuple(TONE_PARTS),
        "STEM_PARTS": STEM_PARTS,
        "SWEEP_PARTS": tuple(SWEEPS),
        "STEM_SWITCHES": STEM_SWITCHES,
        "SWITCH_PARTS": tuple(SWITCHES),
        "AUDIBLE": AUDIBLE,
        "ECHO_BEATS": ECHO_BEATS,
    }
    lines += [f"export const {name} = {json.dumps(list(values))} as const;" for name, values in choices.items()]
    lines.append(f"export const LOUDNESS_STEP_LU = {LOUDNESS_STEP_LU:g};")
    lines.append(f"export const BOUNCE_MS = {limits.BOUNCE_MS};")
    lines.append(f"export const STEP_BY_HAND_DB = {limits.STEP_BY_HAND_DB:g};")
    lines.append(f"export const PAGE_KEYS = {json.dumps(PAGE_KEYS)};")
    tones = {name: msgspec.to_builtins(tone) for name, tone in TONES.items()}
    lines.append(f"export const TONES = {json.dumps(tones)} as const;")
    treatments = {name: msgspec.to_builtins(one) for name, one in TREATMENTS.items()}
    lines.append(f"export const TREATMENTS = {json.dumps(treatments)} as const;")
    usual = {"gate": Gate(), "drive": Drive(), "tone": Tone(), "echo": Echo()}
    usual = {name: msgspec.to_builtins(one) for name, one in usual.items()}
    lines.append(f"export const USUAL_TREATMENT = {json.dumps(usual)} as const;")
    lines.append(f"export const CURVE_HZ = {json.dumps(CURVE_HZ)} as const;")
    lines.append(f"export const HOLD_MS = {limits.HOLD_MS};")
    return "\n".join(lines) + "\n"


def _range(low: float, high: float) -> str:
    return f"{{ min: {low}, max: {high} }}"


def _object(fields: dict[str, object]) -> str:
    return "{ " + ", ".join(f"{name}: {value}" for name, value in fields.items()) + " }"


if __name__ == "__main__":
    print(typescript(), end="")
