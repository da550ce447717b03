"""A ceiling that no true peak passes: gain goes down before a peak and comes back after it; all else is untouched.

`web/src/engine/ceiling.ts` is the same for what is played; `ceiling.cases.json` beside it is run by both.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import minimum_filter1d

from fendo_core.audio.true_peak import TAPS, around, stretches
from fendo_core.timebase import SAMPLE_RATE

AHEAD = SAMPLE_RATE * 5 // 1000
"""Samples in which the gain goes down before a peak; so much later the sound comes out."""
RECOVERY = 40.0 / SAMPLE_RATE
"""dB a sample by which the gain comes back: slowly enough not to be heard as a step, quickly enough for the next word."""
MARGIN = 0.2
"""dB under the ceiling that is aimed at: the gain moves between the points at which peaks are measured."""
PHASES = np.array(
    [
        [
            0.0017089843750, 0.0109863281250, -0.0196533203125, 0.0332031250000, -0.0594482421875, 0.1373291015625,
            0.9721679687500, -0.1022949218750, 0.0476074218750, -0.0266113281250, 0.0148925781250, -0.0083007812500,
        ],
        [
            -0.0291748046875, 0.0292968750000, -0.0517578125000, 0.0891113281250, -0.1665039062500, 0.4650878906250,
            0.7797851562500, -0.2003173828125, 0.1015625000000, -0.0582275390625, 0.0330810546875, -0.0189208984375,
        ],
    ]
)  # fmt: skip
"""Two of the four phases of the interpolating filter of ITU-R BS.1770-5, annex 2, table of coefficients; the other two are
these backwards."""
_FILTERS = np.concatenate([PHASES, PHASES[::-1, ::-1]])
_MOST = 2.2
"""More than four-fold interpolation can lift a point above the samples around it."""
LATENCY = AHEAD + TAPS
"""Samples by which the sound comes out later."""


@dataclass(frozen=True, slots=True)
class Worked:
    """How much a ceiling had to do: `share` of the time (0..1), and `deepest` reduction in dB (0 or below)."""

    share: float
    deepest: float


class Ceiling:
    """The ceiling of a sound that comes block by block, stereo, shape (n, 2); it comes out `LATENCY` samples later.

    Args:
        ceiling: true peak in dBTP that is not passed.
    """

    def __init__(self, ceiling: float = -1.0) -> None:
        self._limit = ceiling - MARGIN
        # What is kept of a block is copied out of it: a view would keep all of it.
        self._sound = np.zeros((LATENCY, 2), np.float32)
        self._wanted = np.zeros(AHEAD)
        self._recovered = np.zeros(AHEAD)
        self._history = np.zeros((TAPS - 1, 2))
        self._samples = self._reduced = 0
        self._deepest = 0.0

    def __call__(self, block: NDArray[np.float32]) -> NDArray[np.float32]:
        """The next block in; as many samples out."""
        count = len(block)
        sound = np.concatenate([self._sound, block])
        self._sound = sound[count:].copy()
        lower = np.concatenate([self._wanted, np.minimum(0.0, self._limit - self._peaks(block))])
        self._wanted = lower[count:].copy()
        if not lower.any() and not self._recovered.any():
            self._samples += count
            return sound[:count]
        # Whatever is wanted within the next `AHEAD` samples is reached by now; then it comes back by a slope.
        nearest = minimum_filter1d(lower, AHEAD + 1)[AHEAD // 2 : AHEAD // 2 + count]
        slope = RECOVERY * np.arange(1, count + 1)
        start = self._recovered[-1]
        recovered = np.minimum(0.0, slope + np.minimum(start, np.minimum.accumulate(nearest - slope)))
        joined = np.concatenate([self._recovered, recovered])
        self._recovered = joined[count:].copy()
        sums = np.cumsum(np.concatenate([[0.0], joined]))
        decibel = (sums[AHEAD + 1 :] - sums[1 : count + 1]) / AHEAD
        decibel[np.abs(decibel) < 1e-9] = 0.0
        self._samples += count
        self._reduced += int(np.count_nonzero(decibel < -0.05))
        self._deepest = min(self._deepest, float(decibel.min()))
        out: NDArray[np.float32] = (sound[:count] * np.power(10.0, decibel / 20.0)[:, None]).astype(np.float32)
        return out

    def _peaks(self, block: NDArray[np.float32]) -> NDArray[np.float64]:
        """The larger true peak of both channels around each sample, in dBTP; -120 where it is surely below the ceiling."""
        joined = np.concatenate([self._history, block])
        self._history = joined[len(block) :].copy()
        length, least = len(block), 10 ** (self._limit / 20)
        if not length or float(np.max(np.abs(joined))) * _MOST <= least:
            return np.full(length, -120.0)
        peaks = np.full(length, 1e-6)
        channels = joined.T[:1] if np.array_equal(joined[:, 0], joined[:, 1]) else joined.T
        for first, last in stretches(around(np.abs(channels).max(axis=0), length) * _MOST > least, length):
            here = peaks[first:last]
            for channel in channels:
                part = channel[first : last + TAPS - 1]
                for taps in _FILTERS:
                    np.maximum(here, np.abs(np.convolve(part, taps, mode="valid")), out=here)
                np.maximum(here, np.abs(part[TAPS // 2 - 1 : TAPS // 2 - 1 + last - first]), out=here)
        decibel: NDArray[np.float64] = 20.0 * np.log10(peaks)
        return decibel

    @property
    def worked(self) -> Worked:
        """How much it has done so far."""
        return Worked(self._reduced / max(1, self._samples), round(self._deepest, 2))
