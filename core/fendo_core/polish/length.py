"""A reading made to last exactly as long as it must: its pauses give and take first, then its phrases a little."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from itertools import accumulate, pairwise

from fendo_core.polish.scan import LONGEST_GAP, NATURAL_GAP
from fendo_core.takes.fitting import AS_READ, Fitted
from fendo_core.timebase import Span, milliseconds, seconds_text

MOST = 0.06
"""By how much phrases are stretched at most, to start with."""
SHORTEST_PAUSE = milliseconds(160)
_LEAST_LEFT, _MOST_GROWN = 0.5, 1.6


class TooFar(ValueError):
    """It would sound pressed or drawn; the message says how much is missing."""


@dataclass(frozen=True, slots=True)
class Lasting:
    """What is done to a reading so that it lasts as long as wanted.

    Attributes:
        phrases: each phrase and where it goes, programme samples.
        pauses: samples that the pauses get longer, all together; below 0: shorter.
        stretch: how much longer each phrase lasts, as a share.
    """

    phrases: tuple[Fitted, ...]
    pauses: int
    stretch: float


def lasting(
    phrases: Sequence[Span],
    wanted: int,
    most: float = MOST,
    natural: int | None = None,
    between: Collection[int] = (),
) -> Lasting:
    """How a reading comes to last `wanted` samples from its first word to its last; its first word stays where it is.

    Args:
        phrases: where somebody speaks, programme samples, in order.
        most: share by which phrases are stretched or squeezed at most.
        natural: samples of this reader's natural gaps; None: not known.
        between: pauses, by index, that lie between lines: long ones may grow too.

    Raises:
        TooFar: when pauses within their bounds and phrases stretched so far do not do it.
        ValueError: when nobody speaks.
    """
    if not phrases or wanted <= 0:
        raise ValueError("nobody speaks here, so there is nothing to be made longer or shorter")
    gaps = [b.start - a.end for a, b in zip(phrases, phrases[1:], strict=False)]
    spoken = sum(span.length for span in phrases)
    missing = wanted - spoken - sum(gaps)
    bounds = [
        round(gap * _MOST_GROWN) if index in between and missing > 0 else _bound(gap, missing, natural or NATURAL_GAP)
        for index, gap in enumerate(gaps)
    ]
    slack = sum(abs(bound - gap) for bound, gap in zip(bounds, gaps, strict=True))
    share = min(1.0, abs(missing) / slack) if slack else 0.0
    pauses = [gap + round((bound - gap) * share) for gap, bound in zip(gaps, bounds, strict=True)]
    stretch = (wanted - sum(pauses)) / spoken - 1.0
    if gaps and abs(stretch) < AS_READ and share < 1.0:
        # Only rounding is left: the last pause takes it, and the phrases stay as they were read.
        pauses[-1] += wanted - spoken - sum(pauses)
        stretch = 0.0
    if abs(stretch) > most:
        now = seconds_text(spoken + sum(gaps))
        how = "slower" if stretch > 0 else "faster"
        raise TooFar(
            f"It lasts {now} s. With its pauses as {'long' if stretch > 0 else 'short'} as sounds natural, it would still "
            f"have to be {abs(stretch):.1%} {how}; {most:.0%} are allowed".replace("%", " %")
        )
    return Lasting(_laid(phrases, pauses, wanted), sum(pauses) - sum(gaps), stretch)


class Overlap(ValueError):
    """Two lines, by their places in the order, that are read at once: their pauses can't get shorter or longer."""

    def __init__(self, first: int, second: int) -> None:
        super().__init__(f"reading {second} begins before reading {first} has ended")
        self.first, self.second = first, second


def whole_lasting(
    readings: Sequence[Sequence[Span]], wanted: int, most: float = MOST, natural: int | None = None
) -> tuple[Lasting, list[tuple[Fitted, ...]]]:
    """How the readings of several lines come to last `wanted` samples together, from the first word of all to the last.

    Args:
        readings: the phrases of each line, programme samples, in order; the lines in the order in which they are heard.

    Returns:
        What is done in all, and the phrases of each line.

    Raises:
        Overlap: when a line begins before the one before it has ended.
        TooFar, ValueError: as `lasting` does.
    """
    for number, (one, other) in enumerate(pairwise(readings)):
        if other[0].start < one[-1].end:
            raise Overlap(number, number + 1)
    phrases = [span for reading in readings for span in reading]
    ends = list(accumulate(len(reading) for reading in readings))
    found = lasting(phrases, wanted, most, natural, frozenset(end - 1 for end in ends[:-1]))
    return found, [found.phrases[end - len(reading) : end] for reading, end in zip(readings, ends, strict=True)]


def _bound(gap: int, missing: int, natural: int) -> int:
    """How short or long a pause may become."""
    if missing < 0:
        return min(gap, max(SHORTEST_PAUSE, round(gap * _LEAST_LEFT) if gap <= 2 * natural else natural))
    return max(gap, min(round(gap * _MOST_GROWN), LONGEST_GAP))


def _laid(phrases: Sequence[Span], pauses: Sequence[int], wanted: int) -> tuple[Fitted, ...]:
    """The phrases one after another, so that the last ends on the very sample."""
    first = phrases[0].start
    factor = (wanted - sum(pauses)) / sum(span.length for span in phrases)
    found, spoken, paused = [], 0, 0
    for index, span in enumerate(phrases):
        start = first + round(spoken * factor) + paused
        spoken += span.length
        end = first + round(spoken * factor) + paused
        to = Span(start, end)
        found.append(Fitted(span, to, to))
        paused += pauses[index] if index < len(pauses) else 0
    return tuple(found)
