"""A band's hands: kept, to be changed and taken back, and written down for the process of the ports."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import msgspec
from django.conf import settings

from api.kept import KeptDocument
from hands.models import BandHands, HandsChange
from playout.files import replace_file
from upbeat.controls.hands import Hands, as_data, read_hands


def write_down(band: str, document: dict[str, Any]) -> None:
    """Write a band's hands where the process of the ports reads them."""
    folder = Path(settings.VAR) / "hands"
    folder.mkdir(exist_ok=True)
    replace_file(folder / f"{band}.json", msgspec.json.encode(document))


KEPT: KeptDocument[Hands] = KeptDocument(
    document=BandHands, changes=HandsChange, read=read_hands, as_data=as_data, on_kept=write_down
)
