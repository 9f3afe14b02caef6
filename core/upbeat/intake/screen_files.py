"""Checking a film or a picture for screens: that it is one, and that browsers show it. Read by PyAV."""

from __future__ import annotations

from pathlib import Path
from typing import Literal, NamedTuple

from upbeat.errors import Refused, refuse
from upbeat.limits import FILM_BYTES, STILL_BYTES

#: Codecs of video by the container that browsers play them in without more (WebM project; RFC 9559, ISO/IEC 14496-12).
FILMS = {"webm": ("vp8", "vp9", "av1"), "mp4": ("h264", "av1", "vp9")}
STILLS = {"png_pipe": "image/png", "jpeg_pipe": "image/jpeg", "webp_pipe": "image/webp", "image2": "image/jpeg"}
MOST_PIXELS = 4096 * 2304


class ScreenFileFacts(NamedTuple):
    """``type``: as a browser is told it (RFC 6838). ``seconds`` and ``fps`` of a film."""

    kind: Literal["film", "still"]
    type: str
    width: int
    height: int
    seconds: float = 0.0
    fps: float = 0.0


def check_size(name: str, size: int) -> None:
    """Refuse a film or picture that is too big before it is read. Raises :class:`Refused`."""
    if size > FILM_BYTES:
        raise refuse(
            "film-big",
            f"“{name}” has {size / (1 << 30):.1f} GB: a film has at most {FILM_BYTES >> 30} GB. Make it smaller.",
        )
    if size == 0:
        raise refuse("film-empty", f"“{name}” is empty: export it again.")


def read_screen_file(path: Path, name: str) -> ScreenFileFacts:
    """What a file is, by its content. Raises :class:`Refused` for one that no browser shows."""
    import av

    size = path.stat().st_size
    check_size(name, size)
    try:
        with av.open(str(path)) as container:
            return _facts(container, name, size)
    except (av.FFmpegError, ValueError, UnicodeDecodeError) as error:
        raise _no_film(name) from error


def _facts(container: object, name: str, size: int) -> ScreenFileFacts:
    import av

    assert isinstance(container, av.container.InputContainer)
    formats = container.format.name.split(",")
    if not container.streams.video:
        raise refuse("film-no-picture", f"“{name}” has no picture, only sound: choose the film itself.")
    stream = container.streams.video[0]
    try:
        frame = next(container.decode(stream), None)
    except av.FFmpegError as error:
        raise _no_film(name) from error
    if frame is None:
        raise _no_film(name)
    width, height = frame.width, frame.height
    if width * height > MOST_PIXELS:
        raise refuse("film-large", f"“{name}” has {width}x{height} pixels: make it 4096x2304 at most.")
    still = next((STILLS[f] for f in formats if f in STILLS), None)
    if still is not None:
        if size > STILL_BYTES:
            raise refuse("still-big", f"“{name}” has {size >> 20} MB: a picture has at most {STILL_BYTES >> 20} MB.")
        return ScreenFileFacts("still", still, width, height)
    codec = stream.codec_context.codec.canonical_name
    box = "webm" if "webm" in formats else "mp4" if "mp4" in formats else None
    if box is None or codec not in FILMS[box]:
        raise refuse(
            "film-kind",
            f"“{name}” is of a kind that browsers do not play ({formats[0]}, {codec}): "
            "export it as WebM (VP9) or MP4 (H.264).",
        )
    seconds = _seconds(container, stream)
    fps = float(stream.average_rate or stream.guessed_rate or 0)
    if seconds <= 0 or fps <= 0:
        raise refuse("film-length", f"“{name}” does not say how long it is: export it again.")
    return ScreenFileFacts("film", f"video/{box}", width, height, round(seconds, 3), round(fps, 4))


def _seconds(container: object, stream: object) -> float:
    """How long a film lasts, by its container or its stream."""
    import av

    assert isinstance(container, av.container.InputContainer)
    if container.duration:
        return float(container.duration) / av.time_base
    duration, base = getattr(stream, "duration", None), getattr(stream, "time_base", None)
    return float(duration * base) if duration and base else 0.0


def _no_film(name: str) -> Refused:
    return refuse(
        "film-none", f"“{name}” is no film and no picture that can be read: export it as WebM or MP4, PNG or JPEG."
    )
