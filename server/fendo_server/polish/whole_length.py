"""How long the lines of a production last, all at once: each as long as its slot, or all together as long as wanted."""

from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any, Literal
from uuid import UUID

from django.db import transaction
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from fendo_core.polish.length import MOST, Lasting, Overlap, TooFar, lasting, whole_lasting
from fendo_core.production import edits
from fendo_core.production.refusal import EditRefused
from fendo_core.production.state import State
from fendo_core.script.lines import Line as CoreLine
from fendo_core.takes.fitting import LARGEST_MOST, Fitted, fitted
from fendo_core.takes.standing import sounding
from fendo_core.timebase import SAMPLE_RATE, Span, seconds_text
from fendo_core.voice import Comp, Place
from fendo_server.access import get_owned
from fendo_server.polish import jobs
from fendo_server.problems import Problem, ProblemSerializer
from fendo_server.productions import changes, state
from fendo_server.productions.models import Production
from fendo_server.productions.serializers import DAY
from fendo_server.script.models import Line
from fendo_server.takes.description import spoken_in
from fendo_server.takes.making import LineReadings, made_edit
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


@dataclass(frozen=True)
class _Heard:
    """A line as it sounds."""

    line: CoreLine
    voice: str
    comp: Comp
    phrases: tuple[Span, ...]

    @property
    def length(self) -> int:
        return self.phrases[-1].end - self.phrases[0].start


@dataclass(frozen=True)
class _Plan:
    """What is done line by line (None: it can't be, and why), and all of it together."""

    heard: list[_Heard]
    done: list[tuple[_Heard, int, Lasting | None, tuple[Fitted, ...], str]] = field(default_factory=list)
    whole: Lasting | None = None
    refused: str = ""


def _heard(production: Production, present: State) -> list[_Heard]:
    """The lines in which somebody speaks, in the order in which they are heard."""
    comps = sounding(present)
    spoken = spoken_in(production, [comp for _, comp in comps.values()])
    lines = {line.id: line for line in present.lines}
    found = [
        _Heard(lines[line], voice, comp, phrases)
        for line, (voice, comp) in comps.items()
        if (phrases := Place(comp).all_in_programme(spoken))
    ]
    return sorted(found, key=lambda one: one.phrases[0].start)


def _planned(production: Production, present: State, values: dict[str, Any]) -> _Plan:
    plan, natural, most = _Plan(_heard(production, present)), jobs.natural(production), values["most"]
    if values["way"] == "whole":
        return _planned_whole(plan, values["wanted"], most, natural) if "wanted" in values else plan
    for one in plan.heard:
        slot = one.line.slot
        if slot is None or one.length <= slot.length:
            continue
        if one.line.settled:
            plan.done.append((one, slot.length, None, (), "It is settled"))
            continue
        try:
            found = lasting(one.phrases, slot.length, most, natural)
            plan.done.append((one, slot.length, found, found.phrases, ""))
        except TooFar as error:
            plan.done.append((one, slot.length, None, (), str(error)))
    return plan


def _planned_whole(plan: _Plan, wanted: int, most: float, natural: int | None) -> _Plan:
    def refused(why: str) -> _Plan:
        return _Plan(plan.heard, refused=why)

    if not plan.heard:
        return refused("Nothing was read yet")
    if settled := next((one.line.number for one in plan.heard if one.line.settled), None):
        return refused(f"Line {settled} is settled. Open it again first")
    try:
        found, parts = whole_lasting([one.phrases for one in plan.heard], wanted, most, natural)
    except Overlap as error:
        one, other = (plan.heard[number].line.number for number in (error.first, error.second))
        return refused(f"Line {other} begins before line {one} has ended: pauses between them can’t give or take")
    except TooFar as error:
        return refused(str(error))
    lines = zip(plan.heard, parts, strict=True)
    done = [(one, part[-1].to.end - part[0].to.start, found, part, "") for one, part in lines if _changes(part)]
    return _Plan(plan.heard, done, found)


def _changes(part: tuple[Fitted, ...]) -> bool:
    return any(phrase.to != phrase.own for phrase in part)


@running.handles(KIND)
def set_lengths(progress: running.Progress) -> dict[str, Any]:
    """Make the comps that it takes, and lay them in one edit."""
    production, values = progress.job.production, progress.job.arguments
    present = state.load(production)
    plan = _planned(production, present, values)
    if plan.refused:
        raise running.JobFailed(f"{plan.refused}. Everything is as it was.")
    wanted = [one for one in plan.done if one[2] is not None]
    rows = {str(line.pk): line for line in Line.objects.filter(pk__in=[one.line.id for one, *_ in wanted])}
    made = list[edits.AddComp | edits.MoveVoice]()
    for number, (one, length, _, phrases, _) in enumerate(wanted):
        progress(number / len(wanted), f"setting {number + 1} of {len(wanted)}")
        if all(phrase.to.length == phrase.own.length and phrase.shift == phrases[0].shift for phrase in phrases):
            made.append(edits.MoveVoice(one.voice, phrases[0].shift))
            continue
        rows[one.line.id].production = production
        readings = LineReadings(rows[one.line.id], present)
        reading = readings.reading(one.voice)
        comp = fitted(reading.comp, phrases, readings.tone(reading))
        made.append(made_edit(readings, reading, comp, f"{seconds_text(length)} s long"))
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
    plan = _planned(production, state.load(production, spoken=False), values)
    heard = plan.heard
    body = {
        "now": max(one.phrases[-1].end for one in heard) - heard[0].phrases[0].start if heard else 0,
        "read": len(heard),
        "lines": [_row(*one) for one in plan.done],
        "pauses": plan.whole.pauses if plan.whole else 0,
        "stretch": round(plan.whole.stretch, 4) if plan.whole else 0.0,
        "refused": plan.refused,
    }
    return Response(WholeLastingSerializer(body).data)


def _row(one: _Heard, wanted: int, found: Lasting | None, phrases: tuple[Fitted, ...], refused: str) -> dict[str, Any]:
    return {
        "line": one.line.id,
        "now": one.length,
        "wanted": wanted,
        "pauses": sum(b.to.start - a.to.end - b.own.start + a.own.end for a, b in pairwise(phrases)),
        "stretch": round(found.stretch, 4) if found else 0.0,
        "moved": phrases[0].shift if phrases else 0,
        "refused": refused,
    }
