"""Capture over HTTP, and the simulated reader's voice."""

import io
from dataclasses import asdict
from typing import get_args
from uuid import UUID

import soundfile
from django.http import HttpResponse, HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view, parser_classes
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from fendo_core.audio import pcm
from fendo_core.booth import loop, run
from fendo_core.reader import narrator
from fendo_core.script.pace import expected_length
from fendo_core.timebase import SAMPLE_RATE
from fendo_server.access import get_owned
from fendo_server.bodies import bytes_parser
from fendo_server.booth import behind, capture, cutting, following, recording_now
from fendo_server.booth.models import RoundTrip
from fendo_server.problems import Problem, ProblemSerializer
from fendo_server.productions import description
from fendo_server.productions.serializers import PatchSerializer
from fendo_server.script.models import Line
from fendo_server.script.pace import paces
from fendo_server.takes import joining
from fendo_server.takes.description import take_rows
from fendo_server.takes.models import Take
from fendo_server.takes.serializers import TakeSerializer
from fendo_server.wire import DAY
from fendo_server.work import running
from fendo_server.work.api import JobSerializer


class NewTakeSerializer(serializers.Serializer):
    """What a take needs to begin: the name of the input, for the file's header."""

    input = serializers.CharField(max_length=200, allow_blank=True)
    cue = serializers.IntegerField(required=False, allow_null=True, help_text="where a pick-up begins, programme sample")
    scratch = serializers.BooleanField(default=False, help_text="it only holds a place until the real reading is there")


class BegunTakeSerializer(serializers.Serializer):
    """A take that has begun: what it will be called, and where it lands."""

    id = serializers.CharField()
    number = serializers.IntegerField()
    file = serializers.CharField()
    folder = serializers.CharField()


class HaveSerializer(serializers.Serializer):
    """Samples of the take that are on the server's disk."""

    have = serializers.IntegerField()


class PairSerializer(serializers.ListField):
    """Two whole numbers."""

    child = serializers.IntegerField()


class NoteSerializer(serializers.ListField):
    """[sample, words]."""


def _pairs(text: str) -> serializers.ListField:
    return serializers.ListField(child=PairSerializer(min_length=2, max_length=2), required=False, help_text=text)


class ClockSerializer(serializers.Serializer):
    """A part of a take's clock log; its pairs are explained at the core's `ClockLog`. Parts may overlap and repeat."""

    capture = _pairs("(sample of the take, context frame)")
    transport = _pairs("(context frame, programme sample)")
    output = _pairs("(context frame heard, microseconds)")
    seen = _pairs("(frame of the picture, microseconds)")
    gaps = _pairs("(sample of the take, missing samples)")
    repeats = _pairs("(sample of the take, repeated samples)")
    marks = _pairs("(sample of the take at which a mistake was marked, context frame)")
    notes = serializers.ListField(child=NoteSerializer(min_length=2, max_length=2), required=False)
    latency = serializers.IntegerField(min_value=0, required=False)
    spread = serializers.IntegerField(min_value=0, required=False)
    source = serializers.ChoiceField(["none", "browser", "measured"], required=False)  # type: ignore[assignment]
    fresh = serializers.BooleanField(required=False)
    guide = serializers.ChoiceField(["ear", "eye"], required=False)


class FinishSerializer(serializers.Serializer):
    """The end of a take."""

    total = serializers.IntegerField(min_value=0)
    clock = ClockSerializer()
    cut_off = serializers.BooleanField(default=False)


def _take(request: Request, take_id: UUID) -> Take:
    return get_owned(Take, request.user, take_id, *capture.WITH)


