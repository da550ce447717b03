"""How lines are treated, over HTTP: what a treatment does, one proposed from a reading, and those that somebody keeps."""

from typing import Any
from uuid import UUID

import numpy as np
from django.http import Http404, HttpResponse, HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view, parser_classes
from rest_framework.request import Request
from rest_framework.response import Response

from fendo_core.audio import pcm
from fendo_core.booth.naming import safe_name
from fendo_core.polish.comparing import TooShort, as_loud
from fendo_core.polish.drawing import HELD_BACK, STEP, drawing, taken_away
from fendo_core.polish.edits import checked
from fendo_core.polish.suggestion import suggested
from fendo_core.polish.treatment_file import LARGEST, as_file, of_file
from fendo_core.takes.standing import sounding
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.voice import Place as Map
from fendo_core.voice.chain import STAGE_KINDS, STARTS, Chain
from fendo_core.voice.treatment import treated
from fendo_server.access import get_owned, owned
from fendo_server.bodies import bytes_parser
from fendo_server.media import attachment
from fendo_server.polish.models import KeptTreatment
from fendo_server.polish.serializers import ChainSerializer
from fendo_server.problems import Problem, ProblemSerializer
from fendo_server.productions import state
from fendo_server.script.models import Line
from fendo_server.takes.description import spoken_in
from fendo_server.voice.polish import Polish
from fendo_server.voice.sounding import wav_of

LONGEST = 60 * SAMPLE_RATE
"""Of a longer line its beginning is looked at."""
MOST_KEPT = 60


class HeldBackSerializer(serializers.Serializer):
    """What a stage holds back of a line, in dB, column by column."""

    kind = serializers.ChoiceField(HELD_BACK)
    held = serializers.ListField(child=serializers.FloatField())


class DrawingSerializer(serializers.Serializer):
    """What the treatment of a line does to it. Levels in dB at the frequencies of `hertz`."""

    hertz = serializers.ListField(child=serializers.FloatField())
    response = serializers.ListField(child=serializers.FloatField(), help_text="of the filters")
    before = serializers.ListField(child=serializers.FloatField(), help_text="the voice, a third of an octave wide")
    after = serializers.ListField(child=serializers.FloatField())
    step = serializers.IntegerField(help_text="samples in a column of what is held back")
    held = HeldBackSerializer(many=True)


class SuggestionSerializer(serializers.Serializer):
    """A treatment proposed from a reading."""

    chain = ChainSerializer()
    reasons = serializers.ListField(child=serializers.CharField())


class KeptTreatmentSerializer(serializers.Serializer):
    """A treatment that somebody keeps."""

    id = serializers.CharField()
    chain = ChainSerializer()


class _Read:
    """What sounds for a line before it is treated, and how it is treated."""

    def __init__(self, request: Request, line_id: UUID) -> None:
        self.line = get_owned(Line, request.user, line_id, "production")
        production = self.line.production
        present = state.load(production, spoken=False)
        one = sounding(present).get(str(self.line.pk))
        if one is None:
            raise Problem(422, "Not read yet", "Nobody has read this line yet, so there is nothing to listen to.")
        self.comp = one[1]
        polish = Polish(production, present)
        self.chain = polish.chain(self.comp, str(self.line.pk))
        span = Span(0, min(self.comp.length, LONGEST))
        self.samples = np.concatenate(list(polish.untreated(self.comp).blocks(span)))

    @property
    def phrases(self) -> list[Span]:
        """Where somebody speaks in it."""
        found = Map(self.comp).all_in_programme(spoken_in(self.line.production, [self.comp]))
        return [span.shifted(-self.comp.at) for span in found if span.end - self.comp.at <= len(self.samples)]


@extend_schema(operation_id="treatment_drawing", responses={200: DrawingSerializer, 404: ProblemSerializer})
@api_view(["GET"])
def drawn(request: Request, line_id: UUID) -> Response:
    """What the treatment of a line does to it, to be drawn."""
    read = _Read(request, line_id)
    found = drawing(read.samples, read.chain or Chain("none"))

    def rounded(values: np.ndarray) -> list[float]:
        return [round(float(value), 2) for value in values]

    held = [{"kind": kind, "held": rounded(values)} for kind, values in found.held.items()]
    names = ("hertz", "response", "before", "after")
    return Response({name: rounded(getattr(found, name)) for name in names} | {"step": STEP, "held": held})


@extend_schema(operation_id="taken_away", responses={(200, "audio/wav"): OpenApiTypes.BINARY, 404: ProblemSerializer})
@api_view(["GET"])
def away(request: Request, line_id: UUID, kind: str) -> HttpResponseBase:
    """What one stage takes away of a line, as a sound."""
    if kind not in STAGE_KINDS:
        raise Http404
    read = _Read(request, line_id)
    try:
        sound = taken_away(read.samples, read.chain or Chain("none"), kind)
    except ValueError as error:
        raise Problem(422, "Not on", "This stage is not on, so it takes nothing away.") from error
    return HttpResponse(wav_of(pcm.from_integers(pcm.from_floats(sound))), content_type="audio/wav")


