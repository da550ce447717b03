"""Bleed of the programme into the microphone, against injected truth; other seeds than those the limits were set with."""

from functools import cache

import numpy as np
import pytest
from scipy.signal import butter, lfilter, sosfilt

from fendo_core.audio.bleed import HEARD, bleed
from fendo_core.audio.speech import hear
from fendo_core.reader import narrator
from fendo_core.timebase import SAMPLE_RATE

TEXTS = ("Nobody paid him for the nails.", "In the evening the boats came up.", "Then the keeper lifts one oak board.")
OTHERS = (
    "Half the flour went to the bakers.",
    "Thick ropes hold the boat against the current.",
    "Fog lies on the estuary.",
)


spoken = cache(narrator._spoken)


def level(sound: np.ndarray, decibel: float) -> np.ndarray:
    return sound / np.sqrt(np.mean(sound**2)) * 10 ** (decibel / 20)


def scene(seed: int, kind: str, below: float | None) -> tuple[np.ndarray, np.ndarray, list]:
    """A reading with pauses; what was played meanwhile; the phrases. What leaks is late, thin and coloured."""
    rng = np.random.default_rng([seed, 21])
    parts = [np.zeros(int(rng.uniform(0.8, 1.6) * SAMPLE_RATE))]
    for text in TEXTS:
        parts += [level(spoken(text, narrator.VOICES[seed % 3], 1.0), -22.0)]
        parts += [np.zeros(int(rng.uniform(0.8, 1.8) * SAMPLE_RATE))]
    take = np.concatenate(parts)
    voice = np.concatenate([part for part in parts if part.any()])
    if kind == "speech":
        other = np.concatenate([spoken(text, narrator.VOICES[(seed + 1) % 3], 1.0) for text in OTHERS * 2])
        played = np.resize(level(other, -26.0), len(take))
    else:
        played = level(lfilter([1.0], [1.0, -0.9], rng.standard_normal(len(take))), -26.0)
        played *= 1.0 + 0.5 * np.sin(2 * np.pi * 0.4 * np.arange(len(take)) / SAMPLE_RATE)
    take = take + level(rng.standard_normal(len(take)), -68.0)
    phrases = list(hear(take.astype(np.float32)).phrases)
    if below is not None:
        thin = sosfilt(butter(1, [400, 5_000], "band", fs=SAMPLE_RATE, output="sos"), played)
        late = int(rng.uniform(-0.02, 0.06) * SAMPLE_RATE)
        own = 20 * np.log10(np.sqrt(np.mean(voice**2)))
        take = take + np.roll(level(thin, own - below), late)
    return take.astype(np.float32), played.astype(np.float32), phrases


@pytest.mark.parametrize("kind", ["speech", "noise"])
@pytest.mark.parametrize("below", [25.0, 32.0, 38.0])
def test_bleed_is_found_with_its_level(kind, below):
    found = [bleed(*scene(seed, kind, below)) for seed in range(100, 108)]
    assert sum(one is not None for one in found) >= 7
    off = [abs(one.below - below) for one in found if one]
    assert np.median(off) < 2.0 and all(one.below <= HEARD for one in found if one)


@pytest.mark.parametrize("kind", ["speech", "noise"])
def test_where_nothing_leaks_nothing_is_said(kind):
    found = [bleed(*scene(seed, kind, None)) for seed in range(200, 216)]
    assert sum(one is not None for one in found) <= 1


def test_too_little_to_tell_is_none():
    take, played, phrases = scene(1, "noise", 30.0)
    assert bleed(take, np.zeros_like(played), phrases) is None
    assert bleed(take, played, []) is None
    assert bleed(take[:9_000], played[:9_000], phrases) is None
