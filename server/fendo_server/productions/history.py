"""Who did what to a production, and when: without a word of its script."""

from collections.abc import Iterator
from datetime import datetime
from itertools import islice
from typing import Any
from uuid import UUID

from django.utils.dateparse import parse_datetime
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from fendo_server.access import get_owned
from fendo_server.problems import Problem, ProblemSerializer
from fendo_server.productions.models import Change, Production
from fendo_server.takes.models import Take

PAGE = 100
_KINDS = {Change.Kind.UNDO: "taken back: ", Change.Kind.REDO: "done again: "}
Done = tuple[datetime, str, str]


class DoneSerializer(serializers.Serializer):
    """Something that was done."""

    at = serializers.DateTimeField()
    who = serializers.CharField()
    what = serializers.CharField()


class SinceSerializer(serializers.Serializer):
    """From where on backwards."""

    before = serializers.CharField(required=False, help_text="the time of the oldest entry that is known")


@extend_schema(
    operation_id="history",
    parameters=[SinceSerializer],
    responses={200: DoneSerializer(many=True), 404: ProblemSerializer, 422: ProblemSerializer},
)
@api_view(["GET"])
def history(request: Request, production_id: UUID) -> Response:
    """What was done to a production, the newest first."""
    production = get_owned(Production, request.user, production_id, "owner")
    asked = request.query_params.get("before")
    try:
        before = parse_datetime(asked) if asked else None
    except ValueError:
        before = None
    if asked and (before is None or before.tzinfo is None):
        raise Problem(422, "Not understood", "This is no time. Ask for what was done last.")
    found = [{"at": at, "who": who, "what": what} for at, who, what in done(production, before)]
    return Response(DoneSerializer(found, many=True).data)


def done(production: Production, before: datetime | None) -> list[Done]:
    """At most `PAGE` entries, the newest first: edits, takes, what was brought in and handed over."""
    parts = (_edits, _takes, _sources, _handovers)
    found = [one for part in parts for one in islice(part(production, before), PAGE)]
    return sorted(found, key=lambda one: one[0], reverse=True)[:PAGE]


def _older(rows: Any, column: str, before: datetime | None) -> Any:
    older = rows.filter(**{f"{column}__lt": before}) if before else rows
    return older.order_by(f"-{column}")


def _edits(production: Production, before: datetime | None) -> Iterator[Done]:
    owner = production.owner.username
    for one in _older(production.changes.select_related("author"), "at", before)[:PAGE].defer("before", "after"):
        yield one.at, one.author.username if one.author else owner, f"{_KINDS.get(one.kind, '')}{one.label}"


def _takes(production: Production, before: datetime | None) -> Iterator[Done]:
    takes = Take.objects.filter(line__production=production, recording__state=Take.State.FINISHED)
    # Its file's name would hold the line's first words.
    columns = ("recording__made", "recording__reader__name", "number", "line__number")
    for made, reader, number, line in _older(takes, "recording__made", before).values_list(*columns)[:PAGE]:
        yield made, reader, f"take {number} of line {line} read"


def _sources(production: Production, before: datetime | None) -> Iterator[Done]:
    for made, name in _older(production.sources, "made", before).values_list("made", "name")[:PAGE]:
        yield made, production.owner.username, f"“{name}” brought in"


def _handovers(production: Production, before: datetime | None) -> Iterator[Done]:
    for one in _older(production.handovers, "made", before)[:PAGE]:
        count = len(one.files)
        yield one.made, production.owner.username, f"{count} {'file' if count == 1 else 'files'} handed over: {one.folder}"
