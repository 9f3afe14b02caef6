"""Pages on paper, in the product's own type."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from urllib.parse import quote

from django.conf import settings
from django.http import HttpResponse

from upbeat import paper
from upbeat.paper import FACE, duration

__all__ = ["FACE", "duration", "fitted", "pdf_answer"]


def fitted(html: Callable[[float], str], sizes: Sequence[float], pages: int) -> bytes:
    """:func:`upbeat.paper.fitted` in the font of the pages."""
    found = sorted((settings.WEB_BUILD / "assets").glob("archivo-latin-wdth-normal-*.woff2"))
    return paper.fitted(html, sizes, pages, found[0] if found else None)


def pdf_answer(pdf: bytes, name: str) -> HttpResponse:
    """A PDF to be shown by the browser, under a name."""
    shown = f"inline; filename*=UTF-8''{quote(f'{name}.pdf')}"
    return HttpResponse(pdf, content_type="application/pdf", headers={"Content-Disposition": shown})
