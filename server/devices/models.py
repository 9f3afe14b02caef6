"""The devices of a band: keyboards, desks and films that get messages."""

from __future__ import annotations

from django.db import models

from api.kept import KeptChange
from people.models import Band


class BandDevices(models.Model):
    """``document``: devices as a show has them (``upbeat.messages.kinds``)."""

    band = models.OneToOneField(Band, on_delete=models.CASCADE, related_name="devices")
    document = models.JSONField(default=list)


class DevicesChange(KeptChange):
    """A change of a band's devices."""

    band = models.ForeignKey(Band, on_delete=models.CASCADE, related_name="devices_changes")

    class Meta(KeptChange.Meta):
        pass
