"""What the API takes and gives of songs, for its description; songs.shown makes the answers."""

from __future__ import annotations

from rest_framework import serializers

from songs.models import CELLS, STEM_SETTINGS, Section, Song, Stem, UsualStem
from songs.rows import SECTION_FIELDS
from songs.shown import SHOWN_FIELDS


class TempoSerializer(serializers.Serializer):
    bar = serializers.IntegerField()
    bpm = serializers.CharField()
    unit = serializers.CharField(required=False)
    ramp = serializers.BooleanField(required=False)


class MeterSerializer(serializers.Serializer):
    bar = serializers.IntegerField()
    meter = serializers.CharField()
    grouping = serializers.ListField(child=serializers.IntegerField(), required=False)


class EndingSerializer(serializers.Serializer):
    kind = serializers.ChoiceField(["attacca", "repeat", "vamp", "fine", "cut"])
    times = serializers.IntegerField(required=False)


class SectionSerializer(serializers.ModelSerializer):
    mark = serializers.CharField()
    first_bar = serializers.IntegerField()
    ending = EndingSerializer()

    class Meta:
        model = Section
        fields = ["id", "mark", "first_bar", *SECTION_FIELDS, "ending"]


class FindingSerializer(serializers.Serializer):
    """What was found about a stem; ``value`` in ``unit``, ``sure`` from 0 to 1, ``at_s`` where it is heard."""

    stem = serializers.CharField()
    code = serializers.CharField()
    severity = serializers.ChoiceField(["fault", "check", "note"])
    message = serializers.CharField()
    value = serializers.FloatField(allow_null=True)
    unit = serializers.CharField()
    sure = serializers.FloatField()
    mend = serializers.CharField(allow_null=True)
    state = serializers.ChoiceField(["open", "accepted", "mended"])
    at_s = serializers.FloatField()


class FindingsSerializer(serializers.Serializer):
    """``ready`` is false while the stems are still being compared with each other."""

    ready = serializers.BooleanField()
    list = FindingSerializer(many=True)


class TogetherSerializer(serializers.Serializer):
    """The song as its stems came, all of them together."""

    integrated_lufs = serializers.FloatField(allow_null=True)
    true_peak_dbtp = serializers.FloatField(allow_null=True)


class OfferedSectionSerializer(serializers.Serializer):
    bar = serializers.IntegerField()
    name = serializers.CharField()
    off_ms = serializers.FloatField()


class OfferSerializer(serializers.Serializer):
    """What a file says of the song, to be taken or dismissed."""

    id = serializers.CharField()
    kind = serializers.ChoiceField(["sections", "tempo_map", "facts"])
    source = serializers.CharField()
    title = serializers.CharField(allow_null=True)
    bpm = serializers.CharField(allow_null=True)
    sections = OfferedSectionSerializer(many=True)
    tempos = serializers.IntegerField()
    meters = serializers.IntegerField()
    worst_ms = serializers.FloatField()


class MeasuredSerializer(serializers.Serializer):
    """The file as it came; levels are null where there is no reading."""

    format = serializers.CharField()
    sample_rate = serializers.IntegerField()
    bit_depth = serializers.IntegerField(allow_null=True)
    true_peak_dbtp = serializers.FloatField(allow_null=True)
    sound_starts_s = serializers.FloatField(allow_null=True)
    sound_ends_s = serializers.FloatField(allow_null=True)
    end = serializers.ChoiceField(["clean", "fades", "cut", "silent"])


class StemSerializer(serializers.ModelSerializer):
    """A stem; ``sound``: its peaks from start to end, 0 to 1."""

    seconds = serializers.FloatField()
    channels = serializers.IntegerField()
    integrated_lufs = serializers.FloatField(allow_null=True)
    covers_name = serializers.CharField(allow_null=True)
    sound = serializers.ListField(child=serializers.FloatField())
    measured = MeasuredSerializer()
    tacet = serializers.ListField(child=serializers.CharField())
    levels = serializers.DictField(child=serializers.FloatField())
    fades = serializers.DictField(child=serializers.IntegerField())

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
            *STEM_SETTINGS,
            *CELLS,
            "seconds",
            "channels",
            "integrated_lufs",
            "sound",
            "measured",
        ]


