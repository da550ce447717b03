"""Readings that were recorded elsewhere: a sound file becomes a take of a line, by a job."""

from pathlib import Path
from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from fendo_core.audio import pcm
from fendo_core.booth.elsewhere import lies_at, line_named, voice_of
from fendo_core.picture.codec import CodecFailed
from fendo_core.picture.film import FilmRefused, inspect
from fendo_core.production import edits
from fendo_core.timebase import SAMPLE_RATE
from fendo_server.access import get_owned
from fendo_server.booth import capture
from fendo_server.picture import arriving
from fendo_server.picture.models import Arrival
from fendo_server.problems import Problem, ProblemSerializer
from fendo_server.productions import changes, state
from fendo_server.script.models import Line
from fendo_server.takes.models import Take
from fendo_server.voice.models import Recording
from fendo_server.work import running
from fendo_server.work.api import JobSerializer

KIND = "bring in a reading"
PIECE = 9 * SAMPLE_RATE


class ReadingFileSerializer(serializers.Serializer):
    """Whose reading a file is."""

    line = serializers.UUIDField(help_text="the line that it is of")
    by_name = serializers.BooleanField(
        default=False, help_text="the number in the file's name says the line, as where several files come at once"
    )


@extend_schema(
    operation_id="bring_in_reading",
    request=ReadingFileSerializer,
    responses={201: JobSerializer, 409: ProblemSerializer, 422: ProblemSerializer},
)
@api_view(["POST"])
def bring_in(request: Request, arrival_id: UUID) -> Response:
    """A sound file that has arrived becomes a take of a line."""
    arrival = get_owned(Arrival, request.user, arrival_id, "production")
    asked = ReadingFileSerializer(data=request.data)
    asked.is_valid(raise_exception=True)
    line = get_owned(Line, request.user, asked.validated_data["line"], "production")
    if line.production_id != arrival.production_id or line.dropped:
        raise Problem(422, "Not possible", "This line is no longer in the script. Nothing was changed.")
    arriving.check_whole(arrival)
    if asked.validated_data["by_name"]:
        line = _named(arrival, line)
    job = running.start(arrival.production, KIND, arrival=str(arrival.pk), line=str(line.pk), name=arrival.name)
    return Response(JobSerializer(job).data, status=201)


def _named(arrival: Arrival, line: Line) -> Line:
    lines = {one.number: one for one in line.production.lines.filter(dropped=False)}
    number = line_named(arrival.name, lines)
    if number is None:
        arriving.forget(arrival)
        raise Problem(
            422,
            "Not brought in",
            f"“{arrival.name}” has no line’s number in its name, so it is not known which line it is. "
            "Choose its line and bring it in alone.",
        )
    return lines[number]


@running.handles(KIND)
def bring_in_reading(progress: running.Progress) -> dict[str, Any]:
    """Make a take of a sound file."""
    job = progress.job
    arrival = Arrival.objects.select_related("production").filter(pk=job.arguments["arrival"]).first()
    line = Line.objects.filter(pk=job.arguments["line"]).first()
    if arrival is None or line is None or not arrival.path.exists():
        raise running.JobFailed("The file is no longer there. Bring it in again.")
    _forget_attempt(job.arguments.get("take"))
    voice = arrival.path.with_name(f"{arrival.pk}.voice")
    try:
        film = inspect(arrival.path)
        if not film.has_sound:
            raise FilmRefused("There is no sound in this file, so nothing was brought in.")
        total, channel = voice_of(arrival.path, film, voice, progress.part(0.0, 0.6, "reading the file"))
        if not total:
            raise FilmRefused("There is no sound in this file, so nothing was brought in.")
        take, timed = _take(progress, line, voice, total, film.time_reference)
    except (FilmRefused, Problem) as error:
        arriving.forget(arrival)
        raise running.JobFailed(str(error.detail if isinstance(error, Problem) else error)) from error
    except CodecFailed as error:
        arriving.forget(arrival)
        raise running.JobFailed(
            "This file can’t be read to its end: it is damaged or not complete. Nothing was changed; export it again."
        ) from error
    finally:
        voice.unlink(missing_ok=True)
    arriving.forget(arrival)
    line.production.touch()
    return {
        "line": str(line.pk),
        "take": str(take.pk),
        "number": take.number,
        "timed": timed,
        "channel": channel if film.channels > 1 else 0,
    }


def _forget_attempt(take_id: str | None) -> None:
    """What an attempt that was killed has left."""
    for take in Take.objects.filter(pk=take_id).select_related(*capture.WITH) if take_id else ():
        if take.recording.state != Recording.State.FINISHED:
            capture.forget(take)


def _take(progress: running.Progress, line: Line, voice: Path, total: int, reference: int | None) -> tuple[Take, bool]:
    """The finished take, and whether it lies where its file says; else its first word begins the slot."""
    job, production = progress.job, line.production
    present = state.load(production, spoken=False)
    programme = max(present.length, *(each.slot.end for each in present.lines if each.slot), 0)
    at = lies_at(reference, present.rate.first_sample(production.start_frame), total, programme)
    sent = job.arguments.get("outside")
    if at is None and sent:
        at = sent["at"]
    take = capture.begin(line, f"the file {job.arguments['name']}")
    job.arguments["take"] = str(take.pk)
    job.save(update_fields=["arguments"])
    try:
        tell = progress.part(0.6, 0.8, "copying the voice")
        with voice.open("rb") as file:
            for first in range(0, total, PIECE):
                capture.append(take, first, file.read(PIECE * pcm.BYTES_A_SAMPLE))
                tell(first / total)
        take = Take.objects.select_related(*capture.WITH).get(pk=take.pk)
        start = capture.expected_start(take) if at is None else at
        clock = {"capture": [[0, 0]], "transport": [[0, start]], "source": "file"}
        take = capture.finish(take, total, [clock], cut_off=False)
    except BaseException:
        _forget_attempt(str(take.pk))
        raise
    if take.peak is None:
        capture.measure(take, progress.part(0.8, 1.0, "measuring the take"))
        take.save(update_fields=capture.MEASURED)
    if at is None and line.slot_start is not None and take.speech_start is not None:
        take.place = line.slot_start - take.speech_start
        take.save(update_fields=["place"])
    if sent:
        _stand_for(take, sent)
    return take, at is not None


def _stand_for(take: Take, sent: dict[str, Any]) -> None:
    """A reading that was edited outside says so, and is picked where the one that was sent is."""
    production = take.line.production
    production.refresh_from_db()
    picks = state.load(production, spoken=False).picks
    noted: list[edits.Edit] = [edits.NoteTake(str(take.pk), note=f"{sent['name']}, edited outside")]
    picked = [edits.Pick(str(take.line_id), str(take.pk))] if picks.get(str(take.line_id)) == sent["voice"] else []
    for edit in (*noted, *picked):
        changes.perform(production, production.owner, production.revision, edit)
        production.refresh_from_db()
