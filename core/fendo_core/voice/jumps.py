"""How much a seam is heard: what jumps from its one side to the other, beside what changes within the reading by itself."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter1d

from fendo_core.audio.speech import HOP, Ear, runs

Sound: TypeAlias = NDArray[np.float32]

_SIDE, _REACH, _FEWEST = 300, 800, 60
"""Frames (5 ms) with a voice that are compared: 1.5 s; within which they are looked for; below which nothing is known. Of
less, what is said makes more of a difference than who says it, and when."""
_QUIET = 24.0
"""dB below the voice from which on a side holds some of its room."""
_ROOM, _PAUSE, _BESIDE_VOICE = 200, 16, 6
"""Frames beside a seam in which its rooms are looked for; of a pause at least; so near to a voice nothing is the room."""
_EVERY = 10
_FEATURES = (("level", 4.0, 80.0), ("pitch", 2.5, 80.0), ("tone", 6.0, 95.0))
"""From which difference on it is heard; and at how many of 100 places within the reading less changes by itself."""
_LEAST_ROOM = 6.0
LEAST: Mapping[str, float] = {name: least for name, least, _ in _FEATURES} | {"room": _LEAST_ROOM}
"""From which difference on it is heard, by what jumps."""


@dataclass(frozen=True, slots=True)
class Jump:
    """What jumps at a seam; nothing where it is not heard.

    Attributes:
        at: sample of the sound.
        by: what is heard to be higher or louder behind it by so much: `level`, `tone`, `room` in dB, `pitch` in semitones.
        level: dB by which the voice is louder behind it, heard or not; None where too little of it is there.
    """

    at: int
    by: Mapping[str, float]
    level: float | None = None

    @property
    def heard(self) -> tuple[str, ...]:
        """What is heard, in words."""
        return tuple(_in_words(name, by) for name, by in self.by.items())


def _in_words(name: str, by: float) -> str:
    if name == "room":
        return f"the room gets {abs(by):.0f} dB {'louder' if by > 0 else 'quieter'}"
    return f"{name} jumps by {abs(by):.0f} {'semitones' if name == 'pitch' else 'dB'}"


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

    def sides(at: int, first: int = 0, last: int | None = None) -> tuple[NDArray[np.float64], NDArray[np.float64]] | None:
        middle = int(np.searchsorted(voiced, at))
        before, behind = voiced[max(0, middle - _SIDE) : middle], voiced[middle : middle + _SIDE]
        before, behind = before[before >= max(first, at - _REACH)], behind[behind < min(last or at + _REACH, at + _REACH)]
        if min(len(before), len(behind)) < _FEWEST:
            return None
        return np.median(values[:, before], axis=1), np.median(values[:, behind], axis=1)

    natural = [
        (at, np.abs(found[1] - found[0])) for at in range(0, len(frames.level), _EVERY) if (found := sides(at)) is not None
    ]
    voice = float(np.median(frames.level[voiced])) if len(voiced) else 0.0
    near = maximum_filter1d(frames.voiced.astype(np.int8), 2 * _BESIDE_VOICE + 1).astype(bool)
    quiet, jumps = (frames.level < voice - _QUIET) & ~near, list[Jump]()
    for seam, before, place, behind in zip(seams, [0, *places], places, [*places[1:], None], strict=False):
        heard, level = dict[str, float](), None
        if (found := sides(place, before, behind)) is not None:
            level = float(found[1][0] - found[0][0])
            usual = _usual([by for at, by in natural if abs(at - place) > _SIDE])
            for by, limit, (name, least, _) in zip(found[1] - found[0], usual, _FEATURES, strict=True):
                if abs(by) > max(limit, least):
                    heard[name] = float(by)
        room = _room(quiet, frames.level, place)
        if abs(room) > _LEAST_ROOM:
            heard["room"] = room
        jumps.append(Jump(seam, heard, level))
    return jumps


def _usual(natural: Sequence[NDArray[np.float64]]) -> list[float]:
    """What changes by itself within the reading, feature by feature; 0 where too little is known."""
    rows = np.array(natural) if len(natural) >= 10 else np.zeros((1, len(_FEATURES)))
    return [float(np.percentile(rows[:, column], share)) for column, (*_, share) in enumerate(_FEATURES)]


def _room(quiet: NDArray[np.bool_], level: NDArray[np.float64], at: int) -> float:
    """dB by which the room behind a place is louder than before it; 0 where one of them holds none."""
    one, other = (_quietest(quiet[side], level[side]) for side in (slice(max(0, at - _ROOM), at), slice(at, at + _ROOM)))
    return 0.0 if one is None or other is None else other - one


def _quietest(quiet: NDArray[np.bool_], level: NDArray[np.float64]) -> float | None:
    """The level of the quietest pause; None where there is none long enough: the closure of a consonant is no room."""
    pauses = [float(np.percentile(level[a:b], 20)) for a, b in runs(quiet) if b - a >= _PAUSE]
    return min(pauses, default=None)
