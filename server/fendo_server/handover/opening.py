"""An archive of a production opened: it arrives as a zip, is unpacked by a job, and its folders become productions.

While it arrives and is opened it has a production of its own, in the bin, which the opened one takes the place of.
"""

import os
import shutil
from datetime import timedelta
from pathlib import Path
from typing import Any
from uuid import UUID

from django.conf import settings
from django.db import transaction
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from fendo_core.handover.unpacking import ArchiveRefused, amiss, room_for, tops, unpack
from fendo_server.access import get_owned
from fendo_server.booth.rescue import Report, rescue
from fendo_server.picture import arriving
from fendo_server.picture.api import ArrivalSerializer
from fendo_server.picture.models import Arrival
from fendo_server.problems import Problem, ProblemSerializer
from fendo_server.productions import record, services
from fendo_server.productions.models import Production
from fendo_server.work import running
from fendo_server.work.api import JobSerializer
from fendo_server.work.models import Job

KIND = "open an archive"
MOST_TOLD = 20
FAILED_FOR = timedelta(minutes=10)


class ArchiveSerializer(serializers.Serializer):
    """An archive that is to come."""

    name = serializers.CharField(max_length=1_000)
    size = serializers.IntegerField(min_value=0)
    digest = serializers.RegexField(r"^[0-9a-f]{64}$", help_text="SHA-256 of size and first, middle, last MiB")


@extend_schema(
    operation_id="announce_archive", request=ArchiveSerializer, responses={201: ArrivalSerializer, 422: ProblemSerializer}
)
@api_view(["POST"])
def announce(request: Request) -> Response:
    """Say that an archive is to come; the answer says from which byte on it is to be sent."""
    asked = ArchiveSerializer(data=request.data)
    asked.is_valid(raise_exception=True)
    name, size, digest = (asked.validated_data[one] for one in ("name", "size", "digest"))
    coming = Arrival.objects.filter(production__owner=request.user.pk, archive=True, size=size, digest=digest).first()
    if coming is None:
        stand_in = services.make_production(request.user, Path(name).stem[:100] or "archive")
        Production.objects.filter(pk=stand_in.pk).update(binned=timezone.now())
        coming = arriving.announce(stand_in, name, size, digest, archive=True)
    return Response({"id": str(coming.id), "received": coming.received, "known": None}, status=201)


@extend_schema(operation_id="open_archive", request=None, responses={201: JobSerializer, 409: ProblemSerializer})
@api_view(["POST"])
def open_archive(request: Request, arrival_id: UUID) -> Response:
    """Open an archive that has arrived."""
    arrival = get_owned(Arrival, request.user, arrival_id, "production")
    if not arrival.archive:
        raise Problem(422, "Not possible", "This file was not sent as an archive. Nothing was changed.")
    arriving.check_whole(arrival)
    job = running.start(arrival.production, KIND, arrival=str(arrival.pk))
    return Response(JobSerializer(job).data, status=201)


@extend_schema(operation_id="job", responses={200: JobSerializer, 404: ProblemSerializer})
@api_view(["GET"])
def one_job(request: Request, job_id: UUID) -> Response:
    """A job."""
    return Response(JobSerializer(get_owned(Job, request.user, job_id)).data)


@running.handles(KIND, "long")
def opened(progress: running.Progress) -> dict[str, Any]:
    """Unpack an archive, check it against its own lists, and make productions of its folders."""
    job = progress.job
    arrival = Arrival.objects.select_related("production__owner").filter(pk=job.arguments["arrival"]).first()
    if arrival is None or not arrival.path.exists():
        raise running.JobFailed("The archive is no longer there. Bring it in again.")
    unpacked = arrival.path.with_name(f"{arrival.pk}.opened")
    shutil.rmtree(unpacked, ignore_errors=True)
    unpacked.mkdir(mode=0o700)
    report = Report()
    told: list[str] = []
    try:
        unpack(arrival.path, unpacked, room_for(unpacked), progress.part(0.0, 0.4, "unpacking the archive"))
        progress(0.4, "checking it against its own list")
        told += amiss(unpacked)
        found = tops(unpacked, record.NAME)
        for count, folder in enumerate(found):
            progress(0.5 + 0.5 * count / len(found), "bringing back lines, takes and picture")
            one, here = _brought_in(arrival.production.owner, folder)
            told += here
            report.productions += one.productions
            report.made += one.made
            report.takes += one.takes
            report.picks += one.picks
            told += one.refused
    except ArchiveRefused as error:
        arriving.forget(arrival)
        raise running.JobFailed(str(error)) from error
    finally:
        shutil.rmtree(unpacked, ignore_errors=True)
    arriving.forget(arrival)
    if not report.made:
        raise running.JobFailed(" ".join(told[:3]) or "There is no production in this archive, and no recording.")
    _take_the_place_of(arrival.production, report.made[0], job)
    return {
        "productions": [{"id": str(one.pk), "name": one.name} for one in report.made],
        "takes": report.takes,
        "picks": report.picks,
        "remarks": told[:MOST_TOLD] + ([f"and {len(told) - MOST_TOLD} more"] if len(told) > MOST_TOLD else []),
    }


def _brought_in(owner: Any, folder: Path) -> tuple[Report, list[str]]:
    """A folder of the archive as a production; what hinders that, in words."""
    try:
        known = record.read(folder)
    except record.RecordRefused:
        known = None
    here = Production.objects.filter(pk=known["id"]).first() if known else None
    if here:
        # Whoever else has it is nobody's business.
        where = "It lies in the bin: bring it back there" if here.owner == owner and here.binned else "Nothing was changed"
        return Report(), [f"“{known['name'] if known else ''}” is here already. {where}."]
    own = settings.MEDIA / services.free_directory(str(known["name"]) if known else folder.name)
    os.replace(folder, own)
    try:
        # All of it or nothing: a worker that dies here is followed by one that begins again.
        with transaction.atomic():
            report = rescue(owner, own)
    except BaseException:
        shutil.rmtree(own, ignore_errors=True)
        raise
    if not report.made:
        shutil.rmtree(own, ignore_errors=True)
    return report, []


def forget_failed() -> None:
    """Remove what stood in for archives that could not be opened, when that was said long enough ago."""
    ended = ("failed", "cancelled")
    jobs = Job.objects.filter(kind=KIND, state__in=ended, ended__lt=timezone.now() - FAILED_FOR)
    for stand_in in Production.objects.filter(pk__in=jobs.values("production")).exclude(binned=None):
        services.remove_stand_in(stand_in)


def _take_the_place_of(stand_in: Production, made: Production, job: Job) -> None:
    """The opened production has the job from here on, and the one that stood in for it is gone."""
    Job.objects.filter(pk=job.pk).update(production=made)
    services.remove_stand_in(stand_in)
