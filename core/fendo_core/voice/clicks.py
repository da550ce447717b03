"""Clicks of the mouth: what stands out for some milliseconds with nothing beside it; taken out as a sound goes by."""

from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import median_filter
from scipy.signal import butter, sosfilt

from fendo_core.audio.levels import hop_levels
from fendo_core.audio.speech import runs
from fendo_core.timebase import SAMPLE_RATE, milliseconds
from fendo_core.voice.repair import CONTEXT, interpolated

Sound: TypeAlias = NDArray[np.float32]
Levels: TypeAlias = NDArray[np.float64]

SHARP_HOP = milliseconds(1)
HIGH = butter(4, 1_500, "high", fs=SAMPLE_RATE, output="sos")
"""A click is told above 1.5 kHz."""
_LONGEST = 8
"""Hops that a click lasts at most."""
_AROUND = 20
"""Hops on either side whose median a click stands out of."""
RELEASE = milliseconds(110)
"""A t or a k is released this long after the voice before it at most."""
_NEAR, _BESIDE, _BEFORE = 10, 60, RELEASE // SHARP_HOP
"""Hops beside a click between which it has to be calm: the burst of a consonant has a voice or breath on one side."""
_REACH = CONTEXT // 4
"""Samples on either side from which a click is drawn anew."""
_LATER = _BESIDE + 2 * _LONGEST + 4
AHEAD = _LATER * SHARP_HOP + _REACH + SHARP_HOP
"""Samples that it must hear before it gives the first one."""
_KEPT = 200
"""Hops that stay in memory behind what was decided."""
_BELOW_LOUD, _ABOVE_QUIET = 42.0, 12.0
"""dB below what is loud, or above what is quiet, up to which it is calm."""
_DRIFT = 0.002
"""dB in a hop by which what is loud is taken for less, and what is quiet for more."""


def around(level: Levels) -> Levels:
    """What each hop stands out of: the median of those on both sides."""
    found: Levels = median_filter(level, size=2 * _AROUND + 1, mode="nearest")
    return found


def standing_out(by: Levels, above: float) -> list[tuple[int, int]]:
    """First and last + 1 of the hops that stand out by more than `above` dB together, and are no more than a click has."""
    return [(first, last) for first, last in runs(by > above) if last - first <= _LONGEST]


class Clicks:
    """Draws anew what stands out by `above` dB and is no longer than 8 ms, block after block; it does not matter where
    blocks are cut. Everything else stays as it is, bit for bit.

    What comes out lags `AHEAD` samples behind what comes in: silence comes out first, and whoever wants the end of the
    sound has to put in that many more samples.
    """

    def __init__(self, above: float) -> None:
        self._above = above
        self._wide = butter(2, 60, "high", fs=SAMPLE_RATE, output="sos")
        self._memories = np.zeros((2, 2)), np.zeros((1, 2))
        self._first = 0
        """Hop with which the arrays begin: of the sound as it came, as it goes, and its levels."""
        self._raw = np.zeros(0, np.float32)
        self._made = np.zeros(0, np.float32)
        self._sharp: Levels = np.zeros(0)
        self._level: Levels = np.zeros(0)
        self._calm: Levels = np.zeros(0)
        self._loud, self._quiet = -100.0, 0.0
        self._waiting = np.zeros(0, np.float32)
        self._decided = 0
        self._given = -AHEAD

    def __call__(self, block: Sound) -> Sound:
        """The next block, shape (n,); as many samples, from `AHEAD` earlier on."""
        sound = np.concatenate((self._waiting, block))
        whole = len(sound) // SHARP_HOP * SHARP_HOP
        self._waiting = sound[whole:]
        if whole:
            self._hear(sound[:whole])
            self._decide()
        start, self._given = self._given, self._given + len(block)
        begins = self._first * SHARP_HOP
        out = self._made[max(0, start - begins) : max(0, self._given - begins)]
        self._forget()
        return np.concatenate((np.zeros(len(block) - len(out), np.float32), out))

    def _hear(self, whole: Sound) -> None:
        sharp, wide = self._memories
        high, sharp = sosfilt(HIGH, whole.astype(np.float64), zi=sharp)
        body, wide = sosfilt(self._wide, whole.astype(np.float64), zi=wide)
        self._memories = sharp, wide
        level = hop_levels(body, SHARP_HOP)
        # Both drift by so much a hop: seen from where they began, they only ever rise and fall.
        drift = _DRIFT * np.arange(self._first + len(self._level), self._first + len(self._level) + len(level))
        loud = np.maximum(np.maximum.accumulate(level + drift), self._loud)
        quiet = np.minimum(np.minimum.accumulate(level - drift), self._quiet)
        self._loud, self._quiet = float(loud[-1]), float(quiet[-1])
        calm = np.maximum(quiet + drift + _ABOVE_QUIET, loud - drift - _BELOW_LOUD)
        self._raw = np.concatenate((self._raw, whole))
        self._made = np.concatenate((self._made, whole))
        self._sharp = np.concatenate((self._sharp, hop_levels(high, SHARP_HOP)))
        self._level = np.concatenate((self._level, level))
        self._calm = np.concatenate((self._calm, calm))

    def _decide(self) -> None:
        """Draw what is a click among the hops of which enough is known on both sides."""
        first, last = self._decided - self._first, len(self._sharp) - _LATER
        if last <= first:
            return
        # Beyond both ends as far as a click may reach: each is seen whole, once.
        start, end = max(0, first - _LONGEST - 1), last + _LONGEST + 1
        a, b = max(0, start - _AROUND), end + _AROUND
        by = self._sharp[start:end] - around(self._sharp[a:b])[start - a : end - a]
        for one, other in standing_out(by, self._above):
            if first <= start + one < last and self._is_calm(start + one, start + other):
                self._draw(start + one, start + other)
        self._decided = self._first + last

    def _is_calm(self, one: int, other: int) -> bool:
        before = self._level[max(0, one - _BEFORE) : max(0, one - _NEAR)]
        behind = self._level[other + _NEAR : other + _BESIDE]
        if not len(before):
            return False
        beside = max(float(np.percentile(before, 80)), float(np.percentile(behind, 80)))
        return beside <= float(self._calm[other + _BESIDE - 1])

    def _draw(self, one: int, other: int) -> None:
        start, end = max(0, (one - 1) * SHARP_HOP), (other + 2) * SHARP_HOP
        a, b = max(0, start - _REACH), end + _REACH
        self._made[start:end] = interpolated(self._raw[a:b], start - a, end - start)

    def _forget(self) -> None:
        """Let go of what nobody needs any more: many hops at once."""
        gone = min(self._decided - self._first - _KEPT, self._given // SHARP_HOP - self._first)
        if gone < 1_000:
            return
        self._first += gone
        self._raw, self._made = self._raw[gone * SHARP_HOP :], self._made[gone * SHARP_HOP :]
        self._sharp, self._level, self._calm = self._sharp[gone:], self._level[gone:], self._calm[gone:]
