"""The running order."""

from __future__ import annotations

import uuid

from django.conf import settings
from django.db import models

from api.ranges import within
from jobs.models import Job
from people.models import Band
from people.revised import Revised
from songs.models import Song
from upbeat.limits import (
    COLOURS,
    ENTRY_NOTE,
    INTERVAL_MINUTES,
    KEY_SEMITONES,
    LINK_S,
    NAME,
    SLOT_MINUTES,
    TEMPO_PERCENT,
    TITLE,
)
from upbeat.song.key_tempo import AS_RECORDED, KeyTempo, key_tempo


class Setlist(Revised):
    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    band = models.ForeignKey(Band, on_delete=models.CASCADE, related_name="setlists")
    name = models.CharField(max_length=TITLE)
    slot_minutes = models.PositiveIntegerField(default=75, validators=within(SLOT_MINUTES))
    starts_at = models.TimeField(null=True, blank=True)

    class Meta:
        ordering = ["name"]


class Entry(models.Model):
    """A song in one form, an interval (no song), or the heading of a set (``set_name``); and the link to what follows."""

    class Link(models.TextChoices):
        WAIT = "wait"
        ATTACCA = "attacca"
        AFTER = "after"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    setlist = models.ForeignKey(Setlist, on_delete=models.CASCADE, related_name="entries")
    song = models.ForeignKey(Song, on_delete=models.CASCADE, related_name="entries", null=True, blank=True)
    form = models.CharField(max_length=40, blank=True)
    position = models.PositiveIntegerField()
    link = models.CharField(max_length=8, choices=Link.choices, default=Link.WAIT)
    #: Of the silence of *after*, or of the talk that is expected at *wait*.
    link_seconds = models.FloatField(default=0, validators=within(LINK_S))
    #: What sounds until the next bar 1 (``upbeat.show.document.PADS``): "" for nothing.
    pad = models.CharField(max_length=16, blank=True, default="")
    #: Its title is spoken before its count-in (rule Q8).
    call_title = models.BooleanField(default=False)
    #: The label of timecode of its bar 1; "" for the hour of its number (rule S4).
    timecode = models.CharField(max_length=11, blank=True, default="")
    #: What screens for the audience show (``upbeat.song.screen.SHOWS``).
    screen = models.CharField(max_length=8, blank=True, default="song")
    #: The key and tempo that it is played in, against those that it was recorded in (rule V1); None: those of its song.
    semitones = models.SmallIntegerField(null=True, blank=True, validators=within(KEY_SEMITONES))
    tempo_percent = models.FloatField(null=True, blank=True, validators=within(TEMPO_PERCENT))
    #: For the crew: what happens in it, who changes what.
    note = models.CharField(max_length=ENTRY_NOTE, blank=True, default="")
    #: 1 to 6, as sections have them; None for none. Of a heading: that of its set.
    colour = models.PositiveSmallIntegerField(null=True, blank=True, validators=within(COLOURS))
    #: Players (by id) who are on in this entry, or away, other than in the show's line-up.
    players = models.JSONField(default=dict, blank=True)
    #: A set of this name begins here, and goes to the next heading.
    set_name = models.CharField(max_length=NAME, blank=True, default="")
    interval_minutes = models.PositiveIntegerField(null=True, blank=True, validators=within(INTERVAL_MINUTES))

    class Meta:
        ordering = ["position"]

    @property
    def change(self) -> KeyTempo:
        usual = self.song.played if self.song is not None else AS_RECORDED
        return key_tempo(
            usual.semitones if self.semitones is None else self.semitones,
            usual.percent if self.tempo_percent is None else self.tempo_percent,
        )

    @property
    def is_heading(self) -> bool:
        return self.song_id is None and bool(self.set_name)


class KeptState(models.Model):
    """A setlist as it was when somebody kept it. ``state``: the whole of it (``changes.state_of``)."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    setlist = models.ForeignKey(Setlist, on_delete=models.CASCADE, related_name="kept_states")
    name = models.CharField(max_length=TITLE)
    state = models.JSONField()
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-at"]


class Playlist(Job):
    """The songs of a setlist made as sound files (``playlist``)."""

    setlist = models.ForeignKey(Setlist, on_delete=models.CASCADE, related_name="playlists")
    begun_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["pk"]


class Change(models.Model):
    """One change of a setlist, for undo and redo: the whole of it before and after (``changes.kept``)."""

    setlist = models.ForeignKey(Setlist, on_delete=models.CASCADE, related_name="changes")
    before = models.JSONField()
    after = models.JSONField()
    undone = models.BooleanField(default=False)
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["pk"]
