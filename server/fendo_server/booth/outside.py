"""A reading lent to another sound editor: its file lies in `Outside/`, and when it is saved there again it comes back."""

import hashlib
import logging
import os
import shutil
import time
from uuid import UUID

from django.db import transaction
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from fendo_core.audio import pcm, wav
from fendo_core.booth.naming import safe_name, unused
from fendo_server.access import get_owned
from fendo_server.booth import elsewhere
from fendo_server.booth.models import Outside
from fendo_server.picture.models import Arrival
from fendo_server.problems import Problem, ProblemSerializer
from fendo_server.productions.models import Production
from fendo_server.script.models import Line
from fendo_server.takes.making import LineReadings, Reading
from fendo_server.voice.polish import Polish
from fendo_server.work import running

log = logging.getLogger("fendo")

MOST_OUTSIDE = 500
QUIET = 3.0
"""Seconds for which a file must have stayed the same before it is taken back: an editor may still be writing it."""


class OutsideSerializer(serializers.Serializer):
    """Where a reading lies for another sound editor."""

    file = serializers.CharField(help_text="its path in the data folder")


@extend_schema(operation_id="send_outside", request=None, responses={201: OutsideSerializer, 422: ProblemSerializer})
@api_view(["POST"])
def send(request: Request, line_id: UUID, voice_id: UUID) -> Response:
    """Put a reading where another sound editor finds it; it is mended, but not treated."""
    line = get_owned(Line, request.user, line_id, "production")
    readings = LineReadings(line)
    sent = lend(line.production, line, readings.reading(str(voice_id)), readings)
    return Response({"file": f"media/{sent.production.directory}/Outside/{sent.file_name}"}, status=201)


def lend(production: Production, line: Line, reading: Reading, readings: LineReadings) -> Outside:
    """Write the file, and know of it.

    Raises:
        Problem: when too many lie there.
    """
    if production.outside.count() >= MOST_OUTSIDE:
        raise Problem(
            422,
            "Too many outside",
            f"{MOST_OUTSIDE} readings lie in Outside/ already. Take those away that are done with; nothing was sent.",
        )
    sounding = Polish(production, readings.present).untreated(reading.comp)
    comp = sounding.comp
    folder = Outside(production=production, file_name="").path
    folder.mkdir(parents=True, exist_ok=True)
    stem = safe_name(f"{line.number} {reading.name}")
    name = unused(stem, lambda each: (folder / each).exists(), ".wav")
    tags = wav.Tags(
        production=production.name,
        folder="Outside",
        line=line.number,
        take=0,
        reader=readings.present.readers.get(reading.reader, ""),
        words=line.text,
        time_reference=max(0, production.rate.first_sample(production.start_frame) + comp.at),
        origination=time.strftime("%Y-%m-%d %H:%M:%S"),
        timecode_rate=f"{production.rate.fps.numerator}/{production.rate.fps.denominator}",
        drop=production.rate.drop,
    )
    making = folder / f".{name}.part"
    try:
        with making.open("wb") as file:
            file.write(wav.header(tags, comp.length))
            for block in sounding.blocks():
                file.write(pcm.from_integers(pcm.from_floats(block)))
            file.write(b"\0" * (comp.length * pcm.BYTES_A_SAMPLE & 1))
        os.replace(making, folder / name)
    finally:
        making.unlink(missing_ok=True)
    stat = (folder / name).stat()
    Outside.objects.filter(production=production, file_name=name).delete()
    return Outside.objects.create(
        production=production,
        line=line,
        voice=reading.id,
        name=reading.name,
        file_name=name,
        at=comp.at,
        size=stat.st_size,
        changed=stat.st_mtime_ns,
    )


def come_back() -> int:
    """Files that were saved again since they were sent become takes; how many."""
    back = 0
    for sent in Outside.objects.select_related("production", "line"):
        try:
            stat = sent.path.lstat()
            same = (stat.st_size, stat.st_mtime_ns) == (sent.size, sent.changed)
            if same or sent.path.is_symlink() or stat.st_size == 0 or time.time() - stat.st_mtime < QUIET:
                continue
            _take_back(sent, stat)
            back += 1
        except FileNotFoundError:
            # It was taken away on purpose, unless the whole disk is away.
            if sent.path.parent.exists():
                sent.delete()
        except OSError:
            log.exception("what was sent outside as %s can't be taken back now", sent.file_name)
    return back


def _take_back(sent: Outside, stat: os.stat_result) -> None:
    with transaction.atomic():
        # Told apart from an earlier version by its time, and from other files by its own key.
        digest = hashlib.sha256(f"{sent.pk} {stat.st_mtime_ns}".encode()).hexdigest()
        arrival = Arrival.objects.create(production=sent.production, name=sent.file_name, size=stat.st_size, digest=digest)
        arrival.path.parent.mkdir(parents=True, exist_ok=True)
        shutil.copyfile(sent.path, arrival.path, follow_symlinks=False)
        sent.size, sent.changed = stat.st_size, stat.st_mtime_ns
        sent.save(update_fields=["size", "changed"])
        running.start(
            sent.production,
            elsewhere.KIND,
            arrival=str(arrival.pk),
            line=str(sent.line_id),
            name=sent.file_name,
            outside={"at": sent.at, "voice": str(sent.voice), "name": sent.name},
        )
