"""Rule S4: linear timecode read back by libltc, which others made (Debian's libltc11, a tool of the tests alone)."""

import ctypes
import ctypes.util

import numpy as np
import pytest
from material import RATE
from test_timecode_sound import made, position, sounded

from upbeat.messages.timecode import RATES, Label, label_of, linear, number_of, parse_label


class Word(ctypes.Structure):
    """``LTCFrameExt`` of ltc.h: 80 bits as three numbers, where they began and ended, and what of it we do not read."""

    _fields_ = [
        ("bits", ctypes.c_uint32 * 3),
        ("off_start", ctypes.c_longlong),
        ("off_end", ctypes.c_longlong),
        ("reverse", ctypes.c_int),
        ("biphase_tics", ctypes.c_float * 80),
        ("sample_min", ctypes.c_ubyte),
        ("sample_max", ctypes.c_ubyte),
        ("volume", ctypes.c_double),
    ]


class Time(ctypes.Structure):
    """``SMPTETimecode`` of ltc.h."""

    _fields_ = [("timezone", ctypes.c_char * 6)] + [
        (name, ctypes.c_ubyte) for name in ("years", "months", "days", "hours", "mins", "secs", "frame")
    ]


DROP = 1 << 10  # bit 10 of the word


@pytest.fixture(scope="module")
def libltc():
    name = ctypes.util.find_library("ltc")
    assert name, "libltc is missing: run ./setup --tests"
    library = ctypes.CDLL(name)
    library.ltc_decoder_create.restype = ctypes.c_void_p
    return library


def read(libltc, sound, fps):
    """(sample at which it begins, label, drop flag) of every frame in (frames,) float32."""
    sound = np.ascontiguousarray(sound, dtype=np.float32)
    decoder = ctypes.c_void_p(libltc.ltc_decoder_create(round(RATE / float(RATES[fps])), 4096))
    found, word, time = [], Word(), Time()
    libltc.ltc_decoder_write_float(
        decoder, sound.ctypes.data_as(ctypes.c_void_p), ctypes.c_size_t(len(sound)), ctypes.c_longlong(0)
    )
    while libltc.ltc_decoder_read(decoder, ctypes.byref(word)):
        libltc.ltc_frame_to_time(ctypes.byref(time), ctypes.byref(word), 0)
        label = Label(time.hours, time.mins, time.secs, time.frame)
        assert not word.reverse
        found.append((word.off_start, label, bool(word.bits[0] & DROP)))
    libltc.ltc_decoder_free(decoder)
    return found


@pytest.mark.parametrize("fps", RATES)
@pytest.mark.parametrize("first", ["00:00:58:05", "09:59:58:07", "23:59:58:00"])
def test_every_frame_is_read_at_its_time_over_the_edge_of_a_minute_an_hour_and_a_day(libltc, fps, first):
    begin = number_of(parse_label(first, fps), fps)
    found = read(libltc, linear(begin, fps, 0, 5 * RATE, RATE), fps)
    assert len(found) >= 4.8 * RATES[fps]
    day = 24 * number_of(Label(1, 0, 0, 0), fps)
    n = (number_of(found[0][1], fps) - begin) % day
    assert n <= 2
    for at, label, drop in found:
        assert label == label_of((begin + n) % day, fps)
        assert drop is (fps == "29.97df")
        assert abs(at - n * RATE / float(RATES[fps])) < 0.01 * RATE / float(RATES[fps])
        n += 1


def test_drop_frame_is_right_over_an_hour(libltc):
    sound = linear(0, "29.97df", 0, 3601 * RATE, RATE)
    found = read(libltc, sound, "29.97df")
    numbers = [number_of(label, "29.97df") for _, label, _ in found]
    assert numbers == list(range(numbers[0], numbers[0] + len(numbers)))
    hour = next(at for at, label, _ in found if label == Label(1, 0, 0, 0))
    assert abs(hour - 3600 * RATE) < 0.0036 * 2 * RATE  # by its definition 3.6 ms early


@pytest.mark.parametrize("fps", RATES)
def test_at_the_socket_it_is_the_place_of_the_song_before_and_after_a_jump(libltc, tmp_path, fps):
    presses = [(0, "go", {}), (5 * RATE, "go_to", {"step": 2, "when": "next_bar"})]
    sound, runs = sounded(made(tmp_path, fps), presses, 1000, seconds=14)
    first, length = number_of(parse_label("00:59:58:10", fps), fps), RATE / float(RATES[fps])
    cuts = sorted({r.out_start for r in runs if r.out_start < sound.shape[1]})
    counted = 0
    for a, b in zip(cuts, [*cuts[1:], sound.shape[1]], strict=True):
        for at, label, _ in read(libltc, sound[3, a:b], fps):
            counted += 1
            assert abs(position(runs, a + at) - (number_of(label, fps) - first) * length) < 0.5 * length
    assert counted > 6 * RATES[fps]
