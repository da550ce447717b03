"""The shapes of mends and treatments on the wire."""

from typing import Any

from rest_framework import serializers

from fendo_core.polish import edits
from fendo_core.timebase import Span
from fendo_core.voice.chain import STAGE_KINDS, Chain
from fendo_core.voice.repair import REPAIR_KINDS
from fendo_server.wire import DAY, Shape, SpanField


class WantedSerializer(Shape):
    """A place of a recording to be mended, or to be left; `span` in samples of the recording."""

    recording = serializers.UUIDField()
    kind = serializers.ChoiceField(REPAIR_KINDS)
    span = SpanField(child=serializers.IntegerField(min_value=0, max_value=2 * DAY))
    decibel = serializers.FloatField(default=0.0, min_value=-40.0, max_value=20.0)

    @staticmethod
    def made(values: dict[str, Any]) -> edits.Wanted:
        """The core's value."""
        return edits.Wanted(str(values["recording"]), values["kind"], Span(*values["span"]), values["decibel"])


class StageSerializer(serializers.Serializer):
    """A stage of a treatment."""

    kind = serializers.ChoiceField(STAGE_KINDS)
    on = serializers.BooleanField()
    settings = serializers.DictField(child=serializers.FloatField())


class ChainSerializer(Shape):
    """How a voice is treated."""

    name = serializers.CharField(max_length=60)
    stages = StageSerializer(many=True)

    @staticmethod
    def made(values: dict[str, Any]) -> Chain:
        """The core's value."""
        return Chain.from_row(values)
