"""Where somebody speaks in a recording."""

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import binary_closing
from scipy.signal import resample_poly

from fendo_core.audio.levels import decibels
from fendo_core.timebase import SAMPLE_RATE, Span

_HOP = SAMPLE_RATE // 100
_VOICED_RATE = 8000


def frame_levels(samples: NDArray[np.float32], hop: int = _HOP) -> NDArray[np.float64]:
    """RMS level in dBFS of each 10 ms, shape (n // hop,)."""
    rows = samples[: len(samples) // hop * hop].reshape(-1, hop).astype(np.float64)
    rms = np.sqrt(np.mean(rows**2, axis=1))
    decibel: NDArray[np.float64] = 20.0 * np.log10(np.maximum(rms, 1e-6))
    return decibel


def noise_floor(samples: NDArray[np.float32]) -> float:
    """The quiet of the recording in dBFS: the level below which its quietest tenth lies.

    Digital silence (gaps that were filled) is left out, for it says nothing of the room.
    """
    return floor_of(frame_levels(samples))


def floor_of(levels: NDArray[np.float64]) -> float:
    """The same from the levels of each 10 ms."""
    heard = levels[levels > -119.0]
    return float(np.percentile(heard, 10)) if len(heard) else decibels(0.0)


def _voiced(samples: NDArray[np.float32]) -> NDArray[np.bool_]:
    """Whether each 10 ms has a pitch of 60-400 Hz: normalised autocorrelation above 0.55 over 40 ms windows."""
    low = resample_poly(samples.astype(np.float64), 1, SAMPLE_RATE // _VOICED_RATE)
    hop, width = _VOICED_RATE // 100, _VOICED_RATE // 25
    count = len(samples) // _HOP
    padded = np.pad(low, (width // 2, width + hop))
    windows = np.lib.stride_tricks.sliding_window_view(padded, width)[: count * hop : hop]
    windows = windows - windows.mean(axis=1, keepdims=True)
    spectrum = np.fft.rfft(windows, 2 * width, axis=1)
    correlation = np.fft.irfft(np.abs(spectrum) ** 2, axis=1)[:, :width]
    lags = np.arange(_VOICED_RATE // 400, _VOICED_RATE // 60)
    unbiased = correlation[:, lags] * (width / (width - lags))
    voiced: NDArray[np.bool_] = np.max(unbiased, axis=1) > 0.55 * np.maximum(correlation[:, 0], 1e-12)
    return voiced


def voiced(samples: NDArray[np.float32]) -> NDArray[np.bool_]:
    """Whether each 10 ms of mono samples at 48 kHz has a pitch, shape (n // 480,)."""
    return _voiced(samples)[: len(samples) // _HOP]


def phrases(samples: NDArray[np.float32], join: int = _HOP * 25) -> tuple[Span, ...]:
    """The spoken stretches of mono samples at 48 kHz, shape (n,), in order; see `phrases_of`."""
    return phrases_of(frame_levels(samples), voiced(samples), join)


def phrases_of(levels: NDArray[np.float64], voice: NDArray[np.bool_], join: int = _HOP * 25) -> tuple[Span, ...]:
    """The spoken stretches, in order: islands of energy that contain at least 40 ms of voice.

    An island lies 9 dB above the noise floor, or 45 dB below the loudest 10 ms if that is higher. Breaths and clicks
    have no voiced core and are left out; islands closer than `join` samples are one phrase.

    Args:
        levels: dBFS of each 10 ms, from `frame_levels`.
        voice: whether each 10 ms is voiced, from `voiced`; same shape.
        join: samples of quiet that do not end a phrase (250 ms).
    """
    if not len(levels) or float(np.max(levels)) < -70.0:
        return ()
    threshold = max(floor_of(levels) + 9.0, float(np.max(levels)) - 45.0)
    # A stop consonant inside a word is quiet for up to about 80 ms.
    loud = binary_closing(np.pad(levels > threshold, 8), iterations=4)[8:-8]
    edges = np.flatnonzero(np.diff(np.concatenate(([0], loud.view(np.int8), [0]))))
    islands = [
        Span(int(a) * _HOP, int(b) * _HOP)
        for a, b in zip(edges[::2], edges[1::2], strict=True)
        if np.count_nonzero(voice[a:b]) >= 4
    ]
    joined: list[Span] = []
    for island in islands:
        if joined and island.start - joined[-1].end < join:
            joined[-1] = Span(joined[-1].start, island.end)
        else:
            joined.append(island)
    return tuple(joined)