class LineTakes(APIView):
    """The takes of a line, and new ones."""

    @extend_schema(operation_id="takes", responses={200: TakeSerializer(many=True), 404: ProblemSerializer})
    def get(self, request: Request, line_id: UUID) -> Response:
        """All takes of the line, in order of their numbers."""
        line = get_owned(Line, request.user, line_id, "production")
        comps = [one.value for one in line.comps.all()]
        return Response(take_rows(line.production, Take.objects.filter(line=line), {str(line.id): line}, comps))

    @extend_schema(
        operation_id="begin_take", request=NewTakeSerializer, responses={201: BegunTakeSerializer, 422: ProblemSerializer}
    )
    def post(self, request: Request, line_id: UUID) -> Response:
        """Begin a take of the line: it gets its number, its name and its file before the first sample."""
        line = get_owned(Line, request.user, line_id)
        asked = NewTakeSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        wanted = asked.validated_data
        take = capture.begin(line, wanted["input"], wanted.get("cue"), wanted["scratch"])
        recording = take.recording
        body = {"id": str(take.id), "number": take.number, "file": recording.file_name, "folder": recording.folder.path}
        return Response(body, status=201)


@extend_schema(
    operation_id="put_sound",
    request={"application/octet-stream": OpenApiTypes.BINARY},
    parameters=[
        OpenApiParameter("offset", int, required=True, description="sample of the take at which the piece begins"),
        OpenApiParameter("X-Clock", str, OpenApiParameter.HEADER, description="a part of the take's clock log as JSON"),
    ],
    responses={200: HaveSerializer, 409: ProblemSerializer, 507: ProblemSerializer},
)
@api_view(["PUT"])
@parser_classes([bytes_parser(capture.LARGEST_PIECE)])
def sound(request: Request, take_id: UUID) -> Response:
    """Append packed s24le samples; answered when they are on the disk."""
    take = _take(request, take_id)
    offset = request.query_params.get("offset", "")
    if not offset.isdigit() or not isinstance(request.data, bytes):
        raise Problem(422, "Not understood", "A piece of sound needs its offset in samples, and samples.")
    return Response({"have": capture.append(take, int(offset), request.data, request.headers.get("X-Clock", ""))})


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
    take = capture.finish(take, values["total"], [values["clock"]], values["cut_off"])
    line = take.line
    (row,) = take_rows(line.production, Take.objects.filter(pk=take.pk), {str(line.id): line})
    return Response(row)


class SoFarSerializer(serializers.Serializer):
    """What is heard of a take while it is recorded."""

    heard = serializers.IntegerField(help_text="samples that were listened to")
    speaks = serializers.BooleanField(help_text="somebody has spoken")
    over = serializers.BooleanField(help_text="the line is read, or nobody reads it")


class SoFarQuery(serializers.Serializer):
    """What the page knows of a reading that goes on."""

    cue = serializers.IntegerField(min_value=0, max_value=DAY, help_text="sample of the take at which the line begins")


def _being_recorded(request: Request, take_id: UUID) -> tuple[Take, int]:
    """A take that is being recorded, and the sample of it at which its line begins."""
    take = _take(request, take_id)
    asked = SoFarQuery(data=request.query_params)
    asked.is_valid(raise_exception=True)
    return take, asked.validated_data["cue"]


@extend_schema(
    operation_id="take_so_far", parameters=[SoFarQuery], responses={200: SoFarSerializer, 404: ProblemSerializer}
)
@api_view(["GET"])
def so_far(request: Request, take_id: UUID) -> Response:
    """Whether the line is read, of a take that is being recorded: asked again and again in a reading run."""
    take, cue = _being_recorded(request, take_id)
    phrases, have = recording_now.so_far(take)
    said = [phrase.shifted(-cue) for phrase in phrases if phrase.end > cue]
    expected = expected_length(take.words, paces(take.line.production)[str(take.recording.reader_id)])
    before = have > cue + run.WINDOW
    over = have > cue and run.over(said, have - cue, expected, before, following.all_said(take))
    return Response({"heard": have, "speaks": bool(said) or before, "over": over})


