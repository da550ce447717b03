"""How loud a voice is to be, and how far all else lies under it. Loudness is that of dual mono: one voice on two sides."""

from collections.abc import Sequence
from statistics import median

QUIETEST, LOUDEST = -40.0, -6.0
"""LUFS (dual mono) between which the level of speech can be set."""
WANTED = -16.0
"""LUFS of speech to start with: what web video is levelled to when it is made of speech."""
DISTANCE = 10.0
"""LU by which a bed lies under the voice to start with."""
MOST_GAIN = 30.0
DEEPEST = -40.0
UNKNOWN_BED = -12.0
"""dB by which a bed gives way whose loudness is not known."""


def gain_for(loudness: float | None, wanted: float | None) -> float:
    """dB that a voice of some loudness needs to be as loud as wanted, to a tenth.

    Args:
        loudness: LUFS; None: not known, and then it stays as it was recorded.
        wanted: LUFS; None: as recorded.
    """
    if loudness is None or wanted is None:
        return 0.0
    return round(max(-MOST_GAIN, min(MOST_GAIN, wanted - loudness)), 1)


def voice_level(wanted: float | None, recorded: Sequence[float]) -> float:
    """LUFS at which the voice is heard: as wanted, else the middle of what was recorded."""
    if wanted is not None:
        return wanted
    return median(recorded) if recorded else WANTED


def give_way(bed: float | None, level: float, voice: float, distance: float) -> float:
    """dB (0 or below, to a tenth) by which a bed gives way so that it lies `distance` LU under the voice.

    Args:
        bed: LUFS of the bed's source; None: not known.
        level: dB that it is louder.
        voice: LUFS of the voice.
    """
    if bed is None:
        return UNKNOWN_BED
    return round(max(DEEPEST, min(0.0, voice - distance - bed - level)), 1)
