"""Hands (rules K1 and K3): bytes, bindings, bounces, holds, faders that have to be met."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from upbeat.controls.bindings import (
    BankDoes,
    Binding,
    FirstOf,
    LevelDoes,
    PageDoes,
    PressDoes,
    SectionDoes,
    active,
    clashes,
)
from upbeat.controls.guards import UNKNOWN_MS, Guards
from upbeat.controls.hands import Hands, as_data, read_hands, with_all
from upbeat.controls.lights import LIGHTS, LightRule, changed, light_bytes, light_of
from upbeat.controls.night import Now
from upbeat.controls.signals import Control, Reader, Signal
from upbeat.controls.starters import STARTERS, starter
from upbeat.errors import Refused
from upbeat.limits import BOUNCE_MS, HOLD_MS

PAD, PEDAL, FADER = (
    Control("Box", "note", 10, 36),
    Control("Box", "controller", 1, 64),
    Control("Box", "controller", 1, 7),
)
GO, STOP, PULL = PressDoes("go"), PressDoes("stop"), PressDoes("pull_house")
NOW = Now(song="moth", sections=("in", "verse", "lift"), entries=(4, 1), palette=("Hold", "Build"), sounds=("gong",))


def bound(does=GO, control=PAD, **more):
    return Binding(id="b", control=control, does=does, **more)


def down(control=PAD, value=100):
    return Signal(control, value, True)


def up(control=PAD):
    return Signal(control, 0, False)


def pressed(guards, *signals, now=NOW, until=2000):
    """The presses of signals at their times, with what is due looked at every 10 ms."""
    waiting, acts = sorted(signals, key=lambda s: s[0]), []
    for at in range(0, until, 10):
        while waiting and waiting[0][0] < at + 10:
            when, signal = waiting.pop(0)
            acts += [(when, a.press) for a in guards.hit(signal, when, now)]
        acts += [(at + 10, a.press) for a in guards.due(at + 10, now)]
    return acts


# --- bytes ----------------------------------------------------------------------------------------

messages = st.one_of(
    st.tuples(st.sampled_from([0x80, 0x90, 0xA3, 0xB0, 0xE5]), st.integers(0, 127), st.integers(0, 127)).map(list),
    st.tuples(st.sampled_from([0xC2, 0xD0]), st.integers(0, 127)).map(list),
    st.lists(st.integers(0, 127), max_size=6).map(lambda d: [0xF0, *d, 0xF7]),
    st.sampled_from([[0xF6], [0xF2, 1, 2], [0xF1, 4]]),
)


@given(sent=st.lists(messages, max_size=20), ticks=st.lists(st.integers(0, 200), max_size=10), cut=st.integers(1, 7))
def test_the_same_signals_come_of_bytes_however_they_are_cut_and_whatever_clock_runs_between(sent, ticks, cut):
    plain = [byte for message in sent for byte in message]
    mixed = list(plain)
    for at in sorted(ticks, reverse=True):
        mixed.insert(min(at, len(mixed)), 0xF8)
    reader = Reader("Box")
    found = [s for i in range(0, len(mixed), cut) for s in reader.feed(mixed[i : i + cut])]
    assert found == Reader("Box").feed(plain)
    assert len(found) == sum(m[0] & 0xF0 in (0x80, 0x90, 0xB0, 0xC0, 0xE0) for m in sent)


@given(st.binary(max_size=300))
def test_nonsense_gives_signals_or_none_and_never_a_fault(data):
    for signal in Reader("Box").feed(data):
        assert 0 <= signal.value < (1 << 14 if signal.control.kind == "bend" else 128)


def test_running_status_velocity_0_and_a_message_that_is_broken_off():
    reader = Reader("Box")
    assert reader.feed([0x99, 36, 100, 36, 0, 37]) == [down(), Signal(PAD, 0, False)]
    assert reader.feed([0xB0, 64]) == []  # the note is broken off by another message
    assert reader.feed([127, 0xF0, 64, 127]) == [Signal(PEDAL, 127)]
    assert reader.feed([0xE0, 0x7F, 0x7F, 0x90, 60, 1]) == [
        Signal(Control("Box", "bend", 1), 16383),
        Signal(Control("Box", "note", 1, 60), 1, True),
    ]


# --- switches -------------------------------------------------------------------------------------

bounce = st.lists(st.integers(1, 39), max_size=8, unique=True).map(sorted)


def contact(at, edges, control=PAD):
    """A contact that closes and bounces at the times of ``edges``, and is closed in the end."""
    states = [True, *(i % 2 == 1 for i in range(len(edges) // 2 * 2))]
    return [(at + t, down(control) if s else up(control)) for t, s in zip([0, *edges], states, strict=False)]


def opening(at, edges, control=PAD):
    states = [False, *(i % 2 == 0 for i in range(len(edges) // 2 * 2))]
    return [(at + t, down(control) if s else up(control)) for t, s in zip([0, *edges], states, strict=False)]


@given(first=bounce, then=bounce, length=st.integers(120, 400))
def test_a_contact_that_bounces_for_forty_milliseconds_is_one_press(first, then, length):
    signals = [*contact(0, first), *opening(length, then), *contact(1000, then), *opening(1000 + length, first)]
    assert pressed(Guards([bound()]), *signals) == [(0, "go"), (1000, "go")]


@given(first=bounce, then=bounce)
def test_what_has_to_be_held_acts_once_after_half_a_second_in_spite_of_bounces(first, then):
    signals = [*contact(0, first), *opening(900, then)]
    assert pressed(Guards([bound(STOP)]), *signals) == [(500, "stop")]
    assert pressed(Guards([bound(STOP)]), *contact(0, first), *opening(450, then)) == []


@given(stuck=st.integers(0, 2000), let_go=st.integers(70, 2500))
def test_a_short_press_whose_end_is_held_up_on_its_way_is_no_long_one(stuck, let_go):
    known = [0.0]
    guards = Guards([bound(STOP)], known=lambda port: known[0])
    acts = guards.hit(down(), 0, NOW)
    for at in range(0, 2001, 10):
        known[0] = min(at, stuck)
        acts += guards.hit(up(), let_go, NOW) if let_go <= stuck and at - 10 < let_go <= at else []
        acts += guards.due(at, NOW)
    known[0] = 3000
    acts += [*(guards.hit(up(), let_go, NOW) if let_go > stuck else []), *guards.due(3000, NOW)]
    # What was not known to be held within half a second more is not done late.
    assert [a.press for a in acts] in (
        [["stop"]] if min(stuck, let_go) >= HOLD_MS else [[], ["stop"]] if let_go >= HOLD_MS else [[]]
    )


@given(pause=st.integers(0, 5000))
def test_a_short_press_that_is_known_of_too_late_is_none(pause):
    """The page's line is lost just after a press that waits to be seen to be no bounce; minutes later it is back."""
    known = [0.0]
    guards = Guards([bound(GO, long=STOP)], known=lambda port: known[0])
    guards.hit(down(), 0, NOW)
    known[0] = 40
    guards.hit(up(), 40, NOW)
    acts = [act for at in range(40, 40 + pause, 10) for act in guards.due(at, NOW)]
    known[0] = 40 + pause
    acts += guards.due(40 + pause, NOW)
    if pause > UNKNOWN_MS + 10:
        assert acts == []
    elif pause <= UNKNOWN_MS:
        assert [a.press for a in acts] == ["go"] * (pause >= BOUNCE_MS)


