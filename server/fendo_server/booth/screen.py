"""What a second screen shows: the words that are read on another one, and whether they are recorded.

It is known in this process only, for as long as a Booth tells it: after a restart it is told anew within seconds.
"""

import threading
import time
from collections import OrderedDict
from dataclasses import dataclass, field
from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from fendo_server.access import get_owned
from fendo_server.problems import ProblemSerializer
from fendo_server.productions.models import Production

STATES = ["ready", "counting in", "recording", "paused", "going on", "finishing", "saving", "saved", "failed"]
FORGOTTEN = 12.0
"""Seconds after which a Booth that says nothing is taken for closed."""
WATCHED = 4.0
"""Seconds after which nobody looks any more who asks for nothing."""
_KEPT = 200


class BoothSaidSerializer(serializers.Serializer):
    """What a Booth tells: the line in sight, the state of the recording, and the word that is being read."""

    line = serializers.UUIDField(allow_null=True)
    state = serializers.ChoiceField(STATES)
    take = serializers.IntegerField(allow_null=True, min_value=1, max_value=10**9)
    word = serializers.IntegerField(allow_null=True, min_value=0, max_value=10**6)


class WatchedSerializer(serializers.Serializer):
    """Whether a second screen looks."""

    watched = serializers.BooleanField()


class ScreenSerializer(serializers.Serializer):
    """What a second screen shows; `open` when a Booth tells it, `seconds` since the state is as it is."""

    open = serializers.BooleanField()
    line = serializers.UUIDField(allow_null=True)
    state = serializers.ChoiceField(STATES)
    take = serializers.IntegerField(allow_null=True)
    word = serializers.IntegerField(allow_null=True)
    seconds = serializers.FloatField()


@dataclass
class _Screen:
    """One production's; moments by the clock of this process."""

    said: dict[str, Any] = field(default_factory=lambda: {"line": None, "state": "ready", "take": None, "word": None})
    since: float = field(default_factory=time.monotonic)
    told: float = float("-inf")
    asked: float = float("-inf")


_screens: OrderedDict[UUID, _Screen] = OrderedDict()
_lock = threading.Lock()


def _of(production: UUID) -> _Screen:
    screen = _screens.setdefault(production, _Screen())
    _screens.move_to_end(production)
    while len(_screens) > _KEPT:
        _screens.popitem(last=False)
    return screen


@extend_schema(
    methods=["POST"],
    operation_id="tell_screen",
    request=BoothSaidSerializer,
    responses={200: WatchedSerializer, 404: ProblemSerializer},
)
@extend_schema(methods=["GET"], operation_id="screen", responses={200: ScreenSerializer, 404: ProblemSerializer})
@api_view(["GET", "POST"])
def screen(request: Request, production_id: UUID) -> Response:
    """What the Booth of a production shows, for a second screen. The Booth tells it, and hears whether anybody looks."""
    get_owned(Production, request.user, production_id)
    now = time.monotonic()
    if request.method == "GET":
        with _lock:
            known = _of(production_id)
            known.asked = now
            told = {"open": now - known.told < FORGOTTEN, "seconds": round(now - known.since, 2), **known.said}
        return Response(told)
    asked = BoothSaidSerializer(data=request.data)
    asked.is_valid(raise_exception=True)
    said = dict(asked.validated_data)
    with _lock:
        known = _of(production_id)
        if now - known.told >= FORGOTTEN or any(known.said[name] != said[name] for name in ("state", "take")):
            known.since = now
        known.said, known.told = said, now
        watched = now - known.asked < WATCHED
    return Response({"watched": watched})
