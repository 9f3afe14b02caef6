"""What the page draws before the core has answered is what the core answers: the same cases are held against both."""

import json
from pathlib import Path

import pytest

from upbeat.song.sections import BarSpan, mark_section, move_boundary, remarked
from upbeat.song.song import Section

CASES = json.loads((Path(__file__).parents[2] / "web" / "src" / "song" / "ahead.json").read_text())


def shown(sections):
    starts = [1 + sum(s.bars for s in sections[:i]) for i in range(len(sections))]
    return [[s.mark, s.name, start, s.bars, s.colour] for s, start in zip(sections, starts, strict=True)]


@pytest.mark.parametrize("case", CASES, ids=lambda c: c["what"])
def test_the_core_answers_what_is_drawn_ahead(case):
    before = remarked(
        tuple(
            Section(id=f"s{i}", name=name, bars=bars, colour=colour)
            for i, (name, bars, colour) in enumerate(case["before"])
        )
    )
    if "name" in case["args"]:
        args = case["args"]
        after = mark_section(before, BarSpan(args["first"], args["last"]), args["name"], iter(["n1", "n2"]))
    else:
        after = move_boundary(before, case["args"]["section"], case["args"]["first"])
    assert shown(after) == case["after"]
