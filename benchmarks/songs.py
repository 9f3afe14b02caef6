"""The list of songs: how long the server takes for one of a thousand, beside one of ten and an empty answer.

``.venv/bin/python benchmarks/songs.py`` makes a database of its own, fills a band with songs of eight
sections, and asks the web application in this process; nothing of it stays.
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT / "tools"), str(ROOT / "server")]

from cluster import Cluster

SONGS, FEW, SECTIONS, TIMES = 1000, 10, 8, 15


def fill(band: Any, count: int) -> None:
    """``count`` songs, with the summaries that edits would keep."""
    from songs.models import Section, Song
    from songs.summary import keep_missing_summaries

    songs = Song.objects.bulk_create(Song(band=band, title=f"Number {i}") for i in range(count))
    Section.objects.bulk_create(
        Section(song=song, position=i, name=f"Part {i}", bars=8) for song in songs for i in range(SECTIONS)
    )
    keep_missing_summaries()


def fastest_ms(client: Any, path: str) -> float:
    best = float("inf")
    for _ in range(TIMES):
        began = time.perf_counter()
        assert client.get(path).status_code == 200
        best = min(best, time.perf_counter() - began)
    return best * 1000


def measure() -> None:
    import django

    django.setup()
    from django.core.management import call_command
    from rest_framework.test import APIClient

    from people.models import Band, user_named

    call_command("migrate", interactive=False, verbosity=0)
    took = {}
    for name, count in (("many", SONGS), ("few", FEW)):
        band = Band.objects.create(name=name)
        fill(band, count)
        client = APIClient(headers={"host": "127.0.0.1"})
        client.force_login(user_named(f"Reader of {name}", band, "director"))
        took[name] = fastest_ms(client, "/api/songs/")
        took["empty"] = fastest_ms(client, "/api/me/")
    print(
        f"the list of {SONGS} songs: {took['many']:.0f} ms (150 allowed), of {FEW}: {took['few']:.0f} ms, "
        f"who is signed in: {took['empty']:.0f} ms"
    )
    print(f"{took['many'] / took['few']:.1f} times as long for {SONGS // FEW} times as many songs")


def main() -> None:
    with tempfile.TemporaryDirectory() as temporary:
        cluster = Cluster(Path(temporary))
        cluster.make()
        try:
            os.environ |= {
                "UPBEAT_VAR": temporary,
                "UPBEAT_DB_PORT": str(cluster.start()),
                "UPBEAT_DB_PASSWORD": cluster.password,
                "DJANGO_SETTINGS_MODULE": "backend.settings",
            }
            import psycopg

            where = {"host": "127.0.0.1", "port": os.environ["UPBEAT_DB_PORT"], "user": "upbeat"}
            with psycopg.connect(**where, password=cluster.password, dbname="postgres", autocommit=True) as connection:
                connection.execute("create database upbeat")
            measure()
        finally:
            cluster.remove()


if __name__ == "__main__":
    main()
