"""Takes over HTTP: their waveform and their sound."""

from uuid import UUID

from django.http import Http404, HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.decorators import api_view
from rest_framework.request import Request

from fendo_server.access import get_owned
from fendo_server.media import send_file
from fendo_server.takes.models import Take


@extend_schema(operation_id="take_wave", responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
@api_view(["GET"])
def wave(request: Request, take_id: UUID) -> HttpResponseBase:
    """Peak and average of each 10 ms, one byte each, 0..255 over -60..0 dBFS."""
    take = get_owned(Take, request.user, take_id)
    return send_file(request, take.wave, "application/octet-stream")


@extend_schema(
    operation_id="take_sound",
    parameters=[OpenApiParameter("download", bool)],
    responses={(200, "audio/wav"): OpenApiTypes.BINARY},
)
@api_view(["GET"])
def sound(request: Request, take_id: UUID) -> HttpResponseBase:
    """The take's WAV file, whole or a range."""
    take = get_owned(Take, request.user, take_id, "line__production", "folder")
    if take.state != Take.State.FINISHED:
        raise Http404
    return send_file(request, take.path, "audio/wav", take.file_name if "download" in request.query_params else None)
