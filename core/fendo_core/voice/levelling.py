"""Phrases brought nearer to one another, as a hand on the fader would: slowly, and in the pauses where there are any."""

from collections import deque
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
        self._hops: deque[Sound] = deque()
        self._powers: deque[float] = deque([0.0] * _BEHIND, maxlen=_BEHIND + 1 + _AHEAD)
        self._voiced: deque[bool] = deque([False] * _BEHIND, maxlen=_BEHIND + 1 + _AHEAD)
        self._loud = _QUIETEST
        self._sum, self._count = 0.0, 0
        self._target, self._gain = 0.0, 0.0
        self._begun = False

    def __call__(self, block: Sound) -> Sound:
        """The next block, shape (n,); as many samples, from `AHEAD` earlier on."""
        sound = np.concatenate((self._waiting, block))
        made, count = [self._ready], len(sound) // HOP
        for number in range(count):
            hop = sound[number * HOP : (number + 1) * HOP]
            self._hear(hop)
            if len(self._hops) > _AHEAD:
                made.append(self._moved(self._hops.popleft()))
        self._waiting = sound[count * HOP :]
        out = np.concatenate(made)
        self._ready = out[len(block) :]
        return out[: len(block)]

    def _hear(self, hop: Sound) -> None:
        heard, self._memory = sosfilt(self._high, hop.astype(np.float64), zi=self._memory)
        power = float(np.mean(heard**2))
        level = 10.0 * float(np.log10(max(power, 1e-12)))
        self._loud = max(self._loud - _FORGETS, level)
        voiced = level > max(self._loud - _BELOW_LOUD, _QUIETEST)
        if voiced:
            self._sum, self._count = self._sum + power, self._count + 1
        self._hops.append(hop)
        self._powers.append(power)
        self._voiced.append(voiced)

    def _moved(self, hop: Sound) -> Sound:
        voiced = np.array(self._voiced)
        before = self._gain
        if int(np.count_nonzero(voiced)) >= _FEWEST:
            own = 10.0 * np.log10(float(np.mean(np.array(self._powers)[voiced])))
            mean = 10.0 * np.log10(self._sum / self._count)
            self._target = float(np.clip(_NEARER * (mean - own), -self._most, self._most))
        if not self._begun:
            before, self._begun = self._target, True
        step = _STEP if voiced[_BEHIND] else _STEP_IN_PAUSE
        self._gain = before + float(np.clip(self._target - before, -step, step))
        gains = np.power(10.0, np.linspace(before, self._gain, HOP, endpoint=False) / 20.0)
        moved: Sound = (hop * gains).astype(np.float32)
        return moved
