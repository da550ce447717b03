"""Comps made out of readings, over HTTP: words woven in, and a reading fitted to an old one."""

from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from fendo_core.takes.fitting import LARGEST_MOST, MOST
from fendo_server.access import get_owned
from fendo_server.problems import Problem, ProblemSerializer
from fendo_server.productions import description
from fendo_server.productions.serializers import PatchSerializer
from fendo_server.script.models import Line
from fendo_server.takes import making
from fendo_server.wire import SpanField

MOST_WORDS = 100_000


class WeaveSerializer(serializers.Serializer):
    """Words of one reading that are to be put into another of the same line."""

    onto = serializers.UUIDField(help_text="the take or comp that they are put into")
    source = serializers.UUIDField(help_text="the take or comp that they come from")  # type: ignore[assignment]
    first = serializers.IntegerField(min_value=0, max_value=MOST_WORDS, help_text="ordinal of the first word")
    last = serializers.IntegerField(min_value=0, max_value=MOST_WORDS)

    def validate(self, attrs: dict[str, Any]) -> dict[str, Any]:
        if attrs["last"] < attrs["first"]:
            raise serializers.ValidationError("The last word comes before the first.")
        if attrs["onto"] == attrs["source"]:
            raise serializers.ValidationError("The words must come from another reading.")
        return attrs


@extend_schema(operation_id="weave", request=WeaveSerializer, responses={200: PatchSerializer, 422: ProblemSerializer})
@api_view(["POST"])
def weave(request: Request, line_id: UUID) -> Response:
    """Put words of one reading into another. It is an edit; both readings stay."""
    line = get_owned(Line, request.user, line_id, "production")
    asked = WeaveSerializer(data=request.data)
    asked.is_valid(raise_exception=True)
    wanted = asked.validated_data
    change = making.weave_words(
        line, str(wanted["onto"]), str(wanted["source"]), wanted["first"], wanted["last"], request.user
    )
    return Response(description.patch(line.production, change))


class GuideField(serializers.CharField):
    """A reading of the line, or the film's own sound."""

    def to_internal_value(self, data: Any) -> str:
        text = super().to_internal_value(data)
        return text if text == making.FILM else str(serializers.UUIDField().to_internal_value(text))


class FitQuery(serializers.Serializer):
    """What is fitted to what."""

    voice = serializers.UUIDField(help_text="the take or comp that is fitted")
    guide = GuideField(max_length=40, help_text=f"a take or comp of the line, or “{making.FILM}”: its own sound")
    most = serializers.FloatField(
        min_value=0.0, max_value=LARGEST_MOST, default=MOST, help_text="share by which a phrase is stretched at most"
    )
    stay = serializers.ListField(
        child=serializers.IntegerField(min_value=0, max_value=MOST_WORDS),
        max_length=1000,
        default=list,
        help_text="phrases, by index, that stay as they are",
    )

    def validate(self, attrs: dict[str, Any]) -> dict[str, Any]:
        if attrs["guide"] == str(attrs["voice"]):
            raise serializers.ValidationError("A reading can’t be fitted to itself. Choose another guide.")
        return attrs


class FitSerializer(FitQuery):
    """A fit that is to be made."""

    silence = serializers.BooleanField(default=False, help_text="the film's own sound is silent in the slot from now on")


class FittedPhraseSerializer(serializers.Serializer):
    """A phrase and where it would go, programme samples."""

    words = serializers.CharField(allow_blank=True)
    own = SpanField()
    guide = SpanField()
    to = SpanField()
    shift = serializers.IntegerField(help_text="samples later")
    stretch = serializers.FloatField(help_text="0.05: five hundredths longer")
    over = serializers.IntegerField(help_text="samples that it ends after the guide's phrase")


class FitProposalSerializer(serializers.Serializer):
    """What a fit would do; nothing is changed by asking."""

    guide = serializers.CharField()
    phrases = FittedPhraseSerializer(many=True)


@extend_schema(
    methods=["GET"],
    operation_id="look_at_fit",
    parameters=[FitQuery],
    responses={200: FitProposalSerializer, 422: ProblemSerializer},
)
@extend_schema(
    methods=["POST"],
    operation_id="fit",
    request=FitSerializer,
    responses={200: PatchSerializer, 422: ProblemSerializer},
)
@api_view(["GET", "POST"])
def fit(request: Request, line_id: UUID) -> Response:
    """How a reading would be fitted to a guide, phrase by phrase; or do it, as an edit."""
    line = get_owned(Line, request.user, line_id, "production")
    posted = request.method == "POST"
    asked = FitSerializer(data=request.data) if posted else FitQuery(data=request.query_params)
    asked.is_valid(raise_exception=True)
    wanted = asked.validated_data
    if not posted:
        return Response(
            _said(making.propose(making.LineReadings(line), str(wanted["voice"]), wanted["guide"], wanted["most"]))
        )
    if wanted["silence"] and line.slot is None:
        raise Problem(422, "Not possible", "This line has no slot in which the film could be silent. Nothing was changed.")
    change = making.fit(
        line, str(wanted["voice"]), wanted["guide"], wanted["most"], wanted["stay"], wanted["silence"], request.user
    )
    return Response(description.patch(line.production, change))


def _said(found: making.Proposal) -> dict[str, Any]:
    phrases = [
        {
            "words": found.words_of(one),
            **{name: [span.start, span.end] for name, span in (("own", one.own), ("guide", one.guide), ("to", one.to))},
            "shift": one.shift,
            "stretch": round(one.stretch, 4),
            "over": one.over,
        }
        for one in found.phrases
    ]
    return {"guide": found.guide, "phrases": phrases}
