"""Passes to the stage: signed at sign-in, believed without the database until they are ended.

A pass is a cookie that says who may press, for which band, until when. Signing out ends it; the numbers of
ended passes lie in a file, since the stage must not need the database to know them.
"""

from __future__ import annotations

import contextlib
import os
import secrets
import time
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core import signing

COOKIE = "upbeat_pass"
SALT = "upbeat.stage.pass"
LASTS_S = 60 * 60 * 24 * 60


@dataclass(frozen=True)
class Pass:
    """``number``: what it is ended by; ``user``: the person's key; ``until``: seconds since 1970.

    ``right``: what they may press, ``player``: whose mix is theirs, as it was when the pass was made.
    """

    number: str
    user: int
    person: str
    band: str
    band_name: str
    until: float
    right: str = "everything"
    player: str = ""


def new_pass(*, user: int, person: str, band: str, band_name: str, right: str = "everything", player: str = "") -> Pass:
    return Pass(
        number=secrets.token_hex(12),
        user=user,
        person=person,
        band=band,
        band_name=band_name,
        until=time.time() + LASTS_S,
        right=right,
        player=player,
    )


def signed(one: Pass) -> str:
    return signing.dumps(asdict(one), salt=SALT, compress=True)


def read_pass(text: str | None) -> Pass | None:
    """The pass in a cookie; None where it is not ours, over, or ended."""
    if not text:
        return None
    try:
        found: dict[str, Any] = signing.loads(text, salt=SALT)
        one = Pass(**found)
    except (signing.BadSignature, TypeError):
        return None
    return one if one.until > time.time() and not is_ended(one) else None


def _ended_file() -> Path:
    return Path(settings.VAR) / "passes-ended"


_known: tuple[float, frozenset[str]] = (-1.0, frozenset())


def is_ended(one: Pass) -> bool:
    """Whether somebody signed out with it."""
    global _known
    try:
        changed = os.stat(_ended_file()).st_mtime_ns
    except OSError:
        return False
    if changed != _known[0]:
        with contextlib.suppress(OSError):
            _known = changed, frozenset(_ended_file().read_text().split())
    return one.number in _known[1]


def end(one: Pass) -> None:
    """Let nobody use a pass any more."""
    with open(_ended_file(), "a", encoding="ascii") as file:
        file.write(one.number + "\n")
