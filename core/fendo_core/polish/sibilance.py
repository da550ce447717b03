"""How sharp the s of a voice is."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy.signal import butter, sosfilt

from fendo_core.audio.levels import decibels
from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds

SHARP = -9.0
"""dB, of the sharpest sounds above 5.5 kHz against the voice."""
_FRAME = milliseconds(10)


def sharpness(samples: NDArray[np.float32], phrases: Sequence[Span]) -> float | None:
    """`sharpness_of` what is spoken in a reading (mono at 48 kHz); None when that is less than a second."""
    spoken = [samples[max(0, span.start) : span.end] for span in phrases]
    voice = np.concatenate(spoken).astype(np.float64) if spoken else np.zeros(0)
    return sharpness_of(voice) if len(voice) >= SAMPLE_RATE else None


def sharpness_of(voice: NDArray[np.float64]) -> float:
    """Level above 5.5 kHz of the sharpest twentieth of frames of 10 ms, in dB against a voice without pauses."""
    high = sosfilt(butter(4, 5_500, "high", fs=SAMPLE_RATE, output="sos"), voice)
    power = np.mean(high[: len(high) // _FRAME * _FRAME].reshape(-1, _FRAME) ** 2, axis=1)
    loud = 10.0 * float(np.log10(max(float(np.percentile(power, 95)), 1e-12)))
    return loud - decibels(float(np.sqrt(np.mean(voice**2))))
