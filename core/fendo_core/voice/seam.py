"""Where two readings are best joined."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds

_HOP = milliseconds(5)
_AROUND = 4
"""Hops to either side that are heard with a joint: 20 ms, as long as its crossfade."""


def quietest(earlier: NDArray[np.float32], later: NDArray[np.float32]) -> int:
    """The sample at which a joint is heard least: where the louder of the two is quietest, over 40 ms.

    Args:
        earlier: mono samples of the sound that is left, shape (n,).
        later: of the sound that begins, over the same stretch of time, shape (n,).
    """
    count = min(len(earlier), len(later)) // _HOP
    if not count:
        return min(len(earlier), len(later)) // 2

    def levels(samples: NDArray[np.float32]) -> NDArray[np.float64]:
        rows = samples[: count * _HOP].reshape(count, _HOP).astype(np.float64)
        power = np.mean(rows**2, axis=1)
        return np.convolve(np.pad(power, _AROUND, mode="edge"), np.ones(2 * _AROUND + 1), mode="valid")

    return int(np.argmin(np.maximum(levels(earlier), levels(later)))) * _HOP + _HOP // 2


REACH = SAMPLE_RATE * 4 // 10
"""How far before the cue of a pick-up its joint is looked for."""


def joint_window(earlier: Span, later: Span, phrases: Sequence[Span], speaks: int) -> Span:
    """Where the joint of two readings is looked for, programme samples: before the later one speaks, within `REACH` of it.
    Where it goes on behind the earlier one's last word, not before that word has ended;
    where the earlier one has no sound there any more it is the one sample at which the later one begins.

    Args:
        earlier: where the reading that is left sounds; `later` the one that begins.
        phrases: where somebody speaks in the earlier one.
        speaks: where somebody begins to speak in the later one.
    """
    first = max(later.start, speaks - REACH, earlier.start)
    ends = max((phrase.end for phrase in phrases), default=earlier.start)
    if ends <= speaks:
        first = max(first, ends)
    last = min(speaks, earlier.end)
    if last - first < _HOP:
        first = min(first, speaks)
        return Span(first, first + 1)
    return Span(first, last)
