"""A document of a band whose changes are kept, to be taken back and done again."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from django.conf import settings
from django.db import models, transaction

from api.history import change_to_travel

KEPT = 100
Doc = TypeVar("Doc")


class KeptChange(models.Model):
    """A change of a document, with all of it before and after. Whose it is, is the field ``band`` of the model made of it."""

    before = models.JSONField()
    after = models.JSONField()
    undone = models.BooleanField(default=False)
    user = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, blank=True, related_name="+"
    )
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        abstract = True
        ordering = ["pk"]


@dataclass(frozen=True, kw_only=True)
class KeptDocument(Generic[Doc]):
    """How a document is kept: ``document`` and ``changes`` are models with a field ``band``.

    ``on_kept``: is told of each change that is in the database, by band and data.
    """

    document: Any
    changes: Any
    read: Callable[[Any], Doc]
    as_data: Callable[[Doc], Any]
    on_kept: Callable[[str, Any], None] = lambda band, data: None

    def of(self, band: Any) -> Doc:
        """The document of a band."""
        kept = self.document.objects.filter(band=band).first()
        return self.read((kept or self.document()).document)

    def change(self, band: Any, user: Any, changed: Callable[[Doc], Doc]) -> Doc:
        """Change it, kept as one change. Raises :class:`Refused` as ``changed`` does."""
        with transaction.atomic():
            kept = self._locked(band)
            before = self.read(kept.document)
            after = changed(before)
            if after == before:
                return after
            own = self.changes.objects.filter(band=band)
            own.filter(undone=True).delete()
            self.changes.objects.create(band=band, before=self.as_data(before), after=self.as_data(after), user=user)
            own.filter(pk__in=list(own.order_by("-pk").values_list("pk", flat=True)[KEPT:])).delete()
            self._keep(kept, self.as_data(after))
        return after

    def travel(self, band: Any, back: bool) -> None:
        """Take the last change back, or do again what was taken back last. Raises :class:`Refused`."""
        with transaction.atomic():
            kept = self._locked(band)
            one = change_to_travel(self.changes.objects.filter(band=band), back)
            self._keep(kept, one.before if back else one.after)
            one.undone = back
            one.save(update_fields=["undone"])

    def can_travel(self, band: Any) -> dict[str, bool]:
        """Whether something can be taken back, and done again."""
        found = set(self.changes.objects.filter(band=band).values_list("undone", flat=True).distinct().order_by())
        return {"can_undo": False in found, "can_redo": True in found}

    def _locked(self, band: Any) -> Any:
        type(band).objects.select_for_update(no_key=True).get(pk=band.pk)
        return self.document.objects.get_or_create(band=band)[0]

    def _keep(self, kept: Any, data: Any) -> None:
        kept.document = data
        kept.save()
        transaction.on_commit(lambda: self.on_kept(str(kept.band_id), data))
