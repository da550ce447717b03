"""Room tone that lasts: a few seconds of a room, heard again and again without a seam."""

import numpy as np
from numpy.typing import NDArray

from fendo_core.timebase import milliseconds

_FADE = milliseconds(50)


class Lasting:
    """A stretch of room tone that goes on for as long as is wanted.

    Args:
        sound: mono, shape (n,), at least one sample.
    """

    def __init__(self, sound: NDArray[np.float32]) -> None:
        fade = min(_FADE, len(sound) // 3)
        # Two stretches of noise that have nothing to do with one another: their powers add up.
        share = np.sin((np.arange(fade) + 0.5) / max(1, fade) * np.pi / 2).astype(np.float32)
        self._loop = sound[: len(sound) - fade].copy()
        self._loop[:fade] = self._loop[:fade] * share + sound[len(sound) - fade :] * share[::-1]

    def __call__(self, start: int, end: int) -> NDArray[np.float32]:
        """Samples start..end of it, shape (end - start,); they do not depend on what was asked before."""
        return self._loop[np.arange(start, end) % len(self._loop)]
