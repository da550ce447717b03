"""Handing over, over HTTP: what an order would write, begin to write it, what was written, presets."""

import mimetypes
from typing import Any
from uuid import UUID

from django.db import transaction
from django.http import Http404, HttpResponseBase, StreamingHttpResponse
from django.utils.decorators import method_decorator
from django.views.decorators.gzip import gzip_page
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view, parser_classes
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from fendo_core.booth.naming import safe_name
from fendo_core.handover.checks import FINDING_KINDS, ROOMS
from fendo_core.handover.forms import FILM_KEYS, FORM_KEYS, FORMS
from fendo_core.handover.names import FIELDS
from fendo_core.handover.order import BETWEENS, EDGES, PARTS, PRESETS, SOUNDS, WHICH, Order
from fendo_core.picture.timeline import LARGEST_FILE
from fendo_core.voice.level import LOUDEST, QUIETEST
from fendo_server import parcel
from fendo_server.access import get_owned, owned
from fendo_server.bodies import bytes_parser
from fendo_server.handover import jobs, returning
from fendo_server.handover.models import Handover, Preset
from fendo_server.handover.plan import Plan, plan
from fendo_server.media import attachment, send_file
from fendo_server.problems import Problem, ProblemSerializer
from fendo_server.productions import description, quotas
from fendo_server.productions.models import Production
from fendo_server.productions.serializers import PatchSerializer
from fendo_server.wire import SpanField
from fendo_server.work import running
from fendo_server.work.api import JobSerializer

MOST_PRESETS = 50
NEWEST = 50


class OrderSerializer(serializers.Serializer):
    """What is to leave."""

    name = serializers.CharField(max_length=60)
    parts = serializers.ListField(child=serializers.ChoiceField(PARTS), max_length=len(PARTS))
    which = serializers.ChoiceField(WHICH)
    of = serializers.ListField(
        child=serializers.CharField(max_length=300),
        max_length=20_000,
        help_text="the folders, readers, lines, marks or shots",
    )
    sound = serializers.ChoiceField(SOUNDS)
    edges = serializers.ChoiceField(EDGES)
    between = serializers.ChoiceField(BETWEENS, default="silence", help_text="what lies between the lines of a whole voice")
    form = serializers.ChoiceField(FORM_KEYS)
    film = serializers.ChoiceField(FILM_KEYS, default="mp4", help_text="how films are written")
    channels = serializers.IntegerField(min_value=1, max_value=2)
    names = serializers.CharField(max_length=200)
    level = serializers.FloatField(
        min_value=QUIETEST,
        max_value=LOUDEST,
        allow_null=True,
        required=False,
        help_text="LUFS of the speech; null: as it is",
    )

    def order(self) -> Order:
        """The value of a valid one."""
        return Order.from_row(self.validated_data)


class FindingSerializer(serializers.Serializer):
    """Something that is not as it should be."""

    kind = serializers.ChoiceField(FINDING_KINDS)
    says = serializers.CharField()
    room = serializers.ChoiceField(ROOMS)
    lines = serializers.ListField(child=serializers.CharField())
    stops = serializers.BooleanField(help_text="nothing can be written with it")


class PlannedLineSerializer(serializers.Serializer):
    """A line that would leave."""

    line = serializers.CharField()
    number = serializers.CharField()
    path = serializers.CharField()
    span = SpanField(help_text="programme samples of the file")
    takes = serializers.CharField()
    provisional = serializers.BooleanField()


class PlanSerializer(serializers.Serializer):
    """What an order would write."""

    lines = PlannedLineSerializer(many=True)
    files = serializers.ListField(child=serializers.CharField(), help_text="besides those of the lines")
    bytes = serializers.IntegerField(help_text="about")
    findings = FindingSerializer(many=True)
    stops = serializers.CharField(help_text="why nothing can be written; empty when it can")


class WrittenSerializer(serializers.Serializer):
    """A file that was written."""

    path = serializers.CharField()
    bytes = serializers.IntegerField()
    sha256 = serializers.CharField()


