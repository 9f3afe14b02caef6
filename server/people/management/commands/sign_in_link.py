"""``manage.py sign_in_link``: print a one-time link for a member of a band."""

from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from people.models import Membership, SignInLink


class Command(BaseCommand):
    help = "Print a one-time sign-in link."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--name", help="whose; the first member without it")
        parser.add_argument("--base", default="http://127.0.0.1:8800")

    def handle(self, *args: Any, **options: Any) -> None:
        members = Membership.objects.select_related("user").order_by("pk")
        if options["name"]:
            members = members.filter(user__first_name=options["name"])
        member = members.first()
        if member is None:
            raise CommandError("There is no such member.")
        self.stdout.write(f"{options['base']}/sign-in/{SignInLink.make(member.user)}/")
