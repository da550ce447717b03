"""What the browser logged about a take's clocks: pairs, and nothing concluded from them."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from itertools import chain
from typing import Any, Literal, TypeAlias, cast, get_args

import numpy as np
import orjson
from numpy.typing import NDArray

Source: TypeAlias = Literal["none", "browser", "measured", "file"]
Guide: TypeAlias = Literal["ear", "eye"]
Pair: TypeAlias = tuple[int, int]
Pairs: TypeAlias = NDArray[np.int64]
"""Many pairs, one a row: two hours of them are half a million."""

PAIRS = ("capture", "transport", "output", "seen", "gaps", "repeats", "marks")
MANY = ("output", "seen")
LONGEST_NOTE = 200
MOST_NOTES = 200
LARGEST = 2**53
"""No frame, sample or microsecond is larger: JSON carries no larger whole number for sure."""


def pairs(found: Any) -> Pairs:
    """Pairs (a list of them, or an array) in order, each once.

    Raises:
        ValueError: when one is no pair of numbers.
    """
    if any(len(pair) != 2 for pair in found):
        raise ValueError("pairs are wanted")
    flat = np.array(list(chain.from_iterable(found)) or np.empty(0, np.int64))
    if flat.ndim != 1 or flat.dtype.kind not in "if" or not np.all(np.abs(flat) <= LARGEST):
        raise ValueError("whole numbers are wanted")
    rows = flat.astype(np.int64).reshape(-1, 2)
    rows = rows[np.lexsort((rows[:, 1], rows[:, 0]))]
    return rows[np.any(np.diff(rows, axis=0, prepend=rows[:1] - 1) != 0, axis=1)]


@dataclass(frozen=True, slots=True, eq=False)
class ClockLog:
    """The pairs of one take. Frames are those of the audio context, times microseconds of the page's clock.

    Attributes:
        capture: (sample of the take, context frame of it); the first says where the take begins, one more after each pause.
        transport: (context frame, programme sample scheduled there); a position holds, slope 1, until the next pair.
        output: (context frame heard, time): readings of the output, some fifty a second; shape (n, 2).
        seen: (frame of the picture, time): each frame when it was drawn; shape (n, 2).
        gaps: (sample of the take, samples that were never given and are silence there).
        repeats: (sample of the take, samples whose label came twice).
        marks: (sample of the take at which the reader marked a mistake, context frame of it).
        latency: samples from schedule to ear and from mouth to label, together.
        source: "none" (the simulated reader is on the schedule itself), "browser" (its own figures), "measured" (looped).
        spread: samples by which the readings of the loop test differed.
        fresh: the loop test was made in the audio context of this take.
        guide: what the reader followed: the sound, or the picture alone.
        notes: (sample of the take, what happened there) in words for people.
    """

    capture: tuple[Pair, ...]
    transport: tuple[Pair, ...]
    output: Pairs = field(default_factory=lambda: pairs(()))
    seen: Pairs = field(default_factory=lambda: pairs(()))
    gaps: tuple[Pair, ...] = ()
    repeats: tuple[Pair, ...] = ()
    marks: tuple[Pair, ...] = ()
    latency: int = 0
    source: Source = "browser"
    spread: int = 0
    fresh: bool = False
    guide: Guide = "ear"
    notes: tuple[tuple[int, str], ...] = field(default=())

    def __post_init__(self) -> None:
        if not self.capture or not self.transport:
            raise ValueError("the clock log of the take is incomplete: it needs a capture pair and a transport pair")
        if not (0 <= self.latency <= LARGEST and 0 <= self.spread <= LARGEST):
            raise ValueError("the clock log of the take is nonsense: its latency is none")
        if any(sample < 0 or count < 0 for sample, count in (*self.gaps, *self.repeats)) or self.capture[0][0] < 0:
            raise ValueError("the clock log of the take is nonsense: samples are counted from 0")
        if self.source not in get_args(Source):
            raise ValueError(f"latencies come from {', '.join(get_args(Source))}, not {self.source!r}")
        if self.guide not in ("ear", "eye"):
            raise ValueError(f"a reader follows ear or eye, not {self.guide!r}")

    @classmethod
    def simple(cls, start: int) -> "ClockLog":
        """The log of a take whose first sample lies at a known programme sample."""
        return cls(capture=((0, 0),), transport=((0, start),), source="none")

    @classmethod
    def from_parts(cls, parts: Iterable[Mapping[str, Any]]) -> "ClockLog":
        """Put together what arrived in parts: pairs are collected (a part may come twice), other values are the last said.

        Raises:
            ValueError: when something is missing, or no whole number.
        """
        parts = list(parts)
        notes: set[tuple[int, str]] = set()
        said: dict[str, Any] = {}
        try:
            found = {name: pairs([pair for part in parts for pair in part.get(name, ())]) for name in PAIRS}
            few = {name: tuple((int(a), int(b)) for a, b in found[name]) for name in PAIRS if name not in MANY}
            for part in parts:
                notes.update((int(at), str(text)[:LONGEST_NOTE]) for at, text in part.get("notes", ()))
                said |= {name: part[name] for name in ("latency", "source", "spread", "fresh", "guide") if name in part}
            return cls(
                **few,
                output=found["output"],
                seen=found["seen"],
                latency=int(said.get("latency", 0)),
                source=cast(Source, str(said.get("source", "browser"))),
                spread=int(said.get("spread", 0)),
                fresh=bool(said.get("fresh", False)),
                guide=cast(Guide, str(said.get("guide", "ear"))),
                notes=tuple(sorted(notes)[:MOST_NOTES]),
            )
        except (TypeError, AttributeError, OverflowError, ValueError) as error:
            raise ValueError(f"the clock log of the take is not understood: {error}") from error


def read_lines(lines: Iterable[str]) -> list[dict[str, Any]]:
    """Parts kept one a line as JSON; a line that was torn by a fault is left out."""
    parts = []
    for line in lines:
        try:
            part = orjson.loads(line)
        except ValueError:
            continue
        if isinstance(part, dict):
            parts.append(part)
    return parts
