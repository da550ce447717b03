"""Events that lie above one another along time, as one row of them: the upper one is seen."""

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

from fendo_core.picture.reel import LONGEST_NAME
from fendo_core.timebase import FrameRate

MOST_EVENTS = 5_000


class TimelineRefused(ValueError):
    """A file that is no timeline; the message says why and what to do."""


@dataclass(frozen=True, slots=True)
class Event:
    """One event: what medium it shows and where in it, in frames of the production's rate.

    Attributes:
        medium: its name; empty for a hole.
        first: frame of the medium, counted from its own first frame where that is known, else from midnight.
        length: frames.
        from_midnight: `first` is a timecode of the medium, not a count from its beginning.
        names: other names of the medium (its file, its reel), by which it may be known.
    """

    medium: str
    first: int
    length: int
    from_midnight: bool = False
    names: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Timeline:
    """Events in order; `start` is the timecode of the first frame in frames since midnight, None when it is not said."""

    events: tuple[Event, ...]
    start: int | None
    remarks: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Placed:
    """A medium somewhere along time, before it is known what covers it; all times in seconds, exact.

    Attributes:
        start, end: where it lies in the timeline.
        first: second of the medium that is seen at `start`.
        medium, names, from_midnight: as of an `Event`.
    """

    start: Fraction
    end: Fraction
    first: Fraction
    medium: str
    names: tuple[str, ...] = ()
    from_midnight: bool = False


def flattened(placed: Sequence[Placed], start: Fraction, end: Fraction, rate: FrameRate) -> tuple[tuple[Event, ...], int]:
    """What is seen from `start` to `end`: of what overlaps the later in `placed`; holes where nothing lies.

    Every edge is rounded to a frame by itself, so that nothing adds up over many events.

    Returns:
        The events, and how many of `placed` are partly or wholly covered by another.
    """
    coming = sorted(range(len(placed)), key=lambda n: placed[n].start, reverse=True)
    edges = sorted({start, end, *(max(start, min(end, edge)) for each in placed for edge in (each.start, each.end))})
    covered: set[int] = set()
    active: list[int] = []
    seen: list[tuple[int | None, Fraction, Fraction]] = []
    for begin, finish in zip(edges, edges[1:], strict=False):
        while coming and placed[coming[-1]].start <= begin:
            active.append(coming.pop())
        active = [n for n in active if placed[n].end > begin]
        top = max(active, default=None)
        covered.update(n for n in active if n != top)
        if seen and seen[-1][0] == top:
            seen[-1] = (top, seen[-1][1], finish)
        else:
            seen.append((top, begin, finish))
    events: list[Event] = []
    for top, begin, finish in seen:
        length = _frame(finish - start, rate) - _frame(begin - start, rate)
        if length <= 0:
            continue
        each = placed[top] if top is not None else None
        if each is None or not each.medium:
            hole = events.pop().length if events and not events[-1].medium else 0
            events.append(Event("", 0, hole + length))
            continue
        first = max(0, _frame(each.first + (begin - each.start), rate))
        events.append(Event(each.medium[:LONGEST_NAME], first, length, each.from_midnight, each.names))
    return tuple(events), len(covered)


def _frame(seconds: Fraction, rate: FrameRate) -> int:
    return round(seconds * rate.fps)


def listed(what: Sequence[str], most: int = 5) -> str:
    """A few of many, and how many more there are."""
    return ", ".join(what[:most]) + (f" and {len(what) - most} more" if len(what) > most else "")
