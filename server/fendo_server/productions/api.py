"""Productions over HTTP."""

import hashlib
from typing import Any
from uuid import UUID, uuid4

from django.db.models import Count, OuterRef, Subquery, Sum
from django.db.models.functions import Coalesce
from django.utils import timezone
from django.utils.decorators import method_decorator
from django.views.decorators.gzip import gzip_page
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from fendo_core.production import edits
from fendo_core.production.following import consequence
from fendo_core.production.refusal import EditRefused
from fendo_core.timebase import parse_timecode, typed_position
from fendo_server.access import get_owned, owned
from fendo_server.picture.models import Clip
from fendo_server.picture.serializers import ConsequenceSerializer
from fendo_server.problems import Problem, ProblemSerializer
from fendo_server.productions import changes, description, quotas, services, state
from fendo_server.productions.models import Folder, Production
from fendo_server.productions.serializers import (
    EDITS,
    EditSchema,
    FolderSerializer,
    ListedProductionSerializer,
    NameExampleSerializer,
    NewFolderSerializer,
    NewProductionSerializer,
    NewReaderSerializer,
    PatchSerializer,
    ProductionSerializer,
    ReaderSerializer,
    SettingsSerializer,
    TypedSerializer,
)
from fendo_server.script import pace
from fendo_server.script.models import Line
from fendo_server.takes.models import STANDS, Pick, Take


def _listed(production: Any) -> dict[str, Any]:
    return {
        "id": str(production.id),
        "name": production.name,
        "directory": production.directory,
        "binned": production.binned.isoformat() if production.binned else None,
        "changed": production.changed.isoformat(),
        "lines": production.line_count,
        "recorded": production.recorded_count,
        "picked": production.picked_count,
        "takes": production.take_count,
        "length": production.rate.first_sample(production.frames),
        "still": str(production.still) if production.still else None,
        # A film often begins black: not its very first picture.
        "still_column": min(2, max(0, (production.still_columns or 1) - 1)),
    }


def _count(rows: Any, group: str) -> Any:
    counted = rows.order_by().values(group).annotate(n=Count("pk", distinct=True)).values("n")
    return Coalesce(Subquery(counted), 0)


class Productions(APIView):
    """The list, and new ones."""

    @extend_schema(operation_id="productions", responses=ListedProductionSerializer(many=True))
    def get(self, request: Request) -> Response:
        """All productions of the person who is signed in, the last changed first."""
        lines = Line.objects.filter(production=OuterRef("pk"), dropped=False)
        takes = Take.objects.filter(
            line__production=OuterRef("pk"), line__dropped=False, recording__state=Take.State.FINISHED
        )
        picks = Pick.objects.filter(STANDS, line__production=OuterRef("pk"), line__dropped=False)
        clips = Clip.objects.filter(production=OuterRef("pk"))
        found = (
            owned(Production, request.user)
            .order_by("-changed")
            .annotate(
                line_count=_count(lines, "production"),
                recorded_count=_count(lines.filter(takes__recording__state=Take.State.FINISHED), "production"),
                take_count=_count(takes, "line__production"),
                picked_count=_count(picks, "line__production"),
                frames=Coalesce(Subquery(clips.order_by().values("production").annotate(n=Sum("length")).values("n")), 0),
                still=Subquery(clips.exclude(source=None).order_by("position").values("source")[:1]),
                still_columns=Subquery(clips.exclude(source=None).order_by("position").values("source__strip_columns")[:1]),
            )
        )
        return Response([_listed(production) for production in found])

    @extend_schema(
        operation_id="make_production",
        request=NewProductionSerializer,
        responses={201: ProductionSerializer, 422: ProblemSerializer},
    )
    def post(self, request: Request) -> Response:
        """A new production, with a folder where takes land."""
        asked = NewProductionSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        production = services.make_production(request.user, **asked.validated_data)
        return Response(description.whole(production), status=201)


