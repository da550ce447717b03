"""The shapes of productions and edits on the wire: the schema that the web client is generated from."""

from typing import Any

from drf_spectacular.utils import PolymorphicProxySerializer, extend_schema_field
from rest_framework import serializers
from rest_framework.fields import empty

from fendo_core.booth.levelwindow import level_window
from fendo_core.picture.laid import CHANNELS
from fendo_core.picture.reel import COLOURS, HEARD
from fendo_core.polish import edits as polish
from fendo_core.production import edits
from fendo_core.script.lines import Draft
from fendo_core.script.pace import STYLES
from fendo_core.script.syllables import LANGUAGES
from fendo_core.takes.sync_points import LONGEST_NAME, DropSyncPoint, MoveSyncPoint, PutWord, SetSyncPoint
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.voice.chain import STAGE_KINDS, Chain
from fendo_core.voice.level import LOUDEST, QUIETEST
from fendo_core.voice.repair import REPAIR_KINDS
from fendo_core.words import MARKS
from fendo_server.picture.models import Source
from fendo_server.productions.models import Production
from fendo_server.voice.models import Recording

DAY = 24 * 3600 * SAMPLE_RATE
VOICE_KINDS = ["take", "comp"]
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


@extend_schema_field({"type": "array", "items": {"type": "integer"}, "minItems": 2, "maxItems": 2})
class SpanField(serializers.ListField):
    """[start, end] in samples."""

    def __init__(self, **kwargs: Any) -> None:
        super().__init__(**{"child": serializers.IntegerField(), "min_length": 2, "max_length": 2, **kwargs})

    def run_validation(self, data: Any = empty) -> Any:
        """The pair; a stretch of nothing is none."""
        found = super().run_validation(data)
        if found and found[1] <= found[0]:
            raise serializers.ValidationError("A stretch must end after it starts.")
        return found


class HintField(serializers.ListField):
    """[first character, character after the last, how it is said]."""

    def __init__(self, **kwargs: Any) -> None:
        super().__init__(min_length=3, max_length=3, **kwargs)


class VoiceSerializer(serializers.Serializer):
    """What sounds: a take or a comp, where it lies. Its sound and its waveform are at addresses that contain its key."""

    id = serializers.CharField(help_text="of the take or the comp")
    kind = serializers.ChoiceField(VOICE_KINDS)
    name = serializers.CharField()
    key = serializers.CharField(help_text="tells its sound: another sound has another key, another place has not")
    bare = serializers.CharField(help_text="the key of how it was read, without mends and treatment")
    span = SpanField(help_text="where it sounds, programme samples")
    speech = SpanField(allow_null=True, help_text="where somebody speaks, programme samples")
    phrases = serializers.ListField(child=SpanField(), help_text="programme samples")
    length = serializers.IntegerField()
    gain = serializers.FloatField(help_text="dB that it is played and mixed louder, so that it has the wanted level")


class StandingVoiceSerializer(VoiceSerializer):
    """What sounds for a line."""

    takes = serializers.ListField(child=serializers.IntegerField(), help_text="numbers of the takes that it is made of")
    provisional = serializers.BooleanField(help_text="nobody picked it: it sounds because it was read last")
    file = serializers.CharField(help_text="what a file of it is called")
    folder = serializers.CharField()
    loudness = serializers.FloatField(allow_null=True)
    peak = serializers.FloatField(allow_null=True)
    measured = serializers.BooleanField()


class ReadWordSerializer(serializers.Serializer):
    """A word of the line, and what became of it."""

    ordinal = serializers.IntegerField(help_text="of the line's words")
    text = serializers.CharField()
    mark = serializers.ChoiceField(MARKS)
    span = SpanField(allow_null=True, help_text="programme samples; null: not heard")


class ReadCheckSerializer(serializers.Serializer):
    """Is what was read the text?"""

    state = serializers.ChoiceField(["waiting", "checked", "not checked"])
    words = ReadWordSerializer(many=True)
    put_in = serializers.ListField(child=SpanField(), help_text="where something else was said")


