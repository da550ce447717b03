"""Steady noise taken out from beneath a voice: a fan, hiss, what is left of a hum.

What the noise is like is learned from the sound itself and followed (minima-controlled recursive averaging: Cohen and
Berdugo, Noise estimation by minima controlled recursive averaging, IEEE SPL 9, 2002). Each bin is lowered by as much as it
is likely to be noise (log-spectral amplitude estimator with the decision-directed prior: Ephraim and Malah, IEEE Trans.
ASSP 33, 1985), and by no more than was asked for, so that the room stays in the pauses and nothing twitters.
"""

from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray
from scipy.special import exp1

from fendo_core.timebase import SAMPLE_RATE

Sound: TypeAlias = NDArray[np.float32]
Bins: TypeAlias = NDArray[np.float64]

FRAME = 1024
HOP = FRAME // 2
AHEAD = FRAME
"""Samples that it must hear before it gives the first one."""
_SHAPE = np.sqrt(np.hanning(FRAME + 1)[:-1])
"""Root of a periodic Hann window, before and after: two that overlap by half add up to one."""

_SMOOTH = 0.8
_KEPT = 14
_PART = 8
"""The minimum is that of the last `_KEPT` parts of `_PART` frames: 1.2 s."""
_PRESENT = 5.0
"""Times the minimum above which a bin may be voice."""
_FOLLOW = 0.9
_RISE = 10.0 ** (0.2 * HOP / SAMPLE_RATE)
"""Times that the minimum may grow from frame to frame: 2 dB a second."""
_BEGINS = 8
"""Frames whose mean is what it begins with."""
_LOUDEST = 10.0 ** (-42.0 / 10.0) * FRAME**2 / 4.0
"""What begins louder than 42 dB below full scale is a word, and no room."""
_LEARNS = 50
"""Frames in which it may grow as it likes: half a second."""
_PRIOR = 0.96
_LEAST_PRIOR = 10.0**-2.5


class SteadyNoise:
    """Lowers steady noise by `most` dB at most, block after block; it does not matter where blocks are cut.

    What comes out lags `AHEAD` samples behind what comes in: silence comes out first, and whoever wants the end of the
    sound has to put in that many more samples.
    """

    def __init__(self, most: float) -> None:
        self._floor = 10.0 ** (-most / 20.0)
        self._waiting = np.zeros(FRAME - HOP, np.float64)
        self._sum = np.zeros(FRAME, np.float64)
        # The first hop is of frames that began before the sound: it is thrown away.
        self._thrown = FRAME - HOP
        self._ready = np.zeros(AHEAD, np.float32)
        self._noise: Bins = np.zeros(0)
        self._smooth: Bins = np.zeros(FRAME // 2 + 1)
        self._lowest: Bins = np.zeros(0)
        self._parts: list[Bins] = []
        self._earlier: Bins = np.full(1, np.inf)
        self._least: Bins = np.zeros(0)
        self._count = 0
        self._before: Bins = np.zeros(FRAME // 2 + 1)

    def __call__(self, block: Sound) -> Sound:
        """The next block, shape (n,); as many samples, from `AHEAD` earlier on."""
        sound = np.concatenate((self._waiting, block.astype(np.float64)))
        made = [self._ready]
        count = (len(sound) - FRAME) // HOP + 1 if len(sound) >= FRAME else 0
        for number in range(count):
            made.append(self._frame(sound[number * HOP : number * HOP + FRAME]))
        self._waiting = sound[count * HOP :]
        out = np.concatenate(made)
        self._ready = out[len(block) :]
        return out[: len(block)]

    def _frame(self, samples: NDArray[np.float64]) -> Sound:
        spectrum = np.fft.rfft(samples * _SHAPE)
        self._sum += np.fft.irfft(spectrum * self._gain(np.abs(spectrum) ** 2), FRAME) * _SHAPE
        whole: Sound = self._sum[:HOP].astype(np.float32)
        self._sum = np.concatenate((self._sum[HOP:], np.zeros(HOP)))
        if self._thrown:
            self._thrown -= HOP
            return whole[:0]
        return whole

    def _gain(self, power: Bins) -> Bins:
        noise = np.maximum(self._learned(power), 1e-16)
        posterior = np.minimum(power / noise, 1e4)
        prior = np.maximum(_PRIOR * self._before / noise + (1.0 - _PRIOR) * np.maximum(posterior - 1.0, 0.0), _LEAST_PRIOR)
        share = prior / (1.0 + prior)
        gain: Bins = np.minimum(share * np.exp(0.5 * exp1(np.maximum(share * posterior, 1e-8))), 1.0)
        self._before = gain**2 * power
        kept: Bins = np.maximum(gain, self._floor)
        return kept

    def _learned(self, power: Bins) -> Bins:
        """The power of the noise in each bin, with this frame."""
        # The first frame is half of silence; and digital silence, where recordings were joined, is no room to learn from.
        if self._thrown or float(power.sum()) < 1e-12:
            return self._noise if len(self._noise) else power
        if self._count < _BEGINS:
            share = 1.0 / (self._count + 1)
            self._smooth = self._lowest = self._least = power * share + self._smooth * (1.0 - share)
            self._count += 1
            self._noise = self._smooth * min(1.0, _LOUDEST / float(self._smooth.sum()))
            return self._noise
        self._smooth = _SMOOTH * self._smooth + (1.0 - _SMOOTH) * power
        self._lowest = np.minimum(self._lowest, self._smooth)
        self._count += 1
        if self._count % _PART == 0:
            self._parts = [*self._parts, self._lowest][-_KEPT:]
            self._earlier = np.min(self._parts, axis=0)
            self._lowest = self._smooth.copy()
        least = np.minimum(self._earlier, self._lowest)
        if self._count > _LEARNS:
            # A phrase without a pause is not taken for a noise that began.
            least = np.minimum(least, self._least * _RISE)
        self._least = least
        quiet = self._smooth < _PRESENT * least
        followed = _FOLLOW * self._noise + (1.0 - _FOLLOW) * power
        noise = np.where(quiet, followed, self._noise)
        # What began within a word is not stuck with it.
        self._noise = np.clip(noise, least, _PRESENT * least)
        return self._noise
