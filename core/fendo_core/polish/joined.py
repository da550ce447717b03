"""Seams that are heard, as places: the shorter of their two sides is the one that differs."""

from collections.abc import Iterable, Sequence
from itertools import pairwise
from statistics import mean

from fendo_core.polish.neighbours import MOST_LEVEL
from fendo_core.polish.scan import Place, how_sure
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.voice import Comp, Segment, seams
from fendo_core.voice.jumps import LEAST, Jump

ONE_READING = 5 * SAMPLE_RATE
"""Two stretches of a recording that lie no further apart are one reading: a gap was closed."""
AROUND = SAMPLE_RATE * 3 // 2
"""So much is played on either side of a seam."""


def joins(comp: Comp) -> list[int]:
    """Which of a comp's seams join two readings, counted from 0."""
    return [n for n, (one, other) in enumerate(pairwise(comp.segments)) if not _goes_on(one, other)]


def _goes_on(one: Segment, other: Segment) -> bool:
    return one.recording == other.recording and 0 <= other.source.start - one.source.end <= ONE_READING


def _differs(comp: Comp, seam: int) -> int:
    """Which segment it is that differs at a seam: the shorter side."""
    one, other = comp.segments[seam : seam + 2]
    return seam if one.span.length < other.span.length else seam + 1


def seam_places(comp: Comp, jumps: Sequence[Jump]) -> list[tuple[str, Place]]:
    """The places of a comp's joins, each with its recording, spans in its samples: one for each segment that may differ
    from what lies beside it. Of those without settings nothing is heard: somebody listened to them.

    Args:
        jumps: what jumps at each of `joins(comp)`, in order.
    """
    heard: dict[int, list[tuple[int, Jump]]] = {}
    for seam, jump in zip(joins(comp), jumps, strict=True):
        heard.setdefault(_differs(comp, seam), []).append((seam, jump))
    return [(comp.segments[n].recording, _place(comp, n, found)) for n, found in heard.items()]


def _place(comp: Comp, number: int, found: Sequence[tuple[int, Jump]]) -> Place:
    """The place of a segment, with what of its one or two seams is heard, of it against the others."""
    source = comp.segments[number].source
    by: dict[str, list[float]] = {}
    for seam, jump in found:
        for name, value in jump.by.items():
            by.setdefault(name, []).append(value if seam < number else -value)
    if not by:
        return Place("seam", source, 0.5)
    settings = {name: round(mean(values), 1) for name, values in by.items()}
    # What a sentence falls by from its one end to the other is at both seams, the other way round.
    levels = [jump.level if seam < number else -jump.level for seam, jump in found if jump.level is not None]
    if "level" in by:
        settings["level"] = round(mean(levels), 1)
    level = settings.get("level", 0.0)
    ends = not any(jump.by for seam, jump in found if seam < number)
    sure = how_sure(max(abs(value) / LEAST[name] for name, value in settings.items()) - 1.0)
    settings |= {"decibel": round(max(-MOST_LEVEL, min(MOST_LEVEL, -level)), 1), "ends": float(ends)}
    return Place("seam", source, sure, settings)


def seam_at(comp: Comp, recording: str, place: Place) -> int | None:
    """Programme sample of a seam's place; None where the comp has no such seam (any more), or nothing of it is heard."""
    if not place.settings:
        return None
    for seam in joins(comp):
        number = _differs(comp, seam)
        one = comp.segments[number]
        if (one.recording, one.source) == (recording, place.span) and (seam == number) == bool(place.settings["ends"]):
            return comp.at + seams(comp)[seam]
    return None


def seam_of(comp: Comp, recording: str, place: Place) -> Span | None:
    """Where a seam's place is heard in the programme: `AROUND` on either side of it, as far as the comp goes."""
    at = seam_at(comp, recording, place)
    return None if at is None else Span(max(comp.at, at - AROUND), min(comp.at + comp.length, at + AROUND))


def unheard(comp: Comp, places: Iterable[tuple[str, Place]]) -> bool:
    """Whether a comp has joins that nobody has listened to.

    Args:
        places: what is known of its recordings, each with its recording.
    """
    wanted = joins(comp)
    known = {(name, one.span) for name, one in places if one.kind == "seam"} if wanted else set[tuple[str, Span]]()
    differing = (comp.segments[_differs(comp, seam)] for seam in wanted)
    return any((one.recording, one.source) not in known for one in differing)
