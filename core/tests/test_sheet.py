"""The tacet sheet, line-ups, edges and loudness, found in the samples: rules M1, M2, F2."""

import subprocess
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from material import RATE, ready, show, song, write_wav
from test_sound import at, bounced, first_sound

from upbeat.errors import Refused
from upbeat.mix.line_up import Person, gaps, looks
from upbeat.mix.matching import CEILING_DBTP, Loud, checked_target, propose, reachable, set_target
from upbeat.mix.sounding import sounds, standing
from upbeat.show.bounce import rehearse, render
from upbeat.show.document import read_show, read_song
from upbeat.show.loudness import house_level
from upbeat.song.edges import Edges
from upbeat.song.stems import Stem

BAR, BEAT, RAMP = 2 * RATE, RATE // 2, 240
LEVEL = 0.25


def steady(tmp_path, *stems, seconds=18, **changes):
    """A song whose stems are all one value, so that what is heard is the gain."""
    write_wav(tmp_path / "one.wav", np.full(seconds * RATE, LEVEL, np.float32))
    rest = changes.pop("show", {})
    listed = [
        {"id": f"s{i}", "name": f"S{i}", "file": "one.wav", "group": "tonal", "pan": -1, **s}
        for i, s in enumerate(stems)
    ]
    return ready(show(song(stems=listed, **changes), **rest), tmp_path)


def gains(sound):
    return sound[0] / LEVEL


def db(x):
    return 10 ** (x / 20)


def test_a_level_of_a_section_is_there_from_its_first_frame_on_and_no_longer(tmp_path):
    sound, events = bounced(steady(tmp_path, {"levels": {"b": -6.0}}))
    heard, begin = gains(sound), first_sound(events)
    b, c = begin + 3 * BAR, begin + 6 * BAR
    assert heard[b - 1] == pytest.approx(1)
    assert heard[b + RAMP : c] == pytest.approx(db(-6), abs=1e-6)
    assert heard[c + RAMP : c + 2 * BAR - RAMP] == pytest.approx(1)
    # In between a straight line over 5 ms, which is no step that could be heard.
    assert np.abs(np.diff(heard[b - 10 : b + RAMP + 10])).max() <= (1 - db(-6)) / RAMP * 1.01
    assert heard[b] < 1


def test_a_tacet_fades_over_beats_to_the_frame(tmp_path):
    sound, events = bounced(steady(tmp_path, {"tacet": ["b"], "fades": {"b": 4, "c": 2}}))
    heard, begin = gains(sound), first_sound(events)
    b, c = begin + 3 * BAR, begin + 6 * BAR
    out = np.arange(1, 4 * BEAT + 1) / (4 * BEAT)
    assert heard[b : b + 4 * BEAT] == pytest.approx(1 - out, abs=2e-6)
    assert heard[b + 4 * BEAT : c] == pytest.approx(0, abs=1e-9)
    back = np.arange(1, 2 * BEAT + 1) / (2 * BEAT)
    assert heard[c : c + 2 * BEAT] == pytest.approx(back, abs=2e-6)
    assert heard[c + 2 * BEAT] == pytest.approx(1)


