"""Who is in the band, as the database knows it."""

from __future__ import annotations

from django.contrib.auth.models import User

from people.models import Band, band_of
from people.passes import Pass


def is_member(one: Pass) -> bool:
    """Whether the owner of a pass is active and still in its band.

    A band that is deleted turns nobody out: what it has loaded can still be stopped.
    """
    if not Band.objects.filter(pk=one.band).exists():
        return True
    user = User.objects.filter(pk=one.user, is_active=True).first()
    band = band_of(user) if user is not None else None
    return band is not None and str(band.pk) == one.band
