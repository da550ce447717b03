"""How long the lines of a production last, all at once: each as long as its slot, or all together as long as wanted."""

from typing import Any, Literal
from uuid import UUID

from django.db import transaction
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from fendo_core.polish.length import MOST
from fendo_core.polish.lengths import HeardLine, LengthPlan, LineLength, heard_lines, to_slots, together
from fendo_core.production import edits
from fendo_core.production.refusal import EditRefused
from fendo_core.production.state import State
from fendo_core.takes.fitting import LARGEST_MOST, fitted
from fendo_core.takes.standing import sounding
from fendo_core.timebase import SAMPLE_RATE, seconds_text
from fendo_server.access import get_owned
from fendo_server.polish import jobs
from fendo_server.problems import Problem, ProblemSerializer
from fendo_server.productions import changes, state
from fendo_server.productions.models import Production
from fendo_server.script.models import Line
from fendo_server.takes.description import spoken_in
from fendo_server.takes.making import LineReadings, made_edit
from fendo_server.wire import DAY
from fendo_server.work import running
from fendo_server.work.api import JobSerializer

KIND = "set lengths"
Way = Literal["slots", "whole"]
WAYS: tuple[Way, ...] = ("slots", "whole")


class WholeLengthSerializer(serializers.Serializer):
    """What is to last how long."""

    way = serializers.ChoiceField(WAYS, help_text="each line no longer than its slot; or all of them together")
    wanted = serializers.IntegerField(
        required=False,
        min_value=SAMPLE_RATE // 10,
        max_value=DAY,
        help_text="samples from the first word to the last; without it that is only told",
    )
    most = serializers.FloatField(min_value=0.0, max_value=LARGEST_MOST, default=MOST)


class LineLengthSerializer(serializers.Serializer):
    """A line that would be changed, or can't be."""

    line = serializers.CharField()
    now = serializers.IntegerField(help_text="samples that it lasts")
    wanted = serializers.IntegerField()
    pauses = serializers.IntegerField()
    stretch = serializers.FloatField()
    moved = serializers.IntegerField(help_text="samples by which its first word comes later")
    refused = serializers.CharField(allow_blank=True, help_text="why it stays as it is")


class WholeLastingSerializer(serializers.Serializer):
    """What would be done; nothing is changed by asking."""

    now = serializers.IntegerField(help_text="samples from the first word of all to the last")
    read = serializers.IntegerField(help_text="lines that were read")
    lines = LineLengthSerializer(many=True)
    pauses = serializers.IntegerField()
    stretch = serializers.FloatField()
    refused = serializers.CharField(allow_blank=True)


def _planned(production: Production, present: State, values: dict[str, Any]) -> tuple[list[HeardLine], LengthPlan]:
    spoken = spoken_in(production, [comp for _, comp in sounding(present).values()])
    heard, natural = heard_lines(present, spoken), jobs.natural(production)
    if values["way"] == "slots":
        return heard, to_slots(heard, values["most"], natural)
    return heard, together(heard, values["wanted"], values["most"], natural) if "wanted" in values else LengthPlan()


@running.handles(KIND)
def set_lengths(progress: running.Progress) -> dict[str, Any]:
    """Make the comps that it takes, and lay them in one edit."""
    production, values = progress.job.production, progress.job.arguments
    present = state.load(production)
    _, plan = _planned(production, present, values)
    if plan.refused:
        raise running.JobFailed(f"{plan.refused}. Everything is as it was.")
    wanted = [one for one in plan.lines if not one.refused]
    rows = {str(line.pk): line for line in Line.objects.filter(pk__in=[one.heard.line.id for one in wanted])}
    made = list[edits.AddComp | edits.MoveVoice]()
    for number, one in enumerate(wanted):
        progress(number / len(wanted), f"setting {number + 1} of {len(wanted)}")
        if one.only_moves:
            made.append(edits.MoveVoice(one.heard.voice, one.moved))
            continue
        line = rows[one.heard.line.id]
        line.production = production
        readings = LineReadings(line, present)
        reading = readings.reading(one.heard.voice)
        comp = fitted(reading.comp, one.phrases, readings.tone(reading))
        made.append(made_edit(readings, reading, comp, f"{seconds_text(one.wanted)} s long"))
    progress.still_wanted()
    if made:
        name = "length of one line" if len(made) == 1 else f"lengths of {len(made)} lines"
        try:
            changes.perform(production, production.owner, production.revision, edits.Together(tuple(made), name))
        except (EditRefused, Problem) as error:
            raise running.JobFailed(str(error)) from error
    return {"lines": len(made)}


@extend_schema(
    methods=["GET"],
    operation_id="look_at_lengths",
    parameters=[WholeLengthSerializer],
    responses={200: WholeLastingSerializer, 422: ProblemSerializer},
)
@extend_schema(
    methods=["POST"],
    operation_id="set_lengths",
    request=WholeLengthSerializer,
    responses={201: JobSerializer, 422: ProblemSerializer},
)
@api_view(["GET", "POST"])
@transaction.atomic
def lengths(request: Request, production_id: UUID) -> Response:
    """What it takes for the lines of a production to last as long as wanted; or begin to do it, in one edit."""
    production = get_owned(Production, request.user, production_id)
    asked = WholeLengthSerializer(data=request.data if request.method == "POST" else request.query_params)
    asked.is_valid(raise_exception=True)
    values = asked.validated_data
    if request.method == "POST":
        if values["way"] == "whole" and "wanted" not in values:
            raise Problem(422, "Not possible", "Say how long all of it is to last.")
        going = production.jobs.filter(kind=KIND, state__in=("waiting", "running"))
        if going.exists():
            raise Problem(422, "Not possible", "Lengths are being set already. Wait for that, or stop it.")
        return Response(JobSerializer(running.start(production, KIND, **values)).data, status=201)
    heard, plan = _planned(production, state.load(production, spoken=False), values)
    body = {
        "now": max(one.phrases[-1].end for one in heard) - heard[0].phrases[0].start if heard else 0,
        "read": len(heard),
        "lines": [_row(one) for one in plan.lines],
        "pauses": plan.whole.pauses if plan.whole else 0,
        "stretch": round(plan.whole.stretch, 4) if plan.whole else 0.0,
        "refused": plan.refused,
    }
    return Response(WholeLastingSerializer(body).data)


def _row(one: LineLength) -> dict[str, Any]:
    return {
        "line": one.heard.line.id,
        "now": one.heard.length,
        "wanted": one.wanted,
        "pauses": one.pauses,
        "stretch": round(one.stretch, 4),
        "moved": one.moved,
        "refused": one.refused,
    }