class TakeSerializer(serializers.Serializer):
    """A take, or a comp listed like one; positions in programme samples, levels in dBFS, dBTP and LUFS."""

    id = serializers.CharField()
    kind = serializers.ChoiceField(VOICE_KINDS)
    name = serializers.CharField()
    line = serializers.CharField()
    number = serializers.IntegerField(help_text="0: a comp has none")
    file = serializers.CharField(allow_blank=True)
    folder = serializers.CharField(allow_blank=True)
    reader = serializers.CharField()
    state = serializers.ChoiceField(Recording.State.choices)
    aside = serializers.BooleanField()
    mark = serializers.ChoiceField(edits.MARKS, allow_blank=True, help_text="what somebody thinks of it; empty: nothing")
    note = serializers.CharField(allow_blank=True)
    start = serializers.IntegerField(help_text="where its first sample lies")
    length = serializers.IntegerField()
    voice = VoiceSerializer(allow_null=True, help_text="null while it is recorded")
    seams = serializers.ListField(child=serializers.IntegerField())
    peak = serializers.FloatField(allow_null=True)
    true_peak = serializers.FloatField(allow_null=True)
    loudness = serializers.FloatField(allow_null=True)
    noise = serializers.FloatField(allow_null=True)
    clipped = serializers.ListField(child=SpanField())
    late = serializers.IntegerField(allow_null=True)
    past_end = serializers.IntegerField(allow_null=True)
    too_long = serializers.BooleanField(help_text="it ends so long after its slot that it is heard")
    faults = serializers.ListField(child=serializers.CharField())
    remarks = serializers.ListField(child=serializers.CharField())
    advice = serializers.ListField(child=serializers.CharField(), help_text="what to do about its level")
    measured = serializers.BooleanField(help_text="its sound was looked at; a long take is there before that")
    latency_source = serializers.CharField(allow_blank=True)
    marks = serializers.ListField(
        child=serializers.IntegerField(), help_text="programme samples at which the reader marked a mistake"
    )
    within = serializers.IntegerField(allow_null=True, help_text="samples by which its place may be off")
    suggested = serializers.ListField(
        child=serializers.CharField(), required=False, help_text="why to begin with this one; empty for all others"
    )
    read = ReadCheckSerializer(allow_null=True, help_text="null for what is no take, or not measured yet")


class StrokeSerializer(serializers.Serializer):
    """A take as a stroke in its line's margin."""

    number = serializers.IntegerField()
    aside = serializers.BooleanField()


class RoomPartSerializer(serializers.Serializer):
    """A stretch of a piece's own sound that is heard elsewhere: its room, where the piece is silent."""

    piece = serializers.CharField()
    span = SpanField()
    first = serializers.IntegerField(help_text="sample of the source at the start of the span")


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


class ReelPieceSerializer(serializers.Serializer):
    """A piece of the reel; `span` in programme samples, `first` the sample of its source at the start."""

    id = serializers.CharField()
    kind = serializers.ChoiceField(["film", "still", "slides", "card"])
    source = serializers.CharField(allow_null=True)
    page = serializers.IntegerField()
    span = SpanField()
    first = serializers.IntegerField()
    name = serializers.CharField(allow_blank=True)
    colour = serializers.ChoiceField(COLOURS)
    heard = serializers.ChoiceField(HEARD)
    level = serializers.FloatField()
    opens = serializers.BooleanField()
    cut = CutField()
    duck = serializers.FloatField(help_text="dB by which its own sound gives way to the voice")


class LaidSoundSerializer(serializers.Serializer):
    """Sound laid under the picture; samples."""

    id = serializers.CharField()
    source = serializers.CharField()
    span = SpanField()
    first = serializers.IntegerField()
    channel = serializers.ChoiceField(CHANNELS)
    level = serializers.FloatField()
    heard = serializers.ChoiceField(HEARD)
    original = serializers.BooleanField()
    cut = CutField()
    duck = serializers.FloatField(help_text="dB by which it gives way to the voice")


