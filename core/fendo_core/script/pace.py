"""How long a text takes THIS reader: syllables, speech sounds and pauses at a pace, and the pace learned from takes."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fendo_core.script.syllables import DEFAULT_LANGUAGE, Speech, speech_of
from fendo_core.timebase import SAMPLE_RATE

STYLES: dict[str, float] = {"calm": 4.3, "neutral": 4.9, "lively": 5.6}
"""Syllables a second while speaking, from which a reader starts until takes tell better."""
DEFAULT_PACE = STYLES["calm"]

_SOUNDS_A_SYLLABLE, _SYLLABLES_A_WORD = 2.45, 1.6
_SHARE_OF_SYLLABLES, _SHARE_OF_WORDS = 0.15, 0.2
"""Of the time of speaking; the rest goes with the speech sounds, as a syllable of five takes longer than one of two, and
words begin and end more slowly than they go on."""
_LONG_PAUSE, _SHORT_PAUSE = 0.3, 0.25
"""Seconds at `DEFAULT_PACE`."""
_KNOWN = 6
"""Takes that what is usual counts for, beside those that tell how much readings of one reader differ."""
_USUAL_NOISE = 0.1
"""Natural logarithm of the ratio by which a reading differs from what its text asks for, usually (standard deviation)."""
_SHORTEST_READING = SAMPLE_RATE // 2


@dataclass(frozen=True, slots=True)
class Pace:
    """Samples for a syllable, for a speech sound in it, for a pause at a sentence's end and at a comma, and for a word.

    Attributes:
        takes: how many takes it was learned from; 0 for a starting value.
    """

    syllable: int
    sound: int
    long_pause: int
    short_pause: int
    language: str = DEFAULT_LANGUAGE
    takes: int = 0
    word: int = 0

    @classmethod
    def starting(cls, syllables_a_second: float = DEFAULT_PACE, language: str = DEFAULT_LANGUAGE) -> "Pace":
        """The pace of nobody in particular who says so many syllables a second, pauses not counted.

        Raises:
            ValueError: for a pace that is not positive.
        """
        if not syllables_a_second > 0:
            raise ValueError(f"a pace must be above 0 syllables a second, not {syllables_a_second}")
        syllable = SAMPLE_RATE / syllables_a_second
        slower = DEFAULT_PACE / syllables_a_second * SAMPLE_RATE
        return cls(
            round(syllable * _SHARE_OF_SYLLABLES),
            round(syllable * (1 - _SHARE_OF_SYLLABLES - _SHARE_OF_WORDS) / _SOUNDS_A_SYLLABLE),
            round(slower * _LONG_PAUSE),
            round(slower * _SHORT_PAUSE),
            language,
            word=round(syllable * _SHARE_OF_WORDS * _SYLLABLES_A_WORD),
        )

    @property
    def syllables_a_second(self) -> float:
        """What the pace comes to in syllables of common length."""
        return SAMPLE_RATE / max(1.0, self.syllable + self.sound * _SOUNDS_A_SYLLABLE + self.word / _SYLLABLES_A_WORD)


def expected_length(text: str, pace: Pace) -> int:
    """Samples from the first sound to the last when `text` is read at `pace`."""
    speech = speech_of(text, pace.language)
    return round(
        speech.syllables * pace.syllable
        + speech.sounds * pace.sound
        + speech.long_pauses * pace.long_pause
        + speech.short_pauses * pace.short_pause
        + speech.words * pace.word
    )


def learned(readings: Sequence[tuple[str, int]], start: Pace) -> Pace:
    """The pace of a reader, from what was read and how many samples of speech it took.

    A ridge regression of the relative error on syllables, sounds, words and pauses around the starting pace, scaled first
    by the readings' middle; readings that fit badly (a stumble, words left out) lose their weight step by step (Huber's
    weights, Robust Statistics, 1981). Readings too short to tell anything are left out. Without any, the start is given
    back.
    """
    told = [(speech_of(text, start.language), length) for text, length in readings if length >= _SHORTEST_READING]
    told = [(speech, length) for speech, length in told if speech.sounds > 3]
    if not told:
        return start
    lengths = np.array([length for _, length in told], dtype=np.float64)
    asked = np.array([_counts(speech) for speech, _ in told], dtype=np.float64)
    begin = np.array([start.syllable, start.sound, start.long_pause, start.short_pause, start.word], dtype=np.float64)
    ratios = np.log(np.clip(lengths / (asked @ begin), 0.3, 3.0))
    count = len(told)
    noise, off = _spread_and_middle(ratios)
    # What may as well be chance in so few takes moves nothing: a good start is not made worse (James and Stein, Estimation
    # with quadratic loss, 1961, the positive part), least of all by the first take, which may be anything.
    begin = begin * np.exp(off * max(0.0, 1.0 - noise**2 * (1 + 1 / count) / max(count * off**2, 1e-12)))
    # In units of the starting values each coefficient is 1, and the prior says how firmly.
    rows = asked * begin / lengths[:, None]
    prior = np.diag([30, 30, 8, 8, 30]) * (noise / _USUAL_NOISE)
    weights: NDArray[np.float64] = np.ones(count, dtype=np.float64)
    found: NDArray[np.floating] = np.ones(5)
    for _ in range(10):
        weighted = rows * weights[:, None]
        found = np.linalg.solve(weighted.T @ rows + prior, weighted.T @ np.ones(count) + prior @ np.ones(5))
        off = np.abs(rows @ found - 1)
        weights = _weights(off, max(0.03, 1.5 * float(np.median(off))))
    values = np.clip(found, 0.1, 4.0) * begin
    syllable, sound, long_pause, short_pause, word = (max(1, round(float(value))) for value in values)
    return Pace(syllable, sound, long_pause, short_pause, start.language, count, word)


def _spread_and_middle(ratios: NDArray[np.float64]) -> tuple[float, float]:
    """By how much readings differ, weighed with what is usual, and Huber's mean of them."""
    count = len(ratios)
    middle = float(np.median(ratios))
    seen = 1.48 * float(np.median(np.abs(ratios - middle)))
    noise = float(np.sqrt((_KNOWN * _USUAL_NOISE**2 + count * seen**2) / (_KNOWN + count)))
    for _ in range(10):
        middle = float(np.average(ratios, weights=_weights(np.abs(ratios - middle), 1.5 * noise)))
    return noise, middle


def _weights(off: NDArray[np.floating], bend: float) -> NDArray[np.float64]:
    """Huber's weights: what is further off than `bend` counts less, the further the less."""
    return np.asarray(np.minimum(1.0, bend / np.maximum(off, 1e-9)), dtype=np.float64)


def _counts(speech: Speech) -> tuple[float, ...]:
    return speech.syllables, speech.sounds, speech.long_pauses, speech.short_pauses, speech.words