class HandoverSerializer(serializers.ModelSerializer):
    """Something that was handed over."""

    order = OrderSerializer()
    files = WrittenSerializer(many=True)
    findings = FindingSerializer(many=True)
    limited = serializers.DictField(child=serializers.FloatField())
    lines = serializers.SerializerMethodField()

    def get_lines(self, one: Handover) -> int:
        return len(one.lines)

    class Meta:
        model = Handover
        fields = ["id", "folder", "order", "files", "lines", "findings", "limited", "made"]
        read_only_fields = fields


class MovedLineSerializer(serializers.Serializer):
    """A line whose reading lies elsewhere in a timeline that came back."""

    line = serializers.CharField()
    number = serializers.CharField()
    by = serializers.IntegerField(help_text="samples later than before")


class ReturnedSerializer(serializers.Serializer):
    """What a timeline that came back has changed."""

    moved = MovedLineSerializer(many=True)
    still = serializers.IntegerField(help_text="lines that lie where they lay")
    remarks = serializers.ListField(child=serializers.CharField())
    patch = PatchSerializer(allow_null=True, help_text="null: nothing was moved")


class PresetSerializer(serializers.Serializer):
    """An order under its name; those that ship have no identity."""

    id = serializers.CharField(allow_null=True)
    order = OrderSerializer()


class FormSerializer(serializers.Serializer):
    """A form of voice files."""

    key = serializers.ChoiceField(FORM_KEYS)
    name = serializers.CharField()


class HandoverRoomSerializer(serializers.Serializer):
    """What the room shows besides the plan."""

    presets = PresetSerializer(many=True)
    forms = FormSerializer(many=True)
    fields = serializers.ListField(child=serializers.CharField(), source="known")  # type: ignore[assignment]
    handovers = HandoverSerializer(many=True)


def _asked(request: Request) -> Order:
    asked = OrderSerializer(data=request.data)
    asked.is_valid(raise_exception=True)
    return asked.order()


def _preset_rows(user: Any) -> list[dict[str, Any]]:
    own = [{"id": str(one.pk), "order": one.order} for one in owned(Preset, user)]
    return [*({"id": None, "order": order.as_row()} for order in PRESETS), *own]


class HandoverRoom(APIView):
    """The room of one production."""

    @method_decorator(gzip_page)
    @extend_schema(operation_id="handovers", responses=HandoverRoomSerializer)
    def get(self, request: Request, production_id: UUID) -> Response:
        """Presets, what can be chosen, and what was handed over, the newest first."""
        production = get_owned(Production, request.user, production_id)
        found = {
            "presets": _preset_rows(request.user),
            "forms": [{"key": key, "name": form.name} for key, form in FORMS.items()],
            "known": FIELDS,
            "handovers": owned(Handover, request.user).filter(production=production)[:NEWEST],
        }
        return Response(HandoverRoomSerializer(found).data)

    @extend_schema(
        operation_id="hand_over", request=OrderSerializer, responses={201: JobSerializer, 422: ProblemSerializer}
    )
    @method_decorator(transaction.atomic)
    def post(self, request: Request, production_id: UUID) -> Response:
        """Begin to write an order."""
        production = get_owned(Production, request.user, production_id)
        order = _asked(request)
        quotas.check_disk(production.owner)
        job = running.start(production, jobs.KIND, order=order.as_row())
        return Response(JobSerializer(job).data, status=201)


@extend_schema(
    operation_id="return_timeline",
    request={"application/octet-stream": OpenApiTypes.BINARY},
    responses={200: ReturnedSerializer, 422: ProblemSerializer},
)
@api_view(["POST"])
@parser_classes([bytes_parser(LARGEST_FILE + 1)])
def come_back(request: Request, production_id: UUID) -> Response:
    """Readings put where a timeline (EDL, OTIO) has the files that were handed over; undo takes it back."""
    production = get_owned(Production, request.user, production_id)
    data = request.data if isinstance(request.data, bytes) else b""
    found = returning.come_back(production, data, request.user)
    patch = description.patch(production, found.change) if found.change else None
    moved = [{"line": one.line, "number": one.number, "by": by} for one, by in found.moved]
    return Response({"moved": moved, "still": found.still, "remarks": found.remarks, "patch": patch})


