"""Bands apart, two people at one thing, and input that once was a fault of the server."""

import asyncio
import uuid

import pytest
from asgiref.testing import ApplicationCommunicator

from people.models import Membership, SignInLink
from songs.models import Measurement, Section


def problem(answer):
    return answer.json()["problems"][0]


# --- bands apart ---------------------------------------------------------------------------


def test_an_id_of_another_songs_section_is_never_written_over(ines, other):
    mine, twin, theirs = ines.song(title="Mine"), ines.song(title="Twin"), other.song(title="Theirs")
    before = {str(s.pk): (str(s.song_id), s.name, s.bars) for s in Section.objects.all()}
    for stolen in (theirs["sections"][0]["id"], twin["sections"][0]["id"]):
        song = ines.edit(mine, "mark_section", first=1, last=4, name="Stolen", ids=[stolen]).json()
        assert stolen not in [s["id"] for s in song["sections"]]
    for song in (theirs, twin):
        key = song["sections"][0]["id"]
        row = Section.objects.get(pk=key)
        assert (str(row.song_id), row.name, row.bars) == before[key]


def test_settings_of_another_song_bring_no_bars_or_sections_of_it(ines, wav):
    one, two = ines.song(title="One"), ines.song(title="Two")
    for song in (one, two):
        ines.imported(song, "Bass.wav", wav(4))
    section = one["sections"][0]["id"]
    click = {"accent": "beep", "divisions": 2, "from_bar": 3, "to_bar": 9, "silent": [section], "parts": {section: 3}}
    ines.edit(one, "set_facts", click=click, lead=3, count_in_sticks=True)
    ines.edit(two, "set_facts", click={"from_bar": 2})
    taken = ines.edit(two, "take_settings", **{"from": one["id"]}).json()
    assert taken["click"] == {"accent": "beep", "divisions": 2, "from_bar": 2}
    assert (taken["lead"], taken["count_in_sticks"]) == (3, True)


def socket(path, member, origin="http://127.0.0.1", host="127.0.0.1"):
    """A WebSocket of a signed-in member, as a browser opens it."""
    from backend import asgi, stage_asgi

    application = stage_asgi.application if path in ("/ws/stage/", "/ws/hands/") else asgi.application
    cookie = "; ".join(f"{name}={morsel.value}" for name, morsel in member.http.cookies.items())
    headers = [(b"origin", origin.encode()), (b"host", host.encode()), (b"cookie", cookie.encode())]
    scope = {"type": "websocket", "path": path, "query_string": b"", "headers": headers, "subprotocols": []}
    return ApplicationCommunicator(application, scope)


async def opened(communicator):
    """Whether a socket is accepted."""
    await communicator.send_input({"type": "websocket.connect"})
    return (await communicator.receive_output(5))["type"] == "websocket.accept"


@pytest.mark.django_db(transaction=True)
@pytest.mark.parametrize("how", ["signed out", "removed", "deactivated"])
def test_the_stage_is_closed_to_who_is_no_longer_in(ines, monkeypatch, how):
    from stage import passed

    monkeypatch.setattr(passed, "RECHECK_S", 0.05)
    ines.get("me/")

    def leave():
        if how == "signed out":
            ines.post("sign-out/")
        elif how == "removed":
            Membership.objects.filter(user=ines.user).delete()
        else:
            ines.user.is_active = False
            ines.user.save()

    async def run():
        stage = socket("/ws/stage/", ines)
        assert await opened(stage)
        await asyncio.to_thread(leave)
        while (message := await stage.receive_output(5))["type"] != "websocket.close":
            pass
        return message["code"]

    assert asyncio.run(run()) == 4403


@pytest.mark.parametrize("pass_", [None, "nonsense", "of another key"])
def test_the_stage_asks_for_a_pass_of_ours(pass_):
    from django.core import signing

    from backend.stage_asgi import application

    if pass_ == "of another key":
        one = {"number": "n", "user": 1, "person": "Ines", "band": "b", "band_name": "B", "until": 4e9}
        pass_ = signing.dumps(one, key="another", salt="upbeat.stage.pass", compress=True)
    headers = [(b"origin", b"http://127.0.0.1"), (b"host", b"127.0.0.1")]
    headers += [(b"cookie", f"upbeat_pass={pass_}".encode())] if pass_ else []
    scope = {"type": "websocket", "path": "/ws/stage/", "query_string": b"", "headers": headers, "subprotocols": []}

    async def run():
        communicator = ApplicationCommunicator(application, scope)
        await communicator.send_input({"type": "websocket.connect"})
        return await communicator.receive_output(5)

    assert asyncio.run(run())["code"] == 4401


