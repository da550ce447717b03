"""Takes and voices over HTTP: the recording as it is, and what sounds for a line."""

from dataclasses import replace
from uuid import UUID

import numpy as np
from django.http import Http404, HttpResponse, HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from fendo_core.audio.levels import overview
from fendo_core.booth.clockmap import ClockMap
from fendo_core.timebase import SAMPLE_RATE
from fendo_core.voice import Comp as CompValue
from fendo_core.voice import seams
from fendo_server.access import get_owned, owned
from fendo_server.media import send_file
from fendo_server.problems import Problem, ProblemSerializer
from fendo_server.productions.models import Production
from fendo_server.takes.description import comp_of_take
from fendo_server.takes.models import Take
from fendo_server.voice.models import Comp, Recording
from fendo_server.voice.polish import Polish
from fendo_server.voice.reading import reader_for
from fendo_server.voice.seams import jumps_in
from fendo_server.voice.sounding import NotMadeYet, Sounding


class ClockMapPieceSerializer(serializers.Serializer):
    """From a sample of the recording on, where it lies in the programme."""

    sample = serializers.IntegerField()
    programme = serializers.IntegerField()


class ClockMapSerializer(serializers.Serializer):
    """How a take lies in the programme, how that is known, and what speaks against it; see the core's `ClockMap`."""

    pieces = ClockMapPieceSerializer(many=True)
    latency = serializers.IntegerField()
    source = serializers.CharField()  # type: ignore[assignment]
    guide = serializers.CharField()
    readings = serializers.IntegerField()
    residual = serializers.IntegerField()
    drift = serializers.FloatField()
    breaks = serializers.ListField()
    gaps = serializers.ListField()
    repeats = serializers.ListField()
    picture_late = serializers.IntegerField(allow_null=True)
    picture_spread = serializers.IntegerField()
    within = serializers.IntegerField()
    doubts = serializers.ListField()


@extend_schema(operation_id="take_clock", responses={200: ClockMapSerializer})
@api_view(["GET"])
def clock(request: Request, take_id: UUID) -> Response:
    """The clock map of the take's recording."""
    take = get_owned(Take, request.user, take_id, "recording")
    try:
        return Response(ClockMap.from_dict(take.recording.clock).as_dict())
    except ValueError as error:
        raise Http404 from error


class DownloadQuery(serializers.Serializer):
    """Whether the browser should put the file away under its name."""

    download = serializers.BooleanField(default=False)


@extend_schema(
    operation_id="take_recording", parameters=[DownloadQuery], responses={(200, "audio/wav"): OpenApiTypes.BINARY}
)
@api_view(["GET"])
def recording(request: Request, take_id: UUID) -> HttpResponseBase:
    """The WAV file that the take is a stretch of, whole or a range of bytes."""
    take = get_owned(Take, request.user, take_id, "recording__production", "recording__folder")
    if take.recording.state != Recording.State.FINISHED:
        raise Http404
    asked = DownloadQuery(data=request.query_params)
    asked.is_valid(raise_exception=True)
    name = take.recording.file_name if asked.validated_data["download"] else None
    return send_file(request, take.path, "audio/wav", name)


LONGEST_STRETCH = 60 * SAMPLE_RATE
FOR_EVER = "private, max-age=31536000, immutable"


class StretchQuery(serializers.Serializer):
    """A stretch of a voice in its samples; all of it when not said."""

    start = serializers.IntegerField(min_value=0, default=0)
    end = serializers.IntegerField(min_value=1, required=False)


def _comp(request: Request, voice_id: UUID) -> tuple[Production, CompValue, UUID]:
    """A take or a comp of the user's: its production, what sounds, untreated, and its line."""
    take = owned(Take, request.user).filter(pk=voice_id).select_related("recording__production").first()
    if take:
        if take.recording.state != Recording.State.FINISHED:
            raise Http404
        return take.recording.production, comp_of_take(take), take.line_id
    made = get_owned(Comp, request.user, voice_id, "production")
    return made.production, made.value.comp, made.line_id