class FollowedSerializer(serializers.Serializer):
    """Where a reading is."""

    how = serializers.ChoiceField(
        get_args(following.How),
        help_text="by the words that were heard; by how long words take; by that, as the machine is too slow to listen",
    )
    line = serializers.CharField(help_text="the line that is being read")
    word = serializers.IntegerField(help_text="the word of the line that is being read; their number when all are read")
    again = serializers.ListField(child=serializers.IntegerField(), help_text="words that were said again")
    left_out = serializers.ListField(child=serializers.IntegerField(), help_text="words that were passed over")


@extend_schema(
    operation_id="follow_take", parameters=[SoFarQuery], responses={200: FollowedSerializer, 404: ProblemSerializer}
)
@api_view(["GET"])
def follow(request: Request, take_id: UUID) -> Response:
    """Which word is being read, of a take that is being recorded: asked again and again while it is."""
    return Response(asdict(following.followed(*_being_recorded(request, take_id))))


class BehindSerializer(serializers.Serializer):
    """How far an interpreter is behind."""

    behind = serializers.IntegerField(
        allow_null=True, help_text="samples behind the original; null: there is none, or it can't be told"
    )


@extend_schema(
    operation_id="take_behind", parameters=[SoFarQuery], responses={200: BehindSerializer, 404: ProblemSerializer}
)
@api_view(["GET"])
def behind_original(request: Request, take_id: UUID) -> Response:
    """How far the last minute and a half of a take that is being recorded is behind the original."""
    return Response({"behind": behind.so_far(*_being_recorded(request, take_id))})


class ReadingSerializer(serializers.Serializer):
    """How often a line was read in a run."""

    readings = serializers.IntegerField(min_value=1, max_value=1000)


class NextSerializer(serializers.Serializer):
    """What comes after a reading."""

    next = serializers.ChoiceField(["on", "again"])
    faults = serializers.ListField(child=serializers.CharField())


@extend_schema(operation_id="after_take", parameters=[ReadingSerializer], responses={200: NextSerializer})
@api_view(["GET"])
def after(request: Request, take_id: UUID) -> Response:
    """What comes after a finished take in a reading run: the next line, or the same again."""
    take = _take(request, take_id)
    asked = ReadingSerializer(data=request.query_params)
    asked.is_valid(raise_exception=True)
    line = take.line
    (row,) = take_rows(line.production, Take.objects.filter(pk=take.pk), {str(line.id): line})
    return Response({"next": run.after(row["faults"], asked.validated_data["readings"]), "faults": row["faults"]})


@extend_schema(operation_id="abandon_take", request=None, responses={204: None, 422: ProblemSerializer})
@api_view(["POST"])
def abandon(request: Request, take_id: UUID) -> Response:
    """Forget a take that was called off in its count-in."""
    capture.abandon(_take(request, take_id))
    return Response(status=204)


@extend_schema(operation_id="cut_take", request=None, responses={201: JobSerializer, 422: ProblemSerializer})
@api_view(["POST"])
def cut(request: Request, take_id: UUID) -> Response:
    """Begin to cut a take, in which several lines were read, into the takes of these lines."""
    take = _take(request, take_id)
    production = take.line.production
    going = production.jobs.filter(
        kind=cutting.KIND, state__in=("waiting", "running"), arguments__take=str(take.pk)
    ).first()
    job = going or running.start(production, cutting.KIND, take=str(take.pk))
    return Response(JobSerializer(job).data, status=201)


class JoinSerializer(serializers.Serializer):
    """A take that goes on from another take or a comp of the same line."""

    later = serializers.UUIDField(help_text="the take that goes on")
    onto = serializers.UUIDField(help_text="the take or comp that comes before it")
    at = serializers.IntegerField(
        required=False,
        allow_null=True,
        min_value=-DAY,
        max_value=DAY,
        help_text="programme sample; null: where it is heard least",
    )


@extend_schema(operation_id="join", request=JoinSerializer, responses={200: PatchSerializer, 422: ProblemSerializer})
@api_view(["POST"])
def join(request: Request, line_id: UUID) -> Response:
    """Make one reading of two: the earlier one up to the joint, the later one from there. It is an edit."""
    line = get_owned(Line, request.user, line_id, "production")
    asked = JoinSerializer(data=request.data)
    asked.is_valid(raise_exception=True)
    wanted = asked.validated_data
    change = joining.join(line, str(wanted["later"]), str(wanted["onto"]), wanted.get("at"), request.user)
    return Response(description.patch(line.production, change))