@method_decorator(gzip_page, name="get")
class OneProduction(APIView):
    """One production: everything of it, and its settings."""

    @extend_schema(operation_id="production", responses={200: ProductionSerializer, 404: ProblemSerializer})
    def get(self, request: Request, production_id: UUID) -> Response:
        """Everything the rooms show."""
        return Response(description.whole(get_owned(Production, request.user, production_id, "reader")))

    @extend_schema(
        operation_id="set_production",
        request=SettingsSerializer,
        responses={200: ProductionSerializer, 422: ProblemSerializer},
    )
    def patch(self, request: Request, production_id: UUID) -> Response:
        """Change settings."""
        production = get_owned(Production, request.user, production_id)
        asked = SettingsSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        wanted = dict(asked.validated_data)
        if "landing" in wanted:
            production.landing = owned(Folder, request.user).filter(production=production, pk=wanted.pop("landing")).first()
            if production.landing is None:
                raise Problem(422, "Not possible", "This folder is not in this production. Choose one of the list.")
        if "start_timecode" in wanted:
            production.start_frame = parse_timecode(wanted.pop("start_timecode"), production.rate)
        if "name_pattern" in wanted:
            services.name_example(production, wanted["name_pattern"])
        if "reader" in wanted:
            production.reader = production.readers.filter(pk=wanted.pop("reader")).first()
            if production.reader is None:
                raise Problem(422, "Not possible", "This reader is not one of the production's. Choose one of the list.")
        if "binned" in wanted:
            wanted["binned"] = timezone.now() if wanted["binned"] else None
        for name, value in wanted.items():
            setattr(production, name, value)
        # Only what was asked for: an edit of the same moment counts the revision on.
        fields = ["start_frame" if name == "start_timecode" else name for name in asked.validated_data]
        production.save(update_fields=[*fields, "changed"])
        if "language" in wanted or "pace" in wanted:
            for reader in production.readers.select_related("production"):
                pace.learn(reader)
        production.refresh_from_db()
        return Response(description.whole(production))


class NowSerializer(serializers.Serializer):
    """What tells a window that others have changed something."""

    revision = serializers.IntegerField()
    takes = serializers.IntegerField(help_text="finished takes of lines that are in the script")
    others = serializers.CharField(help_text="differs when settings, folders, readers or files do")
    notice = serializers.CharField(allow_blank=True, help_text="what is to be said before a limit of the account is hit")


@extend_schema(operation_id="now", responses={200: NowSerializer, 404: ProblemSerializer})
@api_view(["GET"])
def now(request: Request, production_id: UUID) -> Response:
    """How things stand, in a few bytes: asked every few seconds by each window."""
    production = get_owned(Production, request.user, production_id)
    takes = Take.objects.filter(line__production=production, line__dropped=False, recording__state=Take.State.FINISHED)
    fields = [one.attname for one in Production._meta.concrete_fields if one.name not in ("revision", "changed")]
    told = [str(getattr(production, name)) for name in fields]
    # What was heard in a take may be why another one sounds.
    count = takes.aggregate(all=Count("pk"), read=Count("read"), heard=Count("heard"))
    told += [str(count["read"]), str(count["heard"])]
    for rows, names in (
        (production.folders, ("path",)),
        (production.readers, ("name",)),
        (production.sources, ("pk", "state")),
    ):
        told.append(str(sorted(rows.values_list(*names), key=str)))
    others = hashlib.blake2s("\n".join(told).encode(), digest_size=12).hexdigest()
    return Response(
        {"revision": production.revision, "takes": count["all"], "others": others, "notice": quotas.notice(request.user)}
    )


@extend_schema(
    operation_id="edit",
    request=EditSchema,
    responses={200: PatchSerializer, 409: ProblemSerializer, 422: ProblemSerializer},
)
@api_view(["POST"])
def edit(request: Request, production_id: UUID) -> Response:
    """Do one edit; it is recorded and can be undone."""
    production = get_owned(Production, request.user, production_id)
    asked = _asked(request, production)
    change, present = changes.performed(production, request.user, asked.validated_data["revision"], asked.made())
    return Response(description.patch(production, change, present))


def _asked(request: Request, production: Production) -> Any:
    """The edit that is asked for, checked."""
    kind = request.data.get("kind") if isinstance(request.data, dict) else None
    if not isinstance(kind, str) or kind not in EDITS:
        raise Problem(422, "Not understood", f"There is no edit of this kind. Known are {', '.join(EDITS)}.")
    asked = EDITS[kind](data=request.data)
    asked.is_valid(raise_exception=True)
    _belongs(production, asked.validated_data)
    return asked


