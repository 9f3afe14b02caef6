"""What is known of a song's stems together: findings with their mends, worked out when stems change."""

from __future__ import annotations

import hashlib
import json
from dataclasses import asdict
from functools import lru_cache
from typing import Any

import numpy as np
from django.conf import settings

from songs.build import core_stem
from songs.models import Audio, Comparison, Song, Stem
from songs.rows import held
from upbeat.audio.measure import Measured
from upbeat.audio.pcm import open_prepared
from upbeat.audio.peaks import envelope
from upbeat.listening.comparing import Compared, compare
from upbeat.listening.findings import Finding, Heard, findings
from upbeat.listening.trace import trace_prepared
from upbeat.mix.stem_audio import StemAudio
from upbeat.mix.together import measured_together
from upbeat.song.stems import Stem as CoreStem
from upbeat.song.stems import is_performed

DRAWN = 160


def comparison_key(stems: list[Stem]) -> str:
    """What a comparison depends on: the sounds, and which of them is the full mix."""
    parts = [[str(s.audio_id), s.purpose == "full_mix"] for s in stems]
    return hashlib.sha256(json.dumps(parts).encode()).hexdigest()


def _comparison(song: Song) -> Comparison | None:
    rows = held(song)
    key = comparison_key(rows.recorded)
    if rows.comparison is None or rows.comparison.key != key:
        rows.comparison = Comparison.objects.filter(band_id=song.band_id, key=key).first()
    return rows.comparison


def compared(song: Song) -> list[Compared] | None:
    """The comparison of a song's stems as they are now; None while it is not made."""
    row = _comparison(song)
    return [Compared(**one) for one in row.compared] if row else None


def made_comparison(song: Song) -> Comparison | None:
    """The comparison of the stems, to be kept; None where it is done already."""
    stems = held(song).recorded
    key = comparison_key(stems)
    if Comparison.objects.filter(band=song.band, key=key).exists():
        return None
    mix = next((i for i, s in enumerate(stems) if s.purpose == "full_mix"), None)
    found = compare([trace_prepared(s.audio.prepared, settings.SAMPLE_RATE) for s in stems], mix)
    music = [s for s in stems if is_performed(s)] or stems
    # As they came: no setting of the song's own.
    plain = [
        StemAudio(
            stem=CoreStem(id=str(s.pk), name=s.name, file=s.file_name),
            pcm=open_prepared(s.audio.prepared, settings.SAMPLE_RATE),
        )
        for s in music
    ]
    together = asdict(measured_together(plain, settings.SAMPLE_RATE))
    return Comparison(band=song.band, key=key, compared=[asdict(one) for one in found], together=together)


def shown_together(song: Song) -> dict[str, float | None] | None:
    """Loudness and true peak of the whole song, once its stems have been compared."""
    row = _comparison(song)
    return {k: row.together.get(k) for k in ("integrated_lufs", "true_peak_dbtp")} if row and row.together else None


def song_findings(song: Song) -> tuple[list[Finding], bool]:
    """Everything found, worst first, and whether the stems have been compared yet."""
    stems = held(song).recorded
    known = compared(song)
    blank = Compared()
    heard = [
        Heard(
            stem=core_stem(s),
            measured=Measured(**s.audio.measured),
            content=str(s.audio_id),
            compared=known[i] if known else blank,
        )
        for i, s in enumerate(stems)
    ]
    return findings(heard), known is not None or len(stems) < 2


def shown_findings(song: Song) -> dict[str, Any]:
    """Findings as the page draws them: open, accepted and mended, each with the moment to hear it at."""
    found, ready = song_findings(song)
    stems = {str(s.pk): s for s in held(song).stems}
    shown, seen = [], set()
    for f in found:
        stem = stems[f.stem]
        seen.add((f.stem, f.code))
        taken = f.code in stem.mends
        if f.mended and not taken:
            continue
        shown.append(
            {
                "stem": f.stem,
                "code": f.code,
                "severity": f.severity,
                "message": f.message,
                "value": f.value,
                "unit": f.unit,
                "sure": f.sure,
                "mend": f.mend.kind if f.mend else None,
                "state": "mended" if taken else "accepted" if f.code in stem.accepted else "open",
                "at_s": _moment(f, stem),
            }
        )
    # A mend that did away with its own finding, such as a mark, can be taken back all the same.
    for key, stem in stems.items():
        for code, kept in stem.mends.items():
            if (key, code) not in seen:
                shown.append(
                    {
                        "stem": key,
                        "code": code,
                        "severity": "note",
                        "message": kept["message"],
                        "value": None,
                        "unit": "",
                        "sure": 1.0,
                        "mend": kept["kind"],
                        "state": "mended",
                        "at_s": _moment(None, stem),
                    }
                )
    return {"ready": ready, "list": shown}


def mend_heard(song: Song, stem_id: str, code: str, mended: bool) -> dict[str, Any]:
    """The settings that make a stem sound mended, or as it was before; none where nothing is known of it."""
    stem = next((s for s in held(song).stems if str(s.pk) == stem_id), None)
    if stem is None:
        return {}
    kept = stem.mends.get(code)
    if not mended:
        return dict(kept["before"]) if kept else {}
    finding = next((f for f in song_findings(song)[0] if f.stem == stem_id and f.code == code), None)
    return dict(finding.mend.changes) if finding and finding.mend and not kept else {}


def _moment(finding: Finding | None, stem: Stem) -> float:
    """Where a finding is best heard, in seconds: near the end for an ending, else where the stem begins."""
    measured = stem.audio.measured
    at = measured.get("sound_starts_s") or 0.0
    if finding and finding.code in ("cut-off", "fades", "shorter", "longer"):
        at = max(0.0, (measured.get("sound_ends_s") or 0.0) - (8.0 if finding.code == "fades" else 4.0))
    return round(at + stem.delay_ms / 1000, 3)


def drawn(audio: Audio) -> list[float]:
    """The peaks of a stem, 0 to 1, in :data:`DRAWN` equal parts of its length."""
    return list(_drawn(str(audio.peaks), audio.frames))


@lru_cache(maxsize=2000)
def _drawn(path: str, frames: int) -> tuple[float, ...]:
    try:
        peaks = np.load(path)
    except OSError:
        return ()
    return tuple(float(v) for v in np.round(envelope(peaks, np.linspace(0, frames, DRAWN + 1)), 3))