def test_the_band_says_what_is_held():
    assert pressed(Guards([bound(STOP, hold=False)]), (0, down()), (100, up())) == [(0, "stop")]
    assert pressed(Guards([bound(GO, hold=True)]), (0, down()), (700, up())) == [(500, "go")]


def test_a_long_press_is_another_one():
    guards = Guards([bound(GO, long=PULL)])
    assert pressed(guards, (0, down()), (200, up()), (1000, down()), (1700, up())) == [
        (260, "go"),
        (1500, "pull_house"),
    ]


def test_a_key_that_repeats_presses_once_and_a_pad_that_never_says_it_is_let_go_each_time():
    key = Control("Keys", "key", key="PageDown")
    repeats = [(0, down(key)), *((500 + 33 * i, down(key)) for i in range(20)), (1300, up(key))]
    assert pressed(Guards([bound(control=key)]), *repeats) == [(0, "go")]
    assert len(pressed(Guards([bound()]), *((300 * i, down()) for i in range(4)))) == 4


def test_a_soft_hit_is_none_and_a_switch_that_opens_is_pressed_when_it_does():
    guards = Guards([bound(threshold=40)])
    assert pressed(guards, (0, down(value=39)), (300, up()), (600, down(value=40))) == [(600, "go")]
    opens = Guards([bound(control=PEDAL, opens=True)])
    assert pressed(opens, (0, Signal(PEDAL, 127)), (300, Signal(PEDAL, 0)), (600, Signal(PEDAL, 127))) == [(300, "go")]


