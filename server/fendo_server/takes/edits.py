"""The edits of Takes on the wire."""

from rest_framework import serializers

from fendo_core.takes import edits
from fendo_core.takes.settled import Settle
from fendo_core.takes.sync_points import LONGEST_NAME, DropSyncPoint, MoveSyncPoint, PutWord, SetSyncPoint
from fendo_server.wire import DAY, Identity, kind

EDITS = [
    kind(edits.Pick, line=Identity(), voice=Identity(allow_null=True)),
    kind(
        edits.PickProvisional,
        only=serializers.ListField(child=Identity(), required=False, allow_null=True),
    ),
    kind(edits.MoveVoice, voice=Identity(), by=serializers.IntegerField(min_value=-DAY, max_value=DAY)),
    kind(
        edits.PlaceVoice,
        voice=Identity(),
        timecode=serializers.CharField(max_length=20, required=False, allow_null=True),
    ),
    kind(
        edits.MoveSeam,
        comp=Identity(),
        seam=serializers.IntegerField(min_value=0, max_value=10_000),
        to=serializers.IntegerField(min_value=0, max_value=DAY),
    ),
    kind(
        Settle,
        only=serializers.ListField(child=Identity(), min_length=1),
        settled=serializers.BooleanField(default=True),
    ),
    kind(
        edits.MoveEnd,
        voice=Identity(),
        end=serializers.ChoiceField(["first", "last"]),
        at=serializers.IntegerField(min_value=-DAY, max_value=DAY, help_text="programme sample"),
    ),
    kind(edits.TakeApart, comp=Identity()),
    kind(
        edits.NoteTake,
        take=Identity(),
        mark=serializers.ChoiceField(edits.MARKS, required=False, allow_null=True, allow_blank=True),
        note=serializers.CharField(required=False, allow_null=True, allow_blank=True, max_length=5_000),
    ),
    kind(edits.SetAside, take=Identity(), aside=serializers.BooleanField()),
    kind(
        SetSyncPoint,
        at=serializers.IntegerField(min_value=0, max_value=DAY),
        called=serializers.CharField(allow_blank=True, max_length=LONGEST_NAME, default=""),
    ),
    kind(
        MoveSyncPoint,
        at=serializers.IntegerField(min_value=0, max_value=DAY),
        to=serializers.IntegerField(min_value=0, max_value=DAY),
    ),
    kind(DropSyncPoint, at=serializers.IntegerField(min_value=0, max_value=DAY)),
    kind(
        PutWord,
        voice=Identity(),
        said=serializers.IntegerField(min_value=-DAY, max_value=DAY),
        to=serializers.IntegerField(min_value=-DAY, max_value=DAY, required=False, allow_null=True),
    ),
]
