"""Phrases brought nearer to one another, as a hand on the fader would: slowly, and in the pauses where there are any."""

from collections import deque
from math import log10
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray
from scipy.signal import butter, sosfilt

from fendo_core.timebase import SAMPLE_RATE, milliseconds

Sound: TypeAlias = NDArray[np.float32]

HOP = milliseconds(10)
_AHEAD, _BEHIND = 120, 40
"""Hops of which a phrase's level is the mean: 1.2 s to come, 0.4 s gone."""
AHEAD = (_AHEAD + 1) * HOP
"""Samples that it must hear before it gives the first one."""
_FEWEST = 15
"""Hops with a voice below which nothing is known of a phrase: the fader stays where it is."""
_BELOW_LOUD, _QUIETEST = 24.0, -58.0
"""dB below what is loud, and dBFS, from which on a hop holds no voice."""
_FORGETS = 0.02
"""dB by which what is loud is taken for less, hop by hop."""
_NEARER = 0.8
"""Of what a phrase differs by so much is taken away: all of it would sound flat."""
_STEP, _STEP_IN_PAUSE = 0.05, 0.3
"""dB by which the fader moves at most in a hop: 5 dB a second within words, 30 between them."""


class Levelling:
    """Lifts quiet phrases and lowers loud ones towards the mean of what was said so far, by `most` dB at most, block after
    block; it does not matter where blocks are cut.

    What comes out lags `AHEAD` samples behind what comes in: silence comes out first, and whoever wants the end of the
    sound has to put in that many more samples.
    """

    def __init__(self, most: float) -> None:
        self._most = most
        self._high = butter(2, 120, "high", fs=SAMPLE_RATE, output="sos")
        self._memory = np.zeros((1, 2))
        self._waiting = np.zeros(0, np.float32)
        self._ready = np.zeros(AHEAD, np.float32)
        self._held = np.zeros(0, np.float32)
        # Of each hop its power where it holds a voice, else 0: those gone, the one that comes out, those to come.
        self._voices: deque[float] = deque([0.0] * _BEHIND)
        self._loud = _QUIETEST
        self._near_sum, self._near = 0.0, 0
        self._sum, self._count = 0.0, 0
        self._target, self._gain = 0.0, 0.0
        self._begun = False

    def __call__(self, block: Sound) -> Sound:
        """The next block, shape (n,); as many samples, from `AHEAD` earlier on."""
        sound = np.concatenate((self._waiting, block))
        count = len(sound) // HOP
        whole, self._waiting = sound[: count * HOP], sound[count * HOP :]
        gains = []
        for power in self._powers(whole):
            self._hear(float(power))
            if len(self._voices) > _BEHIND + _AHEAD:
                gains.append(self._moved())
        held = np.concatenate((self._held, whole))
        length = len(gains) * HOP
        self._held = held[length:]
        out = np.concatenate((self._ready, _faded(held[:length], gains)))
        self._ready = out[len(block) :]
        return out[: len(block)]

    def _powers(self, whole: Sound) -> NDArray[np.float64]:
        if not len(whole):
            return np.zeros(0)
        filtered, self._memory = sosfilt(self._high, whole.astype(np.float64), zi=self._memory)
        powers: NDArray[np.float64] = np.mean(filtered.reshape(-1, HOP) ** 2, axis=1)
        return powers

    def _hear(self, power: float) -> None:
        level = 10.0 * log10(max(power, 1e-12))
        self._loud = max(self._loud - _FORGETS, level)
        voiced = level > max(self._loud - _BELOW_LOUD, _QUIETEST)
        self._voices.append(power if voiced else 0.0)
        if voiced:
            self._sum, self._count = self._sum + power, self._count + 1
            self._near_sum, self._near = self._near_sum + power, self._near + 1

    def _moved(self) -> tuple[float, float]:
        """Where the fader stands before and behind the hop that comes out, in dB."""
        before = self._gain
        if self._near >= _FEWEST:
            own = 10.0 * log10(max(self._near_sum / self._near, 1e-12))
            mean = 10.0 * log10(self._sum / self._count)
            self._target = min(max(_NEARER * (mean - own), -self._most), self._most)
        if not self._begun:
            before, self._begun = self._target, True
        step = _STEP if self._voices[_BEHIND] else _STEP_IN_PAUSE
        self._gain = before + min(max(self._target - before, -step), step)
        if gone := self._voices.popleft():
            self._near_sum, self._near = self._near_sum - gone, self._near - 1
        return before, self._gain


def _faded(sound: Sound, gains: list[tuple[float, float]]) -> Sound:
    """A sound of whole hops, each faded from one gain in dB to the other: in a hop it moves by too little for a straight
    line to matter."""
    if not gains:
        return sound
    first, last = 10.0 ** (np.array(gains).T / 20.0)
    factors = first[:, np.newaxis] + (last - first)[:, np.newaxis] * (np.arange(HOP) / HOP)
    faded: Sound = (sound.reshape(-1, HOP) * factors).astype(np.float32).reshape(-1)
    return faded
