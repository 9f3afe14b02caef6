"""The shape of a loaded show as the engine tells it (``upbeat.show.describe``), for the API's document."""

from rest_framework import serializers


class EndingTold(serializers.Serializer):
    kind = serializers.ChoiceField(["attacca", "repeat", "vamp", "fine", "cut"])
    times = serializers.IntegerField()


class StepTold(serializers.Serializer):
    step = serializers.IntegerField()
    section = serializers.CharField()
    name = serializers.CharField()
    mark = serializers.CharField()
    colour = serializers.IntegerField()
    first_bar = serializers.IntegerField()
    bars = serializers.IntegerField()
    ending = EndingTold()
    meter = serializers.CharField()
    grouping = serializers.ListField(child=serializers.IntegerField())
    tacet = serializers.ListField(child=serializers.CharField())


class LinkTold(serializers.Serializer):
    kind = serializers.ChoiceField(["wait", "attacca", "after"])
    seconds = serializers.FloatField()


class StemTold(serializers.Serializer):
    id = serializers.CharField()
    name = serializers.CharField()
    sounds = serializers.BooleanField()
    purpose = serializers.CharField()
    covers = serializers.CharField(allow_null=True)
    gain_db = serializers.FloatField()


class EntryTold(serializers.Serializer):
    id = serializers.CharField()
    song = serializers.CharField()
    title = serializers.CharField()
    form = serializers.CharField()
    key = serializers.CharField()
    bpm = serializers.FloatField()
    unit = serializers.CharField()
    meter = serializers.CharField()
    seconds = serializers.FloatField()
    bars = serializers.IntegerField()
    link = LinkTold()
    fallback = serializers.BooleanField()
    stems = StemTold(many=True)
    steps = StepTold(many=True)


class CarriedTold(serializers.Serializer):
    feed = serializers.CharField()
    name = serializers.CharField()
    kind = serializers.ChoiceField(["house", "monitor"])
    side = serializers.ChoiceField(["left", "right", "mono"])


class SocketTold(serializers.Serializer):
    number = serializers.IntegerField()
    label = serializers.CharField()
    use = serializers.ChoiceField(["free", "kept"])
    carries = CarriedTold(many=True)


class FeedTold(serializers.Serializer):
    id = serializers.CharField()
    name = serializers.CharField()
    kind = serializers.ChoiceField(["house", "monitor"])
    channels = serializers.IntegerField()


class DescribedSerializer(serializers.Serializer):
    show = serializers.CharField()
    title = serializers.CharField()
    sample_rate = serializers.IntegerField()
    entries = EntryTold(many=True)
    sockets = SocketTold(many=True)
    feeds = FeedTold(many=True)
    away = serializers.ListField(child=serializers.CharField())
