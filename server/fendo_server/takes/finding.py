"""Finding takes over HTTP: everything that was ever read in a production, and what was found as one file."""

from collections.abc import Iterator
from typing import Any
from uuid import UUID

from django.conf import settings
from django.http import HttpResponseBase, StreamingHttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from fendo_core.booth.naming import safe_name
from fendo_core.takes.finding import Described, matches, wanted
from fendo_server.access import get_owned
from fendo_server.media import attachment
from fendo_server.parcel import zipped
from fendo_server.problems import Problem, ProblemSerializer
from fendo_server.productions.models import Production
from fendo_server.takes.models import Pick, Take
from fendo_server.voice.models import Recording

SHOWN = 200
ROWS = (
    "id", "line_id", "line__number", "line__dropped", "number", "words", "note", "mark", "aside", "recording__file_name",
    "recording__made", "recording__folder_id", "recording__reader_id",
)  # fmt: skip


class FindQuery(serializers.Serializer):
    """What is looked for."""

    text = serializers.CharField(max_length=200, allow_blank=True, default="")


class FoundTakeSerializer(serializers.Serializer):
    """A take that was found."""

    id = serializers.CharField()
    line = serializers.CharField()
    line_number = serializers.CharField()
    dropped = serializers.BooleanField(help_text="its line is no longer in the script")
    number = serializers.IntegerField()
    words = serializers.CharField(allow_blank=True)
    reader = serializers.CharField()
    folder = serializers.CharField()
    file = serializers.CharField()
    made = serializers.DateTimeField()
    mark = serializers.CharField(allow_blank=True)
    note = serializers.CharField(allow_blank=True)
    aside = serializers.BooleanField()
    picked = serializers.BooleanField()


class FoundTakesSerializer(serializers.Serializer):
    """The first of what was found, the newest first, and how many there are."""

    count = serializers.IntegerField()
    takes = FoundTakeSerializer(many=True)


def _found(production: Production, text: str) -> Iterator[tuple[Any, Described]]:
    folders = dict(production.folders.values_list("id", "path"))
    readers = dict(production.readers.values_list("id", "name"))
    picked = set(Pick.objects.filter(line__production=production, take__isnull=False).values_list("take_id", flat=True))
    takes = Take.objects.filter(line__production=production, recording__state=Recording.State.FINISHED)
    parts = wanted(text)
    for row in takes.order_by("-recording__made", "line__position", "-number").values_list(*ROWS, named=True):
        take = Described(
            words=row.words,
            line=row.line__number,
            number=row.number,
            reader=readers[row.recording__reader_id],
            folder=folders[row.recording__folder_id],
            file=row.recording__file_name,
            made=row.recording__made.date(),
            mark=row.mark,
            note=row.note,
            aside=row.aside,
            picked=row.id in picked,
        )
        if matches(parts, take):
            yield row, take


def _asked(request: Request) -> str:
    asked = FindQuery(data=request.query_params)
    asked.is_valid(raise_exception=True)
    text: str = asked.validated_data["text"]
    return text


@extend_schema(operation_id="find_takes", parameters=[FindQuery], responses={200: FoundTakesSerializer})
@api_view(["GET"])
def find(request: Request, production_id: UUID) -> Response:
    """Takes whose words, line, reader, folder, file name, date, mark or note hold all that is looked for."""
    production = get_owned(Production, request.user, production_id)
    found = list(_found(production, _asked(request)))
    takes = [
        {
            "id": str(row.id),
            "line": str(row.line_id),
            "line_number": take.line,
            "dropped": row.line__dropped,
            "made": row.recording__made,
            **{name: getattr(take, name) for name in ("number", "words", "reader", "folder", "file", "mark", "note")},
            "aside": take.aside,
            "picked": take.picked,
        }
        for row, take in found[:SHOWN]
    ]
    return Response(FoundTakesSerializer({"count": len(found), "takes": takes}).data)


@extend_schema(
    operation_id="found_takes_zip",
    parameters=[FindQuery],
    responses={(200, "application/zip"): OpenApiTypes.BINARY, 422: ProblemSerializer},
)
@api_view(["GET"])
def found_zip(request: Request, production_id: UUID) -> HttpResponseBase:
    """The recordings of all takes that are found, as one file, each in its folder."""
    production = get_owned(Production, request.user, production_id)
    text = _asked(request)
    names = dict.fromkeys(f"{take.folder}/{take.file}" for _, take in _found(production, text))
    root = settings.MEDIA / production.directory
    there = [name for name in names if (root / name).is_file()]
    if not there:
        raise Problem(422, "Nothing to take along", "No take was found, so there is nothing to take along.")
    name = safe_name(f"{production.name} {text}".strip(), 150)
    return StreamingHttpResponse(
        zipped(root, there, name), content_type="application/zip", headers=attachment(f"{name}.zip")
    )
