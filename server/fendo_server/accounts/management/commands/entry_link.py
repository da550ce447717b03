"""`manage.py entry_link [NAME]`: prints the path of a new one-time sign-in link."""

from typing import Any

from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand, CommandError, CommandParser

from fendo_server.accounts.models import EntryLink


class Command(BaseCommand):
    """A new one-time link for an account; `--new` makes the account (with a password, if one is given)."""

    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("name", nargs="?", default="demo")
        parser.add_argument("--new", action="store_true")

    def handle(self, *args: Any, **options: Any) -> None:
        users = get_user_model().objects
        user = users.filter(username=options["name"]).first()
        if user is None and options["new"]:
            user = users.create_user(options["name"])
        if user is None:
            raise CommandError(f"There is no account {options['name']}. Add --new to make it.")
        self.stdout.write(f"/enter/{EntryLink.make(user)}")
