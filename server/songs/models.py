"""What a song is made of. Rules and arithmetic are the core's."""

from __future__ import annotations

import uuid
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import models
from django.utils import timezone

from api.ranges import within
from jobs.models import Job
from people.models import Band, Player
from upbeat.limits import (
    BARS,
    COUNT_IN_BARS,
    CROSSFADE_MS,
    CUE,
    KEY,
    KEY_SEMITONES,
    LEAD_BARS,
    NAME,
    RING_ON_S,
    STEM_NAME,
    TEMPO_PERCENT,
    TITLE,
)
from upbeat.song.key_tempo import KeyTempo, key_tempo
from upbeat.song.song import Song as CoreSong

# What of a stem is a setting of the core's stem by the same name.
STEM_SETTINGS = (
    "gain_db",
    "pan",
    "invert",
    "muted",
    "delay_ms",
    "flip_side",
    "mono",
    "start_s",
    "end_s",
    "fade_in_s",
    "fade_out_s",
    "width",
    "feeds",
    "keeps_pitch",
    "treatment",
)
# What it does in single sections, as in the show document.
CELLS = ("tacet", "levels", "fades", "treatments")


def first_tempo() -> list[dict[str, Any]]:
    return [{"bar": 1, "bpm": "120"}]


def first_meter() -> list[dict[str, Any]]:
    return [{"bar": 1, "meter": "4/4"}]


class Song(models.Model):
    """``tempo`` and ``meters`` are as in the show document; ``endings``: section id to ending; ``pins``: bar to
    the seconds that its bar line was put at by hand; ``chords``: bar to what is written in it; ``gain_db``
    is for every line-up that has none of its own in ``gains`` (line-up id to decibels); ``marks_done``: places
    marked in rehearsal (``stage.marks``) that were seen to."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    band = models.ForeignKey(Band, on_delete=models.CASCADE, related_name="songs")
    title = models.CharField(max_length=TITLE)
    key = models.CharField(max_length=KEY, blank=True)
    tempo = models.JSONField(default=first_tempo)
    meters = models.JSONField(default=first_meter)
    bar1_s = models.CharField(max_length=40, default="0")
    pickup = models.CharField(max_length=20, default="0")
    count_in_bars = models.PositiveSmallIntegerField(default=2, validators=within(COUNT_IN_BARS))
    count_in_aloud = models.BooleanField(default=True)
    count_in_sticks = models.BooleanField(default=False)
    click = models.JSONField(default=dict)
    crossfade_ms = models.FloatField(default=10, validators=within(CROSSFADE_MS))
    ring_on_s = models.FloatField(default=0, validators=within(RING_ON_S))
    calls = models.BooleanField(default=True)
    lead = models.PositiveSmallIntegerField(default=1, validators=within(LEAD_BARS))
    endings = models.JSONField(default=dict)
    pins = models.JSONField(default=dict)
    chords = models.JSONField(default=dict)
    note = models.TextField(blank=True)
    gain_db = models.FloatField(default=0)
    gains = models.JSONField(default=dict)
    edges = models.JSONField(default=dict)
    cues = models.JSONField(default=list)
    messages = models.JSONField(default=list)  # as a show has them (``upbeat.messages.kinds``)
    screen = models.JSONField(default=dict)  # as a show has it (``upbeat.song.screen``)
    #: The key and tempo that the band plays it in, where an entry has none of its own (rule V1).
    semitones = models.SmallIntegerField(default=0, validators=within(KEY_SEMITONES))
    tempo_percent = models.FloatField(default=100, validators=within(TEMPO_PERCENT))
    marks_done = models.JSONField(default=list)
    #: What somebody looked at and said is right (``upbeat.show.to_do.Seen``).
    seen = models.JSONField(default=list)
    #: What the list of songs shows (songs.summary).
    summary = models.JSONField(default=dict)
    revision = models.PositiveIntegerField(default=0)
    changed = models.DateTimeField(auto_now=True)

    #: What belongs to this instance, read once (songs.rows), and the core's song made of it.
    held: Any = None
    checked: CoreSong | None = None
    #: The parts that the last edit changed (songs.edits).
    differs: frozenset[str] = frozenset()
    # Whether this instance was changed by an edit that can be taken back.
    just_edited: bool = False

    @property
    def played(self) -> KeyTempo:
        """The key and tempo that the band plays it in."""
        return key_tempo(self.semitones, self.tempo_percent)

    class Meta:
        ordering = ["title"]


class Section(models.Model):
    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    song = models.ForeignKey(Song, on_delete=models.CASCADE, related_name="sections")
    position = models.PositiveIntegerField()
    name = models.CharField(max_length=NAME)
    bars = models.PositiveIntegerField(validators=within(BARS))
    colour = models.PositiveSmallIntegerField(default=1)
    cue = models.CharField(max_length=CUE, blank=True)
    locked = models.BooleanField(default=False)
    called = models.BooleanField(default=True)
    lead = models.PositiveSmallIntegerField(null=True, blank=True, validators=within(LEAD_BARS))
    words = models.TextField(blank=True)
    note = models.TextField(blank=True)

    class Meta:
        ordering = ["position"]


class Form(models.Model):
    """A form besides the full one; steps as in the show document."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    song = models.ForeignKey(Song, on_delete=models.CASCADE, related_name="forms")
    position = models.PositiveIntegerField(default=0)
    name = models.CharField(max_length=NAME)
    steps = models.JSONField()

    class Meta:
        ordering = ["position"]