class PictureSerializer(serializers.Serializer):
    """The reel: pieces one after another, sounds laid under them, and what was brought in."""

    length = serializers.IntegerField(help_text="samples of the programme; 0: not known")
    pieces = ReelPieceSerializer(many=True)
    laid = LaidSoundSerializer(many=True)
    shots = serializers.ListField(child=SpanField())
    shot_names = serializers.ListField(child=serializers.CharField(allow_blank=True), help_text="one a shot")
    sources = SourceSerializer(many=True)


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
    label = serializers.CharField(required=False, allow_blank=True, max_length=200)
    channel = serializers.IntegerField(required=False, min_value=0, max_value=31)
    fault = serializers.CharField(required=False, allow_blank=True, max_length=40)
    delay = serializers.IntegerField(required=False, min_value=0, max_value=500, help_text="of the simulated loop, ms")


class SayingSerializer(serializers.Serializer):
    """How a word of the production is said."""

    word = serializers.CharField()
    said = serializers.CharField()


class SyncPointSerializer(serializers.Serializer):
    """A place in the picture that a word is put to."""

    at = serializers.IntegerField(help_text="programme sample of its frame")
    called = serializers.CharField()


class ReaderSerializer(serializers.Serializer):
    """Somebody who reads; `pace` in syllables a second, learned from `takes` takes."""

    id = serializers.CharField()
    name = serializers.CharField()
    pace = serializers.FloatField()
    takes = serializers.IntegerField()


class NewReaderSerializer(serializers.Serializer):
    """What a new reader needs."""

    name = serializers.CharField(max_length=80)


class StyleSerializer(serializers.Serializer):
    """A style of reading, and its pace in syllables a second."""

    name = serializers.CharField()
    pace = serializers.FloatField()


class PaceSerializer(serializers.Serializer):
    """What lengths are told by, in syllables a second."""

    styles = StyleSerializer(many=True)
    start = serializers.FloatField()
    style = serializers.ChoiceField(list(STYLES), allow_null=True)
    learns = serializers.BooleanField()
    language = serializers.CharField()
    used = serializers.FloatField()
    takes = serializers.IntegerField()


class LanguageSerializer(serializers.Serializer):
    """A language whose length can be told."""

    code = serializers.CharField()
    name = serializers.CharField()


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

    label = serializers.CharField(allow_null=True)
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
    parent = serializers.UUIDField(required=False, allow_null=True)
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


class DraftSerializer(serializers.Serializer):
    """A line that would be made."""

    text = serializers.CharField(max_length=20_000)
    slot = SpanField(allow_null=True, required=False)
    notes = serializers.CharField(max_length=4_000, allow_blank=True, default="")
    reader = serializers.CharField(max_length=80, allow_blank=True, default="", help_text="a name")


class ShownSerializer(serializers.Serializer):
    """What is to be seen: a source or a card; `length` in samples for all but films, 0: as long as usual."""

    source = serializers.UUIDField(required=False, allow_null=True)
    page = serializers.IntegerField(min_value=0, required=False, allow_null=True, help_text="null: all")
    length = serializers.IntegerField(min_value=0, default=0)
    words = serializers.CharField(allow_blank=True, max_length=400, default="")
    colour = serializers.ChoiceField(COLOURS, default=COLOURS[0])

    @staticmethod
    def made(values: dict[str, Any]) -> edits.Shown:
        """The core's value."""
        source = values.get("source")
        return edits.Shown(**{**values, "source": str(source) if source else None})


class WantedSerializer(serializers.Serializer):
    """A place of a recording to be mended, or to be left; `span` in samples of the recording."""

    recording = serializers.UUIDField()
    kind = serializers.ChoiceField(REPAIR_KINDS)
    span = SpanField(child=serializers.IntegerField(min_value=0, max_value=2 * DAY))
    decibel = serializers.FloatField(default=0.0, min_value=-40.0, max_value=20.0)


class StageSerializer(serializers.Serializer):
    """A stage of a treatment."""

    kind = serializers.ChoiceField(STAGE_KINDS)
    on = serializers.BooleanField()
    settings = serializers.DictField(child=serializers.FloatField())


class ChainSerializer(serializers.Serializer):
    """How a voice is treated."""

    name = serializers.CharField(max_length=60)
    stages = StageSerializer(many=True)


_IDENTITIES = ("line", "take", "after", "reader", "piece", "before", "sound", "source", "voice", "comp")


