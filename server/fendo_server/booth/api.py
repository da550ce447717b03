"""Capture over HTTP, and the simulated reader's voice."""

import io
from uuid import UUID

import soundfile
from django.http import HttpResponse, HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view, parser_classes
from rest_framework.parsers import BaseParser
from rest_framework.request import Request
from rest_framework.response import Response

from fendo_core.booth.clockmap import ClockMap
from fendo_core.reader import narrator
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_server.access import get_owned
from fendo_server.booth import capture
from fendo_server.problems import Problem, ProblemSerializer
from fendo_server.productions.serializers import TakeSerializer
from fendo_server.script.models import Line
from fendo_server.takes.description import describe
from fendo_server.takes.models import Take


class SoundParser(BaseParser):
    """Raw samples."""

    media_type = "application/octet-stream"

    def parse(self, stream, media_type=None, parser_context=None) -> bytes:
        return stream.read(capture.LARGEST_PIECE + 1)


class NewTakeSerializer(serializers.Serializer):
    """What a take needs to begin: the name of the input, for the file's header."""

    input = serializers.CharField(max_length=200, allow_blank=True)


class BegunTakeSerializer(serializers.Serializer):
    """A take that has begun: what it will be called, and where it lands."""

    id = serializers.CharField()
    number = serializers.IntegerField()
    file = serializers.CharField()
    folder = serializers.CharField()


class HaveSerializer(serializers.Serializer):
    """Samples of the take that are on the server's disk."""

    have = serializers.IntegerField()


class GapSerializer(serializers.ListField):
    """[sample, missing samples]."""

    child = serializers.IntegerField()


class ClockSerializer(serializers.Serializer):
    """The pairs that the take's clock map is made of; all in samples."""

    capture_frame = serializers.IntegerField()
    transport_frame = serializers.IntegerField()
    transport_position = serializers.IntegerField()
    output_latency = serializers.IntegerField(min_value=0, default=0)
    input_latency = serializers.IntegerField(min_value=0, default=0)
    source = serializers.ChoiceField(["none", "browser", "measured"], default="browser")
    gaps = serializers.ListField(child=GapSerializer(min_length=2, max_length=2), default=list)


class FinishSerializer(serializers.Serializer):
    """The end of a take."""

    total = serializers.IntegerField(min_value=0)
    clock = ClockSerializer()
    cut_off = serializers.BooleanField(default=False)


def _take(request: Request, take_id: UUID) -> Take:
    return get_owned(Take, request.user, take_id, "line__production", "folder", "reader")


@extend_schema(
    operation_id="begin_take", request=NewTakeSerializer, responses={201: BegunTakeSerializer, 422: ProblemSerializer}
)
@api_view(["POST"])
def takes(request: Request, line_id: UUID) -> Response:
    """Begin a take of the line: it gets its number, its name and its file before the first sample."""
    line = get_owned(Line, request.user, line_id)
    asked = NewTakeSerializer(data=request.data)
    asked.is_valid(raise_exception=True)
    take = capture.begin(line, asked.validated_data["input"])
    body = {"id": str(take.id), "number": take.number, "file": take.file_name, "folder": take.folder.path}
    return Response(body, status=201)


@extend_schema(
    operation_id="put_sound",
    request={"application/octet-stream": OpenApiTypes.BINARY},
    parameters=[OpenApiParameter("offset", int, required=True, description="sample of the take at which the piece begins")],
    responses={200: HaveSerializer, 409: ProblemSerializer, 507: ProblemSerializer},
)
@api_view(["PUT"])
@parser_classes([SoundParser])
def sound(request: Request, take_id: UUID) -> Response:
    """Append packed s24le samples; answered when they are on the disk."""
    take = _take(request, take_id)
    offset = request.query_params.get("offset", "")
    if not offset.isdigit() or not isinstance(request.data, bytes):
        raise Problem(422, "Not understood", "A piece of sound needs its offset in samples, and samples.")
    return Response({"have": capture.append(take, int(offset), request.data)})


@extend_schema(
    operation_id="finish_take",
    request=FinishSerializer,
    responses={200: TakeSerializer, 409: ProblemSerializer, 422: ProblemSerializer},
)
@api_view(["POST"])
def finish(request: Request, take_id: UUID) -> Response:
    """Close the take: it is saved from here on, and measured."""
    take = _take(request, take_id)
    asked = FinishSerializer(data=request.data)
    asked.is_valid(raise_exception=True)
    values = asked.validated_data
    take = capture.finish(take, values["total"], ClockMap.from_log(values["clock"]), values["cut_off"])
    slot = Span(take.line.slot_start, take.line.slot_end) if take.line.slot_start is not None else None
    return Response(describe(take, slot, take.folder.path, take.reader.name))


@extend_schema(operation_id="abandon_take", request=None, responses={204: None, 422: ProblemSerializer})
@api_view(["POST"])
def abandon(request: Request, take_id: UUID) -> Response:
    """Forget a take that was called off in its count-in."""
    capture.abandon(_take(request, take_id))
    return Response(status=204)


class ReadingQuery(serializers.Serializer):
    """Which reading of the simulated reader."""

    seed = serializers.IntegerField(default=1, min_value=0, max_value=2**31)
    voice = serializers.ChoiceField(narrator.VOICES, default=narrator.VOICES[0])
    fault = serializers.ChoiceField(narrator.FAULTS, default="none")


@extend_schema(
    operation_id="simulated_reading",
    parameters=[ReadingQuery],
    responses={(200, "audio/wav"): OpenApiTypes.BINARY, 503: ProblemSerializer},
)
@api_view(["GET"])
def simulated_reading(request: Request, line_id: UUID) -> HttpResponseBase:
    """The line read by the simulated reader; `X-Cue` is the sample that belongs on the slot's first frame."""
    line = get_owned(Line, request.user, line_id)
    asked = ReadingQuery(data=request.query_params)
    asked.is_valid(raise_exception=True)
    try:
        reading = narrator.read(line.text, **asked.validated_data)
    except narrator.NoVoice as error:
        raise Problem(503, "No made voice", f"The simulated reader can't speak: {error}. Real microphones work.") from error
    wav = io.BytesIO()
    soundfile.write(wav, reading.samples, SAMPLE_RATE, format="WAV", subtype="FLOAT")
    return HttpResponse(wav.getvalue(), content_type="audio/wav", headers={"X-Cue": str(reading.cue)})
