"""Who is signed in, signing in and out, players."""

from __future__ import annotations

from django.contrib.auth import login, logout
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status, viewsets
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from people.access import OfBand
from people.models import Membership, Player, SignInLink, user_named


def sign_in(request: HttpRequest, token: str) -> HttpResponse:
    """Use a sign-in link. A used or old one leads to the page that says so."""
    user = SignInLink.use(token)
    if user is None:
        return HttpResponseRedirect("/signed-out?link=used")
    login(request, user, backend="django.contrib.auth.backends.ModelBackend")  # type: ignore[arg-type]
    return HttpResponseRedirect("/")


class MeSerializer(serializers.Serializer):
    name = serializers.CharField()
    role = serializers.CharField()
    band = serializers.CharField()


class MeView(APIView):
    @extend_schema(responses=MeSerializer)
    def get(self, request: Request) -> Response:
        membership = Membership.objects.get(user_id=request.user.pk, band=request.band)
        return Response({"name": request.user.first_name or request.user.get_username(), "role": membership.role, "band": request.band.name})


class SignOutView(APIView):
    @extend_schema(request=None, responses={204: None})
    def post(self, request: Request) -> Response:
        logout(request)
        return Response(status=status.HTTP_204_NO_CONTENT)


class InviteSerializer(serializers.Serializer):
    name = serializers.CharField(max_length=80)
    role = serializers.CharField(max_length=60, required=False, allow_blank=True)


class LinkSerializer(serializers.Serializer):
    link = serializers.CharField()


class SignInLinkView(APIView):
    @extend_schema(request=InviteSerializer, responses=LinkSerializer)
    def post(self, request: Request) -> Response:
        """A link that signs a member of the band in once; a new name becomes a member."""
        asked = InviteSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        user = user_named(asked.validated_data["name"], request.band, asked.validated_data.get("role", ""))
        return Response({"link": request.build_absolute_uri(f"/sign-in/{SignInLink.make(user)}/")})


class PlayerSerializer(serializers.ModelSerializer):
    class Meta:
        model = Player
        fields = ["id", "name", "part", "position"]

    def validate_name(self, name: str) -> str:
        taken = Player.objects.filter(band=self.context["request"].band, name=name)
        if self.instance is not None:
            taken = taken.exclude(pk=self.instance.pk)
        if taken.exists():
            raise serializers.ValidationError(f"There is a player called {name} already: choose another name.")
        return name


class PlayerViewSet(OfBand, viewsets.ModelViewSet):
    queryset = Player.objects.all()
    serializer_class = PlayerSerializer
