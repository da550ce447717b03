"""How much seams are heard: two readings of made voices joined, alike or with an injected difference."""

import numpy as np
import pytest
import soxr

from fendo_core.audio.levels import gain
from fendo_core.polish.joined import AROUND, joins, seam_at, seam_of, seam_places, unheard
from fendo_core.polish.places import all_known, can_be_mended, open_places, said
from fendo_core.reader import narrator, noises
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.voice import Comp, Segment, seams
from fendo_core.voice.jumps import Jump, seam_jumps
from fendo_core.voice.repair import Repair

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


def seconds(first, last):
    return Span(round(first * SAMPLE_RATE), round(last * SAMPLE_RATE))


BED = (
    Segment("a", seconds(1, 5)),
    Segment("b", seconds(2, 4), 4 * SAMPLE_RATE),
    Segment("a", seconds(7, 12), 6 * SAMPLE_RATE),
)
WOVEN = Comp(10 * SAMPLE_RATE, BED)


def test_the_part_that_differs_at_its_seams_is_one_place_with_one_mend():
    at = seams(WOVEN)
    # Only one of them is heard; what the sentence falls by is taken off.
    louder = [Jump(at[0], {}, 3.4), Jump(at[1], {"level": -8.6, "tone": -7.0}, -8.6)]
    ((recording, place),) = seam_places(WOVEN, louder)
    assert (recording, place.span) == ("b", BED[1].source)
    assert place.settings == {"level": 6.0, "tone": 7.0, "decibel": -6.0, "ends": 1.0}
    assert said(place) == ("seam: 2.0 s, 6 dB louder, 7 dB brighter", "lower it by 6 dB")
    middle = WOVEN.at + at[1]
    assert seam_of(WOVEN, "b", place) == Span(middle - AROUND, middle + AROUND)
    ((shown, around),) = open_places(WOVEN, "b", [place], [])
    assert shown is place and around == seam_of(WOVEN, "b", place)
    for on in (True, False):
        assert not open_places(WOVEN, "b", [place], [Repair("1", "b", "seam", BED[1].source, {"decibel": -6.0}, on)])
    # Cut anew, it is another part: what was heard of the old one is told no more.
    moved = Comp(WOVEN.at, (BED[0], Segment("b", seconds(2, 3.9), BED[1].at), BED[2]))
    assert seam_of(moved, "b", place) is None and not open_places(moved, "b", [place], [])


def test_a_seam_that_only_its_end_gives_away_is_played_there_and_without_a_mend_leads_elsewhere():
    at = seams(WOVEN)
    ((_, place),) = seam_places(WOVEN, [Jump(at[0], {}), Jump(at[1], {"pitch": -3.0})])
    assert seam_of(WOVEN, "b", place) == Span(WOVEN.at + at[1] - AROUND, WOVEN.at + at[1] + AROUND)
    assert not can_be_mended(place) and said(place)[1] == "choose another take there"
    # Nearer to the comp's end than what is played around it, it is no middle of that.
    short = Comp(WOVEN.at, (*BED[:2], Segment("a", seconds(7, 8), 6 * SAMPLE_RATE)))
    ((recording, near),) = seam_places(short, [Jump(at[0], {}), Jump(at[1], {"pitch": -3.0})])[1:]
    assert seam_at(short, recording, near) == short.at + seams(short)[1]
    assert seam_of(short, recording, near).end == short.at + short.length
    ((_, quiet),) = seam_places(WOVEN, [Jump(at[0], {}), Jump(at[1], {})])
    assert seam_of(WOVEN, "b", quiet) is None


def test_joins_are_listened_to_once_and_closed_gaps_are_none():
    assert joins(WOVEN) == [0, 1]
    known = seam_places(WOVEN, [Jump(0, {}), Jump(0, {})])
    assert unheard(WOVEN, []) and not unheard(WOVEN, known)
    assert not all_known(WOVEN, {"a": [], "b": []}) and all_known(WOVEN, {"a": [], "b": [place for _, place in known]})
    closed = Comp(0, (Segment("a", seconds(1, 3)), Segment("a", seconds(4, 6), 2 * SAMPLE_RATE)))
    assert joins(closed) == [] and not unheard(closed, []) and seam_places(closed, []) == []