class DevicesSerializer(serializers.Serializer):
    """A way of sound: from which output to which input, in which browser."""

    input = serializers.CharField(max_length=200)
    output = serializers.CharField(max_length=200, allow_blank=True)
    browser = serializers.CharField(max_length=200, allow_blank=True)


class RoundTripSerializer(serializers.Serializer):
    """A measured round trip in samples; all null when it was never measured."""

    latency = serializers.IntegerField(allow_null=True)
    spread = serializers.IntegerField(allow_null=True)
    made = serializers.CharField(allow_null=True)


def _said(found: RoundTrip | None) -> Response:
    if found is None:
        return Response({"latency": None, "spread": None, "made": None})
    return Response({"latency": found.latency, "spread": found.spread, "made": found.made.isoformat()})


@extend_schema(
    methods=["GET"], operation_id="round_trip", parameters=[DevicesSerializer], responses={200: RoundTripSerializer}
)
@extend_schema(
    methods=["POST"],
    operation_id="measure_round_trip",
    parameters=[DevicesSerializer],
    request={"application/octet-stream": OpenApiTypes.BINARY},
    responses={200: RoundTripSerializer, 422: ProblemSerializer},
)
@api_view(["GET", "POST"])
@parser_classes([bytes_parser(capture.LARGEST_PIECE)])
def round_trip(request: Request) -> Response:
    """What is known of a pair of devices; or find it in a recording of the test sound (packed s24le) and remember it."""
    asked = DevicesSerializer(data=request.query_params)
    asked.is_valid(raise_exception=True)
    devices = asked.validated_data
    if request.method == "GET":
        return _said(RoundTrip.objects.filter(owner=request.user.pk, **devices).first())
    if not isinstance(request.data, bytes) or len(request.data) % pcm.BYTES_A_SAMPLE:
        raise Problem(422, "Not understood", "A recording of the test sound must be whole 24-bit samples.")
    try:
        found = loop.round_trip(pcm.to_floats(pcm.to_integers(request.data)))
    except loop.LoopFailed as error:
        raise Problem(422, "Not measured", str(error)) from error
    kept, _ = RoundTrip.objects.update_or_create(
        owner=request.user, **devices, defaults={"latency": found.latency, "spread": found.spread}
    )
    return _said(kept)


@extend_schema(operation_id="loop_sound", responses={(200, "audio/wav"): OpenApiTypes.BINARY})
@api_view(["GET"])
def loop_sound(request: Request) -> HttpResponseBase:
    """The test sound of the loop test: a train of chirps."""
    wav = io.BytesIO()
    soundfile.write(wav, loop.train(), SAMPLE_RATE, format="WAV", subtype="FLOAT")
    return HttpResponse(wav.getvalue(), content_type="audio/wav")


READS_ON = 4
"""Lines that the simulated reader reads in one long pass."""


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
        wanted = asked.validated_data
        if wanted["fault"] == "reads on":
            following = line.production.lines.filter(dropped=False, position__gte=line.position).order_by("position")
            texts = [text for text in following.values_list("text", flat=True)[:READS_ON] if text]
            reading = narrator.read_on(texts or [line.text], wanted["seed"], wanted["voice"])
        else:
            reading = narrator.read(line.text, **wanted)
    except narrator.NoVoice as error:
        raise Problem(503, "No made voice", f"The simulated reader can't speak: {error}. Real microphones work.") from error
    wav = io.BytesIO()
    soundfile.write(wav, reading.samples, SAMPLE_RATE, format="WAV", subtype="FLOAT")
    return HttpResponse(wav.getvalue(), content_type="audio/wav", headers={"X-Cue": str(reading.cue)})
