"""The line check (rule M11), found in the samples of every socket."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from material import RATE, ready, show, song, write_wav
from test_parts import Player

from upbeat.mix.sources.line_check import pink_noise
from upbeat.show.document import read_show
from upbeat.show.ready import line_check_words, needed_words

RAMP = round(0.005 * RATE)
FULL_SINE = 20 * np.log10(2**-0.5)


def rig(*sockets, **changes):
    """A show on sockets 1 to 4 and others; the fifth is for headphones, the sixth is not ours."""
    more = [{"number": 5, "headphones": True, "printed": "Phones"}, {"number": 6, "use": "kept"}]
    own = [{"number": n} for n in (1, 2, 3, 4)]
    return show(song(), rig={"sockets": [*own, *more, *sockets]}, **changes)


def dbfs(sound):
    """RMS where a full sine has 0 (AES17)."""
    return 20 * np.log10(np.sqrt(np.mean(np.square(sound, dtype=np.float64)))) - FULL_SINE


@pytest.fixture
def player(tmp_path):
    return Player(ready(rig(), tmp_path))


def test_m11_a_tone_is_on_one_socket_at_thirty_below_full_scale_and_nowhere_else(player):
    assert player.press("check_line").message == "Socket 1, House: a tone at −30 dBFS."
    player.to(RATE)
    line = player.sound[0, RAMP:]
    assert dbfs(line) == pytest.approx(-30, abs=0.01)
    assert np.argmax(np.abs(np.fft.rfft(line[: RATE // 2]))) == 500  # 1 kHz
    assert not player.sound[1:].any()


@pytest.mark.parametrize("kind", ["tone", "noise"])
def test_m11_its_level_is_what_it_says(player, kind):
    player.press("check_line", kind=kind)
    player.press("check_level", db=-20)
    player.to(5 * RATE)
    assert dbfs(player.sound[0, RATE:]) == pytest.approx(-20, abs=0.02)


def test_noise_has_the_same_power_in_every_octave_and_goes_round_without_a_seam():
    noise = pink_noise(RATE)
    power = np.square(np.abs(np.fft.rfft(noise)))
    hertz = np.fft.rfftfreq(len(noise), 1 / RATE)
    octaves = [power[(hertz >= f) & (hertz < 2 * f)].sum() for f in (40, 80, 160, 640, 2560, 8000)]
    assert 10 * np.log10(max(octaves) / min(octaves)) < 0.5
    steps = np.abs(np.diff(np.concatenate((noise[-100:], noise[:100]))))
    assert steps.max() <= np.abs(np.diff(noise)).max()
    assert np.abs(noise).max() <= 4


def test_m11_a_pulse_goes_up_and_down_where_every_wire_is_turned_round(tmp_path):
    document = rig()
    document["patch"][1]["invert"] = True
    player = Player(ready(document, tmp_path))
    player.press("check_line", kind="pulse")
    player.to(RATE)
    player.press("check_next")
    player.to(2 * RATE)
    first, second = player.sound[0, :RATE], player.sound[1, RATE + RAMP :]
    assert (first.max(), first.min()) == (pytest.approx(10 ** (-30 / 20), rel=0.01), 0)
    assert (second.min(), second.max()) == (pytest.approx(-(10 ** (-30 / 20)), rel=0.01), 0)
    assert len(np.flatnonzero((first[1:] > 0) & (first[:-1] == 0))) == 2  # twice a second


def test_m11_it_goes_through_its_sockets_by_press_and_leaves_out_what_is_not_ours(player):
    player.press("check_line", socket=4)
    player.to(RATE)
    said = player.press("check_next").message
    player.to(2 * RATE)
    assert said == "Socket 5, Phones: a tone at −30 dBFS."
    assert player.press("check_next").message == "The last socket is checked."
    player.to(3 * RATE)
    sounding = [(np.flatnonzero(row)[[0, -1]] // RATE).tolist() if row.any() else None for row in player.sound]
    assert sounding == [None, None, None, [0, 1], [1, 2], None]
    assert not player.sound[:, 2 * RATE + RAMP :].any()
    assert player.press("check_next").code == "line-check-off"


def test_m11_headphones_are_told_before_and_begin_no_louder_than_a_line_check_does(player):
    player.press("check_line", socket=3)
    player.press("check_level", db=-15)
    assert player.press("check_next").message.endswith("Socket 5, Phones, headphones, is next: off the ears.")
    player.to(RATE)
    player.press("check_next")
    player.to(2 * RATE)
    assert dbfs(player.sound[3, RAMP:RATE]) == pytest.approx(-15, abs=0.02)
    assert dbfs(player.sound[4, RATE + RAMP :]) == pytest.approx(-30, abs=0.02)
    assert player.press("check_level", db=-15).accepted  # by a hand that asks for it


@settings(max_examples=20)
@given(blocks=st.lists(st.integers(1, 30_000), min_size=5, max_size=12), every=st.sampled_from([1.0, 1.25]))
def test_m11_by_itself_it_goes_on_at_the_frame_however_it_is_rendered(tmp_path_factory, blocks, every):
    made = ready(rig(), tmp_path_factory.mktemp("rig"))
    player, other = Player(made, block=48_000), Player(made)
    for one in (player, other):
        one.press("check_line", kind="noise", every_s=every)
    total = 6 * RATE + 7
    player.to(total)
    for block in blocks:
        other.block = block
        other.to(min(total, other.state.head + block))
    other.block = 4800
    other.to(total)
    assert np.array_equal(player.sound, other.sound)
    each = round(every * RATE)
    for socket in range(5):
        heard = np.flatnonzero(player.sound[socket])
        last = min((socket + 1) * each + RAMP, total)
        assert (heard[0], heard[-1]) == (pytest.approx(socket * each, abs=2), pytest.approx(last, abs=3))
    assert not player.sound[5].any()


def test_m1_nothing_of_it_clicks(player):
    player.press("check_line")
    for at, name, args in ((0.3, "check_level", {"db": -12}), (0.5, "check_next", {}), (0.7, "check_end", {})):
        player.to(round(at * RATE) + 13)
        assert player.press(name, **args).accepted
    player.to(RATE)
    steepest = 10 ** (-12 / 20) * (2 * np.pi * 1000 / RATE + 1 / RAMP)
    assert np.abs(np.diff(player.sound, axis=1)).max() <= steepest
    assert not player.sound[:, round(0.7 * RATE) + 13 + RAMP :].any()


def test_m11_it_is_refused_while_a_song_plays_and_go_ends_it(player):
    player.press("check_line", socket=1)
    player.to(RATE)
    begin = player.go()
    assert player.press("check_line").code == "line-check-playing"
    assert not player.state.line.on
    player.to(begin + RATE)
    assert not player.sound[0, RATE + RAMP :].any()
    assert player.sound[2, begin : begin + 100].any()  # the click
    player.press("stop")
    assert player.press("check_line").accepted


def test_m11_stop_ends_it_and_the_song_stands_by_as_before(player):
    player.press("check_line")
    player.to(RATE)
    assert player.press("stop").message == "The line check is over."
    player.to(2 * RATE)
    assert not player.sound[:, RATE + RAMP :].any()
    assert player.state.status == "standby"
    assert player.press("stop").code == "stop-silent"


def test_m3_a_line_check_brings_no_click_into_the_house(tmp_path):
    """There is no click among its signals, and what is said on the spot stays where it belongs."""
    write_wav(tmp_path / "word.wav", np.full(RATE, 0.5, np.float32))
    document = rig(
        palette=["Hold"],
        words=[{"text": "Hold", "fast": fast, "file": "word.wav", "onset": 0} for fast in (False, True)],
    )
    player = Player(ready(document, tmp_path))
    for kind in ("click", "cues", "timecode"):
        assert player.press("check_line", kind=kind).code == "kind-unknown"
    player.press("check_line", socket=1)
    player.press("say", word="Hold")
    player.to(RATE // 2)
    assert dbfs(player.sound[0, RAMP:]) == pytest.approx(-30, abs=0.02)
    assert player.sound[3].max() == pytest.approx(0.5)


def test_m5_a_pulled_house_stays_silent(player):
    player.press("pull_house")
    player.press("check_line", socket=1)
    player.to(RATE)
    player.press("check_line", socket=3)
    player.to(2 * RATE)
    assert not player.sound[0].any()
    assert dbfs(player.sound[2, RATE + RAMP :]) == pytest.approx(-30, abs=0.01)


def test_m11_the_voice_says_the_number_and_the_name_again_and_again(tmp_path):
    write_wav(tmp_path / "word.wav", np.tile(np.float32([0.1, -0.1]), RATE // 4))
    document = rig(words=[{"text": "one. House", "fast": False, "file": "word.wav", "onset": 0}])
    player = Player(ready(document, tmp_path))
    player.press("check_line", kind="voice")
    player.to(3 * RATE)
    word, apart = RATE // 2, round(1.2 * RATE)
    assert dbfs(player.sound[0, RAMP:word]) == pytest.approx(-30, abs=0.05)
    heard = player.sound[0] != 0
    assert not heard[word:apart].any()
    assert heard[apart : apart + word].all()
    assert player.press("check_line", kind="voice", socket=3).code == "line-check-silent"


def test_the_words_of_a_line_check_are_asked_for_by_the_stage_alone():
    document = read_show(rig({"number": 17, "label": "Drum riser"}))
    assert line_check_words(document) == [
        "one. House",
        "two. House",
        "three. Click",
        "four. Cues",
        "five. Phones",
        "17. Drum riser",
    ]
    assert not set(line_check_words(document)) & set(needed_words(document))


@pytest.mark.parametrize(
    ("name", "args", "code"),
    [
        ("check_line", {"socket": 9}, "line-check-socket"),
        ("check_line", {"socket": 6}, "line-check-socket"),
        ("check_line", {"every_s": 0.2}, "line-check-range"),
        ("check_line", {"every_s": 1e9}, "line-check-range"),
        ("check_level", {"db": -3}, "line-check-range"),
        ("check_level", {"db": float("nan")}, "line-check-range"),
        ("check_next", {"by": -1}, "line-check-first"),
    ],
)
def test_what_a_line_check_does_not_take(player, name, args, code):
    player.press("check_line")
    before = player.state
    assert player.press(name, **args).code == code
    assert player.state == before


def test_a_rig_without_a_socket_of_ours_has_no_line_check(tmp_path):
    document = show(song(), rig={"sockets": [{"number": 1, "use": "kept"}]}, patch=[])
    assert Player(ready(document, tmp_path)).press("check_line").code == "line-check-nothing"


def test_p8_changes_taken_in_end_it_where_its_socket_is_gone(tmp_path):
    from upbeat.play.taking_in import taken_in

    before, after = ready(rig(), tmp_path), ready(show(song()), tmp_path)
    player = Player(before)
    player.press("check_line", socket=5)
    assert not taken_in(before.plan, after.plan, player.state).line.on
    player.press("check_line", socket=3)
    assert taken_in(before.plan, after.plan, player.state).line.socket == 3
