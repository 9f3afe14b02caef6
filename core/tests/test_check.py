"""Sound that is not as it was prepared any more is found when a show is loaded."""

import os

import numpy as np
import pytest
from material import RATE, show, song

from upbeat.audio.prepare import prepare
from upbeat.show.check import harmed_files
from upbeat.show.document import read_show


@pytest.fixture
def prepared(tmp_path):
    """A show of two prepared stems, and their folder."""
    import soundfile

    stems = []
    for i, name in enumerate(("bass", "keys")):
        noise = np.random.default_rng(i).uniform(-0.5, 0.5, (RATE, 2))
        soundfile.write(tmp_path / "in.wav", noise, RATE, subtype="PCM_16")
        made = prepare(tmp_path / "in.wav", tmp_path / f"{name}.wav", RATE)
        stems.append({"id": name, "name": name, "file": f"{name}.wav", "group": "tonal", "crc32": made.crc32})
    return read_show(show(song(stems=stems))), tmp_path


def test_what_was_prepared_is_whole(prepared):
    assert harmed_files(*prepared) == []


def change_a_sample(path):
    with open(path, "r+b") as file:
        file.seek(-3, os.SEEK_END)
        byte = file.read(1)
        file.seek(-3, os.SEEK_END)
        file.write(bytes([byte[0] ^ 1]))


HARMS = {
    "one bit": change_a_sample,
    "half": lambda p: os.truncate(p, p.stat().st_size // 2),
    "emptied": lambda p: os.truncate(p, 0),
    "deleted": lambda p: p.unlink(),
    "another": lambda p: p.write_bytes(b"nothing of the kind"),
    "a folder": lambda p: (p.unlink(), p.mkdir()),
}


@pytest.mark.parametrize("harm", HARMS)
def test_what_was_harmed_is_named(prepared, harm):
    HARMS[harm](prepared[1] / "bass.wav")
    assert harmed_files(*prepared) == ["bass.wav"]


def test_without_a_checksum_a_file_has_to_be_there(prepared):
    document = show(song(stems=[{"id": "x", "name": "X", "file": "x.wav", "group": "tonal"}]))
    assert harmed_files(read_show(document), prepared[1]) == ["x.wav"]
