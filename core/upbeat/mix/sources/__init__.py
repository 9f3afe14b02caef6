"""Sources: what fills the columns of the matrix."""

from __future__ import annotations

from typing import Any, Protocol

import numpy as np

from upbeat.mix.routing import Column
from upbeat.play.advance import Span


class Source(Protocol):
    """A source whose columns are the same for every song.

    Stems are not one: their columns and gains belong to the steps of a song (``stems.StemVoices``).
    """

    @property
    def columns(self) -> tuple[Column, ...]: ...

    def fill(self, span: Span, into: np.ndarray) -> bool:
        """Add the sound of a span to ``into``, float32 zeros (columns, frames); False where it is silent.

        Spans come in order and without gaps, also while the source is silent.
        """
        ...

    def saved(self) -> Any:
        """All that a span to come depends on, to be restored."""
        ...

    def restore(self, saved: Any) -> None: ...
