"""Sounds by hand under way (rule M9): when each begins, and how it ends."""

from __future__ import annotations

from typing import NamedTuple


class Shot(NamedTuple):
    """A sound by hand from output frame ``start`` to ``end``; ``fade``: frames over which it fades out before."""

    sound: str
    start: int
    end: int
    fade: int = 0

    def ended(self, frame: int, fade: int) -> Shot:
        """It, fading out from an output frame on, unless it ends sooner."""
        return self if self.end <= frame + fade else self._replace(end=frame + fade, fade=fade)


Shots = tuple[Shot, ...]


def ended(shots: Shots, frame: int, fade: int) -> Shots:
    """All that ring fade out from an output frame on; those that were to begin later do not."""
    return tuple(s.ended(frame, fade) for s in shots if s.start < frame)


def left_at(shots: Shots, seam: int) -> Shots:
    """Shots once it is decided that the present section is left at output frame ``seam``: a seam is a beat and a bar line."""
    if all(s.start <= seam for s in shots):
        return shots
    moved = {s.start for s in shots if s.start > seam}
    # What gives way to a shot ends as it begins.
    return tuple(
        s._replace(start=seam, end=s.end - s.start + seam)
        if s.start > seam
        else s._replace(end=seam + s.fade)
        if s.fade and s.end - s.fade in moved
        else s
        for s in shots
    )


def over(shots: Shots, frame: int) -> Shots:
    """Shots without those that are over at an output frame."""
    return tuple(s for s in shots if s.end > frame)