class ConsequenceSerializer(serializers.Serializer):
    """What an edit of the reel would do to words and takes."""

    moved = serializers.ListField(child=serializers.CharField())
    left = serializers.ListField(child=serializers.CharField())
    takes = serializers.IntegerField()
    longer = serializers.IntegerField()
    text = serializers.CharField()


class _EditSerializer(serializers.Serializer):
    """One kind of edit; `made` turns the validated values into the core's."""

    revision = serializers.IntegerField(min_value=0, help_text="the revision that the edit was made at")

    def made(self) -> edits.Edit:
        """The core's value."""
        values = {key: value for key, value in self.validated_data.items() if key not in ("revision", "kind")}
        if "slot" in values:
            values["slot"] = Span(*values["slot"]) if values["slot"] else None
        if "places" in values:
            values["places"] = tuple(
                polish.Wanted(str(one["recording"]), one["kind"], Span(*one["span"]), one["decibel"])
                for one in values["places"]
            )
        if "gap" in values:
            values["gap"] = Span(*values["gap"])
        if "repairs" in values:
            values["repairs"] = tuple(str(key) for key in values["repairs"])
        if values.get("chain"):
            values["chain"] = Chain.from_row(values["chain"])
        if "span" in values:
            values["span"] = Span(*values["span"])
        if "pieces" in values:
            values["pieces"] = tuple(ShownSerializer.made(one) for one in values["pieces"])
        if "shown" in values:
            values["shown"] = ShownSerializer.made(values["shown"])
        if "lines" in values:
            drafts = values["lines"]
            values["lines"] = tuple(
                Draft(one["text"], Span(*one["slot"]) if one.get("slot") else None, one["notes"], one["reader"])
                for one in drafts
            )
        values = {key: str(value) if key in _IDENTITIES and value else value for key, value in values.items()}
        for key in ("only", "stress"):
            if values.get(key) is not None:
                values[key] = tuple(str(one) if key == "only" else one for one in values[key])
        return self.edit(**values)  # type: ignore[attr-defined]


def _kind(name: str, edit: type, /, **fields: serializers.Field) -> type[_EditSerializer]:
    """The serializer of one kind of edit."""
    camel = "".join(word.capitalize() for word in name.split("_"))
    members = {"kind": serializers.ChoiceField([name]), "edit": edit, "__doc__": edit.__doc__, **fields}
    return type(f"{camel}EditSerializer", (_EditSerializer,), members)


def wanted_fields() -> dict[str, serializers.Field]:
    """What is looked for in the words."""
    return {
        "text": serializers.CharField(max_length=500, trim_whitespace=False),
        "match_case": serializers.BooleanField(default=False),
        "whole_words": serializers.BooleanField(default=False),
    }


