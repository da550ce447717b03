"""Films over HTTP: bring in, and everything the browser plays."""

from uuid import UUID

from django.http import Http404, HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.decorators import api_view, parser_classes
from rest_framework.parsers import BaseParser
from rest_framework.request import Request
from rest_framework.response import Response

from fendo_server.access import get_owned
from fendo_server.media import send_file
from fendo_server.picture import services
from fendo_server.picture.models import Film
from fendo_server.problems import ProblemSerializer
from fendo_server.productions.description import film_row
from fendo_server.productions.models import Production
from fendo_server.productions.serializers import FilmSerializer


class StreamParser(BaseParser):
    """The body as it comes, for files too large to hold."""

    media_type = "application/octet-stream"

    def parse(self, stream, media_type=None, parser_context=None):
        return stream


@extend_schema(
    operation_id="bring_in_film",
    request={"application/octet-stream": OpenApiTypes.BINARY},
    parameters=[OpenApiParameter("name", str, required=True, description="the file's name")],
    responses={201: FilmSerializer, 422: ProblemSerializer, 507: ProblemSerializer},
)
@api_view(["POST"])
@parser_classes([StreamParser])
def films(request: Request, production_id: UUID) -> Response:
    """Bring in a film: it becomes the picture at once, and is prepared by a job."""
    production = get_owned(Production, request.user, production_id)
    length = request.META.get("CONTENT_LENGTH") or ""
    arrived = services.receive(request.stream or request._request, int(length) if length.isdigit() else None)
    film = services.bring_in(production, request.user, request.query_params.get("name", "film"), arrived)
    return Response(film_row(film), status=201)


def _film(request: Request, film_id: UUID) -> Film:
    return get_owned(Film, request.user, film_id, "production")


@extend_schema(operation_id="film_picture", responses={(200, "video/mp4"): OpenApiTypes.BINARY})
@api_view(["GET"])
def picture(request: Request, film_id: UUID) -> HttpResponseBase:
    """The picture as the browser decodes it: the proxy, or the film itself while there is none."""
    film = _film(request, film_id)
    kinds = {"mov": "video/mp4", "matroska": "video/webm"}
    if film.has_proxy:
        return send_file(request, film.derived / "proxy.mp4", "video/mp4")
    return send_file(request, film.original, kinds.get(film.facts.get("kind", ""), "application/octet-stream"))


@extend_schema(operation_id="film_sound", responses={(200, "audio/flac"): OpenApiTypes.BINARY})
@api_view(["GET"])
def sound(request: Request, film_id: UUID, piece: int) -> HttpResponseBase:
    """Ten seconds of the film's own sound."""
    film = _film(request, film_id)
    if piece >= film.sound_pieces:
        raise Http404
    return send_file(request, film.derived / f"{piece:04}.flac", "audio/flac")


@extend_schema(operation_id="film_strip", responses={(200, "image/jpeg"): OpenApiTypes.BINARY})
@api_view(["GET"])
def strip(request: Request, film_id: UUID) -> HttpResponseBase:
    """Small pictures at even distances, 96 by 54 points each, in rows of twenty."""
    return send_file(request, _film(request, film_id).derived / "strip.jpg", "image/jpeg")
