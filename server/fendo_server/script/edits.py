"""The edits of Script on the wire."""

from rest_framework import serializers

from fendo_core.script import edits
from fendo_server.script.serializers import DraftSerializer, wanted_fields
from fendo_server.wire import Identity, SpanField, kind

EDITS = [
    kind(edits.SetWords, line=Identity(), text=serializers.CharField(allow_blank=True, max_length=20_000)),
    kind(
        edits.AddLines,
        text=serializers.CharField(max_length=2_000_000, trim_whitespace=False),
        after=Identity(required=False, allow_null=True),
    ),
    kind(
        edits.NewLine,
        after=Identity(required=False, allow_null=True),
        slot=SpanField(required=False, allow_null=True),
    ),
    kind(
        edits.BringInLines,
        lines=DraftSerializer(many=True),
        after=Identity(required=False, allow_null=True),
    ),
    kind(edits.MoveLine, line=Identity(), before=Identity(required=False, allow_null=True)),
    kind(edits.DropLine, line=Identity()),
    kind(edits.SplitLine, line=Identity(), at=serializers.IntegerField(min_value=0)),
    kind(edits.SplitLong, longest=serializers.IntegerField(max_value=4_000)),
    kind(edits.JoinLines, line=Identity()),
    kind(edits.Renumber),
    kind(
        edits.ReplaceWords,
        **wanted_fields(),
        by=serializers.CharField(allow_blank=True, max_length=2_000, trim_whitespace=False),
        only=serializers.ListField(child=Identity(), required=False, allow_null=True),
    ),
    kind(edits.SetNotes, line=Identity(), notes=serializers.CharField(allow_blank=True, max_length=10_000)),
    kind(edits.SetStress, line=Identity(), stress=serializers.ListField(child=serializers.IntegerField())),
    kind(
        edits.SetReader,
        only=serializers.ListField(child=Identity(), min_length=1),
        reader=Identity(allow_null=True),
    ),
    kind(edits.SetSilences, line=Identity(), silences=serializers.BooleanField()),
    kind(edits.SetWantedLength, line=Identity(), length=serializers.IntegerField(allow_null=True)),
    kind(edits.SetWild, line=Identity(), wild=serializers.BooleanField()),
    kind(
        edits.SetSaying,
        word=serializers.CharField(max_length=200),
        said=serializers.CharField(allow_blank=True, max_length=400),
    ),
    kind(edits.SpreadSlots),
    kind(edits.MendSlots),
    kind(edits.SetSlotStart, line=Identity(), at=serializers.IntegerField()),
    kind(edits.SetSlotEnd, line=Identity(), at=serializers.IntegerField()),
    kind(edits.SetSlot, line=Identity(), slot=SpanField(allow_null=True)),
    kind(edits.LaySlots, unset_only=serializers.BooleanField(default=False)),
]
