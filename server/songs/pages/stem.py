"""A stem as the page of its song gets it."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from api.typed import component
from songs.models import CELLS, STEM_SETTINGS, Stem
from upbeat.song.layers import KINDS as LAYER_KINDS
from upbeat.song.treatment import Treatment


class MeasuredSerializer(serializers.Serializer):
    """The file as it came; levels are null where there is no reading."""

    format = serializers.CharField()
    sample_rate = serializers.IntegerField()
    bit_depth = serializers.IntegerField(allow_null=True)
    true_peak_dbtp = serializers.FloatField(allow_null=True)
    sound_starts_s = serializers.FloatField(allow_null=True)
    sound_ends_s = serializers.FloatField(allow_null=True)
    end = serializers.ChoiceField(["clean", "fades", "cut", "silent"])


class StemFeedSerializer(serializers.Serializer):
    feed = serializers.CharField()
    gain_db = serializers.FloatField()


class LayerSerializer(serializers.Serializer):
    """What a loop is: ``bpm`` in quarter notes a minute, ``pace`` 0.5, 1 or 2."""

    kind = serializers.ChoiceField(list(LAYER_KINDS))
    bars = serializers.IntegerField()
    meter = serializers.CharField()
    bpm = serializers.CharField()
    semitones = serializers.IntegerField()
    pace = serializers.FloatField()


@extend_schema_field(component(Treatment))
class TreatmentField(serializers.JSONField):
    """What a stem goes through (``upbeat.song.treatment``)."""


class StemSerializer(serializers.ModelSerializer):
    """A stem; ``sound``: its peaks from start to end, 0 to 1. ``curves``: how loud its tone makes each of the frequencies
    ``upbeat.song.tone.CURVE_HZ``, in dB: by section, "" for that of the stem. ``treatable``: whether it may have a
    treatment; ``notes``: what to know of it.
    """

    seconds = serializers.FloatField()
    channels = serializers.IntegerField()
    integrated_lufs = serializers.FloatField(allow_null=True)
    covers_name = serializers.CharField(allow_null=True)
    sound = serializers.ListField(child=serializers.FloatField())
    measured = MeasuredSerializer()
    tacet = serializers.ListField(child=serializers.CharField())
    levels = serializers.DictField(child=serializers.FloatField())
    fades = serializers.DictField(child=serializers.IntegerField())
    feeds = StemFeedSerializer(many=True, allow_null=True)
    layer = LayerSerializer(allow_null=True)
    treatment = TreatmentField(allow_null=True)
    treatable = serializers.BooleanField()
    treatments = serializers.DictField(child=TreatmentField())
    curves = serializers.DictField(child=serializers.ListField(child=serializers.FloatField()))
    notes = serializers.ListField(child=serializers.CharField())

    class Meta:
        model = Stem
        fields = [
            "id",
            "name",
            "file_name",
            "group",
            "purpose",
            "covers",
            "covers_name",
            "layer",
            *STEM_SETTINGS,
            *CELLS,
            "seconds",
            "channels",
            "integrated_lufs",
            "sound",
            "measured",
            "treatable",
            "curves",
            "notes",
        ]
