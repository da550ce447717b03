"""The shapes of lines that are to be made, of words and of pace on the wire."""

from typing import Any

from rest_framework import serializers

from fendo_core.script.lines import Draft
from fendo_core.script.pace import STYLES
from fendo_core.timebase import Span
from fendo_server.wire import Shape, SpanField


class HintField(serializers.ListField):
    """[first character, character after the last, how it is said]."""

    def __init__(self, **kwargs: Any) -> None:
        super().__init__(min_length=3, max_length=3, **kwargs)


class SayingSerializer(serializers.Serializer):
    """How a word of the production is said."""

    word = serializers.CharField()
    said = serializers.CharField()


class StyleSerializer(serializers.Serializer):
    """A style of reading, and its pace in syllables a second."""

    name = serializers.CharField()
    pace = serializers.FloatField()


class PaceSerializer(serializers.Serializer):
    """What lengths are told by, in syllables a second."""

    styles = StyleSerializer(many=True)
    start = serializers.FloatField()
    style = serializers.ChoiceField(list(STYLES), allow_null=True)  # type: ignore[assignment]
    learns = serializers.BooleanField()
    language = serializers.CharField()
    used = serializers.FloatField()
    takes = serializers.IntegerField()


class LanguageSerializer(serializers.Serializer):
    """A language whose length can be told."""

    code = serializers.CharField()
    name = serializers.CharField()


class DraftSerializer(Shape):
    """A line that would be made."""

    text = serializers.CharField(max_length=20_000)
    slot = SpanField(allow_null=True, required=False)
    notes = serializers.CharField(max_length=4_000, allow_blank=True, default="")
    reader = serializers.CharField(max_length=80, allow_blank=True, default="", help_text="a name")

    @staticmethod
    def made(values: dict[str, Any]) -> Draft:
        """The core's value."""
        slot = values.get("slot")
        return Draft(values["text"], Span(*slot) if slot else None, values["notes"], values["reader"])


def wanted_fields() -> dict[str, serializers.Field]:
    """What is looked for in the words."""
    return {
        "text": serializers.CharField(max_length=500, trim_whitespace=False),
        "match_case": serializers.BooleanField(default=False),
        "whole_words": serializers.BooleanField(default=False),
    }
