"""Pages on paper: HTML to PDF in the product's own type, as large as it fits."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any
from urllib.parse import quote

from django.conf import settings
from django.http import HttpResponse
from weasyprint import HTML
from weasyprint.urls import URLFetcher, URLFetcherResponse

FONT = "font:archivo"
FACE = f'@font-face {{ font-family: Archivo; src: url({FONT}) format("woff2") }}'


class _OurFont(URLFetcher):  # type: ignore[misc]  # weasyprint has no types
    """Gives the product's own font and nothing else: what a page says never makes the server read a file."""

    def fetch(self, url: str, headers: Any = None) -> URLFetcherResponse:
        found = sorted((settings.WEB_BUILD / "assets").glob("archivo-latin-wdth-normal-*.woff2"))
        if url != FONT or not found:
            raise ValueError("only the product's own font is read")
        return URLFetcherResponse(url, found[0].read_bytes(), {"Content-Type": "font/woff2"})


def fitted(html: Callable[[float], str], sizes: Sequence[float], pages: int) -> bytes:
    """PDF of what ``html`` gives for a size of type (pt), in the first of ``sizes`` that takes at most so many pages."""
    for size in sizes:
        document = HTML(string=html(size), url_fetcher=_OurFont()).render()
        if len(document.pages) <= pages or size == sizes[-1]:
            break
    pdf: bytes = document.write_pdf()
    return pdf


def duration(seconds: float) -> str:
    """A length as it is read: 3:48, or 1:02:05."""
    whole = round(seconds)
    hours, rest = divmod(whole, 3600)
    return f"{hours}:{rest // 60:02d}:{rest % 60:02d}" if hours else f"{rest // 60}:{rest % 60:02d}"


def pdf_answer(pdf: bytes, name: str) -> HttpResponse:
    """A PDF to be shown by the browser, under a name."""
    shown = f"inline; filename*=UTF-8''{quote(f'{name}.pdf')}"
    return HttpResponse(pdf, content_type="application/pdf", headers={"Content-Disposition": shown})
