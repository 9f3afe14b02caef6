"""Processors: what changes the sound of a feed on its way to the sockets (rule M8)."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

import numpy as np


class Processor(Protocol):
    """Processes the sound of one feed, block after block. Its state goes on across seams."""

    @property
    def memory_frames(self) -> int:
        """How many frames of input a sample of output depends on at the most.

        A bounce that begins in the middle is warmed by that much, and so stays sample-exact.
        """
        ...

    def process(self, block: np.ndarray) -> np.ndarray:
        """The output for ``block``, float32 (channels, frames); the same shape."""
        ...


#: Makes a processor for a number of channels at a sample rate.
MakeProcessor = Callable[[int, int], Processor]
