"""What breaks on the way in: full disks, killed workers, lost lines. Nothing is half-done."""

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from asked import opened
from django.db import connection
from procrastinate.contrib.django.models import ProcrastinateJob

from jobs.management.commands.work import retry
from jobs.run import MAX_ATTEMPTS
from songs.models import Stem
from uploads import tasks


@pytest.fixture
def small_disk(settings, tmp_path):
    """A real file system of 3 MB for everything the band keeps."""
    media = tmp_path / "small"
    media.mkdir()
    if (
        os.geteuid()
        or subprocess.run(
            ["mount", "-t", "tmpfs", "-o", "size=3m", "tmpfs", media], capture_output=True, check=False
        ).returncode
    ):
        pytest.skip("a file system can only be mounted by root")
    settings.MEDIA = media
    yield media
    subprocess.run(["umount", "-l", media], check=True)


def test_a_disk_that_is_really_full_is_said_and_retry_works_once_there_is_room(ines, wav, small_disk):
    song = ines.song()
    assert ines.imported(song, "First.wav", wav(4, seed=2))["status"] == "done"
    # 1.5 MB arrive; the prepared copy does not fit beside them.
    upload = ines.imported(song, "Bass.wav", wav(16))
    assert (upload["status"], upload["code"]) == ("refused", "disk")
    assert "The disk is full: “Bass.wav”" in upload["message"]
    assert [s["name"] for s in opened(ines, song)["stems"]] == ["First"]
    assert not list(small_disk.rglob("*.part"))
    # A full disk while pieces arrive: what was written stays, and is gone on from.
    (small_disk / "ballast").write_bytes(bytes(small_disk.stat().st_blksize and 600_000))
    answer = None
    for at in range(0, 1_500_000, 250_000):
        sent = ines.post("uploads/", {"song": song["id"], "name": f"{at}.wav", "size": 250_000}).json()
        answer = ines.http.put(
            f"/api/uploads/{sent['id']}/piece/?offset=0", bytes(250_000), content_type="application/octet-stream"
        )
        if answer.status_code == 400:
            break
    assert "disk is full" in answer.json()["problems"][0]["message"]
    assert ines.get(f"uploads/{sent['id']}/").json()["received"] == 0
    for name in ("ballast", *(p.name for p in (small_disk / "uploads").iterdir() if p.name != upload["id"])):
        (small_disk / name).unlink(missing_ok=True)
        (small_disk / "uploads" / name).unlink(missing_ok=True)
    subprocess.run(["mount", "-o", "remount,size=20m", small_disk], check=True)
    assert ines.post(f"uploads/{upload['id']}/retry/").json()["status"] == "waiting"
    tasks.import_file(upload["id"])
    assert [s["name"] for s in opened(ines, song)["stems"]] == ["First", "Bass"]


KILLED = """
import os, sys, django
django.setup()
from django.conf import settings
from pathlib import Path
settings.MEDIA = Path(sys.argv[1])
from uploads.tasks import import_file
print("go", flush=True)
import_file(sys.argv[2])
print("done", flush=True)
"""


@pytest.mark.django_db(transaction=True)
def test_a_worker_killed_at_any_step_leaves_the_song_whole(wav, settings, django_db_setup):
    from conftest import Member

    ines = Member("Killed band", "Ines")
    song = ines.song()
    env = {
        **os.environ,
        "DJANGO_SETTINGS_MODULE": "backend.settings",
        **{f"UPBEAT_DB_{k}": str(connection.settings_dict[k]) for k in ("NAME", "PORT", "PASSWORD")},
    }
    content = wav(60)
    upload = ines.send(song, "Bass.wav", content)
    settled = 0
    for wait in (0.0, 0.02, 0.05, 0.1, 0.15, 0.2, 0.3, 0.45):
        run = subprocess.Popen(
            [sys.executable, "-c", KILLED, str(settings.MEDIA), upload["id"]],
            env=env,
            cwd=Path(__file__).parents[1],
            stdout=subprocess.PIPE,
            text=True,
        )
        assert run.stdout.readline() == "go\n"
        time.sleep(wait)
        run.send_signal(signal.SIGKILL)
        run.wait()
        stems, got = Stem.objects.filter(song=song["id"]).count(), ines.get(f"uploads/{upload['id']}/").json()
        # Either all of it is there, or nothing of it.
        assert (stems, got["status"]) in ((0, "waiting"), (0, "reading"), (1, "done"))
        settled += stems
        if stems:
            break
    tasks.import_file(upload["id"])
    shown = opened(ines, song)
    assert [(s["name"], s["seconds"]) for s in shown["stems"]] == [("Bass", 60)]
    assert ines.get(f"uploads/{upload['id']}/").json()["status"] == "done"
    assert len(list(settings.MEDIA.rglob("prepared.wav"))) == 1


def test_a_job_whose_worker_is_gone_is_given_again_and_given_up_after_three(ines, wav):
    upload = ines.send(ines.song(), "Bass.wav", wav())
    row = ProcrastinateJob.objects.get(task_name="import_file")
    for attempt in range(MAX_ATTEMPTS):
        with connection.cursor() as cursor:
            cursor.execute("UPDATE procrastinate_jobs SET status = 'doing' WHERE id = %s", [row.pk])
        row.refresh_from_db()
        assert row.attempts == attempt
        retry(row)
        row.refresh_from_db()
        assert row.status == ("todo" if attempt + 1 < MAX_ATTEMPTS else "failed")
    got = ines.get(f"uploads/{upload['id']}/").json()
    assert got["status"] == "refused"
    assert "broken off 3 times" in got["message"]
    assert ines.post(f"uploads/{upload['id']}/retry/").json()["status"] == "waiting"


@pytest.mark.parametrize("at", [0, 1, 43, 44, 4096, -1])
def test_sending_that_breaks_off_at_any_byte_goes_on_from_there(ines, wav, at):
    song, content = ines.song(), wav(4)
    at = at if at >= 0 else len(content) - 1
    upload = ines.post("uploads/", {"song": song["id"], "name": "a.wav", "size": len(content)}).json()
    put = lambda o, data: ines.http.put(
        f"/api/uploads/{upload['id']}/piece/?offset={o}", data, content_type="application/octet-stream"
    )
    if at:
        assert put(0, content[:at]).status_code == 200
    assert opened(ines, song)["stems"] == []
    got = ines.get(f"uploads/{upload['id']}/").json()
    assert (got["received"], got["status"]) == (at, "sending")
    assert put(got["received"], content[at:]).json()["status"] == "waiting"
    tasks.import_file(upload["id"])
    assert len(opened(ines, song)["stems"]) == 1
    assert json.loads(ines.get(f"uploads/{upload['id']}/").content)["status"] == "done"
