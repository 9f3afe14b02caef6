"""The shelf of loops: what ships is what it says, and what is brought is measured."""

from fractions import Fraction

import numpy as np
import pytest
from material import RATE

from upbeat.errors import Refused
from upbeat.mix.laid import laid
from upbeat.shelf.measure import measured_loop, relabelled
from upbeat.shelf.shipped import shipped, shipped_by, sound_of
from upbeat.show.document import read_song


def test_at_least_forty_ship_with_drones_in_every_key():
    assert len(shipped()) >= 40
    assert len({s.code for s in shipped()}) == len({s.name for s in shipped()}) == len(shipped())
    assert {s.tonic for s in shipped() if s.family == "pads"} == set(range(12))
    families = {s.family for s in shipped()}
    assert {"shakers", "claps", "tambourines", "toms", "kicks", "snaps", "shouts", "pads"} <= families


STRUCK = [s for s in shipped() if s.layer.kind == "struck"]


@pytest.mark.parametrize("one", STRUCK, ids=lambda s: s.code)
def test_what_ships_has_its_bars_and_its_attacks_and_is_found_so_when_it_is_brought(one):
    sound = sound_of(one.code, RATE)
    assert np.array_equal(sound, sound_of(one.code, RATE))
    assert len(sound) == round(one.layer.seconds * RATE)
    assert 0.49 < np.abs(sound).max() <= 0.502
    # Looked for in the samples: where each stroke is said to be the sound rises.
    size = np.abs(sound).max(axis=1)
    for at in one.layer.attacks:
        frame = round(at * RATE)
        after = size[frame : frame + 480].max()
        assert after > 0.04
        assert after > 1.3 * (size[max(0, frame - 96) : max(0, frame - 2)].sum() / 94) or one.code == "toms-roll"
    found = measured_loop(f"{one.code} {one.layer.meter.numerator}-{one.layer.meter.denominator}.wav", sound, RATE)
    if one.family not in ("shouts", "pads"):
        assert found.kind == "struck"
        off = [min(abs(a - b) for b in found.attacks) for a in one.layer.attacks]
        assert max(off) <= 0.004
    if len(one.layer.attacks) > 3 and "swing" not in one.code:
        assert (found.bars, found.meter) == (one.layer.bars, one.layer.meter)
        assert abs(float(found.bpm) - float(one.layer.bpm)) < 0.05


def test_a_pad_of_the_shelf_is_in_its_key():
    for tonic, hz in ((0, 130.81), (9, 110.0)):
        sound = sound_of(f"warm-{tonic}", RATE)[:, 0]
        spectrum = np.abs(np.fft.rfft(sound[: 4 * RATE] * np.hanning(4 * RATE)))
        strong = np.flatnonzero(spectrum > 0.2 * spectrum.max()) / 4
        assert min(abs(1200 * np.log2(strong / hz))) < 15
    assert shipped_by("warm-9").layer.kind == "held"


def test_tones_that_sound_on_are_tonal_and_one_that_never_ends_is_held():
    t = np.arange(8 * RATE) / RATE
    step = np.floor(t / 0.5)
    hz = 220 * 2 ** (np.array([0, 3, 7, 10])[(step % 4).astype(int)] / 12)
    notes = 0.3 * np.sin(2 * np.pi * np.cumsum(hz) / RATE) * np.minimum(1, (t % 0.5) / 0.004) * np.exp(-0.8 * (t % 0.5))
    found = measured_loop("arpeggio.wav", notes[:, None].astype(np.float32), RATE)
    assert (found.kind, found.bars, str(found.meter), float(found.bpm)) == ("tonal", 4, "4/4", 120.0)
    drone = 0.2 * np.sin(2 * np.pi * 110 * t) + 0.1 * np.sin(2 * np.pi * 165 * t)
    assert measured_loop("drone.wav", drone[:, None].astype(np.float32), RATE).kind == "held"


def test_a_tempo_and_a_metre_in_the_name_are_believed():
    sound = sound_of("kick-four", RATE)
    assert float(measured_loop("kick_60bpm.wav", sound, RATE).bpm) == 60.0
    found = measured_loop("kick 6-8 90 BPM.wav", sound, RATE)
    assert (str(found.meter), found.bars) == ("6/8", 1)


def test_what_is_no_loop_is_refused_in_a_sentence():
    hum = np.full((RATE // 10, 1), 0.1, np.float32)
    with pytest.raises(Refused, match="Cut it to whole bars"):
        measured_loop("short.wav", hum, RATE)
    with pytest.raises(Refused, match="Nothing is heard in “quiet.wav”"):
        measured_loop("quiet.wav", np.zeros((4 * RATE, 2), np.float32), RATE)
    loop = shipped_by("kick-four").layer
    with pytest.raises(Refused, match="not 0"):
        relabelled(loop, 2.0, bars=0, meter="4/4")
    with pytest.raises(Refused, match="Choose another number of bars"):
        relabelled(loop, 2.0, bars=8, meter="4/4")
    assert relabelled(loop, 2.0, bars=1, meter="5/4").bpm == 150
    with pytest.raises(Refused, match="not on the shelf"):
        shipped_by("kazoo")


def test_a_shipped_loop_follows_an_odd_song_to_the_frame():
    """Claps in six under bars of five: cut, their stroke half a bar after the bar line."""
    song = read_song(
        {
            "id": "s",
            "title": "S",
            "tempo": [{"bar": 1, "bpm": "97.3"}, {"bar": 3, "bpm": "131", "ramp": True}],
            "meters": [{"bar": 1, "meter": "5/8"}],
            "sections": [{"id": "a", "name": "A", "bars": 6}],
        }
    )
    one = shipped_by("clap-6")
    pcm = laid(one.layer, song, sound_of(one.code, RATE), RATE)
    size = np.abs(pcm[0 : len(pcm)]).max(axis=1)
    starts = song.grid.frames([song.grid.meters.bar_start(bar) + Fraction(3, 2) for bar in range(1, 7)], RATE)
    for frame in starts:
        assert size[frame - 30 : frame].max() < 0.01
        assert size[frame : frame + 20].max() > 0.1
