"""A reading made exactly as long as wanted, over HTTP."""

from dataclasses import dataclass
from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from fendo_core.polish.length import MOST, Lasting, TooFar, lasting
from fendo_core.takes.fitting import LARGEST_MOST, fitted
from fendo_core.timebase import SAMPLE_RATE, seconds_text
from fendo_server.access import get_owned
from fendo_server.polish import jobs
from fendo_server.problems import Problem, ProblemSerializer
from fendo_server.productions import description
from fendo_server.productions.serializers import PatchSerializer
from fendo_server.script.models import Line
from fendo_server.takes.making import LineReadings, Reading, add_made
from fendo_server.wire import DAY


class LengthSerializer(serializers.Serializer):
    """How long a reading is to last, from its first word to its last."""

    voice = serializers.UUIDField(help_text="the take or comp")
    wanted = serializers.IntegerField(
        required=False, allow_null=True, min_value=SAMPLE_RATE // 10, max_value=DAY, help_text="samples; null: its slot"
    )
    most = serializers.FloatField(
        min_value=0.0, max_value=LARGEST_MOST, default=MOST, help_text="share by which phrases are stretched at most"
    )


class LastingSerializer(serializers.Serializer):
    """What would be done; nothing is changed by asking."""

    now = serializers.IntegerField(help_text="samples that it lasts")
    wanted = serializers.IntegerField()
    pauses = serializers.IntegerField(help_text="samples that its pauses get longer, all together")
    stretch = serializers.FloatField(help_text="0.05: phrases five hundredths longer")
    refused = serializers.CharField(allow_blank=True, help_text="why it would sound wrong; empty: it can be done")


@dataclass(frozen=True)
class _Asked:
    readings: LineReadings
    reading: Reading
    wanted: int
    found: Lasting | None
    refused: str


def _asked(line: Line, values: dict[str, Any]) -> _Asked:
    readings = LineReadings(line)
    reading = readings.reading(str(values["voice"]))
    slot, wanted = readings.line.slot, values.get("wanted")
    if wanted is None:
        if slot is None:
            raise Problem(422, "Not possible", "This line has no slot to be as long as. Type a length.")
        wanted = slot.length
    try:
        found = lasting(reading.phrases, wanted, values["most"], jobs.natural(line.production))
    except TooFar as error:
        return _Asked(readings, reading, wanted, None, str(error))
    return _Asked(readings, reading, wanted, found, "")


@extend_schema(
    methods=["GET"],
    operation_id="look_at_length",
    parameters=[LengthSerializer],
    responses={200: LastingSerializer, 422: ProblemSerializer},
)
@extend_schema(
    methods=["POST"],
    operation_id="set_length",
    request=LengthSerializer,
    responses={200: PatchSerializer, 422: ProblemSerializer},
)
@api_view(["GET", "POST"])
def length(request: Request, line_id: UUID) -> Response:
    """What it takes for a reading to last as long as wanted; or do it, as an edit."""
    line = get_owned(Line, request.user, line_id, "production")
    posted = request.method == "POST"
    asked = LengthSerializer(data=request.data if posted else request.query_params)
    asked.is_valid(raise_exception=True)
    one = _asked(line, asked.validated_data)
    phrases = one.reading.phrases
    if not posted:
        body = {
            "now": phrases[-1].end - phrases[0].start,
            "wanted": one.wanted,
            "pauses": one.found.pauses if one.found else 0,
            "stretch": round(one.found.stretch, 4) if one.found else 0.0,
            "refused": one.refused,
        }
        return Response(body)
    if one.found is None:
        raise Problem(422, "Not possible", f"{one.refused}. It is as it was.")
    made = fitted(one.reading.comp, one.found.phrases, one.readings.tone(one.reading))
    how = f"{seconds_text(one.wanted)} s long"
    change = add_made(one.readings, one.reading, made, how, request.user)
    return Response(description.patch(line.production, change))
