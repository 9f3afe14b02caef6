"""Films and pictures for screens: brought, refused, shown with songs and entries, and who may have them (rules B3, B4)."""

import asyncio
import io
import json

import av
import numpy as np
import pytest
from django.conf import settings as django_settings
from django.test import Client
from PIL import Image
from test_hands import shown
from test_stage import made_show

from api.size import FILMS, MOST_BYTES, NotTooLarge
from screens.models import ScreenFile
from setlists.models import Entry
from shows.build import place_for_engine
from shows.models import Show
from stage.joining import Joining, joining
from upbeat.limits import FILM_BYTES


def film(frames=10, shade=0):
    out = io.BytesIO()
    with av.open(out, "w", format="webm") as container:
        stream = container.add_stream("libvpx", rate=25)
        stream.width, stream.height, stream.pix_fmt = 160, 90, "yuv420p"
        for n in range(frames):
            picture = np.full((90, 160, 3), (n * 9 + shade) % 255, np.uint8)
            container.mux(stream.encode(av.VideoFrame.from_ndarray(picture, format="rgb24")))
        container.mux(stream.encode(None))
    return out.getvalue()


def picture(colour="navy"):
    out = io.BytesIO()
    Image.new("RGB", (64, 48), colour).save(out, "PNG")
    return out.getvalue()


def bring(member, content, name="Dome_film.webm"):
    return member.http.post(f"/api/screen-files/?file={name}", content, content_type="application/octet-stream")


def sentence(answer):
    assert answer.status_code == 400
    return answer.json()["problems"][0]["message"]


def facts(one):
    return {
        "id": one["content"],
        "name": one["name"],
        "type": one["type"],
        "fps": one["fps"],
        "seconds": one["seconds"],
    }


def test_a_film_is_checked_kept_once_and_given_back_as_it_was(ines, other):
    content = film()
    answer = bring(ines, content)
    assert answer.status_code == 201
    one = answer.json()
    assert (one["name"], one["kind"], one["type"], one["fps"]) == ("Dome film", "film", "video/webm", 25.0)
    assert bring(ines, content, "again.webm").json()["id"] == one["id"]
    assert bring(ines, picture(), "Moon.png").json()["kind"] == "still"
    assert [f["name"] for f in ines.get("screen-files/").json()] == ["Dome film", "Moon"]
    back = ines.get(f"screen-files/{one['id']}/content/")
    assert b"".join(back.streaming_content) == content
    assert back["Content-Type"] == "video/webm"
    assert other.get("screen-files/").json() == []
    assert other.get(f"screen-files/{one['id']}/content/").status_code == 404
    assert other.delete(f"screen-files/{one['id']}/").status_code == 404


@pytest.mark.parametrize(
    ("content", "says"),
    [(b"no film at all " * 300, "no film and no picture"), (b"", "is empty"), (film()[:150], "no film and no picture")],
)
def test_what_is_no_film_leaves_nothing_behind(ines, content, says):
    answer = bring(ines, content)
    assert says in sentence(answer)
    assert not ScreenFile.objects.exists()
    folder = django_settings.MEDIA / "screens" / str(ines.band.pk)
    assert not folder.exists() or list(folder.iterdir()) == []


def test_a_song_shows_it_by_an_edit_that_is_undone_and_what_is_shown_is_not_taken_out(ines):
    song = ines.song()
    one, still = bring(ines, film()).json(), bring(ines, picture(), "Moon.png").json()
    screen = {
        "film": {"file": facts(one), "starts_s": 2.5},
        "stills": [{"file": facts(still), "section": song["sections"][0]["id"]}, {"at_s": 4.0}],
    }
    changed = shown(ines.edit(song, "set_screen", screen=screen))
    assert changed["screen"]["film"]["starts_s"] == 2.5
    assert changed["screen"]["stills"][1] == {"file": None, "section": None, "at_s": 4.0}
    assert "is shown with" in sentence(ines.delete(f"screen-files/{one['id']}/"))
    for wrong, says in (
        ({"stills": [{"file": facts(still)}]}, "at a section or at a time"),
        ({"stills": [{"section": "gone"}]}, "no such section"),
        ({"film": {"file": facts(one), "starts_s": 1e9}}, "number"),
    ):
        assert says in sentence(ines.edit(song, "set_screen", screen=wrong))
    assert shown(ines.post(f"songs/{song['id']}/undo/"))["screen"] == {}
    assert ines.delete(f"screen-files/{one['id']}/").status_code == 204
    assert len(list((django_settings.MEDIA / "screens" / str(ines.band.pk)).iterdir())) == 1


