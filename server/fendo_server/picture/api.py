"""What was brought in, over HTTP: sent in pieces, and everything the browser plays."""

from typing import Any
from uuid import UUID

from django.http import Http404, HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view, parser_classes
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from fendo_core.picture.edits import LayTimeline
from fendo_core.picture.timeline import known_media, read_from
from fendo_core.picture.timeline import read as read_timeline
from fendo_server.access import get_owned
from fendo_server.bodies import bytes_parser
from fendo_server.media import send_file
from fendo_server.picture import arriving
from fendo_server.picture.models import Arrival, Source
from fendo_server.picture.serializers import SourceSerializer
from fendo_server.problems import ProblemSerializer
from fendo_server.productions import changes, description, state
from fendo_server.productions.description import source_row
from fendo_server.productions.models import Production
from fendo_server.productions.serializers import PatchSerializer


class AnnouncedSerializer(serializers.Serializer):
    """A file that is to come."""

    name = serializers.CharField(max_length=1_000)
    size = serializers.IntegerField(min_value=0)
    digest = serializers.RegexField(r"^[0-9a-f]{64}$", help_text="SHA-256 of size and first, middle, last MiB")
    reading = serializers.BooleanField(default=False, help_text="it becomes a take, not a source of the picture")


class ArrivalSerializer(serializers.Serializer):
    """A file on its way in; `known` is the source that is the same file already, and nothing is to be sent then."""

    id = serializers.CharField(allow_null=True)
    received = serializers.IntegerField()
    known = SourceSerializer(allow_null=True)


class FinishedSerializer(serializers.Serializer):
    """Whether the file goes into the reel at once."""

    laid = serializers.BooleanField(default=True)


@extend_schema(
    operation_id="announce_file",
    request=AnnouncedSerializer,
    responses={201: ArrivalSerializer, 422: ProblemSerializer},
)
@api_view(["POST"])
def arrivals(request: Request, production_id: UUID) -> Response:
    """Say that a file is to come; the answer says from which byte on it is to be sent."""
    production = get_owned(Production, request.user, production_id)
    asked = AnnouncedSerializer(data=request.data)
    asked.is_valid(raise_exception=True)
    values = asked.validated_data
    reading = values.pop("reading")
    known = production.sources.filter(digest=values["digest"]).exclude(state=Source.State.FAILED).first()
    if known and not reading:
        return Response({"id": None, "received": 0, "known": source_row(known)}, status=201)
    arrival = arriving.announce(production, **values)
    return Response({"id": str(arrival.id), "received": arrival.received, "known": None}, status=201)


def _arrival(request: Request, arrival_id: UUID) -> Arrival:
    return get_owned(Arrival, request.user, arrival_id, "production")


class OneArrival(APIView):
    """A file on its way in."""

    parser_classes = [bytes_parser(arriving.LARGEST_PIECE)]

    @extend_schema(
        operation_id="send_file_piece",
        request={"application/octet-stream": OpenApiTypes.BINARY},
        parameters=[OpenApiParameter("at", int, required=True, description="the first byte that is sent")],
        responses={200: ArrivalSerializer, 409: ProblemSerializer, 422: ProblemSerializer},
    )
    def put(self, request: Request, arrival_id: UUID) -> Response:
        """The next piece, of 8 MiB at most."""
        arrival = _arrival(request, arrival_id)
        at = request.query_params.get("at", "")
        if not at.isdigit() or not isinstance(request.data, bytes):
            raise Http404
        received = arriving.append(arrival, int(at), request.data)
        return Response({"id": str(arrival.id), "received": received, "known": None})

    @extend_schema(operation_id="stop_file", request=None, responses={204: None})
    def delete(self, request: Request, arrival_id: UUID) -> Response:
        """Stop: what came is thrown away."""
        arriving.stop(_arrival(request, arrival_id))
        return Response(status=204)


@extend_schema(
    operation_id="finish_file",
    request=FinishedSerializer,
    responses={201: SourceSerializer, 409: ProblemSerializer, 422: ProblemSerializer},
)
@api_view(["POST"])
def finish(request: Request, arrival_id: UUID) -> Response:
    """The file is there: it is judged, laid (if it is to be), and prepared by a job."""
    asked = FinishedSerializer(data=request.data)
    asked.is_valid(raise_exception=True)
    source = arriving.finish(_arrival(request, arrival_id), request.user, asked.validated_data["laid"])
    return Response(source_row(source), status=201)