class StepSerializer(serializers.Serializer):
    section = serializers.CharField()
    ending = EndingSerializer()
    cue = serializers.CharField(required=False)
    tacet = serializers.ListField(child=serializers.CharField(), required=False)


class ClickSerializer(serializers.Serializer):
    accent = serializers.CharField(required=False)
    beat = serializers.CharField(required=False)
    division = serializers.CharField(required=False)
    count_in = serializers.CharField(required=False)
    gain_db = serializers.FloatField(required=False)
    divisions = serializers.IntegerField(required=False)
    pitches = serializers.DictField(child=serializers.FloatField(), required=False)
    levels = serializers.DictField(child=serializers.FloatField(), required=False)
    patterns = serializers.DictField(child=serializers.CharField(), required=False)
    parts = serializers.DictField(child=serializers.IntegerField(), required=False)
    silent = serializers.ListField(child=serializers.CharField(), required=False)
    from_bar = serializers.IntegerField(required=False)
    to_bar = serializers.IntegerField(required=False, allow_null=True)


class MeterClickSerializer(serializers.Serializer):
    """A time signature of the song: ``key`` names its pattern, ``usual`` is what it has without one of its own; ``spans``: (first, last) bar."""

    key = serializers.CharField()
    beats = serializers.IntegerField()
    usual = serializers.CharField()
    pattern = serializers.CharField()
    spans = serializers.ListField(child=serializers.ListField(child=serializers.IntegerField()))


class ClickPageSerializer(serializers.Serializer):
    """The click of a song as its page draws it; ``band``: the band's click, ``whole``: both together."""

    band = ClickSerializer()
    whole = ClickSerializer()
    meters = MeterClickSerializer(many=True)


class LaneStepSerializer(serializers.Serializer):
    section = serializers.CharField()
    name = serializers.CharField()
    mark = serializers.CharField()
    colour = serializers.IntegerField()
    spoken = serializers.CharField()
    first_bar = serializers.IntegerField()


class LaneBeatSerializer(serializers.Serializer):
    at_s = serializers.FloatField()
    bar = serializers.IntegerField()
    beat = serializers.IntegerField()


class LaneWordSerializer(serializers.Serializer):
    """Heard at ``at_s``; its sound lasts from ``start_s`` to ``end_s``; ``fast``: shortened."""

    text = serializers.CharField()
    kind = serializers.ChoiceField(["name", "count", "free"])
    at_s = serializers.FloatField()
    start_s = serializers.FloatField()
    end_s = serializers.FloatField()
    fast = serializers.BooleanField()


class LeftOutSerializer(serializers.Serializer):
    text = serializers.CharField()
    at_s = serializers.FloatField()
    why = serializers.ChoiceField(["covered", "call", "silent"])


class PassSerializer(serializers.Serializer):
    """One pass through a step (none: the count-in), in seconds from its first beat."""

    step = LaneStepSerializer(allow_null=True)
    round = serializers.IntegerField()
    into = LaneStepSerializer(allow_null=True)
    seconds = serializers.FloatField()
    beats = LaneBeatSerializer(many=True)
    words = LaneWordSerializer(many=True)
    left_out = LeftOutSerializer(many=True)


class SectionCallSerializer(serializers.Serializer):
    section = serializers.CharField()
    text = serializers.CharField()


class SpokenWordSerializer(serializers.Serializer):
    """A word of the song: whose sound it is, how long, and how far into it it is heard; ``shift_ms`` by hand."""

    text = serializers.CharField()
    source = serializers.ChoiceField(["engine", "recording", "silent"])
    seconds = serializers.FloatField()
    onset_ms = serializers.FloatField()
    shift_ms = serializers.FloatField()
    count = serializers.BooleanField()


class CueSummarySerializer(serializers.Serializer):
    words = serializers.IntegerField()
    shortened = serializers.IntegerField()
    left_out = serializers.IntegerField()
    gap_ms = serializers.FloatField(allow_null=True)


class CuesSerializer(serializers.Serializer):
    """The cues of a song in a form, as they will be spoken."""

    passes = PassSerializer(many=True)
    calls = SectionCallSerializer(many=True)
    words = SpokenWordSerializer(many=True)
    summary = CueSummarySerializer()


