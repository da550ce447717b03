"""Levels of a voice by numbers: peaks, loudness, clipping, and the waveform that people see."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pyebur128 import (
    MeasurementMode,
    R128State,
    get_loudness_global,
    get_loudness_momentary,
    get_loudness_range,
    get_loudness_shortterm,
)

from fendo_core.audio.true_peak import TruePeak
from fendo_core.timebase import SAMPLE_RATE, Span

OVERVIEW_BLOCK = 480
"""Samples in one column of a stored waveform (10 ms)."""


DUAL_MONO = 10.0 * math.log10(2.0)
"""LU by which one voice on two loudspeakers is louder than on one. A voice is measured as it is heard in the film, so that
its loudness and that of a stereo film are told on one scale."""


def decibels(amplitude: float, floor: float = -120.0) -> float:
    """Amplitude (1.0 = full scale) in dBFS, never below `floor`."""
    return max(floor, 20.0 * math.log10(amplitude)) if amplitude > 0 else floor


def hop_levels(samples: NDArray[np.floating], hop: int) -> NDArray[np.float64]:
    """RMS level of each whole hop of mono samples in dBFS, never below -120; shape (len(samples) // hop,)."""
    rows = samples[: len(samples) // hop * hop].reshape(-1, hop).astype(np.float64)
    found: NDArray[np.float64] = 10.0 * np.log10(np.maximum(np.mean(rows**2, axis=1), 1e-12))
    return found


@dataclass(frozen=True, slots=True)
class Levels:
    """`peak` in dBFS, `true_peak` in dBTP (ITU-R BS.1770-5 annex 2), `loudness` integrated in LUFS as dual mono
    (EBU R 128; None when it is too short or too quiet for the gate), `clipped` stretches of the sound."""

    peak: float
    true_peak: float
    loudness: float | None
    clipped: tuple[Span, ...]


class Meter:
    """Levels of a sound that comes block by block, so that its length costs no memory.

    Blocks are mono floats at 48 kHz, full scale 1.0, shape (n,).

    Args:
        clipping: whether clipped stretches are looked for.
    """

    def __init__(self, clipping: bool = True) -> None:
        self._clipping = clipping
        self._state = R128State(1, SAMPLE_RATE, MeasurementMode.MODE_I)
        self._true_peak = TruePeak()
        self._peak = 0.0
        self._tops: list[tuple[Span, float]] = []
        self._before = np.zeros(0, np.float32)
        self._at = 0

    def add(self, block: NDArray[np.float32]) -> None:
        """The next block."""
        if not len(block):
            return
        self._state.add_frames(np.ascontiguousarray(block, dtype=np.float32), len(block))
        self._true_peak.add(block)
        self._peak = max(self._peak, float(np.max(np.abs(block))))
        if not self._clipping:
            self._at += len(block)
            return
        # A flat top may lie across the joint of two blocks.
        joint = np.concatenate((self._before, block))
        first = self._at - len(self._before)
        self._tops += [(span.shifted(first), level) for span, level in _flat_tops(joint)]
        self._before = joint[-SAMPLE_RATE // 100 :].copy()
        self._at += len(block)

    def read(self) -> "Levels":
        """The levels of all blocks so far."""
        if not self._at:
            return Levels(-120.0, -120.0, None, ())
        loudness = float(get_loudness_global(self._state))
        return Levels(
            peak=decibels(self._peak),
            true_peak=decibels(self._true_peak.highest),
            loudness=loudness + DUAL_MONO if math.isfinite(loudness) and loudness > -70.0 else None,
            clipped=_clipped(self._tops, self._peak),
        )


class StereoLoudness:
    """Integrated loudness of a stereo sound that comes block by block, shape (n, 2), full scale 1.0."""

    def __init__(self) -> None:
        self._state = R128State(2, SAMPLE_RATE, MeasurementMode.MODE_I)
        self._count = 0

    def add(self, block: NDArray[np.float32]) -> None:
        """The next block."""
        if len(block):
            self._state.add_frames(np.ascontiguousarray(block, dtype=np.float32).reshape(-1), len(block))
            self._count += len(block)

    def read(self) -> float | None:
        """LUFS (EBU R 128); None when it is too short or too quiet for the gate."""
        found = float(get_loudness_global(self._state)) if self._count else -math.inf
        return found if math.isfinite(found) else None


def measure(samples: NDArray[np.float32]) -> Levels:
    """Levels of mono samples, shape (n,), floats with full scale 1.0 at 48 kHz."""
    meter = Meter()
    meter.add(samples)
    return meter.read()


def _close_joined(spans: list[Span]) -> tuple[Span, ...]:
    joined: list[Span] = []
    for span in sorted(spans):
        if joined and span.start - joined[-1].end < SAMPLE_RATE // 100:
            joined[-1] = Span(joined[-1].start, max(joined[-1].end, span.end))
        else:
            joined.append(span)
    return tuple(joined)


_LEVEL = 4e-5
"""What neighbouring samples of a flat top differ by at most: one step of 16 bits, and a little."""


def clipped_spans(samples: NDArray[np.float32]) -> tuple[Span, ...]:
    """Flat tops: level samples in a row near the recording's peak, with steep flanks.

    Three at full scale are enough; lower ones are five, or others stop at the same level. A gain that was lowered
    afterwards, or a converter that stops below full scale, leaves the tops flat: they are found at any level down to -34
    dBFS. Behind a filter or a resampling they are not flat any more, and are not found. Stretches closer than 10 ms count
    as one.
    """
    return _close_joined(flat_tops(samples))


def flat_tops(samples: NDArray[np.float32], likely: bool = False) -> list[Span]:
    """The same, each top by itself; `likely`: those too that may be flat by chance, where something is known to clip."""
    peak, tops = float(np.max(np.abs(samples), initial=0.0)), _flat_tops(samples)
    return [span for span, level in tops if level >= 0.9 * peak] if likely else _certain(tops, peak)


def _clipped(tops: list[tuple[Span, float]], peak: float) -> tuple[Span, ...]:
    return _close_joined(_certain(tops, peak))


def _certain(tops: list[tuple[Span, float]], peak: float) -> list[Span]:
    """Those that are no chance."""
    high = [(span, level) for span, level in tops if level >= 0.8 * peak]
    known = np.sort([level for _, level in high])

    def again(level: float) -> bool:
        """Another one stops at the same level."""
        return int(np.searchsorted(known, level * 1.003) - np.searchsorted(known, level * 0.997)) > 1

    return [s for s, level in high if level >= 0.9999 or s.end - s.start >= 5 or again(level)]


def _flat_tops(samples: NDArray[np.float32]) -> list[tuple[Span, float]]:
    """Stretches that look like flat tops, with their level."""
    step = np.abs(np.diff(samples))
    edges = np.flatnonzero(np.diff(np.concatenate(([0], (step <= _LEVEL).view(np.int8), [0]))))
    found = []
    for a, b in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
        level = float(abs(samples[a]))
        if b - a < 2 or level < 0.02:
            continue
        rise, fall = float(step[a - 1]) if a else 0.0, float(step[b]) if b < len(step) else 0.0
        if level >= 0.9999 or (max(rise, fall) >= 12 * _LEVEL and min(rise, fall) >= 4 * _LEVEL):
            found.append((Span(a, b + 1), level))
    return found


def overview(samples: NDArray[np.float32], block: int = OVERVIEW_BLOCK) -> NDArray[np.uint8]:
    """The waveform as people see it: shape (columns, 2), peak and average (RMS) of each block.

    Values are 0..255 over -60..0 dBFS: level is drawn on a scale of loudness, so that a quiet voice is still clear.
    The last block may be short.
    """
    if not len(samples):
        return np.zeros((0, 2), dtype=np.uint8)
    columns = -(-len(samples) // block)
    padded = np.zeros(columns * block, dtype=np.float32)
    padded[: len(samples)] = samples
    rows = padded.reshape(columns, block)
    amplitudes = np.stack([np.max(np.abs(rows), axis=1), np.sqrt(np.mean(rows**2, axis=1))], axis=1)
    level = 20.0 * np.log10(np.maximum(amplitudes, 1e-6))
    columns_255: NDArray[np.uint8] = np.clip(np.rint((level + 60.0) * (255.0 / 60.0)), 0, 255).astype(np.uint8)
    return columns_255


def gain(decibel: float) -> float:
    """A change of `decibel` dB as a factor."""
    return float(10.0 ** (decibel / 20.0))


@dataclass(frozen=True, slots=True)
class ProgrammeLoudness:
    """Loudness of a whole stereo programme (EBU R 128, EBU Tech 3341 and 3342); None where nothing is loud enough.

    Attributes:
        integrated: LUFS; `momentary` and `short_term` the highest of them (400 ms, 3 s).
        range: LU.
        true_peak: dBTP, the higher of both channels.
        curve: short-term loudness at the end of each second, LUFS, -70.0 at the least.
    """

    integrated: float | None
    momentary: float | None
    short_term: float | None
    range: float
    true_peak: float
    curve: tuple[float, ...]


class ProgrammeMeter:
    """Loudness of a stereo programme that comes block by block, shape (n, 2), full scale 1.0."""

    STEP = SAMPLE_RATE // 10
    """Momentary loudness is looked at this often, as Tech 3341 asks."""

    def __init__(self) -> None:
        mode = MeasurementMode
        modes = mode.MODE_I | mode.MODE_M | mode.MODE_S | mode.MODE_LRA
        self._state = R128State(2, SAMPLE_RATE, modes)
        self._rest = np.zeros((0, 2), np.float32)
        self._true_peaks = (TruePeak(), TruePeak())
        self._steps = 0
        self._momentary, self._short_term = -math.inf, -math.inf
        self._curve: list[float] = []

    def add(self, block: NDArray[np.float32]) -> None:
        """The next block."""
        for channel, peak in enumerate(self._true_peaks):
            peak.add(block[:, channel])
        sound = np.concatenate((self._rest, block.astype(np.float32)))
        whole = len(sound) // self.STEP * self.STEP
        for start in range(0, whole, self.STEP):
            self._step(sound[start : start + self.STEP])
        self._rest = sound[whole:].copy()

    def _step(self, sound: NDArray[np.float32]) -> None:
        self._state.add_frames(np.ascontiguousarray(sound).reshape(-1), len(sound))
        self._steps += 1
        # Before a window is full it tells of less than it should.
        if self._steps >= 4:
            self._momentary = max(self._momentary, float(get_loudness_momentary(self._state)))
        if self._steps >= 30:
            self._short_term = max(self._short_term, float(get_loudness_shortterm(self._state)))
        if self._steps % 10 == 0:
            self._curve.append(max(-70.0, round(float(get_loudness_shortterm(self._state)), 1)))

    def read(self) -> ProgrammeLoudness:
        """The loudness of all blocks so far."""
        if len(self._rest):
            self._state.add_frames(np.ascontiguousarray(self._rest).reshape(-1), len(self._rest))
            self._rest = self._rest[:0]
        integrated = float(get_loudness_global(self._state))

        def known(value: float) -> float | None:
            return value if math.isfinite(value) and value > -70.0 else None

        spread = float(get_loudness_range(self._state)) if self._steps else 0.0
        return ProgrammeLoudness(
            integrated=known(integrated),
            momentary=known(self._momentary),
            short_term=known(self._short_term),
            range=spread if math.isfinite(spread) else 0.0,
            true_peak=decibels(max(peak.highest for peak in self._true_peaks)),
            curve=tuple(self._curve),
        )