def test_a_pedal_that_slides_presses_once_as_it_passes_the_middle():
    slide = [(10 * i, Signal(PEDAL, 6 * i)) for i in range(22)] + [(600, Signal(PEDAL, 0)), (900, Signal(PEDAL, 127))]
    assert [p for _, p in pressed(Guards([bound(control=PEDAL)]), *slide)] == ["go", "go"]


def test_a_program_is_a_press():
    program = Control("Box", "program", 1, 5)
    twice = [(0, Signal(program, 127)), (30, Signal(program, 127)), (500, Signal(program, 127))]
    assert pressed(Guards([bound(control=program)]), *twice) == [(0, "go"), (500, "go")]


def test_of_a_port_that_is_lost_nothing_is_held_any_more():
    guards = Guards([bound(STOP)])
    guards.hit(down(), 0, NOW)
    guards.lost("Box")
    assert guards.due(800, NOW) == []
    assert pressed(guards, (1000, down()), (1900, up())) == [(1500, "stop")]


# --- bindings -------------------------------------------------------------------------------------


def test_banks_fill_themselves_and_a_place_without_anything_does_nothing():
    def does(bank, place, now=NOW):
        return [(a.press, a.args) for a in Guards([bound(BankDoes(bank, place))]).hit(down(), 0, now)]

    assert does("sections", 1) == [("go_to", {"step": 1, "when": "section_end"})]
    assert does("sections", 3) == []
    assert does("songs", 0) == [("stand_by", {"entry": 4})]
    assert does("songs", 0, NOW._replace(moving=True)) == [("play_after", {"entry": 4})]
    assert does("palette", 1) == [("say", {"word": "Build"})]
    assert does("sounds", 0) == [("fire", {"sound": "gong"})]


def test_a_songs_own_binding_is_in_place_of_the_bands_in_that_song_alone():
    band, own = bound(GO), Binding(id="own", control=PAD, does=PULL, song="moth")
    assert active([own, band], "moth")[PAD] is own
    assert active([own, band], "other")[PAD] is band
    guards = Guards([own, band])
    assert [a.press for a in guards.hit(down(), 0, NOW)] == ["pull_house"]
    assert [a.press for a in guards.hit(down(), 500, NOW._replace(song="other"))] == ["go"]


def test_two_bindings_of_one_control_are_a_clash_unless_one_is_a_songs():
    a, b, c = bound(GO), bound(STOP), bound(PULL, song="moth")
    assert clashes([a, b, c]) == [(a, b)]
    fine = Binding(id="f", control=FADER, does=LevelDoes("click"), encoding="fine")
    assert clashes([fine, bound(control=replace(FADER, number=39))]) != []


# --- several presses, pages, lights ---------------------------------------------------------------

HOUSE = FirstOf((PressDoes("pull_house"), PressDoes("bring_back")))
GO_ON = FirstOf((GO, PressDoes("resume")))


def acts(does, now):
    return [a.press for a in Guards([bound(does)]).hit(down(), 0, now)]


def test_the_first_press_that_can_be_taken_and_changes_anything_is_made():
    assert acts(HOUSE, NOW) == ["pull_house"]
    assert acts(HOUSE, NOW._replace(on=frozenset({"pull_house"}))) == ["bring_back"]
    assert acts(GO_ON, NOW._replace(unavailable=frozenset({"go"}))) == ["resume"]
    # Where none can, the engine says why of the last.
    assert acts(GO_ON, NOW._replace(unavailable=frozenset({"go", "resume"}))) == ["resume"]


def test_a_section_is_played_at_its_next_step_and_one_that_is_gone_does_nothing():
    now = NOW._replace(sections=("a", "b", "a", "c"), step=1)
    verse = Guards([bound(SectionDoes("a", "next_bar"))])
    assert [a.args for a in verse.hit(down(), 0, now)] == [{"step": 2, "when": "next_bar"}]
    assert [a.args["step"] for a in verse.hit(down(), 900, now._replace(step=3))] == [0]
    assert acts(SectionDoes("gone"), now) == []


