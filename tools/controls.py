"""Prints ``docs/controls.md``: how controls make presses, and what each press takes, from the core. See tools/api."""

from __future__ import annotations

from presses import arguments
from upbeat.controls.bindings import HELD
from upbeat.controls.starters import STARTERS
from upbeat.limits import BOUNCE_MS, HOLD_MS, PRESSES_A_SECOND, PRESSES_AT_ONCE
from upbeat.play.presses import PRESSES

HEAD = f"""# Controls

Made by `tools/api` from `core/upbeat/controls/` and `core/upbeat/play/presses/`: do not edit.

Pads, pedals, keys, knobs and faders press in the engine by way of a process of their own (`playout/ports`): MIDI of this
machine (ALSA, JACK), keyboards of this machine where it may be read (`/dev/input`), keys and MIDI of a page, and three simulated
boxes that speak MIDI. Ports are found and lost while the show plays, and kept by their names. The night log says what pressed.

## What a control does

- **A press** with its arguments, or the first of several presses that can be taken now (go, else resume, else the next section).
- **A place of a bank** that fills itself: sections of the song in the order of its form, songs of the set in tonight's order,
  words of the palette, sounds by hand, the stems of the song: in or out at the next bar, the gate or the drive of one, and
  on faders their levels, tone, sweeps and echo.
- **A section** of a song: the next step that plays it.
- **Another page** of the port's pads (1 to 8), next, before, or one of them.
- **A level**: of click, cues, a stem, a feed, its tone.

A binding belongs to the band or to one song, where it is in place of the band's, and to one page of pads or to all. Held for
half a second, a control may do something else.

## Guards (rule K3)

- Two hits of one control within {BOUNCE_MS} ms are one; a key that repeats is none. When they came is told by
  the clock of the port (`playout/ports/arrivals.py`), of the page or by the kernel, so that nothing is taken for a bounce because
  the machine stood still.
- Held for {HOLD_MS} ms: {", ".join(sorted(HELD))}, unless the band says otherwise, and whatever the band wants held.
  Only what is known counts: a page, or the process that reads a port, says several times a second that nothing more has come;
  where that does not arrive, the release may be on its way.
- A velocity below the binding's threshold is nothing. Footswitches that open are told so. Aftertouch is left alone.
- A fader acts once it has met the present level; a knob that counts in steps (signed, or around 64) at once; controllers 0 to 31
  may come in two parts (14 bits).
- A port makes at most {PRESSES_A_SECOND} presses a second; the engine takes at most {PRESSES_AT_ONCE} of one within a quarter of a second.

## Lights (rule K4)

The value of each state (nothing to do, can be pressed, plays now, comes next, asked for, is on) is sent to the note or controller
that the control itself speaks, or as the band says for the port. They are sent at a change, and all when a port comes back.

## To begin with

Starter sets: {", ".join(f"`{name}`" for name in STARTERS)}. With `two_pedals` or `two_keys` the whole night can be played: the first
goes, resumes and steps through the sections, held it stops; the second vamps and leaves the vamp, held it pulls the house.

## What each press takes

| press | takes | held | what it does |
|---|---|---|---|
"""


def main() -> None:
    rows = [
        f"| `{p.name}` | {arguments(p)} | {'yes' if p.name in HELD else ''} | {p.about} |" for p in PRESSES.values()
    ]
    print(HEAD + "\n".join(rows))


if __name__ == "__main__":
    main()
