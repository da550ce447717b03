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


def advice(peak: float, window: LevelWindow) -> str:
    """What to do about a reading that peaks at `peak` dBFS."""
    if peak > window.high:
        return f"turn the gain down about {peak - window.high:.0f} dB" if peak - window.high >= 1 else "a touch too loud"
    if peak < window.low:
        return f"turn the gain up about {window.low - peak:.0f} dB" if window.low - peak >= 1 else "a touch too quiet"
    return "in the window"
