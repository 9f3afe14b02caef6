"""Rows that two people may change at once: each has a revision, and nobody's change is lost in silence."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.db import models
from rest_framework import serializers

from api.conflict import Conflict


class Revised(models.Model):
    """``revision`` counts the changes; ``changed_by`` made the last one."""

    revision = models.PositiveIntegerField(default=0)
    changed_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, blank=True, related_name="+"
    )

    class Meta:
        abstract = True


class RevisedSerializer(serializers.ModelSerializer):
    """A serializer of a :class:`Revised` row: with ``revision`` a change is refused where the row has another."""

    revision = serializers.IntegerField(required=False, min_value=0)

    def lock(self, row: Any, data: dict[str, Any]) -> Any:
        """The row, locked in the transaction around this, its revision counted on.

        Raises :class:`Conflict`, with the row as it is now, where ``data`` names another revision.
        """
        asked = data.pop("revision", None)
        locked = type(row).objects.select_for_update(of=("self",)).get(pk=row.pk)
        if asked is not None and asked != locked.revision:
            who = locked.changed_by.first_name if locked.changed_by else "Somebody"
            said = f"{who} changed “{locked.name}” meanwhile: look at it as it is now, then make your change again."
            raise Conflict(said, self.to_representation(self.fresh(locked.pk)))
        locked.revision += 1
        locked.changed_by = self.context["request"].user
        return locked

    def fresh(self, pk: Any) -> Any:
        """The row read again, with all that its representation needs."""
        return self.Meta.model.objects.get(pk=pk)  # type: ignore[attr-defined]
