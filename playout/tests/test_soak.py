"""A short soak: presses at random and renderers killed, and the recording held against the replay of its log."""

import sys
from pathlib import Path

import numpy as np
from material import RATE, ramp_stem, show, song, write_wav
from process import Running

sys.path.append(str(Path(__file__).resolve().parents[2] / "benchmarks"))
from soak import soak

BAR = 2 * RATE


def test_a_night_of_half_a_minute_is_what_its_log_says(tmp_path):
    folder = tmp_path / "evening"
    folder.mkdir()
    write_wav(folder / "ramp.wav", ramp_stem(9 * BAR))
    write_wav(folder / "noise.wav", np.random.default_rng(3).uniform(-0.2, 0.2, (9 * BAR, 2)))
    stems = [
        {"id": "r", "name": "Ramp", "file": "ramp.wav", "group": "rhythm", "pan": -1},
        {"id": "n", "name": "Noise", "file": "noise.wav", "group": "tonal"},
    ]
    steps = [{"section": "a"}, {"section": "b", "ending": {"kind": "vamp"}}, {"section": "c"}, {"section": "a"}]
    document = show(song(stems=stems, forms=[{"id": "f", "name": "F", "steps": steps}], calls=True))
    with Running(tmp_path, blocks=16) as engine:
        assert engine.load(document)["ok"]
        told = soak(engine, folder, seconds=25, kills=3, pause=(0.1, 1.0))
    print(told.words(RATE))
    assert told.killed == 3
    assert told.frames > 20 * RATE
    assert told.other == 0
    # A machine below that takes away more than the buffer is heard, and nothing else.
    assert told.missing == 0 or told.stolen_s > 0.05
    # At once is heard after two blocks, the one that is being given, and what the device holds.
    assert 0 < max(told.heard_after_ms) <= 1000 * (2 + 1 + 16) * 256 / RATE
