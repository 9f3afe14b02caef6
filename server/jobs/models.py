"""What every job tells of itself."""

from __future__ import annotations

from django.db import models


class Job(models.Model):
    """Something worked out in the worker: ``progress`` from 0 to 1, ``message`` where it was refused."""

    class State(models.TextChoices):
        WORKING = "working"
        DONE = "done"
        REFUSED = "refused"

    state = models.CharField(max_length=10, choices=State.choices, default=State.WORKING)
    progress = models.FloatField(default=0)
    message = models.TextField(blank=True)

    class Meta:
        abstract = True

    def tell(self, part: float) -> None:
        """Write how far the job is, from 0 to 1."""
        type(self)._default_manager.filter(pk=self.pk).update(progress=round(part, 2))
