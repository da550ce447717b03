"""Whether what was played while somebody read is in the recording too: headphones that leak, or a loudspeaker left on."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.signal import butter, correlate, sosfilt

from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds

Sound = NDArray[np.float32]

WINDOW = 4096
REACH = milliseconds(120)
"""Samples by which it may come earlier or later than it was played: the way is measured to less than that."""
HEARD = 48.0
"""dB below the voice up to which it is said."""
_BAND = (200.0, 6_000.0)
_LEAST_WINDOWS = 12
_LEAST_SHARE = 0.12
"""Of the power between the words: less of it may be chance."""
_AROUND = milliseconds(120)


@dataclass(frozen=True, slots=True)
class Bleed:
    """`level` of what is heard of the programme, dBFS RMS between the words; `below` the voice, in dB."""

    level: float
    below: float


def bleed(take: Sound, programme: Sound, phrases: Sequence[Span]) -> Bleed | None:
    """What of the programme is in a take; None where nothing is, or too little was played or paused to tell.

    It is looked for between the words only, as the part of the take that is coherent with the programme (Welch's averages;
    the bias of few windows is taken off: Carter, Knapp and Nuttall, 1973).

    Args:
        take: mono at 48 kHz, shape (n,).
        programme: what was played meanwhile, mono, aligned with it, shape (n,).
        phrases: where somebody speaks in the take.
    """
    count = min(len(take), len(programme))
    if not phrases or count < 4 * WINDOW:
        return None
    band = butter(2, _BAND, "band", fs=SAMPLE_RATE, output="sos")
    heard = sosfilt(band, take[:count].astype(np.float64))
    played = sosfilt(band, programme[:count].astype(np.float64))
    voice = np.concatenate([take[max(0, span.start) : span.end].astype(np.float64) for span in phrases])
    free = np.ones(count, bool)
    for span in phrases:
        free[max(0, span.start - _AROUND) : max(0, span.end + _AROUND)] = False
    if not len(voice) or free.sum() < 4 * WINDOW or np.mean(played[free] ** 2) < 1e-9:
        return None
    played = _aligned(np.where(free, heard, 0.0), played)
    starts = [at for at in range(0, count - WINDOW + 1, WINDOW // 2) if free[at : at + WINDOW].all()]
    if len(starts) < _LEAST_WINDOWS:
        return None
    shape = np.hanning(WINDOW)
    rows = np.stack([np.stack([heard[at : at + WINDOW], played[at : at + WINDOW]]) for at in starts]) * shape
    spectra = np.fft.rfft(rows, axis=2)
    own, other = (np.mean(np.abs(spectra[:, side]) ** 2, axis=0) for side in (0, 1))
    cross = np.abs(np.mean(spectra[:, 0] * np.conj(spectra[:, 1]), axis=0)) ** 2
    coherence = cross / np.maximum(own * other, 1e-30)
    # Windows that lie half over one another count for about two thirds of as many that do not.
    independent = max(2.0, len(starts) * 0.65)
    kept = np.clip(coherence - (1.0 - coherence) / (independent - 1.0), 0.0, 1.0)
    share = float(np.sum(kept * own) / max(float(np.sum(own)), 1e-30))
    if share < _LEAST_SHARE:
        return None
    level = 10.0 * float(np.log10(max(share * float(np.mean(heard[free] ** 2)), 1e-14)))
    below = 10.0 * float(np.log10(max(float(np.mean(voice**2)), 1e-14))) - level
    return Bleed(round(level, 1), round(below, 1)) if below <= HEARD else None


def _aligned(heard: NDArray[np.float64], played: NDArray[np.float64]) -> NDArray[np.float64]:
    """What was played, moved to where it is heard."""
    found = correlate(heard, played, "full", "fft")
    middle = len(played) - 1
    near = found[middle - REACH : middle + REACH + 1]
    lag = int(np.argmax(np.abs(near))) - REACH
    moved = np.roll(played, lag)
    if lag > 0:
        moved[:lag] = 0.0
    elif lag < 0:
        moved[lag:] = 0.0
    return moved
