"""Pages on paper: HTML to PDF, in the largest type that fits; cells of tables."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable, Sequence
from functools import cache
from pathlib import Path
from typing import Any

FONT = "font:archivo"
FACE = f'@font-face {{ font-family: Archivo; src: url({FONT}) format("woff2") }}'


def fitted(html: Callable[[float], str], sizes: Sequence[float], pages: int, font: Path | None = None) -> bytes:
    """PDF of what ``html`` gives for a size of type (pt), in the first of ``sizes`` that takes at most so many pages.

    ``sizes``: each smaller than the one before; the last is taken where none fits.
    ``font``: the file that :data:`FONT` names; without it the page has what the machine has.
    """
    # Begun only where something is printed.
    from weasyprint import HTML

    @cache
    def rendered(size: float) -> Any:
        return HTML(string=html(size), url_fetcher=_only(font)).render()

    # What fits in one size fits in every smaller one.
    first = bisect_left(sizes[:-1], True, key=lambda size: len(rendered(size).pages) <= pages)
    pdf: bytes = rendered(sizes[first]).write_pdf()
    return pdf


def _only(font: Path | None) -> Any:
    """Gives the product's own font and nothing else: what a page says never makes anybody read a file."""
    from weasyprint.urls import URLFetcher, URLFetcherResponse

    class OurFont(URLFetcher):  # type: ignore[misc]  # weasyprint has no types
        def fetch(self, url: str, headers: Any = None) -> URLFetcherResponse:
            if url != FONT or font is None:
                raise ValueError("only the product's own font is read")
            return URLFetcherResponse(url, font.read_bytes(), {"Content-Type": "font/woff2"})

    return OurFont()


def duration(seconds: float) -> str:
    """A length as it is read: 3:48, or 1:02:05."""
    whole = round(seconds)
    hours, rest = divmod(whole, 3600)
    return f"{hours}:{rest // 60:02d}:{rest % 60:02d}" if hours else f"{rest // 60}:{rest % 60:02d}"


def plain_cell(text: str) -> str:
    """A cell of a table that no spreadsheet takes for a formula."""
    return f"'{text}" if text[:1] in ("=", "+", "-", "@", "\t", "\r") else text
