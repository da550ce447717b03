"""Scripts in and out over HTTP."""

from urllib.parse import quote
from uuid import UUID

from django.http import Http404, HttpResponse, HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view, parser_classes
from rest_framework.parsers import BaseParser
from rest_framework.request import Request
from rest_framework.response import Response

from fendo_core.booth.naming import safe_name
from fendo_core.script import intake
from fendo_core.script.words_out import FORMS, words_out
from fendo_server.access import get_owned
from fendo_server.problems import Problem, ProblemSerializer
from fendo_server.productions import state
from fendo_server.productions.models import Production
from fendo_server.productions.serializers import DraftSerializer

TYPES = {"srt": "application/x-subrip", "vtt": "text/vtt", "csv": "text/csv", "txt": "text/plain"}


class FileParser(BaseParser):
    """A file as it comes; never more of it than a script may have."""

    media_type = "application/octet-stream"

    def parse(self, stream, media_type=None, parser_context=None) -> bytes:
        return stream.read(intake.LARGEST_FILE + 1)


class FileQuery(serializers.Serializer):
    """The file's name, and of a table which columns hold what (-1: none of them)."""

    name = serializers.CharField(max_length=300)
    start = serializers.IntegerField(required=False, min_value=-1)
    end = serializers.IntegerField(required=False, min_value=-1)
    words = serializers.IntegerField(required=False, min_value=-1)


class IntakeSerializer(serializers.Serializer):
    """What a file would become; nothing is changed by asking."""

    kind = serializers.CharField()
    encoding = serializers.CharField(allow_blank=True)
    lines = DraftSerializer(many=True)
    doubts = serializers.ListField(child=serializers.CharField())
    header = serializers.ListField(child=serializers.CharField(), help_text="a table's columns")
    columns = serializers.ListField(
        child=serializers.IntegerField(allow_null=True), help_text="which of them is start, end, words"
    )


@extend_schema(
    operation_id="read_script",
    parameters=[FileQuery],
    request={"application/octet-stream": OpenApiTypes.BINARY},
    responses={200: IntakeSerializer, 422: ProblemSerializer},
)
@api_view(["POST"])
@parser_classes([FileParser])
def read_script(request: Request, production_id: UUID) -> Response:
    """The lines that a file would make, and what was doubtful."""
    production = get_owned(Production, request.user, production_id)
    asked = FileQuery(data=request.query_params)
    asked.is_valid(raise_exception=True)
    wanted = asked.validated_data
    if not isinstance(request.data, bytes) or not request.data:
        raise Problem(422, "Nothing came", "The file is empty. Choose another one.")
    columns = None
    if "words" in wanted:
        start, end, words = (None if wanted.get(name, -1) < 0 else wanted[name] for name in ("start", "end", "words"))
        columns = (start, end, words)
    found = intake.read_script(wanted["name"], request.data, production.rate, production.start_frame, columns)
    body = {
        "kind": found.kind,
        "encoding": found.encoding,
        "lines": [
            {"text": draft.text, "slot": [draft.slot.start, draft.slot.end] if draft.slot else None}
            for draft in found.drafts
        ],
        "doubts": list(found.doubts),
        "header": list(found.header),
        "columns": list(found.columns),
    }
    return Response(body)


@extend_schema(operation_id="script_file", responses={(200, "text/plain"): OpenApiTypes.STR})
@api_view(["GET"])
def script_file(request: Request, production_id: UUID, form: str) -> HttpResponseBase:
    """The script as subtitles, a table or plain text."""
    production = get_owned(Production, request.user, production_id)
    if form not in FORMS:
        raise Http404
    text = words_out(state.load(production).lines, form, production.rate, production.start_frame)
    # Spreadsheets take UTF-8 for what it is only with a mark.
    data = text.encode("utf-8-sig" if form == "csv" else "utf-8")
    name = quote(f"{safe_name(production.name, 100)} script.{form}")
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{name}"}
    return HttpResponse(data, content_type=f"{TYPES[form]}; charset=utf-8", headers=headers)
