"""Phones in the show: joined by a code, bound to it, given and taken rights at once, and let in nowhere else."""

import asyncio
import json
import re
import time

import pytest
from asgiref.testing import ApplicationCommunicator
from django.urls import URLPattern, URLResolver, get_resolver
from rest_framework.test import APIClient
from test_apart import opened, socket
from test_stage import engine, load, made_show, playing, stopped  # noqa: F401 - a fixture

from stage import crowd as crowds
from stage.joining import MOST_WRONG, Joining, joining
from upbeat.errors import Refused
from upbeat.play.presses import PRESSES


@pytest.fixture(autouse=True)
def _own_crowd(monkeypatch):
    monkeypatch.setattr(crowds, "_crowd", None)


def phone_socket(address="10.0.0.7"):
    """A WebSocket of a phone, as a browser without any cookie opens it."""
    from backend.stage_asgi import application

    headers = [(b"origin", b"http://127.0.0.1"), (b"host", b"127.0.0.1")]
    scope = {"type": "websocket", "path": "/ws/band/", "query_string": b"", "headers": headers, "subprotocols": []}
    return ApplicationCommunicator(application, {**scope, "client": (address, 5)})


async def say(line, **message):
    await line.send_input({"type": "websocket.receive", "text": json.dumps(message)})


async def until(line, field):
    """The next message that has a field."""
    for _ in range(200):
        message = await line.receive_output(10)
        if message["type"] == "websocket.close":
            return message
        told = json.loads(message["text"])
        if field in told:
            return told[field]
    raise AssertionError(f"never told: {field}")


async def joined(code=None, name="Noor"):
    line = phone_socket()
    assert await opened(line)
    await say(line, join=joining().code if code is None else code, name=name)
    return line, await until(line, "pass")


async def leave(*lines):
    for line in lines:
        await line.send_input({"type": "websocket.disconnect", "code": 1000})
        await line.wait(5)


# --- codes ----------------------------------------------------------------------------------------


def test_a_code_is_of_one_show_and_five_wrong_ones_a_minute_are_enough(settings, monkeypatch):
    phones = Joining()
    phones.loaded("show", "band")
    code = phones.code
    assert re.fullmatch("[A-HJ-NP-Z]{6}", code)
    for _ in range(MOST_WRONG):
        with pytest.raises(Refused, match="not the code"):
            phones.join("WRONGX", "", "10.0.0.1", 5.0)
    with pytest.raises(Refused, match="wait a minute"):
        phones.join(code, "", "10.0.0.1", 6.0)
    token, phone = phones.join(code.lower() + " ", "  Noor\x07 of the   choir ", "10.0.0.2", 6.0)
    assert phone.name == "Noor of the choir"
    assert phones.join(code, "", "10.0.0.1", 66.0)[1].name == "Phone 2"
    assert Joining().phone_of(token) == phone  # a process that was started again
    phones.loaded("show", "band")
    assert phones.code == code
    # The show of yesterday, still loaded: another code, and who has joined stays.
    monkeypatch.setattr(time, "time", lambda now=time.time: now() + 25 * 3600)
    phones.loaded("show", "band")
    assert phones.code != code
    assert phones.phone_of(token) == phone
    code = phones.code
    phones.loaded("another", "band")
    assert phones.code != code
    assert phones.phone_of(token) is None
    with pytest.raises(Refused, match="not the code"):
        phones.join(code, "", "10.0.0.9", 70.0)


def test_nothing_can_be_joined_while_no_show_is_loaded(settings):
    with pytest.raises(Refused):
        Joining().join("", "", "10.0.0.1", 0.0)


# --- in the show ----------------------------------------------------------------------------------


@pytest.mark.django_db(transaction=True)
def test_a_phone_sees_the_show_and_may_do_what_it_was_given(ines, engine):  # noqa: F811
    assert load(ines, made_show(ines)).status_code == 200
    ines.get("me/")

    async def run():
        director = socket("/ws/stage/", ines)
        assert await opened(director)
        code = (await until(director, "state")) and joining().code
        line, token = await joined(code)
        shown, state = await until(line, "show"), await until(line, "state")
        assert shown["title"] == "Thursday"
        assert set(shown) == {"title", "entries", "mixes"}
        assert state["status"] == "standby"
        await say(line, ping=5)
        assert await until(line, "pong") == 5
        # Every press is refused to a phone that was given nothing.
        refused = []
        for name in list(PRESSES)[:15]:
            await say(line, press=name, args={"part": "click"})
            refused.append((await until(line, "refused"))[0]["code"])
        assert set(refused) == {"right-missing"}
        while (now := await until(director, "joining")) is None or not now["phones"]:
            pass
        [phone] = now["phones"]
        assert (phone["name"], phone["here"]) == ("Noor", True)
        await asyncio.sleep(1.1)
        await say(director, joining={"phone": phone["id"], "right": "everything"})
        while (await until(line, "phone"))["right"] != "everything":
            pass
        await say(line, press="go")
        assert (await until(line, "answer"))["accepted"]
        remote = phone_stage(token)
        assert await opened(remote)
        await say(director, joining={"phone": phone["id"], "right": "nothing"})
        await asyncio.sleep(0.1)
        await say(remote, press="stop")
        assert not (await until(remote, "answer"))["ok"]
        await say(director, joining={"out": phone["id"]})
        assert await until(line, "out")
        await leave(director, remote)
        back = phone_socket()
        assert await opened(back)
        await say(back, **{"pass": token})
        assert (await until(back, "refused"))[0]["code"] == "pass-over"
        await leave(back)

    asyncio.run(run())
    state = engine.until(lambda s: s["status"] in ("playing", "count_in"))
    assert state["show"]


