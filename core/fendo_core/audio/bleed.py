"""What was played while somebody read, where it is in the recording too: headphones that leak, or a loudspeaker left on.

What was played is known. Its way to the microphone is estimated as a short filter; what was played, sent through it, is
what leaked. It is taken away from what the ear listens to, so that it is not taken for words; nobody hears what is left.
"""

from collections.abc import Callable, Sequence
from typing import TypeAlias

import numpy as np
import soxr
from numpy.typing import NDArray
from scipy import fft
from scipy.ndimage import uniform_filter1d
from scipy.signal import oaconvolve

from fendo_core.audio.levels import hop_levels
from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds

Sound = NDArray[np.float32]
Spectra = NDArray[np.complex64]

_RATE = SAMPLE_RATE // 2
"""What leaks is looked for at half the rate: headphones let nothing through that is higher."""
_WINDOW, _STEP = 4096, 1024
_REACH = _RATE * 120 // 1000
"""It may come so much earlier or later than it was played."""
MARGIN = milliseconds(200)
"""Samples of the programme that are asked for before and behind a take: some of it comes late, and rings."""
HEARD = 48.0
"""dB below the voice up to which it is said."""
_BEFORE, _BEHIND = _RATE * 3 // 1000, _RATE * 40 // 1000
"""Samples of the way's filter before and behind where most of it lies."""
_STRETCH = 12 * _RATE
"""So much is looked at together: clocks of two devices drift apart, and heads move."""
_ROUNDS, _HEARD_AT_ALL = 3, 0.1
"""So often clocks that drift apart are told better, where anything is heard at all."""
_LEAST_DRIFT, _MOST_DRIFT = 3e-6, 3e-4
_BAND = (150.0, 10_000.0)
_ALIKE = 0.4
"""How alike the ways are that two halves of a sound tell, where there is one: by chance they are not alike at all."""

_HOP = milliseconds(10)
_HERTZ = fft.rfftfreq(_WINDOW, 1 / _RATE)
_PASSED = np.clip(2.0 * _HERTZ / _BAND[0] - 1.0, 0.0, 1.0) * np.clip((12_000.0 - _HERTZ) / 2_000.0, 0.0, 1.0)
_RISE, _FALL = _RATE * 2 // 1000, _RATE * 10 // 1000
_KEPT = np.concatenate(
    (np.hanning(2 * _RISE)[:_RISE], np.ones(_BEFORE + _BEHIND - _RISE - _FALL), np.hanning(2 * _FALL)[_FALL:])
)


def leaked(take: Sound, programme: Sound) -> Sound | None:
    """What of the programme is in a take, shape (n,); None where nothing of it is, or too little was played to tell.

    Each bin's way is the weighted least-squares ratio of take and programme. What is loud in the take, the reader, weighs
    little; what is left sets the weights anew (iteratively reweighted least squares: Holland and Welsch, 1977).
    The way is believed when two halves of the sound tell the same one.

    Args:
        take: mono at 48 kHz, shape (n,).
        programme: what was played meanwhile, mono, from `MARGIN` samples before it to `MARGIN` behind it, shape
            (n + 2 * MARGIN,).
    """
    count = len(take) & ~1
    if count < 8 * _WINDOW:
        return None
    heard, played = (soxr.resample(one, SAMPLE_RATE, _RATE) for one in (take[:count], programme[: count + 2 * MARGIN]))
    found = np.zeros(len(heard), np.float32)
    edges = np.linspace(0, len(heard), max(1, round(len(heard) / _STRETCH)) + 1).astype(int).tolist()
    for first, last in zip(edges[:-1], edges[1:], strict=True):
        around = played[first : last + MARGIN]
        if last - first < 4 * _WINDOW or float(np.mean(around**2)) < 1e-9:
            continue
        part = heard[first:last]
        alike, way, moved = _way(part, around)
        if alike >= _ALIKE:
            found[first:last] = oaconvolve(moved, way, "valid")[1 : len(part) + 1]
    if not found.any():
        return None
    leak, whole = np.zeros(len(take), np.float32), soxr.resample(found, _RATE, SAMPLE_RATE)[:count]
    leak[: len(whole)] = whole
    return leak


Played: TypeAlias = Callable[[Span], Sound | None]
"""What was played at a stretch of a take, in its samples (it may reach beyond it), mono; None: nothing was."""


def leaked_at(block: Sound, start: int, played: Played) -> Sound | None:
    """The same of a block of a take that begins at its sample `start`."""
    programme = played(Span(start - MARGIN, start + len(block) + MARGIN))
    return None if programme is None else leaked(block, programme)


def without_programme(take: Sound, played: Played) -> Sound:
    """A take without what leaked into it."""
    leak = leaked_at(take, 0, played)
    return take if leak is None else take - leak


