"""How far an interpreter is behind: made speakers, and interpreters with lengths and delays of their own."""

import numpy as np
import pytest

from fendo_core.booth.delay import FRAME, WINDOW, Delay, behind, delay, level_curve, said
from fendo_core.timebase import SAMPLE_RATE

SEEDS = range(7_100, 7_130)


def levels(spans, frames, chance):
    """dB of each 100 ms of somebody who speaks in these spans (in seconds), with a stop between words now and then."""
    found = chance.normal(-58.0, 1.5, frames)
    for start, end in spans:
        first, last = round(start * 10), min(frames, round(end * 10))
        found[first:last] = chance.normal(-25.0, 5.0, max(0, last - first))
        found[[at for at in range(first, last) if chance.random() < 0.06]] = -56.0
    return found


def interpreted(seed, seconds=300.0):
    """Levels of a speaker and an interpreter; when each sentence of the latter begins and how late it is, in seconds."""
    chance = np.random.default_rng(seed)
    usual, at, free = chance.uniform(0.8, 5.0), 1.0, 0.0
    spoken, read, lags = [], [], []
    while at < seconds:
        length = chance.uniform(2.0, 9.0)
        start = max(at + max(0.4, chance.normal(usual, 0.6)), free + 0.15)
        free = start + length * chance.uniform(0.6, 1.15)
        spoken.append((at, at + length))
        read.append((start, free))
        lags.append((start, start - at))
        at += length + chance.uniform(0.3, 1.8)
    frames = round(10 * (seconds + 12))
    return levels(spoken, frames, chance), levels(read, frames, chance), lags


def test_the_delay_of_made_interpreters_is_known_within_a_second_and_never_made_up():
    size, off, unknown = WINDOW // FRAME, [], 0
    for seed in SEEDS:
        original, reading, lags = interpreted(seed)
        for start in range(0, len(original) - size, size):
            due = np.median([lag for at, lag in lags if start <= 10 * at < start + size])
            found = behind(original[start : start + size], reading[start : start + size])
            if found is None:
                unknown += 1
            else:
                off.append(abs(found / SAMPLE_RATE - due))
    assert len(off) > 0.75 * (len(off) + unknown)
    assert np.percentile(off, 95) <= 0.8 and np.mean(np.array(off) > 1.0) <= 0.02
    strangers = [behind(interpreted(seed)[0][:size], interpreted(seed + 500)[1][:size]) for seed in SEEDS]
    assert sum(found is not None for found in strangers) <= 2


def test_a_whole_reading_has_its_median_and_its_most_and_what_has_no_pauses_has_none():
    chance = np.random.default_rng(3)
    original, _, _ = interpreted(9_000)
    late = np.concatenate([np.full(20, -58.0), original[:1500], original[1490:-30]])
    found = delay(original, late)
    assert found.median <= found.most and abs(found.most - 3 * SAMPLE_RATE) <= SAMPLE_RATE // 2
    assert delay(chance.normal(-20, 1, 2_000), original) is None
    assert delay(original[:200], late[:200]) is None
    assert said(Delay(110_400, 187_200)) == "2.3 s behind the original, 3.9 s at most"
    assert said(Delay(110_400, 110_400)) == "2.3 s behind the original"


@pytest.mark.parametrize("cut", [48_000, 7 * FRAME, 333 * FRAME])
def test_levels_are_the_same_however_the_sound_comes(cut):
    sound = (np.random.default_rng(5).standard_normal(400 * FRAME) * 0.1).astype(np.float32)
    blocks = [sound[at : at + cut] for at in range(0, len(sound), cut)]
    assert np.allclose(
        level_curve(blocks), 20 * np.log10(np.sqrt(np.mean(sound.reshape(-1, FRAME) ** 2, axis=1))), atol=0.01
    )