@extend_schema(
    operation_id="plan_handover", request=OrderSerializer, responses={200: PlanSerializer, 422: ProblemSerializer}
)
@api_view(["POST"])
def plan_handover(request: Request, production_id: UUID) -> Response:
    """What an order would write; nothing is written."""
    production = get_owned(Production, request.user, production_id)
    return Response(_as_row(plan(production, _asked(request))))


def _as_row(found: Plan) -> dict[str, Any]:
    each = "lines" in found.order.parts
    lines = [
        {
            "line": one.spoken.line.id,
            "number": one.spoken.line.number,
            "path": one.path if each else "",
            "span": [one.span.start, one.span.end],
            "takes": one.spoken.takes,
            "provisional": one.spoken.provisional,
        }
        for one in found.leaving
    ]
    others = [name for files in found.others.values() for name, _ in files]
    return {
        "lines": lines,
        "files": [*others, "Take sheet.html", "Files.csv", "checksums.sha256", "checksums.md5"],
        "bytes": found.size,
        "findings": [FindingSerializer(one).data for one in found.findings],
        "stops": found.stops,
    }


@extend_schema(
    operation_id="keep_preset", request=OrderSerializer, responses={201: PresetSerializer, 422: ProblemSerializer}
)
@api_view(["POST"])
def presets(request: Request) -> Response:
    """Keep an order under its name; what had that name before is replaced. Which lines it chose by hand is not kept."""
    order = _asked(request)
    if order.name.casefold() in {one.name.casefold() for one in PRESETS}:
        raise Problem(422, "Refused", f"“{order.name}” ships with Fendo. Choose another name for your own.")
    own = owned(Preset, request.user)
    if own.count() >= MOST_PRESETS and not own.filter(name=order.name).exists():
        raise Problem(422, "Refused", f"There are {MOST_PRESETS} presets already. Remove one first.")
    row = order.as_row() | ({"which": "all", "of": []} if order.which in ("folder", "reader", "chosen") else {})
    kept, _ = Preset.objects.update_or_create(owner=request.user, name=order.name, defaults={"order": row})
    return Response({"id": str(kept.pk), "order": row}, status=201)


@extend_schema(operation_id="remove_preset", responses={204: None, 404: ProblemSerializer})
@api_view(["DELETE"])
def one_preset(request: Request, preset_id: UUID) -> Response:
    """Remove a preset. What was handed over by it stays."""
    get_owned(Preset, request.user, preset_id).delete()
    return Response(status=204)


@extend_schema(operation_id="handover_zip", responses={(200, "application/zip"): OpenApiTypes.BINARY})
@api_view(["GET"])
def handover_zip(request: Request, handover_id: UUID) -> HttpResponseBase:
    """All of a handover as one file."""
    kept = get_owned(Handover, request.user, handover_id, "production")
    names = [one["path"] for one in kept.files]
    if not all((kept.path / name).is_file() for name in names):
        raise Problem(
            409,
            "Not complete",
            f"Files were moved or removed from the folder “{kept.folder}”. Write it again; the takes are safe.",
        )
    name = safe_name(f"{kept.production.name} {kept.folder}", 150)
    headers = attachment(f"{name}.zip")
    return StreamingHttpResponse(parcel.zipped(kept.path, names, name), content_type="application/zip", headers=headers)


@extend_schema(operation_id="handover_file", responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
@api_view(["GET"])
def handover_file(request: Request, handover_id: UUID, number: int) -> HttpResponseBase:
    """One file of a handover, by its place in the list."""
    kept = get_owned(Handover, request.user, handover_id, "production")
    if number >= len(kept.files):
        raise Http404
    path = kept.path / kept.files[number]["path"]
    kind = mimetypes.guess_type(path.name)[0] or "application/octet-stream"
    return send_file(request, path, kind, download_as=path.name)