def test_an_entry_has_its_screen_and_its_timecode_and_the_show_has_them(ines):
    show = Show.objects.get(pk=made_show(ines)["id"])
    setlist = ines.get(f"setlists/{show.setlist_id}/").json()
    entries = [{**e, "screen": "words", "timecode": "05:10:00:00"} for e in setlist["entries"]]
    kept = {name: setlist[name] for name in ("name", "slot_minutes", "starts_at", "revision")}
    changed = shown(ines.patch(f"setlists/{setlist['id']}/", {**kept, "entries": entries}))
    assert [(e["screen"], e["timecode"]) for e in changed["entries"]] == [("words", "05:10:00:00")] * len(entries)
    for wrong, says in (({"timecode": "25:00:00:00"}, "is no time"), ({"screen": "smoke"}, "smoke")):
        bad = [{**entries[0], **wrong}, *entries[1:]]
        answer = ines.patch(f"setlists/{setlist['id']}/", {**kept, "revision": changed["revision"], "entries": bad})
        assert answer.status_code == 400
        assert says in answer.content.decode()
    folder = place_for_engine(show)
    document = json.loads((folder / "show.json").read_text())
    assert {(e["screen"], e["timecode"]) for e in document["entries"]} == {("words", "05:10:00:00")}
    assert Entry.objects.filter(screen="words").count() == len(entries)


def test_who_has_joined_a_show_has_its_bands_films_and_nobody_else(ines, other, settings):
    content = film()
    one, foreign = bring(ines, content).json(), bring(other, film(shade=40)).json()
    joining().loaded("show", str(ines.band.pk))
    token, _ = joining().join(joining().code, "Screen", "10.0.0.1", 0.0)
    open_to_all = Client()

    def asked(which, given):
        return open_to_all.get(f"/api/join/files/{which}/", {"pass": given})

    assert b"".join(asked(one["content"], token).streaming_content) == content
    assert asked(foreign["content"], token).status_code == 403
    assert asked(one["content"], "").status_code == 403
    assert asked(one["content"], token[:-2]).status_code == 403
    assert asked("../../../etc/passwd", token).status_code in (403, 404)
    Joining().loaded("another", str(other.band.pk))
    assert asked(one["content"], token).status_code == 403


def asked_of(path, length=None, pieces=()):
    """The status that a request of a length, or of pieces without one, gets; and how much of it was read."""
    read, said = [], []

    async def application(scope, receive, send):
        while (message := await receive())["type"] == "http.request":
            read.append(len(message["body"]))
            if not message["more_body"]:
                break
        await send({"type": "http.response.start", "status": 499 if message["type"] == "http.disconnect" else 200})

    async def run():
        waiting = [{"type": "http.request", "body": bytes(p), "more_body": True} for p in pieces]
        waiting.append({"type": "http.request", "body": b"", "more_body": False})

        async def receive():
            return waiting.pop(0)

        async def send(message):
            said.append(message)

        headers = [] if length is None else [(b"content-length", str(length).encode())]
        await NotTooLarge(application)({"type": "http", "path": path, "headers": headers}, receive, send)

    asyncio.run(run())
    return said[0]["status"], sum(read)


def test_a_request_that_is_too_large_is_refused_before_it_is_read():
    assert asked_of(FILMS, 8 << 30) == (413, 0)
    assert asked_of(FILMS, FILM_BYTES) == (200, 0)
    assert asked_of("/api/songs/", MOST_BYTES + 1) == (413, 0)
    piece = 32 << 20
    status, read = asked_of("/api/songs/", pieces=[piece] * 5)
    assert (status, read) == (499, 3 * piece)
