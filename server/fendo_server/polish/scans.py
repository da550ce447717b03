"""What scans have found, as the core knows it."""

from typing import Any

from fendo_core.polish.scan import Place
from fendo_core.timebase import Span
from fendo_server.productions.models import Production
from fendo_server.voice.models import Scan


def scans(production: Production) -> dict[str, list[Place]]:
    """Places by recording, of all that were scanned."""
    rows = Scan.objects.filter(recording__production=production).values_list("recording_id", "places")
    return {str(key): [of_row(row) for row in places] for key, places in rows}


def as_row(place: Place) -> list[Any]:
    """A place as it is stored."""
    return [place.kind, place.span.start, place.span.end, place.sure, place.settings]


def of_row(row: list[Any]) -> Place:
    """The place that `as_row` gave."""
    kind, first, last, sure, settings = row
    return Place(kind, Span(first, last), sure, settings)
