"""The room check against rooms that are made."""

import numpy as np
import pytest

from fendo_core.audio.room import Room, a_weight, advice, listen
from fendo_core.reader import narrator, noises
from fendo_core.timebase import SAMPLE_RATE

LENGTH = 4 * SAMPLE_RATE


def rng_of(seed):
    return np.random.default_rng([seed, 61])


@pytest.mark.parametrize("level", [-80.0, -62.0, -45.0])
@pytest.mark.parametrize("made", [noises.hiss, noises.room_noise, noises.rumble])
def test_the_noise_is_its_rms(made, level):
    assert listen(made(LENGTH, level, rng_of(1))).noise == pytest.approx(level, abs=0.5)


def test_the_a_curve_is_that_of_the_standard():
    """IEC 61672-1, table 3: dB at some of the nominal frequencies."""
    known = {31.62: -39.4, 63.1: -26.2, 125.9: -16.1, 251.2: -8.6, 501.2: -3.2, 1000: 0.0, 2000: 1.2, 4000: 1.0, 8000: -1.1}
    found = 10 * np.log10(a_weight(np.array(list(known), float)))
    assert found == pytest.approx(list(known.values()), abs=0.1)


def test_hum_is_found_with_its_mains_and_its_level_and_never_where_there_is_none():
    found = wrong = 0
    for seed in range(24):
        rng = rng_of(seed)
        quiet = noises.room_noise(LENGTH, rng.uniform(-75, -60), rng) + noises.rumble(LENGTH, rng.uniform(-75, -62), rng)
        mains = (50, 60)[seed % 2]
        level = rng.uniform(-66, -45)
        room = listen(quiet + noises.hum(LENGTH, level, rng, mains * rng.uniform(0.998, 1.002)))
        found += room.mains == mains and abs(room.hum - level) < 3.0
        wrong += listen(quiet).mains != 0
    assert found >= 23 and wrong <= 1, (found, wrong)


def test_hiss_rumble_and_clicks_are_found_in_other_rooms_and_not_where_there_are_none():
    found, wrong = dict.fromkeys(("hiss", "rumble", "clicks"), 0), dict.fromkeys(("hiss", "rumble", "clicks"), 0)
    for seed in range(40, 64):
        rng = rng_of(seed)
        quiet = noises.room_noise(LENGTH, rng.uniform(-76, -68), rng)
        clicks = [(int(at), noises.mouth_click(rng.uniform(-46, -30), rng)) for at in np.linspace(0.1, 0.9, 5) * LENGTH]
        worn = {
            "hiss": quiet + noises.hiss(LENGTH, rng.uniform(-64, -52), rng),
            "rumble": quiet + noises.rumble(LENGTH, rng.uniform(-62, -50), rng),
            "clicks": noises.sprinkle(quiet, clicks),
        }
        said = " ".join(one.found for one in advice(listen(quiet)))
        for name, sound in worn.items():
            found[name] += name in " ".join(one.found for one in advice(listen(sound)))
            wrong[name] += name in said
    assert min(found.values()) >= 23 and max(wrong.values()) <= 1, (found, wrong)


def test_hiss_rumble_clicks_and_speech_are_told_apart():
    rng = rng_of(3)
    base = noises.room_noise(LENGTH, -72, rng)
    said = lambda sound: " ".join(one.found for one in advice(listen(sound.astype(np.float32))))  # noqa: E731
    assert said(base) == "quiet"
    assert "hiss" in said(base + noises.hiss(LENGTH, -55, rng))
    assert "rumble" in said(base + noises.rumble(LENGTH, -55, rng))
    clicks = [(int(at), noises.mouth_click(-40, rng)) for at in rng.integers(0, LENGTH, 6)]
    assert "clicks" in said(noises.sprinkle(base, clicks))
    assert "somebody spoke" in said(narrator.read("Somebody walks in and speaks.", 1).samples)
    assert "loud" in said(noises.room_noise(LENGTH, -44, rng))
    assert said(np.zeros(LENGTH, np.float32)) == "nothing comes in"


def test_the_gravest_comes_first_and_the_last_time_is_compared():
    now = Room(-45.0, -50.0, 50, -48.0, -60.0, -80.0, 0, False)
    before = Room(-51.0, -55.0, 0, -120.0, -60.0, -80.0, 0, False)
    said = advice(now, before)
    assert said[0].grave and said[-1].found == "6 dB louder than the last time"
    with pytest.raises(ValueError, match="second"):
        listen(np.zeros(100, np.float32))
