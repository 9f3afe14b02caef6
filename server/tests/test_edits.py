"""Edits of a song whatever they are given: a sentence or a change that undo takes back, never a broken song."""

import json
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from songs.edits import EDITS
from songs.models import Song
from songs.rows import snapshot

OPENAPI = json.loads((Path(__file__).parents[1] / "openapi.json").read_text())["components"]["schemas"]

SCALARS = st.one_of(
    st.none(),
    st.booleans(),
    st.integers(-3, 70),
    st.floats(allow_nan=False, allow_infinity=False, width=32),
    st.sampled_from(["", "120", "4/4", "7/8 2+2+3", "Am | G", "always", "vamp", "1e999", "\x00", "x" * 300]),
)
VALUES = st.one_of(SCALARS, st.lists(SCALARS, max_size=3), st.dictionaries(st.text(max_size=3), SCALARS, max_size=2))


def names_of(edit):
    return sorted(EDITS[edit].arguments.__annotations__)


@pytest.mark.parametrize("edit", sorted(EDITS))
def test_an_edit_is_documented_with_its_arguments(edit):
    request = OPENAPI["EditRequest"]["discriminator"]["mapping"][edit]
    arguments = OPENAPI[named(request)]["properties"]["args"]["$ref"]
    assert sorted(OPENAPI[named(arguments)].get("properties", {})) == names_of(edit)


def named(reference):
    return reference.rsplit("/", 1)[1]


@pytest.mark.parametrize("edit", sorted(EDITS))
@settings(max_examples=12, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_an_edit_of_anything_is_taken_or_refused_whole(ines, edit, data):
    song = ines.song()
    before = snapshot(Song.objects.get(pk=song["id"]))
    fields = st.dictionaries(st.sampled_from(names_of(edit) or ["x"]), VALUES, max_size=5)
    args = data.draw(fields)
    for name in ("section", "first_section"):
        if name in args and data.draw(st.booleans()):
            args[name] = song["sections"][0]["id"]
    answer = ines.edit(song, edit, **args)
    assert answer.status_code in (200, 400, 409), answer.content
    if answer.status_code != 200:
        problem = answer.json()["problems"][0]
        assert problem["message"].rstrip().endswith((".", "?"))
        assert snapshot(Song.objects.get(pk=song["id"])) == before
        return
    # Whatever was taken can be read on every page, and taken back.
    for page in ("", "chart/", "click/", "sheet/"):
        assert ines.get(f"songs/{song['id']}/{page}").status_code == 200
    if answer.json()["can_undo"]:
        assert ines.post(f"songs/{song['id']}/undo/").status_code == 200
        assert snapshot(Song.objects.get(pk=song["id"])) == before


@pytest.mark.parametrize("body", [{}, {"do": 7}, {"do": "dance"}, {"do": "set_tempo", "args": []}, {"do": None}])
def test_an_edit_that_is_none_gets_a_sentence(ines, body):
    song = ines.song()
    answer = ines.post(f"songs/{song['id']}/edits/", body)
    assert answer.status_code == 400
    assert answer.json()["problems"][0]["message"].endswith(".")
