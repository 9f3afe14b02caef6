"""Ranges are said once: the core, the show document's schema and the pages hold the same numbers."""

import json
import re
from pathlib import Path

import pytest
from material import show, song

from upbeat import limits
from upbeat.arguments import parsed
from upbeat.errors import Refused
from upbeat.play.presses import GoTo
from upbeat.show.document import read_show, schema

ROOT = Path(__file__).parents[2]


def numbers(node):
    """Every part of a schema that has a smallest and a greatest value."""
    if isinstance(node, dict):
        if "minimum" in node and "maximum" in node:
            yield node
        for value in node.values():
            yield from numbers(value)
    elif isinstance(node, list):
        for value in node:
            yield from numbers(value)


def test_the_schema_has_its_numbers_from_the_limits():
    written = json.loads((ROOT / "core" / "upbeat" / "show" / "schema.json").read_text())
    named = set(re.findall(r'"range": "(\w+)"', json.dumps(written)))
    assert named <= set(limits.ranges())
    assert len(list(numbers(schema()))) > len(named) > 15


def test_the_pages_have_the_ranges_of_the_core():
    text = (ROOT / "web" / "src" / "generated" / "core.ts").read_text()
    for name, value in limits.lengths().items():
        assert re.search(rf"\b{name}: {value}\b", text), name
    for name in limits.ranges():
        assert re.search(rf"\b{name}:", text), name


@pytest.mark.parametrize(
    ("field", "low", "high"),
    [("crossfade_ms", 0, 80), ("ring_on_s", 0, 2)],
)
def test_a_document_is_taken_up_to_its_limits_and_refused_beyond(field, low, high):
    for value in (low, high):
        read_show(show(song(**{field: value})))
    for value in (low - 0.1, high + 0.1):
        with pytest.raises(Refused) as refused:
            read_show(show(song(**{field: value})))
        assert field in str(refused.value)


@pytest.mark.parametrize(
    ("raw", "sentence"),
    [
        ({}, "The press needs “step”: it is missing."),
        ({"step": "x"}, "The press cannot be taken: “step”: expected a whole number, got text."),
        ({"step": None}, "The press cannot be taken: “step”: expected a whole number, got nothing."),
        ({"step": 1, "when": "soon"}, "choose at_once, next_bar, in_2_bars, in_4_bars, section_end."),
    ],
)
def test_arguments_that_do_not_fit_are_refused_in_one_sentence(raw, sentence):
    with pytest.raises(Refused) as refused:
        parsed(raw, GoTo, "The press")
    assert str(refused.value).endswith(sentence)
    assert parsed({"step": 2}, GoTo, "The press") == GoTo(step=2)
