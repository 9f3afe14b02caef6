"""Who has joined the loaded show by its code (rules B1 and B3): phones without an account, for one show.

Kept by the stage's process in a file, so that a process that is started again knows them.
"""

from __future__ import annotations

import secrets
import time
from collections import deque
from pathlib import Path
from typing import TypedDict

import msgspec
from django.conf import settings
from django.core import signing

from playout.files import replace_file
from upbeat.errors import refuse
from upbeat.play.rights import Right

LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ"  # without those that are taken for figures
CODE_LETTERS = 6
MOST_WRONG, WRONG_S = 5, 60.0
MOST_PHONES = 300
CODE_S = 24 * 60 * 60  # so long a code holds
NAME_LENGTH = 40
SALT = "upbeat.stage.phone"


class Phone(msgspec.Struct, kw_only=True):
    """``player``: whose mix is theirs, by id."""

    id: str
    name: str
    right: Right = "nothing"
    player: str = ""


class Kept(msgspec.Struct, kw_only=True):
    """The code and the phones of one show of one band. ``made``: when the code was, in seconds since 1970."""

    show: str = ""
    band: str = ""
    code: str = ""
    made: float = 0.0
    phones: dict[str, Phone] = {}


class PhoneNow(TypedDict):
    """``here``: it has contact."""

    id: str
    name: str
    right: Right
    player: str
    here: bool


class JoiningNow(TypedDict):
    """``address``: where phones of the network join; empty where the product was not started for them. ``qr``: the same as SVG."""

    code: str
    address: str
    qr: str
    phones: list[PhoneNow]


class Joining:
    """The phones of the loaded show. ``version`` grows with every change."""

    def __init__(self) -> None:
        self._wrong: dict[str, deque[float]] = {}
        self.here: dict[str, int] = {}
        self.version = 0
        try:
            self._kept = msgspec.json.decode(_file().read_bytes(), type=Kept)
        except (OSError, msgspec.MsgspecError):
            self._kept = Kept()

    @property
    def code(self) -> str:
        return self._kept.code

    @property
    def band(self) -> str:
        """The band whose show is loaded; empty for none."""
        return self._kept.band

    def loaded(self, show: str, band: str) -> None:
        """A show of a band is loaded: another one than before has a code of its own, and nobody has joined it yet.

        The code of yesterday is no code any more; who has joined by it stays.
        """
        if (show, band) != (self._kept.show, self._kept.band):
            self._kept = Kept(show=show, band=band)
            self.renew()
        elif show and time.time() - self._kept.made > CODE_S:
            self.renew()

    def join(self, code: str, name: str, address: str, now: float) -> tuple[str, Phone]:
        """A phone joins; gives its pass. Raises :class:`Refused` for a wrong code, and for the sixth wrong one in a minute."""
        wrong = self._wrong.setdefault(address, deque(maxlen=MOST_WRONG))
        if len(wrong) == MOST_WRONG and now - wrong[0] < WRONG_S:
            raise refuse(
                "code-many", "Too many wrong codes from here: wait a minute, and ask the director for the code."
            )
        given = code.strip().upper()
        if not self._kept.code or not secrets.compare_digest(given.encode(), self._kept.code.encode()):
            wrong.append(now)
            if len(self._wrong) > 10_000:
                self._wrong.clear()
            raise refuse("code-wrong", "That is not the code of the show that is on now: ask the director for it.")
        if len(self._kept.phones) >= MOST_PHONES:
            raise refuse("phones-many", f"{MOST_PHONES} phones have joined, and no more can.")
        phone = Phone(id=secrets.token_hex(6), name=_named(name, len(self._kept.phones) + 1))
        self._kept.phones[phone.id] = phone
        self._changed()
        return signing.dumps({"phone": phone.id, "show": self._kept.show}, salt=SALT), phone

    def phone_of(self, token: str) -> Phone | None:
        """The phone that a pass was given to; None where it is not ours, turned out, or of another show."""
        try:
            found = signing.loads(token, salt=SALT)
        except signing.BadSignature:
            return None
        return self.phone(found["phone"]) if found.get("show") == self._kept.show else None

    def phone(self, number: str) -> Phone | None:
        return self._kept.phones.get(number)

    def allow(self, number: str, *, right: Right | None = None, player: str | None = None) -> None:
        """Give a phone another right, or another player."""
        phone = self._kept.phones.get(number)
        if phone is None:
            raise refuse("phone-unknown", "That phone has left.")
        phone.right = phone.right if right is None else right
        phone.player = phone.player if player is None else player[:80]
        self._changed()

    def turn_out(self, number: str) -> None:
        """Let a phone see nothing any more."""
        if self._kept.phones.pop(number, None) is not None:
            self._changed()

    def renew(self) -> None:
        """Another code; who has joined stays."""
        self._kept.code = _new_code() if self._kept.show else ""
        self._kept.made = time.time()
        self._changed()

    def came(self, number: str, by: int) -> None:
        """A phone has one contact more, or less."""
        self.here[number] = self.here.get(number, 0) + by
        self.version += 1

    def now(self) -> JoiningNow:
        """What the director sees."""
        address = f"{settings.NETWORK_ADDRESS}/band?code={self._kept.code}" if settings.NETWORK_ADDRESS else ""
        phones = [
            PhoneNow(id=p.id, name=p.name, right=p.right, player=p.player, here=self.here.get(p.id, 0) > 0)
            for p in self._kept.phones.values()
        ]
        return JoiningNow(code=self._kept.code, address=address, qr=_qr(address), phones=phones)

    def _changed(self) -> None:
        self.version += 1
        replace_file(_file(), msgspec.json.encode(self._kept))


_joining: tuple[str, Joining] | None = None


def joining() -> Joining:
    """The phones of this process."""
    global _joining
    if _joining is None or _joining[0] != str(settings.VAR):
        _joining = str(settings.VAR), Joining()
    return _joining[1]


def _file() -> Path:
    return Path(settings.VAR) / "joining.json"


def _new_code() -> str:
    return "".join(secrets.choice(LETTERS) for _ in range(CODE_LETTERS))


def _named(name: str, number: int) -> str:
    plain = " ".join("".join(c for c in name if c.isprintable()).split())[:NAME_LENGTH]
    return plain or f"Phone {number}"


def _qr(text: str) -> str:
    if not text:
        return ""
    import segno

    made: str = segno.make(text, error="m").svg_inline(border=2, scale=4, dark="#1d2b25", light="#ffffff")
    return made


def now_ms() -> float:
    """The server's clock, in ms."""
    return time.monotonic() * 1000
