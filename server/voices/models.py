"""Sounds that a band brought for its guides."""

from __future__ import annotations

import uuid
from pathlib import Path

from django.conf import settings
from django.db import models

from people.models import Band
from upbeat.limits import NAME


class OwnSound(models.Model):
    """A word recorded, or a click, of a band's own: made ready, kept by content. ``key``: its name, case folded.

    A word has a shortened rendering beside it; onsets are in frames at the rate of shows.
    """

    class Kind(models.TextChoices):
        WORD = "word"
        CLICK = "click"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    band = models.ForeignKey(Band, on_delete=models.CASCADE, related_name="own_sounds")
    kind = models.CharField(max_length=8, choices=Kind.choices)
    name = models.CharField(max_length=NAME)
    key = models.CharField(max_length=160)
    content = models.CharField(max_length=64)
    frames = models.PositiveIntegerField()
    onset = models.PositiveIntegerField(default=0)
    fast_onset = models.PositiveIntegerField(default=0)
    made = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["band", "kind", "key"], name="own_sound_once")]

    def file(self, fast: bool = False) -> str:
        """Its file, below the media folder."""
        return f"own/{self.band_id}/{self.content}{'-fast' if fast else ''}.wav"

    def path(self, fast: bool = False) -> Path:
        return Path(settings.MEDIA / self.file(fast))

    @property
    def click_name(self) -> str:
        """What a click's settings call it."""
        return f"own:{self.pk}"