class ComparedQuery(serializers.Serializer):
    """Two treatments of a line: `now` as it is treated, `read` not at all, or `chain:` and the name of one that can be
    chosen. The voice's key is there for the browser, which keeps what it has heard."""

    of = serializers.CharField(max_length=100)
    beside = serializers.CharField(max_length=100)
    key = serializers.CharField(max_length=100, required=False)


def _named(read: _Read, user: Any, name: str) -> Chain | None:
    if name in ("now", "read"):
        return read.chain if name == "now" else None
    known = [*(one.value for one in owned(KeptTreatment, user)), *STARTS]
    found = next((chain for chain in known if f"chain:{chain.name}" == name), None)
    if found is None:
        raise Problem(422, "Not there", "This treatment is kept no longer. Choose another one to compare.")
    return found


@extend_schema(
    operation_id="compared_treatment",
    parameters=[ComparedQuery],
    responses={(200, "audio/wav"): OpenApiTypes.BINARY, 404: ProblemSerializer, 422: ProblemSerializer},
)
@api_view(["GET"])
def compared(request: Request, line_id: UUID) -> HttpResponseBase:
    """A line in one treatment, as loud as it is in the other, to be compared with that; nothing is changed."""
    get_owned(Line, request.user, line_id)
    asked = ComparedQuery(data=request.query_params)
    asked.is_valid(raise_exception=True)
    read = _Read(request, line_id)
    chains = [_named(read, request.user, asked.validated_data[name]) for name in ("of", "beside")]
    try:
        sound, _ = as_loud([treated(read.samples, chain) if chain else read.samples for chain in chains])
    except TooShort as error:
        raise Problem(422, "Too short", f"In this line {error}. Choose a longer one.") from error
    return HttpResponse(wav_of(pcm.from_integers(pcm.from_floats(sound))), content_type="audio/wav")


@extend_schema(operation_id="suggest_treatment", responses={200: SuggestionSerializer, 422: ProblemSerializer})
@api_view(["GET"])
def suggestion(request: Request, line_id: UUID) -> Response:
    """A treatment proposed from what sounds for a line; nothing is changed by asking."""
    read = _Read(request, line_id)
    found = suggested(read.samples, read.phrases)
    if found is None:
        raise Problem(422, "Too short", "Too little is said in this line to propose anything. Choose a longer one.")
    return Response({"chain": found.chain.as_row(), "reasons": found.reasons})


def kept_rows(user: Any) -> list[dict[str, Any]]:
    """The treatments that somebody keeps."""
    return [{"id": str(one.pk), "chain": one.value.as_row()} for one in owned(KeptTreatment, user)]


def _keep(user: Any, chain: Chain) -> Response:
    if chain.name.casefold() in {one.name.casefold() for one in STARTS}:
        raise Problem(422, "Refused", f"“{chain.name}” ships with Fendo. Choose another name for your own.")
    own = owned(KeptTreatment, user)
    if own.count() >= MOST_KEPT and not own.filter(name=chain.name).exists():
        raise Problem(422, "Refused", f"{MOST_KEPT} treatments are kept already. Remove one first.")
    kept, _ = KeptTreatment.objects.update_or_create(owner=user, name=chain.name, defaults={"chain": chain.as_row()})
    return Response({"id": str(kept.pk), "chain": chain.as_row()}, status=201)


@extend_schema(
    operation_id="keep_treatment",
    request=ChainSerializer,
    responses={201: KeptTreatmentSerializer, 422: ProblemSerializer},
)
@api_view(["POST"])
def keep(request: Request) -> Response:
    """Keep a treatment under its name; what had that name before is replaced."""
    asked = ChainSerializer(data=request.data)
    asked.is_valid(raise_exception=True)
    return _keep(request.user, checked(Chain.from_row(asked.validated_data)))


@extend_schema(
    operation_id="bring_in_treatment",
    request={"application/octet-stream": OpenApiTypes.BINARY},
    responses={201: KeptTreatmentSerializer, 422: ProblemSerializer},
)
@api_view(["POST"])
@parser_classes([bytes_parser(LARGEST)])
def bring_in(request: Request) -> Response:
    """Keep the treatment in a file."""
    return _keep(request.user, of_file(request.data if isinstance(request.data, bytes) else b""))


@extend_schema(methods=["GET"], operation_id="treatment_file", responses={(200, "application/json"): OpenApiTypes.BINARY})
@extend_schema(methods=["DELETE"], operation_id="forget_treatment", responses={204: None, 404: ProblemSerializer})
@api_view(["GET", "DELETE"])
def one(request: Request, treatment_id: UUID) -> HttpResponseBase:
    """A treatment that somebody keeps, as a file; or keep it no longer. Lines that are treated by it stay as they are."""
    kept = get_owned(KeptTreatment, request.user, treatment_id)
    if request.method == "DELETE":
        kept.delete()
        return Response(status=204)
    headers = attachment(f"{safe_name(kept.name, 60)}.treatment.json")
    return HttpResponse(as_file(kept.value), content_type="application/json", headers=headers)
