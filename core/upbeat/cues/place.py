"""Placing the words of a section call on the beats before a bar line (rules Q1 to Q3)."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from upbeat.cues.usual_words import COUNTS


@dataclass(frozen=True)
class WordLength:
    """One rendering of a word, in frames: its whole length and its perceived onset."""

    frames: int
    onset: int


@dataclass(frozen=True, kw_only=True)
class Spoken:
    """A word at its place. ``beat`` is where it is heard, ``start`` where its sound begins.

    ``fast``: the shortened rendering is used; ``by_hand``: asked for on the spot. All in output frames.
    """

    text: str
    beat: int
    start: int
    end: int
    fast: bool = False
    by_hand: bool = False

    @property
    def frame(self) -> int:
        """The output frame at which it is perceived."""
        return self.beat


# text -> (as spoken, shortened); the shortened one lasts at least 1/1.35 of the other (rule Q1)
WordLengths = Mapping[str, tuple[WordLength, WordLength]]


def _at(text: str, beat: int, lengths: WordLengths, fast: bool) -> Spoken:
    length = lengths[text][1 if fast else 0]
    start = beat - length.onset
    return Spoken(text=text, beat=beat, start=start, end=start + length.frames, fast=fast)


def _ahead(text: str, lengths: WordLengths) -> int:
    """Frames that a word may begin before its beat: a shortened one does not always begin later than the other."""
    return max(length.onset for length in lengths[text])


def _fits(text: str, beat: int, limit: int, lengths: WordLengths) -> Spoken | None:
    """The word on ``beat``, shortened if it must be, ending by ``limit``; None if neither fits."""
    for fast in (False, True):
        word = _at(text, beat, lengths, fast)
        if word.end <= limit:
            return word
    return None


def place_count(
    beats: Sequence[int],
    end: int,
    lengths: WordLengths,
    first_number: int = 1,
    earliest: int | None = None,
    counts: Sequence[str] = COUNTS,
) -> tuple[Spoken, ...]:
    """Count on every beat; a count that would run into the one before it is left out.

    ``beats``: output frames; ``end``: where the last word has to be over; ``counts``: the count words from one on.
    """
    words: list[Spoken] = []
    i = 0
    while i < len(beats):
        text = counts[(first_number + i - 1) % len(counts)]
        word, skip = None, 1
        if text in lengths and (earliest is None or beats[i] - _ahead(text, lengths) >= earliest):
            # Past 1.35 the next count is left out: the word may then last until the one after it.
            for skip in range(1, len(beats) - i + 1):
                following = beats[i + skip] if i + skip < len(beats) else None
                word = _fits(text, beats[i], _limit(following, first_number + i + skip, end, lengths, counts), lengths)
                if word:
                    break
        if word:
            words.append(word)
            i += skip
        else:
            i += 1
    return tuple(words)


def _limit(beat: int | None, number: int, end: int, lengths: WordLengths, counts: Sequence[str]) -> int:
    """Where a word must be over so that the count ``number`` on ``beat`` can begin."""
    if beat is None:
        return end
    text = counts[(number - 1) % len(counts)]
    return beat - (_ahead(text, lengths) if text in lengths else 0)


def place_call(
    name: str,
    last_bar: Sequence[int],
    before: Sequence[int],
    seam: int,
    lengths: WordLengths,
    earliest: int | None = None,
    counts: Sequence[str] = COUNTS,
    lead: int | None = None,
) -> tuple[Spoken, ...]:
    """A section call: the name, then the count into the bar line at ``seam``.

    ``last_bar``: the beats of the bar before the seam; ``before``: earlier beats, in order;
    ``earliest``: no sound may begin before this frame (what is already out, or another word);
    ``counts``: the count words from one on; ``lead``: a beat before the last bar on which the name
    is wanted, so that the last bar is counted whole. Without, or where it is too late for that, the name
    begins on the first beat of the last bar and the count drops the beats it covers.
    Where it would leave fewer than two counts (one, in a bar of three beats or fewer) it begins
    as many beats earlier as it needs. With no time left it takes the first beat where it fits.
    """
    if lead is not None and name in lengths and (earliest is None or lead - _ahead(name, lengths) >= earliest):
        early = _fits(name, lead, _limit(last_bar[0], 1, seam, lengths, counts), lengths)
        if early:
            return (early, *place_count(last_bar, seam, lengths, 1, early.end, counts))
    beats = [*before, *last_bar]
    top = len(before)
    wanted = min(2, max(1, len(last_bar) - 2))
    if name not in lengths:
        return place_count(last_bar[1:], seam, lengths, 2, earliest, counts)
    starts = [*range(top, -1, -1), *range(top + 1, len(beats))]
    best: tuple[Spoken, ...] = ()
    for start in starts:
        if earliest is not None and beats[start] - _ahead(name, lengths) < earliest:
            continue
        call = _call_from(name, beats, top, start, seam, lengths, counts)
        if call is None:
            continue
        if len(call) - 1 >= wanted:
            return call
        if len(call) > len(best):
            best = call
    return best or place_count(last_bar[1:], seam, lengths, 2, earliest, counts)


def _call_from(
    name: str, beats: Sequence[int], top: int, start: int, seam: int, lengths: WordLengths, counts: Sequence[str]
) -> tuple[Spoken, ...] | None:
    for first_count in range(max(start, top) + 1, len(beats) + 1):
        number = first_count - top + 1
        following = beats[first_count] if first_count < len(beats) else None
        word = _fits(name, beats[start], _limit(following, number, seam, lengths, counts), lengths)
        if word:
            return (word, *place_count(beats[first_count:], seam, lengths, number, None, counts))
    return None


def place_free(
    wanted: Sequence[tuple[int, str]], said: Sequence[Spoken], lengths: WordLengths, earliest: int
) -> tuple[Spoken, ...]:
    """Free cues, each on its beat; one that would touch what is said already, or the one before it, is left out (rule Q4).

    ``wanted``: (output frame of the beat, text), in order. A cue that does not fit is tried shortened before it gives way.
    """
    taken = [(w.start, w.end) for w in said]
    placed: list[Spoken] = []
    for beat, text in wanted:
        if text not in lengths:
            continue
        for fast in (False, True):
            word = _at(text, beat, lengths, fast)
            if word.start >= earliest and not any(word.start < end and start < word.end for start, end in taken):
                placed.append(word)
                taken.append((word.start, word.end))
                break
    return tuple(placed)


def place_asked(
    texts: Sequence[str], beats: Sequence[int], said: Sequence[Spoken], lengths: WordLengths, earliest: int
) -> tuple[tuple[Spoken, ...], tuple[str, ...]]:
    """Words asked for on the spot, in turn, each on the first beat on which it touches no other word (rule Q7).

    ``beats``: output frames, in order. Gives what is placed, and what finds no beat.
    """
    taken = [*said]
    placed: list[Spoken] = []
    left = [*beats]
    for i, text in enumerate(texts):
        words = (replace(_at(text, beat, lengths, False), by_hand=True) for beat in left)
        word = next((w for w in words if w.start >= earliest and not touches(w, taken)), None)
        if word is None:
            return tuple(placed), tuple(texts[i:])
        placed.append(word)
        taken.append(word)
        left = [b for b in left if b > word.beat]
    return tuple(placed), ()


def said_at_once(text: str, lengths: WordLengths, earliest: int) -> Spoken:
    """A word asked for on the spot where no beat is counted."""
    return replace(_at(text, earliest + lengths[text][0].onset, lengths, False), by_hand=True)


def touches(word: Spoken, others: Sequence[Spoken]) -> bool:
    """Whether a word would sound while one of others does."""
    return any(word.start < o.end and o.start < word.end for o in others)