class TimelineReadSerializer(serializers.Serializer):
    """A timeline that was laid: what was odd in it, media that are missing, and what it has changed."""

    remarks = serializers.ListField(child=serializers.CharField())
    missing = serializers.ListField(child=serializers.CharField())
    patch = PatchSerializer()


@extend_schema(
    operation_id="lay_timeline",
    request={"application/octet-stream": OpenApiTypes.BINARY},
    responses={200: TimelineReadSerializer, 422: ProblemSerializer},
)
@api_view(["POST"])
@parser_classes([bytes_parser(arriving.LARGEST_PIECE)])
def timeline(request: Request, production_id: UUID) -> Response:
    """The reel as an EDL or an OTIO file says; undo brings the earlier one back."""
    production = get_owned(Production, request.user, production_id)
    data = request.data if isinstance(request.data, bytes) else b""
    found = read_timeline(data, production.rate)
    sources = state.load(production).sources
    media = known_media(found.events, sources)
    remarks = [*found.remarks, *read_from(found.events, sources, production.rate)]
    missing = sorted(medium for medium, source in media.items() if source is None)
    change = changes.perform(production, request.user, production.revision, LayTimeline(found.events))
    if found.start is not None:
        Production.objects.filter(pk=production.pk).update(start_frame=found.start)
    told = description.patch(production, change)
    return Response({"remarks": remarks, "missing": missing, "patch": told})


def _source(request: Request, source_id: UUID) -> Source:
    return get_owned(Source, request.user, source_id, "production")


@extend_schema(operation_id="source_picture", responses={(200, "video/mp4"): OpenApiTypes.BINARY})
@api_view(["GET"])
def picture(request: Request, source_id: UUID) -> HttpResponseBase:
    """A film as it was brought in."""
    source = _source(request, source_id)
    kinds = {"mov": "video/mp4", "matroska": "video/webm"}
    if source.kind != Source.Kind.FILM:
        raise Http404
    return send_file(request, source.original, kinds.get(source.facts.get("kind", ""), "application/octet-stream"))


@extend_schema(operation_id="source_segment", responses={(200, "video/mp4"): OpenApiTypes.BINARY})
@api_view(["GET"])
def segment(request: Request, source_id: UUID, number: int) -> HttpResponseBase:
    """A segment of a film's proxy."""
    source = _source(request, source_id)
    if number >= source.segments:
        raise Http404
    name = f"{source.segment_folder}/{number:04}.mp4" if source.segment_frames else "proxy.mp4"
    return send_file(request, source.derived / name, "video/mp4")


@extend_schema(operation_id="source_page", responses={(200, "image/jpeg"): OpenApiTypes.BINARY})
@api_view(["GET"])
def page(request: Request, source_id: UUID, number: int) -> HttpResponseBase:
    """A still, or a page of slides."""
    return send_file(request, _source(request, source_id).derived / f"page-{number:04}.jpg", "image/jpeg")


@extend_schema(operation_id="source_sound", responses={(200, "audio/flac"): OpenApiTypes.BINARY})
@api_view(["GET"])
def sound(request: Request, source_id: UUID, piece: int) -> HttpResponseBase:
    """Ten seconds of a source's own sound."""
    source = _source(request, source_id)
    if piece >= source.sound_pieces:
        raise Http404
    return send_file(request, source.derived / f"{piece:04}.flac", "audio/flac")


@extend_schema(operation_id="source_strip", responses={(200, "image/jpeg"): OpenApiTypes.BINARY})
@api_view(["GET"])
def strip(request: Request, source_id: UUID) -> HttpResponseBase:
    """Small pictures, 96 by 54 points each, in rows of twenty: at even distances of a film, or one a page."""
    return send_file(request, _source(request, source_id).derived / "strip.jpg", "image/jpeg")


class NotesSerializer(serializers.Serializer):
    """What the pages of slides say, page by page."""

    notes = serializers.ListField(child=serializers.CharField(allow_blank=True))


@extend_schema(operation_id="source_notes", responses={200: NotesSerializer})
@api_view(["GET"])
def notes(request: Request, source_id: UUID) -> Response:
    """What is to be said on each page: its notes, else its text."""
    found: dict[str, Any] = {"notes": _source(request, source_id).notes}
    return Response(found)
