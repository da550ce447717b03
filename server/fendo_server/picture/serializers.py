"""The shapes of the reel, and of what was brought in, on the wire."""

from typing import Any

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from fendo_core.picture import edits
from fendo_core.picture.laid import CHANNELS
from fendo_core.picture.reel import BED_MODES, COLOURS
from fendo_server.picture.models import Source
from fendo_server.wire import Shape, SpanField


class SourceSerializer(serializers.Serializer):
    """Something that was brought in; `length` in samples, 0 for what has none of its own."""

    id = serializers.CharField()
    kind = serializers.ChoiceField(Source.Kind.choices)
    name = serializers.CharField()
    state = serializers.ChoiceField(Source.State.choices)
    error = serializers.CharField()
    remarks = serializers.ListField(child=serializers.CharField())
    length = serializers.IntegerField()
    fps = SpanField(help_text="frames a second as a fraction: above, below")
    pages = serializers.IntegerField()
    noted = serializers.BooleanField(help_text="its pages say something")
    sound_pieces = serializers.IntegerField()
    loudness = serializers.FloatField(allow_null=True, help_text="of its own sound, LUFS")
    segments = serializers.IntegerField(help_text="of its proxy that can be played")
    segment_frames = serializers.IntegerField(help_text="frames in one of them; 0: one holds all")
    has_proxy = serializers.BooleanField()
    plays_at_once = serializers.BooleanField()
    strip_columns = serializers.IntegerField()
    width = serializers.IntegerField()
    height = serializers.IntegerField()


@extend_schema_field({"type": "array", "items": {"type": "boolean"}, "minItems": 2, "maxItems": 2})
class CutField(serializers.ListField):
    """Whether the source goes on before the start, and after the end."""


class ReelClipSerializer(serializers.Serializer):
    """A clip of the reel; `span` in programme samples, `first` the sample of its source at the start."""

    id = serializers.CharField()
    kind = serializers.ChoiceField(["film", "still", "slides", "card"])
    source = serializers.CharField(allow_null=True)  # type: ignore[assignment]
    page = serializers.IntegerField()
    span = SpanField()
    first = serializers.IntegerField()
    name = serializers.CharField(allow_blank=True)
    colour = serializers.ChoiceField(COLOURS)
    bed = serializers.ChoiceField(BED_MODES)
    level = serializers.FloatField()
    opens = serializers.BooleanField()
    cut = CutField()
    duck = serializers.FloatField(help_text="dB by which its own sound gives way to the voice")


class LaidSoundSerializer(serializers.Serializer):
    """Sound laid under the picture; samples."""

    id = serializers.CharField()
    source = serializers.CharField()  # type: ignore[assignment]
    span = SpanField()
    first = serializers.IntegerField()
    channel = serializers.ChoiceField(CHANNELS)
    level = serializers.FloatField()
    bed = serializers.ChoiceField(BED_MODES)
    original = serializers.BooleanField()
    cut = CutField()
    duck = serializers.FloatField(help_text="dB by which it gives way to the voice")


class RoomPartSerializer(serializers.Serializer):
    """A stretch of a clip's own sound that is heard elsewhere: its room, where the clip is silent."""

    clip = serializers.CharField()
    span = SpanField()
    first = serializers.IntegerField(help_text="sample of the source at the start of the span")


class PictureSerializer(serializers.Serializer):
    """The reel: clips one after another, sounds laid under them, and what was brought in."""

    length = serializers.IntegerField(help_text="samples of the programme; 0: not known")
    clips = ReelClipSerializer(many=True)
    laid = LaidSoundSerializer(many=True)
    shots = serializers.ListField(child=SpanField())
    shot_names = serializers.ListField(child=serializers.CharField(allow_blank=True), help_text="one a shot")
    sources = SourceSerializer(many=True)


class ShownSerializer(Shape):
    """What is to be seen: a source or a card; `length` in samples for all but films, 0: as long as usual."""

    source = serializers.UUIDField(required=False, allow_null=True)  # type: ignore[assignment]
    page = serializers.IntegerField(min_value=0, required=False, allow_null=True, help_text="null: all")
    length = serializers.IntegerField(min_value=0, default=0)
    words = serializers.CharField(allow_blank=True, max_length=400, default="")
    colour = serializers.ChoiceField(COLOURS, default=COLOURS[0])

    @staticmethod
    def made(values: dict[str, Any]) -> edits.Shown:
        """The core's value."""
        source = values.get("source")
        return edits.Shown(**{**values, "source": str(source) if source else None})


class ConsequenceSerializer(serializers.Serializer):
    """What an edit of the reel would do to words and takes."""

    moved = serializers.ListField(child=serializers.CharField())
    left = serializers.ListField(child=serializers.CharField())
    takes = serializers.IntegerField()
    longer = serializers.IntegerField()
    text = serializers.CharField()
