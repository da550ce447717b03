"""How much a seam is heard: what jumps from its one side to the other, beside what changes within the reading by itself."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from fendo_core.audio.speech import HOP, Ear

Sound: TypeAlias = NDArray[np.float32]

_SIDE, _REACH, _FEWEST = 300, 800, 60
"""Frames (5 ms) with a voice that are compared: 1.5 s; within which they are looked for; below which nothing is known. Of
less, what is said makes more of a difference than who says it, and when."""
_QUIET = 28.0
"""dB below the voice from which on a side holds some of its room."""
_ROOM = 160
_EVERY = 10
_FEATURES = (("level", 4.0, "dB", 80.0), ("pitch", 2.5, "semitones", 80.0), ("tone", 6.0, "dB", 95.0))
"""From which difference on it is heard; and at how many of 100 places within the reading less changes by itself."""
_LEAST_ROOM = 6.0


@dataclass(frozen=True, slots=True)
class Jump:
    """What jumps at a seam, in words; nothing where it is not heard.

    Attributes:
        at: sample of the sound.
    """

    at: int
    heard: tuple[str, ...]


def seam_jumps(samples: Sound, seams: Sequence[int]) -> list[Jump]:
    """What jumps at the seams of a reading.

    Level, pitch and tone of the voice on both sides (1.5 s of it, within four) are compared, and so is the room, where
    both sides hold some. A jump is heard when it is larger than what most places within the reading have by themselves, and
    than 4 dB, 2.5 semitones, 6 dB of tone or 6 dB of room.

    Args:
        samples: mono at 48 kHz, shape (n,).
        seams: samples at which one recording goes over into another.
    """
    ear = Ear()
    ear.add(samples)
    ear.hear()
    frames = ear.frames()
    values = np.stack((frames.level, 12.0 * np.log2(np.maximum(frames.pitch, 1.0)), frames.bright))
    voiced = np.flatnonzero(frames.voiced)
    places = [seam // HOP for seam in seams]

    def sides(at: int) -> tuple[NDArray[np.float64], NDArray[np.float64]] | None:
        middle = int(np.searchsorted(voiced, at))
        before, behind = voiced[max(0, middle - _SIDE) : middle], voiced[middle : middle + _SIDE]
        before, behind = before[before >= at - _REACH], behind[behind < at + _REACH]
        if min(len(before), len(behind)) < _FEWEST:
            return None
        return np.median(values[:, before], axis=1), np.median(values[:, behind], axis=1)

    natural = [
        (at, np.abs(found[1] - found[0])) for at in range(0, len(frames.level), _EVERY) if (found := sides(at)) is not None
    ]
    voice = float(np.median(frames.level[voiced])) if len(voiced) else 0.0
    jumps = []
    for seam, place in zip(seams, places, strict=True):
        heard = []
        if (found := sides(place)) is not None:
            usual = _usual([by for at, by in natural if abs(at - place) > _SIDE])
            for by, limit, (name, least, unit, _) in zip(found[1] - found[0], usual, _FEATURES, strict=True):
                if abs(by) > max(limit, least):
                    heard.append(f"{name} jumps by {abs(by):.0f} {unit}")
        room = _room(frames.level, place, voice)
        if abs(room) > _LEAST_ROOM:
            heard.append(f"the room gets {abs(room):.0f} dB {'louder' if room > 0 else 'quieter'}")
        jumps.append(Jump(seam, tuple(heard)))
    return jumps


def _usual(natural: Sequence[NDArray[np.float64]]) -> list[float]:
    """What changes by itself within the reading, feature by feature; 0 where too little is known."""
    rows = np.array(natural) if len(natural) >= 10 else np.zeros((1, len(_FEATURES)))
    return [float(np.percentile(rows[:, column], share)) for column, (*_, share) in enumerate(_FEATURES)]


def _room(level: NDArray[np.float64], at: int, voice: float) -> float:
    """dB by which the room behind a place is louder than before it; 0 where one of them holds none."""
    before, behind = level[max(0, at - _ROOM) : at], level[at : at + _ROOM]
    if min(len(before), len(behind)) < _ROOM // 4:
        return 0.0
    one, other = float(np.percentile(before, 8)), float(np.percentile(behind, 8))
    return other - one if max(one, other) < voice - _QUIET else 0.0
