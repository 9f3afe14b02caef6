"""Whether joins are heard, and where sections begin: on sounds whose answer is known."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from upbeat.listening.follow.divide import Bars, beginnings, describe
from upbeat.listening.follow.novelty import RATE as HEARD
from upbeat.listening.seam.score import AFTER_S, BEFORE_S, CROSSFADES_MS, RINGS_S, Sides, judge, measure, mends, score

RATE = 48_000
LINE = round(BEFORE_S * RATE)
FRAMES = round((BEFORE_S + AFTER_S) * RATE)
T = (np.arange(FRAMES) - LINE) / RATE


def hits(*at, level=0.5, seed=1):
    """A stroke at each of some seconds from the bar line."""
    noise = np.random.default_rng(seed).standard_normal(FRAMES)
    return level * noise * sum(np.where(s <= T, np.exp(-np.maximum(T - s, 0) * 40), 0) for s in at)


def tone(hz, start=-9.0, end=9.0, level=0.2):
    """A rich tone from ``start`` to ``end`` in seconds from the bar line, its edges 20 ms."""
    shape = np.clip((T - start) / 0.02, 0, 1) * np.clip((end - T) / 0.02, 0, 1)
    return level * shape * sum(np.sin(2 * np.pi * k * hz * (T + 9)) / k for k in range(1, 12))


BEATS = (-0.5, 0.0, 0.5, 1.0, 1.5, 2.0)


class TestSeams:
    def test_music_that_goes_on_as_before_is_not_heard(self):
        same = hits(*BEATS) + tone(220)
        heard = score([Sides(same, same)], RATE)
        assert heard.likely < 0.02
        # Another chord on the downbeat, as chords change.
        assert (
            score(
                [Sides(hits(*BEATS), hits(*BEATS, seed=2)), Sides(tone(220, end=0.0), tone(330, start=0.0))], RATE
            ).likely
            < 0.25
        )

    def test_a_note_that_is_cut_in_two_is_heard_and_named(self):
        drums, held = Sides(hits(*BEATS, level=0.05), hits(*BEATS, level=0.05)), Sides(tone(220), tone(277, start=-9))
        heard = score([drums, held], RATE)
        assert (heard.reason, heard.stem) == ("cut", 1)
        assert heard.likely > 0.8
        # A strong attack covers the same cut.
        loud = Sides(hits(*BEATS, level=3.0), hits(*BEATS, level=3.0))
        assert score([loud, held], RATE).cut < heard.cut / 2

    def test_ringing_on_mends_what_dies_away(self):
        dying = tone(220) * np.exp(-np.maximum(T, 0) * 5)
        m = measure(
            [Sides(hits(*BEATS, level=0.05), hits(*BEATS, level=0.05)), Sides(dying, tone(330, start=0.0))], RATE
        )
        before = judge(m).likely
        ring = next(o for o in mends(m, 10, 0) if o.kind == "ring_on")
        assert ring.value in RINGS_S[1:]
        assert ring.likely == pytest.approx(judge(m, ring_on_s=ring.value).likely)
        assert ring.likely < before - 0.1
        # What is set already is not offered again.
        assert all(o.kind != "ring_on" for o in mends(m, 10, 2.0))

    @pytest.mark.parametrize("ms", [20, 45, 90])
    def test_an_attack_before_the_bar_line_is_found_to_the_hundredth(self, ms):
        early = [hits(*(b - ms / 1000 for b in BEATS), seed=s) for s in (1, 2)]
        on_time = hits(*BEATS)
        m = measure([Sides(early[0], early[1])], RATE)
        assert m.early_ms == pytest.approx(ms, abs=6)
        assert judge(m).early > 0.5
        shift = next(
            o for o in mends(m, 10, 0, lambda by: measure([Sides(on_time, on_time)], RATE)) if o.kind == "shift"
        )
        assert shift.value == pytest.approx(-ms, abs=8)
        # A run-up to a downbeat that is there is no early downbeat.
        assert measure([Sides(hits(-0.12, -0.06, *BEATS), hits(*BEATS))], RATE).early == 0

    @pytest.mark.parametrize("gain_db", [-9, 9])
    def test_a_step_of_level_counts_beyond_what_the_music_does_itself(self, gain_db):
        same = hits(*np.arange(-1, 2.4, 0.25)) + tone(110)
        stepped = score([Sides(same, same * 10 ** (gain_db / 20))], RATE)
        assert stepped.level_db == pytest.approx(9, abs=0.5)
        assert stepped.level > 0.8
        # Where the music itself steps as much at one of the places, it is no flaw.
        itself = np.where(T < 0, same, same * 10 ** (gain_db / 20))
        assert score([Sides(itself, itself)], RATE).level < 0.05

    @settings(max_examples=25)
    @given(st.integers(0, 10_000), st.floats(-40, 20), st.floats(0, 80), st.floats(0, 2))
    def test_any_sound_is_judged_between_nought_and_one_whatever_its_level(self, seed, gain_db, crossfade, ring):
        rng = np.random.default_rng(seed)
        sides = [
            Sides(*(rng.standard_normal(FRAMES) * rng.uniform(0, 0.3) * (rng.random() > 0.2) for _ in range(2)))
            for _ in range(3)
        ]
        heard = score(sides, RATE, crossfade, ring)
        assert 0 <= heard.likely <= 1
        assert heard.likely >= max(heard.cut, heard.early, heard.level, heard.colour) - 1e-9
        more = judge(measure(sides, RATE), CROSSFADES_MS[-1], ring)
        assert more.cut <= score(sides, RATE, 10, ring).cut + 1e-9
        gain = 10 ** (gain_db / 20)
        louder = score([Sides(s.old * gain, s.new * gain) for s in sides], RATE, crossfade, ring)
        assert louder.likely == pytest.approx(heard.likely, abs=0.05)

    def test_silence_and_nothing_are_not_heard(self):
        nothing = np.zeros(FRAMES)
        assert score([Sides(nothing, nothing)], RATE).likely < 0.02


class TestSections:
    def song(self, parts, bar_s=1.5):
        """Stems of a song: of each part its bars, its pitch, and whether drums and choir sound."""
        starts, drums, organ, choir = [], [], [], []
        rng = np.random.default_rng(5)
        n = round(bar_s * HEARD)
        t = np.arange(n) / HEARD
        for bars, hz, has_drums, has_choir in parts:
            starts.append(sum(len(d) for d in drums) // n + 1)
            for k in range(bars):
                beat = np.exp(-(t % (bar_s / 4)) * 40)
                step = hz * (1, 1.25, 1.5, 1.333)[k % 4]
                drums.append(0.4 * beat * rng.standard_normal(n) * has_drums)
                organ.append(0.2 * sum(np.sin(2 * np.pi * step * h * t) / h for h in (1, 2, 3)))
                choir.append(0.2 * sum(np.sin(2 * np.pi * 2 * step * h * t) / h for h in (1, 2, 3)) * has_choir)
        stems = [np.concatenate(x).astype(np.float32) for x in (drums, organ, choir)]
        return stems, starts, np.arange(sum(p[0] for p in parts) + 1) * bar_s

    def test_sections_begin_where_stems_come_in_and_go(self):
        stems, starts, lines = self.song(
            [(8, 110, 0, 0), (8, 110, 1, 0), (8, 146, 1, 1), (8, 110, 1, 0), (8, 146, 1, 1), (4, 110, 0, 0)]
        )
        found = beginnings(describe(stems, [False, True, True], list(lines)))
        assert [b.bar for b in found] == starts
        assert found[0].reasons == ()
        kinds = [{(r.kind, r.stem) for r in b.reasons} for b in found]
        assert ("enters", 0) in kinds[1]
        assert ("enters", 2) in kinds[2]
        assert ("leaves", 2) in kinds[3]
        assert ("leaves", 0) in kinds[5]
        # Those that sound alike are of one kind.
        likes = [b.like for b in found]
        assert likes[1] == likes[3]
        assert likes[2] == likes[4]
        assert len({likes[0], likes[1], likes[2]}) == 3

    def test_what_is_all_alike_and_what_is_short_has_one_section_or_none(self):
        stems, _, lines = self.song([(24, 110, 1, 1)])
        assert [b.bar for b in beginnings(describe(stems, [False, True, True], list(lines)))] == [1]
        stems, _, lines = self.song([(3, 110, 1, 1)])
        assert beginnings(describe(stems, [False, True, True], list(lines))) == []

    def test_what_rings_on_or_is_silent_at_the_end_begins_nothing(self):
        stems, starts, lines = self.song([(8, 110, 0, 0), (8, 146, 1, 1)])
        longer = [*lines, *(lines[-1] + 1.5 * np.arange(1, 7))]
        assert [b.bar for b in beginnings(describe(stems, [False, True, True], longer))] == starts

    @settings(max_examples=30)
    @given(st.integers(0, 10_000), st.integers(1, 6), st.integers(1, 60))
    def test_any_bars_give_beginnings_in_order_the_first_at_bar_one(self, seed, stems, count):
        rng = np.random.default_rng(seed)
        bars = Bars(
            rng.uniform(-100, 0, (stems, count)),
            rng.random((count, 12)) * (rng.random((count, 1)) > 0.1),
            rng.uniform(-100, 0, (count, 9)),
            rng.random(count),
        )
        found = beginnings(bars)
        assert (found == []) == (count < 4)
        if found:
            assert found[0].bar == 1
            assert all(a.bar < b.bar <= count for a, b in pairwise(found))
            assert all(0 <= b.sure <= 1 for b in found)
            assert all(b.reasons and len(b.reasons) <= 3 for b in found[1:])
            seen = -1
            for b in found:
                assert b.like <= seen + 1
                seen = max(seen, b.like)
