"""What is said for a section's name and for a count, in the language of the cue voice (rule Q5)."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field

from upbeat.cues.usual_words import COUNTED, COUNTS, NAMED, NAMES

LANGUAGES = tuple(COUNTED)
# Written otherwise by some.
_SAME = {
    "prechorus": "Pre-chorus",
    "pre chorus": "Pre-chorus",
    "final chorus": "Last chorus",
    "introduction": "Intro",
    "middle 8": "Middle eight",
    "end": "Ending",
    "inst": "Instrumental",
}
_NUMBERED = re.compile(r"(.+?)[\s_-]*(\d{1,2})")


@dataclass(frozen=True)
class Wording:
    """How one language says what a song has written. ``names``: English name, case folded, to what is
    said; ``words``: what a band says for a name or a count word instead, by what would be said."""

    counts: tuple[str, ...] = COUNTS
    names: Mapping[str, str] = field(default_factory=dict)
    words: Mapping[str, str] = field(default_factory=dict)

    def said(self, text: str) -> str:
        """The words for a text, which the band may have put others for."""
        return self.words.get(text.strip().casefold(), text.strip())

    def name(self, written: str) -> str:
        """The words for a section's name: a usual one in the voice's language, with its number; any other as it is written."""
        plain = " ".join(written.split())
        own = self.words.get(plain.casefold())
        if own:
            return own
        base, number = self._usual(plain), ""
        if base is None and (numbered := _NUMBERED.fullmatch(plain)):
            base, number = self._usual(numbered[1]), self.number(int(numbered[2]))
        if base is None:
            return plain
        return self.said(f"{base} {number}".strip())

    def _usual(self, name: str) -> str | None:
        folded = name.casefold()
        own = self.words.get(folded)
        if own:
            return own
        said = self.names.get(_SAME.get(folded, name).casefold())
        return None if said is None else self.said(said)

    def number(self, n: int) -> str:
        """A number as it is said: a count word as long as there is one."""
        return self.counts[n - 1] if 1 <= n <= len(self.counts) else str(n)


def wording(language: str, words: Mapping[str, str] | None = None) -> Wording:
    """The wording of a language by its tag (``es``, ``pt-br``); names as they are written where it is none of :data:`LANGUAGES`.

    ``words``: what is said instead, by English name or count word or by what would be said. In a
    language without counts of ours they are numerals, which the speech engine reads out.
    """
    base = language.casefold().split("-")[0]
    counts = COUNTED.get(base, tuple(str(n) for n in range(1, 17)))
    said = {key.strip().casefold(): text.strip() for key, text in (words or {}).items() if text.strip()}
    names = (
        {name.casefold(): text for name, text in zip(NAMES, NAMED.get(base, NAMES), strict=True)}
        if base != "en"
        else {name.casefold(): name for name in NAMES}
    )
    counts = tuple(
        said.get(english, said.get(own.casefold(), own)) for english, own in zip(COUNTS, counts, strict=True)
    )
    return Wording(counts, names, said)


ENGLISH = wording("en")
