"""The loop test against loops of known delay, with noise, echoes, filters and wrong wires."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.signal import butter, sosfilt

from fendo_core.booth import loop
from fendo_core.timebase import SAMPLE_RATE


def looped(delay, gain=0.5, noise=0.0, echo=0.0, echo_after=900, seed=1, wander=0):
    rng = np.random.default_rng(seed)
    sound = np.zeros(loop.TRAIN + SAMPLE_RATE, np.float64)
    for place in loop.PLACES:
        at = place + delay + (int(rng.integers(-wander, wander + 1)) if wander else 0)
        sound[at : at + loop.CHIRP] += gain * loop.chirp()
        if echo:
            sound[at + echo_after : at + echo_after + loop.CHIRP] += echo * loop.chirp()
    sound += rng.standard_normal(len(sound)) * noise
    return sound[: loop.TRAIN].astype(np.float32)


@settings(max_examples=50, deadline=None)
@given(st.integers(0, loop.REACH - 100), st.floats(0.02, 1.0), st.integers(0, 10**6))
def test_the_delay_is_found_to_the_sample_below_the_noise(delay, gain, seed):
    found = loop.round_trip(looped(delay, gain, noise=0.35 * gain * 0.5, seed=seed))
    assert abs(found.latency - delay) <= 2
    assert found.spread <= 6 and found.heard >= 4


def test_an_echo_that_is_louder_than_the_direct_way_is_not_taken_for_it():
    assert abs(loop.round_trip(looped(2000, 0.4, 0.001, echo=0.7)).latency - 2000) <= 2


@settings(max_examples=40, deadline=None)
@given(st.integers(100, 15_000), st.floats(0.15, 0.9), st.integers(90, 3000), st.integers(0, 10**6))
def test_a_direct_sound_far_weaker_than_a_later_echo_is_found_or_the_test_refused(delay, share, after, seed):
    sound = looped(delay, 0.5 * share, noise=0.004, echo=0.5, echo_after=after, seed=seed)
    try:
        found = loop.round_trip(sound)
    except loop.LoopFailed:
        return
    assert abs(found.latency - delay) <= 4


def test_a_small_loudspeaker_and_a_wrong_polarity_are_heard():
    dull = sosfilt(butter(2, [1500, 5000], "band", fs=SAMPLE_RATE, output="sos"), -looped(3000, 0.3, 0.002))
    assert abs(loop.round_trip(dull.astype(np.float32)).latency - 3000) < 20


@pytest.mark.parametrize(
    ("sound", "said"),
    [
        (np.zeros(loop.TRAIN, np.float32), "no sound at all"),
        (np.random.default_rng(2).normal(0, 0.1, loop.TRAIN).astype(np.float32), "not heard clearly"),
        (np.clip(looped(1000, 9.0), -1, 1), "too loud"),
        (looped(4000, 0.5, 0.001, wander=2000, seed=5), "differently each time"),
        (looped(100)[:1000], "too short"),
    ],
)
def test_what_gives_no_number_says_why(sound, said):
    with pytest.raises(loop.LoopFailed, match=said):
        loop.round_trip(sound)