class FormSerializer(serializers.Serializer):
    """A form with its length, repeats included and a vamp counted once."""

    id = serializers.CharField()
    name = serializers.CharField()
    steps = StepSerializer(many=True)
    bars = serializers.IntegerField()
    seconds = serializers.FloatField()


class SpanSerializer(serializers.Serializer):
    name = serializers.CharField()
    bars = serializers.IntegerField()
    colour = serializers.IntegerField()


class CueSerializer(serializers.Serializer):
    bar = serializers.IntegerField()
    beat = serializers.IntegerField()
    text = serializers.CharField()


class EdgesSerializer(serializers.Serializer):
    """How the recording begins and ends (upbeat.song.song.Edges)."""

    start_s = serializers.FloatField(required=False, allow_null=True)
    fade_in_s = serializers.FloatField(required=False)
    end_bar = serializers.IntegerField(required=False, allow_null=True)
    fade_out_s = serializers.FloatField(required=False)
    hold_s = serializers.FloatField(required=False)


class SongSerializer(serializers.ModelSerializer):
    """A song with all that belongs to it. ``chords``: what is written in each bar."""

    tempo = TempoSerializer(many=True)
    meters = MeterSerializer(many=True)
    sections = SectionSerializer(many=True)
    forms = FormSerializer(many=True)
    stems = StemSerializer(many=True)
    chords = serializers.ListField(child=serializers.CharField(allow_blank=True))
    seconds = serializers.FloatField()
    bars = serializers.IntegerField()
    can_undo = serializers.BooleanField()
    can_redo = serializers.BooleanField()
    click = ClickSerializer()
    click_sounds = serializers.ListField(child=serializers.CharField())
    findings = FindingsSerializer()
    offers = OfferSerializer(many=True)
    together = TogetherSerializer(allow_null=True)
    edges = EdgesSerializer()
    cues = CueSerializer(many=True)

    class Meta:
        model = Song
        fields = [
            "id",
            *SHOWN_FIELDS,
            "chords",
            "click_sounds",
            "revision",
            "sections",
            "forms",
            "stems",
            "seconds",
            "bars",
            "can_undo",
            "can_redo",
            "findings",
            "offers",
            "together",
        ]


class SongRowSerializer(serializers.ModelSerializer):
    """A song in the list."""

    bpm = serializers.CharField()
    meter = serializers.CharField()
    stems = serializers.IntegerField()
    bars = serializers.IntegerField()
    seconds = serializers.FloatField()
    sections = SpanSerializer(many=True)
    problem = serializers.CharField(allow_null=True)

    class Meta:
        model = Song
        fields = ["id", "title", "key", "bpm", "meter", "stems", "bars", "seconds", "sections", "problem"]


class NewSongSerializer(serializers.Serializer):
    title = serializers.CharField(max_length=120)
    bpm = serializers.CharField(max_length=20, required=False)
    meter = serializers.CharField(max_length=10, required=False)


class NamesSerializer(serializers.Serializer):
    """A folder's name ("" for none) and the names of its files."""

    folder = serializers.CharField(max_length=2000, allow_blank=True, trim_whitespace=False)
    files = serializers.ListField(
        child=serializers.CharField(max_length=2000, allow_blank=True, trim_whitespace=False), max_length=500
    )


class NamedStemSerializer(serializers.Serializer):
    file = serializers.CharField()
    name = serializers.CharField()
    group = serializers.CharField()
    sure = serializers.FloatField()


class NamesReadSerializer(serializers.Serializer):
    title = serializers.CharField()
    title_sure = serializers.FloatField()
    bpm = serializers.CharField(allow_null=True)
    bpm_sure = serializers.FloatField()
    stems = NamedStemSerializer(many=True)


class EditSerializer(serializers.Serializer):
    """``do`` names the edit; ``args`` are its own. ``revision``: what the page shows, so that no edit is lost.

    ``changes``: answer only the parts of the song that are another now.
    """

    do = serializers.CharField(max_length=40)
    args = serializers.DictField(required=False)
    revision = serializers.IntegerField(required=False)
    changes = serializers.BooleanField(required=False)


class RevisionSerializer(serializers.Serializer):
    revision = serializers.IntegerField(required=False)
    changes = serializers.BooleanField(required=False)


