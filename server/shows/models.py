"""What is taken to the stage."""

from __future__ import annotations

import uuid

from django.db import models

from outputs.models import Rig
from people.models import Band, LineUp
from setlists.models import Setlist
from upbeat.limits import TITLE


class Show(models.Model):
    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    band = models.ForeignKey(Band, on_delete=models.CASCADE, related_name="shows")
    title = models.CharField(max_length=TITLE)
    setlist = models.ForeignKey(Setlist, on_delete=models.CASCADE, related_name="shows")
    rig = models.ForeignKey(Rig, on_delete=models.CASCADE, related_name="shows")
    date = models.DateField(null=True, blank=True)
    line_up = models.ForeignKey(LineUp, on_delete=models.PROTECT, null=True, blank=True, related_name="shows")
    #: The name of a cue voice other than the band's.
    voice = models.CharField(max_length=48, blank=True, default="")

    class Meta:
        ordering = ["-date", "title"]
