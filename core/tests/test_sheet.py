"""The tacet sheet, line-ups, edges and loudness, found in the samples: rules M1, M2, F2."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from material import LEVEL, RATE, gains, ready, show, song, steady, write_wav
from test_sound import at, bounced, first_sound

from upbeat.errors import Refused
from upbeat.mix.line_up import Person, gaps, looks
from upbeat.mix.sounding import sounds, standing
from upbeat.show.bounce import rehearse, render
from upbeat.show.document import read_song
from upbeat.song.stems import Stem

BAR, BEAT, RAMP = 2 * RATE, RATE // 2, 240


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


@settings(max_examples=200)
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


@settings(max_examples=12)
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
    answer = {(x.code, x.section, x.stem) for x in looks(sheet, {"ole"}, {("s2", "c")})}
    assert answer == {("no-tonal", "a", ""), ("silent-file", "c", "s2")}
    # With Ole on, his drums are played: something sounds, and nothing tonal in the verse.
    assert {(x.code, x.section) for x in looks(sheet, set(), set())} == {("no-tonal", "a")}
    # All stems tacet is allowed, and said.
    empty = written({"tacet": ["a", "b", "c"]})
    assert [x.code for x in looks(empty, set(), set())] == ["nothing"] * 3
