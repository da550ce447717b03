"""A reading run: from line to line without a key. When a reading is over, and what comes next."""

from collections.abc import Sequence
from typing import Literal, TypeAlias

from fendo_core.timebase import SAMPLE_RATE, Span

QUIET = SAMPLE_RATE * 13 // 10
"""So long nobody speaks after the last word of a line; inside a line pauses are shorter."""
ALL_SAID = SAMPLE_RATE * 7 // 10
"""The same where the last word was heard."""
THINKING = 4 * SAMPLE_RATE
"""So long somebody may pause who has said less than `MOST_OF_IT`."""
NOTHING = 8 * SAMPLE_RATE
"""So long after the words should have ended a reader is waited for who says nothing."""
MOST_OF_IT = 0.6
WINDOW = 12 * SAMPLE_RATE
"""What is listened to while it is read: its last seconds. More would cost what others' recordings need."""
MOST_READINGS = 3
"""A line is offered so often in one run; then the run goes on, and the line says what is wrong with it."""

Next: TypeAlias = Literal["on", "again"]


def over(phrases: Sequence[Span], heard: int, expected: int, spoken_before: bool = False, all_said: bool = False) -> bool:
    """Whether a reading is over.

    Args:
        phrases: where somebody spoke, samples since the cue, in order.
        heard: samples since the cue that were listened to.
        expected: samples that the words are expected to take.
        spoken_before: somebody spoke already before what was listened to.
        all_said: the last word of the line was heard.
    """
    if not phrases:
        return heard >= expected + NOTHING if not spoken_before else heard >= THINKING
    quiet = heard - phrases[-1].end
    # Who spoke before what was listened to has spoken since about the cue.
    said = phrases[-1].end - (0 if spoken_before else phrases[0].start)
    enough = said >= MOST_OF_IT * expected
    return quiet >= (ALL_SAID if all_said else QUIET if enough else THINKING)


def after(faults: Sequence[str], readings: int) -> Next:
    """What comes after a reading: the next line, or the same again where something is wrong with it.

    Args:
        faults: what is wrong, in words.
        readings: how often the line was read in this run.
    """
    return "again" if faults and readings < MOST_READINGS else "on"
