"""A reading run: readings end by themselves, soon after their last word and never in a pause."""

import numpy as np
import pytest

from fendo_core.audio.speech import hear
from fendo_core.booth import run
from fendo_core.reader import narrator
from fendo_core.script.pace import Pace, expected_length
from fendo_core.timebase import SAMPLE_RATE, Span

TEXTS = (
    "Listen.",
    "The last keeper wrote down every tide for forty-one years.",
    "When the water is spent, the mill simply stops, and the whole house holds its breath.",
)


def asked(sound: np.ndarray, cue: int, expected: int) -> int:
    """When it is over, samples of the recording, asked every 0.6 s."""
    for have in range(cue, len(sound), SAMPLE_RATE * 6 // 10):
        said = [phrase.shifted(-cue) for phrase in hear(sound[:have]).phrases if phrase.end > cue]
        if run.over(said, have - cue, expected):
            return have
    return -1


@pytest.mark.parametrize("voice", narrator.VOICES)
def test_a_reading_is_over_soon_after_its_last_word_and_not_in_its_pauses(voice):
    for number, text in enumerate(TEXTS):
        reading = narrator.read(text, 70 + number, voice, tail=4 * SAMPLE_RATE)
        expected = expected_length(text, Pace.starting())
        late = asked(reading.samples, reading.cue, expected) - reading.speech_end
        assert run.QUIET - SAMPLE_RATE // 10 < late < run.QUIET + SAMPLE_RATE


def test_a_reader_who_thinks_is_waited_for_and_one_who_says_nothing_is_not_waited_for_for_ever():
    half = [Span(0, 2 * SAMPLE_RATE)]
    assert not run.over(half, 5 * SAMPLE_RATE, expected=5 * SAMPLE_RATE)
    assert run.over(half, 6 * SAMPLE_RATE, expected=5 * SAMPLE_RATE)
    assert run.over(half, 4 * SAMPLE_RATE, expected=3 * SAMPLE_RATE)
    assert not run.over([], 12 * SAMPLE_RATE, expected=5 * SAMPLE_RATE)
    assert run.over([], 13 * SAMPLE_RATE, expected=5 * SAMPLE_RATE)
    # Of a long line its last seconds are listened to: what was said before them counts, and a pause in it ends nothing.
    last = [Span(14 * SAMPLE_RATE, 15 * SAMPLE_RATE)]
    assert run.over(last, 17 * SAMPLE_RATE, expected=20 * SAMPLE_RATE, spoken_before=True)
    assert not run.over(last, 17 * SAMPLE_RATE, expected=60 * SAMPLE_RATE, spoken_before=True)
    assert run.over([], run.WINDOW, expected=60 * SAMPLE_RATE, spoken_before=True)


def test_what_is_wrong_is_offered_again_and_not_for_ever():
    assert run.after([], 1) == "on"
    assert [run.after(["0.3 s late"], readings) for readings in (1, 2, 3)] == ["again", "again", "on"]
