"""Linear timecode of one entry, as it is played straight (rule S4)."""

from __future__ import annotations

import numpy as np

from upbeat.messages.timecode import linear, nominal, number_of, parse_label
from upbeat.show.bounce import rehearse
from upbeat.show.ready import ReadyShow


def timecode_sound(ready: ReadyShow, entry: int, fps: str, start: str | None = None) -> np.ndarray:
    """Timecode that goes where the song goes, float32 (frames,); silence in the count-in.

    ``start``: the label of the song's bar 1; by itself that of the entry. Raises :class:`Refused`.
    """
    nominal(fps)
    spans, _ = rehearse(ready, None, entry)
    label = parse_label(start or ready.plan.entries[entry].timecode, fps)
    plan = ready.plan.entries[entry]
    zero = int(plan.bar_frames[0])
    code = linear(number_of(label, fps), fps, 0, int(plan.bar_frames[-1]) - zero, ready.plan.sample_rate)
    out = np.zeros(spans[-1].end if spans else 0, dtype=np.float32)
    begun = 0
    for span in spans:
        for one in span.slices:  # where two overlap, the one that comes has the timecode
            a, b = max(one.src - zero, 0), min(one.src - zero + one.frames, len(code))
            if a < b and one.run >= begun:
                begun = one.run
                at = one.out + a - (one.src - zero)
                out[at : at + b - a] = code[a:b]
    return out
