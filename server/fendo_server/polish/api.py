"""Polish over HTTP: what is suspicious, what was mended, how lines are treated, and how a place sounds."""

from typing import Any
from uuid import UUID

from django.db import transaction
from django.http import Http404, HttpResponse, HttpResponseBase
from django.views.decorators.gzip import gzip_page
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from fendo_core.audio import pcm
from fendo_core.polish.edits import checked
from fendo_core.polish.joined import seam_at
from fendo_core.polish.places import MARKED, all_known, as_shown, can_be_mended, marked, open_places, said, treatments
from fendo_core.polish.scan import Place
from fendo_core.takes.standing import sounding
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.voice import Place as Map
from fendo_core.voice.chain import MOVABLE, PRODUCTION, STAGE_KINDS, STAGES, STARTS, StageKind
from fendo_core.voice.repair import REPAIR_KINDS, Repair
from fendo_server.access import get_owned
from fendo_server.polish import jobs
from fendo_server.polish.scans import scans
from fendo_server.polish.serializers import ChainSerializer
from fendo_server.polish.treating_api import KeptTreatmentSerializer, kept_rows
from fendo_server.problems import Problem, ProblemSerializer
from fendo_server.productions import state
from fendo_server.productions.models import Production
from fendo_server.script.models import Line
from fendo_server.voice.models import Recording
from fendo_server.voice.polish import Polish
from fendo_server.voice.sounding import wav_of
from fendo_server.wire import DAY, SpanField
from fendo_server.work import running
from fendo_server.work.api import JobSerializer

LONGEST_STRETCH = 20 * SAMPLE_RATE


class ScopeSerializer(serializers.Serializer):
    """How a scope is treated."""

    scope = serializers.CharField()
    chain = ChainSerializer()


class PlaceSerializer(serializers.Serializer):
    """A suspicious place that nobody has settled yet."""

    id = serializers.CharField()
    line = serializers.CharField()
    voice = serializers.CharField(help_text="the take or comp that it sounds in")
    recording = serializers.CharField()
    kind = serializers.ChoiceField(REPAIR_KINDS)
    source = SpanField(help_text="samples of the recording")  # type: ignore[assignment]
    span = SpanField(help_text="programme samples; of a seam, what lies around it")
    at = serializers.IntegerField(help_text="programme sample that it is about")
    sure = serializers.FloatField(help_text="0..1")
    decibel = serializers.FloatField(help_text="by which it is lifted, or lowered")
    keep = serializers.IntegerField(help_text="samples of a gap that stay")
    mains = serializers.FloatField(help_text="Hz of a hum; 0: none")
    text = serializers.CharField()
    mend = serializers.CharField()
    mends = serializers.BooleanField(help_text="it can be mended; else it is best read again")
    treatments = ScopeSerializer(many=True, help_text="where a treatment mends it: that of the line, then of all lines")


class RepairSerializer(serializers.Serializer):
    """Something mended, or left as it is."""

    id = serializers.CharField()
    line = serializers.CharField()
    recording = serializers.CharField()
    kind = serializers.ChoiceField(REPAIR_KINDS)
    source = SpanField()  # type: ignore[assignment]
    span = SpanField()
    decibel = serializers.FloatField()
    on = serializers.BooleanField()


class SettingSerializer(serializers.Serializer):
    """A number of a stage."""

    name = serializers.CharField()
    low = serializers.FloatField()
    high = serializers.FloatField()
    unit = serializers.CharField()


class StageKindSerializer(serializers.Serializer):
    """A stage, in words."""

    kind = serializers.ChoiceField(STAGE_KINDS)
    name = serializers.CharField()
    help = serializers.CharField()
    settings = SettingSerializer(many=True)
    movable = serializers.SerializerMethodField(help_text="it may stand in another order among those that are")

    def get_movable(self, one: StageKind) -> bool:
        """Whether it can be moved."""
        return one.kind in MOVABLE


class PolishSerializer(serializers.Serializer):
    """The room: places in the order of the programme, mends, treatments."""

    places = PlaceSerializer(many=True)
    repairs = RepairSerializer(many=True)
    unscanned = serializers.IntegerField(help_text="lines that were read and not scanned")
    stages = StageKindSerializer(many=True)
    starts = ChainSerializer(many=True)
    kept = KeptTreatmentSerializer(many=True)
    treatments = ScopeSerializer(many=True)


