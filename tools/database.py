"""Make the database and its tables, if they are not there. Prints ``empty`` where there is no band yet."""

from __future__ import annotations

import os
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "server"))

import psycopg

where = {
    "host": "127.0.0.1",
    "port": os.environ["UPBEAT_DB_PORT"],
    "user": "upbeat",
    "password": os.environ["UPBEAT_DB_PASSWORD"],
}
with psycopg.connect(**where, dbname="postgres", autocommit=True) as connection:
    if not connection.execute("select 1 from pg_database where datname = 'upbeat'").fetchone():
        connection.execute("create database upbeat")

import django

django.setup()

from django.core.management import call_command

call_command("migrate", interactive=False, verbosity=0)
call_command("keep_summaries")

from people.models import Band

print("full" if Band.objects.exists() else "empty")
