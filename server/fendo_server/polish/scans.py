"""What scans have found, as the core knows it."""

from collections.abc import Collection, Iterable
from typing import Any

from fendo_core.polish.places import of_words
from fendo_core.polish.scan import UNLIKE, Place
from fendo_core.timebase import Span
from fendo_core.voice import Comp
from fendo_core.words import ReadCheck
from fendo_server.productions.models import Production
from fendo_server.takes.models import Take
from fendo_server.voice.models import Recording, Scan

SPOKEN = ("false start", "put in")
"""Kinds that the read check finds."""


def scans(production: Production) -> dict[str, list[Place]]:
    """Places by recording, of all that were scanned."""
    rows = Scan.objects.filter(recording__production=production).values_list("recording_id", "places")
    return {str(key): [of_row(row) for row in places] for key, places in rows}


def keep(recording: Recording, places: list[Place]) -> None:
    """Keep what a scan has found, and what the read check has found in the recording's takes."""
    rows = [as_row(place) for place in places if place.kind not in SPOKEN] + _spoken(recording)
    Scan.objects.update_or_create(recording=recording, defaults={"places": sorted(rows, key=lambda row: row[1])})


def keep_unlike(production: Production, places: Iterable[tuple[str, Place]]) -> None:
    """Keep which takes sound unlike the lines around them, by recording; what was kept of that before goes."""
    by_recording: dict[str, list[list[Any]]] = {}
    for recording, place in places:
        by_recording.setdefault(recording, []).append(as_row(place))
    for one in Scan.objects.filter(recording__production=production):
        rows = [row for row in one.places if row[0] not in UNLIKE] + by_recording.get(str(one.recording_id), [])
        if rows != one.places:
            one.places = sorted(rows, key=lambda row: row[1])
            one.save(update_fields=["places"])


def keep_seams(production: Production, found: Iterable[tuple[str, Place]], sounding: Collection[Comp]) -> None:
    """Keep what was heard of seams, by recording; of those that sound nowhere any more nothing is kept.

    Args:
        sounding: the comps that sound.
    """
    segments = {(each.recording, each.source) for comp in sounding for each in comp.segments}
    new: dict[str, dict[Span, Place]] = {}
    for recording, place in found:
        new.setdefault(recording, {})[place.span] = place
    for one in Scan.objects.filter(recording__production=production):
        name, places = str(one.recording_id), [of_row(row) for row in one.places]
        here = new.get(name, {})
        kept = [each for each in places if each.kind != "seam" or ((name, each.span) in segments and each.span not in here)]
        rows = sorted((as_row(each) for each in (*kept, *here.values())), key=lambda row: row[1])
        if rows != one.places:
            one.places = rows
            one.save(update_fields=["places"])


def words_are_known(recording: Recording) -> None:
    """A take was listened to: what is to be taken out of it joins what a scan has found, if there was one."""
    scan = Scan.objects.filter(recording=recording).first()
    if scan:
        keep(recording, [of_row(row) for row in scan.places])


def _spoken(recording: Recording) -> list[list[Any]]:
    """What the read check has found in the takes of a recording. Other words than the line's are no false starts."""
    checks = Take.objects.filter(recording=recording, read__has_key="words").values_list("read", flat=True)
    return [as_row(place) for row in checks if row and not row["lost"] for place in of_words(ReadCheck.from_row(row))]


def as_row(place: Place) -> list[Any]:
    """A place as it is stored."""
    return [place.kind, place.span.start, place.span.end, place.sure, place.settings]


def of_row(row: list[Any]) -> Place:
    """The place that `as_row` gave."""
    kind, first, last, sure, settings = row
    return Place(kind, Span(first, last), sure, settings)
