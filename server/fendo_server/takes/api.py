"""Takes over HTTP: their waveform and their sound."""

import io
import wave as wave_file
from pathlib import Path
from uuid import UUID

from django.http import Http404, HttpResponse, HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from fendo_core.audio import pcm, wav
from fendo_core.booth.clockmap import ClockMap
from fendo_core.timebase import SAMPLE_RATE
from fendo_server.access import get_owned
from fendo_server.media import send_file
from fendo_server.problems import Problem
from fendo_server.takes.models import Take


@extend_schema(operation_id="take_wave", responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
@api_view(["GET"])
def wave(request: Request, take_id: UUID) -> HttpResponseBase:
    """Peak and average of each 10 ms, one byte each, 0..255 over -60..0 dBFS."""
    take = get_owned(Take, request.user, take_id)
    return send_file(request, take.wave, "application/octet-stream")


class PieceSerializer(serializers.Serializer):
    """From a sample of the take on, where it lies in the programme."""

    sample = serializers.IntegerField()
    programme = serializers.IntegerField()


class ClockMapSerializer(serializers.Serializer):
    """How a take lies in the programme, how that is known, and what speaks against it; see the core's `ClockMap`."""

    pieces = PieceSerializer(many=True)
    latency = serializers.IntegerField()
    source = serializers.CharField()
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
    """The take's clock map."""
    take = get_owned(Take, request.user, take_id)
    try:
        return Response(ClockMap.from_dict(take.clock).as_dict())
    except ValueError as error:
        raise Http404 from error


LONGEST_PIECE = 60 * SAMPLE_RATE


class SoundQuery(serializers.Serializer):
    """A stretch of the take in samples, as a WAV file of its own; or the whole file."""

    start = serializers.IntegerField(min_value=0, required=False)
    end = serializers.IntegerField(min_value=1, required=False)
    download = serializers.BooleanField(default=False)


@extend_schema(
    operation_id="take_sound",
    parameters=[SoundQuery],
    responses={(200, "audio/wav"): OpenApiTypes.BINARY},
)
@api_view(["GET"])
def sound(request: Request, take_id: UUID) -> HttpResponseBase:
    """The take's WAV file: whole, a range of bytes, or a stretch of at most a minute."""
    take = get_owned(Take, request.user, take_id, "line__production", "folder")
    if take.state != Take.State.FINISHED:
        raise Http404
    asked = SoundQuery(data=request.query_params)
    asked.is_valid(raise_exception=True)
    wanted = asked.validated_data
    if "end" in wanted:
        start, end = wanted.get("start", 0), min(wanted["end"], take.length)
        if not 0 < end - start <= LONGEST_PIECE:
            raise Problem(422, "Not possible", "A stretch of a take must lie inside it and be at most a minute long.")
        try:
            return HttpResponse(piece_of(take.path, start, end), content_type="audio/wav")
        except FileNotFoundError as error:
            raise Http404 from error
    return send_file(request, take.path, "audio/wav", take.file_name if wanted["download"] else None)


def piece_of(path: Path, start: int, end: int) -> bytes:
    """Samples start..end of a take's file as a plain WAV file, bit for bit."""
    with path.open("rb") as file:
        found = wav.describe(file.read(wav.HEADER_BYTES))
        file.seek(found.data_offset + start * pcm.BYTES_A_SAMPLE)
        packed = file.read((end - start) * pcm.BYTES_A_SAMPLE)
    out = io.BytesIO()
    with wave_file.open(out, "wb") as plain:
        plain.setnchannels(1)
        plain.setsampwidth(pcm.BYTES_A_SAMPLE)
        plain.setframerate(SAMPLE_RATE)
        plain.writeframes(packed)
    return out.getvalue()
