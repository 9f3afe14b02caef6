"""The cue voice of the band over the API: its settings, words heard, sounds of its own."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
from django.conf import settings
from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import mixins, serializers, status, viewsets
from rest_framework.parsers import BaseParser, JSONParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from api import query
from api.files import disk_sentence
from people.access import OfBand, asking_band
from people.models import Band
from upbeat.cues.recorded import word_of_file
from upbeat.cues.speech import make_words, speak
from upbeat.cues.usual_words import NAMES
from upbeat.cues.voice import MAX_TEXT, Voice, installed_voices, voice_of
from upbeat.cues.wording import LANGUAGES
from upbeat.errors import refuse
from upbeat.intake.names import clean_file_name
from voices.build import band_voice, checked_palette, palette
from voices.models import OwnSound
from voices.own import MOST_BYTES, remove_files, take


class ShortSoundParser(BaseParser):
    """A short sound file, as it is."""

    media_type = "application/octet-stream"

    def parse(self, stream: Any, media_type: str | None = None, parser_context: Any = None) -> Any:
        return stream.read(MOST_BYTES + 1)


class InstalledSerializer(serializers.Serializer):
    name = serializers.CharField()
    language = serializers.CharField()


class VoiceSerializer(serializers.Serializer):
    """``words``: what is said instead, by name or count; ``shifts``: by what is said, ms later (below 0: earlier)."""

    name = serializers.CharField(max_length=48, required=False)
    speed = serializers.FloatField(required=False)
    pitch = serializers.FloatField(required=False)
    words = serializers.DictField(child=serializers.CharField(max_length=MAX_TEXT, allow_blank=True), required=False)
    shifts = serializers.DictField(child=serializers.FloatField(), required=False)
    palette = serializers.ListField(
        child=serializers.CharField(max_length=1000, allow_blank=True),
        required=False,
        help_text="Words to be said on the spot.",
    )
    language = serializers.CharField(read_only=True)
    translated = serializers.ListField(child=serializers.CharField(), read_only=True)
    voices = InstalledSerializer(many=True, read_only=True)


def shown_voice(band: Band) -> dict[str, Any]:
    voice = band_voice(band)
    return {
        "name": voice.name,
        "speed": voice.speed,
        "pitch": voice.pitch,
        "words": dict(voice.words),
        "shifts": dict(voice.shifts),
        "palette": palette(band),
        "language": voice.language,
        "translated": list(LANGUAGES),
        "voices": [{"name": name, "language": language} for name, language in installed_voices()],
    }


class VoiceView(APIView):
    @extend_schema(responses=VoiceSerializer)
    def get(self, request: Request) -> Response:
        return Response(shown_voice(asking_band(request)))

    @extend_schema(request=VoiceSerializer, responses=VoiceSerializer)
    def patch(self, request: Request) -> Response:
        """Change the voice of the band. It has to be one that speaks here."""
        asked = VoiceSerializer(data=request.data, partial=True)
        asked.is_valid(raise_exception=True)
        band = asking_band(request)
        wanted = {**band.voice, **asked.validated_data}
        wanted["words"] = {key: text.strip() for key, text in wanted.get("words", {}).items() if text.strip()}
        wanted["shifts"] = {key: ms for key, ms in wanted.get("shifts", {}).items() if ms}
        if "palette" in asked.validated_data:
            wanted["palette"] = checked_palette(band, asked.validated_data["palette"])
        voice = voice_of(wanted)
        if voice.name != band_voice(band).name:
            speak("one", voice, settings.SAMPLE_RATE)
        band.voice = wanted
        band.save(update_fields=["voice"])
        return Response(shown_voice(band))


class WordView(APIView):
    @extend_schema(
        responses={(200, "audio/wav"): OpenApiTypes.BINARY},
        parameters=[
            OpenApiParameter("text", required=True),
            OpenApiParameter("name"),
            OpenApiParameter("speed", OpenApiTypes.FLOAT),
            OpenApiParameter("pitch", OpenApiTypes.FLOAT),
        ],
    )
    def get(self, request: Request) -> HttpResponse:
        """A word as the band's voice says it, or as it would with another name, speed or pitch."""
        asked = request.query_params
        band, text = asking_band(request), " ".join(query.text(request, "text", 4000).split())[:MAX_TEXT]
        other = {key: _number(asked[key]) for key in ("speed", "pitch") if key in asked}
        voice = voice_of({**band.voice, **({"name": asked["name"]} if asked.get("name") else {}), **other})
        own = (
            band.own_sounds.filter(kind=OwnSound.Kind.WORD, key=text.casefold()).first()
            if not asked.get("name")
            else None
        )
        return HttpResponse(
            _wav(_sound(own, text, voice)), content_type="audio/wav", headers={"Cache-Control": "no-store"}
        )


