"""`manage.py rescue FOLDER`: rebuild productions from their recordings."""

from pathlib import Path
from typing import Any

from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand, CommandError, CommandParser

from fendo_server.booth.rescue import rescue


class Command(BaseCommand):
    """Rebuild productions from their recordings."""

    help = "Rebuild productions, folders, lines and takes from the recordings' own headers."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("folder", type=Path)
        parser.add_argument("--account", default="demo", help="who owns what is rebuilt")

    def handle(self, *args: Any, **options: Any) -> None:
        owner, _ = get_user_model().objects.get_or_create(username=options["account"])
        try:
            report = rescue(owner, options["folder"], lambda text: self.stdout.write(f"  {text}"))
        except ValueError as error:
            raise CommandError(str(error)) from error
        for refused in report.refused:
            self.stdout.write(f"  left alone: {refused}")
        if report.known:
            self.stdout.write(f"  known already and left alone: {report.known} takes")
        if not report.takes:
            self.stdout.write("No recording was found that the database does not know.")
            return
        names = ", ".join(f"“{name}”" for name in report.productions)
        unfinished = f", {report.unfinished} of them cut off" if report.unfinished else ""
        self.stdout.write(
            f"Rebuilt {names}: {report.lines} lines, {report.takes} takes{unfinished}, for {options['account']}."
        )
        self.stdout.write("Picks, and lines that nobody had read, stood in the database only: pick again, add them again.")
        self.stdout.write("Bring the film in again from the production's folder “Picture”.")
