"""The shapes of productions and edits on the wire: the schema that the web client is generated from.

Each room has the shapes of its own, and its edits; here they are joined.
"""

from typing import Any

from drf_spectacular.utils import PolymorphicProxySerializer
from rest_framework import serializers

from fendo_core.booth.levelwindow import level_window
from fendo_core.script.syllables import LANGUAGES
from fendo_core.timebase import SAMPLE_RATE
from fendo_core.voice.level import LOUDEST, QUIETEST
from fendo_server.picture import edits as of_picture
from fendo_server.picture.serializers import PictureSerializer, RoomPartSerializer
from fendo_server.polish import edits as of_polish
from fendo_server.productions.models import Production
from fendo_server.script import edits as of_script
from fendo_server.script.serializers import HintField, LanguageSerializer, PaceSerializer, SayingSerializer
from fendo_server.takes import edits as of_takes
from fendo_server.takes.serializers import StandingVoiceSerializer, StrokeSerializer, SyncPointSerializer, TakeSerializer
from fendo_server.wire import DAY, EditSerializer, SpanField

FITS = ["no words", "no slot", "wild", "fits", "tight", "over"]


class LevelWindowField(serializers.CharField):
    """One of the level windows that ship, or its edges."""

    def __init__(self, **more: Any) -> None:
        super().__init__(max_length=20, help_text="lively, roomy, full; or its edges in dBFS: -15..-8", **more)

    def to_internal_value(self, data: Any) -> str:
        key = super().to_internal_value(data)
        try:
            level_window(key)
        except ValueError as error:
            raise serializers.ValidationError(str(error)) from error
        return key


class LineSerializer(serializers.Serializer):
    """A line; `needed` and `spare` in samples."""

    id = serializers.CharField()
    number = serializers.CharField()
    text = serializers.CharField()
    slot = SpanField(allow_null=True)
    needed = serializers.IntegerField()
    spare = serializers.IntegerField(allow_null=True)
    fit = serializers.ChoiceField(FITS)
    fit_text = serializers.CharField()
    words_over = serializers.IntegerField(help_text="about how many words are too many")
    tally = StrokeSerializer(many=True, help_text="its takes, in order of their numbers")
    pick = serializers.CharField(allow_null=True, help_text="the take or comp that was picked")
    voice = StandingVoiceSerializer(allow_null=True, help_text="what sounds for it")
    notes = serializers.CharField(allow_blank=True, help_text="for the reader alone")
    stress = serializers.ListField(child=serializers.IntegerField(), help_text="ordinals of the words to be stressed")
    reader = serializers.CharField(allow_null=True, help_text="null: the production's reader")
    wild = serializers.BooleanField()
    silences = serializers.BooleanField(help_text="it replaces what the film says in its slot")
    wanted_length = serializers.IntegerField(
        allow_null=True, help_text="samples that it is to last without a slot; null: as long as it takes"
    )
    settled = serializers.BooleanField(help_text="its pick is final")
    silence = SpanField(allow_null=True, help_text="where the film's own sound is silent for it now")
    rooms = RoomPartSerializer(many=True, help_text="what of the film's own room is heard there")
    sayings = serializers.ListField(child=HintField(), help_text="how words in it are said")


class ToDoSerializer(serializers.Serializer):
    """What is left in each room."""

    picture = serializers.IntegerField()
    script = serializers.IntegerField()
    booth = serializers.IntegerField()
    takes = serializers.IntegerField()
    polish = serializers.IntegerField()
    handover = serializers.IntegerField()


class FolderSerializer(serializers.Serializer):
    """A folder where takes can land."""

    id = serializers.CharField()
    path = serializers.CharField()


class LevelWindowSerializer(serializers.Serializer):
    """The wanted window of peaks, dBFS."""

    key = serializers.CharField(help_text="lively, roomy, full; or its edges: -15..-8")
    name = serializers.CharField()
    low = serializers.FloatField()
    high = serializers.FloatField()


class InputSerializer(serializers.Serializer):
    """The input chosen in the Booth, remembered with the production."""

    device = serializers.CharField(required=False, allow_blank=True, max_length=200)
    label = serializers.CharField(required=False, allow_blank=True, max_length=200)  # type: ignore[assignment]
    channel = serializers.IntegerField(required=False, min_value=0, max_value=31)
    fault = serializers.CharField(required=False, allow_blank=True, max_length=40)
    delay = serializers.IntegerField(required=False, min_value=0, max_value=500, help_text="of the simulated loop, ms")


class ReaderSerializer(serializers.Serializer):
    """Somebody who reads; `pace` in syllables a second, learned from `takes` takes."""

    id = serializers.CharField()
    name = serializers.CharField()
    pace = serializers.FloatField()
    takes = serializers.IntegerField()


class NewReaderSerializer(serializers.Serializer):
    """What a new reader needs."""

    name = serializers.CharField(max_length=80)


class StandingSerializer(serializers.Serializer):
    """What every answer says of the production as a whole."""

    revision = serializers.IntegerField()
    undo = serializers.CharField(allow_null=True)
    redo = serializers.CharField(allow_null=True)
    to_do = ToDoSerializer()
    crossing = serializers.ListField(child=serializers.CharField(), help_text="lines that begin before the one above ends")
    sync_points = SyncPointSerializer(many=True)
    sayings = SayingSerializer(many=True)


