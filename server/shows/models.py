"""What is taken to the stage."""

from __future__ import annotations

import uuid

from django.conf import settings
from django.db import models

from jobs.models import Job
from outputs.models import Rig
from people.models import Band, LineUp
from setlists.models import Setlist
from upbeat.limits import DESK_NOTE, REASON, TITLE


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
    #: What the desk engineer is told on the patch sheet.
    desk_note = models.CharField(max_length=DESK_NOTE, blank=True, default="")

    class Meta:
        ordering = ["-date", "title"]


class DressRun(Job):
    """A show looked at and played ahead of time (rule P6).

    ``document``: the show as it was then. ``result``: what ``upbeat dress-run`` gave; ``kept``: its measures by content.
    """

    show = models.ForeignKey(Show, on_delete=models.CASCADE, related_name="dress_runs")
    begun_at = models.DateTimeField(auto_now_add=True)
    document = models.JSONField()
    result = models.JSONField(default=dict)
    kept = models.JSONField(default=dict)

    class Meta:
        ordering = ["begun_at"]


class FaultLeft(models.Model):
    """A fault of a show's dress run that somebody left as it is, and why. ``fault``: its key (``dress_runs.key_of``)."""

    show = models.ForeignKey(Show, on_delete=models.CASCADE, related_name="faults_left")
    fault = models.CharField(max_length=64)
    reason = models.CharField(max_length=REASON)
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["show", "fault"], name="fault_left_once")]
