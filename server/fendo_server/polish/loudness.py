"""Loudness over the whole programme, as it would be handed over: measured by a job, kept beside the production."""

import json
import os
import uuid
from dataclasses import asdict
from pathlib import Path
from typing import Any
from uuid import UUID

from django.conf import settings
from django.db import transaction
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from fendo_core.audio.ceiling import Ceiling
from fendo_core.audio.levels import ProgrammeMeter
from fendo_server.access import get_owned
from fendo_server.handover.programme import programme_sound, spoken
from fendo_server.problems import Problem, ProblemSerializer
from fendo_server.productions import state
from fendo_server.productions.models import Production
from fendo_server.work import running
from fendo_server.work.api import JobSerializer

KIND = "measure the programme"


class ProgrammeLoudnessSerializer(serializers.Serializer):
    """Loudness of the programme by EBU R 128: LUFS, LU, dBTP; null where it is too quiet to tell."""

    integrated = serializers.FloatField(allow_null=True)
    momentary = serializers.FloatField(allow_null=True, help_text="the highest, over 400 ms")
    short_term = serializers.FloatField(allow_null=True, help_text="the highest, over 3 s")
    range = serializers.FloatField()
    true_peak = serializers.FloatField()
    limited = serializers.FloatField(help_text="share of the time in which the limiter works, 0..1")
    held = serializers.FloatField(help_text="dB that it held back at most")
    curve = serializers.ListField(child=serializers.FloatField(), help_text="short-term loudness, a value a second")
    now = serializers.BooleanField(help_text="nothing was changed since it was measured")


class MeasuredSerializer(serializers.Serializer):
    """What was measured last; null: nothing yet."""

    loudness = ProgrammeLoudnessSerializer(allow_null=True)


def _path(production: Production) -> Path:
    return settings.DERIVED / "loudness" / f"{production.pk}.json"


@running.handles(KIND, "long")
def measure_programme(progress: running.Progress) -> dict[str, Any]:
    """Mix the programme as it would be handed over, and measure it."""
    production = progress.job.production
    revision, present = production.revision, state.load(production, spoken=False)
    if not present.length:
        raise running.JobFailed("There is no programme yet: neither a picture nor a line with a slot.")
    read = spoken(production, present)
    progress(0.0, "mixing and measuring")
    ceiling, meter, done = Ceiling(), ProgrammeMeter(), 0
    for block in programme_sound(production, present, read, ceiling):
        meter.add(block)
        done += len(block)
        progress(min(1.0, done / present.length))
    path, worked = _path(production), ceiling.worked
    path.parent.mkdir(parents=True, exist_ok=True)
    making = path.with_name(f".{path.name}.{uuid.uuid4().hex}")
    found = asdict(meter.read()) | {"limited": worked.share, "held": -worked.deepest, "revision": revision}
    making.write_text(json.dumps(found))
    progress.still_wanted()
    os.replace(making, path)
    return {}


@extend_schema(methods=["GET"], operation_id="programme_loudness", responses={200: MeasuredSerializer})
@extend_schema(
    methods=["POST"], operation_id="measure_programme", request=None, responses={201: JobSerializer, 422: ProblemSerializer}
)
@api_view(["GET", "POST"])
@transaction.atomic
def loudness(request: Request, production_id: UUID) -> Response:
    """How loud the whole programme is; or begin to measure it."""
    production = get_owned(Production, request.user, production_id)
    if request.method == "POST":
        if not any(one.text for one in production.lines.filter(dropped=False)) and not production.sources.exists():
            raise Problem(
                422, "Nothing to measure", "There is neither a picture nor a line yet, so nothing can be measured."
            )
        going = production.jobs.filter(kind=KIND, state__in=("waiting", "running")).first()
        return Response(JobSerializer(going or running.start(production, KIND)).data, status=201)
    try:
        found = json.loads(_path(production).read_text())
    except FileNotFoundError:
        return Response({"loudness": None})
    found["now"] = found.pop("revision") == production.revision
    return Response(MeasuredSerializer({"loudness": found}).data)
