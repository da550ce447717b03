"""What is heard in a room besides the voice: made sounds whose place and level are known, for demos, tests and figures.

Levels of lasting noise are RMS in dBFS; those of single sounds are peaks.
"""

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import solve_toeplitz
from scipy.signal import butter, lfilter, resample_poly, sosfilt

from fendo_core.audio.levels import gain
from fendo_core.timebase import SAMPLE_RATE, milliseconds

Sound = NDArray[np.float32]


def _at_rms(sound: NDArray[np.float64], level: float) -> Sound:
    return (sound / max(1e-12, float(np.sqrt(np.mean(sound**2)))) * gain(level)).astype(np.float32)


def _at_peak(sound: NDArray[np.float64], level: float) -> Sound:
    return (sound / max(1e-12, float(np.max(np.abs(sound)))) * gain(level)).astype(np.float32)


def hiss(length: int, level: float, rng: np.random.Generator) -> Sound:
    """White noise: the hiss of a gain turned up too far."""
    return _at_rms(rng.standard_normal(length), level)


def room_noise(length: int, level: float, rng: np.random.Generator) -> Sound:
    """The quiet of a booth: noise that falls towards the high."""
    return _at_rms(lfilter([1.0], [1.0, -0.9], rng.standard_normal(length)), level)


def rumble(length: int, level: float, rng: np.random.Generator) -> Sound:
    """Brown noise: traffic, a lift, a fan in the floor."""
    return _at_rms(lfilter([1.0], [1.0, -0.9995], rng.standard_normal(length)), level)


def hum(length: int, level: float, rng: np.random.Generator, mains: float = 50.0) -> Sound:
    """Mains hum with its first harmonics, each a little weaker than the one before it."""
    time = np.arange(length) / SAMPLE_RATE
    parts = [0.7**number * np.sin(2 * np.pi * mains * number * time + rng.uniform(0, 2 * np.pi)) for number in range(1, 9)]
    return _at_rms(np.sum(parts, axis=0), level)


def breath(level: float, rng: np.random.Generator, length: int | None = None) -> Sound:
    """An intake of breath: noise through the mouth's resonances that rises slowly and ends soon after its height."""
    count = length or milliseconds(int(rng.integers(250, 500)))
    noise = rng.standard_normal(count)
    shaped = sum(
        weight * sosfilt(butter(2, [centre * 0.8, centre * 1.2], "band", fs=SAMPLE_RATE, output="sos"), noise)
        for centre, weight in ((650, 1.0), (1700, 0.8), (3000, 0.5), (5200, 0.25))
    )
    at = np.linspace(0.0, 1.0, count)
    return _at_peak(np.asarray(shaped) * at**0.8 * np.minimum(1.0, (1.0 - at) * 6.0), level)


def mouth_click(level: float, rng: np.random.Generator) -> Sound:
    """The tongue coming away: a damped ring of a few milliseconds at 1.5 to 6 kHz."""
    count = milliseconds(8)
    time = np.arange(count) / SAMPLE_RATE
    ring = np.sin(2 * np.pi * rng.uniform(1500, 6000) * time) * np.exp(-time / rng.uniform(0.0004, 0.0015))
    return _at_peak(ring, level)


def pop(level: float, rng: np.random.Generator) -> Sound:
    """The thump of a plosive on the microphone: a low wave that dies away in a tenth of a second."""
    count = milliseconds(160)
    time = np.arange(count) / SAMPLE_RATE
    return _at_peak(np.sin(2 * np.pi * rng.uniform(28, 50) * time) * np.exp(-time / 0.03), level)


def thump(level: float, rng: np.random.Generator) -> Sound:
    """A knock against the desk, as it comes through the stand: low modes that ring for a tenth of a second, and a tick."""
    count = milliseconds(250)
    time = np.arange(count) / SAMPLE_RATE
    modes = sum(
        rng.uniform(0.3, 1.0) * np.sin(2 * np.pi * rng.uniform(low, high) * time) * np.exp(-time / rng.uniform(0.02, 0.05))
        for low, high in ((55, 90), (110, 180), (200, 340))
    )
    tick = rng.standard_normal(count) * np.exp(-time / 0.002) * 0.4
    return _at_peak(np.asarray(modes) + tick, level)


def handling(level: float, rng: np.random.Generator) -> Sound:
    """A stand that is touched: brown noise for half a second to two, which comes and goes."""
    count = milliseconds(int(rng.integers(500, 2_000)))
    low = sosfilt(butter(2, [12, 90], "band", fs=SAMPLE_RATE, output="sos"), rng.standard_normal(count))
    return _at_peak(np.asarray(low) * np.hanning(count) ** 0.5, level)


def key_press(level: float, rng: np.random.Generator) -> Sound:
    """A key going down and up: two clicks, and the desk under them."""
    count = milliseconds(140)
    time = np.arange(count) / SAMPLE_RATE
    sound = 0.3 * np.sin(2 * np.pi * rng.uniform(120, 260) * time) * np.exp(-time / 0.015)
    for at, weight in ((0, 1.0), (milliseconds(int(rng.integers(60, 110))), rng.uniform(0.4, 0.8))):
        rest = time[: count - at]
        sound[at:] += weight * rng.standard_normal(count - at) * np.exp(-rest / rng.uniform(0.003, 0.008))
    return _at_peak(sound, level)


def cough(level: float, rng: np.random.Generator) -> Sound:
    """A cough: two bursts of rough noise, quick to rise and slower to fall."""
    bursts = []
    for _ in range(2):
        count = milliseconds(int(rng.integers(180, 280)))
        time = np.arange(count) / SAMPLE_RATE
        noise = sosfilt(butter(2, [300, 3500], "band", fs=SAMPLE_RATE, output="sos"), rng.standard_normal(count))
        rough = 1.0 + 0.6 * np.sin(2 * np.pi * rng.uniform(70, 110) * time)
        bursts += [noise * rough * np.minimum(1.0, time / 0.012) * np.exp(-time / 0.09), np.zeros(milliseconds(60))]
    return _at_peak(np.concatenate(bursts), level)


def sprinkle(into: Sound, sounds: list[tuple[int, Sound]]) -> Sound:
    """Sounds laid over another at their samples; what reaches beyond its edges is left out."""
    made = into.copy()
    for at, sound in sounds:
        first, last = max(0, at), min(len(made), at + len(sound))
        if last > first:
            made[first:last] += sound[first - at : last - at]
    return made


def whispered(voice: Sound, rng: np.random.Generator) -> Sound:
    """A reading as a whisper: its colour (linear prediction of order 16 at 16 kHz, each 10 ms) over noise."""
    order, width, hop = 16, 400, 160
    low = resample_poly(voice.astype(np.float64), 1, 3)
    made, window = np.zeros(len(low) + width), np.hanning(width)
    for at in range(0, len(low) - width, hop):
        frame = low[at : at + width] * window
        own = np.correlate(frame, frame, "full")[width - 1 : width + order]
        if own[0] < 1e-7:
            continue
        own[0] *= 1.001
        taps = solve_toeplitz(own[:order], own[1:])
        left = np.sqrt(max(1e-12, own[0] - float(taps @ own[1:])) / width)
        made[at : at + width] += window * lfilter([left], np.concatenate(([1.0], -taps)), rng.standard_normal(width))
    whisper = np.zeros(len(voice), np.float32)
    high = resample_poly(made, 3, 1)[: len(voice)]
    whisper[: len(high)] = high
    return whisper
