"""Steady noise taken out from beneath a voice: a fan, hiss, what is left of a hum.

What the noise is like is learned from the sound itself and followed (minima-controlled recursive averaging: Cohen and
Berdugo, Noise estimation by minima controlled recursive averaging, IEEE SPL 9, 2002). Each bin is lowered by as much as it
is likely to be noise (log-spectral amplitude estimator with the decision-directed prior: Ephraim and Malah, IEEE Trans.
ASSP 33, 1985), and by no more than was asked for, so that the room stays in the pauses and nothing twitters.
"""

from typing import TypeAlias

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray
from scipy.special import exp1

from fendo_core.timebase import SAMPLE_RATE

Sound: TypeAlias = NDArray[np.float32]
Bins: TypeAlias = NDArray[np.float32]

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
_AT_ONCE = 64
"""Frames that are transformed at once."""
_PRIOR = 0.96
_LEAST_PRIOR = 10.0**-2.5
_FEWER_BITS = 15
_LEAST_LIKELY, _MOST_LIKELY = np.float32(1e-7), np.float32(64.0)
_FIRST_STEP = int(_LEAST_LIKELY.view(np.int32)) >> _FEWER_BITS
_KEPT_MORE: Bins = np.exp(
    0.5
    * exp1(
        (np.arange(_FIRST_STEP, int(_MOST_LIKELY.view(np.int32)) >> _FEWER_BITS) << _FEWER_BITS)
        .astype(np.int32)
        .view(np.float32)
    )
).astype(np.float32)
"""By how much more than Wiener's filter the estimator keeps. The exponential integral takes too long to work out for each
bin of each frame: it is looked up by a number's exponent and the first eight bits behind it, 0.02 dB off at most."""


class SteadyNoise:
    """Lowers steady noise by `most` dB at most, block after block; it does not matter where blocks are cut.

    What comes out lags `AHEAD` samples behind what comes in: silence comes out first, and whoever wants the end of the
    sound has to put in that many more samples.
    """

    def __init__(self, most: float) -> None:
        self._floor = 10.0 ** (-most / 20.0)
        self._waiting = np.zeros(FRAME - HOP, np.float64)
        self._tail = np.zeros(HOP, np.float64)
        # The first hop is of frames that began before the sound: it is thrown away.
        self._thrown, self._begun = FRAME - HOP, False
        self._ready = np.zeros(AHEAD, np.float32)
        self._noise: Bins = np.zeros(0, np.float32)
        self._smooth: Bins = np.zeros(FRAME // 2 + 1, np.float32)
        self._lowest: Bins = np.zeros(0, np.float32)
        self._parts: list[Bins] = []
        self._earlier: Bins = np.full(1, np.inf, np.float32)
        self._least: Bins = np.zeros(0, np.float32)
        self._count = 0
        self._before: Bins = np.zeros(FRAME // 2 + 1, np.float32)

    def __call__(self, block: Sound) -> Sound:
        """The next block, shape (n,); as many samples, from `AHEAD` earlier on."""
        sound = np.concatenate((self._waiting, block.astype(np.float64)))
        made = [self._ready]
        count = (len(sound) - FRAME) // HOP + 1 if len(sound) >= FRAME else 0
        for first in range(0, count, _AT_ONCE):
            last = min(count, first + _AT_ONCE)
            made.append(self._frames(sliding_window_view(sound, FRAME)[first * HOP : (last - 1) * HOP + 1 : HOP]))
        self._waiting = sound[count * HOP :]
        out = np.concatenate(made)
        self._ready = out[len(block) :]
        return out[: len(block)]

    def _frames(self, samples: NDArray[np.float64]) -> Sound:
        """What comes out of frames that follow one another, shape (n, FRAME). Only what is learned goes frame by frame."""
        spectra = np.fft.rfft(samples * _SHAPE)
        powers: Bins = (spectra.real**2 + spectra.imag**2).astype(np.float32)
        out = np.fft.irfft(spectra * self._gains(powers, self._learned(powers)), FRAME) * _SHAPE
        tails = np.concatenate((self._tail[np.newaxis], out[:-1, HOP:]))
        self._tail = out[-1, HOP:]
        whole: Sound = (tails + out[:, :HOP]).astype(np.float32).reshape(-1)
        thrown, self._thrown = self._thrown, 0
        return whole[thrown:]

    def _gains(self, powers: Bins, noises: Bins) -> Bins:
        """By what each bin of each frame is multiplied, shape (n, bins)."""
        noises = np.maximum(noises, np.float32(1e-16))
        posterior = np.minimum(powers / noises, np.float32(1e4))
        new, old = (1.0 - _PRIOR) * np.maximum(posterior - 1.0, 0.0), _PRIOR / noises
        gains, before = np.empty_like(powers), self._before
        for number, power in enumerate(powers):
            prior = np.maximum(old[number] * before + new[number], _LEAST_PRIOR)
            share = prior / (prior + 1.0)
            likely = np.minimum(np.maximum(share * posterior[number], _LEAST_LIKELY), _MOST_LIKELY)
            more = _KEPT_MORE.take((likely.view(np.int32) >> _FEWER_BITS) - _FIRST_STEP, mode="clip")
            gain = np.minimum(share * more, 1.0)
            before = gain * gain * power
            gains[number] = gain
        self._before = before
        kept: Bins = np.maximum(gains, self._floor)
        return kept

    def _learned(self, powers: Bins) -> Bins:
        """The power of the noise in each bin, with each of these frames; shape (n, bins)."""
        noises = np.empty_like(powers)
        # Digital silence, where recordings were joined, is no room to learn from.
        sounds = powers.sum(axis=1) >= 1e-12
        smooths, follows = (1.0 - _SMOOTH) * powers, (1.0 - _FOLLOW) * powers
        for number, power in enumerate(powers):
            # The first frame is half of silence.
            first, self._begun = not self._begun, True
            if first or not sounds[number]:
                noises[number] = self._noise if len(self._noise) else power
                continue
            if self._count < _BEGINS:
                self._begin(power)
            else:
                self._follow(smooths[number], follows[number])
            noises[number] = self._noise
        return noises

    def _begin(self, power: Bins) -> None:
        """Hear one of the first frames: their mean is what it begins with."""
        share = 1.0 / (self._count + 1)
        self._smooth = self._lowest = self._least = power * share + self._smooth * (1.0 - share)
        self._count += 1
        self._noise = self._smooth * min(1.0, _LOUDEST / float(self._smooth.sum()))

    def _follow(self, smooth: Bins, follow: Bins) -> None:
        """Hear one more frame, of which so much goes into the two means."""
        self._smooth = _SMOOTH * self._smooth + smooth
        self._lowest = np.minimum(self._lowest, self._smooth)
        self._count += 1
        if self._count % _PART == 0:
            self._parts = [*self._parts, self._lowest][-_KEPT:]
            self._earlier = np.min(self._parts, axis=0)
            self._lowest = self._smooth
        least = np.minimum(self._earlier, self._lowest)
        if self._count > _LEARNS:
            # A phrase without a pause is not taken for a noise that began.
            least = np.minimum(least, self._least * _RISE)
        self._least = least
        most = _PRESENT * least
        noise = np.where(self._smooth < most, _FOLLOW * self._noise + follow, self._noise)
        # What began within a word is not stuck with it.
        self._noise = np.minimum(np.maximum(noise, least), most)
