"""A take as the interface sees it: stored measures, and the core's judgement against the line's slot now."""

from collections.abc import Mapping
from typing import Any

from django.db.models import QuerySet
from django.db.models.fields.json import KT

from fendo_core.takes.measures import heard, judge
from fendo_core.timebase import Span
from fendo_server.takes.models import Take

TAKE_FIELDS = (
    "id", "line_id", "number", "file_name", "folder_id", "reader_id", "state", "aside", "cut_off", "start", "moved",
    "length", "speech_start", "speech_end", "peak", "true_peak", "loudness", "noise", "clipped",
    "within", "doubts", "cue",
)  # fmt: skip
"""What is read of a take to describe it."""


def describe(take: Any, slot: Span | None, folder: str, reader: str) -> dict[str, Any]:
    """One take (a model, or a row of `TAKE_FIELDS` and `source`), judged against its line's slot as it is now."""
    finished = take.state == Take.State.FINISHED
    spoken = Span(take.speech_start, take.speech_end) if take.speech_start is not None else None
    start = take.start + take.moved
    sounds = heard(spoken, start, take.length) if finished else None
    measured = take.peak is not None
    said = None
    if finished:
        said = judge(
            spoken,
            start,
            slot,
            len(take.clipped),
            take.cut_off,
            take.doubts,
            measured,
            None if take.cue is None else take.cue + take.moved,
        )
    return {
        "id": str(take.id),
        "line": str(take.line_id),
        "number": take.number,
        "file": take.file_name,
        "folder": folder,
        "reader": reader,
        "state": take.state,
        "aside": take.aside,
        "start": start,
        "length": take.length,
        "speech": [spoken.start, spoken.end] if spoken else None,
        "heard": [sounds.start, sounds.end] if sounds else None,
        "peak": take.peak,
        "true_peak": take.true_peak,
        "loudness": take.loudness,
        "noise": take.noise,
        "clipped": take.clipped,
        "late": said.late if said else None,
        "past_end": said.past_end if said else None,
        "faults": list(said.faults) if said else [],
        "remarks": list(said.remarks) if said else [],
        "measured": measured,
        "latency_source": take.source or "",
        "within": take.within,
    }


def take_rows(production: Any, takes: QuerySet[Take], slots: Mapping[str, Span | None]) -> list[dict[str, Any]]:
    """Some takes of the production, whole, in order of their numbers; `slots` by their lines' identities."""
    folders = dict(production.folders.values_list("id", "path"))
    readers = dict(production.readers.values_list("id", "name"))
    # Plain rows: there may be a thousand, and models would cost more than all the rest.
    found = takes.order_by("number").annotate(source=KT("clock__source")).values_list(*TAKE_FIELDS, "source", named=True)
    return [describe(t, slots.get(str(t.line_id)), folders[t.folder_id], readers[t.reader_id]) for t in found]
