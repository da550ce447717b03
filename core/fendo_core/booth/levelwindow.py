"""The wanted window of peaks while reading. Practitioners disagree on it, so it is a setting with named presets."""

import re
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class LevelWindow:
    """Peaks between `low` and `high` dBFS."""

    name: str
    low: float
    high: float


LEVEL_WINDOWS: dict[str, LevelWindow] = {
    "lively": LevelWindow("Lively: peaks from −12 to −6", -12.0, -6.0),
    "roomy": LevelWindow("Roomy: peaks around −18", -21.0, -15.0),
    "full": LevelWindow("Full: three quarters of the scale", -9.0, -2.5),
}
LOWEST, HIGHEST, NARROWEST = -40, -1, 3
"""Bounds of a window of one's own, in dB: where peaks may lie, and how near to one another its edges."""
_OWN = re.compile(r"(-\d{1,2})\.\.(-\d{1,2})", re.ASCII)


def level_window(key: str) -> LevelWindow:
    """The window of a key: one that ships, or one's own as its edges in dBFS, `-15..-8`.

    Raises:
        ValueError: when there is none of that key, or its edges are no window; the message says what is possible.
    """
    if key in LEVEL_WINDOWS:
        return LEVEL_WINDOWS[key]
    found = _OWN.fullmatch(key)
    if not found:
        raise ValueError(f"There is no level window “{key[:20]}”. It is {', '.join(LEVEL_WINDOWS)}, or its edges: -15..-8.")
    low, high = int(found[1]), int(found[2])
    if not LOWEST <= low <= high - NARROWEST or high > HIGHEST:
        raise ValueError(
            f"A level window lies between −{-LOWEST} and −{-HIGHEST} dBFS, and is at least {NARROWEST} dB wide: "
            "peaks can’t be hit nearer than that."
        )
    return LevelWindow(f"Own: peaks from −{-low} to −{-high}", float(low), float(high))
