"""The patch sheet of a show: printed, as a table, as labels, and as a live page that needs no sign-in."""

from __future__ import annotations

import segno
from django.core import signing
from django.http import Http404, HttpRequest, HttpResponse
from django.urls import reverse

from api.printing import fitted
from shows.build import show_document
from shows.dress_runs import shown
from shows.models import Show
from upbeat.show.document import Show as CoreShow
from upbeat.show.document import read_show
from upbeat.show.patch_sheet import SIZES, labels, page, table

_SALT, _DAYS = "upbeat.patch-sheet", 120
_NARROW = '<meta name="viewport" content="width=device-width, initial-scale=1">'
_SCREEN_PT = 11.0


def sheet_pdf(show: Show, request: HttpRequest) -> bytes:
    """One page, with a picture that leads to the live one. Raises :class:`Refused`."""
    core = _core(show)
    qr = segno.make(live_address(show, request), error="m").svg_inline(border=0, omitsize=True)
    loud = _loudness(show)
    return fitted(lambda size: page(core, show.rig.name, size, show.desk_note, qr, loud), SIZES, 1)


def labels_pdf(show: Show) -> bytes:
    """Labels for the cables. Raises :class:`Refused`."""
    core = _core(show)
    return fitted(lambda _: labels(core), (SIZES[0],), 1)


def sheet_table(show: Show) -> str:
    """The sockets as CSV. Raises :class:`Refused`."""
    return table(_core(show))


def live_address(show: Show, request: HttpRequest) -> str:
    """Where the live page is: who has the address may read it, and nothing else."""
    token = signing.dumps(str(show.pk), salt=_SALT)
    return request.build_absolute_uri(reverse("patch-sheet", args=[token]))


def live_sheet(request: HttpRequest, token: str) -> HttpResponse:
    """The sheet as it is now, for whoever has its address."""
    try:
        found = signing.loads(token, salt=_SALT, max_age=_DAYS * 24 * 3600)
    except signing.BadSignature:
        raise Http404 from None
    show = Show.objects.select_related("band", "setlist", "rig", "line_up").filter(pk=found).first()
    if show is None:
        raise Http404
    html = page(_core(show), show.rig.name, _SCREEN_PT, show.desk_note, loudness=_loudness(show)).replace(
        "<title>", f"{_NARROW}<title>", 1
    )
    return HttpResponse(html, headers={"Cache-Control": "no-store", "Referrer-Policy": "no-referrer"})


def _loudness(show: Show) -> dict[str, float]:
    """What the newest dress run measured of each song."""
    return {e["title"]: e["integrated_lufs"] for e in shown(show)["entries"] if e["integrated_lufs"] is not None}


def _core(show: Show) -> CoreShow:
    return read_show(show_document(show)[0])
