"""How much seams are heard: two readings of made voices joined, alike or with an injected difference."""

import numpy as np
import pytest
import soxr

from fendo_core.audio.levels import gain
from fendo_core.reader import narrator, noises
from fendo_core.timebase import SAMPLE_RATE
from fendo_core.voice.jumps import seam_jumps

TEXTS = (
    "Fog lies on the estuary before the gates are closed.",
    "Half the flour went to the bakers of the town.",
    "Thick ropes hold the boat against the current.",
    "Nobody could say how old the wheel was.",
    "The gates stand open until the ebb has filled the pond.",
    "His father had kept the mill, and so had hers.",
)
SEEDS = range(200, 210)


@pytest.fixture(scope="module")
def phrases():
    return {voice: [narrator._spoken(text, voice, 1.0) for text in TEXTS] for voice in narrator.VOICES[:2]}


def reading(spoken, rng):
    parts = [np.zeros(SAMPLE_RATE * 3 // 10, np.float32)]
    for number in rng.permutation(len(spoken))[:3]:
        one = spoken[number] / np.std(spoken[number]) * gain(-24.0 + rng.uniform(-1.0, 1.0))
        parts += [one.astype(np.float32), np.zeros(int(rng.uniform(0.25, 0.6) * SAMPLE_RATE), np.float32)]
    return np.concatenate(parts)


def joined(kind, seed, spoken):
    """Two readings one after another, and what is heard of their seam."""
    rng = np.random.default_rng([seed, 5])
    one, other, room = reading(spoken, rng), reading(spoken, rng), -66.0
    sign = 1 if seed % 2 else -1
    if kind == "level":
        other = other * np.float32(gain(8.0 * sign))
    elif kind == "pitch":
        # Higher: four semitones below the lower of these voices the ear finds no pitch any more.
        other = soxr.resample(other, SAMPLE_RATE, SAMPLE_RATE * 2 ** (-4.0 / 12)).astype(np.float32)
    elif kind == "room":
        room = -54.0
    one = one + noises.room_noise(len(one), -66.0, rng)
    other = other + noises.room_noise(len(other), room, rng)
    (jump,) = seam_jumps(np.concatenate((one, other)), [len(one)])
    assert jump.at == len(one)
    return jump.heard


@pytest.mark.parametrize("voice", narrator.VOICES[:2])
def test_what_jumps_at_a_seam_is_told_and_one_reading_that_goes_on_is_not(voice, phrases):
    heard = {kind: [joined(kind, seed, phrases[voice]) for seed in SEEDS] for kind in ("none", "level", "pitch", "room")}
    assert sum(bool(words) for words in heard["none"]) <= 1, heard["none"]
    for kind in ("level", "pitch", "room"):
        found = sum(any(kind in word for word in words) for words in heard[kind])
        assert found >= len(SEEDS) - 1, (kind, heard[kind])


def test_too_little_beside_a_seam_says_nothing():
    short = narrator.read("Yes.", 3).samples
    assert [jump.heard for jump in seam_jumps(short, [len(short) // 2, 10])] == [(), ()]
    assert seam_jumps(short, []) == [] and seam_jumps(np.zeros(480, np.float32), [100])[0].heard == ()