_line = serializers.UUIDField
EDITS: dict[str, type[_EditSerializer]] = {
    "set_words": _kind(
        "set_words", edits.SetWords, line=_line(), text=serializers.CharField(allow_blank=True, max_length=20_000)
    ),
    "add_lines": _kind(
        "add_lines",
        edits.AddLines,
        text=serializers.CharField(max_length=2_000_000, trim_whitespace=False),
        after=_line(required=False, allow_null=True),
    ),
    "new_line": _kind(
        "new_line",
        edits.NewLine,
        after=_line(required=False, allow_null=True),
        slot=SpanField(required=False, allow_null=True),
    ),
    "bring_in_lines": _kind(
        "bring_in_lines",
        edits.BringInLines,
        lines=DraftSerializer(many=True),
        after=_line(required=False, allow_null=True),
    ),
    "move_line": _kind("move_line", edits.MoveLine, line=_line(), before=_line(required=False, allow_null=True)),
    "drop_line": _kind("drop_line", edits.DropLine, line=_line()),
    "split_line": _kind("split_line", edits.SplitLine, line=_line(), at=serializers.IntegerField(min_value=0)),
    "split_long": _kind("split_long", edits.SplitLong, longest=serializers.IntegerField(max_value=4_000)),
    "join_lines": _kind("join_lines", edits.JoinLines, line=_line()),
    "renumber": _kind("renumber", edits.Renumber),
    "replace_words": _kind(
        "replace_words",
        edits.ReplaceWords,
        **wanted_fields(),
        by=serializers.CharField(allow_blank=True, max_length=2_000, trim_whitespace=False),
        only=serializers.ListField(child=_line(), required=False, allow_null=True),
    ),
    "set_notes": _kind(
        "set_notes", edits.SetNotes, line=_line(), notes=serializers.CharField(allow_blank=True, max_length=10_000)
    ),
    "set_stress": _kind(
        "set_stress", edits.SetStress, line=_line(), stress=serializers.ListField(child=serializers.IntegerField())
    ),
    "set_reader": _kind(
        "set_reader",
        edits.SetReader,
        only=serializers.ListField(child=_line(), min_length=1),
        reader=_line(allow_null=True),
    ),
    "set_silences": _kind("set_silences", edits.SetSilences, line=_line(), silences=serializers.BooleanField()),
    "set_wanted_length": _kind(
        "set_wanted_length", edits.SetWantedLength, line=_line(), length=serializers.IntegerField(allow_null=True)
    ),
    "set_wild": _kind("set_wild", edits.SetWild, line=_line(), wild=serializers.BooleanField()),
    "set_saying": _kind(
        "set_saying",
        edits.SetSaying,
        word=serializers.CharField(max_length=200),
        said=serializers.CharField(allow_blank=True, max_length=400),
    ),
    "spread_slots": _kind("spread_slots", edits.SpreadSlots),
    "mend_slots": _kind("mend_slots", edits.MendSlots),
    "set_slot_start": _kind("set_slot_start", edits.SetSlotStart, line=_line(), at=serializers.IntegerField()),
    "set_slot_end": _kind("set_slot_end", edits.SetSlotEnd, line=_line(), at=serializers.IntegerField()),
    "set_slot": _kind("set_slot", edits.SetSlot, line=_line(), slot=SpanField(allow_null=True)),
    "lay_slots": _kind("lay_slots", edits.LaySlots, unset_only=serializers.BooleanField(default=False)),
    "pick": _kind("pick", edits.Pick, line=_line(), voice=_line(allow_null=True)),
    "pick_provisional": _kind(
        "pick_provisional",
        edits.PickProvisional,
        only=serializers.ListField(child=_line(), required=False, allow_null=True),
    ),
    "move_voice": _kind(
        "move_voice", edits.MoveVoice, voice=_line(), by=serializers.IntegerField(min_value=-DAY, max_value=DAY)
    ),
    "place_voice": _kind(
        "place_voice",
        edits.PlaceVoice,
        voice=_line(),
        timecode=serializers.CharField(max_length=20, required=False, allow_null=True),
    ),
    "move_seam": _kind(
        "move_seam",
        edits.MoveSeam,
        comp=_line(),
        seam=serializers.IntegerField(min_value=0, max_value=10_000),
        to=serializers.IntegerField(min_value=0, max_value=DAY),
    ),
    "settle": _kind(
        "settle",
        edits.Settle,
        only=serializers.ListField(child=_line(), min_length=1),
        settled=serializers.BooleanField(default=True),
    ),
    "move_end": _kind(
        "move_end",
        edits.MoveEnd,
        voice=_line(),
        end=serializers.ChoiceField(["first", "last"]),
        at=serializers.IntegerField(min_value=-DAY, max_value=DAY, help_text="programme sample"),
    ),
    "mend": _kind("mend", polish.Mend, places=WantedSerializer(many=True), on=serializers.BooleanField(default=True)),
    "drop_repairs": _kind("drop_repairs", polish.DropRepairs, repairs=serializers.ListField(child=_line(), min_length=1)),
    "close_gap": _kind(
        "close_gap",
        polish.CloseGap,
        line=_line(),
        voice=_line(),
        gap=SpanField(),
        keep=serializers.IntegerField(min_value=0, max_value=DAY),
        close_up=serializers.BooleanField(default=True),
    ),
    "set_treatment": _kind(
        "set_treatment",
        polish.SetTreatment,
        scope=serializers.CharField(max_length=60),
        chain=ChainSerializer(allow_null=True),
    ),
    "take_apart": _kind("take_apart", edits.TakeApart, comp=_line()),
    "note_take": _kind(
        "note_take",
        edits.NoteTake,
        take=_line(),
        mark=serializers.ChoiceField(edits.MARKS, required=False, allow_null=True, allow_blank=True),
        note=serializers.CharField(required=False, allow_null=True, allow_blank=True, max_length=5_000),
    ),
    "set_aside": _kind("set_aside", edits.SetAside, take=_line(), aside=serializers.BooleanField()),
    "part_shot": _kind("part_shot", edits.PartShot, at=serializers.IntegerField(min_value=0)),
    "join_shots": _kind("join_shots", edits.JoinShots, at=serializers.IntegerField(min_value=0)),
    "name_shot": _kind(
        "name_shot",
        edits.NameShot,
        at=serializers.IntegerField(min_value=0),
        called=serializers.CharField(allow_blank=True, max_length=400),
    ),
    "set_sync_point": _kind(
        "set_sync_point",
        SetSyncPoint,
        at=serializers.IntegerField(min_value=0, max_value=DAY),
        called=serializers.CharField(allow_blank=True, max_length=LONGEST_NAME, default=""),
    ),
    "move_sync_point": _kind(
        "move_sync_point",
        MoveSyncPoint,
        at=serializers.IntegerField(min_value=0, max_value=DAY),
        to=serializers.IntegerField(min_value=0, max_value=DAY),
    ),
    "drop_sync_point": _kind("drop_sync_point", DropSyncPoint, at=serializers.IntegerField(min_value=0, max_value=DAY)),
    "put_word": _kind(
        "put_word",
        PutWord,
        voice=_line(),
        said=serializers.IntegerField(min_value=-DAY, max_value=DAY),
        to=serializers.IntegerField(min_value=-DAY, max_value=DAY, required=False, allow_null=True),
    ),
    "add_pieces": _kind(
        "add_pieces",
        edits.AddPieces,
        pieces=ShownSerializer(many=True),
        at=serializers.IntegerField(min_value=0, required=False, allow_null=True),
        follow=serializers.BooleanField(default=True),
    ),
    "split_piece": _kind("split_piece", edits.SplitPiece, at=serializers.IntegerField(min_value=0)),
    "trim_piece": _kind(
        "trim_piece",
        edits.TrimPiece,
        piece=_line(),
        edge=serializers.ChoiceField(["start", "end"]),
        at=serializers.IntegerField(),
        close=serializers.BooleanField(default=True),
        follow=serializers.BooleanField(default=True),
    ),
    "drop_piece": _kind(
        "drop_piece",
        edits.DropPiece,
        piece=_line(),
        close=serializers.BooleanField(default=True),
        follow=serializers.BooleanField(default=True),
    ),
    "move_piece": _kind(
        "move_piece",
        edits.MovePiece,
        piece=_line(),
        before=_line(allow_null=True, required=False),
        follow=serializers.BooleanField(default=True),
    ),
    "fill_piece": _kind(
        "fill_piece",
        edits.FillPiece,
        piece=_line(),
        shown=ShownSerializer(),
        first=serializers.IntegerField(min_value=0, default=0),
    ),
    "set_piece": _kind(
        "set_piece",
        edits.SetPiece,
        piece=_line(),
        name=serializers.CharField(allow_blank=True, required=False, max_length=400),
        colour=serializers.ChoiceField(COLOURS, required=False),
        heard=serializers.ChoiceField(HEARD, required=False),
        level=serializers.FloatField(required=False),
    ),
    "lay_sound": _kind(
        "lay_sound",
        edits.LaySound,
        source=_line(),
        at=serializers.IntegerField(min_value=0),
        original=serializers.BooleanField(default=False),
    ),
    "set_sound": _kind(
        "set_sound",
        edits.SetSound,
        sound=_line(),
        span=SpanField(required=False),
        channel=serializers.ChoiceField(CHANNELS, required=False),
        level=serializers.FloatField(required=False),
        heard=serializers.ChoiceField(HEARD, required=False),
        original=serializers.BooleanField(required=False),
    ),
    "lines_from_notes": _kind(
        "lines_from_notes", edits.LinesFromNotes, source=_line(), fit=serializers.BooleanField(default=True)
    ),
    "drop_sound": _kind("drop_sound", edits.DropSound, sound=_line()),
}
EditSchema = PolymorphicProxySerializer(component_name="Edit", serializers=EDITS, resource_type_field_name="kind")
