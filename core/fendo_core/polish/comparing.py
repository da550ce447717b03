"""Readings made as loud as one another, so that none is preferred for being louder."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from fendo_core.audio.levels import gain, measure

Sound = NDArray[np.float32]

WANTED = -20.0
"""LUFS, as dual mono: low enough for most readings to have room above."""
HIGHEST = -1.0
"""dBTP that none of them passes."""


class TooShort(ValueError):
    """Too little is heard to say how loud it is."""


def as_loud(sounds: Sequence[Sound]) -> list[Sound]:
    """Sounds at one loudness (integrated, ITU-R BS.1770-5): `WANTED`, or as far below it as keeps all of their true peaks
    under `HIGHEST`.

    Args:
        sounds: each mono at 48 kHz, shape (n,).

    Raises:
        TooShort: when one of them can't be measured.
    """
    levels = [measure(sound) for sound in sounds]
    loudness = [one.loudness for one in levels if one.loudness is not None]
    if len(loudness) < len(levels):
        raise TooShort("too little is said to compare how it sounds")
    room = [HIGHEST - one.true_peak + loud for one, loud in zip(levels, loudness, strict=True)]
    wanted = min([WANTED, *room])
    return [(sound * gain(wanted - loud)).astype(np.float32) for sound, loud in zip(sounds, loudness, strict=True)]
