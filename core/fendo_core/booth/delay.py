"""How far an interpreter is behind the original: the time from what the speaker says to its rendering."""

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from fendo_core.audio.levels import hop_levels
from fendo_core.timebase import SAMPLE_RATE

Sound = NDArray[np.float32]
Levels = NDArray[np.float64]

FRAME = SAMPLE_RATE // 10
"""Samples of a frame of what is looked at: 100 ms."""
WINDOW = 90 * SAMPLE_RATE
"""Samples that are looked at together."""
FURTHEST = 10 * SAMPLE_RATE
"""Nobody is further behind: more can't be remembered."""
LEAST = 40 * SAMPLE_RATE
"""Of less it can't be told."""
_SMOOTH = 4
_QUIET, _LOUD = 10, 90
_APART = 9.0
"""dB between what is quiet and what is loud below which pauses are not told from speech."""
_CLEAR = 0.42
"""Correlation below which a delay is chance."""


@dataclass(frozen=True, slots=True)
class Delay:
    """Samples behind the original: `median` over the windows of a reading, and the `most` of any."""

    median: int
    most: int


def level_curve(blocks: Iterable[Sound]) -> Levels:
    """Level in dBFS of each 100 ms of mono samples at 48 kHz, which come in blocks of whole tenths of a second."""
    found = [hop_levels(block, FRAME) for block in blocks]
    return np.concatenate(found) if found else np.zeros(0)


def behind(original: Levels, reading: Levels) -> int | None:
    """Samples by which a reading is behind the original, over all of what is given; None where it can't be told.

    The lag, up to `FURTHEST`, at which who speaks and who pauses go together best: the normalised cross-correlation of
    both voices' activity. Whoever pauses seldom, or an original with music under it, has no such lag.

    Args:
        original: by `level_curve`, from the same moment on.
        reading: of what was read meanwhile.
    """
    frames = min(len(original), len(reading))
    if frames * FRAME < LEAST:
        return None
    spoken, read = _activity(original[:frames]), _activity(reading[:frames])
    if spoken is None or read is None:
        return None
    most = FURTHEST // FRAME
    found = np.array([_correlation(spoken[: frames - lag], read[lag:]) for lag in range(most + 1)])
    best = int(np.argmax(found))
    return None if found[best] < _CLEAR or best == most else best * FRAME


def delay(original: Levels, reading: Levels) -> Delay | None:
    """How far a whole reading was behind the original, window by window; arguments as for `behind`."""
    frames, size = min(len(original), len(reading)), WINDOW // FRAME
    starts = range(0, max(1, frames - LEAST // FRAME + 1), size // 2)
    each = [behind(original[start : start + size], reading[start : start + size]) for start in starts]
    known = [lag for lag in each if lag is not None]
    return Delay(int(np.median(known)), max(known)) if known else None


def said(found: Delay) -> str:
    """It in words: `2.3 s behind the original, 3.9 s at most`."""
    median, most = (f"{value / SAMPLE_RATE:.1f} s" for value in (found.median, found.most))
    return f"{median} behind the original" + (f", {most} at most" if most != median else "")


def _activity(levels: Levels) -> Levels | None:
    """Who speaks, 0 to 1 and smoothed over half a second; None where nothing tells speech from pauses."""
    quiet, loud = np.percentile(levels, [_QUIET, _LOUD])
    if loud - quiet < _APART:
        return None
    return gaussian_filter1d((levels > (quiet + 2 * loud) / 3).astype(np.float64), _SMOOTH)


def _correlation(one: Levels, other: Levels) -> float:
    a, b = one - one.mean(), other - other.mean()
    power = float(np.sqrt((a @ a) * (b @ b)))
    return float(a @ b) / power if power > 0 else 0.0
