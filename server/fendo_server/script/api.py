"""Scripts in and out over HTTP."""

import json
from typing import Any
from uuid import UUID, uuid4

from django.http import Http404, HttpResponse, HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view, parser_classes
from rest_framework.request import Request
from rest_framework.response import Response

from fendo_core.booth.naming import safe_name
from fendo_core.picture.narrated import narrated, over_slides
from fendo_core.production import edits
from fendo_core.script import intake, lines
from fendo_core.script.apart import read_script_apart
from fendo_core.script.splitting import LONGEST, SHORTEST_LONGEST, split
from fendo_core.script.words_out import FORMS, words_out
from fendo_core.timebase import Span
from fendo_server.access import get_owned
from fendo_server.bodies import bytes_parser
from fendo_server.media import attachment
from fendo_server.problems import Problem, ProblemSerializer
from fendo_server.productions import changes, description, state
from fendo_server.productions.models import Production
from fendo_server.productions.serializers import PatchSerializer
from fendo_server.script.models import Line
from fendo_server.script.serializers import DraftSerializer, wanted_fields
from fendo_server.wire import SpanField

TYPES = {"srt": "application/x-subrip", "vtt": "text/vtt", "csv": "text/csv", "txt": "text/plain"}


class FileQuery(serializers.Serializer):
    """The file's name, of a table which columns hold what (-1: none of them), and answers to what was asked."""

    name = serializers.CharField(max_length=300)
    start = serializers.IntegerField(required=False, min_value=-1)
    end = serializers.IntegerField(required=False, min_value=-1)
    length = serializers.IntegerField(required=False, min_value=-1, help_text="where lines say how long they are")
    words = serializers.IntegerField(required=False, min_value=-1)
    notes = serializers.IntegerField(required=False, min_value=-1)
    reader = serializers.IntegerField(required=False, min_value=-1)
    longest = serializers.IntegerField(
        required=False, min_value=SHORTEST_LONGEST, max_value=4_000, help_text="characters; longer lines are parted"
    )
    choices = serializers.CharField(
        required=False, max_length=2_000, help_text="a JSON object: answers by the keys of what was asked"
    )

    def validate_choices(self, value: str) -> dict[str, str]:
        """An object of short strings."""
        try:
            choices = json.loads(value)
        except ValueError as error:
            raise serializers.ValidationError("These choices are no JSON.") from error
        if not isinstance(choices, dict) or not all(isinstance(each, str) for each in choices.values()):
            raise serializers.ValidationError("These choices are no answers by their keys.")
        return choices


SHOWN = 300
"""Lines of a preview: a script is looked at by its beginning."""
MOST_READERS = 100


class OptionSerializer(serializers.Serializer):
    """An answer that may be chosen."""

    value = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]


class QuestionSerializer(serializers.Serializer):
    """What a file does not say by itself."""

    key = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    options = OptionSerializer(many=True)
    chosen = serializers.CharField()


class IntakeSerializer(serializers.Serializer):
    """What a file would become; nothing is changed by asking."""

    kind = serializers.CharField()
    encoding = serializers.CharField(allow_blank=True)
    lines = DraftSerializer(many=True, help_text=f"the first {SHOWN}")
    count = serializers.IntegerField(help_text="lines, all of them")
    placed = serializers.IntegerField(help_text="of these with a slot")
    readers = serializers.ListField(child=serializers.CharField(), help_text="who is named")
    doubts = serializers.ListField(child=serializers.CharField())
    questions = QuestionSerializer(many=True, help_text="with the likeliest answer taken until another is chosen")
    header = serializers.ListField(child=serializers.CharField(), help_text="a table's columns")
    columns = serializers.ListField(
        child=serializers.IntegerField(allow_null=True), help_text=f"which of them is {', '.join(intake.COLUMNS)}"
    )


def _read(request: Request, production: Production, wanted: dict[str, Any]) -> intake.Intake:
    """The file that was sent, read in a process of its own."""
    if not isinstance(request.data, bytes) or not request.data:
        raise Problem(422, "Nothing came", "The file is empty. Choose another one.")
    columns = None
    if "words" in wanted:
        columns = intake.Columns(*(None if wanted.get(n, -1) < 0 else wanted[n] for n in intake.COLUMNS))
    rate, first = production.rate, production.start_frame
    asked = (wanted["name"], request.data, rate, first, columns)
    return read_script_apart(*asked, wanted.get("longest"), wanted.get("choices"), production.language)


def _slots(
    production: Production, found: intake.Intake, choices: dict[str, str]
) -> tuple[list[Span | None], list[intake.Question]]:
    """The slots that the lines of a file would get, and what slides that they name make worth asking."""
    if any(draft.page for draft in found.drafts):
        present = state.load(production)
        over = narrated(present, found.drafts)
        if over:
            question = over_slides(present, over, choices)
            made = edits.BringInLines(found.drafts, over=question.chosen)
            after, _ = edits.perform(present, made, lambda: str(uuid4()))
            known = {line.id for line in present.lines}
            return [line.slot for line in after.lines if line.id not in known], [question]
    return [draft.slot for draft in found.drafts], []


