"""How a reading sounds beside the others of its reader: level, pitch, tone and pace; and which sounds like another day."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from fendo_core.audio.speech import Ear, Frames

_LEAST = 100
"""Frames (5 ms) with a voice below which nothing can be said of it."""
AROUND = 4
"""Lines before and after one that it is compared with."""
_FEWEST = 3
"""So many others it takes."""
_WIDE = 3.0
"""A line stands out where it differs by so many times what others usually differ by, and by the least below."""


class Character(NamedTuple):
    """A reading's voice: `pitch` in Hz (the median of what has one), and `tone`, dB of what is bright (2.7 to 9 kHz) over
    what is dark (0.4 to 2 kHz)."""

    pitch: float
    tone: float


def character(frames: Frames) -> Character | None:
    """What a voice is like; None where too little of it is heard (whispered, or shorter than half a second)."""
    voiced = frames.voiced
    if np.count_nonzero(voiced) < _LEAST:
        return None
    loud = voiced & (frames.level > np.percentile(frames.level[voiced], 85) - 20.0)
    return Character(round(float(np.median(frames.pitch[loud])), 1), round(float(np.mean(frames.bright[loud])), 2))


def character_of(samples: NDArray[np.float32]) -> Character | None:
    """The same of mono samples at 48 kHz, shape (n,)."""
    ear = Ear()
    ear.add(samples)
    ear.hear()
    return character(ear.frames())


@dataclass(frozen=True, slots=True)
class Sounded:
    """A reading that stands for a line, by numbers; None for what is not known.

    Attributes:
        reader: whose it is; only readings of one reader are compared.
        level: loudness of the speech as it was recorded, LUFS.
        pitch: Hz; tone: dB; both as in `Character`.
        pace: how many times as fast as its words are expected to be read.
    """

    reader: str
    level: float | None
    pitch: float | None
    tone: float | None
    pace: float | None


class Feature(NamedTuple):
    """What is compared: in which unit it differs from others, from which difference on it is heard, and what it is called
    when there is more or less of it."""

    name: str
    least: float
    unit: str
    more: str
    less: str


FEATURES = (
    Feature("level", 4.0, "dB", "louder", "quieter"),
    Feature("pitch", 2.0, "semitones", "higher", "lower"),
    Feature("tone", 5.0, "dB", "brighter", "duller"),
    Feature("pace", 25.0, "%", "faster", "slower"),
)


def differences(lines: Sequence[Sounded]) -> NDArray[np.float64]:
    """By how much each line differs from the median of those around it that the same reader read.

    Shape (n, 4): dB, semitones, dB, %; NaN where that is not known.
    """
    values = np.array([_values(line) for line in lines], np.float64).reshape(-1, len(FEATURES))
    found = np.full_like(values, np.nan)
    for reader in {line.reader for line in lines}:
        own = [n for n, line in enumerate(lines) if line.reader == reader]
        for place, n in enumerate(own):
            near = [*own[max(0, place - AROUND) : place], *own[place + 1 : place + 1 + AROUND]]
            for column in range(len(FEATURES)):
                others = values[near, column]
                others = others[~np.isnan(others)]
                if len(others) >= _FEWEST:
                    found[n, column] = values[n, column] - np.median(others)
    return _in_units(found)


def outstanding(lines: Sequence[Sounded], by: NDArray[np.float64]) -> NDArray[np.float64]:
    """Of the `differences` between lines those that stand out; the others are NaN.

    Lines differ by what they say: how much that is, is taken from all that the same reader read (the median of the absolute
    differences).
    """
    found = by.copy()
    limits = np.array([feature.least for feature in FEATURES])
    for reader in {line.reader for line in lines}:
        own = np.array([n for n, line in enumerate(lines) if line.reader == reader])
        usual = np.array([_usual(found[own, column]) for column in range(len(FEATURES))])
        found[own] = np.where(np.abs(found[own]) >= np.maximum(limits, _WIDE * usual), found[own], np.nan)
    return found


def unlike(lines: Sequence[Sounded]) -> list[tuple[str, ...]]:
    """What stands out of each line, in words: `5 dB quieter`. Two things or more are another day."""
    return [said(row) for row in outstanding(lines, differences(lines))]


_FEWEST_OF_DAY = 3
_SURE = 8
"""From so many lines of both on, half of a difference is believed."""


class Day(NamedTuple):
    """The lines that a reader read on one day: how many, and by what they differ from the reader's others, in words."""

    reader: str
    day: str
    lines: int
    unlike: tuple[str, ...]


def by_day(lines: Sequence[Sounded], days: Sequence[str]) -> list[Day]:
    """What each day of a reader sounds like beside the other days, in order; nothing where all was read on one day.

    A day that begins in the middle of a script is the usual of the lines around it: only all of its lines together tell.

    Args:
        days: on which each line was read, as `2026-11-29`.
    """
    values = np.array([_values(line) for line in lines], np.float64).reshape(-1, len(FEATURES))
    limits, found = np.array([feature.least for feature in FEATURES]), list[Day]()
    for reader, day in sorted({(line.reader, day) for line, day in zip(lines, days, strict=True)}):
        mine = np.array([line.reader == reader for line in lines])
        own = mine & np.array([each == day for each in days])
        others = mine & ~own
        if not others.any():
            continue
        row, least = np.full(len(FEATURES), np.nan), limits.copy()
        for column in range(len(FEATURES)):
            one, rest = (values[which, column] for which in (own, others))
            one, rest = one[~np.isnan(one)], rest[~np.isnan(rest)]
            if min(len(one), len(rest)) >= _FEWEST_OF_DAY:
                row[column] = np.median(one) - np.median(rest)
                least[column] /= 2.0 if min(len(one), len(rest)) >= _SURE else 1.0
        row = _in_units(row)
        row = np.where(np.abs(row) >= least, row, np.nan)
        found.append(Day(reader, day, int(own.sum()), _words(row)))
    return found


def _in_units(by: NDArray[np.float64]) -> NDArray[np.float64]:
    """Differences of `_values`, feature by feature in the last axis, in their units. Pitch and pace are logarithms, so that
    half and double are as far away."""
    found = by.copy()
    found[..., 1] *= 12.0
    found[..., 3] = 100.0 * (np.exp2(found[..., 3]) - 1.0)
    return found


def _values(line: Sounded) -> tuple[float, ...]:
    nothing = float("nan")
    return (
        nothing if line.level is None else line.level,
        nothing if line.pitch is None else float(np.log2(line.pitch)),
        nothing if line.tone is None else line.tone,
        nothing if not line.pace else float(np.log2(line.pace)),
    )


def _usual(differing: NDArray[np.float64]) -> float:
    known = np.abs(differing[~np.isnan(differing)])
    return float(np.median(known)) if len(known) else 0.0


def said(row: NDArray[np.float64]) -> tuple[str, ...]:
    """What of a line is `outstanding`, in words."""
    words = _words(row)
    return ("sounds like another day", *words) if len(words) > 1 else words


def _words(row: NDArray[np.float64]) -> tuple[str, ...]:
    return tuple(
        f"{abs(by):.0f} {feature.unit} {feature.more if by > 0 else feature.less}"
        for feature, by in zip(FEATURES, row, strict=True)
        if not np.isnan(by)
    )
