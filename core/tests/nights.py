"""Random shows and nights of random presses, for the tests."""

import random

from material import RATE, ready, show, song

from upbeat.play.advance import advance
from upbeat.play.events import record
from upbeat.play.presses import PRESSES, press
from upbeat.play.state import WHENS, standing_by

METERS = ("2/4", "3/4", "4/4", "6/8", "7/8")
ENDINGS = ({"kind": "attacca"}, {"kind": "repeat", "times": 2}, {"kind": "vamp"}, {"kind": "fine"}, {"kind": "cut"})
LINKS = (
    {"kind": "wait"},
    {"kind": "attacca"},
    {"kind": "after", "seconds": 0.7},
    {"kind": "wait", "pad": "warm"},
    {"kind": "after", "seconds": 0.2, "pad": "low"},
)
PRESSES_OF_A_NIGHT = 100


def a_song(draw: random.Random, n: int) -> dict:
    sections = [{"id": f"s{i}", "name": f"Part {i}", "bars": draw.randint(1, 5)} for i in range(draw.randint(1, 6))]
    bars = sum(s["bars"] for s in sections)
    steps = [
        {"section": draw.choice(sections)["id"], "ending": draw.choice(ENDINGS)} for _ in range(draw.randint(1, 8))
    ]
    steps[draw.randrange(len(steps))]["ending"] = {"kind": "attacca"}
    return song(
        id=f"song{n}",
        title=f"Song {n}",
        sections=sections,
        tempo=[{"bar": 1, "bpm": str(draw.randint(60, 190))}, {"bar": draw.randint(2, bars + 1), "bpm": "97.3"}][
            : 1 + (bars > 1)
        ],
        meters=[{"bar": b, "meter": draw.choice(METERS)} for b in sorted({1, draw.randint(1, bars)})],
        forms=[{"id": "f", "name": "F", "steps": steps}],
        count_in={"bars": draw.randint(0, 2), "aloud": False},
        crossfade_ms=draw.choice((0, 10, 80)),
    )


def a_show(draw: random.Random, folder):
    songs = [a_song(draw, n) for n in range(draw.randint(1, 4))]
    return ready(show(*songs, links=tuple(draw.choice(LINKS) for _ in songs)), folder)


PARTS = ("click", "cues", "feed:house", "stem:none")


def a_press(draw: random.Random, plan) -> tuple[str, dict]:
    name = draw.choice(("go", *sorted(PRESSES)))
    entries, steps = len(plan.entries), max(len(e.steps) for e in plan.entries)
    args = {
        "go_to": lambda: {"step": draw.randint(-1, steps), "when": draw.choice(WHENS)},
        "once_more": lambda: {"when": draw.choice(WHENS)},
        "choose": lambda: {"by": draw.choice((-1, 1)), "when": draw.choice(WHENS)},
        "ending_tonight": lambda: {
            "ending": draw.choice(("vamp", "repeat", "attacca", "fine")),
            "times": draw.randint(1, 4),
            "step": draw.choice((None, draw.randint(0, steps))),
        },
        "more": lambda: {"rounds": draw.randint(0, 3)},
        "stand_by": lambda: draw.choice(({}, {"entry": draw.randint(-1, entries)})),
        "move": lambda: {"entry": draw.randint(0, entries), "to": draw.randint(0, entries - 1)},
        "play_after": lambda: {"entry": draw.randint(0, entries), "straight_on": draw.random() < 0.5},
        "fade_away": lambda: {"seconds": draw.choice((0.0, 0.3, 2.0))},
        "fallback": lambda: {"on": draw.random() < 0.5},
        "tones_off": lambda: {"on": draw.random() < 0.5},
        "player": lambda: {"player": "pia", "on": draw.random() < 0.5},
        "level": lambda: {"part": draw.choice(PARTS), "db": draw.uniform(-61, 13), "beats": draw.choice((0, 3))},
        "in_out": lambda: {
            "part": draw.choice(PARTS),
            "on": draw.choice((True, False, None)),
            "when": draw.choice(("at_once", "next_bar", "section_end")),
            "beats": draw.choice((0, 0.5, 4)),
        },
        "from_bar": lambda: {"bar": draw.randint(0, 12), "count_in": draw.random() < 0.5},
        "round_bars": lambda: draw.choice(({}, {"first": draw.randint(0, 6), "last": draw.randint(1, 12)})),
        "slower": lambda: {"percent": draw.choice((50, 75, 100))},
        "rehearse": lambda: {"on": draw.random() < 0.8},
        "take_form": lambda: {"entry": draw.randint(0, entries)},
        "fire": lambda: {"sound": draw.choice(("gong", "none")), "when": draw.choice(("at_once", "next_beat"))},
        "send": lambda: {"device": "lights", "message": draw.choice(("warm", "none"))},
        "program": lambda: {"by": draw.choice((-1, 1))},
        "say": lambda: {"word": "Hold"},
        "alone": lambda: {"part": draw.choice(PARTS), "on": draw.random() < 0.5},
        "check_line": lambda: {
            "kind": draw.choice(("tone", "pulse", "voice")),
            "socket": draw.choice((None, draw.randint(0, 5))),
            "every_s": draw.choice((0, 1, 2)),
        },
        "check_next": lambda: {"by": draw.choice((-1, 1))},
        "check_level": lambda: {"db": draw.uniform(-70, 0)},
        "as_prepared": lambda: draw.choice(({}, {"part": draw.choice(PARTS)})),
    }.get(name, dict)()
    return name, args


def nights(made, draw: random.Random):
    """Presses and the frames after each."""
    return [(*a_press(draw, made.plan), draw.randint(1, 4 * RATE)) for _ in range(PRESSES_OF_A_NIGHT)]


def run(made, night, block: int, check=lambda *_: None):
    """Every event of a night that is rendered in blocks of a size."""
    state, events = standing_by(), []
    for name, args, frames in night:
        before = state
        state, outcome = press(made.plan, state, name, args)
        check(before, state, name, outcome)
        events.append({"frame": state.head, "kind": "press", "outcome": outcome, "name": name})
        until = state.head + frames
        while state.head < until:
            state, span = advance(made.plan, state, min(block, until - state.head))
            events += map(record, span.events)
            assert all(span.start <= e.frame < span.end for e in span.only(type(None)))
    return state, events


def in_time(made, events) -> int:
    """Bars that were left on their bar line, and not by a press at once, last as long as they are."""
    seen, before = 0, None
    for event in events:
        if event["kind"] == "press" and event["outcome"].accepted and event["name"] not in ("mark", "pull_house"):
            # Where a press may have cut the bar, its length is no rule: see the landing instead.
            if event["name"] in ("stop", "fade_away", "go", "begin_again", "resume", "stand_by", "from_bar", "slower"):
                before = None
        elif event["kind"] == "bar":
            if before is not None and not before.get("cut"):
                frames = made.plan.entries[before["entry"]].bar_frames
                length = int(frames[before["bar"]] - frames[before["bar"] - 1])
                assert event["frame"] - before["frame"] == length
                seen += 1
            before = event
        elif event["kind"] in ("end", "link"):
            before = before if event["kind"] == "end" else (before if event["link"] == "attacca" else None)
        elif event["kind"] == "jump" and before is not None:
            frames = made.plan.entries[before["entry"]].bar_frames
            if event["src_from"] not in frames:
                before = None
    return seen
