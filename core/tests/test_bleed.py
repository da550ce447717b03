"""Bleed of the programme into the microphone, against injected truth; other seeds than those the limits were set with."""

from functools import cache

import numpy as np
import pytest
from scipy.signal import butter, lfilter, sosfilt

from fendo_core.audio.bleed import HEARD, MARGIN, leaked
from fendo_core.audio.speech import hear
from fendo_core.reader import narrator
from fendo_core.takes.measures import Measures, measure_blocks
from fendo_core.timebase import SAMPLE_RATE, Span

TEXTS = ("Nobody paid him for the nails.", "In the evening the boats came up.", "Then the keeper lifts one oak board.")
OTHERS = (
    "Half the flour went to the bakers.",
    "Thick ropes hold the boat against the current.",
    "Fog lies on the estuary.",
)


spoken = cache(narrator._spoken)


def level(sound: np.ndarray, decibel: float) -> np.ndarray:
    return sound / np.sqrt(np.mean(sound**2)) * 10 ** (decibel / 20)


def scene(seed: int, kind: str, below: float | None) -> tuple[np.ndarray, np.ndarray, Span]:
    """A reading with pauses; what was played meanwhile; first word to last. What leaks is late, thin and coloured."""
    rng = np.random.default_rng([seed, 21])
    parts = [np.zeros(int(rng.uniform(0.8, 1.6) * SAMPLE_RATE))]
    for text in TEXTS:
        parts += [level(spoken(text, narrator.VOICES[seed % 3], 1.0), -22.0)]
        parts += [np.zeros(int(rng.uniform(0.8, 1.8) * SAMPLE_RATE))]
    take = np.concatenate(parts)
    voice = np.concatenate([part for part in parts if part.any()])
    length = len(take) + 2 * MARGIN
    if kind == "speech":
        other = np.concatenate([spoken(text, narrator.VOICES[(seed + 1) % 3], 1.0) for text in OTHERS * 2])
        played = np.resize(level(other, -26.0), length)
    else:
        played = level(lfilter([1.0], [1.0, -0.9], rng.standard_normal(length)), -26.0)
        played *= 1.0 + 0.5 * np.sin(2 * np.pi * 0.4 * np.arange(length) / SAMPLE_RATE)
    take = take + level(rng.standard_normal(len(take)), -68.0)
    speech = hear(take.astype(np.float32)).speech
    assert speech is not None
    if below is not None:
        thin = sosfilt(butter(1, [400, 5_000], "band", fs=SAMPLE_RATE, output="sos"), played)
        late = int(rng.uniform(-0.02, 0.06) * SAMPLE_RATE)
        own = 20 * np.log10(np.sqrt(np.mean(voice**2)))
        take = take + np.roll(level(thin, own - below), late)[MARGIN:-MARGIN]
    return take.astype(np.float32), played.astype(np.float32), speech


def heard(take: np.ndarray, played: np.ndarray) -> Measures:
    """A take that comes in two blocks, as a long one does."""
    half = len(take) // 2 // 480 * 480
    return measure_blocks([take[:half], take[half:]], lambda at: played[at.start + MARGIN : at.end + MARGIN])[0]


@pytest.mark.parametrize("kind", ["speech", "noise"])
@pytest.mark.parametrize("below", [25.0, 32.0, 38.0])
def test_bleed_is_found_with_its_level_and_is_taken_for_no_word(kind, below):
    off, moved = [], []
    for seed in range(100, 108):
        take, played, speech = scene(seed, kind, below)
        found = heard(take, played)
        assert found.bleed is not None and found.bleed <= HEARD
        off.append(abs(found.bleed - below))
        moved += [abs(found.speech.start - speech.start), abs(found.speech.end - speech.end)]
    assert np.median(off) < 1.5 and max(off) < 4.0
    assert np.mean(np.array(moved) > 0.08 * SAMPLE_RATE) <= 1 / 8


@pytest.mark.parametrize("kind", ["speech", "noise"])
def test_where_nothing_leaks_nothing_is_said(kind):
    found = [heard(*scene(seed, kind, None)[:2]) for seed in range(200, 216)]
    assert sum(one.bleed is not None for one in found) <= 1


def test_what_leaks_is_the_sound_that_it_was():
    take, played, _ = scene(7, "speech", 30.0)
    bare = scene(7, "speech", None)[0]
    leak = leaked(take, played)
    assert np.mean((take - bare - leak) ** 2) < 0.1 * np.mean((take - bare) ** 2)
    # Of an odd length, and with the programme alone in it.
    alone = played[MARGIN : -MARGIN - 1]
    assert np.mean((alone - leaked(alone, played[:-1])) ** 2) < 0.1 * np.mean(alone**2)


@pytest.mark.parametrize("drift", [-90e-6, 60e-6])
def test_clocks_that_drift_apart_are_followed(drift):
    take, played, speech = scene(9, "speech", None)
    times = np.arange(len(take))
    thin = sosfilt(butter(1, [400, 5_000], "band", fs=SAMPLE_RATE, output="sos"), played)
    leak = 0.03 * np.interp(MARGIN - 700 + times * (1.0 + drift), np.arange(len(played)), thin)
    with_it = (take + leak).astype(np.float32)
    assert np.mean((leak - leaked(with_it, played)) ** 2) < 0.06 * np.mean(leak**2)
    found = heard(with_it, played)
    assert abs(found.speech.start - speech.start) < 3_840 and abs(found.speech.end - speech.end) < 3_840


def test_too_little_to_tell_is_none():
    take, played, _ = scene(1, "noise", 30.0)
    assert leaked(take, np.zeros_like(played)) is None
    assert leaked(take[:9_000], played[: 9_000 + 2 * MARGIN]) is None
    assert heard(np.zeros_like(take), played).bleed is None
    assert measure_blocks([take])[0].bleed is None
