"""The lines of a production beside one another: what stands for each, by level, pitch, tone and pace."""

import logging
from collections.abc import Iterable, Mapping
from typing import NamedTuple
from uuid import UUID

import numpy as np
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from fendo_core.production.state import State, TakeRef
from fendo_core.script.pace import expected_length
from fendo_core.takes.character import FEATURES, Sounded, by_day, character_of, differences, outstanding, said
from fendo_core.takes.standing import first_suggestions, leading_take
from fendo_core.timebase import SAMPLE_RATE
from fendo_server.access import get_owned
from fendo_server.productions import state
from fendo_server.productions.models import Production
from fendo_server.takes.models import Take
from fendo_server.voice.models import Recording
from fendo_server.voice.reading import read_sound

log = logging.getLogger("fendo")

LONGEST = 60 * SAMPLE_RATE
"""Of a longer take its beginning says what the voice is like."""
AT_ONCE = 40


class ComparedFeatureSerializer(serializers.Serializer):
    """What lines are compared by, and from which difference on it is heard."""

    name = serializers.CharField()
    unit = serializers.CharField()
    least = serializers.FloatField()


class ComparedLineSerializer(serializers.Serializer):
    """A line by what stands for it."""

    line = serializers.CharField()
    by = serializers.ListField(
        child=serializers.FloatField(allow_null=True),
        help_text="feature by feature, how far it is from the lines around it",
    )
    out = serializers.ListField(child=serializers.BooleanField(), help_text="feature by feature, whether it stands out")
    unlike = serializers.ListField(child=serializers.CharField(), help_text="what stands out, in words")


class ComparedDaySerializer(serializers.Serializer):
    """The lines that a reader read on one day, beside those of the other days."""

    reader = serializers.CharField(help_text="name; empty: nobody's")
    day = serializers.CharField(help_text="2026-11-29")
    lines = serializers.IntegerField()
    unlike = serializers.ListField(child=serializers.CharField())


class ComparedSerializer(serializers.Serializer):
    """The lines that were read, in order, and how often the pick is the take that is suggested first."""

    days = ComparedDaySerializer(many=True, help_text="empty where everybody read on one day")
    features = ComparedFeatureSerializer(many=True)
    lines = ComparedLineSerializer(many=True)
    first_picked = serializers.IntegerField()
    first_of = serializers.IntegerField(help_text="lines with a pick and two takes or more")


@extend_schema(operation_id="compared_lines", responses={200: ComparedSerializer})
@api_view(["GET"])
def compared(request: Request, production_id: UUID) -> Response:
    """How the lines of a production sound beside one another."""
    production = get_owned(Production, request.user, production_id)
    present = state.load(production)
    readings = leading_readings(present)
    sounded = [one.like for one in readings]
    by = differences(sounded)
    out = outstanding(sounded, by)
    first_picked, first_of = first_suggestions(present)
    rows = [
        {
            "line": one.line,
            "by": [None if np.isnan(value) else round(float(value), 2) for value in row],
            "out": (~np.isnan(apart)).tolist(),
            "unlike": list(said(apart)),
        }
        for one, row, apart in zip(readings, by, out, strict=True)
    ]
    features = [{"name": one.name, "unit": one.unit, "least": one.least} for one in FEATURES]
    days = [
        {**day._asdict(), "reader": present.readers.get(day.reader, "")}
        for day in by_day(sounded, [one.day for one in readings])
    ]
    return Response({"features": features, "days": days, "lines": rows, "first_picked": first_picked, "first_of": first_of})


class Leading(NamedTuple):
    """The take that is heard of a line, and what it is like."""

    line: str
    take: TakeRef
    like: Sounded
    day: str


def leading_readings(present: State, paced: bool = True) -> list[Leading]:
    """Those of the lines that were read, in order; `paced`: with their pace, too."""
    chosen = [(line, take) for line in present.lines if (take := leading_take(present, line))]
    known = _known(take.id for _, take in chosen)
    found = []
    for line, take in chosen:
        loudness, character_of, words, day = known.get(take.id, (None, None, "", ""))
        pitch, tone = character_of or (None, None)
        speech = (take.ends or 0) - (take.speaks or 0)
        expected = expected_length(words, present.pace_of(line)) if words and paced else 0
        pace = expected / speech if speech > 0 and expected > 0 else None
        found.append(Leading(line.id, take, Sounded(take.reader, loudness, pitch, tone, pace), day))
    return found


def _known(takes: Iterable[str]) -> Mapping[str, tuple[float | None, list[float] | None, str, str]]:
    rows = Take.objects.filter(pk__in=list(takes)).values_list("id", "loudness", "character", "words", "recording__made")
    return {
        str(key): (loudness, found, words, timezone.localdate(made).isoformat())
        for key, loudness, found, words, made in rows
    }


def fill_missing() -> int:
    """Say what the voice is like in some of those takes of which that is not known: read before it was asked."""
    unknown = Take.objects.select_related("recording__folder", "recording__production").filter(
        character__isnull=True, speech_start__isnull=False, last__gt=0, recording__state=Recording.State.FINISHED
    )
    takes = list(unknown[:AT_ONCE])
    for take in takes:
        found = None
        try:
            found = character_of(read_sound(take.recording.path, take.first, min(take.last, take.first + LONGEST)))
        except Exception:
            # Nothing rests on it but a comparison.
            log.exception("it can't be told what the voice of take %s is like", take.pk)
        Take.objects.filter(pk=take.pk, character__isnull=True).update(character=list(found or ()))
    return len(takes)
