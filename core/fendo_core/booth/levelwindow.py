"""The wanted window of peaks while reading. Practitioners disagree on it, so it is a setting with named presets."""

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