@pytest.mark.django_db(transaction=True)
@pytest.mark.parametrize(
    ("origin", "host", "taken"),
    [
        ("http://127.0.0.1:8800", "127.0.0.1:8800", True),
        ("http://127.0.0.1:9999", "127.0.0.1:8800", False),
        ("https://127.0.0.1:8800", "127.0.0.1:8800", False),
        ("http://localhost:8800", "127.0.0.1:8800", False),
        ("http://evil.invalid", "evil.invalid", False),
        ("", "127.0.0.1:8800", False),
    ],
)
def test_a_socket_is_opened_by_a_page_of_ours_alone(ines, origin, host, taken):
    async def run():
        communicator = socket("/ws/listen/", ines, origin, host)
        answer = await opened(communicator)
        if answer:
            await communicator.send_input({"type": "websocket.disconnect", "code": 1000})
            await communicator.wait()
        return answer

    assert asyncio.run(run()) is taken


# --- two people at one thing ---------------------------------------------------------------


def test_an_entry_that_somebody_else_added_is_not_lost(ines):
    song = ines.song()
    setlist = ines.post("setlists/", {"name": "Thursday", "entries": [{"song": song["id"]}]}).json()
    added = {"entries": [*setlist["entries"], {"song": song["id"]}], "revision": setlist["revision"]}
    first = ines.patch(f"setlists/{setlist['id']}/", added)
    second = ines.patch(f"setlists/{setlist['id']}/", added)
    assert (first.status_code, second.status_code) == (200, 409)
    assert "Ines changed “Thursday” meanwhile" in problem(second)["message"]
    assert second.json()["current"] == first.json() == ines.get(f"setlists/{setlist['id']}/").json()
    assert ines.patch(f"setlists/{setlist['id']}/", {**added, "revision": first.json()["revision"]}).status_code == 200


def test_a_wire_that_somebody_else_added_is_not_lost(ines):
    feeds = ines.post("feeds/usual/").json()
    rig = ines.post("rigs/", {"name": "Tent", "sockets": [{"number": 1}, {"number": 2}]}).json()
    wires = [{"patches": [{"feed": feeds[0]["id"], "side": "mono", "socket": n}]} for n in (1, 2)]
    answers = [ines.patch(f"rigs/{rig['id']}/", {**w, "revision": rig["revision"]}) for w in wires]
    assert [a.status_code for a in answers] == [200, 409]
    assert [p["socket"] for p in answers[1].json()["current"]["patches"]] == [1]


def test_a_refused_change_counts_as_none(ines):
    rig = ines.post("rigs/", {"name": "Tent", "sockets": [{"number": 1}]}).json()
    assert ines.patch(f"rigs/{rig['id']}/", {"name": "", "revision": rig["revision"]}).status_code == 400
    assert ines.get(f"rigs/{rig['id']}/").json()["revision"] == rig["revision"]


# --- a sentence instead of a fault ---------------------------------------------------------


def test_what_cannot_be_read_gets_a_sentence(ines):
    song = ines.song()
    setlist = ines.post("setlists/", {"name": "L", "entries": [{"song": song["id"]}]}).json()
    key = song["id"]
    asked = [
        ines.get(f"songs/{key}/level/?line_up=x"),
        ines.post(f"songs/{key}/level/?line_up=x"),
        ines.get(f"songs/{key}/tonight/?line_up=x"),
        ines.get(f"setlists/{setlist['id']}/loudness/?line_up=x"),
        ines.get("uploads/?song=x"),
        ines.get("voice/word/?text=%00"),
        ines.get(f"songs/{key}/level/?form=%00"),
        ines.get(f"songs/{key}/level/?form=a%00b"),
        ines.post(f"songs/{key}/undo/", [1]),
        ines.post(f"songs/{key}/undo/", {"revision": "x"}),
        ines.post(f"songs/{key}/edits/", [1]),
        ines.post(f"songs/{key}/edits/", {"do": 1}),
        ines.post(f"songs/{key}/edits/", {"do": "set_length", "args": [1]}),
        ines.edit(song, "set_level", gain_db=1, line_up="x"),
        ines.edit(song, "take_settings", **{"from": "x"}),
    ]
    assert {a.status_code for a in asked} == {400}
    assert all(problem(a)["message"].endswith(".") for a in asked)
    assert ines.delete(f"songs/{key}/offers/{'-' * 36}/").status_code == 200
    assert ines.get(f"uploads/?song={uuid.uuid4()}").json() == []


@pytest.mark.parametrize("depth", [40, 1000, 100_000])
@pytest.mark.parametrize("path", ["songs/", "songs/{}/edits/", "setlists/", "rigs/", "engine/"])
def test_a_body_nested_too_deep_gets_a_sentence(ines, path, depth):
    song = ines.song()
    body = '{"title": ' + "[" * depth + "]" * depth + "}"
    answer = ines.http.post(f"/api/{path.format(song['id'])}", body, content_type="application/json")
    assert answer.status_code == 400
    assert "nested" in problem(answer)["message"]


# --- asking and reading --------------------------------------------------------------------