@gzip_page
@extend_schema(operation_id="polish", responses={200: PolishSerializer})
@api_view(["GET"])
def room(request: Request, production_id: UUID) -> Response:
    """What is open, what was mended, and how lines are treated."""
    production = get_owned(Production, request.user, production_id)
    present, known = state.load(production, spoken=False), scans(production)
    settled: dict[str, list[Repair]] = {}
    for one in present.repairs.values():
        settled.setdefault(one.recording, []).append(one)
    places, repairs, unscanned = list[dict[str, Any]](), list[dict[str, Any]](), 0
    polish, begins = Polish(production, present), dict[str, tuple[int, int]]()
    for number, (line, (voice, comp)) in enumerate(sounding(present).items()):
        # Lines read wild all begin where the programme does: one after another all the same.
        begins[line] = (comp.at, number)
        unscanned += not all_known(comp, known)
        chain = polish.chain(comp, line)
        for name in sorted(comp.recordings):
            for place, span in open_places(comp, name, known.get(name, ()), settled.get(name, ()), chain):
                joined = seam_at(comp, name, place) if place.kind == "seam" else None
                shown, at = as_shown(comp, name, place, span, LONGEST_STRETCH)
                scopes = treatments(line, place, chain, present.chains.get(PRODUCTION))
                mends = [{"scope": scope, "chain": checked(one).as_row()} for scope, one in scopes]
                places.append(
                    _place(line, voice, name, shown, at)
                    | {"at": span.start if joined is None else joined, "treatments": mends}
                )
            for one in settled.get(name, ()):
                for at in Map(comp).spans_in_programme(name, [one.span])[:1]:
                    repairs.append(_repair(line, one, at))
    body = {
        "places": sorted(places, key=lambda each: (*begins[each["line"]], each["at"])),
        "repairs": sorted(repairs, key=lambda each: (*begins[each["line"]], each["span"])),
        "unscanned": unscanned,
        "stages": StageKindSerializer(STAGES, many=True).data,
        "starts": [chain.as_row() for chain in STARTS],
        "kept": kept_rows(request.user),
        "treatments": [
            {"scope": scope, "chain": checked(chain).as_row()} for scope, chain in sorted(present.chains.items())
        ],
    }
    # `PolishSerializer` would make the same of it in as long as all of the rest takes: there may be thousands of places.
    return Response(body)


def _place(line: str, voice: str, recording: str, place: Place, span: Span) -> dict[str, object]:
    text, mend = said(place)
    return {
        "id": f"{line}:{recording}:{place.kind}:{place.span.start}",
        "line": line,
        "voice": voice,
        "recording": recording,
        "kind": place.kind,
        "source": [place.span.start, place.span.end],
        "span": [span.start, span.end],
        "at": span.start,
        "sure": place.sure,
        "decibel": place.settings.get("decibel", 0.0),
        "keep": int(place.settings.get("keep", 0)),
        "mains": place.settings.get("mains", 0.0),
        "text": text,
        "mend": mend,
        "mends": can_be_mended(place),
        "treatments": [],
    }


def _repair(line: str, one: Repair, at: Span) -> dict[str, object]:
    return {
        "id": one.id,
        "line": line,
        "recording": one.recording,
        "kind": one.kind,
        "source": [one.span.start, one.span.end],
        "span": [at.start, at.end],
        "decibel": one.settings.get("decibel", 0.0),
        "on": one.on,
    }


class MarkQuery(serializers.Serializer):
    """A stretch that somebody has marked in what sounds for a line."""

    first = serializers.IntegerField(min_value=-DAY, max_value=DAY, help_text="programme sample")
    last = serializers.IntegerField(min_value=-DAY, max_value=DAY)
    kind = serializers.ChoiceField(MARKED)

    def validate(self, attrs: dict[str, Any]) -> dict[str, Any]:
        if attrs["last"] <= attrs["first"]:
            raise serializers.ValidationError("A place ends after it begins.")
        return attrs


@extend_schema(operation_id="mark_place", parameters=[MarkQuery], responses={200: PlaceSerializer, 422: ProblemSerializer})
@api_view(["GET"])
def mark(request: Request, line_id: UUID) -> Response:
    """A place that was marked by hand, as if a scan had found it; nothing is changed by asking."""
    line = get_owned(Line, request.user, line_id, "production")
    asked = MarkQuery(data=request.query_params)
    asked.is_valid(raise_exception=True)
    values = asked.validated_data
    one = sounding(state.load(line.production, spoken=False)).get(str(line.pk))
    if one is None:
        raise Problem(422, "Not read yet", "Nobody has read this line yet, so nothing can be marked in it.")
    span = Span(values["first"], values["last"])
    recording, place = marked(one[1], span, values["kind"])
    return Response(PlaceSerializer(_place(str(line.pk), one[0], recording, place, span)).data)