class BleedMeter:
    """How far below the voice the programme is heard in a take that comes block by block: two numbers for each 10 ms."""

    def __init__(self) -> None:
        self._takes: list[NDArray[np.float64]] = []
        self._leaks: list[NDArray[np.float64]] = []

    def add(self, take: Sound, leak: Sound | None) -> None:
        """The next block and what leaked into it; all blocks but the last hold a whole number of 10 ms."""
        self._takes.append(10.0 ** (hop_levels(take, _HOP) / 10.0))
        self._leaks.append(10.0 ** (hop_levels(np.zeros_like(take) if leak is None else leak, _HOP) / 10.0))

    def read(self, phrases: Sequence[Span]) -> float | None:
        """dB below the voice; None where nobody speaks, or it is more than `HEARD`.

        Args:
            phrases: where somebody speaks, in samples.
        """
        take, leak = np.concatenate(self._takes), np.concatenate(self._leaks)
        voice = np.concatenate([take[span.start // _HOP : span.end // _HOP] for span in phrases] or [take[:0]])
        leaks = leak > 2e-12
        if not len(voice) or not leaks.any():
            return None
        below = 10.0 * float(np.log10(np.mean(voice) / np.mean(leak[leaks])))
        return round(below, 1) if below <= HEARD else None


def _lag(heard: Sound, played: Sound) -> int:
    """By how many samples what was played is heard later: the generalized cross-correlation with phase transform (Knapp and
    Carter, 1976), what is loud in the take turned down."""
    level = np.sqrt(np.maximum(uniform_filter1d(heard**2, _RATE // 50), 0.0))
    even = heard / np.maximum(level, max(1e-6, float(np.quantile(level, 0.1))))
    size = fft.next_fast_len(2 * len(heard), real=True)
    cross = fft.rfft(even, size) * np.conj(fft.rfft(played, size))
    hertz = fft.rfftfreq(size, 1 / _RATE)
    cross = np.where((hertz > 300.0) & (hertz < 6000.0), cross / np.maximum(np.abs(cross), 1e-20), 0.0)
    found = fft.irfft(cross, size)
    near = np.abs(np.concatenate((found[-_REACH:], found[: _REACH + 1])))
    return int(np.argmax(near)) - _REACH


def _way(heard: Sound, around: Sound) -> tuple[float, Sound, Sound]:
    """The way from what was played to what is heard of it.

    Args:
        heard: shape (n,).
        around: what was played, from half of `MARGIN` before it to half of `MARGIN` behind it.

    Returns:
        How alike two halves tell it (1: the same); the way as a filter that begins `_BEFORE` samples ahead of time; and
        what goes through it, from `_BEHIND` samples before what is heard to `_BEFORE` behind it.
    """
    middle, times = MARGIN // 2, np.arange(-_BEHIND, len(heard) + _BEFORE)
    lag = _lag(heard, around[middle : middle + len(heard)])
    moved = around[middle - lag + times]
    alike, way, drift = _fitted(heard, moved)
    best, whole = (alike, way, moved), 0.0
    for _ in range(_ROUNDS):
        whole += drift
        if alike < _HEARD_AT_ALL or abs(drift) <= _LEAST_DRIFT or abs(whole) > _MOST_DRIFT:
            break
        slow = np.interp(middle - lag + times - whole * (times - len(heard) / 2), np.arange(len(around)), around)
        moved = slow.astype(np.float32)
        alike, way, drift = _fitted(heard, moved)
        best = max(best, (alike, way, moved), key=lambda one: one[0])
    return best


def _fitted(heard: Sound, moved: Sound) -> tuple[float, Sound, float]:
    """How alike two halves tell the way, the way, and by how many samples it grows longer each sample."""
    own, other = _spectra(heard), _spectra(moved[_BEHIND : _BEHIND + len(heard)])
    weights = _weights(own - _response(_filter(own, other, _weights(own))) * other)
    number = np.arange(len(own))

    def told(side: NDArray[np.bool_]) -> Sound:
        return _filter(own[side], other[side], weights[side])

    one, two = told(number // 12 % 2 == 0), told(number // 12 % 2 == 1)
    alike = float(np.dot(one, two)) / max(float(np.linalg.norm(one) * np.linalg.norm(two)), 1e-20)
    first = number < len(own) // 2
    # Between samples by a parabola through the three highest.
    across = np.correlate(told(~first), told(first), "full")
    at = int(np.clip(np.argmax(across), 1, len(across) - 2))
    left, top, right = (float(each) for each in across[at - 1 : at + 2])
    slip = at - len(across) // 2 + 0.5 * (left - right) / min(left - 2.0 * top + right, -1e-20)
    # What the reader is silent beside tells most: so far apart the two halves are told.
    told_by = np.sum(weights * np.abs(other) ** 2, axis=1)
    places = [float(np.average(number[side], weights=told_by[side] + 1e-20)) for side in (first, ~first)]
    return alike, _filter(own, other, weights), slip / (_STEP * (places[1] - places[0]))


def _spectra(sound: Sound) -> Spectra:
    """Shape (frames, bins)."""
    rows = np.lib.stride_tricks.sliding_window_view(sound, _WINDOW)[::_STEP]
    spectra: Spectra = fft.rfft(rows * np.hanning(_WINDOW).astype(np.float32), axis=1)
    return spectra


def _weights(rest: Spectra) -> Sound:
    """What is loud tells little of what is not."""
    power = uniform_filter1d(rest.real**2 + rest.imag**2, 9, axis=1, mode="nearest")
    return np.asarray(1.0 / np.maximum(power, 1e-9), np.float32)


def _filter(own: Spectra, other: Spectra, weights: Sound) -> Sound:
    """The way as a filter, from the ratio of each bin."""
    weighted = weights * np.conj(other)
    above, below = np.sum(weighted * own, axis=0), np.sum(weighted * other, axis=0).real
    below = np.maximum(below, 1e-12)
    # Weights make what is chance in each ratio 1 / below; what is more than chance says how loud the way is.
    loud = (float(np.sum(np.abs(above) ** 2 / below)) - len(below)) / float(np.sum(below))
    around = fft.irfft(above / (below + 1.0 / max(loud, 1e-9)) * _PASSED)
    return np.asarray(np.concatenate((around[-_BEFORE:], around[:_BEHIND])) * _KEPT, np.float32)


def _response(way: Sound) -> Spectra:
    placed = np.zeros(_WINDOW, np.float32)
    placed[:_BEHIND], placed[-_BEFORE:] = way[_BEFORE:], way[:_BEFORE]
    response: Spectra = fft.rfft(placed)
    return response
