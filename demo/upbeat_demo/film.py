"""The dome film of the demo: stars that turn about the pole, a wave of lanterns on every beat."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np

WIDTH, HEIGHT, FPS, STARS, LANTERNS = 480, 270, 25, 160, 7


def write_film(path: Path, seconds: float, bpm: float) -> None:
    """Write a film of so many seconds as WebM (VP8), silent."""
    rng = np.random.default_rng(7)
    radius, angle = np.sqrt(rng.random(STARS)) * 420, rng.random(STARS) * 2 * np.pi
    bright = rng.uniform(90, 255, STARS)
    sky = np.linspace((10, 16, 42), (46, 28, 58), HEIGHT)[:, None, :].repeat(WIDTH, axis=1)
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH]
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libvpx", rate=FPS, options={"deadline": "realtime", "cpu-used": "8", "g": "25"})
        stream.width, stream.height, stream.pix_fmt, stream.bit_rate = WIDTH, HEIGHT, "yuv420p", 900_000
        stream.time_base = Fraction(1, FPS)
        for n in range(round(seconds * FPS)):
            picture = sky.copy()
            _stars(picture, radius, angle + n / FPS * 0.06, bright)
            _lanterns(picture, x, y, n / FPS * bpm / 60)
            frame = av.VideoFrame.from_ndarray(picture.astype(np.uint8), format="rgb24")
            frame.pts, frame.time_base = n, Fraction(1, FPS)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))


def _stars(picture: np.ndarray, radius: np.ndarray, angle: np.ndarray, bright: np.ndarray) -> None:
    across = np.round(WIDTH / 2 + radius * np.cos(angle)).astype(int)
    down = np.round(HEIGHT + 20 + radius * np.sin(angle)).astype(int)
    seen = (across >= 0) & (across < WIDTH - 1) & (down >= 0) & (down < HEIGHT - 1)
    for dx, dy in ((0, 0), (1, 0), (0, 1)):
        picture[down[seen] + dy, across[seen] + dx] = bright[seen, None]


def _lanterns(picture: np.ndarray, x: np.ndarray, y: np.ndarray, beats: float) -> None:
    """Lanterns low in the dome; one lights up on each beat and fades."""
    lit, fading = int(beats) % LANTERNS, beats % 1
    for i in range(LANTERNS):
        centre = (WIDTH * (i + 0.5) / LANTERNS, HEIGHT - 46 - 10 * np.sin(i))
        left, right = int(centre[0]) - 34, int(centre[0]) + 34
        top, bottom = int(centre[1]) - 34, min(HEIGHT, int(centre[1]) + 34)
        box = slice(max(0, top), bottom), slice(max(0, left), right)
        near = np.exp(-((x[box] - centre[0]) ** 2 + (y[box] - centre[1]) ** 2) / 220)
        strength = 70 + (150 * (1 - fading) if i == lit else 0)
        picture[box] = np.minimum(255, picture[box] + near[..., None] * np.array((1.0, 0.72, 0.3)) * strength)
