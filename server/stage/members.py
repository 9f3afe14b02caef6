"""Who is in the band, as the database knows it."""

from __future__ import annotations

from django.contrib.auth.models import User

from people.models import band_of
from people.passes import Pass


def is_member(one: Pass) -> bool:
    """Whether the owner of a pass is active and still in its band."""
    user = User.objects.filter(pk=one.user, is_active=True).first()
    band = band_of(user) if user is not None else None
    return band is not None and str(band.pk) == one.band