def test_pads_have_pages_and_a_song_of_its_own_goes_before():
    third = Control("Box", "note", 10, 38)
    guards = Guards(
        [
            Binding(id="1", control=PAD, does=GO, page=1),
            Binding(id="2", control=PAD, does=STOP, page=2, hold=False),
            Binding(id="all", control=third, does=PageDoes()),
        ]
    )
    assert [a.press for a in guards.hit(down(), 0, NOW)] == ["go"]
    guards.hit(down(third), 100, NOW)
    assert guards.pages == {"Box": 2}
    assert [a.press for a in guards.hit(down(), 500, NOW)] == ["stop"]
    guards.hit(up(third), 600, NOW)
    guards.hit(down(third), 900, NOW)
    assert guards.pages == {"Box": 1}
    # Fewer pages than the one that is shown: the first.
    guards.hit(up(third), 1000, NOW)
    guards.hit(down(third), 1300, NOW)
    guards.bind([bound(GO)])
    assert guards.pages == {}


def test_lights_show_what_plays_comes_was_asked_for_and_stands():
    now = NOW._replace(moving=True, step=0, following=1, entry=4, next_entry=1)
    section = [BankDoes("sections", i) for i in range(4)]
    assert [light_of(s, now) for s in section] == ["playing", "next", "ready", "off"]
    assert light_of(section[1], now._replace(asked=True)) == "asked"
    assert light_of(section[2], now._replace(unavailable=frozenset({"go_to"}))) == "off"
    assert light_of(HOUSE, now) == "ready"
    assert light_of(HOUSE, now._replace(on=frozenset({"pull_house"}))) == "on"
    assert [light_of(BankDoes("songs", i), now) for i in range(3)] == ["playing", "next", "off"]
    assert light_of(BankDoes("sounds", 0), now._replace(ringing=frozenset({"gong"}))) == "playing"
    assert light_of(GO_ON, now._replace(unavailable=frozenset({"go"}))) == "playing"
    assert light_of(GO, Now()) == "off"


@given(
    st.dictionaries(st.integers(0, 5), st.sampled_from(LIGHTS)),
    st.dictionaries(st.integers(0, 5), st.sampled_from(LIGHTS)),
)
def test_changes_of_lights_bring_one_picture_to_the_other(before, after):
    pads = {i: Control("Box", "note", 10, i) for i in range(6)}
    old, new = ({pads[i]: light for i, light in lit.items()} for lit in (before, after))
    shown = {**old, **changed(old, new)}
    assert {c: light for c, light in shown.items() if light != "off"} == {c: x for c, x in new.items() if x != "off"}


def test_a_light_is_set_as_the_control_speaks_or_as_the_band_says():
    usual = LightRule(port="Box")
    assert light_bytes(PAD, "playing", usual) == bytes((0x99, 36, 127))
    assert light_bytes(PEDAL, "off", usual) == bytes((0xB0, 64, 0))
    assert light_bytes(PAD, "next", LightRule(port="Box", by="controller", channel=3, next=9)) == bytes((0xB2, 36, 9))


# --- the document ---------------------------------------------------------------------------------


@pytest.mark.parametrize("name", STARTERS)
def test_starter_sets_are_read_as_they_are_written_and_leave_no_clash(name):
    numbers = iter(range(99))
    hands = with_all(Hands(), starter(name, "Box", lambda: f"b{next(numbers)}"))
    assert clashes(hands.bindings) == []
    assert read_hands(as_data(hands)) == hands


@given(
    st.recursive(
        st.none() | st.booleans() | st.integers() | st.text(max_size=5),
        lambda x: (
            st.lists(x, max_size=3)
            | st.dictionaries(
                st.sampled_from(["bindings", "does", "control", "port", "kind", "id", "lights"]), x, max_size=4
            )
        ),
        max_leaves=12,
    )
)
def test_whatever_stands_in_a_file_it_is_read_or_refused_in_a_sentence(document):
    if not isinstance(document, dict):
        return
    try:
        read_hands(document)
    except Refused as refused:
        assert all(p.message.endswith(".") for p in refused.problems)
