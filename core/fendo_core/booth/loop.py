"""The loop test: how long sound needs from the schedule through loudspeaker and microphone back to its label.

A train of chirps is played and recorded from the same frame on. Each chirp is found by its matched filter (the cross
correlation with the chirp itself; G. Turin, "An introduction to matched filters", IRE Trans. IT-6, 1960), which compresses
80 ms of sweep into a peak a fraction of a millisecond wide and finds it far below the room's noise.
"""

from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray
from scipy.signal import correlate, hilbert

from fendo_core.timebase import SAMPLE_RATE, milliseconds

CHIRP = milliseconds(80)
LOW, HIGH = 900.0, 7000.0
LEVEL = 0.35
PLACES = tuple(milliseconds(ms) for ms in (200, 790, 1310, 1950, 2480))
"""Where the chirps begin, samples from the train's start; uneven, so that an echo of one is not taken for the next."""
REACH = milliseconds(500)
"""The longest round trip that is looked for."""
TRAIN = PLACES[-1] + CHIRP + REACH
WANTED_SPREAD = milliseconds(1)
CLEAR = 12.0
"""A found chirp stands this many times above the median of the filter's output."""


_WEAKEST = 0.1
"""How strong a direct sound must be beside its loudest echo, to be told from the ripple of the filter."""
_RIPPLE = milliseconds(3) // 2


class LoopFailed(ValueError):
    """The test gave no number; the message says why and what to do."""


@dataclass(frozen=True, slots=True)
class RoundTrip:
    """`latency` median and `spread` (largest minus smallest) in samples over `heard` chirps."""

    latency: int
    spread: int
    heard: int


@cache
def chirp() -> NDArray[np.float64]:
    """One sweep from `LOW` to `HIGH` hertz, shape (CHIRP,), with raised-cosine ends."""
    t = np.arange(CHIRP) / SAMPLE_RATE
    seconds = CHIRP / SAMPLE_RATE
    phase = 2 * np.pi * (LOW * t + (HIGH - LOW) / (2 * seconds) * t**2)
    shape = np.ones(CHIRP)
    edge = CHIRP // 8
    shape[:edge] = 0.5 - 0.5 * np.cos(np.pi * np.arange(edge) / edge)
    shape[-edge:] = shape[:edge][::-1]
    return np.asarray(LEVEL * np.sin(phase) * shape)


def train() -> NDArray[np.float32]:
    """What is played: the chirps at their places, shape (TRAIN,)."""
    sound = np.zeros(TRAIN, np.float32)
    for place in PLACES:
        sound[place : place + CHIRP] += chirp().astype(np.float32)
    return sound


def round_trip(recorded: NDArray[np.float32]) -> RoundTrip:
    """The round trip from a recording that began on the frame at which `train()` was scheduled to begin.

    Args:
        recorded: mono floats at 48 kHz, shape (n,), of at least `TRAIN` samples.

    Raises:
        LoopFailed: when the chirps are not heard, are clipped, or their delays differ by more than a millisecond.
    """
    if len(recorded) < TRAIN:
        raise LoopFailed("The recording of the test sound is too short. Begin the test again.")
    if float(np.max(np.abs(recorded))) < 1e-5:
        raise LoopFailed("The microphone gave no sound at all. Look at its switch and its plug, then test again.")
    if np.count_nonzero(np.abs(recorded) > 0.999) > 32:
        raise LoopFailed("The test sound arrives too loud and is clipped. Turn it down, or hold the headphone away.")
    delays = []
    for place in PLACES:
        window = recorded[place : place + CHIRP + REACH].astype(np.float64)
        found = np.abs(hilbert(correlate(window, chirp(), mode="valid", method="fft")))
        # The first arrival, not the loudest: an echo of the room may be louder than the direct way, never earlier.
        top, floor = float(np.max(found)), float(np.median(found))
        if top < CLEAR * max(floor, 1e-9):
            continue
        near = int(np.argmax(found > 0.5 * top))
        # The direct way may be far weaker than an echo of it; what lies nearer than this is the filter's own ripple.
        early = np.flatnonzero(found[: max(0, near - _RIPPLE)] > max(_WEAKEST * top, CLEAR * floor))
        near = int(early[0]) if len(early) else near
        delays.append(near + int(np.argmax(found[near : near + milliseconds(1)])))
    if len(delays) < 3:
        raise LoopFailed("The test sound was not heard clearly. Turn it up, or hold the headphone to the microphone.")
    middle = int(np.median(delays))
    kept = [delay for delay in delays if abs(delay - middle) <= WANTED_SPREAD]
    if len(kept) < 3 or len(kept) < len(delays) - 1:
        raise LoopFailed(
            f"The test sound came back after {min(delays) / 48:.0f} to {max(delays) / 48:.0f} ms, differently each time. "
            "Close other programs that use sound, then test again."
        )
    return RoundTrip(int(np.median(kept)), max(kept) - min(kept), len(kept))