class BarSerializer(serializers.Serializer):
    bar = serializers.IntegerField()
    start_s = serializers.FloatField()
    end_s = serializers.FloatField()
    meter = serializers.CharField()
    grouping = serializers.ListField(child=serializers.IntegerField())
    bpm = serializers.FloatField()
    beats = serializers.IntegerField()
    sound = serializers.ListField(child=serializers.FloatField())


class GridBarSerializer(serializers.Serializer):
    """``off_ms``: heard after the click (positive); ``fit_ms``: heard after the grid that is proposed."""

    bar = serializers.IntegerField()
    seconds = serializers.FloatField()
    off_ms = serializers.FloatField(allow_null=True)
    fit_ms = serializers.FloatField(allow_null=True)
    sure = serializers.FloatField()


class GridProposalSerializer(serializers.Serializer):
    """What is wrong with the grid and what can be taken; ``factor``: heard over typed."""

    first_bar = serializers.IntegerField()
    last_bar = serializers.IntegerField()
    first_ms = serializers.FloatField()
    last_ms = serializers.FloatField()
    low_ms = serializers.FloatField()
    high_ms = serializers.FloatField()
    worst_after_ms = serializers.FloatField()
    factor = serializers.FloatField()
    ways = serializers.ListField(child=serializers.CharField())
    unsure = serializers.BooleanField()
    bar_unsure = serializers.BooleanField()
    metre = serializers.CharField(allow_null=True)
    doubtful = serializers.ListField(child=serializers.IntegerField())
    typed = serializers.FloatField()
    heard = serializers.FloatField()
    steady = serializers.BooleanField()
    unnamed = serializers.IntegerField()
    sentence = serializers.CharField()


class GridSerializer(serializers.Serializer):
    """``state``: none, working, done or refused; ``strips``: the bars that are farthest off; ``tempo``: what the bars were worked out with."""

    measurement = serializers.IntegerField(allow_null=True)
    state = serializers.CharField()
    progress = serializers.FloatField()
    message = serializers.CharField()
    stems = serializers.ListField(child=serializers.CharField())
    bars = GridBarSerializer(many=True)
    strips = serializers.ListField(child=serializers.IntegerField())
    pins = serializers.ListField(child=serializers.IntegerField())
    tempo = TempoSerializer(many=True)
    heard_beats = serializers.IntegerField()
    confidence = serializers.FloatField()
    proposal = GridProposalSerializer(allow_null=True)


class HeardReasonSerializer(serializers.Serializer):
    """Why a section is heard to begin: ``kind`` enters, leaves, louder, softer, chords, colour, busier or calmer."""

    kind = serializers.CharField()
    stem = serializers.CharField(allow_blank=True)
    value = serializers.FloatField()


class HeardSectionSerializer(serializers.Serializer):
    """A section heard in the sound; those that sound alike have the same ``like``."""

    bar = serializers.IntegerField()
    sure = serializers.FloatField()
    like = serializers.IntegerField()
    reasons = HeardReasonSerializer(many=True)


class HearingSerializer(serializers.Serializer):
    """``state``: none (no stems), working, done or refused."""

    state = serializers.CharField()
    progress = serializers.FloatField()
    message = serializers.CharField()
    sections = HeardSectionSerializer(many=True)


class SeamMendSerializer(serializers.Serializer):
    """``value``: ms of a crossfade, s of a ring-on, ms of a shift; ``likely``: how likely the seam is heard then."""

    kind = serializers.ChoiceField(["crossfade", "ring_on", "shift"])
    value = serializers.FloatField()
    likely = serializers.FloatField()


class SeamSerializer(serializers.Serializer):
    """The join of two sections; figures as in upbeat.listening.seam.score."""

    old = serializers.CharField()
    new = serializers.CharField()
    straight = serializers.BooleanField()
    likely = serializers.FloatField()
    verdict = serializers.ChoiceField(["heard", "may", "not"])
    reason = serializers.CharField(allow_blank=True)
    cut = serializers.FloatField()
    early = serializers.FloatField()
    level = serializers.FloatField()
    colour = serializers.FloatField()
    cut_db = serializers.FloatField()
    early_ms = serializers.FloatField()
    level_db = serializers.FloatField()
    colour_db = serializers.FloatField()
    stem = serializers.CharField(allow_null=True)
    mends = SeamMendSerializer(many=True)


