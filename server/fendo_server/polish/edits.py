"""The edits of Polish on the wire."""

from rest_framework import serializers

from fendo_core.polish import edits
from fendo_server.polish.serializers import ChainSerializer, WantedSerializer
from fendo_server.wire import DAY, Identity, SpanField, kind

EDITS = [
    kind(edits.Mend, places=WantedSerializer(many=True), on=serializers.BooleanField(default=True)),
    kind(edits.DropRepairs, repairs=serializers.ListField(child=Identity(), min_length=1)),
    kind(
        edits.CloseGap,
        line=Identity(),
        voice=Identity(),
        gap=SpanField(),
        keep=serializers.IntegerField(min_value=0, max_value=DAY),
        close_up=serializers.BooleanField(default=True),
    ),
    kind(
        edits.SetTreatment,
        scope=serializers.CharField(max_length=60),
        chain=ChainSerializer(allow_null=True),
    ),
]
