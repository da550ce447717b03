"""Takes: the measures against readings whose truth is known."""

from datetime import date

import numpy as np
import pytest

from fendo_core.reader import narrator
from fendo_core.takes.finding import Described, matches, wanted
from fendo_core.takes.measures import judge, measure
from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds

WORDS = "Then the keeper lifts one oak board, and the wheel remembers what to do."


@pytest.mark.parametrize("voice", narrator.VOICES)
@pytest.mark.parametrize("seed", [1, 2, 3])
def test_speech_is_found_where_it_was_put_and_the_breath_is_not_taken_for_it(voice, seed):
    reading = narrator.read(WORDS, seed, voice)
    found = measure(reading.samples)
    assert abs(found.speech.start - reading.speech_start) < milliseconds(25)
    assert abs(found.speech.end - reading.speech_end) < milliseconds(60)
    assert found.noise == pytest.approx(narrator.ROOM_NOISE, abs=1.5)
    assert -12.0 < found.peak < -6.0
    assert not found.clipped


@pytest.mark.parametrize(
    ("fault", "said"),
    [
        ("late", "s late"),
        ("early", "s early"),
        ("long", "past the end"),
        ("loud", "clipped at"),
        ("silent", "nobody speaks"),
    ],
)
def test_each_fault_of_a_reading_is_said(fault, said):
    good = narrator.read(WORDS, 5)
    slot = Span(good.cue, good.speech_end + milliseconds(150))
    reading = narrator.read(WORDS, 5, fault=fault)
    found = measure(reading.samples)
    judged = judge(found.speech, 0, slot, len(found.clipped))
    assert any(said in text for text in judged.faults), judged.faults


def test_a_good_reading_has_no_fault():
    reading = narrator.read(WORDS, 3)
    found = measure(reading.samples)
    judged = judge(found.speech, 0, Span(reading.cue, reading.speech_end + SAMPLE_RATE), 0)
    assert judged.faults == ()
    assert judged.remarks == ("on cue", "inside its slot")


def test_a_reading_without_a_slot_is_held_against_the_length_that_is_wanted():
    read = Span(48_000, 48_000 + 10 * SAMPLE_RATE)

    def said(wanted):
        found = judge(read, 0, None, 0, wanted=wanted)
        return (*found.faults, *found.remarks), found.past_end

    assert said(None) == ((), None)
    assert said(9 * SAMPLE_RATE) == (("1.0 s longer than wanted",), SAMPLE_RATE)
    assert said(12 * SAMPLE_RATE) == (("2.0 s shorter than wanted",), -2 * SAMPLE_RATE)
    assert said(10 * SAMPLE_RATE + 480)[0] == ("as long as wanted",)


def test_a_reading_is_the_same_for_a_seed_and_another_for_the_next():
    one, again, other = (narrator.read(WORDS, seed) for seed in (1, 1, 2))
    assert np.array_equal(one.samples, again.samples)
    assert not np.array_equal(one.samples[: len(other.samples)], other.samples[: len(one.samples)])


@pytest.mark.parametrize(
    ("query", "found"),
    [
        ("", True),
        ("heron WEIR", True),
        ("maren narration", True),
        ("nárrätion", True),
        ('"line 7" keep', True),
        ("take 3 2026-11-02", True),
        ("2 november", True),
        ("“set aside”", True),
        ("slower", True),
        ("eron", False),
        ("heron picked", False),
        ("line 8", False),
        ("(", False),
    ],
)
def test_takes_are_found_by_what_people_know_of_them(query, found):
    take = Described(
        words="The heron waits below the weir.",
        line="7",
        number=3,
        reader="Maren Tull",
        folder="Reel 1/Narration",
        file="Weir 007 The heron t03.wav",
        made=date(2026, 11, 2),
        mark="keep",
        note="slower at the end",
        aside=True,
    )
    assert matches(wanted(query), take) == found