class ProductionSerializer(StandingSerializer):
    """Everything the rooms show of a production."""

    id = serializers.CharField()
    name = serializers.CharField()
    directory = serializers.CharField(help_text="its folder below the media folder")
    fps = SpanField(help_text="frames a second as a fraction: above, below")
    drop_frame = serializers.BooleanField()
    start_frame = serializers.IntegerField()
    name_pattern = serializers.CharField()
    wanted_length = serializers.IntegerField(allow_null=True, help_text="while there is no picture")
    pace = PaceSerializer()
    languages = LanguageSerializer(many=True)
    level_window = LevelWindowSerializer()
    level_windows = LevelWindowSerializer(many=True, help_text="those that ship")
    headphones = serializers.BooleanField()
    input = InputSerializer()
    reader = serializers.CharField(help_text="the one who reads lines that have none of their own")
    readers = ReaderSerializer(many=True)
    landing = serializers.CharField(allow_null=True)
    folders = FolderSerializer(many=True)
    monitor = serializers.ChoiceField(Production.Monitor.choices)
    count_in = serializers.ChoiceField(Production.CountIn.choices)
    speech_level = serializers.FloatField(allow_null=True, help_text="LUFS; null: as recorded")
    duck_distance = serializers.FloatField(help_text="LU under the voice")
    duck_rise = serializers.IntegerField()
    picture = PictureSerializer()
    lines = LineSerializer(many=True)


class PatchSerializer(StandingSerializer):
    """What a change made different; `takes` are all takes of the lines in `lines`."""

    label = serializers.CharField(allow_null=True)  # type: ignore[assignment]
    order = serializers.ListField(child=serializers.CharField(), allow_null=True)
    lines = LineSerializer(many=True)
    takes = TakeSerializer(many=True, allow_null=True, help_text="null: too many, ask for those that are looked at")
    picture = PictureSerializer(allow_null=True, help_text="null: as it was")


class ListedProductionSerializer(serializers.Serializer):
    """A production in the list."""

    id = serializers.CharField()
    name = serializers.CharField()
    directory = serializers.CharField(help_text="its folder below media/")
    binned = serializers.CharField(allow_null=True, help_text="since when it lies in the bin")
    changed = serializers.CharField()
    lines = serializers.IntegerField()
    recorded = serializers.IntegerField()
    picked = serializers.IntegerField()
    takes = serializers.IntegerField()
    length = serializers.IntegerField()
    still = serializers.CharField(allow_null=True, help_text="the source whose small picture stands for it")
    still_column = serializers.IntegerField(help_text="which of its small pictures")


class NewProductionSerializer(serializers.Serializer):
    """What a new production needs."""

    name = serializers.CharField(max_length=120)
    reader = serializers.CharField(max_length=80, default="Narrator")


class NewFolderSerializer(serializers.Serializer):
    """What a new folder needs."""

    name = serializers.CharField(max_length=80)
    parent = serializers.UUIDField(required=False, allow_null=True)  # type: ignore[assignment]
    land_here = serializers.BooleanField(default=True)


class SettingsSerializer(serializers.Serializer):
    """Settings of a production; only what is sent is changed."""

    name = serializers.CharField(required=False, max_length=120)
    binned = serializers.BooleanField(required=False, help_text="put into the bin, or brought back")
    name_pattern = serializers.CharField(required=False, max_length=200)
    pace = serializers.FloatField(required=False, min_value=1.0, max_value=12.0)
    learns_pace = serializers.BooleanField(required=False)
    wanted_length = serializers.IntegerField(
        required=False, allow_null=True, min_value=SAMPLE_RATE, max_value=24 * 3600 * SAMPLE_RATE
    )
    language = serializers.ChoiceField(list(LANGUAGES), required=False)
    reader = serializers.UUIDField(required=False)
    level_window = LevelWindowField(required=False)
    headphones = serializers.BooleanField(required=False)
    monitor = serializers.ChoiceField(Production.Monitor.choices, required=False)
    count_in = serializers.ChoiceField(Production.CountIn.choices, required=False)
    speech_level = serializers.FloatField(required=False, allow_null=True, min_value=QUIETEST, max_value=LOUDEST)
    duck_distance = serializers.FloatField(required=False, min_value=0.0, max_value=40.0)
    duck_rise = serializers.IntegerField(required=False, min_value=SAMPLE_RATE // 10, max_value=5 * SAMPLE_RATE)
    input = InputSerializer(required=False)
    landing = serializers.UUIDField(required=False)
    start_timecode = serializers.CharField(required=False, max_length=11)


class TypedSerializer(serializers.Serializer):
    """A place of the programme as it is typed; `now` and `position` in samples."""

    typed = serializers.CharField(max_length=30)
    now = serializers.IntegerField(min_value=0, max_value=DAY)
    position = serializers.IntegerField(read_only=True)


class NameExampleSerializer(serializers.Serializer):
    """The next file name under a pattern."""

    pattern = serializers.CharField(max_length=200)
    example = serializers.CharField(read_only=True)


_ROOMS = (*of_script.EDITS, *of_picture.EDITS, *of_takes.EDITS, *of_polish.EDITS)
EDITS: dict[str, type[EditSerializer]] = {each.wire_name: each for each in _ROOMS}
EditSchema = PolymorphicProxySerializer(component_name="Edit", serializers={**EDITS}, resource_type_field_name="kind")
