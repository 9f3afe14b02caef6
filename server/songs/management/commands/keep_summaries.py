"""``manage.py keep_summaries``: the summaries of songs that were made before there were any."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand

from songs.summary import keep_missing_summaries


class Command(BaseCommand):
    help = "Keep the summary of every song that has none."

    def handle(self, *args: Any, **options: Any) -> None:
        keep_missing_summaries()
