"""A treatment proposed from a reading, with its reasons. It is a place to start from, and somebody hears it."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.signal import butter, sosfilt

from fendo_core.audio.levels import decibels
from fendo_core.audio.room import SHORTEST, listen
from fendo_core.polish.sibilance import SHARP, sharpness_of
from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds
from fendo_core.voice.chain import Chain, made

Sound = NDArray[np.float32]

LOW_VOICE = 150.0
"""Hz of pitch below which a voice is a low one."""
NOISE_NEAR = 38.0
"""dB below the voice from which on the room is heard with it."""
LIVELY = 7.0
"""dB between loud and quiet phrases from which on a compressor helps."""


@dataclass(frozen=True, slots=True)
class Suggestion:
    """A chain, and what speaks for each of its stages, in words."""

    chain: Chain
    reasons: tuple[str, ...]


def suggested(samples: Sound, phrases: Sequence[Span]) -> Suggestion | None:
    """A treatment for a reading; None when too little is said in it.

    Args:
        samples: mono at 48 kHz, shape (n,).
        phrases: where somebody speaks in it, in its samples.
    """
    spoken = [
        samples[max(0, span.start) : span.end].astype(np.float64) for span in phrases if span.length > milliseconds(150)
    ]
    if sum(map(len, spoken)) < SAMPLE_RATE:
        return None
    voice = np.concatenate(spoken)
    level = _level(voice)
    on: dict[str, dict[str, float]] = {}
    reasons = []
    pitch = _pitch(voice)
    below = 80.0 if pitch is None else float(np.clip(round(pitch * 0.6 / 5) * 5, 50, 120))
    on["rumble"] = {"below": below}
    reasons.append(
        f"nothing of this voice lies below {below:g} Hz" + (f" (its pitch is about {pitch:.0f} Hz)" if pitch else "")
    )
    quiet = _between(samples, phrases)
    if len(quiet) >= SHORTEST:
        room = listen(quiet.astype(np.float32))
        if room.mains and level - room.hum < 60.0:
            on["hum"] = {"mains": float(room.mains)}
            reasons.append(f"hum of {room.mains} Hz, {level - room.hum:.0f} dB below the voice")
        if level - room.noise < NOISE_NEAR:
            on["steady"] = {"most": 9.0}
            on["noise"] = {"threshold": float(np.clip(round(room.noise + 6.0), -80, -20))}
            reasons.append(f"the room is only {level - room.noise:.0f} dB below the voice")
    sharp = sharpness_of(voice)
    if sharp > SHARP:
        on["sibilance"] = {"threshold": float(np.clip(round(level + SHARP - 3.0), -60, -10))}
        reasons.append(f"its sharpest s lies {abs(sharp):.0f} dB {'above' if sharp > 0 else 'below'} the voice")
    spread = _spread(voice)
    if spread > LIVELY:
        on["compressor"] = {"threshold": float(np.clip(round(level), -50, 0)), "ratio": 2.0 if spread < 11.0 else 3.0}
        reasons.append(f"loud and quiet words lie {spread:.0f} dB apart")
    if pitch is not None:
        low = pitch < LOW_VOICE
        on["tone"] = {"warmth": -1.5 if low else 1.0, "presence": 1.5 if low else 0.5, "air": 1.0 if sharp < SHARP else 0.0}
        reasons.append("a low voice gains from presence" if low else "a high voice gains from warmth")
    return Suggestion(made("Suggested", **on), tuple(reasons))


def _level(samples: NDArray[np.float64]) -> float:
    return decibels(float(np.sqrt(np.mean(samples**2))))


def _between(samples: Sound, phrases: Sequence[Span]) -> NDArray[np.float64]:
    """What lies between the phrases, well away from them."""
    free = np.ones(len(samples), bool)
    for span in phrases:
        free[max(0, span.start - milliseconds(120)) : span.end + milliseconds(150)] = False
    return samples[free].astype(np.float64)


def _frames(samples: NDArray[np.float64], size: int) -> NDArray[np.float64]:
    return samples[: len(samples) // size * size].reshape(-1, size)


def _spread(voice: NDArray[np.float64]) -> float:
    """dB between loud and quiet words: the middle half of levels over 300 ms, twice."""
    power = np.mean(_frames(voice, milliseconds(300)) ** 2, axis=1)
    level = 10.0 * np.log10(np.maximum(power, 1e-12))
    low, high = np.percentile(level, [15, 85])
    return float(high - low)


def _pitch(voice: NDArray[np.float64]) -> float | None:
    """The middle of the pitch in Hz, by autocorrelation of frames of 60 ms; None where it is not clear."""
    low = sosfilt(butter(4, 900, "low", fs=SAMPLE_RATE, output="sos"), voice)[::6]
    rate = SAMPLE_RATE // 6
    found = []
    for frame in _frames(low, rate * 60 // 1000):
        frame = frame - frame.mean()
        spectrum = np.fft.rfft(frame, 2 * len(frame))
        correlation = np.fft.irfft(np.abs(spectrum) ** 2)[: len(frame)]
        # A shorter overlap correlates less by itself.
        correlation = correlation / np.arange(len(frame), 0, -1) * len(frame)
        first, last = rate // 400, rate // 65
        lag = first + int(np.argmax(correlation[first:last]))
        if correlation[0] > 0 and correlation[lag] > 0.6 * correlation[0]:
            found.append(rate / lag)
    return float(np.median(found)) if len(found) >= 10 else None
