"""Who is in the band, as the database knows it."""

from __future__ import annotations

from dataclasses import replace

from django.contrib.auth.models import User

from people.models import Band, membership_of
from people.passes import Pass


def as_now(one: Pass) -> Pass | None:
    """A pass with the rights that its owner has now; None where they are not active or not in its band any more.

    A band that is deleted turns nobody out: what it has loaded can still be stopped.
    """
    if not Band.objects.filter(pk=one.band).exists():
        return one
    user = User.objects.filter(pk=one.user, is_active=True).first()
    member = membership_of(user) if user is not None else None
    if member is None or str(member.band_id) != one.band:
        return None
    return replace(one, right=member.right, player=str(member.player_id or ""))
