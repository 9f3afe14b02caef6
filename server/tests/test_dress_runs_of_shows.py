"""The dress run over the API: run in the worker, mended by a press, left with a reason, run again where it changed."""

import numpy as np
import pytest
from material import RATE, write_wav

from jobs import command
from jobs.models import Job
from shows import tasks
from shows.models import DressRun


def noise(folder, level, seconds=16, seed=1):
    """Bytes of a WAV of noise."""
    sound = np.random.default_rng(seed).uniform(-level, level, (seconds * RATE, 2)).astype(np.float32)
    return write_wav(folder / f"noise-{seed}-{level}.wav", sound, RATE, np.int16).read_bytes()


@pytest.fixture
def show(ines, tmp_path):
    """Three songs of two stems on four sockets; the second is far too loud."""
    feeds = {f["name"]: f["id"] for f in ines.post("feeds/usual/").json()}
    songs = []
    for i, level in enumerate((0.2, 0.9, 0.2)):
        song = ines.song(title=f"Song {i + 1}")
        for k, name in enumerate(("Drums", "Keys")):
            ines.imported(song, f"{name}.wav", noise(tmp_path, level, seed=10 * i + k))
        songs.append(ines.edit(song, "set_facts", calls=False, count_in_aloud=False).json())
    wires = [
        ("House rhythm", "left", 1),
        ("House rhythm", "right", 2),
        ("House tonal", "left", 3),
        ("Click", "mono", 4),
    ]
    patches = [{"feed": feeds[name], "side": side, "socket": number} for name, side, number in wires]
    rig = ines.post(
        "rigs/", {"name": "Rig", "sockets": [{"number": n} for n in (1, 2, 3, 4)], "patches": patches}
    ).json()
    setlist = ines.post("setlists/", {"name": "L", "entries": [{"song": s["id"]} for s in songs]}).json()
    made = ines.post("shows/", {"title": "Thursday", "setlist": setlist["id"], "rig": rig["id"]}).json()
    return {**made, "songs": songs, "setlist_row": setlist}


def path(show, more=""):
    return f"shows/{show['id']}/dress-run/{more}"


def run(member, show):
    """As the worker does it, here and now."""
    assert member.post(path(show)).status_code == 200
    work(show)
    answer = member.get(path(show)).json()
    assert answer["state"] == "done", answer["message"]
    return answer


def work(show):
    for row in DressRun.objects.filter(show=show["id"], state=Job.State.WORKING):
        tasks.run_dress(row.pk)


def of(answer, code):
    return [f for f in answer["faults"] if f["code"] == code]


def test_it_is_run_mended_by_a_press_and_clean(ines, show):
    assert ines.get(path(show)).json()["state"] == "none"
    answer = run(ines, show)
    overloads = of(answer, "overload")
    assert {(f["entry"], f["song"], f["severity"]) for f in overloads} == {(2, show["songs"][1]["id"], "wrong")}
    assert [s["carries"] for s in answer["sockets"]] == ["House rhythm", "House rhythm", "House tonal", "Click"]
    assert answer["counts"]["files"] == 6
    assert [e["title"] for e in answer["entries"]] == ["Song 1", "Song 2", "Song 3"]
    down = overloads[0]["mend"]["value"]
    assert ines.post(path(show, "mend/"), {"fault": overloads[0]["key"]}).json()["state"] == "working"
    work(show)
    again = ines.get(path(show)).json()
    assert of(again, "overload") == []
    song = ines.get(f"songs/{show['songs'][1]['id']}/").json()
    assert song["gain_db"] == pytest.approx(-down)
    assert again["sockets"][0]["true_peak_dbtp"] <= -1


def test_what_was_edited_since_is_told_and_only_that_is_played_again(ines, show, monkeypatch):
    first = run(ines, show)
    assert first["changed"] == []
    ines.edit(show["songs"][0], "set_level", gain_db=-3.0)
    assert [c["kind"] for c in ines.get(path(show)).json()["changed"]] == ["song_level"]
    keys = set(DressRun.objects.get(show=show["id"]).kept)
    second = run(ines, show)
    assert second["changed"] == []
    fresh = set(DressRun.objects.get(show=show["id"]).kept)
    assert len(keys & fresh) == 3  # two songs, and the version
    assert second["entries"][1] == first["entries"][1]
    assert second["entries"][0]["integrated_lufs"] == pytest.approx(
        first["entries"][0]["integrated_lufs"] - 3, abs=0.01
    )


