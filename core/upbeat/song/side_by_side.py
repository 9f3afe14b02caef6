"""Forms side by side."""

from __future__ import annotations

from collections.abc import Sequence
from difflib import SequenceMatcher


def side_by_side(forms: Sequence[Sequence[str]]) -> list[list[int | None]]:
    """Rows in which the same step of every form stands side by side.

    ``forms``: the sections of each form in order. Each row has an index into every form, or None
    where a form has nothing there; every step stands in exactly one row, in order. The first form
    leads: the others are laid beside the rows so far by their longest common parts (Ratcliff and
    Metzener, "Pattern matching: the gestalt approach", Dr. Dobb's Journal, 1988).
    """
    rows: list[list[int | None]] = []
    order: list[str] = []
    for k, form in enumerate(forms):
        merged: list[list[int | None]] = []
        names: list[str] = []
        for tag, a1, a2, b1, b2 in SequenceMatcher(None, order, list(form), autojunk=False).get_opcodes():
            if tag == "equal":
                merged += [[*row, b1 + i] for i, row in enumerate(rows[a1:a2])]
                names += order[a1:a2]
                continue
            merged += [[*row, None] for row in rows[a1:a2]]
            names += order[a1:a2]
            merged += [[*([None] * k), b] for b in range(b1, b2)]
            names += list(form[b1:b2])
        rows, order = merged, names
    return rows
