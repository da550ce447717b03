"""Room tone between the lines of a voice that is as long as the programme: the room of each line around it."""

from bisect import bisect_left
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fendo_core.handover.mix import Placed
from fendo_core.picture.laid import CUT_FADE
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.voice.tone import Lasting

CHANGE = SAMPLE_RATE
"""So long, at most, one room takes to become another."""


@dataclass(frozen=True, slots=True)
class Around:
    """A line in the programme and the room that it was read in.

    Attributes:
        span: programme samples in which it sounds.
        room: gives the room tone; None where none was found. It is asked when it is wanted, and may forget.
        gain: dB that it is louder, as its line is.
    """

    span: Span
    room: Callable[[], Lasting] | None
    gain: float = 0.0


def rooms_between(length: int, lines: Sequence[Around]) -> list[Placed]:
    """Room tone wherever no line sounds, as voices that lie beside the lines.

    A line's room goes on to the middle of the pause, where it fades into the next one's, in `CHANGE` samples at most.
    Where a line has no room tone its neighbour's is taken. Each reaches `CUT_FADE` samples under a line that begins or
    ends, as that fades in and out so fast.

    Args:
        length: samples of the programme.
    """
    lines = _with_rooms(sorted(lines, key=lambda one: one.span))
    made: list[Placed] = []
    covered: int = 0
    before: Around | None = None
    for one in lines:
        made += _gap(covered, one.span.start, before, one)
        # A line may lie before the programme: its room is heard all the same.
        if before is None or one.span.end >= covered:
            covered, before = max(covered, one.span.end), one
    return made + _gap(covered, length, before, None)


def _with_rooms(lines: Sequence[Around]) -> list[Around]:
    known = [index for index, one in enumerate(lines) if one.room]
    if not known:
        return []
    made = []
    for index, one in enumerate(lines):
        after = bisect_left(known, index)
        there = min(known[max(0, after - 1) : after + 1], key=lambda each: abs(each - index))
        made.append(one if one.room else Around(one.span, lines[there].room, lines[there].gain))
    return made


def _gap(start: int, end: int, before: Around | None, after: Around | None) -> list[Placed]:
    """The rooms of a pause between two lines, or at an end of the programme."""
    if end <= start:
        return []
    first = start - CUT_FADE if before else start
    last = end + CUT_FADE if after else end
    one = before or after
    if not before or not after or before.room is after.room:
        return [_placed(Span(first, last), one, None, None)] if one else []
    change, middle = min(CHANGE, end - start), (start + end) // 2
    fade = Span(middle - change // 2, middle - change // 2 + change)
    return [_placed(Span(first, fade.end), before, None, fade), _placed(Span(fade.start, last), after, fade, None)]


def _placed(span: Span, one: Around, rises: Span | None, falls: Span | None) -> Placed:
    """A room that comes and goes within two spans, by equal powers: two rooms are as unlike as two noises can be."""
    room = one.room
    assert room is not None

    def load(start: int, end: int) -> NDArray[np.float32]:
        positions, shape = np.arange(start, end), np.ones(end - start)
        if rises and start < rises.end:
            shape *= np.sin(np.clip((positions - rises.start) / rises.length, 0.0, 1.0) * np.pi / 2)
        if falls and end > falls.start:
            shape *= np.sin(np.clip((falls.end - positions) / falls.length, 0.0, 1.0) * np.pi / 2)
        return room()(start, end) * shape.astype(np.float32)

    return Placed(span, load, one.gain)
