"""Who is signed in, signing in and out, players."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.contrib.auth import login, logout
from django.db import models, transaction
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.views.decorators.http import require_GET
from drf_spectacular.utils import extend_schema
from rest_framework import mixins, serializers, status, viewsets
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from people import passes
from people.access import BandRelated, OfBand, asking_band
from people.models import Band, LineUp, Membership, Player, SignInLink, user_named
from upbeat.errors import refuse
from upbeat.play.rights import RIGHTS


@require_GET
def sign_in(request: HttpRequest, token: str) -> HttpResponse:
    """Use a sign-in link. A used or old one leads to the page that says so; a HEAD does not use it up."""
    user = SignInLink.use(token)
    if user is None:
        return HttpResponseRedirect("/signed-out?link=used")
    login(request, user, backend="django.contrib.auth.backends.ModelBackend")  # type: ignore[arg-type]
    return HttpResponseRedirect("/")


class MeSerializer(serializers.Serializer):
    name = serializers.CharField()
    role = serializers.CharField()
    band = serializers.CharField()
    stage_port = serializers.IntegerField()
    right = serializers.ChoiceField(list(RIGHTS))
    player = serializers.CharField(allow_null=True, help_text="Whose mix is theirs.")


class MeView(APIView):
    @extend_schema(responses=MeSerializer)
    def get(self, request: Request) -> Response:
        """Who is signed in; with the answer comes the pass to the stage, as a cookie."""
        band = asking_band(request)
        membership = Membership.objects.select_related("user").get(user__pk=request.user.pk or 0, band=band)
        name = membership.user.first_name or membership.user.get_username()
        player = str(membership.player_id) if membership.player_id else None
        told = {"name": name, "role": membership.role, "band": band.name, "stage_port": settings.STAGE_PORT}
        response = Response({**told, "right": membership.right, "player": player})
        known = passes.read_pass(request.COOKIES.get(passes.COOKIE))
        now = (membership.user.pk, str(band.pk), membership.right, player or "")
        if known is None or (known.user, known.band, known.right, known.player) != now:
            made = passes.new_pass(
                user=membership.user.pk,
                person=name,
                band=str(band.pk),
                band_name=band.name,
                right=membership.right,
                player=player or "",
            )
            response.set_cookie(
                passes.COOKIE, passes.signed(made), max_age=passes.LASTS_S, httponly=True, samesite="Lax"
            )
        return response


class SignOutView(APIView):
    least_right = "nothing"

    @extend_schema(request=None, responses={204: None})
    def post(self, request: Request) -> Response:
        """Sign out; the pass to the stage is ended too."""
        known = passes.read_pass(request.COOKIES.get(passes.COOKIE))
        if known is not None:
            passes.end(known)
        logout(request)
        response = Response(status=status.HTTP_204_NO_CONTENT)
        response.delete_cookie(passes.COOKIE)
        return response


class InviteSerializer(serializers.Serializer):
    name = serializers.CharField(max_length=80)
    role = serializers.CharField(max_length=60, required=False, allow_blank=True)
    right = serializers.ChoiceField(list(RIGHTS), default="everything")
    player = BandRelated(queryset=Player.objects.all(), allow_null=True, default=None)


class LinkSerializer(serializers.Serializer):
    link = serializers.CharField()


class SignInLinkView(APIView):
    @extend_schema(request=InviteSerializer, responses=LinkSerializer)
    def post(self, request: Request) -> Response:
        """A link that signs a member of the band in once; a new name becomes a member."""
        asked = InviteSerializer(data=request.data, context={"request": request})
        asked.is_valid(raise_exception=True)
        user = user_named(band=asking_band(request), **asked.validated_data)
        return Response({"link": request.build_absolute_uri(f"/sign-in/{SignInLink.make(user)}/")})


class MemberSerializer(serializers.ModelSerializer):
    id = serializers.CharField(source="pk", read_only=True)
    name = serializers.CharField(source="user.first_name", read_only=True)
    player = BandRelated(queryset=Player.objects.all(), allow_null=True, required=False)

    class Meta:
        model = Membership
        fields = ["id", "name", "role", "right", "player"]
        read_only_fields = ["role"]


class MemberViewSet(OfBand, mixins.ListModelMixin, mixins.UpdateModelMixin, viewsets.GenericViewSet):
    """The members of the band, and what each may do."""

    queryset = Membership.objects.select_related("user").order_by("pk")
    serializer_class = MemberSerializer

    def perform_update(self, serializer: serializers.BaseSerializer[Any]) -> None:
        """Somebody keeps the right to everything, or nobody could give it back."""
        with transaction.atomic():
            Band.objects.select_for_update(no_key=True).get(pk=asking_band(self.request).pk)
            serializer.save()
            if not self.get_queryset().filter(right="everything").exists():
                raise refuse(
                    "right-last", "Nobody could give a right any more: give everything to somebody else first."
                )


def name_once(asked: serializers.ModelSerializer, name: str, what: str) -> str:
    """A name that no other row of the band has; refused in a sentence that says ``what`` has it."""
    rows: models.QuerySet = asked.Meta.model.objects.all()  # type: ignore[attr-defined]
    taken = rows.filter(band=asking_band(asked.context["request"]), name=name)
    if asked.instance is not None:
        taken = taken.exclude(pk=asked.instance.pk)
    if taken.exists():
        raise serializers.ValidationError(f"There is a {what} called {name} already: choose another name.")
    return name


class PlayerSerializer(serializers.ModelSerializer):
    class Meta:
        model = Player
        fields = ["id", "name", "part", "position"]

    def validate_name(self, name: str) -> str:
        return name_once(self, name, "player")


class PlayerViewSet(OfBand, viewsets.ModelViewSet):
    queryset = Player.objects.all()
    serializer_class = PlayerSerializer

    def perform_destroy(self, player: Player) -> None:
        """A player whom stems cover stays: without them it would not be known when those are to sound."""
        stems = list(player.covered_by.select_related("song").order_by("song__title", "position"))
        if stems:
            named = [f"“{s.name}” in {s.song.title}" for s in stems]
            listed = ", ".join(named[:3]) + (f" and {len(named) - 3} more" if len(named) > 3 else "")
            raise refuse("player-covered", f"{player.name} is covered by {listed}: say what those stems are for first.")
        player.delete()


class LineUpSerializer(serializers.ModelSerializer):
    """``guests``: player to the name of the one who stands in; only for players who are away."""

    away = BandRelated(queryset=Player.objects.all(), many=True, required=False)
    guests = serializers.DictField(child=serializers.CharField(max_length=80, allow_blank=True), required=False)

    class Meta:
        model = LineUp
        fields = ["id", "name", "position", "away", "guests"]

    def validate_name(self, name: str) -> str:
        return name_once(self, name, "line-up")

    def validate(self, data: dict[str, Any]) -> dict[str, Any]:
        away = {str(p.pk) for p in data.get("away", self.instance.away.all() if self.instance else [])}
        guests = data.get("guests", self.instance.guests if self.instance else {})
        data["guests"] = {player: name.strip() for player, name in guests.items() if player in away and name.strip()}
        return data


class LineUpViewSet(OfBand, viewsets.ModelViewSet):
    queryset = LineUp.objects.prefetch_related("away")
    serializer_class = LineUpSerializer

    def perform_destroy(self, line_up: LineUp) -> None:
        show = line_up.shows.first()
        if show is not None:
            raise refuse(
                "line-up-used", f"“{line_up.name}” is who plays “{show.title}”: choose another line-up there first."
            )
        line_up.delete()
