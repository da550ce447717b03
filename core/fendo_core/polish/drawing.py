"""What a treatment does to a voice, to be drawn and to be heard alone."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.signal import welch

from fendo_core.timebase import SAMPLE_RATE, milliseconds
from fendo_core.voice.chain import Chain
from fendo_core.voice.treatment import Sound, response, through

STEP = milliseconds(20)
"""Samples in a column of what a stage holds back."""
HELD_BACK = ("plosives", "steady", "noise", "sibilance", "compressor")
"""Stages that work by the voice's level."""
_PITCHES = 20.0 * 1000.0 ** (np.arange(97) / 96)
"""Hz: 20 to 20,000 in equal steps of pitch."""
_FLOOR = 1e-8
"""Power below which nothing is heard, so that nothing can be held back."""


@dataclass(frozen=True, slots=True)
class Drawing:
    """All levels in dB, all arrays shape (columns,).

    Attributes:
        hertz: the frequencies of the first three.
        response: what the filters do.
        before, after: the voice's own spectrum, a third of an octave wide, relative to full scale.
        held: by stage, what it holds back in each `STEP` samples, 0 or more.
    """

    hertz: NDArray[np.float64]
    response: NDArray[np.float64]
    before: NDArray[np.float64]
    after: NDArray[np.float64]
    held: dict[str, NDArray[np.float64]]


def drawing(samples: Sound, chain: Chain) -> Drawing:
    """What a chain does to a voice, mono at 48 kHz, shape (n,) with n > 0."""
    treated, held = samples, dict[str, NDArray[np.float64]]()
    for kind, before, after in through(samples, chain):
        treated = after
        if kind in HELD_BACK:
            one, other = _power(before), _power(after)
            loud = one > _FLOOR
            drop = np.zeros(len(one))
            drop[loud] = 10.0 * np.log10(one[loud] / np.maximum(other[loud], _FLOOR / 100.0))
            held[kind] = np.maximum(drop, 0.0)
    return Drawing(_PITCHES, response(chain, _PITCHES), _spectrum(samples), _spectrum(treated), held)


def taken_away(samples: Sound, chain: Chain, kind: str) -> Sound:
    """What one stage takes away: what comes into it without what goes out, at its place in the chain.

    Raises:
        ValueError: when that stage is not on.
    """
    for each, before, after in through(samples, chain):
        if each == kind:
            return before - after
    raise ValueError("this stage is not on")


def _power(samples: Sound) -> NDArray[np.float64]:
    columns = -(-len(samples) // STEP)
    padded = np.zeros(columns * STEP)
    padded[: len(samples)] = samples
    power: NDArray[np.float64] = np.mean(padded.reshape(columns, STEP) ** 2, axis=1)
    return power


def _spectrum(samples: Sound) -> NDArray[np.float64]:
    hertz, density = welch(samples.astype(np.float64), SAMPLE_RATE, "hann", min(8192, len(samples)), scaling="density")
    total = np.concatenate(([0.0], np.cumsum(density))) * (hertz[1] if len(hertz) > 1 else 1.0)
    edges = np.append(hertz, SAMPLE_RATE / 2)

    def below(limit: NDArray[np.float64]) -> NDArray[np.float64]:
        return np.interp(limit, edges, total)

    half = 2.0 ** (1.0 / 6.0)
    power = below(_PITCHES * half) - below(_PITCHES / half)
    found: NDArray[np.float64] = 10.0 * np.log10(np.maximum(power, 1e-14))
    return found