def _sounding(request: Request, voice_id: UUID, key: str) -> Sounding:
    """What a take or a comp of the user's sounds like now, or as it was read; not there when the key says neither."""
    production, comp, line = _comp(request, voice_id)
    polish = Polish(production)
    for found in (polish.sounding(comp, str(line)), polish.bare(comp)):
        if found.key == key:
            return found
    raise Problem(404, "Changed", "This reading sounds otherwise now. Look at the line again; nothing is lost.")


NOT_MADE_YET = Problem(503, "Being made", "This reading is being put together. It can be heard in a moment.")


@extend_schema(
    operation_id="voice_sound",
    parameters=[StretchQuery],
    responses={(200, "audio/wav"): OpenApiTypes.BINARY, 404: ProblemSerializer, 503: ProblemSerializer},
)
@api_view(["GET"])
def voice_sound(request: Request, voice_id: UUID, key: str) -> HttpResponseBase:
    """What sounds, as a 24-bit WAV file: whole if it is no longer than a minute, or a stretch of at most that."""
    found = _sounding(request, voice_id, key)
    asked = StretchQuery(data=request.query_params)
    asked.is_valid(raise_exception=True)
    start = asked.validated_data["start"]
    end = min(asked.validated_data.get("end", found.comp.length), found.comp.length)
    if not 0 < end - start <= LONGEST_STRETCH:
        raise Problem(422, "Not possible", "A stretch must lie inside the reading and be at most a minute long.")
    try:
        body = found.wav(start, end)
    except NotMadeYet as error:
        raise NOT_MADE_YET from error
    except FileNotFoundError as error:
        raise Http404 from error
    return HttpResponse(body, content_type="audio/wav", headers={"Cache-Control": FOR_EVER})


@extend_schema(
    operation_id="voice_wave", responses={(200, "application/octet-stream"): OpenApiTypes.BINARY, 503: ProblemSerializer}
)
@api_view(["GET"])
def voice_wave(request: Request, voice_id: UUID, key: str) -> HttpResponseBase:
    """Peak and average of each 10 ms of what sounds, one byte each, 0..255 over -60..0 dBFS."""
    found = _sounding(request, voice_id, key)
    try:
        body = found.wave()
    except NotMadeYet as error:
        raise NOT_MADE_YET from error
    except FileNotFoundError as error:
        raise Http404 from error
    return HttpResponse(body, content_type="application/octet-stream", headers={"Cache-Control": FOR_EVER})


class SeamJumpSerializer(serializers.Serializer):
    """A seam, and what of it is heard."""

    at = serializers.IntegerField(help_text="programme sample")
    heard = serializers.ListField(child=serializers.CharField(), help_text="empty: both sides are one reading")


MOST_SEAMS = 20
"""Of more, the first are: it is asked for while somebody waits."""


@extend_schema(operation_id="voice_seams", responses={200: SeamJumpSerializer(many=True), 404: ProblemSerializer})
@api_view(["GET"])
def voice_seams(request: Request, voice_id: UUID) -> Response:
    """How much the seams of a comp are heard: mended, and untreated."""
    production, comp, _ = _comp(request, voice_id)
    found = Polish(production).untreated(comp)
    jumps = [replace(jump, at=comp.at + jump.at) for jump in jumps_in(found, seams(comp)[:MOST_SEAMS])]
    return Response(SeamJumpSerializer(jumps, many=True).data)


AROUND = 3 * SAMPLE_RATE


@extend_schema(operation_id="voice_around", responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
@api_view(["GET"])
def voice_around(request: Request, voice_id: UUID) -> HttpResponse:
    """The waveform of three seconds that were recorded before a take or a comp begins, and of three after it ends; nothing
    where nothing was recorded."""
    production, comp, _ = _comp(request, voice_id)
    read = reader_for(production, comp.recordings)
    first, last = comp.segments[0], comp.segments[-1]
    start, end = first.source.start, last.source.end
    before = read(first.recording, max(0, start - AROUND), start)
    after = read(last.recording, end, end + AROUND)
    silence = np.zeros(AROUND - len(before), np.float32)
    sound = np.concatenate([silence, before, after, np.zeros(AROUND - len(after), np.float32)])
    return HttpResponse(overview(sound).tobytes(), content_type="application/octet-stream")