class Audio(models.Model):
    """A sound file of a band, stored once by content: the original, and PCM ready to play."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    band = models.ForeignKey(Band, on_delete=models.CASCADE, related_name="audio")
    sha256 = models.CharField(max_length=64)
    extension = models.CharField(max_length=8, blank=True)
    frames = models.BigIntegerField()
    channels = models.PositiveSmallIntegerField()
    measured = models.JSONField()
    #: Of the prepared samples; None where they were prepared before it was kept.
    crc32 = models.BigIntegerField(null=True)
    #: The mean product of each two of its channels, (channels, channels); None where nobody asked for it yet.
    powers = models.JSONField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["band", "sha256"], name="audio_once")]

    @property
    def folder(self) -> Path:
        return Path(settings.MEDIA / "audio" / str(self.band_id) / self.sha256[:2] / self.sha256)

    @property
    def original(self) -> Path:
        return self.folder / f"original{self.extension}"

    @property
    def prepared(self) -> Path:
        return self.folder / "prepared.wav"

    @property
    def peaks(self) -> Path:
        return self.folder / "peaks.npy"


class Loop(models.Model):
    """A loop that the band brought to its shelf; ``layer`` is as in the show document."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    band = models.ForeignKey(Band, on_delete=models.CASCADE, related_name="loops")
    audio = models.ForeignKey(Audio, on_delete=models.PROTECT, related_name="loops")
    name = models.CharField(max_length=STEM_NAME)
    group = models.CharField(max_length=12, default="rhythm")
    layer = models.JSONField()

    class Meta:
        ordering = ["name"]


