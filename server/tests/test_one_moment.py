"""What is read while somebody else edits is of one moment; what is kept beside a song is of the song as it is."""

from concurrent.futures import ThreadPoolExecutor

import pytest
from django.db import connection

from songs.models import Song
from songs.summary import keep_summary


def meanwhile(do):
    """Run ``do`` on a connection of its own, as another worker of the web server would."""
    from django.db import connections

    def run():
        try:
            return do()
        finally:
            connections.close_all()

    with ThreadPoolExecutor(1) as other:
        return other.submit(run).result(timeout=60)


@pytest.mark.django_db(transaction=True)
def test_a_revision_is_shown_with_its_own_rows(ines):
    song = ines.song()
    edits = iter([lambda: ines.edit(song, "mark_section", first=1, last=8, name="Verse")])

    def edited_after_the_song_was_read(execute, sql, *rest):
        rows = execute(sql, *rest)
        if 'FROM "songs_song"' in sql:
            for edit in edits:
                assert meanwhile(edit).status_code == 200
        return rows

    with connection.execute_wrapper(edited_after_the_song_was_read):
        shown = ines.get(f"songs/{song['id']}/").json()
    assert next(edits, None) is None
    after = ines.get(f"songs/{song['id']}/").json()
    assert [(one["revision"], [s["name"] for s in one["sections"]]) for one in (shown, after)] == [
        (song["revision"], ["Song"]),
        (song["revision"] + 1, ["Verse", "Song"]),
    ]


@pytest.mark.django_db(transaction=True)
def test_what_is_left_to_do_never_falls_behind_an_edit_made_while_the_worker_listened(ines, wav, monkeypatch):
    from songs import tasks

    song = ines.song()
    for seed, name in ((1, "Bass.wav"), (2, "Keys.wav")):
        assert ines.imported(song, name, wav(4.0, seed=seed))["status"] == "done"
    made = tasks.made_comparison

    def meanwhile_edited(row):
        found = made(row)
        assert meanwhile(lambda: ines.edit(song, "set_seen", what="key", seen=True)).status_code == 200
        return found

    monkeypatch.setattr(tasks, "made_comparison", meanwhile_edited)
    tasks.compare_stems(song["id"])
    codes = [one["code"] for one in ines.get(f"songs/{song['id']}/").json()["to_do"]]
    assert "grid" in codes
    assert "key" not in codes


def test_a_song_deleted_meanwhile_has_nothing_kept(ines):
    song = ines.song()
    ines.delete(f"songs/{song['id']}/")
    keep_summary(song["id"])
    assert not Song.objects.filter(pk=song["id"]).exists()
