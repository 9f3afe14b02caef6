"""The WebSocket of joined phones (rules B1 to B3): no account, one show, and nothing else.

In: ``{"join": code, "name"}`` or ``{"pass": token}`` first; then ``{"ping": n}`` and ``{"press", "args", "made"}``.
Out: ``{"refused"}``, ``{"pass"}``, ``{"phone"}``, ``{"show"}``, ``{"state"}``, ``{"answer"}``, ``{"pong", "now"}``, ``{"out"}``.
"""

from __future__ import annotations

import asyncio
import json
import time
from collections import deque
from typing import Any

from stage import engine
from stage.crowd import crowd
from stage.joining import Phone, joining, now_ms
from stage.shows import own_mixes
from upbeat.errors import Refused, refuse
from upbeat.play.rights import may_press

MOST_A_SECOND = 20
LOOK_S = 0.25
LONGEST = 4096  # bytes of a message
OUT, TOO_LONG = 4403, 4413


class BandSocket:
    """ASGI: one phone."""

    def __init__(self, scope: dict[str, Any], receive: Any, send: Any):
        self._receive, self._send = receive, send
        self._address = str((scope.get("client") or ("", 0))[0])
        self._wake = asyncio.Event()
        self._texts: deque[str] = deque(maxlen=50)
        self._state: str | None = None
        self._pressed: deque[float] = deque(maxlen=MOST_A_SECOND)
        self._phone: Phone | None = None
        self._over = False

    @classmethod
    async def application(cls, scope: dict[str, Any], receive: Any, send: Any) -> None:
        """The ASGI application."""
        await cls(scope, receive, send).run()

    async def run(self) -> None:
        if (await self._receive())["type"] != "websocket.connect":
            return
        await self._send({"type": "websocket.accept"})
        sending = asyncio.create_task(self._sending())
        looking = asyncio.create_task(self._looking())
        try:
            while (message := await self._receive())["type"] == "websocket.receive":
                await self._heard(message.get("text") or "")
        finally:
            for task in (sending, looking):
                task.cancel()
            self._leave()

    # --- what the crowd tells -------------------------------------------------------------

    def newest(self, state: str) -> None:
        self._state = state
        self._wake.set()

    def shown(self, show: str) -> None:
        self._texts.append(show)
        self._wake.set()

    def gone(self) -> None:
        self._over = True
        self._wake.set()

    def _say(self, **what: Any) -> None:
        self._texts.append(json.dumps(what))
        self._wake.set()

    async def _sending(self) -> None:
        """Send what waits, one after the other; of states the newest alone."""
        while True:
            await self._wake.wait()
            self._wake.clear()
            while self._texts:
                await self._send({"type": "websocket.send", "text": self._texts.popleft()})
            if self._over:
                await self._send({"type": "websocket.send", "text": '{"out": true}'})
                await self._send({"type": "websocket.close", "code": OUT})
                return
            if self._state is not None:
                state, self._state = self._state, None
                await self._send({"type": "websocket.send", "text": state})

    async def _looking(self) -> None:
        """Tell at once what the director gives and takes."""
        told: dict[str, Any] | None = None
        while True:
            await asyncio.sleep(LOOK_S)
            if self._phone is None:
                continue
            phone = joining().phone(self._phone.id)
            if phone is None:
                self.gone()
                return
            self._phone, now = phone, _told(phone)
            if now != told:
                told = now
                self._say(phone=now)

    # --- what the phone says --------------------------------------------------------------

    async def _heard(self, text: str) -> None:
        if len(text) > LONGEST:
            await self._send({"type": "websocket.close", "code": TOO_LONG})
            return
        try:
            message = json.loads(text)
        except (ValueError, RecursionError):
            return
        if not isinstance(message, dict):
            return
        try:
            await self._do(message)
        except Refused as refused:
            self._say(refused=[p.as_dict() for p in refused.problems])

    async def _do(self, message: dict[str, Any]) -> None:
        if "ping" in message:
            self._say(pong=message["ping"], now=now_ms())
        elif self._phone is None and "join" in message:
            name, code = str(message.get("name") or ""), str(message["join"])[:40]
            token, phone = joining().join(code, name[:200], self._address, time.monotonic())
            self._say(**{"pass": token})
            self._enter(phone)
        elif self._phone is None and "pass" in message:
            known = joining().phone_of(str(message["pass"])[:1000])
            if known is None:
                raise refuse("pass-over", "That show is over, or the director has turned this phone out: join again.")
            self._enter(known)
        elif self._phone is not None and "press" in message:
            await self._press(self._phone, message)

    async def _press(self, phone: Phone, message: dict[str, Any]) -> None:
        now = time.monotonic()
        if len(self._pressed) == MOST_A_SECOND and now - self._pressed[0] < 1:
            raise refuse("presses-many", "Too many presses at once: the last ones were not run.")
        self._pressed.append(now)
        name, made = str(message["press"])[:200], message.get("made")
        args = message["args"] if isinstance(message.get("args"), dict) else {}
        mixes = [{"id": m["feed"], "kind": "monitor", "player": m["player"]} for m in crowd().band_show["mixes"]]
        allowed = joining().phone(phone.id)
        no = may_press(allowed.right if allowed else "", name, args, own_mixes({"feeds": mixes}, phone.player))
        if no is not None:
            raise Refused(no)
        pressed = made / 1000 if isinstance(made, int | float) and 0 <= made < 1e15 else now
        answer = await engine.press(name, args, f"{phone.name} (phone)", pressed)
        self._say(answer=answer)

    def _enter(self, phone: Phone) -> None:
        self._phone = phone
        self._say(phone=_told(phone))
        joining().came(phone.id, 1)
        crowd().add(self)

    def _leave(self) -> None:
        if self._phone is not None:
            joining().came(self._phone.id, -1)
            crowd().remove(self)


def _told(phone: Phone) -> dict[str, Any]:
    return {"name": phone.name, "right": phone.right, "player": phone.player}
