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
        if not report.takes and not report.whole:
            self.stdout.write("Nothing was found that the database does not know.")
            return
        names = ", ".join(f"“{name}”" for name in report.productions)
        unfinished = f", {report.unfinished} of them cut off" if report.unfinished else ""
        self.stdout.write(
            f"Rebuilt {names}: {report.lines} lines, {report.takes} takes{unfinished}, {report.picks} picks, "
            f"for {options['account']}."
        )
        if report.whole:
            self.stdout.write(
                "Films and sounds are prepared anew when Fendo runs; what could be undone before can't be now."
            )
        for name in report.productions:
            if name not in report.whole:
                self.stdout.write(f"“{name}” had no record of its own: only what its recordings say is there.")
                self.stdout.write("Pick again, add lines that nobody had read, bring the film in again from “Picture”.")