def _number(text: str) -> float:
    try:
        return float(text)
    except ValueError:
        raise refuse("number-unreadable", f"“{text[:20]}” is not a number: write it as 1.1.") from None


def _sound(own: OwnSound | None, text: str, voice: Voice) -> np.ndarray:
    from upbeat.audio.pcm import open_prepared

    if own is not None:
        return np.array(open_prepared(own.path(), settings.SAMPLE_RATE)[:, 0])
    word = make_words([text], voice, settings.SAMPLE_RATE, settings.WORDS)[0]
    if word.silent:
        raise refuse("word-silent", f"“{text}” has no sound in this voice: give it other words.")
    return word.sound


def _wav(sound: np.ndarray) -> bytes:
    import soundfile

    out = io.BytesIO()
    soundfile.write(out, sound, settings.SAMPLE_RATE, subtype="PCM_16", format="WAV")
    return out.getvalue()


class OwnSoundSerializer(serializers.ModelSerializer):
    seconds = serializers.SerializerMethodField()
    click_name = serializers.CharField(read_only=True)

    class Meta:
        model = OwnSound
        fields = ["id", "kind", "name", "seconds", "click_name"]
        read_only_fields = fields

    def get_seconds(self, own: OwnSound) -> float:
        return round(own.frames / settings.SAMPLE_RATE, 3)


class OwnSoundViewSet(OfBand, mixins.ListModelMixin, mixins.DestroyModelMixin, viewsets.GenericViewSet):
    queryset = OwnSound.objects.all()
    serializer_class = OwnSoundSerializer
    parser_classes = [ShortSoundParser, JSONParser]

    @extend_schema(
        request={"application/octet-stream": bytes},
        responses={201: OwnSoundSerializer},
        parameters=[
            OpenApiParameter("kind", enum=["word", "click"], required=True),
            OpenApiParameter("name"),
            OpenApiParameter("file", required=True),
        ],
    )
    def create(self, request: Request) -> Response:
        """Add a sound, or put it in the place of the one of that name. Without ``name`` a word is known by its file."""
        asked, band = request.query_params, asking_band(request)
        kind = asked.get("kind", "")
        if kind not in OwnSound.Kind.values:
            raise refuse("own-kind", "A sound of one's own is a word or a click.")
        content = request.data if isinstance(request.data, bytes) else b""
        file_name = clean_file_name(asked.get("file") or "sound")
        name = asked.get("name") or (
            word_of_file(file_name, [*NAMES, *band_voice(band).wording.counts])
            if kind == "word"
            else file_name.rsplit(".", 1)[0]
        )
        try:
            own = take(band, kind, name, file_name, content)
        except OSError as error:
            raise refuse("own-disk", disk_sentence(error, file_name)) from error
        return Response(OwnSoundSerializer(own).data, status=status.HTTP_201_CREATED)

    def perform_destroy(self, own: OwnSound) -> None:
        """A click that is in use stays: a song would be without it."""
        if own.kind == OwnSound.Kind.CLICK:
            uses = [s.title for s in own.band.songs.all() if own.click_name in s.click.values()]
            if own.click_name in own.band.click.values():
                uses.insert(0, "the band's click")
            if uses:
                more = f" and {len(uses) - 2} more" if len(uses) > 2 else ""
                raise refuse(
                    "own-used",
                    f"“{own.name}” is used in {', '.join(uses[:2])}{more}: choose another sound there first.",
                )
        own.delete()
        remove_files(own)
