"""Compiles the loops that play what stems and feeds go through, or reads them as they were compiled.

A loop is compiled, for some seconds, when it is called for the first time: in a song that would be heard. ``./setup`` has it done
once (``python -m upbeat.mix.compiled``); the engine reads them before it starts a renderer.
"""

from __future__ import annotations

import numpy as np

from upbeat.audio.stem_kernels import add_pairs, add_rows, factored, meter_rows, raise_peaks, read_meters, sounding
from upbeat.mix.ceilings import Ceilings
from upbeat.mix.driven import DrivenPcm
from upbeat.mix.matrix import Lane, lane_weights
from upbeat.mix.processors.echo_line import EchoLine, Repeats
from upbeat.mix.processors.tone_filter import ToneFilter
from upbeat.mix.routing import Feed, Patch, Routing, Socket
from upbeat.song.tone import Tone
from upbeat.song.treatment import Drive, Gate

FRAMES = 512


def compiled(sample_rate: int = 48_000) -> None:
    """Call every loop as playing does."""
    weights = lane_weights(np.ones((1, 2)), [Lane(2, (0,))], [0])[0]
    for loop, block in ((add_pairs, np.ones((1, FRAMES), np.int32)), (add_rows, np.ones((2, FRAMES), np.float32))):
        loop(block, 0, *weights, np.zeros((1, FRAMES), np.float32), 0, FRAMES, np.zeros(1, np.float32))
    loud = np.full((2, FRAMES), 0.9, np.float32)
    sounding(loud[0])
    meter_rows(loud, 0, FRAMES, np.zeros(2, np.float32), np.zeros(2))
    read_meters(np.zeros(2, np.float32), np.zeros(2), FRAMES, np.zeros((2, 2)))
    factored(np.zeros(2, np.float32), np.zeros(2))
    peaks, first = np.zeros(1, np.float32), np.zeros(1, np.int64)
    raise_peaks(peaks, first, np.ones(1, np.float32), first, np.ones(1, np.float32))
    ToneFilter(2, sample_rate, Tone(low_cut_hz=80)).process(loud)
    for dtype in (np.int16, np.float32):
        DrivenPcm(np.ones((FRAMES, 2), dtype), sample_rate, Gate(), Drive())[0:FRAMES]
    echo = EchoLine(2, sample_rate, 2 * FRAMES)
    echo.to(Repeats(FRAMES, (0.5,)), send=1.0, heard=1.0, frame=0, ramp=1)
    echo.process(loud, 0)
    feed = Feed(id="f", name="F", kind="house", channels=2, ceiling_db=-6.0)
    wires = (Patch(feed="f", side="left", socket=1), Patch(feed="f", side="right", socket=2))
    routing = Routing(feeds=(feed,), sockets=(Socket(number=1), Socket(number=2)), patches=wires)
    Ceilings(sample_rate, routing, ramp=1).process(loud)


if __name__ == "__main__":
    compiled()
