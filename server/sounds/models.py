"""Sounds that are fired by hand."""

from __future__ import annotations

import uuid
from pathlib import Path

from django.conf import settings
from django.db import models

from api.ranges import within
from people.models import Band
from songs.models import Song
from upbeat.limits import HAND_SOUND_GAIN_DB, NAME
from upbeat.song.hand_sounds import AGAINS, HAND_SOUND_GROUPS


class HandSound(models.Model):
    """On the shelf of a band, or of one song. Its file is kept by content."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    band = models.ForeignKey(Band, on_delete=models.CASCADE, related_name="hand_sounds")
    song = models.ForeignKey(Song, on_delete=models.CASCADE, null=True, blank=True, related_name="hand_sounds")
    name = models.CharField(max_length=NAME)
    content = models.CharField(max_length=64)
    frames = models.PositiveIntegerField()
    channels = models.PositiveSmallIntegerField()
    group = models.CharField(max_length=12, choices=[(g, g) for g in HAND_SOUND_GROUPS], default="effects")
    gain_db = models.FloatField(default=0, validators=within(HAND_SOUND_GAIN_DB))
    again = models.CharField(max_length=12, choices=[(a, a) for a in AGAINS], default="from_top")
    #: Of sounds with the same word here one rings at a time.
    only = models.CharField(max_length=NAME, blank=True, default="")
    position = models.PositiveIntegerField(default=0)

    class Meta:
        ordering = ["position", "name"]

    @property
    def file(self) -> str:
        """Its file, below the media folder."""
        return f"hand/{self.band_id}/{self.content}.wav"

    @property
    def path(self) -> Path:
        return Path(settings.MEDIA / self.file)
