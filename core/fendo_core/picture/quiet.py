"""Where a film's own sound is nothing but its room: what is heard under a line that replaces an old one."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import minimum_filter1d

from fendo_core.audio.speech import runs
from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds

FRAME = milliseconds(20)
STANDING = 5.0
"""dB over the quietest of its surroundings up to which a frame is room."""
AROUND = 6
"""Seconds on either side that are its surroundings."""
LEAST, MOST = milliseconds(500), milliseconds(8_000)
NOTHING = -95.0
"""dBFS below which there is no sound at all."""
_EDGE = 2
"""Frames at either end that are left out: something may fade there."""
_EACH = 5 * SAMPLE_RATE
"""Of each stretch of this length the longest is kept."""
_BLOCK = 3_000 * FRAME


def quiet_stretches(read: Callable[[int, int], NDArray[np.float32]], length: int) -> tuple[Span, ...]:
    """Stretches of half a second to eight in which the sound is no louder than its surroundings are at their quietest.

    Args:
        read: gives samples start..end of the sound, shape (n, channels); never more than a minute at once.
        length: its samples at 48 kHz.
    """
    levels = [_levels(read(start, min(length, start + _BLOCK))) for start in range(0, length, _BLOCK)]
    level = np.concatenate(levels) if levels else np.zeros(0)
    each = SAMPLE_RATE // FRAME
    if len(level) < 2 * each:
        return ()
    # Digital silence is no room: it must not count as the quietest there is.
    there = level > NOTHING
    level = np.where(there, level, 0.0)
    seconds = level[: len(level) // each * each].reshape(-1, each)
    low = minimum_filter1d(np.percentile(seconds, 20, axis=1), 2 * AROUND + 1)
    floor = np.repeat(low, each)
    floor = np.concatenate([floor, np.full(len(level) - len(floor), low[-1])])
    best: dict[int, Span] = {}
    for first, last in runs(there & (level < floor + STANDING)):
        span = Span(min((first + _EDGE) * FRAME, length), min((last - _EDGE) * FRAME, length)) if last - first > 5 else None
        if span is None or span.length < LEAST:
            continue
        span = Span(span.start, min(span.end, span.start + MOST))
        known = best.get(span.start // _EACH)
        if known is None or known.length < span.length:
            best[span.start // _EACH] = span
    return tuple(best[key] for key in sorted(best))


def _levels(samples: NDArray[np.float32]) -> NDArray[np.float64]:
    """Power of whole frames in dB, all channels together."""
    rows = samples[: len(samples) // FRAME * FRAME].astype(np.float64)
    power = np.mean(rows.reshape(-1, FRAME * rows.shape[1]) ** 2, axis=1)
    level: NDArray[np.float64] = 10.0 * np.log10(np.maximum(power, 1e-12))
    return level