def test_a_fault_is_left_with_a_reason_and_taken_up_again(ines, show):
    answer = run(ines, show)
    fault = of(answer, "overload")[0]["key"]
    left = ines.post(path(show, "leave/"), {"fault": fault, "reason": "The desk has a limiter"}).json()
    assert [(f["left"], f["by"]) for f in left["faults"] if f["key"] == fault] == [("The desk has a limiter", "Ines")]
    # It stays left in the next run, also where the order is another.
    rows = [{"song": e["song"], "id": e["id"]} for e in reversed(show["setlist_row"]["entries"])]
    assert ines.patch(f"setlists/{show['setlist']}/", {"entries": rows}).status_code == 200
    assert [f["left"] for f in run(ines, show)["faults"] if f["key"] == fault] == ["The desk has a limiter"]
    back = ines.post(path(show, "leave/"), {"fault": fault, "reason": " "}).json()
    assert [f["left"] for f in back["faults"] if f["key"] == fault] == [""]
    refused = ines.post(path(show, "leave/"), {"fault": "x" * 64, "reason": "Why not"})
    assert refused.json()["problems"][0]["code"] == "fault-gone"


def test_a_stem_that_is_gone_from_the_disk_is_found(ines, show):
    from songs.models import Stem

    stem = Stem.objects.filter(song=show["songs"][2]["id"]).first()
    stem.audio.prepared.unlink()
    (missing,) = of(run(ines, show), "file-missing")
    assert (missing["entry"], missing["severity"]) == (3, "wrong")
    assert stem.name in missing["message"]


def test_a_run_is_called_off_and_leaves_nothing(ines, show, settings, monkeypatch):
    before = run(ines, show)
    ines.edit(show["songs"][0], "set_level", gain_db=-3.0)
    ines.post(path(show))
    told = command._told

    def called_off(row, line):
        ines.delete(path(show))
        return told(row, line)

    monkeypatch.setattr(command, "_told", called_off)
    work(show)
    answer = ines.get(path(show)).json()
    assert (answer["state"], answer["at"]) == ("done", before["at"])
    assert DressRun.objects.filter(show=show["id"]).count() == 1
    assert list((settings.MEDIA / "dress-runs").iterdir()) == []


def test_each_mend_changes_what_it_says(ines, show):
    from django.contrib.auth import get_user_model

    from shows.mends import mend
    from shows.models import Show

    row, user = Show.objects.get(pk=show["id"]), get_user_model().objects.get(pk=ines.user.pk)
    song, entry = show["songs"][0], show["setlist_row"]["entries"][0]
    feed = next(f for f in ines.get("feeds/").json() if f["name"] == "Click")

    def do(kind, what, value=0.0):
        mend(row, user, {"kind": kind, "of": what, "value": value})
        return ines.get(f"songs/{song['id']}/").json()

    assert do("turn_up", song["id"], 2.5)["gain_db"] == 2.5
    assert do("turn_down", song["id"], 1.0)["gain_db"] == 1.5
    assert do("crossfade", song["id"], 40)["crossfade_ms"] == 40
    assert do("ring_on", song["id"], 0.5)["ring_on_s"] == 0.5
    stem = do("crossfade", song["id"], 40)["stems"][0]
    assert do("rehearsal_only", stem["id"])["stems"][0]["purpose"] == "rehearsal"
    do("feed_down", feed["id"], 2.0)
    assert next(f for f in ines.get("feeds/").json() if f["id"] == feed["id"])["gain_db"] == feed["gain_db"] - 2
    form = ines.edit(song, "set_form", name="Short", steps=[{"section": song["sections"][0]["id"]}]).json()["forms"][-1]
    ines.patch(
        f"setlists/{show['setlist']}/", {"entries": [{**e, "link": "attacca"} for e in show["setlist_row"]["entries"]]}
    )
    do("link_wait", entry["id"])
    do("shorter_form", f"{entry['id']}:{form['id']}")
    now = next(s for s in ines.get("setlists/").json() if s["id"] == show["setlist"])
    assert (now["entries"][0]["link"], now["entries"][0]["form"]) == ("wait", form["id"])
    assert now["revision"] > show["setlist_row"]["revision"]


def test_another_band_and_a_show_of_nothing(ines, other, show):
    for answer in (other.get(path(show)), other.post(path(show)), other.delete(path(show))):
        assert answer.status_code == 404
    assert other.post(path(show, "mend/"), {"fault": "x"}).status_code == 404
    ines.patch(f"setlists/{show['setlist']}/", {"entries": []})
    refused = ines.post(path(show))
    assert refused.json()["problems"][0]["code"] == "show-empty"
    assert ines.get(path(show)).json()["state"] == "none"
