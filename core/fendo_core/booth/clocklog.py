"""What the browser logged about a take's clocks: pairs, and nothing concluded from them."""

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal, TypeAlias, cast

Source: TypeAlias = Literal["none", "browser", "measured"]
Guide: TypeAlias = Literal["ear", "eye"]
Pair: TypeAlias = tuple[int, int]

PAIRS = ("capture", "transport", "output", "seen", "gaps", "repeats")
LONGEST_NOTE = 200
MOST_NOTES = 200


@dataclass(frozen=True, slots=True)
class ClockLog:
    """The pairs of one take. Frames are those of the audio context, times microseconds of the page's clock.

    Attributes:
        capture: (sample of the take, context frame of it); the first says where the take begins, one more after each pause.
        transport: (context frame, programme sample scheduled there); a position holds, slope 1, until the next pair.
        output: (context frame heard, time): readings of the output, some fifty a second.
        seen: (frame of the picture, time): each frame when it was drawn.
        gaps: (sample of the take, samples that were never given and are silence there).
        repeats: (sample of the take, samples whose label came twice).
        latency: samples from schedule to ear and from mouth to label, together.
        source: "none" (the simulated reader is on the schedule itself), "browser" (its own figures), "measured" (looped).
        spread: samples by which the readings of the loop test differed.
        fresh: the loop test was made in the audio context of this take.
        guide: what the reader followed: the sound, or the picture alone.
        notes: (sample of the take, what happened there) in words for people.
    """

    capture: tuple[Pair, ...]
    transport: tuple[Pair, ...]
    output: tuple[Pair, ...] = ()
    seen: tuple[Pair, ...] = ()
    gaps: tuple[Pair, ...] = ()
    repeats: tuple[Pair, ...] = ()
    latency: int = 0
    source: Source = "browser"
    spread: int = 0
    fresh: bool = False
    guide: Guide = "ear"
    notes: tuple[tuple[int, str], ...] = field(default=())

    def __post_init__(self) -> None:
        if not self.capture or not self.transport:
            raise ValueError("the clock log of the take is incomplete: it needs a capture pair and a transport pair")
        if self.latency < 0 or self.spread < 0:
            raise ValueError("a latency can't be negative")
        if self.source not in ("none", "browser", "measured"):
            raise ValueError(f"latencies come from none, browser or measured, not {self.source!r}")
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
        pairs: dict[str, set[Pair]] = {name: set() for name in PAIRS}
        notes: set[tuple[int, str]] = set()
        said: dict[str, Any] = {}
        try:
            for part in parts:
                for name in PAIRS:
                    pairs[name].update((int(a), int(b)) for a, b in part.get(name, ()))
                notes.update((int(at), str(text)[:LONGEST_NOTE]) for at, text in part.get("notes", ()))
                said |= {name: part[name] for name in ("latency", "source", "spread", "fresh", "guide") if name in part}
            return cls(
                **{name: tuple(sorted(found)) for name, found in pairs.items()},
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
            part = json.loads(line)
        except ValueError:
            continue
        if isinstance(part, dict):
            parts.append(part)
    return parts