@extend_schema(
    operation_id="preview_edit",
    request=EditSchema,
    responses={200: ConsequenceSerializer, 422: ProblemSerializer},
)
@api_view(["POST"])
def preview(request: Request, production_id: UUID) -> Response:
    """What an edit of the reel would do to words and takes; nothing is changed."""
    production = get_owned(Production, request.user, production_id)
    before = state.load(production)
    try:
        after, _ = edits.perform(before, _asked(request, production).made(), lambda: str(uuid4()))
    except EditRefused as error:
        return Response({"moved": [], "left": [], "takes": 0, "longer": 0, "text": str(error)})
    found = consequence(before, after)
    return Response(ConsequenceSerializer(found).data)


def _belongs(production: Production, values: dict[str, Any]) -> None:
    """Refuse takes and comps of other productions or lines (all else is looked for in this one's state by the core)."""
    asked = values.get("take") or values.get("voice")
    if asked is None:
        return
    own = {"line": values["line"]} if "line" in values else {}
    takes = Take.objects.filter(pk=asked, line__production=production, recording__state=Take.State.FINISHED, **own)
    if not takes.exists() and not production.comps.filter(pk=asked, **own).exists():
        raise Problem(422, "Not possible", "This take is not one of this line's finished takes. Nothing was changed.")


@extend_schema(operation_id="undo", request=None, responses=PatchSerializer)
@api_view(["POST"])
def undo(request: Request, production_id: UUID) -> Response:
    """Take the newest edit back."""
    production = get_owned(Production, request.user, production_id)
    return Response(description.patch(production, changes.undo(production, request.user)))


@extend_schema(operation_id="redo", request=None, responses=PatchSerializer)
@api_view(["POST"])
def redo(request: Request, production_id: UUID) -> Response:
    """Do the edit again that was undone last."""
    production = get_owned(Production, request.user, production_id)
    return Response(description.patch(production, changes.redo(production, request.user)))


@extend_schema(
    operation_id="make_folder", request=NewFolderSerializer, responses={201: FolderSerializer, 422: ProblemSerializer}
)
@api_view(["POST"])
def folders(request: Request, production_id: UUID) -> Response:
    """A new folder; takes land there from now on if `land_here` says so."""
    production = get_owned(Production, request.user, production_id)
    asked = NewFolderSerializer(data=request.data)
    asked.is_valid(raise_exception=True)
    parent = None
    if asked.validated_data.get("parent"):
        parent = owned(Folder, request.user).filter(production=production, pk=asked.validated_data["parent"]).first()
        if parent is None:
            raise Problem(422, "Not possible", "The folder it should lie in is not in this production.")
    folder = services.make_folder(production, parent, asked.validated_data["name"])
    if asked.validated_data["land_here"]:
        production.landing = folder
        production.save(update_fields=["landing", "changed"])
    return Response({"id": str(folder.id), "path": folder.path}, status=201)


@extend_schema(
    operation_id="make_reader", request=NewReaderSerializer, responses={201: ReaderSerializer, 422: ProblemSerializer}
)
@api_view(["POST"])
def readers(request: Request, production_id: UUID) -> Response:
    """Another reader for the production's lines."""
    production = get_owned(Production, request.user, production_id)
    asked = NewReaderSerializer(data=request.data)
    asked.is_valid(raise_exception=True)
    reader = services.make_reader(production, asked.validated_data["name"])
    return Response(description.reader_row(str(reader.id), reader.name, pace.starting(production)), status=201)


@extend_schema(
    operation_id="name_example",
    request=NameExampleSerializer,
    responses={200: NameExampleSerializer, 422: ProblemSerializer},
)
@api_view(["POST"])
def name_example(request: Request, production_id: UUID) -> Response:
    """What the next file would be called under a pattern."""
    production = get_owned(Production, request.user, production_id)
    asked = NameExampleSerializer(data=request.data)
    asked.is_valid(raise_exception=True)
    pattern = asked.validated_data["pattern"]
    return Response({"pattern": pattern, "example": services.name_example(production, pattern)})


@extend_schema(
    operation_id="typed_position", request=TypedSerializer, responses={200: TypedSerializer, 422: ProblemSerializer}
)
@api_view(["POST"])
def typed(request: Request, production_id: UUID) -> Response:
    """Where a place lies that somebody has typed."""
    production = get_owned(Production, request.user, production_id)
    asked = TypedSerializer(data=request.data)
    asked.is_valid(raise_exception=True)
    text, now = asked.validated_data["typed"], asked.validated_data["now"]
    length = state.load(production, spoken=False).length
    return Response(
        {"typed": text, "now": now, "position": typed_position(text, production.rate, production.start_frame, length, now)}
    )
