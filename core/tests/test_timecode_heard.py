"""What a receiver of MIDI timecode takes it for: the place at its time, whatever comes."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from upbeat.messages.timecode import RATES, label_of, number_of
from upbeat.messages.timecode_heard import TimecodeHeard
from upbeat.play.timecode import full_frame, quarter


@pytest.mark.parametrize("fps", RATES)
@given(number=st.integers(0, 24 * 3600 * 24 - 200), sets=st.integers(1, 4))
def test_the_place_is_that_of_the_clock_that_sent_it(fps, number, sets):
    heard, rate = TimecodeHeard(), float(RATES[fps])
    for n in range(8 * sets):
        heard.feed(bytes((0xF1, quarter(fps, number + 2 * (n // 8), n % 8))), n / (4 * rate))
    told = heard.told
    assert told.running
    assert told.fps == fps
    assert number_of(told.label, fps) == number + 2 * (sets - 1)
    assert told.seconds - number / rate == pytest.approx(told.at, abs=1e-6)


def test_a_full_frame_stands_and_a_set_that_lacks_a_piece_tells_nothing():
    heard = TimecodeHeard()
    heard.feed(bytes(full_frame("25", 5000)), 3.0)
    assert (str(heard.told.label), heard.told.seconds, heard.told.running) == (str(label_of(5000, "25")), 200.0, False)
    for n in (0, 1, 2, 4, 5, 6, 7):
        heard.feed(bytes((0xF1, quarter("25", 9000, n))), 4.0)
    assert heard.told.at == 3.0


@given(st.lists(st.binary(max_size=12), max_size=40))
def test_nonsense_is_borne(messages):
    heard = TimecodeHeard()
    for data in messages:
        heard.feed(data, 0.0)
