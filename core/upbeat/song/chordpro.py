"""A song's chart as ChordPro text, and back.

Directives and environments are those of the ChordPro file format, version 6. Chords bar by bar
stand in a grid (``start_of_grid``), lyrics in an environment of their section with its name as
label, chords over words in brackets within the line.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field

from upbeat.errors import Refused, refuse
from upbeat.song.chords import parse_bar, parse_chord, plain

MOST = 200_000  # characters
_DIRECTIVE = re.compile(r"\{\s*([A-Za-z_]+)\s*(?::\s*|\s+)?(.*?)\s*\}\s*")
_SHORT = {
    "t": "title",
    "st": "subtitle",
    "c": "comment",
    "ci": "comment",
    "cb": "comment",
    "comment_italic": "comment",
    "comment_box": "comment",
    "soc": "start_of_chorus",
    "eoc": "end_of_chorus",
    "sov": "start_of_verse",
    "eov": "end_of_verse",
    "sob": "start_of_bridge",
    "eob": "end_of_bridge",
    "sog": "start_of_grid",
    "eog": "end_of_grid",
}
_KINDS = {"verse": "Verse", "chorus": "Chorus", "bridge": "Bridge"}
_IN_LINE = re.compile(r"\[([^\[\]]*)\]")


@dataclass(frozen=True)
class Part:
    """One section on a chart: ``bars`` of chords ("" for none), ``words`` as lines, ``note`` for the band."""

    name: str
    bars: tuple[str, ...] = ()
    words: str = ""
    note: str = ""


@dataclass(frozen=True, kw_only=True)
class ChartText:
    """What a ChordPro text holds. ``left``: lines that say what was not understood and left out.

    ``guessed``: names of sections whose chords stood over words only and were spread one to a bar.
    """

    title: str = ""
    key: str = ""
    tempo: str = ""
    time: str = ""
    note: str = ""
    parts: tuple[Part, ...] = ()
    left: tuple[str, ...] = ()
    guessed: tuple[str, ...] = ()


def write(chart: ChartText, per_line: int = 4) -> str:
    """ChordPro text of a chart; :func:`read` gives the same back."""
    lines = [f"{{{name}: {value}}}" for name in ("title", "key", "tempo", "time") if (value := getattr(chart, name))]
    lines += [f"{{comment: {line}}}" for line in chart.note.splitlines() if line.strip()]
    for part in chart.parts:
        kind = next((k for k, name in _KINDS.items() if part.name.casefold().startswith(k)), "part")
        lines += ["", f'{{start_of_{kind}: label="{_quoted(part.name)}"}}']
        lines += [f"{{comment: {line}}}" for line in part.note.splitlines() if line.strip()]
        if part.bars:
            lines.append("{start_of_grid}")
            rows = [part.bars[i : i + per_line] for i in range(0, len(part.bars), per_line)]
            lines += ["| " + " | ".join(bar or "-" for bar in row) + " |" for row in rows]
            lines.append("{end_of_grid}")
        lines += part.words.splitlines()
        lines.append(f"{{end_of_{kind}}}")
    return "\n".join(lines) + "\n"


@dataclass(kw_only=True)
class _Open:
    """A section while its lines are read; ``over``: chords that stand over its words."""

    name: str
    bars: list[str] = field(default_factory=list)
    over: list[str] = field(default_factory=list)
    words: list[str] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)


def read(text: str) -> ChartText:
    """Read ChordPro text. Raises :class:`Refused` for a text too long, and for a chord in a grid that is none."""
    if len(text) > MOST:
        raise refuse("chordpro-long", f"This text has {len(text):,} characters: a chart has at most {MOST:,}.")
    reader = _Reader()
    for number, raw in enumerate(text.splitlines(), 1):
        line = raw.rstrip()
        directive = _DIRECTIVE.fullmatch(line.strip())
        if directive:
            reader.directive(directive[1], directive[2], number)
        elif not line.lstrip().startswith("#"):
            reader.line(line, number)
    return _chart(reader.facts, reader.parts, reader.notes, reader.left)


_PASSED_OVER = re.compile(
    "subtitle|artist|composer|lyricist|copyright|album|year|capo|duration|meta|new_song|ns|new_page|np"
)  # what a chart does without


class _Reader:
    """What a text holds so far. ``current``: the part that lines belong to; ``inside``: of an environment, or of a grid."""

    def __init__(self) -> None:
        self.facts: dict[str, str] = {}
        self.parts: list[_Open] = []
        self.notes: list[str] = []
        self.left: list[str] = []
        self.inside = self.in_grid = False
        self.current: _Open | None = None

    def _opened(self, name: str) -> _Open:
        self.parts.append(_Open(name=name))
        return self.parts[-1]

    def directive(self, written: str, value: str, number: int) -> None:
        name = _SHORT.get(written.casefold(), written.casefold())
        if name in ("title", "key", "tempo", "time"):
            self.facts.setdefault(name, value)
        elif name == "comment":
            self._comment(value)
        elif name == "start_of_grid":
            self.in_grid = True
            if _label(value) or self.current is None:
                self.current = self._opened(_label(value))
        elif name == "end_of_grid":
            self.in_grid = False
            self.current = self.current if self.inside else None
        elif name.startswith("start_of_"):
            kind = name.removeprefix("start_of_")
            self.current = self._opened(_label(value) or _KINDS.get(kind, kind.replace("_", " ").capitalize()))
            self.inside = True
        elif name.startswith("end_of_"):
            self.inside, self.current = False, None
        elif not _PASSED_OVER.fullmatch(name):
            self.left.append(f"Line {number}, {{{written}}}, is not understood and was left out.")

    def _comment(self, value: str) -> None:
        if self.current and (self.inside or self.in_grid):
            self.current.notes.append(value)
        elif self.parts or value.casefold().startswith(tuple(_KINDS)):
            # Outside every section a comment is how most texts name the next one.
            self.current = self._opened(value.rstrip(":"))
        else:
            self.notes.append(value)

    def line(self, line: str, number: int) -> None:
        if self.in_grid:
            if line.strip() and self.current:
                self.current.bars += _grid_line(line, number)
        elif line.strip() or self.current:
            self.current = self.current or self._opened("")
            self.current.words.append(line)
            self.current.over += [c for c in _IN_LINE.findall(line) if _is_chord(c)]


def _chart(facts: dict[str, str], parts: Sequence[_Open], notes: Sequence[str], left: Sequence[str]) -> ChartText:
    written, guessed = [], []
    for part in parts:
        name = part.name.strip()[:80] or "Section"
        bars = part.bars
        if not bars and part.over:
            bars = [parse_bar(plain(c)) for c in part.over]
            guessed.append(name)
        words = "\n".join(part.words).strip("\n")
        if bars or words or part.notes or part.name:
            written.append(Part(name=name, bars=tuple(bars), words=words, note="\n".join(part.notes)))
    return ChartText(
        title=facts.get("title", ""),
        key=facts.get("key", ""),
        tempo=facts.get("tempo", ""),
        time=facts.get("time", ""),
        note="\n".join(notes),
        parts=tuple(written),
        left=tuple(left),
        guessed=tuple(guessed),
    )


def _grid_line(line: str, number: int) -> list[str]:
    """Bars of one line of a grid; what stands before the first and after the last bar line is a margin."""
    cells = re.split(r"\|[:|.\]]?|:\|", line)
    inner = cells[1:-1] if len(cells) > 2 else cells
    bars = []
    for cell in inner:
        text = " ".join(p for p in re.sub(r"[:|\]\[]", " ", cell).split() if p != "-")
        tokens = text.split()
        if tokens and tokens[0] in (".", "/") and not any(_is_chord(t) for t in tokens):
            tokens = ["%"]
        if tokens == ["%%"]:
            tokens = ["%"]
        try:
            bars.append(parse_bar(" ".join(tokens)))
        except Refused as refused:
            raise refuse(refused.problems[0].code, f"Line {number}: {refused}") from None
    return bars


def _label(value: str) -> str:
    match = re.search(r'label\s*=\s*"((?:[^"\\]|\\.)*)"', value)
    if match:
        return match[1].replace('\\"', '"').replace("\\\\", "\\").strip()
    return "" if "=" in value or re.fullmatch(r"[\d+x ]*", value) else value.strip()


def _quoted(text: str) -> str:
    return text.replace("\\", "\\\\").replace('"', '\\"').replace("}", ")")


def _is_chord(text: str) -> bool:
    try:
        parse_chord(text.strip())
    except Refused:
        return False
    return True


def matched(parts: Sequence[Part], names: Sequence[str]) -> list[tuple[Part, int | None]]:
    """Each part of a text with the index of the section (by name) it is for: the next of the same name, else the next one at all."""
    left = list(range(len(names)))
    pairs: list[tuple[Part, int | None]] = []
    for part in parts:
        index = next((i for i in left if names[i].casefold() == part.name.casefold()), None)
        if index is None:
            others = {p.name.casefold() for p in parts}
            index = next((i for i in left if names[i].casefold() not in others), None)
        if index is not None:
            left.remove(index)
        pairs.append((part, index))
    return pairs
