"""Sample positions and spans. Every position in Fendo is one of these; seconds appear in texts only."""

from collections.abc import Iterable
from dataclasses import dataclass

SAMPLE_RATE = 48_000
"""Samples a second of every programme, recording and position."""


@dataclass(frozen=True, order=True, slots=True)
class Span:
    """A half-open stretch of samples: `start` belongs to it, `end` does not.

    Raises:
        ValueError: when it would be empty or run backwards.
    """

    start: int
    end: int

    def __post_init__(self) -> None:
        if self.end <= self.start:
            raise ValueError(f"a span must end after it starts, not {self.start}..{self.end} (samples)")

    @property
    def length(self) -> int:
        """Samples in the span."""
        return self.end - self.start

    def holds(self, position: int) -> bool:
        """Whether the sample `position` lies inside."""
        return self.start <= position < self.end

    def meets(self, other: "Span") -> bool:
        """Whether both have at least one sample in common."""
        return self.start < other.end and other.start < self.end

    def shifted(self, by: int) -> "Span":
        """The same stretch `by` samples later."""
        return Span(self.start + by, self.end + by)


def uncovered(spans: Iterable[Span], by: Iterable[Span], least: int) -> tuple[Span, ...]:
    """What of some spans, each by itself, is covered by none of others: stretches of at least `least` samples, in order."""
    covers, found = sorted(by), []
    for span in spans:
        at = span.start
        for cover in covers:
            if cover.end <= at or cover.start >= span.end:
                continue
            if cover.start - at >= least:
                found.append(Span(at, cover.start))
            at = max(at, cover.end)
        if span.end - at >= least:
            found.append(Span(at, span.end))
    return tuple(found)


def milliseconds(value: int) -> int:
    """`value` milliseconds as samples, exactly (48 samples each)."""
    return value * SAMPLE_RATE // 1000


def seconds_text(samples: int, digits: int = 1) -> str:
    """Samples as a number of seconds for people, e.g. `3.4`."""
    return f"{samples / SAMPLE_RATE:.{digits}f}"
