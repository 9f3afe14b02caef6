"""A PostgreSQL cluster of the tests' own, two bands, and files on disk that go away again."""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
import pytest

ROOT = Path(__file__).resolve().parents[2]
sys.path[:0] = [
    str(ROOT / "tools"),
    str(ROOT / "core" / "tests"),
    str(ROOT / "playout" / "tests"),
    str(Path(__file__).parent),
]


@pytest.fixture(scope="session")
def django_db_modify_db_settings(tmp_path_factory):
    from django.db import connections

    from cluster import Cluster

    cluster = Cluster(tmp_path_factory.mktemp("pg"))
    cluster.make()
    connections.databases["default"].update(PORT=str(cluster.start()), PASSWORD=cluster.password)
    yield
    connections.close_all()
    cluster.remove()


@pytest.fixture(scope="session")
def words(tmp_path_factory):
    """Words are spoken once for all tests: they are kept by what is said, and by which voice."""
    from process import Running

    Running.words = tmp_path_factory.mktemp("words")
    return Running.words


@pytest.fixture(autouse=True)
def _own_files(settings, tmp_path, words):
    settings.VAR = tmp_path
    settings.MEDIA = tmp_path / "media"
    settings.WORDS = words


class Member:
    """A signed-in member of a band, with the few calls that every test needs."""

    def __init__(self, band_name: str, name: str):
        from rest_framework.test import APIClient

        from people.models import Band, user_named

        self.band = Band.objects.create(name=band_name)
        self.user = user_named(name, self.band, "director")
        self.http = APIClient(raise_request_exception=False)
        self.http.force_login(self.user)

    def get(self, path):
        return self.http.get(f"/api/{path}")

    def post(self, path, data=None):
        return self.http.post(f"/api/{path}", data or {}, format="json")

    def patch(self, path, data):
        return self.http.patch(f"/api/{path}", data, format="json")

    def delete(self, path):
        return self.http.delete(f"/api/{path}")

    def song(self, **fields):
        return self.post("songs/", {"title": "Paper Boats", "bpm": "120", "meter": "4/4", **fields}).json()

    def edit(self, song, do, **args):
        return self.post(f"songs/{song['id']}/edits/", {"do": do, "args": args})

    def send(self, song, name, content, piece=1 << 20):
        """Announce and send a file; gives the upload as the API tells it."""
        upload = self.post("uploads/", {"song": song["id"], "name": name, "size": len(content)}).json()
        for at in range(0, len(content), piece):
            answer = self.http.put(
                f"/api/uploads/{upload['id']}/piece/?offset={at}",
                content[at : at + piece],
                content_type="application/octet-stream",
            )
            assert answer.status_code == 200, answer.content
            upload = answer.json()
        return upload

    def imported(self, song, name, content):
        """Send a file and import it here and now."""
        from uploads.tasks import import_file

        upload = self.send(song, name, content)
        import_file(upload["id"])
        return self.get(f"uploads/{upload['id']}/").json()


@pytest.fixture
def ines(db):
    return Member("The Comet Caravan", "Ines")


@pytest.fixture
def other(db):
    return Member("Another Band", "Other")


@pytest.fixture
def wav(tmp_path):
    """Bytes of a WAV: a beat every half second for some seconds."""
    from material import RATE, write_wav

    def make(seconds=16.0, rate=RATE, seed=1):
        sound = np.random.default_rng(seed).uniform(-0.4, 0.4, int(seconds * rate)).astype(np.float32)
        path = write_wav(
            tmp_path / f"made-{seed}-{rate}.wav", sound * (np.arange(len(sound)) % (rate // 2) < 2000), rate, np.int16
        )
        return path.read_bytes()

    return make
