"""The hands of a band: what its pads, pedals, keys and faders do."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from people.models import Band


class BandHands(models.Model):
    """``document``: as ``upbeat.controls.hands`` reads it."""

    band = models.OneToOneField(Band, on_delete=models.CASCADE, related_name="hands")
    document = models.JSONField(default=dict)


class HandsChange(models.Model):
    """A change of a band's hands, with all of them before and after it (``hands.changes``)."""

    band = models.ForeignKey(Band, on_delete=models.CASCADE, related_name="hands_changes")
    before = models.JSONField()
    after = models.JSONField()
    undone = models.BooleanField(default=False)
    user = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, blank=True, related_name="+"
    )
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["pk"]
