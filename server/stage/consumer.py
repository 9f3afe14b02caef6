"""The stage's WebSocket: engine states out, presses in, and any feed to listen to.

It runs in a process of its own and asks the database for nothing that a press waits for (rule E5).
"""

from __future__ import annotations

import asyncio
import contextlib
import json
import time
from collections import deque
from typing import Any
from urllib.parse import parse_qs

import msgspec
import zmq
import zmq.asyncio
from django.conf import settings

from people.passes import Pass
from playout.wire import unpack_tap
from stage import engine, ports
from stage.hands_consumer import play
from stage.joining import joining, now_ms
from stage.passed import PHONE, PassedConsumer
from stage.shows import own_mixes
from upbeat.errors import Refused, refuse
from upbeat.play.rights import RIGHTS, has, may_press

IN_FLIGHT = 2
SILENT_MS = 1000
JOINING_S = 0.25
MOST_A_SECOND = 20  # presses of one page
HANDS = frozenset({"key", "port", "quiet"})  # messages of what has hands in a page
_LISTENING: dict[str, int] = {}  # feed to how many pages listen to it


class StageConsumer(PassedConsumer):
    """In: ``{"press", "args", "id", "made"}``, ``{"listen": feed or null}``, ``{"seen": true}``, ``{"ping": n}``,
    ``{"key", "down"}``, ``{"port", "data"}``, ``{"quiet"}``, ``{"joining"}``. Out: ``{"state"}``, ``{"described"}``, ``{"answer", "id"}``,
    ``{"pong": n, "now"}``, ``{"keys"}``, ``{"devices"}``, ``{"out"}``, ``{"joining"}``, and int16 stereo.

    ``keys``: those of a page that the band's hands have given something to do, and those that the machine reads itself.
    ``made``: when a press was made, in ms of this server's clock, which a page knows from its pings. A page
    says when it has drawn a state; a slow one gets fewer, and never an old one.
    """

    listening: str | None = None
    _unseen = 0
    _newest: dict[str, Any] | None = None

    def joined_as(self) -> Pass | None:
        """A joined phone that may do everything is the director's remote."""
        token = parse_qs(self.scope.get("query_string", b"").decode("latin-1")).get("phone", [""])[0]
        phone = joining().phone_of(token) if token else None
        if phone is None or phone.right != "everything":
            return None
        return Pass(
            number=f"phone-{phone.id}",
            user=PHONE,
            person=f"{phone.name} (phone)",
            band=joining().band,
            band_name="",
            until=time.time() + 3600,
            right=phone.right,
            player=phone.player,
        )

    async def opened(self) -> list[Any]:
        self._described: str | None = None
        self._title = ""
        self._own_show = False
        self._loaded: dict[str, Any] = {"feeds": []}  # what was described last
        self._pressed: deque[float] = deque(maxlen=MOST_A_SECOND)
        return [self._relay(), self._relay_keys(), self._relay_joining()]

    async def closed(self) -> None:
        await self._listen(None)

    async def message(self, message: dict[str, Any]) -> None:
        if "press" in message:
            await self._take_press(message)
        elif "seen" in message:
            self._unseen = max(0, self._unseen - 1)
            await self._send_newest()
        elif "ping" in message:
            await self.send(json.dumps({"pong": message["ping"], "now": now_ms()}))
        elif "listen" in message:
            await self._listen(message["listen"])
        elif "joining" in message and self._may_ask_in():
            with contextlib.suppress(Refused):
                _ask_in(message["joining"])
        elif HANDS & message.keys() and self._own_show and has(self.owner.right, "everything"):
            with contextlib.suppress(Refused):
                await play(message, self.owner.person, self._own_show)

    # --- presses -----------------------------------------------------------------------

    async def _take_press(self, message: dict[str, Any]) -> None:
        try:
            made, name = message.get("made"), str(message["press"])[:200]
            args = message["args"] if isinstance(message.get("args"), dict) else {}
            self._check(name, args)
            answer = await engine.press(
                name,
                args,
                self.owner.person,
                made / 1000 if isinstance(made, int | float) and 0 <= made < 1e15 else time.monotonic(),
            )
        except Refused as refused:
            answer = {"ok": False, "problems": [p.as_dict() for p in refused.problems]}
        await self.send(json.dumps({"answer": answer, "id": message.get("id")}))

    def _check(self, press: str, args: dict[str, Any]) -> None:
        """Raises :class:`Refused` for a press that comes too often, into another band's show, or without the right to."""
        if len(self._pressed) == MOST_A_SECOND and time.monotonic() - self._pressed[0] < 1:
            raise refuse("presses-many", "Too many presses at once: the last ones were not run.")
        self._pressed.append(time.monotonic())
        if not self._own_show:
            raise refuse("no-show", "No show of your band is loaded: take one to the stage first.")
        if self.owner.user == PHONE and self.joined_as() is None:
            raise refuse("right-missing", "The director has taken the right to that away from this phone.")
        no = may_press(self.owner.right, press, args, own_mixes(self._loaded, self.owner.player))
        if no is not None:
            raise Refused(no)

    # --- keys -------------------------------------------------------------------------

    async def _relay_keys(self) -> None:
        """Tell which keys are given something to do and how devices are, whenever that changes."""
        socket, told, devices = ports.signals(), None, b""
        try:
            while True:
                topic, body = await socket.recv_multipart()
                if topic == b"out" and self._may_ask_in():
                    await self.send(f'{{"out": {body.decode()}}}')
                if topic == b"devices" and self._own_show and body != devices:
                    devices = body
                    await self.send(f'{{"devices": {body.decode()}}}')
                if topic != b"hands":
                    continue
                hands = msgspec.json.decode(body)
                keys = hands["keys"] if hands["band"] == self.owner.band else {"page": [], "machine": []}
                if keys != told:
                    told = keys
                    await self.send(json.dumps({"keys": keys}))
        finally:
            socket.close(linger=0)

    # --- joined phones ------------------------------------------------------------------

    def _may_ask_in(self) -> bool:
        """Whether they may see the code and say what phones may do: members of the band with all rights, and no phone."""
        return self._own_show and self.owner.user != PHONE and has(self.owner.right, "everything")

    async def _relay_joining(self) -> None:
        """Tell who has joined, whenever that changes."""
        told: tuple[int, bool] | None = None
        while True:
            now = (joining().version, self._may_ask_in())
            if now != told:
                told = now
                await self.send(json.dumps({"joining": joining().now() if now[1] else None}))
            await asyncio.sleep(JOINING_S)

    # --- states ------------------------------------------------------------------------

    async def _relay(self) -> None:
        context = zmq.asyncio.Context.instance()
        socket = context.socket(zmq.SUB)
        socket.setsockopt(zmq.RCVHWM, 100)
        socket.connect(f"tcp://127.0.0.1:{settings.ENGINE_STATE_PORT}")
        socket.setsockopt(zmq.SUBSCRIBE, b"")
        try:
            while True:
                if not await socket.poll(SILENT_MS):
                    await self.send(json.dumps({"state": {"status": "silent"}}))
                    continue
                topic, body = await socket.recv_multipart()
                if topic == b"state":
                    self._newest = json.loads(body)
                    await self._send_newest()
                elif self._own_show and self.listening and topic == b"tap:" + self.listening.encode():
                    _, sound = unpack_tap(body)
                    stereo = sound if sound.shape[1] == 2 else sound.repeat(2, axis=1)
                    await self.send(bytes_data=stereo.tobytes())
        finally:
            socket.close(linger=0)

    async def _send_newest(self) -> None:
        """Send the newest state, unless the page is still busy with two others."""
        if self._newest is None or self._unseen >= IN_FLIGHT:
            return
        newest, self._newest = self._newest, None
        state = await self._for_band(newest)
        self._unseen += 1
        await self.send(json.dumps({"state": state}))

    async def _for_band(self, state: dict[str, Any]) -> dict[str, Any]:
        """The state as this band may see it: nothing of another band's show."""
        self._own_show = bool(state.get("show")) and state.get("band") == self.owner.band
        joining().loaded(state.get("show") or "", state.get("band", "") if state.get("show") else "")
        if not self._own_show:
            status = "empty" if not state.get("show") else "other"
            return {"status": status, "show": None, "dropouts": state["dropouts"], "device": state["device"]}
        await self._describe(state)
        return {**state, "show_title": self._title}

    async def _describe(self, state: dict[str, Any]) -> None:
        """Send what the show holds, once for each that is loaded."""
        which = f"{state['show']}/{state['loads']}"
        if which == self._described:
            return
        with contextlib.suppress(Refused):
            document = await asyncio.to_thread(engine.described, state["show"], state["loads"])
            self._described, self._title = which, document["title"]
            self._loaded = document
            await self.send(json.dumps({"described": document}))

    # --- hearing -------------------------------------------------------------------------

    async def _listen(self, feed: Any) -> None:
        wanted = str(feed)[:200] if feed else None
        if wanted and not self._own_show:
            return
        for name, change in ((self.listening, -1), (wanted, 1)):
            if name:
                _LISTENING[name] = _LISTENING.get(name, 0) + change
        if self.listening != wanted:
            self.listening = wanted
            with contextlib.suppress(Refused):
                await asyncio.to_thread(engine.ask, "taps", feeds=[f for f, n in _LISTENING.items() if n > 0])


def _ask_in(asked: Any) -> None:
    """What the director says of phones: ``{"phone", "right", "player"}``, ``{"out": phone}``, ``{"renew": true}``."""
    if not isinstance(asked, dict):
        return
    if "out" in asked:
        joining().turn_out(str(asked["out"]))
    elif asked.get("renew") is True:
        joining().renew()
    elif "phone" in asked:
        right, player = asked.get("right"), asked.get("player")
        if right is None or right in RIGHTS:
            joining().allow(str(asked["phone"]), right=right, player=player if isinstance(player, str) else None)
