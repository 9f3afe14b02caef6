"""What goes where. The rules of it (loops, click in the house) live in ``upbeat.mix.routing``."""

from __future__ import annotations

import uuid

from django.db import models

from api.ranges import within
from people.models import Band
from people.revised import Revised
from upbeat.limits import FEED_CHANNELS, FEED_GAIN_DB, PATCH_DELAY_MS, SOCKETS, TITLE


class Rig(Revised):
    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    band = models.ForeignKey(Band, on_delete=models.CASCADE, related_name="rigs")
    name = models.CharField(max_length=TITLE)
    position = models.PositiveIntegerField(default=0)
    #: The interface that is used with this rig (``playout.devices.Choice``); None where none was chosen.
    interface = models.JSONField(null=True)

    class Meta:
        ordering = ["position", "name"]


class Socket(models.Model):
    class Use(models.TextChoices):
        FREE = "free"
        KEPT = "kept"

    rig = models.ForeignKey(Rig, on_delete=models.CASCADE, related_name="sockets")
    number = models.PositiveSmallIntegerField(validators=within(SOCKETS))
    label = models.CharField(max_length=120, blank=True)
    use = models.CharField(max_length=8, choices=Use.choices, default=Use.FREE)
    balanced = models.BooleanField(default=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["rig", "number"], name="socket_number_once")]


class Feed(models.Model):
    class Kind(models.TextChoices):
        HOUSE = "house"
        MONITOR = "monitor"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    band = models.ForeignKey(Band, on_delete=models.CASCADE, related_name="feeds")
    name = models.CharField(max_length=TITLE)
    kind = models.CharField(max_length=8, choices=Kind.choices)
    channels = models.PositiveSmallIntegerField(default=2, validators=within(FEED_CHANNELS))
    gain_db = models.FloatField(default=0, validators=within(FEED_GAIN_DB))
    #: What is alone by hand is heard alone in it (rule M7).
    alone = models.BooleanField(default=False)
    position = models.PositiveIntegerField(default=0)

    class Meta:
        ordering = ["position", "name"]


class Send(models.Model):
    """How loud a source (``click``, ``cues``, ``group:…``, ``feed:…``) is in a feed."""

    feed = models.ForeignKey(Feed, on_delete=models.CASCADE, related_name="sends")
    source = models.CharField(max_length=80)
    gain_db = models.FloatField(default=0, validators=within(FEED_GAIN_DB))

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["feed", "source"], name="send_once")]


class Patch(models.Model):
    """One side of a feed on one socket of a rig."""

    class Side(models.TextChoices):
        LEFT = "left"
        RIGHT = "right"
        MONO = "mono"

    rig = models.ForeignKey(Rig, on_delete=models.CASCADE, related_name="patches")
    feed = models.ForeignKey(Feed, on_delete=models.CASCADE, related_name="patches")
    side = models.CharField(max_length=8, choices=Side.choices)
    socket = models.PositiveSmallIntegerField()
    trim_db = models.FloatField(default=0, validators=within(FEED_GAIN_DB))
    delay_ms = models.FloatField(default=0, validators=within(PATCH_DELAY_MS))
    invert = models.BooleanField(default=False)

    class Meta:
        ordering = ["socket", "pk"]
        constraints = [models.UniqueConstraint(fields=["rig", "feed", "side", "socket"], name="patch_once")]