def phone_stage(token):
    from backend.stage_asgi import application

    headers = [(b"origin", b"http://127.0.0.1"), (b"host", b"127.0.0.1")]
    query = f"phone={token}".encode()
    scope = {"type": "websocket", "path": "/ws/stage/", "query_string": query, "headers": headers, "subprotocols": []}
    return ApplicationCommunicator(application, scope)


@pytest.mark.django_db(transaction=True)
def test_a_phone_is_out_when_another_show_is_loaded(ines, other, engine):  # noqa: F811
    assert load(ines, made_show(ines)).status_code == 200

    async def run():
        joining().loaded(engine.state()["show"], str(ines.band.pk))
        line, _ = await joined()
        await until(line, "state")
        show = await asyncio.to_thread(made_show, other, "Friday")
        assert (await asyncio.to_thread(load, other, show, True)).status_code == 200
        assert await until(line, "out")

    asyncio.run(run())


# --- and nowhere else -----------------------------------------------------------------------------

OPEN = {"api/join/", "patch-sheet/<str:token>/", "sign-in/<str:token>/"}


def addresses(patterns, before=""):
    for pattern in patterns:
        here = before + str(pattern.pattern)
        if isinstance(pattern, URLResolver):
            yield from addresses(pattern.url_patterns, here)
        elif isinstance(pattern, URLPattern):
            yield here


def filled(address):
    """An address with something in each of its places."""
    plain = re.sub(r"\(\?P<format>[^)]*\)\??", "json", address)
    plain = re.sub(r"\(\?P<\w+>[^)]*\)", "00000000-0000-0000-0000-000000000000", plain)
    plain = re.sub(r"<[^>]*>", "00000000-0000-0000-0000-000000000000", plain)
    return "/" + plain.replace("^", "").replace("$", "").replace("\\Z", "").replace("\\.", ".").rstrip("?")


def test_every_endpoint_is_closed_to_a_joined_phone(db, settings):
    phones = Joining()
    phones.loaded("show", "band")
    token, _ = phones.join(phones.code, "Noor", "10.0.0.2", 0.0)
    http = APIClient(raise_request_exception=False)
    for name in ("upbeat_pass", "sessionid", "band-pass"):
        http.cookies[name] = token
    known = [a for a in addresses(get_resolver().url_patterns) if not a.startswith("^(?!api/") and a not in OPEN]
    assert len(known) > 100
    let_in = []
    for address in known:
        path = filled(address)
        for method in ("get", "post", "put", "patch", "delete"):
            answer = getattr(http, method)(path, HTTP_AUTHORIZATION=f"Bearer {token}")
            if answer.status_code not in (401, 403, 404, 405):
                let_in.append((method, path, answer.status_code))
    assert let_in == []


@pytest.mark.parametrize("path", ["/ws/stage/", "/ws/hands/", "/ws/listen/"])
@pytest.mark.django_db(transaction=True)
def test_every_other_socket_is_closed_to_a_joined_phone(path, settings):
    from backend import asgi, stage_asgi

    phones = joining()
    phones.loaded("show", "band")
    token, _ = phones.join(phones.code, "Noor", "10.0.0.2", 0.0)

    async def run():
        headers = [(b"origin", b"http://127.0.0.1"), (b"host", b"127.0.0.1")]
        headers.append((b"cookie", f"upbeat_pass={token}; sessionid={token}".encode()))
        query = f"phone={token}&pass={token}".encode()
        scope = {"type": "websocket", "path": path, "query_string": query, "headers": headers, "subprotocols": []}
        application = asgi.application if path == "/ws/listen/" else stage_asgi.application
        return await opened(ApplicationCommunicator(application, scope))

    assert not asyncio.run(run())


@pytest.mark.django_db(transaction=True)
def test_what_a_phone_says_besides_is_heard_by_nobody(ines, engine):  # noqa: F811
    assert load(ines, made_show(ines)).status_code == 200

    async def run():
        joining().loaded(engine.state()["show"], str(ines.band.pk))
        line, _ = await joined()
        await until(line, "state")
        before = joining().now()
        [phone] = before["phones"]
        for message in (
            {"joining": {"phone": phone["id"], "right": "everything"}},
            {"joining": {"renew": True}},
            {"key": "PageDown", "down": True},
            {"port": "Nine pads", "data": [0x99, 36, 100], "since_ms": 100},
            {"quiet": "Keys of a page", "since_ms": 100},
            {"box": "Nine pads", "data": [153, 36, 127]},
            {"listen": "click"},
            {"try": True},
            {"join": joining().code, "name": "Again"},
        ):
            await say(line, **message)
        await line.send_input({"type": "websocket.receive", "text": "[" * 5000})
        assert (await until(line, "never"))["code"] == 4413
        assert {**joining().now(), "phones": []} == {**before, "phones": []}
        assert [p["right"] for p in joining().now()["phones"]] == ["nothing"]

    asyncio.run(run())
    assert engine.state()["status"] == "standby"
