"""How long a text takes to say at a stated pace."""

import re
from functools import lru_cache

from fendo_core.timebase import SAMPLE_RATE

DEFAULT_PACE = 4.3
"""Syllables a second of a calm narrator, pauses not counted."""

_WORD = re.compile(r"[^\W\d_]+(?:['’][^\W\d_]+)?", re.UNICODE)
_NUMBER = re.compile(r"\d+")
_VOWELS = re.compile(r"[aeiouyàáâäæãåèéêëìíîïòóôöœõøùúûüýÿ]+")
_SILENT_END = re.compile(r"(?:[^aeiouyl]e|[^aeiouytd]ed|[^aeiouyscxz]es)$")
_LONG_PAUSE = re.compile(r"[.!?…]+[\"”’)]*\s")
_SHORT_PAUSE = re.compile(r"(?:[,;:]\s|\s[–—-]\s|—)")
_LONG_PAUSE_SAMPLES = SAMPLE_RATE * 45 // 100
_SHORT_PAUSE_SAMPLES = SAMPLE_RATE * 20 // 100


def words(text: str) -> list[str]:
    """The spoken words of a text, numbers included."""
    return re.findall(r"[^\W_]+(?:['’][^\W_]+)?", text)


def syllables(text: str) -> int:
    """Syllables of a text, by groups of vowels less English's silent endings; two for each digit of a number.

    A count for timing, not for verse: it is within one of the dictionary's on most English words.
    """
    count = sum(2 * len(number) for number in _NUMBER.findall(text))
    for word in _WORD.findall(text.lower()):
        groups = len(_VOWELS.findall(word))
        if groups > 1 and _SILENT_END.search(word):
            groups -= 1
        count += max(1, groups)
    return count


@lru_cache(maxsize=50_000)
def expected_length(text: str, pace: float = DEFAULT_PACE) -> int:
    """Samples needed to say `text`: its syllables at `pace` a second, and its pauses at punctuation inside.

    Raises:
        ValueError: for a pace that is not positive.
    """
    if pace <= 0:
        raise ValueError(f"a pace must be above 0 syllables a second, not {pace}")
    spoken = round(syllables(text) / pace * SAMPLE_RATE)
    inside = text.strip()
    pauses = len(_LONG_PAUSE.findall(inside)) * _LONG_PAUSE_SAMPLES
    pauses += len(_SHORT_PAUSE.findall(inside)) * _SHORT_PAUSE_SAMPLES
    return spoken + pauses
