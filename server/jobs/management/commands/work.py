"""The worker: retries what a worker before it left undone, then works."""

from __future__ import annotations

from typing import Any

from asgiref.sync import async_to_sync
from django.core.management import BaseCommand, call_command
from django.utils import timezone
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob
from procrastinate.jobs import Status

from jobs.run import LOST, MAX_ATTEMPTS


class Command(BaseCommand):
    help = "Import, measure and listen. Only one worker runs for a database."

    def handle(self, *args: Any, **options: Any) -> None:
        for job in ProcrastinateJob.objects.filter(status=Status.DOING.value):
            retry(job)
        call_command("procrastinate", "worker", "--queues=import", "--concurrency=2")


def retry(job: ProcrastinateJob) -> None:
    """A job whose worker is gone waits again; one that takes its worker down each time is given up."""
    if job.attempts + 1 < MAX_ATTEMPTS:
        app.job_manager.retry_job_by_id(job.pk, retry_at=timezone.now())
        return
    async_to_sync(app.job_manager.finish_job_by_id_async)(job.pk, Status.FAILED, delete_job=False)
    lost = LOST.get(job.task_name)
    if lost is not None:
        lost(job.args)