def test_reading_a_page_asks_nothing_of_the_worker(ines, wav):
    song = ines.song()
    for seed in (1, 2):
        ines.imported(song, f"Stem {seed}.wav", wav(4, seed=seed))
    setlist = ines.post("setlists/", {"name": "L", "entries": [{"song": song["id"]}]}).json()
    for page in ("grid", "heard-sections", "level"):
        assert ines.get(f"songs/{song['id']}/{page}/").json()["state"] == "none"
    assert ines.get(f"setlists/{setlist['id']}/loudness/").json()["ready"] is False
    assert not Measurement.objects.exists()
    for page in ("grid", "heard-sections", "level"):
        assert ines.post(f"songs/{song['id']}/{page}/").json()["state"] == "working"
        assert ines.get(f"songs/{song['id']}/{page}/").json()["state"] == "working"
    assert Measurement.objects.count() == 3


# --- headers and links ---------------------------------------------------------------------


def test_every_answer_says_what_a_page_may_do_and_private_ones_are_not_kept(ines, client):
    page = client.get("/")
    assert page["Content-Security-Policy"].startswith("default-src 'self'")
    assert page["X-Frame-Options"] == "DENY"
    assert not page.has_header("Access-Control-Allow-Origin")
    assert ines.get("songs/")["Cache-Control"] == "no-store"
    assert client.get("/api/songs/")["Cache-Control"] == "no-store"


def test_a_look_at_a_sign_in_link_does_not_use_it_up(ines, client):
    token = SignInLink.make(ines.user)
    assert client.head(f"/sign-in/{token}/").status_code == 405
    assert client.get(f"/sign-in/{token}/")["Location"] == "/"
    assert client.get(f"/sign-in/{token}/")["Location"] == "/signed-out?link=used"


def test_no_host_but_this_machine_is_answered_outside_tests():
    import subprocess
    import sys

    code = "from backend import settings; print(settings.ALLOWED_HOSTS)"
    got = subprocess.run([sys.executable, "-c", code], cwd="server", capture_output=True, text=True, check=True).stdout
    assert "testserver" not in got


# --- metres, names, the list ---------------------------------------------------------------


def test_a_metre_is_typed_with_its_grouping_and_a_change_is_taken_out(ines):
    song = ines.song(meter="7/8 2+2+3")
    assert song["meters"] == [{"bar": 1, "meter": "7/8", "grouping": [2, 2, 3]}]
    changed = ines.edit(song, "set_meter", bar=9, meter="4/4").json()
    assert len(changed["meters"]) == 2
    assert ines.edit(changed, "set_meter", bar=9, meter="").json()["meters"] == song["meters"]


@pytest.mark.parametrize(
    ("name", "purpose"),
    [
        ("Violin guide.wav", "rehearsal"),
        ("Reference vocal.wav", "rehearsal"),
        ("Learn - alto.wav", "rehearsal"),
        ("Drums.wav", "always"),
        ("Guidelines.wav", "always"),
        ("Full mix.wav", "full_mix"),
    ],
)
def test_a_stem_to_learn_from_is_proposed_for_rehearsal_only(ines, wav, name, purpose):
    read = ines.post("songs/read-names/", {"folder": "", "files": [name, "Organ.wav"]}).json()
    assert next(s for s in read["stems"] if s["file"] == name)["purpose"] == purpose
    song = ines.song()
    ines.imported(song, name, wav(2))
    assert ines.get(f"songs/{song['id']}/").json()["stems"][0]["purpose"] == purpose


def test_what_a_person_says_of_a_stem_wins_over_its_name(ines, wav):
    from uploads.tasks import import_file

    song, content = ines.song(), wav(2)
    asked = {"song": song["id"], "name": "Violin guide.wav", "size": len(content), "purpose": "always"}
    upload = ines.post("uploads/", asked).json()
    ines.http.put(f"/api/uploads/{upload['id']}/piece/?offset=0", content, content_type="application/octet-stream")
    import_file(upload["id"])
    assert ines.get(f"songs/{song['id']}/").json()["stems"][0]["purpose"] == "always"


def test_the_list_of_songs_is_one_query_and_true_after_every_change(ines, wav, django_assert_max_num_queries):
    songs = [ines.song(title=f"Song {i}", bpm=str(100 + i)) for i in range(30)]
    ines.edit(songs[0], "mark_section", first=1, last=8, name="Verse")
    ines.imported(songs[0], "Bass.wav", wav(8))
    ines.edit(songs[1], "set_tempo", bpm="60")
    ines.edit(songs[2], "set_meter", meter="3/4")
    ines.post(f"songs/{songs[2]['id']}/undo/")
    with django_assert_max_num_queries(4):
        rows = {row["title"]: row for row in ines.get("songs/").json()}
    for song in songs:
        whole = ines.get(f"songs/{song['id']}/").json()
        row = rows[whole["title"]]
        assert (row["bars"], row["seconds"], row["stems"]) == (whole["bars"], whole["seconds"], len(whole["stems"]))
        assert row["bpm"] == whole["tempo"][0]["bpm"]
        assert [(s["name"], s["bars"]) for s in row["sections"]] == [(s["name"], s["bars"]) for s in whole["sections"]]
