"""Rule S4: labels of timecode, and linear timecode that a decoder of our own reads back."""

import json

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from material import RATE, show, song

from upbeat.audio.pcm import open_prepared
from upbeat.cli import main as cli
from upbeat.errors import Refused
from upbeat.messages.timecode import RATES, Label, label_of, linear, number_of, parse_label

SYNC = "0011111111111101"


def decoded(sound, fps, sample_rate=RATE):
    """(sample of the frame's beginning, label, drop flag) of every whole frame, from the changes of sign alone."""
    crossings = np.flatnonzero(np.diff(np.signbit(sound))) + 1.0
    # Between two samples of other signs the change lies where the line between them is nought.
    a, b = sound[crossings.astype(int) - 1], sound[crossings.astype(int)]
    times = crossings - 1 + a / (a - b) + 0.5
    bit = sample_rate / (float(RATES[fps]) * 80)
    found, bits, starts, i = [], "", [], 0
    while i + 1 < len(times):
        gap = times[i + 1] - times[i]
        one = gap < 0.75 * bit
        bits += "1" if one else "0"
        starts.append(times[i])
        i += 2 if one else 1
        if bits.endswith(SYNC) and len(bits) >= 80:
            word = bits[-80:]

            def number(at, width, word=word):
                return int(word[at : at + width][::-1], 2)

            label = Label(
                *(10 * number(t, tw) + number(u, 4) for t, tw, u in ((56, 2, 48), (40, 3, 32), (24, 3, 16), (8, 2, 0)))
            )
            assert word.count("0") % 2 == 0
            found.append((starts[-80], label, word[10] == "1"))
    return found


@pytest.mark.parametrize("fps", RATES)
def test_linear_timecode_is_read_back_frame_by_frame_at_its_time(fps):
    first = Label(9, 59, 58, 7)
    found = decoded(linear(number_of(first, fps), fps, 0, 10 * RATE, RATE), fps)
    assert len(found) >= 9 * RATES[fps]
    for at, label, drop in found:
        n = number_of(label, fps) - number_of(first, fps)
        assert abs(at - n * RATE / float(RATES[fps])) < 1
        assert drop is (fps == "29.97df")
    numbers = [number_of(label, fps) for _, label, _ in found]
    assert numbers == list(range(numbers[0], numbers[0] + len(numbers)))


@pytest.mark.parametrize("fps", RATES)
@given(st.integers(0, 24 * 3600 * 24 - 1))
def test_numbers_and_labels_are_one_another(fps, number):
    label = label_of(number, fps)
    assert number_of(label, fps) == number
    assert parse_label(str(label), fps) == label


def test_drop_frame_keeps_to_the_clock_over_an_hour():
    hour = round(3600 * float(RATES["29.97df"]))
    assert str(label_of(hour, "29.97df")) == "01:00:00:00"
    assert [str(label_of(n, "29.97df")) for n in (1799, 1800, 17_981, 17_982)] == [
        "00:00:59:29", "00:01:00:02", "00:09:59:29", "00:10:00:00",
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("text", "fps"),
    [("25:00:00:00", "25"), ("01:00:00:25", "25"), ("1:00", "30"), ("00:01:00:00", "29.97df"), ("00:60:00:00", "24")],
)
def test_what_is_no_label_is_refused(text, fps):
    with pytest.raises(Refused, match="write"):
        parse_label(text, fps)


def test_the_timecode_of_an_entry_goes_where_the_song_goes(tmp_path, capsys):
    steps = [{"section": "a", "ending": {"kind": "repeat", "times": 2}}, {"section": "c"}]
    document = show(song(forms=[{"id": "f", "name": "F", "steps": steps}]), song(id="two"))
    (tmp_path / "show.json").write_text(json.dumps(document))
    out = tmp_path / "code.wav"
    assert cli(["timecode", str(tmp_path), "--entry", "1", "--out", str(out), "--fps", "30", "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["frames"] > 16 * RATE
    sound = np.asarray(open_prepared(out, RATE))[:, 0].astype(float)
    first = int(np.flatnonzero(sound)[0])
    bar = 2 * RATE
    # Three bars twice, then bars 7 and 8: the label is the song's position in every one of them.
    for played, place in ((0, 0), (3, 0), (6, 6), (7, 7)):
        part = decoded(sound[first + played * bar : first + (played + 1) * bar], "30")
        assert len(part) >= 57
        for at, label, _ in part:
            assert abs(at / RATE + 2 * place - number_of(label, "30") / 30 + 3600) < 0.5 / 30
    assert cli(["timecode", str(tmp_path), "--entry", "1", "--out", str(out), "--fps", "26"]) == 1
    assert "26" in capsys.readouterr().out
