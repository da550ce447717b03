"""The room check: a few seconds in which nobody speaks, kept as room tone, and what they tell."""

import os
import uuid
from dataclasses import asdict
from typing import Any
from uuid import UUID

import soundfile
from django.conf import settings
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view, parser_classes
from rest_framework.request import Request
from rest_framework.response import Response

from fendo_core.audio import pcm
from fendo_core.audio.room import Room, advice, listen
from fendo_core.timebase import SAMPLE_RATE
from fendo_server.access import get_owned
from fendo_server.bodies import bytes_parser
from fendo_server.booth import capture
from fendo_server.problems import Problem, ProblemSerializer
from fendo_server.productions.models import Production

LONGEST = 7 * SAMPLE_RATE
FOLDER = "Room tone"


class AdviceSerializer(serializers.Serializer):
    """What was found, and what to try."""

    found = serializers.CharField()
    remedy = serializers.CharField()
    grave = serializers.BooleanField()


class RoomCheckSerializer(serializers.Serializer):
    """The newest room check of a production; levels in dBFS."""

    noise = serializers.FloatField()
    weighted = serializers.FloatField(help_text="by the A curve")
    mains = serializers.IntegerField(help_text="Hz of the hum; 0: none")
    hum = serializers.FloatField()
    rumble = serializers.FloatField()
    hiss = serializers.FloatField()
    clicks = serializers.IntegerField()
    input = serializers.CharField(allow_blank=True)
    made = serializers.DateTimeField()
    file = serializers.CharField(help_text="in the production's folder")
    advice = AdviceSerializer(many=True)


class KnownRoomSerializer(serializers.Serializer):
    """What is known of the room; null: it was never listened to."""

    room = RoomCheckSerializer(allow_null=True)


def _row(production: Production) -> dict[str, Any]:
    checks = list(production.room_checks.all()[:2])
    if not checks:
        return {"room": None}
    now, *earlier = (Room(**check.room) for check in checks)
    told = asdict(now) | {"input": checks[0].input, "made": checks[0].made, "file": f"{FOLDER}/{checks[0].file_name}"}
    return {"room": told | {"advice": advice(now, earlier[0] if earlier else None)}}


@extend_schema(methods=["GET"], operation_id="known_room", responses={200: KnownRoomSerializer})
@extend_schema(
    methods=["POST"],
    operation_id="check_room",
    request={"application/octet-stream": OpenApiTypes.BINARY},
    parameters=[OpenApiParameter("input", str, description="the name of the microphone")],
    responses={200: KnownRoomSerializer, 422: ProblemSerializer},
)
@api_view(["GET", "POST"])
@parser_classes([bytes_parser(capture.LARGEST_PIECE)])
def room_check(request: Request, production_id: UUID) -> Response:
    """What is known of the room; or listen to some seconds of it (packed s24le), and keep them."""
    production = get_owned(Production, request.user, production_id)
    if request.method == "GET":
        return Response(KnownRoomSerializer(_row(production)).data)
    sound = request.data
    if not isinstance(sound, bytes) or len(sound) % pcm.BYTES_A_SAMPLE:
        raise Problem(422, "Not understood", "A recording of the room must be whole 24-bit samples.")
    samples = pcm.to_integers(sound)
    if len(samples) > LONGEST:
        raise Problem(422, "Too long", f"A room is listened to for {LONGEST // SAMPLE_RATE} s at most.")
    try:
        found = listen(pcm.to_floats(samples))
    except ValueError as error:
        raise Problem(422, "Too short", f"Nothing was kept: {error}.") from error
    folder = settings.MEDIA / production.directory / FOLDER
    folder.mkdir(parents=True, exist_ok=True)
    name = f"{timezone.localtime():%Y-%m-%d %H%M%S} {uuid.uuid4().hex[:4]}.flac"
    making = folder / f".{name}.part"
    try:
        soundfile.write(making, samples << 8, SAMPLE_RATE, format="FLAC", subtype="PCM_24")
        os.replace(making, folder / name)
    finally:
        making.unlink(missing_ok=True)
    label = request.query_params.get("input", "")[:200].replace("\x00", "")
    production.room_checks.create(input=label, room=asdict(found), file_name=name)
    return Response(KnownRoomSerializer(_row(production)).data)
