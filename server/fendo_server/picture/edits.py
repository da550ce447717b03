"""The edits of Picture on the wire."""

from rest_framework import serializers

from fendo_core.picture import edits
from fendo_core.picture.laid import CHANNELS
from fendo_core.picture.reel import BED_MODES, COLOURS
from fendo_server.picture.serializers import ShownSerializer
from fendo_server.wire import Identity, SpanField, kind

EDITS = [
    kind(edits.PartShot, at=serializers.IntegerField(min_value=0)),
    kind(edits.JoinShots, at=serializers.IntegerField(min_value=0)),
    kind(
        edits.NameShot,
        at=serializers.IntegerField(min_value=0),
        called=serializers.CharField(allow_blank=True, max_length=400),
    ),
    kind(
        edits.AddClips,
        clips=ShownSerializer(many=True),
        at=serializers.IntegerField(min_value=0, required=False, allow_null=True),
        follow=serializers.BooleanField(default=True),
    ),
    kind(edits.SplitClip, at=serializers.IntegerField(min_value=0)),
    kind(
        edits.TrimClip,
        clip=Identity(),
        edge=serializers.ChoiceField(["start", "end"]),
        at=serializers.IntegerField(),
        close=serializers.BooleanField(default=True),
        follow=serializers.BooleanField(default=True),
    ),
    kind(
        edits.DropClip,
        clip=Identity(),
        close=serializers.BooleanField(default=True),
        follow=serializers.BooleanField(default=True),
    ),
    kind(
        edits.MoveClip,
        clip=Identity(),
        before=Identity(allow_null=True, required=False),
        follow=serializers.BooleanField(default=True),
    ),
    kind(
        edits.FillClip,
        clip=Identity(),
        shown=ShownSerializer(),
        first=serializers.IntegerField(min_value=0, default=0),
    ),
    kind(
        edits.SetClip,
        clip=Identity(),
        name=serializers.CharField(allow_blank=True, required=False, max_length=400),
        colour=serializers.ChoiceField(COLOURS, required=False),
        bed=serializers.ChoiceField(BED_MODES, required=False),
        level=serializers.FloatField(required=False),
    ),
    kind(
        edits.LaySound,
        source=Identity(),
        at=serializers.IntegerField(min_value=0),
        original=serializers.BooleanField(default=False),
    ),
    kind(
        edits.SetSound,
        sound=Identity(),
        span=SpanField(required=False),
        channel=serializers.ChoiceField(CHANNELS, required=False),
        level=serializers.FloatField(required=False),
        bed=serializers.ChoiceField(BED_MODES, required=False),
        original=serializers.BooleanField(required=False),
    ),
    kind(edits.LinesFromNotes, source=Identity(), fit=serializers.BooleanField(default=True)),
    kind(edits.DropSound, sound=Identity()),
]
