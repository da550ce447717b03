"""True peak of a sound (ITU-R BS.1770-5, annex 2): the highest point of the wave between the samples, four times as many.

Most of a sound lies so far under its peak that no interpolation can lift it there: only what could matter is interpolated.
"""

import numpy as np
from numpy.typing import NDArray

_FACTOR, TAPS = 4, 12
"""Points of a four-fold interpolation; each is made of so many samples."""
_CHUNK = 512
"""Samples that are looked at, or left out, together."""


def _filters() -> NDArray[np.float64]:
    """The three phases between two samples of a sinc under a Hann window, 49 points long, shape (3, 12)."""
    point = np.arange(_FACTOR * TAPS + 1)
    taps = np.sinc((point - point[-1] / 2) / _FACTOR) * 0.5 * (1.0 - np.cos(2.0 * np.pi * point / point[-1]))
    return np.stack([taps[phase::_FACTOR] for phase in range(1, _FACTOR)])


_PHASES = _filters()
_MOST = float(np.abs(_PHASES).sum(axis=1).max())
"""So many times as high as the samples around it a point can be, at most."""


def around(size: NDArray[np.float64], length: int) -> NDArray[np.float64]:
    """The highest sample of which the points of each chunk are made.

    Args:
        size: amplitudes, shape (length + TAPS - 1,): of the samples before the first point, and those of the points.
        length: points; a chunk has 512 of them, the last one fewer.
    """
    count = -(-length // _CHUNK)
    padded = np.zeros((count + 1) * _CHUNK)
    padded[: len(size)] = size
    rows = padded.reshape(count + 1, _CHUNK)
    found: NDArray[np.float64] = np.maximum(rows[:-1].max(axis=1), rows[1:, : TAPS - 1].max(axis=1))
    return found


def stretches(wanted: NDArray[np.bool_], length: int) -> list[tuple[int, int]]:
    """Runs of wanted chunks, as first point and the one after the last."""
    edges = np.flatnonzero(np.diff(np.concatenate(([0], wanted.view(np.int8), [0])))) * _CHUNK
    return [(first, min(last, length)) for first, last in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True)]


class TruePeak:
    """The true peak of one channel that comes block by block; it does not depend on where blocks are cut.

    `highest` is an amplitude, full scale 1.0, of all blocks so far.
    """

    def __init__(self) -> None:
        self.highest = 0.0
        self._before = np.zeros(TAPS - 1, np.float64)

    def add(self, block: NDArray[np.float32]) -> None:
        """The next block, mono, shape (n,)."""
        if not len(block):
            return
        sound: NDArray[np.float64] = np.concatenate((self._before, block))
        self._before = sound[-(TAPS - 1) :].copy()
        size, length = np.abs(sound), len(block)
        reach = _MOST * around(size, length)
        self.highest = max(self.highest, float(size[TAPS - 1 :].max()))
        # Where it may be highest first: afterwards little else can matter.
        for least in (reach.max(), self.highest):
            for first, last in stretches(reach >= max(least, self.highest), length):
                self._look(sound[first : last + TAPS - 1])

    def _look(self, part: NDArray[np.float64]) -> None:
        """Interpolate a stretch."""
        for taps in _PHASES:
            self.highest = max(self.highest, float(np.max(np.abs(np.convolve(part, taps, "valid")))))
