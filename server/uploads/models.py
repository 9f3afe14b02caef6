"""Uploads on their way to becoming stems."""

from __future__ import annotations

import uuid
from pathlib import Path

from django.conf import settings
from django.db import models

from people.models import Band
from songs.models import Song


class Upload(models.Model):
    """A file being sent and imported. ``received`` counts the bytes on disk."""

    class Status(models.TextChoices):
        SENDING = "sending"
        WAITING = "waiting"
        READING = "reading"
        DONE = "done"
        REFUSED = "refused"
        CANCELLED = "cancelled"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    band = models.ForeignKey(Band, on_delete=models.CASCADE)
    song = models.ForeignKey(Song, on_delete=models.CASCADE, related_name="uploads")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True)
    name = models.CharField(max_length=255)
    size = models.BigIntegerField()
    received = models.BigIntegerField(default=0)
    status = models.CharField(max_length=10, choices=Status.choices, default=Status.SENDING)
    progress = models.FloatField(default=0)
    code = models.CharField(max_length=60, blank=True)
    message = models.TextField(blank=True)
    stem = models.UUIDField(null=True)
    stem_name = models.CharField(max_length=120, blank=True)
    group = models.CharField(max_length=12, blank=True)
    #: What the stem is for, where a person said so; else its name does.
    purpose = models.CharField(max_length=12, blank=True)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["made", "name"]

    @property
    def path(self) -> Path:
        return Path(settings.MEDIA / "uploads" / str(self.pk))
