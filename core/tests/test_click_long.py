"""Rule C1 in the samples: three hours of click with ramps, changes of metre and jumps, each beat where the exact map has it."""

from bisect import bisect_right
from decimal import Decimal, getcontext
from fractions import Fraction
from itertools import accumulate, cycle

import numpy as np
import pytest
from material import RATE, onsets, ready, show, song
from test_sound import at

from upbeat.show.bounce import rehearse, render

getcontext().prec = 40
METERS = [
    ("4/4", None, Fraction(4)),
    ("7/8", "2+2+3", Fraction(7, 2)),
    ("3/4", None, Fraction(3)),
    ("6/8", None, Fraction(3)),
]
FELT = {"4/4": [0, 1, 2, 3], "7/8": [0, 1, 2], "3/4": [0, 1, 2], "6/8": [Fraction(i, 2) for i in range(6)]}
BARS, SECTIONS = 32, 180


def long_song():
    """Sections of 32 bars, each with a metre of its own, some with a tempo typed, some with a ramp to the next."""
    sections = [{"id": f"s{i}", "name": f"Part {i}", "bars": BARS} for i in range(SECTIONS)]
    meters, tempo = [], []
    bpms = cycle(["93.37", "126.5", "71", "180", "60.01", "210.125", "112"])
    for i, (meter, grouping, *_) in zip(range(SECTIONS), cycle(METERS)):
        meters.append(
            {
                "bar": 1 + BARS * i,
                "meter": meter,
                **({"grouping": [int(n) for n in grouping.split("+")]} if grouping else {}),
            }
        )
        if i % 2 == 0:
            tempo.append({"bar": 1 + BARS * i, "bpm": next(bpms), "ramp": i % 6 == 2})
    return song(sections=sections, meters=meters, tempo=tempo, click={"accent": "beep", "beat": "beep", "gain_db": 0})


def exact_beats(document):
    """Every counted beat in seconds, by logarithms of forty digits: owing nothing to the core."""
    quarters = [METERS[i % 4][2] for i in range(SECTIONS) for _ in range(BARS)]
    starts = list(accumulate(quarters, initial=Fraction(0)))
    points = [(starts[t["bar"] - 1], Decimal(t["bpm"]), t["ramp"]) for t in document["tempo"]]
    begins = [Decimal(0)]
    for (a, bpm, ramp), (b, following, _) in zip(points, points[1:], strict=False):
        begins.append(begins[-1] + lasting(b - a, b - a, bpm, following if ramp else bpm))
    places = [p[0] for p in points]

    def seconds(position):
        k = bisect_right(places, position) - 1
        a, bpm, ramp = points[k]
        ramps = ramp and k + 1 < len(points)
        return begins[k] + lasting(
            position - a, points[k + 1][0] - a if ramps else Fraction(1), bpm, points[k + 1][1] if ramps else bpm
        )

    return [
        [seconds(start + offset) for offset in FELT[METERS[i // BARS % 4][0]]] for i, start in enumerate(starts[:-1])
    ]


def lasting(done, whole, bpm, following):
    """Seconds of ``done`` quarters of a ramp over ``whole`` that goes evenly, by place, from one tempo to the other."""
    x, length = (Decimal(f.numerator) / Decimal(f.denominator) for f in (done, whole))
    if bpm == following:
        return 60 * x / bpm
    slope = (following - bpm) / length
    return 60 / slope * ((bpm + slope * x) / bpm).ln()


@pytest.fixture(scope="module")
def three_hours(tmp_path_factory):
    document = long_song()
    return ready(show(document), tmp_path_factory.mktemp("long")), exact_beats(document)


def clicks(made, presses=None):
    spans, events = rehearse(made, presses, 0)
    return spans, events, [e["frame"] for e in events if e["kind"] == "click"]


def rendered(made, spans, first, count):
    """Where clicks begin in the samples of some spans."""
    blocks = []
    renderer = made.renderer()
    render(renderer, spans[: first + count], blocks.append, first)
    return [spans[first].start + f for f in onsets(np.concatenate(blocks, axis=1)[2])]


def test_c1_every_beat_of_three_hours_is_within_half_a_frame(three_hours):
    made, exact = three_hours
    spans, events, frames = clicks(made)
    first = next(e["frame"] for e in events if e["kind"] == "bar")
    wanted = [s * RATE for bar in exact for s in bar]
    assert wanted[-1] > 3 * 3600 * RATE
    assert len(frames) == len(wanted)
    assert max(abs(Decimal(f - first) - w) for f, w in zip(frames, wanted, strict=True)) <= Decimal("0.5")
    # And in the samples: at the start, in the middle, in the last minute.
    for at_span in (0, len(spans) // 2, len(spans) - 70):
        found = rendered(made, spans, at_span, 40)
        low, high = spans[at_span].start, spans[at_span + 39].end
        assert found == [f for f in frames if low <= f < high]
        assert len(found) > 20


def test_c1_beats_after_a_jump_are_those_of_the_song(three_hours):
    made, exact = three_hours
    jumps = [(7.0, 120), (19.0, 3), (31.0, 178), (45.0, 61)]
    presses = [at(0, "go"), *(at(s, "go_to", step=step, when="next_bar") for s, step in jumps), at(60, "stop")]
    spans, events, frames = clicks(made, presses)
    found = rendered(made, spans, 0, len(spans))
    assert found == frames
    seams = [e for e in events if e["kind"] == "jump"]
    assert [e["step"] for e in seams] == [step for _, step in jumps]
    for seam, following in zip(seams, [*seams[1:], {"frame": frames[-1] + 1}], strict=True):
        here = [f for f in found if seam["frame"] <= f < following["frame"]]
        begin = exact[BARS * seam["step"]][0]
        beats = [s for bar in exact[BARS * seam["step"] :] for s in bar][: len(here)]
        assert here[0] == seam["frame"]
        # Each side of a difference is rounded once.
        assert max(abs(Decimal(f - seam["frame"]) - (s - begin) * RATE) for f, s in zip(here, beats, strict=True)) <= 1
