"""The worker: gives out again what a worker before it left undone, then works."""

from __future__ import annotations

from typing import Any

from asgiref.sync import async_to_sync
from django.core.management import BaseCommand, call_command
from django.utils import timezone
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob
from procrastinate.jobs import Status

from exchange.models import Upload

MAX_ATTEMPTS = 3


class Command(BaseCommand):
    help = "Import what was uploaded. Only one worker runs for a database."

    def handle(self, *args: Any, **options: Any) -> None:
        for job in ProcrastinateJob.objects.filter(status=Status.DOING.value):
            give_again(job)
        call_command("procrastinate", "worker", "--queues=import", "--concurrency=2")


def give_again(job: ProcrastinateJob) -> None:
    """A job whose worker is gone waits again; one that takes its worker down each time is given up."""
    if job.attempts + 1 < MAX_ATTEMPTS:
        app.job_manager.retry_job_by_id(job.pk, retry_at=timezone.now())
        return
    async_to_sync(app.job_manager.finish_job_by_id_async)(job.pk, Status.FAILED, delete_job=False)
    upload = (
        Upload.objects.filter(pk=job.args.get("upload_id"))
        .exclude(status__in=(Upload.Status.DONE, Upload.Status.CANCELLED))
        .first()
    )
    if upload is not None:
        upload.status, upload.code = Upload.Status.REFUSED, "worker-lost"
        upload.message = (
            f"Reading “{upload.name}” was broken off {MAX_ATTEMPTS} times: export it again, or try once more."
        )
        upload.save()
