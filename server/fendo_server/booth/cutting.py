"""One long pass cut into the takes of its lines, by a job."""

from collections import defaultdict
from typing import Any

import numpy as np
from django.db import transaction

from fendo_core.booth.passes import Attempt, Pass, PassLine, comments_of, cut_by_pauses, cut_by_words
from fendo_core.production import edits
from fendo_core.timebase import Span, milliseconds, seconds_text
from fendo_core.words import LISTENS
from fendo_server.booth import capture
from fendo_server.productions import changes, state
from fendo_server.productions.models import Production
from fendo_server.script.models import Line
from fendo_server.takes import listening
from fendo_server.takes.models import Take
from fendo_server.voice.models import Recording
from fendo_server.voice.reading import read_sound
from fendo_server.work import running

KIND = "cut into lines"


@running.handles(KIND)
def cut_into_lines(progress: running.Progress) -> dict[str, Any]:
    """Find the lines that were read in a take, and make takes of them: stretches of the same recording."""
    take = Take.objects.select_related(*capture.WITH).filter(pk=progress.job.arguments["take"]).first()
    if take is None or take.recording.state != Recording.State.FINISHED:
        raise running.JobFailed("This take is not there any more, or is recorded still.")
    if take.peak is None:
        # Just read, and waiting to be measured: that is done here, and a second time by its own job.
        capture.measure(take, progress.part(0.0, 0.05, "measuring the pass"))
        take.save(update_fields=capture.MEASURED)
    production = progress.job.production
    if not take.line.text:
        return _comment(progress, production, take)
    lines = _lines(production, take)
    progress(0.05, "listening for the lines")
    found = _found(production, take, lines)
    if not any(one.line != str(take.line_id) for one in found.attempts) and len(found.attempts) < 2:
        raise running.JobFailed("Only its own line was found in this take, so there is nothing to cut. It is as it was.")
    made = []
    tell = progress.part(0.6, 0.95, "measuring the takes")
    for count, one in enumerate(found.attempts):
        line = Line.objects.get(pk=one.line)
        new = _measured(take, line, one.span)
        if line.slot_start is not None and new.speech_start is not None:
            new.place = line.slot_start - new.speech_start
        made.append(new)
        tell((count + 1) / len(found.attempts))
    loose = _loose(take, found)
    progress.still_wanted()
    with transaction.atomic():
        _number(production, [*made, *loose])
        Take.objects.bulk_create([*made, *loose])
        production.refresh_from_db()
        whole = {one.line for one in found.attempts if one.whole}
        wanted = [(str(new.pk), one.whole or one.line not in whole) for new, one in zip(made, found.attempts, strict=True)]
        used = edits.UsePass(str(take.pk), tuple(key for key, good in wanted if good))
        changes.perform(production, production.owner, production.revision, used)
    for new in [*made, *loose]:
        listening.ask(new)
    told = [f"{seconds_text(span.start - take.first)}–{seconds_text(span.end - take.first)} s" for span in found.loose]
    return {"lines": len({one.line for one in found.attempts}), "takes": len(made), "loose": told[:MOST_LOOSE]}


MOST_LOOSE = 20
LOOSE_NOTE = "fits no line of the pass"
_AROUND = milliseconds(200)


def _loose(take: Take, found: Pass) -> list[Take]:
    """What was said and fits no line, as takes that are set aside, of the line that was read before it."""
    made = []
    for span in found.loose[:MOST_LOOSE]:
        before = found.line_before(span.start)
        line = Line.objects.get(pk=before) if before else take.line
        around = Span(max(take.first, span.start - _AROUND), min(take.last, span.end + _AROUND))
        new = _measured(take, line, around)
        new.note = LOOSE_NOTE
        made.append(new)
    return made


def _comment(progress: running.Progress, production: Production, take: Take) -> dict[str, Any]:
    """A take of a line without words: what was spoken becomes lines, each with its stretch of the recording as a take."""
    progress(0.1, "listening for what was said")
    found = comments_of([Span(*pair) for pair in take.phrases if take.first <= pair[0]], take.last)
    if not found:
        raise running.JobFailed("Nobody is heard in this take, so no lines were made. It is as it was.")
    at = take.placed
    tell = progress.part(0.2, 0.9, "measuring the takes")
    made = []
    for count, one in enumerate(found):
        made.append(_measured(take, take.line, one.span))
        tell((count + 1) / len(found))
    progress.still_wanted()
    with transaction.atomic():
        production.refresh_from_db()
        slots = tuple(one.slot.shifted(at) for one in found)
        changes.perform(production, production.owner, production.revision, edits.LinesOfComment(str(take.line_id), slots))
        order = list(production.lines.filter(dropped=False).order_by("position"))
        first = next(n for n, line in enumerate(order) if line.pk == take.line_id)
        for new, line in zip(made, order[first : first + len(made)], strict=True):
            new.line, new.place = line, take.place
        _number(production, made)
        Take.objects.bulk_create(made)
        production.refresh_from_db()
        used = edits.UsePass(str(take.pk), tuple(str(new.pk) for new in made))
        changes.perform(production, production.owner, production.revision, used)
    return {"lines": len(made), "takes": len(made), "loose": []}


def _lines(production: Production, take: Take) -> list[PassLine]:
    """The lines from the take's own on that its reader reads."""
    present = state.load(production)
    own = next((n for n, line in enumerate(present.lines) if line.id == str(take.line_id)), 0)
    reader = str(take.recording.reader_id)
    return [
        PassLine(line.id, line.text, present.need(line))
        for line in present.lines[own:]
        if line.text and not line.dropped and present.reader_of(line) == reader
    ]


def _found(production: Production, take: Take, lines: list[PassLine]) -> Pass:
    """What was read in the take, in samples of the recording."""
    phrases = [Span(*pair).shifted(-take.first) for pair in take.phrases]
    length, path = take.last - take.first, take.recording.path

    def read(start: int, end: int) -> np.ndarray:
        return read_sound(path, take.first + start, take.first + end)

    found = (
        cut_by_words(lines, read, phrases, length)
        if production.language in LISTENS
        else cut_by_pauses(lines, phrases, length)
    )
    attempts = tuple(Attempt(one.line, one.span.shifted(take.first), one.whole) for one in found.attempts)
    return Pass(attempts, tuple(span.shifted(take.first) for span in found.loose))


def _measured(take: Take, line: Line, span: Span) -> Take:
    """A stretch of a take's recording as a take of its own, measured; set aside until it is used."""
    made = Take(line=line, recording=take.recording, first=span.start, last=span.end, number=0, words=line.text)
    made.aside = True
    capture.measure(made)
    return made


def _number(production: Production, made: list[Take]) -> None:
    """Numbers that no take of their lines has."""
    ids = {new.line_id for new in made}
    # Locked, so that no take that begins now gets the same one.
    list(Line.objects.select_for_update().filter(pk__in=ids).values_list("pk"))
    last = defaultdict[Any, int](int)
    for line, number in Take.objects.filter(line__in=ids).values_list("line_id", "number"):
        last[line] = max(last[line], number)
    for new in made:
        last[new.line_id] += 1
        new.number = last[new.line_id]