@extend_schema(
    operation_id="read_script",
    parameters=[FileQuery],
    request={"application/octet-stream": OpenApiTypes.BINARY},
    responses={200: IntakeSerializer, 422: ProblemSerializer},
)
@api_view(["POST"])
@parser_classes([bytes_parser(intake.LARGEST_FILE)])
def read_script(request: Request, production_id: UUID) -> Response:
    """The lines that a file would make, and what was doubtful."""
    production = get_owned(Production, request.user, production_id)
    asked = FileQuery(data=request.query_params)
    asked.is_valid(raise_exception=True)
    found = _read(request, production, asked.validated_data)
    texts = set(Line.objects.filter(production=production, dropped=False).values_list("text", flat=True))
    again = lines.there_already(found.drafts, texts)
    slots, asks = _slots(production, found, asked.validated_data.get("choices", {}))
    readers = dict.fromkeys(draft.reader for draft in found.drafts if draft.reader)
    body = {
        "kind": found.kind,
        "encoding": found.encoding,
        "lines": [
            {
                "text": draft.text,
                "slot": [slot.start, slot.end] if slot else None,
                "notes": draft.notes,
                "reader": draft.reader,
            }
            for draft, slot in zip(found.drafts[:SHOWN], slots, strict=False)
        ],
        "count": len(found.drafts),
        "placed": sum(slot is not None for slot in slots),
        "readers": list(readers)[:MOST_READERS],
        "doubts": [*filter(None, [again]), *found.doubts],
        "questions": [
            {
                "key": each.key,
                "label": each.label,
                "options": [{"value": value, "label": label} for value, label in each.options],
                "chosen": each.chosen,
            }
            for each in [*found.questions, *asks]
        ],
        "header": list(found.header),
        "columns": list(found.columns),
    }
    return Response(body)


@extend_schema(
    operation_id="bring_in_script",
    parameters=[FileQuery],
    request={"application/octet-stream": OpenApiTypes.BINARY},
    responses={200: PatchSerializer, 422: ProblemSerializer},
)
@api_view(["POST"])
@parser_classes([bytes_parser(intake.LARGEST_FILE)])
def bring_in_script(request: Request, production_id: UUID) -> Response:
    """Make the lines of a file, behind the last one. It is an edit."""
    production = get_owned(Production, request.user, production_id)
    asked = FileQuery(data=request.query_params)
    asked.is_valid(raise_exception=True)
    found = _read(request, production, asked.validated_data)
    made = edits.BringInLines(found.drafts, over=asked.validated_data.get("choices", {}).get("over", ""))
    change, present = changes.performed(production, request.user, production.revision, made)
    return Response(description.patch(production, change, present))


class LongestQuery(serializers.Serializer):
    """How long a line may be."""

    longest = serializers.IntegerField(min_value=SHORTEST_LONGEST, max_value=4_000, default=LONGEST)


class PartedSerializer(serializers.Serializer):
    """A line that would become several."""

    line = serializers.CharField()
    number = serializers.CharField()
    parts = serializers.ListField(child=serializers.CharField())


class SplitSerializer(serializers.Serializer):
    """What parting long lines would do; nothing is changed by asking."""

    parted = PartedSerializer(many=True)
    kept = serializers.IntegerField(help_text="long lines that stay because they have takes")


@extend_schema(operation_id="look_at_split", parameters=[LongestQuery], responses={200: SplitSerializer})
@api_view(["GET"])
def split_long(request: Request, production_id: UUID) -> Response:
    """The long lines, and what each would become."""
    production = get_owned(Production, request.user, production_id)
    asked = LongestQuery(data=request.query_params)
    asked.is_valid(raise_exception=True)
    longest = asked.validated_data["longest"]
    present = state.load(production)
    long = [line for line in present.lines if not line.dropped and len(line.text) > longest]
    parted = [(line, split(line.text, longest)) for line in long if line.id not in present.recorded]
    rows = [{"line": line.id, "number": line.number, "parts": parts} for line, parts in parted if len(parts) > 1]
    return Response({"parted": rows, "kept": len(long) - len(parted)})


SearchQuery = type("SearchQuery", (serializers.Serializer,), {"__doc__": "What is looked for.", **wanted_fields()})


class PlacesSerializer(serializers.Serializer):
    """Where words stand in a line: spans of characters."""

    line = serializers.CharField()
    spans = serializers.ListField(child=SpanField())


@extend_schema(operation_id="search_script", parameters=[SearchQuery], responses={200: PlacesSerializer(many=True)})
@api_view(["GET"])
def search(request: Request, production_id: UUID) -> Response:
    """Where words stand in the script, line by line in order."""
    production = get_owned(Production, request.user, production_id)
    asked = SearchQuery(data=request.query_params)
    asked.is_valid(raise_exception=True)
    found = lines.search(state.load(production).lines, lines.Wanted(**asked.validated_data))
    return Response([{"line": line, "spans": spans} for line, spans in found.items()])


@extend_schema(operation_id="script_file", responses={(200, "text/plain"): OpenApiTypes.STR})
@api_view(["GET"])
def script_file(request: Request, production_id: UUID, form: str) -> HttpResponseBase:
    """The script as subtitles, a table or plain text."""
    production = get_owned(Production, request.user, production_id)
    if form not in FORMS:
        raise Http404
    present = state.load(production)
    text = words_out(present.lines, form, production.rate, production.start_frame, present.readers)
    # Spreadsheets take UTF-8 for what it is only with a mark.
    data = text.encode("utf-8-sig" if form == "csv" else "utf-8")
    headers = attachment(f"{safe_name(production.name, 100)} script.{form}")
    return HttpResponse(data, content_type=f"{TYPES[form]}; charset=utf-8", headers=headers)
