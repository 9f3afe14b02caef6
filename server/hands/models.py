"""The hands of a band: what its pads, pedals, keys and faders do."""

from __future__ import annotations

from django.db import models

from api.kept import KeptChange
from people.models import Band


class BandHands(models.Model):
    """``document``: as ``upbeat.controls.hands`` reads it."""

    band = models.OneToOneField(Band, on_delete=models.CASCADE, related_name="hands")
    document = models.JSONField(default=dict)


class HandsChange(KeptChange):
    """A change of a band's hands."""

    band = models.ForeignKey(Band, on_delete=models.CASCADE, related_name="hands_changes")

    class Meta(KeptChange.Meta):
        pass
