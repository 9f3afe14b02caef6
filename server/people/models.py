"""Who there is."""

from __future__ import annotations

import hashlib
import secrets
import uuid
from datetime import timedelta

from django.conf import settings
from django.contrib.auth import get_user_model
from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.db import models
from django.utils import timezone

from upbeat.play.rights import RIGHTS, Right

LINK_LIFE = timedelta(hours=12)


class Band(models.Model):
    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    name = models.CharField(max_length=120)
    #: What its songs are matched to, in LUFS; the middle of a set where there is none.
    target_lufs = models.FloatField(null=True, blank=True)
    #: Its click, which songs have unless they say otherwise; as in the show document.
    click = models.JSONField(default=dict)
    #: Its cue voice, as in the show document.
    voice = models.JSONField(default=dict)

    def __str__(self) -> str:
        return self.name


class Membership(models.Model):
    """A person in a band; what they do is shown beside their name."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="memberships")
    band = models.ForeignKey(Band, on_delete=models.CASCADE, related_name="memberships")
    role = models.CharField(max_length=60, blank=True)
    #: What they may do (``upbeat.play.rights``); whose mix is theirs.
    right = models.CharField(max_length=12, choices=[(r, r) for r in RIGHTS], default="everything")
    player = models.ForeignKey("Player", on_delete=models.SET_NULL, null=True, blank=True, related_name="members")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["user", "band"], name="member_once")]


class Player(models.Model):
    """A member of the band on stage, whom stems can stand in for."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    band = models.ForeignKey(Band, on_delete=models.CASCADE, related_name="players")
    name = models.CharField(max_length=80)
    part = models.CharField(max_length=80, blank=True)
    position = models.PositiveIntegerField(default=0)

    class Meta:
        ordering = ["position", "name"]
        constraints = [models.UniqueConstraint(fields=["band", "name"], name="player_name_once")]

    def __str__(self) -> str:
        return self.name


class LineUp(models.Model):
    """Who is on for an evening. ``guests``: player id to the name of the one who stands in."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    band = models.ForeignKey(Band, on_delete=models.CASCADE, related_name="line_ups")
    name = models.CharField(max_length=80)
    position = models.PositiveIntegerField(default=0)
    away = models.ManyToManyField(Player, blank=True, related_name="away_from")
    guests = models.JSONField(default=dict)

    class Meta:
        ordering = ["position", "name"]
        constraints = [models.UniqueConstraint(fields=["band", "name"], name="line_up_name_once")]

    def __str__(self) -> str:
        return self.name

    def missing(self) -> list[Player]:
        """The players whose part nobody plays."""
        return [p for p in self.away.all() if not self.guests.get(str(p.pk))]


class SignInLink(models.Model):
    """A link that signs a person in once. Only a hash of its token is kept."""

    token_hash = models.CharField(max_length=64, unique=True)
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    expires = models.DateTimeField()
    used = models.DateTimeField(null=True)

    @staticmethod
    def hashed(token: str) -> str:
        return hashlib.sha256(token.encode()).hexdigest()

    @classmethod
    def make(cls, user: AbstractBaseUser) -> str:
        """A new link's token, for the person who will use it; it is not kept."""
        token = secrets.token_urlsafe(24)
        cls.objects.create(token_hash=cls.hashed(token), user=user, expires=timezone.now() + LINK_LIFE)
        return token

    @classmethod
    def use(cls, token: str) -> AbstractBaseUser | None:
        """The person a token signs in, once; None for a wrong, old or used one."""
        now = timezone.now()
        taken = cls.objects.filter(token_hash=cls.hashed(token), used=None, expires__gt=now).update(used=now)
        if not taken:
            return None
        return cls.objects.select_related("user").get(token_hash=cls.hashed(token)).user


def membership_of(user: AbstractBaseUser | AnonymousUser) -> Membership | None:
    """The membership that a person works with; the first one where there are several."""
    if not user.is_authenticated:
        return None
    return Membership.objects.select_related("band").filter(user_id=user.pk).order_by("pk").first()


def band_of(user: AbstractBaseUser | AnonymousUser) -> Band | None:
    """The band a person works in."""
    membership = membership_of(user)
    return membership.band if membership else None


def user_named(
    name: str, band: Band, role: str = "", right: Right = "everything", player: Player | None = None
) -> AbstractBaseUser:
    """The member of a band with this name, made if there is none."""
    users = get_user_model()
    membership = Membership.objects.filter(band=band, user__first_name=name).select_related("user").first()
    if membership:
        return membership.user
    user = users.objects.create(username=f"u{secrets.token_hex(6)}", first_name=name)
    user.set_unusable_password()
    user.save()
    Membership.objects.create(user=user, band=band, role=role, right=right, player=player)
    return user