class ChordProSerializer(serializers.Serializer):
    text = serializers.CharField()


class ComparedSerializer(serializers.Serializer):
    """Forms side by side: each row has a place for every form, in the order of ``forms``."""

    forms = serializers.ListField(child=serializers.CharField())
    rows = serializers.ListField(child=serializers.ListField(child=serializers.IntegerField(allow_null=True)))


class StripSerializer(serializers.Serializer):
    bar = serializers.IntegerField()
    seconds = serializers.FloatField()
    low = serializers.ListField(child=serializers.FloatField())
    high = serializers.ListField(child=serializers.FloatField())


class TapsSerializer(serializers.Serializer):
    seconds = serializers.ListField(child=serializers.FloatField(), max_length=200)


class TappedSerializer(serializers.Serializer):
    bpm = serializers.FloatField()
    within = serializers.FloatField()


class OnsetSerializer(serializers.Serializer):
    by_ms = serializers.FloatField()


class CallSerializer(serializers.Serializer):
    """Words spoken at a bar; ``beat``: of a free cue, 0 for a section call."""

    bar = serializers.IntegerField()
    text = serializers.CharField()
    beat = serializers.IntegerField()


class ChartSerializer(serializers.Serializer):
    bars = BarSerializer(many=True)
    calls = CallSerializer(many=True)
    seconds = serializers.FloatField()
    form_bars = serializers.IntegerField()


class PictureSerializer(serializers.Serializer):
    """Of one stem: for each section the peaks in its file, 0 to 100."""

    stem = serializers.CharField()
    cells = serializers.ListField(child=serializers.ListField(child=serializers.IntegerField()))


class SheetSerializer(serializers.Serializer):
    revision = serializers.IntegerField()
    pictures = PictureSerializer(many=True)


class LookSerializer(serializers.Serializer):
    code = serializers.ChoiceField(["silent-file", "nothing", "no-tonal"])
    section = serializers.CharField()
    stem = serializers.CharField(allow_blank=True)


class CellPlaceSerializer(serializers.Serializer):
    stem = serializers.CharField()
    section = serializers.CharField()


class TonightSerializer(serializers.Serializer):
    """``standing``: stem to sounds, rests, rehearsal, fallback, pad, muted or nobody; ``empty``: where files are silent."""

    standing = serializers.DictField(child=serializers.CharField())
    gaps = serializers.ListField(child=serializers.CharField())
    looks = LookSerializer(many=True)
    empty = CellPlaceSerializer(many=True)


class ProposedLevelSerializer(serializers.Serializer):
    """``short_db``: how far the target is missed so that the true peak stays in bounds."""

    gain_db = serializers.FloatField()
    lufs = serializers.FloatField(allow_null=True)
    peak_dbtp = serializers.FloatField(allow_null=True)
    short_db = serializers.FloatField()


class StepTimeSerializer(serializers.Serializer):
    step = serializers.IntegerField()
    at_s = serializers.FloatField()


class LevelSerializer(serializers.Serializer):
    """A song in the house: ``state`` working, done or refused; ``short_term``: LUFS every ``step_s``, null in silence."""

    state = serializers.CharField()
    progress = serializers.FloatField()
    message = serializers.CharField(allow_blank=True)
    gain_db = serializers.FloatField()
    own = serializers.BooleanField()
    lufs = serializers.FloatField(allow_null=True)
    peak_dbtp = serializers.FloatField(allow_null=True)
    target = serializers.FloatField(allow_null=True)
    proposal = ProposedLevelSerializer(allow_null=True)
    seconds = serializers.FloatField()
    step_s = serializers.FloatField()
    steps = StepTimeSerializer(many=True)
    short_term = serializers.ListField(child=serializers.FloatField(allow_null=True))


class UsualStemSerializer(serializers.ModelSerializer):
    covers_name = serializers.CharField(allow_null=True)

    class Meta:
        model = UsualStem
        fields = ["id", "name", "group", "purpose", "covers", "covers_name", "gain_db", "pan", "width", "mono"]