class SeamQuery(serializers.Serializer):
    """A seam of what sounds: what lies around it, and by how much a stretch of a recording is lifted or lowered."""

    first = serializers.IntegerField(min_value=-DAY, max_value=DAY, help_text="programme sample")
    last = serializers.IntegerField(min_value=-DAY, max_value=DAY)
    recording = serializers.UUIDField()
    source_first = serializers.IntegerField(min_value=0, max_value=DAY)
    source_last = serializers.IntegerField(min_value=0, max_value=DAY)
    decibel = serializers.FloatField(default=0.0, min_value=-40.0, max_value=20.0)


@extend_schema(
    operation_id="seam_stretch",
    parameters=[SeamQuery],
    responses={(200, "audio/wav"): OpenApiTypes.BINARY, 422: ProblemSerializer},
)
@api_view(["GET"])
def seam(request: Request, line_id: UUID) -> HttpResponseBase:
    """What lies around a seam of what sounds for a line, untreated: as it was read, or with one side lifted or lowered."""
    line = get_owned(Line, request.user, line_id, "production")
    asked = SeamQuery(data=request.query_params)
    asked.is_valid(raise_exception=True)
    values = asked.validated_data
    _, comp = sounding(state.load(line.production, spoken=False)).get(str(line.pk), ("", None))
    first, last, source = values["first"], values["last"], (values["source_first"], values["source_last"])
    if comp is None or not comp.at <= first < last <= comp.at + comp.length or source[0] >= source[1]:
        raise Problem(422, "Not possible", "This seam is no longer there. Nothing was changed.")
    if last - first > LONGEST_STRETCH:
        raise Problem(422, "Not possible", "20 s can be heard at once. Nothing was changed.")
    mend = Repair("", str(values["recording"]), "seam", Span(*source), {"decibel": values["decibel"]})
    sound = jobs.around_seam(line.production, comp, Span(first, last), mend)
    return HttpResponse(wav_of(pcm.from_integers(pcm.from_floats(sound))), content_type="audio/wav")


class ScanSerializer(serializers.Serializer):
    """What is to be scanned."""

    again = serializers.BooleanField(default=False, help_text="what was scanned before, too")


@extend_schema(operation_id="scan_voices", request=ScanSerializer, responses={201: JobSerializer})
@api_view(["POST"])
@transaction.atomic
def scan(request: Request, production_id: UUID) -> Response:
    """Begin to scan what sounds for the lines."""
    production = get_owned(Production, request.user, production_id)
    asked = ScanSerializer(data=request.data)
    asked.is_valid(raise_exception=True)
    going = production.jobs.filter(kind=jobs.SCAN, state__in=("waiting", "running")).first()
    job = going or running.start(production, jobs.SCAN, again=asked.validated_data["again"])
    return Response(JobSerializer(job).data, status=201)


class AuditionQuery(serializers.Serializer):
    """A stretch of a recording, as it was read or with a mend."""

    first = serializers.IntegerField(min_value=0)
    last = serializers.IntegerField(min_value=1)
    mend = serializers.ChoiceField(REPAIR_KINDS, required=False, help_text="not said: as it was read")
    decibel = serializers.FloatField(default=0.0, min_value=-40.0, max_value=20.0)
    keep = serializers.IntegerField(default=0, min_value=0)
    mains = serializers.FloatField(default=50.0, min_value=45.0, max_value=65.0)


@extend_schema(
    operation_id="recording_stretch",
    parameters=[AuditionQuery],
    responses={(200, "audio/wav"): OpenApiTypes.BINARY, 422: ProblemSerializer},
)
@api_view(["GET"])
def stretch(request: Request, recording_id: UUID) -> HttpResponseBase:
    """A place with half a second around it, as it was read, or as it would be."""
    recording = get_owned(Recording, request.user, recording_id, "production", "folder")
    if recording.state != Recording.State.FINISHED:
        raise Http404
    asked = AuditionQuery(data=request.query_params)
    asked.is_valid(raise_exception=True)
    values = asked.validated_data
    first, last, mend = values["first"], values["last"], values.get("mend")
    if not 0 < last - first <= LONGEST_STRETCH or last > recording.length:
        raise Problem(422, "Not possible", "A place lies inside its recording and is at most 20 s long.")
    settings = {name: float(values[name]) for name in ("decibel", "keep", "mains")}
    place = Place(mend or "gain", Span(first, last), 1.0, settings)
    try:
        sound = jobs.auditioned(recording, place, mended=bool(mend))
    except ValueError as error:
        raise Problem(422, "Not possible", f"This can’t be heard so: {error}.") from error
    return HttpResponse(wav_of(pcm.from_integers(pcm.from_floats(sound))), content_type="audio/wav")
