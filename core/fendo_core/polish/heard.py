"""What is heard of a mouth and a room in a take, told in a few words where takes are chosen."""

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from typing import Literal

import numpy as np
from scipy.signal import butter, sosfilt

from fendo_core.audio import levels
from fendo_core.audio.speech import HOP
from fendo_core.polish.scan import Place, PlaceKind, Sound
from fendo_core.polish.sibilance import sharpness
from fendo_core.timebase import SAMPLE_RATE, Span

COUNTED: dict[PlaceKind | Literal["heavy breath"], tuple[str, str]] = {
    "heavy breath": ("a heavy breath", "{} heavy breaths"),
    "click": ("a click", "{} clicks"),
    "plosive": ("a plosive", "{} plosives"),
    "noise": ("a noise between the words", "{} noises between the words"),
    "rumble": ("rumble", "rumble {} times"),
}
"""One, and several."""
SURE = 0.7
"""Who chooses is told of what is so sure at the least: the rest is for the scan of Polish, where it is heard."""


_HIGH = butter(4, 150, "high", fs=SAMPLE_RATE, output="sos")
SHARP_TOLD = -2.0
"""dB of `sharpness`: what lies deeper depends on the words as much as on the voice."""
HEAVY = 20.0
"""dB below the voice: a breath that lies deeper is one that listeners expect."""


def heard_in(samples: Sound, phrases: Sequence[Span], places: Iterable[Place]) -> dict[str, float]:
    """How many there are of each kind that is told; of hum, and of the sharpest s, how many dB it lies below the voice.

    Args:
        samples: mono at 48 kHz, shape (n,).
        phrases: where somebody speaks in it.
        places: what a scan of it found.
    """
    sure = [place for place in places if place.sure >= SURE]
    found: dict[str, float] = dict(Counter(place.kind for place in sure if place.kind in COUNTED))
    breaths = [one.span for one in sure if one.kind == "breath"]
    if heavy := sum(below <= HEAVY for below in _below(samples, phrases, breaths)):
        found["heavy breath"] = heavy
    if (sharp := sharpness(samples, phrases)) is not None and sharp > SHARP_TOLD:
        found["sharp"] = round(-sharp, 1)
    hum = next((place for place in sure if place.kind == "hum"), None)
    return found | ({"hum": hum.settings["below"]} if hum else {})


def _below(samples: Sound, phrases: Sequence[Span], breaths: Sequence[Span]) -> list[float]:
    """dB by which each breath lies below the voice, both where they are loud."""
    if not phrases or not breaths:
        return []
    # Without what a plosive beside it, or a step, adds.
    level = levels.hop_levels(sosfilt(_HIGH, samples.astype(np.float64)), HOP)

    def loud(spans: Sequence[Span]) -> float:
        return float(np.percentile(np.concatenate([level[one.start // HOP : one.end // HOP] for one in spans]), 85))

    voice = loud(phrases)
    return [voice - loud([one]) for one in breaths]


def told(heard: Mapping[str, float]) -> tuple[str, ...]:
    """The same in words."""
    counted = [(heard[kind], *words) for kind, words in COUNTED.items() if kind in heard]
    said = [one if count == 1 else several.format(round(count)) for count, one, several in counted]
    if "sharp" in heard:
        said.append(f"a sharp s, {_beside(heard['sharp'])} the voice")
    if "hum" in heard:
        said.append(f"hum {_beside(heard['hum'])} the voice")
    return tuple(said)


def _beside(below: float) -> str:
    return "as loud as" if round(below) == 0 else f"{abs(below):.0f} dB {'below' if below > 0 else 'above'}"
