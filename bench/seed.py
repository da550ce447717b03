"""Fills a database with one production: LINES lines, each with TAKES takes of known measures, the first one picked and
scanned: two places each. Run by bench.py."""

import os
import sys

import django

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "fendo_server.settings")
django.setup()

from django.contrib.auth import get_user_model  # noqa: E402
from django.db import connection  # noqa: E402

from fendo_core.timebase import SAMPLE_RATE  # noqa: E402
from fendo_server.productions import services  # noqa: E402
from fendo_server.script.models import Line  # noqa: E402
from fendo_server.takes.models import Pick, Take  # noqa: E402
from fendo_server.voice.models import Recording, Scan  # noqa: E402

WORDS = "Then the keeper lifts one oak board, and the wheel remembers what to do."


def seed(name: str, lines: int, takes: int) -> str:
    """The id of the made production."""
    user, _ = get_user_model().objects.get_or_create(username="bench")
    production = services.make_production(user, name)
    made = [
        Line(
            production=production,
            position=n,
            number=str(n + 1),
            text=f"{WORDS} This is tide {n + 1} of the ledger.",
            slot_start=n * 8 * SAMPLE_RATE,
            slot_end=(n * 8 + 6) * SAMPLE_RATE,
        )
        for n in range(lines)
    ]
    Line.objects.bulk_create(made, batch_size=1000)
    read = [(line, number + 1) for line in made for number in range(takes)]
    recordings = [
        Recording(
            production=production,
            reader=production.reader,
            folder=production.landing,
            file_name=f"{line.number}-{number}.wav",
            state="finished",
            start=line.slot_start - SAMPLE_RATE,
            length=8 * SAMPLE_RATE,
        )
        for line, number in read
    ]
    Recording.objects.bulk_create(recordings, batch_size=1000)
    rows = [
        Take(
            line=line,
            recording=recording,
            last=8 * SAMPLE_RATE,
            number=number,
            speech_start=SAMPLE_RATE,
            speech_end=6 * SAMPLE_RATE,
            peak=-9.1,
            true_peak=-9.0,
            loudness=-24.3,
            noise=-61.0,
            phrases=[[SAMPLE_RATE, 6 * SAMPLE_RATE]],
        )
        for (line, number), recording in zip(read, recordings, strict=True)
    ]
    Take.objects.bulk_create(rows, batch_size=1000)
    Pick.objects.bulk_create([Pick(line=t.line, reader=production.reader, take=t) for t in rows if t.number == 1])
    places = [["breath", 48_000, 60_000, 0.9, {"decibel": -12.0}], ["click", 150_000, 150_300, 0.8, {}]]
    Scan.objects.bulk_create([Scan(recording=t.recording, places=places) for t in rows if t.number == 1])
    with connection.cursor() as cursor:
        cursor.execute("ANALYZE")  # as a database that has lived for a minute has done by itself
    return str(production.id)


if __name__ == "__main__":
    print(seed(sys.argv[1], int(sys.argv[2]), int(sys.argv[3])))
