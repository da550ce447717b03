"""What a few seconds of silence tell of a room: its noise, hum, hiss, rumble and clicks, and what to try."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import median_filter
from scipy.signal import butter, sosfilt, welch

from fendo_core.audio.levels import decibels
from fendo_core.audio.speech import hear
from fendo_core.timebase import SAMPLE_RATE

SHORTEST = SAMPLE_RATE
HARMONICS = 8
CLEAR, CLEAR_OF_LITTLE = 7.5, 14.0
"""dB that a harmonic stands out of what lies around it; of less than 2.5 s, whose noise is ragged, more."""
QUIET, NOISY = -60.0, -50.0
"""dBFS of noise: below the first a room is quiet, above the second it is heard with every word."""
NOTHING = -100.0
"""dBFS below which no microphone is at work."""


@dataclass(frozen=True, slots=True)
class Room:
    """Levels in dBFS RMS. `weighted` is told by the A curve, relative to full scale and not to 20 micropascal.

    Attributes:
        noise: of all there is; `weighted` the same by the A curve.
        mains: hertz; 0 where no hum was found. `hum`: of the mains and its harmonics.
        rumble: below 80 Hz; `hiss` above 4 kHz.
        clicks: counted.
        spoken: somebody spoke.
    """

    noise: float
    weighted: float
    mains: int
    hum: float
    rumble: float
    hiss: float
    clicks: int
    spoken: bool


def a_weight(hertz: NDArray[np.float64]) -> NDArray[np.float64]:
    """The A curve as a factor of power (IEC 61672-1, annex E): 1 at 1 kHz."""
    square = np.maximum(hertz, 1e-3) ** 2
    curve = (
        12194.0**2
        * square**2
        / ((square + 20.6**2) * np.sqrt((square + 107.7**2) * (square + 737.9**2)) * (square + 12194.0**2))
    )
    weights: NDArray[np.float64] = (curve * 10 ** (2.0 / 20.0)) ** 2
    return weights


def listen(samples: NDArray[np.float32]) -> Room:
    """Listen to a room.

    Args:
        samples: mono at 48 kHz, a second at least; three or more tell hum from chance.

    Raises:
        ValueError: when it is too short.
    """
    if len(samples) < SHORTEST:
        raise ValueError("a room is listened to for a second at least")
    sound = samples.astype(np.float64)
    hertz, density = welch(sound, SAMPLE_RATE, "hann", min(len(sound), SAMPLE_RATE), scaling="density")
    # Hum goes on all the time: the median leaves out what comes and goes.
    _, steady = welch(sound, SAMPLE_RATE, "hann", min(len(sound), SAMPLE_RATE), scaling="density", average="median")
    step = float(hertz[1])

    def level(low: float, high: float, weights: NDArray[np.float64] | float = 1.0) -> float:
        band = (hertz >= low) & (hertz < high)
        return decibels(float(np.sqrt(np.sum((density * weights)[band]) * step)))

    mains, hum = _hum(hertz, steady, step, CLEAR if len(sound) >= 2.5 * SAMPLE_RATE else CLEAR_OF_LITTLE)
    return Room(
        noise=round(decibels(float(np.sqrt(np.mean((sound - sound.mean()) ** 2)))), 1),
        weighted=round(level(10.0, 20_000.0, a_weight(hertz)), 1),
        mains=mains,
        hum=round(hum, 1),
        rumble=round(level(5.0, 80.0), 1),
        hiss=round(level(4_000.0, 16_000.0), 1),
        clicks=_clicks(sound),
        spoken=hear(samples).speech is not None,
    )


def _hum(hertz: NDArray[np.float64], density: NDArray[np.float64], step: float, clear: float) -> tuple[int, float]:
    """Mains (0: none) and the level of its harmonics. Two must be there, one of them among the first three."""
    best, loudest = 0, -120.0
    for mains in (50, 60):
        there, power = [], 0.0
        for number in range(1, HARMONICS + 1):
            centre = mains * number
            near = np.abs(hertz - centre) <= 1.5
            beside = (np.abs(hertz - centre) <= 20.0) & (np.abs(hertz - centre) > 4.0)
            floor = float(np.median(density[beside]))
            if 10.0 * np.log10(max(float(density[near].max()), 1e-20) / max(floor, 1e-20)) > clear:
                there.append(number)
                power += max(0.0, float(np.sum(density[near] - floor))) * step
        found = decibels(float(np.sqrt(power)))
        if len(there) >= 2 and there[0] <= 3 and found > loudest:
            best, loudest = mains, found
    return best, loudest


def _clicks(sound: NDArray[np.float64]) -> int:
    """Peaks of a few milliseconds above 1.5 kHz that stand 14 dB out of what is around them."""
    high = sosfilt(butter(4, 1_500, "high", fs=SAMPLE_RATE, output="sos"), sound)
    rows = high[: len(high) // 48 * 48].reshape(-1, 48)
    level = 10.0 * np.log10(np.maximum(np.mean(rows**2, axis=1), 1e-14))
    standing = level - median_filter(level, 61, mode="nearest") > 14.0
    return int(np.count_nonzero(np.diff(np.concatenate(([0], standing.view(np.int8)))) == 1))


@dataclass(frozen=True, slots=True)
class Advice:
    """What was found, and what to try; `grave` when it is heard in every take."""

    found: str
    remedy: str
    grave: bool = False


def advice(room: Room, before: Room | None = None) -> tuple[Advice, ...]:
    """What is to be said of a room, the gravest first; `before` is what it was the last time."""
    if room.noise < NOTHING:
        return (Advice("nothing comes in", "The microphone is muted, or another input is the right one.", True),)
    said = []
    if room.spoken:
        said.append(Advice("somebody spoke", "Check again, and keep still for these seconds."))
    if room.noise > NOISY:
        said.append(
            Advice("loud: heard with every word", "Shut windows, stop fans and fridge; go nearer to the microphone.", True)
        )
    elif room.noise > QUIET:
        said.append(
            Advice("not quite quiet", "A fan, a computer or a window may be the cause. Go nearer to the microphone.")
        )
    if room.mains and room.hum > room.noise - 12.0:
        remedy = "Try another cable or socket, and keep the microphone away from power supplies. Polish can take it out."
        said.append(Advice(f"hum at {room.mains} Hz, {room.hum:.0f} dBFS", remedy, room.hum > NOISY))
    if room.rumble > max(-66.0, room.noise - 8.0) and not room.mains:
        said.append(
            Advice(f"rumble, {room.rumble:.0f} dBFS", "Put something soft under the stand. Polish can take it out.")
        )
    if room.hiss > max(-70.0, room.noise - 4.0):
        said.append(
            Advice(f"hiss, {room.hiss:.0f} dBFS", "The gain may be far up: go nearer to the microphone and turn it down.")
        )
    if room.clicks > 2:
        said.append(Advice(f"{room.clicks} clicks", "A loose plug, a clock, a chair. Listen for it and check again."))
    if before and abs(room.noise - before.noise) >= 2.0:
        by = room.noise - before.noise
        louder = f"{abs(by):.0f} dB {'louder' if by > 0 else 'quieter'} than the last time"
        said.append(Advice(louder, "Something was switched on since." if by > 0 else "Whatever you did has helped."))
    return tuple(sorted(said, key=lambda one: not one.grave)) or (Advice("quiet", "The room is ready."),)
