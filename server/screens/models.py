"""Films and pictures of a band."""

from __future__ import annotations

import uuid
from pathlib import Path

from django.conf import settings
from django.db import models

from people.models import Band
from upbeat.limits import NAME


class ScreenFile(models.Model):
    """Its file is kept by content, and never changed."""

    class Kind(models.TextChoices):
        FILM = "film"
        STILL = "still"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    band = models.ForeignKey(Band, on_delete=models.CASCADE, related_name="screen_files")
    name = models.CharField(max_length=NAME)
    kind = models.CharField(max_length=8, choices=Kind.choices)
    content = models.CharField(max_length=64)
    type = models.CharField(max_length=40)
    size = models.PositiveBigIntegerField()
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    seconds = models.FloatField(default=0)
    fps = models.FloatField(default=0)
    added = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["band", "content"], name="screen_file_once")]

    @property
    def path(self) -> Path:
        return Path(settings.MEDIA / "screens" / str(self.band_id) / self.content)
