"""The cues of a song as its page draws them: the lane, the calls in words, every word with its onset."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

from django.conf import settings

from songs.guides import one_song_show
from songs.models import Song
from upbeat.play.plan import EntryPlan
from upbeat.show.guides import ready_guides
from upbeat.show.lane import Pass, cue_lane
from upbeat.show.ready import ReadyShow, needed_words


def shown_cues(song: Song, form: str | None) -> dict[str, Any]:
    """Everything that is spoken in a form of the song, and what is not (songs.pages.click.CuesSerializer). Raises :class:`Refused`."""
    ready = ready_guides(one_song_show(song, form), 0, settings.MEDIA, "cues", settings.WORDS)
    passes = cue_lane(ready)
    plan = ready.plan.entries[0]
    rate = ready.plan.sample_rate
    return {
        "passes": [_shown(p, plan, rate) for p in passes],
        "calls": _calls(passes, plan),
        "words": _words(ready),
        "summary": _summary(passes, rate),
    }


def _shown(found: Pass, plan: EntryPlan, rate: int) -> dict[str, Any]:
    start = found.beats[0].at if found.beats else found.end

    def seconds(frame: int) -> float:
        return round((frame - start) / rate, 5)

    return {
        "step": _step(found.step, plan),
        "round": found.round,
        "into": _step(found.into, plan),
        "seconds": seconds(found.end),
        "beats": [{"at_s": seconds(b.at), "bar": b.bar, "beat": b.beat} for b in found.beats],
        "words": [
            {
                "text": w.text,
                "kind": w.kind,
                "at_s": seconds(w.at),
                "start_s": seconds(w.start),
                "end_s": seconds(w.end),
                "fast": w.fast,
            }
            for w in found.words
        ],
        "left_out": [{"text": m.text, "at_s": seconds(m.at), "why": m.why} for m in found.left_out],
    }


def _step(index: int | None, plan: EntryPlan) -> dict[str, Any] | None:
    if index is None:
        return None
    step = plan.steps[index]
    return {
        "section": step.section,
        "name": step.name,
        "mark": step.mark,
        "colour": step.colour,
        "spoken": step.spoken,
        "first_bar": step.first_bar,
    }


def _calls(passes: list[Pass], plan: EntryPlan) -> list[dict[str, Any]]:
    """For each section what is said before it, the first time that it comes."""
    texts: dict[str, str] = {}
    for p in passes:
        if p.into is not None:
            texts.setdefault(plan.steps[p.into].section, ", ".join(w.text for w in p.words if w.kind != "free"))
    return [{"section": section, "text": text} for section, text in texts.items()]


def _words(ready: ReadyShow) -> list[dict[str, Any]]:
    rate, voice = ready.plan.sample_rate, ready.show.voice
    recorded = {w.text for w in ready.show.words}
    found = []
    for text in needed_words(ready.show):
        lengths = ready.plan.words.get(text)
        source = "silent" if lengths is None else "recording" if text in recorded else "engine"
        found.append(
            {
                "text": text,
                "source": source,
                "seconds": round(lengths[0].frames / rate, 3) if lengths else 0.0,
                "onset_ms": round(1000 * lengths[0].onset / rate, 1) if lengths else 0.0,
                "shift_ms": voice.shifts.get(text, 0.0),
                "count": text in ready.plan.counts,
            }
        )
    return found


def _summary(passes: list[Pass], rate: int) -> dict[str, Any]:
    words = sorted((w for p in passes for w in p.words), key=lambda w: w.start)
    gaps = [b.start - a.end for a, b in pairwise(words)]
    return {
        "words": len(words),
        "shortened": sum(w.fast for w in words),
        "left_out": sum(len(p.left_out) for p in passes),
        "gap_ms": round(1000 * min(gaps) / rate, 1) if gaps else None,
    }
