"""What goes where. The rules of it (loops, click in the house) live in ``upbeat.mix.routing``."""

from __future__ import annotations

import uuid

from django.conf import settings
from django.db import models

from api.ranges import within
from people.models import Band, Player
from people.revised import Revised
from upbeat.limits import (
    CABLE_M,
    CEILING_DB,
    FEED_CHANNELS,
    FEED_GAIN_DB,
    PAIR,
    PATCH_DELAY_MS,
    SOCKET_TEXT,
    SOCKETS,
    TITLE,
)


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
    """``label``: where it leads; ``printed``: what stands on the box; ``mirrored``: a socket that gives the same."""

    class Use(models.TextChoices):
        FREE = "free"
        KEPT = "kept"

    rig = models.ForeignKey(Rig, on_delete=models.CASCADE, related_name="sockets")
    number = models.PositiveSmallIntegerField(validators=within(SOCKETS))
    label = models.CharField(max_length=120, blank=True)
    use = models.CharField(max_length=8, choices=Use.choices, default=Use.FREE)
    balanced = models.BooleanField(default=True)
    headphones = models.BooleanField(default=False)
    printed = models.CharField(max_length=SOCKET_TEXT, blank=True)
    desk = models.CharField(max_length=SOCKET_TEXT, blank=True)
    mirrored = models.CharField(max_length=SOCKET_TEXT, blank=True)
    cable_m = models.FloatField(default=0, validators=within(CABLE_M))
    #: The socket that it makes a pair with (``upbeat.outputs.pairs``).
    pair = models.PositiveSmallIntegerField(default=0, validators=within(PAIR))

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
    #: Whose mix it is.
    player = models.ForeignKey(Player, on_delete=models.SET_NULL, null=True, blank=True, related_name="mixes")
    #: Where it is cut, and how loud its lows, middle and highs are (``upbeat.song.tone``); None: as it is.
    tone = models.JSONField(null=True, blank=True)
    #: No true peak of its sockets is above it, in dBTP; None: there is none.
    ceiling_db = models.FloatField(null=True, blank=True, validators=within(CEILING_DB))
    position = models.PositiveIntegerField(default=0)

    class Meta:
        ordering = ["position", "name"]


class Send(models.Model):
    """How loud a source (``click``, ``cues``, ``group:…``, ``stem:…``, ``feed:…``) is in a feed."""

    feed = models.ForeignKey(Feed, on_delete=models.CASCADE, related_name="sends")
    source = models.CharField(max_length=80)
    gain_db = models.FloatField(default=0, validators=within(FEED_GAIN_DB))
    #: Of a feed: taken before its own level.
    before = models.BooleanField(default=False)

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
    #: Proposed for this rig and not changed by hand since.
    folded = models.BooleanField(default=False)

    class Meta:
        ordering = ["socket", "pk"]
        constraints = [models.UniqueConstraint(fields=["rig", "feed", "side", "socket"], name="patch_once")]


class Change(models.Model):
    """A change of a band's feeds and rigs, with all of them before and after it (``outputs.changes``)."""

    band = models.ForeignKey(Band, on_delete=models.CASCADE, related_name="output_changes")
    before = models.JSONField()
    after = models.JSONField()
    undone = models.BooleanField(default=False)
    user = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, blank=True, related_name="+"
    )
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["pk"]