class Stack(models.Model):
    """Layers that are taken to songs together: of each its name, sound, layer, group and settings."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    band = models.ForeignKey(Band, on_delete=models.CASCADE, related_name="stacks")
    name = models.CharField(max_length=NAME)
    layers = models.JSONField()

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["band", "name"], name="stack_once")]


class Stem(models.Model):
    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    song = models.ForeignKey(Song, on_delete=models.CASCADE, related_name="stems")
    audio = models.ForeignKey(Audio, on_delete=models.PROTECT, related_name="stems")
    position = models.PositiveIntegerField(default=0)
    name = models.CharField(max_length=STEM_NAME)
    file_name = models.CharField(max_length=255)
    group = models.CharField(max_length=12, default="tonal")
    purpose = models.CharField(max_length=12, default="always")
    covers = models.ForeignKey(Player, on_delete=models.SET_NULL, null=True, blank=True, related_name="covered_by")
    gain_db = models.FloatField(default=0)
    pan = models.FloatField(default=0)
    invert = models.BooleanField(default=False)
    muted = models.BooleanField(default=False)
    delay_ms = models.FloatField(default=0)
    tacet = models.JSONField(default=list)
    flip_side = models.BooleanField(default=False)
    mono = models.BooleanField(default=False)
    start_s = models.FloatField(default=0)
    end_s = models.FloatField(null=True, blank=True)
    fade_in_s = models.FloatField(default=0)
    fade_out_s = models.FloatField(default=0)
    width = models.FloatField(default=1)
    #: Feeds that it goes to in place of its group's, each with decibels; None: it goes with its group.
    feeds = models.JSONField(null=True, blank=True)
    #: It is left as high as it is, in whatever key the song is played (rule V1).
    keeps_pitch = models.BooleanField(default=False)
    #: What its sound is where it is a loop, as in the show document; None for a recording of the song (rule V3).
    layer = models.JSONField(null=True, blank=True)
    levels = models.JSONField(default=dict)
    fades = models.JSONField(default=dict)
    #: Its gate, drive, tone and echo, as in the show document (rule M8); None where it has none.
    treatment = models.JSONField(null=True, blank=True)
    #: By section, what it goes through there instead.
    treatments = models.JSONField(default=dict)
    mends = models.JSONField(default=dict)
    accepted = models.JSONField(default=list)

    class Meta:
        ordering = ["position", "name"]


class PreparedAudio(models.Model):
    """A sound in another key and tempo, in its folder (``songs.prepared``). ``struck``: made as drums are."""

    audio = models.ForeignKey(Audio, on_delete=models.CASCADE, related_name="prepared_as")
    semitones = models.SmallIntegerField()
    tempo_percent = models.FloatField()
    struck = models.BooleanField()
    crc32 = models.BigIntegerField()
    #: When a song or an entry was last known to be played so (``setlists.tasks``).
    wanted_at = models.DateTimeField(default=timezone.now)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["audio", "semitones", "tempo_percent", "struck"], name="prepared_once")
        ]

    @property
    def key(self) -> tuple[Any, int, float, bool]:
        return self.audio_id, self.semitones, self.tempo_percent, self.struck

    @property
    def path(self) -> Path:
        kind = "struck" if self.struck else "held"
        return self.audio.folder / f"prepared{self.semitones:+d}at{self.tempo_percent}-{kind}.wav"


class Preparation(Job):
    """Making what a song needs to be played in another key and tempo."""

    song = models.ForeignKey(Song, on_delete=models.CASCADE, related_name="preparations")
    semitones = models.SmallIntegerField()
    tempo_percent = models.FloatField()
    started_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["pk"]

    @property
    def change(self) -> KeyTempo:
        return key_tempo(self.semitones, self.tempo_percent)


class UsualStem(models.Model):
    """What a band's stem of this name usually is; new ones begin with it. ``key``: the name, case folded."""

    band = models.ForeignKey(Band, on_delete=models.CASCADE, related_name="usual_stems")
    key = models.CharField(max_length=120)
    name = models.CharField(max_length=STEM_NAME)
    group = models.CharField(max_length=12)
    purpose = models.CharField(max_length=12)
    covers = models.ForeignKey(Player, on_delete=models.SET_NULL, null=True, blank=True)
    gain_db = models.FloatField(default=0)
    pan = models.FloatField(default=0)
    width = models.FloatField(default=1)
    mono = models.BooleanField(default=False)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["band", "key"], name="usual_once")]


class Comparison(models.Model):
    """Results of comparing the stems of a song, by what was compared."""

    band = models.ForeignKey(Band, on_delete=models.CASCADE)
    key = models.CharField(max_length=64)
    compared = models.JSONField()
    together = models.JSONField(default=dict)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["band", "key"], name="comparison_once")]


class Measurement(Job):
    """Where the beats of some stems of a song lie, as the worker heard them."""

    song = models.ForeignKey(Song, on_delete=models.CASCADE, related_name="measurements")
    key = models.CharField(max_length=64)
    stems = models.JSONField()
    result = models.JSONField(default=dict)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["song", "key"], name="measured_once")]
        ordering = ["made"]


class Offer(models.Model):
    """Something that a file says of a song, to be taken or not.

    ``kind`` is ``sections`` (``moments``: start_s, end_s, name), ``tempo_map`` (``tempo``,
    ``meters``, ``markers`` with their bars) or ``facts`` (``title``, ``bpm``).
    """

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    song = models.ForeignKey(Song, on_delete=models.CASCADE, related_name="offers")
    kind = models.CharField(max_length=10)
    source = models.CharField(max_length=255)
    content = models.JSONField()
    taken = models.BooleanField(default=False)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["made", "source"]


class Edit(models.Model):
    """One edit of a song, for undo and redo: the parts of the song that it changed, before and after."""

    song = models.ForeignKey(Song, on_delete=models.CASCADE, related_name="edits")
    label = models.CharField(max_length=60)
    before = models.JSONField()
    after = models.JSONField()
    undone = models.BooleanField(default=False)
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["pk"]
