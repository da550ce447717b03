"""Comps put together from parts that lie in the programme, and comps whose parts lie elsewhere or last otherwise."""

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from fendo_core.audio.levels import hop_levels
from fendo_core.timebase import Span, milliseconds
from fendo_core.voice.comp import CROSSFADE, EDGE_FADE, Comp, Knot, RoomTone, Segment, cut
from fendo_core.voice.render import Read
from fendo_core.voice.samples import ProgrammeSample

SHORTEST_TONE, LONGEST_TONE = milliseconds(250), milliseconds(1500)
_AWAY = milliseconds(80)
"""Room tone keeps this far from what is said: tails and breaths lie there."""


def retimed(comp: Comp, knots: Sequence[Knot]) -> Comp:
    """A comp in which each moment lies where the knots say; between two of them time runs evenly.

    Args:
        knots: (sample of the comp, sample of the new one), both strictly rising, from (0, 0) to (comp.length, new length).

    Raises:
        ValueError: for knots that do not rise, or do not begin and end with the comp.
    """
    if any(b[0] <= a[0] or b[1] <= a[1] for a, b in zip(knots, knots[1:], strict=False)) or len(knots) < 2:
        raise ValueError("the knots of a comp must rise, and there must be two of them at least")
    if tuple(knots[0]) != (0, 0) or knots[-1][0] != comp.length:
        raise ValueError("knots begin and end with their comp")
    old, new = (list(column) for column in zip(*knots, strict=True))

    def at(sample: int) -> int:
        return round(float(np.interp(sample, old, new)))

    return replace(comp, segments=tuple(_retimed(one, knots, at) for one in comp.segments))


def _retimed(one: Segment, knots: Sequence[Knot], at: Callable[[int], int]) -> Segment:
    own = one.warp or ((one.source.start, one.at), (one.source.end, one.end))
    inner = [(one.source_at(a), a) for a, _ in knots if one.at < a < one.end]
    warp: list[Knot] = []
    for source, sample in sorted({*own, *inner}):
        knot = (source, at(sample))
        if not warp or (knot[0] > warp[-1][0] and knot[1] > warp[-1][1]):
            warp.append(knot)
    if warp[-1][0] != one.source.end:
        # The last knot counts: what lay so near to it that both became one sample goes.
        warp[-1] = (one.source.end, max(at(one.end), warp[-1][1]))
    plain = all(b[0] - a[0] == b[1] - a[1] for a, b in zip(warp, warp[1:], strict=False))
    first, last = at(one.at), at(one.end)
    return replace(
        one,
        at=first,
        warp=() if plain else tuple(warp),
        fade_in=at(one.at + one.fade_in) - first,
        fade_out=last - at(one.end - one.fade_out),
    )


def assembled(parts: Sequence[Comp], tone: RoomTone | None = None, crossfade: int = CROSSFADE) -> Comp:
    """One comp of parts that lie in the programme, in order. Where two overlap the first fades into the second, in
    `crossfade` samples at most around the middle; a hole between two is filled with the tone, or silent.

    Raises:
        ValueError: when there is no part, or one begins before the one that it follows, or is all hidden by it.
    """
    if not parts:
        raise ValueError("there is nothing to put together")
    made = [parts[0]]
    for later in parts[1:]:
        one, other = _meeting(made[-1], later, crossfade)
        made[-1:] = [one, other]
    first = made[0].at
    segments = [each.shifted(part.at - first) for part in made for each in part.segments]
    return Comp(ProgrammeSample(first), tuple(segments), tone, parts[0].treatment)


def _meeting(one: Comp, other: Comp, crossfade: int) -> tuple[Comp, Comp]:
    """Two neighbours with the fades that their distance asks for."""
    overlap = one.span.end - other.at
    if overlap > crossfade:
        middle = other.at + overlap // 2
        before = cut(one, Span(one.at, middle + crossfade // 2)) if middle + crossfade // 2 > one.at else None
        after = cut(other, Span(middle - crossfade // 2, other.span.end)) if other.span.end > middle else None
        if before is None or after is None:
            raise ValueError("one part would be hidden by the next")
        one, other = before, after
        overlap = one.span.end - other.at
    if one.at >= other.at:
        raise ValueError("a part would begin before the one that it follows")
    fade = overlap if overlap > 0 else EDGE_FADE
    last, first = one.segments[-1], other.segments[0]
    ended = replace(last, fade_out=max(last.fade_out, min(fade, last.span.length)))
    begun = replace(first, fade_in=max(first.fade_in, min(fade, first.span.length)))
    return replace(one, segments=(*one.segments[:-1], ended)), replace(other, segments=(begun, *other.segments[1:]))


def room_tone(recording: str, span: Span, phrases: Sequence[Span], read: Read) -> RoomTone | None:
    """The calmest stretch of a recording in which nobody speaks; None where there is none of a quarter of a second.

    Args:
        span: samples of the recording that may be used.
        phrases: where somebody speaks in it, in its samples.
    """
    edges = [span.start, *(edge for one in sorted(phrases) for edge in (one.start, one.end)), span.end]
    found: list[tuple[float, Span]] = []
    for start, end in zip(edges[::2], edges[1::2], strict=True):
        start, end = start + _AWAY, end - _AWAY
        for at in range(start, end - SHORTEST_TONE + 1, SHORTEST_TONE):
            piece = Span(at, min(end, at + LONGEST_TONE))
            sound = read(recording, piece.start, piece.end)
            # A click in it would be heard again and again: the loudest tenth of a second tells.
            loudest = float(hop_levels(sound, milliseconds(100)).max(initial=-120.0))
            found.append((loudest - 3.0 * piece.length / LONGEST_TONE, piece))
    return RoomTone(recording, min(found)[1]) if found else None