def test_a_fade_is_counted_in_felt_beats_and_ends_with_its_section(tmp_path):
    sound, events = bounced(
        steady(
            tmp_path,
            {"fades": {"b": 2, "c": 64}, "levels": {"b": -12, "c": 0.5}},
            meters=[{"bar": 1, "meter": "6/8"}],
            seconds=24,
        )
    )
    heard, begin = gains(sound), first_sound(events)
    bar = 3 * BEAT
    b, c = begin + 3 * bar, begin + 6 * bar
    # Two beats of 6/8 are the whole bar.
    assert heard[b + bar // 2] == pytest.approx((1 + db(-12)) / 2, abs=1e-4)
    assert heard[b + bar] == pytest.approx(db(-12), abs=1e-5)
    assert heard[c + 2 * bar - 300] == pytest.approx(db(0.5), abs=0.01)


FORMS = [[0, 1, 2], [1, 1, 0], [2, 0, 1, 2], [1, 2], [0, 2, 1, 0]]


@pytest.mark.parametrize("order", FORMS)
@pytest.mark.parametrize("crossfade", [0, 10, 60])
def test_cells_travel_with_their_section_through_every_form_without_a_click(tmp_path, order, crossfade):
    names = "abc"
    steps = [{"section": names[i]} for i in order]
    steps[-1]["ending"] = {"kind": "fine"}
    cells = {"levels": {"b": -4.5, "c": 3}, "tacet": ["a"], "fades": {"c": 2}}
    shown = steady(
        tmp_path, cells, forms=[{"id": "f", "name": "F", "steps": steps}], crossfade_ms=crossfade, seconds=20
    )
    sound, events = bounced(shown)
    heard, at_frame = gains(sound), first_sound(events)
    wanted = {"a": 0.0, "b": db(-4.5), "c": db(3)}
    bars = {"a": 3, "b": 3, "c": 2}
    before = 0.0
    half = crossfade * RATE // 2000
    for i in order:
        name = names[i]
        if name == "c":
            middle = heard[at_frame + BEAT]
            # The middle of a fade over two beats, whatever was before.
            assert middle == pytest.approx((before + wanted["c"]) / 2, abs=2e-3)
        end = at_frame + bars[name] * BAR
        assert heard[at_frame + 2 * BEAT + half : end - half - 1] == pytest.approx(wanted[name], abs=1e-5)
        before, at_frame = wanted[name], end
    # The greatest step: what a 5 ms ramp makes, or an equal-power crossfade of two equal sounds at its steepest.
    music = heard[max(0, first_sound(events) - half) : at_frame - half]
    if crossfade != 0:
        assert np.abs(np.diff(music)).max() <= db(3) / RAMP * 1.7


def test_rendering_may_begin_within_a_fade(tmp_path):
    shown = steady(tmp_path, {"tacet": ["b"], "fades": {"b": 12}}, seconds=18)
    spans, _ = rehearse(shown, None)
    whole, part = [], []
    render(shown.renderer(), spans, whole.append)
    late = next(i for i, s in enumerate(spans) if s.start > 4 * BAR + BEAT)
    render(shown.renderer(), spans, part.append, late)
    assert np.array_equal(np.concatenate(part, axis=1), np.concatenate(whole[late:], axis=1))


def test_m5_pulling_the_house_within_a_fade_silences_it_and_lets_the_monitors_fade_on(tmp_path):
    monitor = {"id": "ears", "name": "Ears", "kind": "monitor", "channels": 1, "sends": [{"source": "group:tonal"}]}
    base = show()
    routed = {
        "feeds": [*base["feeds"], monitor],
        "patch": [*base["patch"][:3], {"feed": "ears", "side": "mono", "socket": 4}],
    }
    shown = steady(tmp_path, {"tacet": ["b"], "fades": {"b": 12}}, show=routed)
    presses = [at(0, "go"), at(8, "pull_house")]
    house, ears = (bounced(shown, presses)[0][i] / LEVEL for i in (0, 3))
    plain = bounced(shown)[0][3] / LEVEL
    pulled = round(8 * RATE)
    assert np.abs(house[pulled + round(0.08 * RATE) + 1 :]).max() == 0
    assert house[pulled - 1] > 0.3
    assert ears[: 6 * BAR] == pytest.approx(plain[: 6 * BAR], abs=1e-6)


# Rule M2 written down by itself: who is heard in the house.
def truth(purpose, covers, away, tacet, muted, rehearsed_house, fallback):
    if muted:
        return False
    match purpose:
        case "full_mix":
            return fallback
        case "pad":
            return False
        case "rehearsal":
            return not fallback and not tacet and not rehearsed_house
        case "covers":
            return not fallback and not tacet and covers in away
    return not fallback and not tacet


PURPOSES = ("always", "covers", "rehearsal", "full_mix", "pad")


@st.composite
def stems_of(draw):
    count = draw(st.integers(1, 5))
    return [
        {
            "purpose": (p := draw(st.sampled_from(PURPOSES))),
            "covers": draw(st.sampled_from(["pia", "ole", "kim"])) if p == "covers" else None,
            "muted": draw(st.booleans()),
            "tacet": draw(st.lists(st.sampled_from("abc"), unique=True)),
        }
        for _ in range(count)
    ]


@settings(max_examples=200, deadline=None)
@given(
    stems=stems_of(),
    away=st.sets(st.sampled_from(["pia", "ole", "kim"])),
    fallback=st.booleans(),
    section=st.sampled_from("abc"),
)
def test_m2_the_sounding_stems_are_those_of_the_truth_table(stems, away, fallback, section):
    for raw in stems:
        stem = Stem(id="s", name="S", file="s.wav", **{**raw, "tacet": frozenset(raw["tacet"])})
        tacet = section in raw["tacet"]
        heard = sounds(stem, away, {"s"} if tacet else set(), fallback)
        assert heard == truth(raw["purpose"], raw["covers"], away, tacet, raw["muted"], False, fallback)


@settings(max_examples=12, deadline=None)
@given(stems=stems_of(), away=st.sets(st.sampled_from(["pia", "ole", "kim"])))
def test_m2_what_is_heard_in_the_house_is_what_the_truth_table_says(tmp_path_factory, stems, away):
    folder = tmp_path_factory.mktemp("heard")
    # Each stem has a bit of its own, so that the sum tells who sounds.
    for i in range(len(stems)):
        write_wav(folder / f"{i}.wav", np.full(17 * RATE, 2.0 ** -(i + 2), np.float32))
    listed = [
        {"id": f"s{i}", "name": f"S{i}", "file": f"{i}.wav", "group": "tonal", "pan": -1, **s}
        for i, s in enumerate(stems)
    ]
    players = [{"id": p, "name": p} for p in ("pia", "ole", "kim")]
    shown = ready(
        show(song(stems=listed), players=players, line_up={"on": [p["id"] for p in players if p["id"] not in away]}),
        folder,
    )
    sound, events = bounced(shown)
    begin = first_sound(events)
    for k, section in enumerate("abc"):
        value = sound[0][begin + (0, 3, 6)[k] * BAR + BEAT]
        wanted = sum(
            2.0 ** -(i + 2)
            for i, s in enumerate(stems)
            if truth(s["purpose"], s["covers"], away, section in s["tacet"], s["muted"], True, False)
        )
        assert value == pytest.approx(wanted, abs=1e-6)


def test_width_goes_from_the_mean_of_the_sides_to_twice_their_difference(tmp_path):
    write_wav(tmp_path / "wide.wav", np.tile(np.array([0.4, 0.1], np.float32), (17 * RATE, 1)))
    for width, left, right in ((1, 0.4, 0.1), (0, 0.25, 0.25), (0.5, 0.325, 0.175), (2, 0.55, -0.05)):
        sound, events = bounced(
            ready(show(song(stems=[{"id": "w", "name": "W", "file": "wide.wav", "width": width}])), tmp_path)
        )
        assert sound[:2, first_sound(events) + BAR] == pytest.approx([left, right], abs=1e-6)


def test_a_stem_is_heard_alone_whatever_it_is_for_and_silent_while_others_play(tmp_path):
    shown = steady(tmp_path, {"gain_db": -6}, {"purpose": "covers", "covers": "pia"}, {"muted": True, "gain_db": -12})
    spans, events = rehearse(shown, None)
    renderer, blocks = shown.renderer(), []
    for i, (hushed, lifted) in enumerate([((), ()), (("s0", "s2"), ("s1",)), (("s0",), ("s2",)), (("s0",), ())]):
        renderer.set_heard(hushed, lifted)
        render(renderer, spans[i : i + 1], blocks.append)
    heard = [float(b[0][-1]) / LEVEL for b in blocks]
    assert heard == pytest.approx([db(-6), 1, db(-12), 0], abs=1e-6)
    # Every change is a ramp, no step.
    line = np.concatenate(blocks, axis=1)[0][first_sound(events) + 300 :]
    assert np.abs(np.diff(line)).max() <= LEVEL * 1.01 / RAMP


def test_a_song_is_made_louder_as_a_whole(tmp_path):
    sound, events = bounced(steady(tmp_path, {"gain_db": -6}, {"levels": {"a": -3}}, gain_db=2.5))
    assert gains(sound)[first_sound(events) + BAR] == pytest.approx(db(2.5) * (db(-6) + db(-3)), rel=1e-5)


@pytest.mark.parametrize(
    ("raw", "code"),
    [
        ({"levels": {"a": 30}}, "level-range"),
        ({"levels": {"a": -60}}, "level-range"),
        ({"fades": {"a": 100}}, "fade-range"),
    ],
)
def test_a_cell_that_cannot_be_gets_a_sentence(raw, code):
    with pytest.raises(Refused) as refused:
        Stem(id="s", name="Organ", file="s.wav", **raw)
    assert refused.value.problems[0].code == code
    assert "Organ" in str(refused.value)


# --- line-ups -------------------------------------------------------------------------------------

PIA, OLE = Person("pia", "Pia", "Bass"), Person("ole", "Ole")


def written(*stems):
    return read_song(
        song(
            title="Night Boat",
            stems=[{"id": f"s{i}", "name": f"S{i}", "file": "s.wav", **s} for i, s in enumerate(stems)],
        )
    )


def test_what_would_be_missing_is_said_in_words():
    assert gaps(written({"purpose": "always"}), [PIA, OLE]) == [
        "Pia is away and Night Boat has no bass stem.",
        "Ole is away and Night Boat has no stem that covers Ole.",
    ]
    covered = {"purpose": "covers", "covers": "pia"}
    assert gaps(written(covered), [PIA]) == []
    assert gaps(written({**covered, "muted": True}), [PIA]) == [
        "Pia is away and “S0” of Night Boat, which covers Pia, is muted."
    ]
    assert gaps(written({**covered, "tacet": ["a", "b", "c"]}), [PIA]) == [
        "Pia is away and “S0” of Night Boat is tacet from start to end."
    ]


def test_where_a_stem_stands():
    covers = Stem(id="s", name="S", file="s.wav", purpose="covers", covers="pia")
    assert (standing(covers, {"pia"}), standing(covers, set()), standing(replace(covers, covers=None), {"pia"})) == (
        "sounds",
        "rests",
        "nobody",
    )
    assert standing(replace(covers, muted=True), {"pia"}) == "muted"
    assert [
        standing(Stem(id="s", name="S", file="s", purpose=p), ()) for p in ("always", "rehearsal", "full_mix", "pad")
    ] == [
        "sounds",
        "rehearsal",
        "fallback",
        "pad",
    ]


def test_what_is_worth_a_look():
    drums = {"group": "rhythm", "purpose": "covers", "covers": "ole", "tacet": ["c"]}
    sheet = written({"group": "tonal", "tacet": ["a"]}, drums, {"group": "voices", "levels": {"c": 2}, "tacet": ["a"]})
    told = {(x.code, x.section, x.stem) for x in looks(sheet, {"ole"}, {("s2", "c")})}
    assert told == {("no-tonal", "a", ""), ("silent-file", "c", "s2")}
    # With Ole on, his drums are played: something sounds, and nothing tonal in the verse.
    assert {(x.code, x.section) for x in looks(sheet, set(), set())} == {("no-tonal", "a")}
    # All stems tacet is allowed, and said.
    empty = written({"tacet": ["a", "b", "c"]})
    assert [x.code for x in looks(empty, set(), set())] == ["nothing"] * 3


# --- how it begins and ends ------------------------------------------------------------------------


def test_a_song_begins_late_faded_and_is_cut_on_a_bar_line(tmp_path):
    shown = steady(tmp_path, {}, edges={"start_s": 1.0, "fade_in_s": 0.5, "end_bar": 5})
    sound, events = bounced(shown)
    heard, begin = gains(sound), first_sound(events)
    assert np.abs(heard[begin : begin + RATE]).max() == 0
    assert heard[begin + RATE + RATE // 4] == pytest.approx(0.5, abs=0.01)
    assert heard[begin + RATE + RATE // 2 : begin + 5 * BAR - RAMP] == pytest.approx(1)
    assert np.abs(heard[begin + 5 * BAR :]).max() == 0
    assert np.abs(np.diff(heard[begin : begin + 6 * BAR])).max() < 1.7 / RAMP


def test_a_song_fades_out_before_its_bar_line(tmp_path):
    sound, events = bounced(steady(tmp_path, {"delay_ms": 20}, edges={"end_bar": 4, "fade_out_s": 2}))
    heard, begin = gains(sound), first_sound(events)
    assert heard[begin + 4 * BAR - RATE] == pytest.approx(0.5, abs=0.01)
    assert np.abs(heard[begin + 4 * BAR :]).max() == 0


def chord(seconds, *tones):
    t = np.arange(round(seconds * RATE)) / RATE
    return sum(0.1 * np.sin(2 * np.pi * f * t) for f in tones).astype(np.float32)


def test_an_end_is_held_with_the_notes_of_its_bar_line(tmp_path):
    write_wav(tmp_path / "tones.wav", np.concatenate([chord(4 * 2, 220, 330), chord(4 * 2, 262, 392)]))
    shown = ready(
        show(
            song(stems=[{"id": "p", "name": "Pads", "file": "tones.wav", "pan": -1}], edges={"end_bar": 4, "hold_s": 3})
        ),
        tmp_path,
    )
    sound, events = bounced(shown)
    line = first_sound(events) + 4 * BAR
    held = sound[0][line + RATE // 2 : line + RATE // 2 + RATE]
    spectrum = np.abs(np.fft.rfft(held * np.hanning(len(held))))
    strength = {f: spectrum[f - 3 : f + 4].max() for f in (220, 262, 330, 392)}
    assert min(strength[262], strength[392]) > 20 * max(strength[220], strength[330])
    levels = [np.sqrt(np.mean(sound[0][line + k * RATE // 2 : line + (k + 1) * RATE // 2] ** 2)) for k in range(7)]
    assert all(a > b for a, b in zip(levels[:5], levels[1:6], strict=True))
    assert levels[6] == 0
    # Neither the end of the recording nor the start of what is held clicks.
    assert (
        np.abs(np.diff(sound[0][line - 50 : line + 3 * RATE])).max()
        < 2 * np.abs(np.diff(sound[0][line - RATE : line])).max()
    )


@pytest.mark.parametrize("raw", [{"hold_s": 31}, {"fade_in_s": -1}, {"hold_s": 2, "fade_out_s": 2}])
def test_edges_that_cannot_be_get_a_sentence(raw):
    with pytest.raises(Refused):
        Edges(**raw)


# --- loudness -------------------------------------------------------------------------------------


def noise(seconds, level, seed=1):
    return (level * np.random.default_rng(seed).standard_normal((round(seconds * RATE), 2))).astype(np.float32)


def test_a_song_is_measured_as_the_house_hears_it(tmp_path):
    write_wav(tmp_path / "drums.wav", noise(17, 0.05))
    write_wav(tmp_path / "bass.wav", noise(17, 0.1, 2))
    stems = [
        {"id": "d", "name": "Drums", "file": "drums.wav", "group": "rhythm", "gain_db": -3},
        {"id": "b", "name": "Bass", "file": "bass.wav", "purpose": "covers", "covers": "pia"},
        {"id": "g", "name": "Guide", "file": "bass.wav", "purpose": "rehearsal"},
        {"id": "x", "name": "Beeps", "file": "bass.wav", "group": "click"},
    ]
    document = show(song(stems=stems, gain_db=1), players=[{"id": "pia", "name": "Pia"}], line_up={"on": []})
    told = read_show(document)
    for away in ((), ("pia",)):
        document["line_up"] = {"on": [] if away else ["pia"]}
        sound, events = bounced(ready(document, tmp_path))
        # ffmpeg's meter on what leaves the sockets.
        path = write_wav(tmp_path / "house.wav", sound[:2].T)
        said = subprocess.run(
            ["ffmpeg", "-hide_banner", "-nostats", "-i", str(path), "-af", "ebur128=peak=true", "-f", "null", "-"],
            capture_output=True,
            text=True,
        ).stderr
        summary = said[said.rindex("Summary:") :]
        lufs = float(summary.split("I:")[1].split("LUFS")[0])
        peak = float(summary.split("Peak:")[1].split("dBFS")[0])
        level = house_level(told.songs["song"], None, told.routing.feeds, away, tmp_path, RATE)
        assert level.lufs == pytest.approx(lufs, abs=0.1)
        assert level.peak_dbtp == pytest.approx(peak, abs=0.1)
        assert [step for step, _ in level.steps] == [0, 1, 2]
        assert [s for _, s in level.steps] == pytest.approx([0, 6, 12], abs=0.01)
        assert level.short_term[len(level.short_term) // 2] == pytest.approx(lufs, abs=0.3)


LOUD = st.builds(Loud, st.floats(-40, -6), st.floats(-30, 3))


@given(songs=st.lists(LOUD, min_size=1, max_size=8), target=st.none() | st.floats(-36, -8))
def test_matched_songs_reach_the_target_and_none_passes_the_ceiling(songs, target):
    aim = set_target(songs) if target is None else target
    for one in songs:
        proposal = propose(one, aim)
        assert proposal.peak_dbtp <= CEILING_DBTP + 1e-9
        assert proposal.lufs <= aim + 1e-9
        if target is None:
            assert proposal.lufs == pytest.approx(aim, abs=0.02)
        assert (proposal.short_db > 0) == (proposal.lufs < aim - 0.02) or abs(proposal.lufs - aim) < 0.03
    assert set_target(songs) <= reachable(songs) + 1e-9


def test_silence_needs_no_gain():
    assert propose(Loud(None, None), -18).gain_db == 0
    assert set_target([Loud(None, None)]) is None


@pytest.mark.parametrize("value", ["+20", "0", "-60", "loud", "", "nan"])
def test_a_target_that_cannot_be_gets_a_sentence(value):
    with pytest.raises(Refused) as refused:
        checked_target(value)
    assert "LUFS" in str(refused.value)


def test_a_target_may_be_typed_as_people_type_it():
    assert checked_target(" −18,5 ") == -18.5
