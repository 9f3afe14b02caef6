"""The edits in the OpenAPI document: name and arguments of each."""

from __future__ import annotations

from api.typed import tagged
from songs.edits.registry import EDITS

EDIT_REQUEST = tagged(
    "EditRequest",
    "do",
    {name: (EDITS[name].apply.__doc__ or "", EDITS[name].arguments) for name in sorted(EDITS)},
    revision={"type": "integer", "description": "What the page shows, so that no edit is lost."},
    changes={"type": "boolean", "description": "Answer only the parts of the song that changed."},
)
