"""How much there is to say in a text: syllables, speech sounds and pauses, by a phoneme library.

The library (espeak-ng through phonemizer) is a named codec of the core, as ffmpeg is: text in, phonemes out, in a process
of its own. Where it is not installed, and for a text that it can't speak out, groups of vowels are counted instead, which
is within one of a dictionary's count for most English words.
"""

import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache

from fendo_core.script.phonemes import Phonemes
from fendo_core.script.spoken import spoken_out

LANGUAGES: dict[str, str] = {
    "en-gb": "English (British)",
    "en-us": "English (American)",
    "de": "German",
    "fr-fr": "French",
    "es": "Spanish",
    "it": "Italian",
    "pt": "Portuguese",
    "nl": "Dutch",
    "sv": "Swedish",
    "da": "Danish",
    "nb": "Norwegian",
    "fi": "Finnish",
    "pl": "Polish",
    "cs": "Czech",
    "hu": "Hungarian",
    "tr": "Turkish",
    "el": "Greek",
    "ru": "Russian",
    "uk": "Ukrainian",
}
"""Languages whose length can be told, by the phoneme library's codes."""
DEFAULT_LANGUAGE = "en-gb"

_VOWEL = re.compile(r"[aeiouyɐɑɒæɔəɘɚɛɜɝɞɤɨɪɯɵøœɶʉʊʌʏᵻ]")
_SYLLABIC = "\u0329"
_LONG_PAUSE = re.compile(r"(?<!\d)[.!?…]+[\"”’)»]*\s|\s[–—]\s|—")
_SHORT_PAUSE = re.compile(r"[,;:]\s|\s-\s")
_SPELLED = re.compile(r"(?<!\w)[^\W\d_a-zß-ÿ](?: [^\W\d_a-zß-ÿ]){2,40}(?!\w)")
"""Letters with white between them: each is said by itself."""
_WORD = re.compile(r"[^\W\d_]+(?:['’][^\W\d_]+)?", re.UNICODE)
_VOWELS = re.compile(r"[aeiouyàáâäæãåèéêëìíîïòóôöœõøùúûüýÿ]+")
_SILENT_END = re.compile(r"(?:[^aeiouyl]e|[^aeiouytd]ed|[^aeiouyscxz]es)$")
_LETTERS_A_SOUND = 1.25

_STRANGE = re.compile(r"[^\u0000-\u139f\u1e00-\u206f\u20a0-\u20bf]")
"""Signs of scripts that none of the languages is written in. Some of them leave the library in another voice for all texts
that follow (Cherokee does), so none is given to it: each counts as a syllable of two sounds."""

_library = Phonemes()


@dataclass(frozen=True, slots=True)
class Speech:
    """What a text asks of a mouth: syllables, speech sounds, and pauses at sentence ends and at commas inside.

    Sounds are counted in sounds of common length: a long vowel is more than one, a reduced one less.
    """

    syllables: int
    sounds: float
    long_pauses: int
    short_pauses: int
    words: int


def syllables(text: str) -> int:
    """Syllables of an English text by groups of vowels less its silent endings; two for each digit.

    A count without the phoneme library: its stand-in, and its second opinion in tests.
    """
    count = 2 * sum(c.isdigit() for c in text)
    for word in _WORD.findall(text.lower()):
        groups = len(_VOWELS.findall(word))
        if groups > 1 and _SILENT_END.search(word):
            groups -= 1
        count += max(1, groups)
    return count


def speech_of(text: str, language: str = DEFAULT_LANGUAGE) -> Speech:
    """What there is to say in one text."""
    return _memory.get((text, language)) or speech_of_all([text], language)[0]


_memory: dict[tuple[str, str], Speech] = {}
_MOST_REMEMBERED = 100_000


def speech_of_all(texts: Sequence[str], language: str = DEFAULT_LANGUAGE) -> list[Speech]:
    """What there is to say in each of many texts; those met before are remembered.

    Raises:
        ValueError: for a language that is none of `LANGUAGES`.
    """
    if language not in LANGUAGES:
        raise ValueError(f"no such language: {language!r}; known are {', '.join(LANGUAGES)}")
    new = list(dict.fromkeys(text for text in texts if (text, language) not in _memory))
    if new:
        if len(_memory) + len(new) > _MOST_REMEMBERED:
            _memory.clear()
        said: list[str] = []
        for text, words, (sounds, vowels) in zip(new, said, _phonemes(_heard(new, language, said), language), strict=True):
            inside = words.strip()
            _memory[text, language] = Speech(
                vowels,
                sounds,
                len(_LONG_PAUSE.findall(inside)),
                len(_SHORT_PAUSE.findall(inside)) + sum(run.count(" ") for run in _SPELLED.findall(inside)),
                sum(map(_speakable, inside.split())),
            )
    return [_memory.get((text, language)) or speech_of(text, language) for text in texts]


def _heard(texts: Iterable[str], language: str, said: list[str]) -> Iterator[str]:
    """Each text as it is said, kept in `said`, too."""
    for text in texts:
        said.append(spoken_out(text, language))
        yield said[-1]


def _phonemes(texts: Iterable[str], language: str) -> list[tuple[float, int]]:
    """(speech sounds, syllables) of each text; of one that can't be spoken out by its letters."""
    rows: list[tuple[str, str]] = []

    def speakable() -> Iterator[str]:
        # The library drops empty rows and splits at line ends: each text is one row, and an empty one is not asked for.
        for text in texts:
            row = " ".join(_STRANGE.sub(" ", text).split())
            rows.append((text, row))
            if _speakable(row):
                yield row

    # While the first are said, the next are got ready.
    said = iter(_library.of(speakable(), language))
    found: list[tuple[float, int]] = []
    for text, row in rows:
        spoken = next(said) if _speakable(row) else ""
        if spoken is None:
            found.append((round(sum(map(len, _WORD.findall(text))) / _LETTERS_A_SOUND), syllables(text)))
            continue
        sounds, vowels = _counted(spoken)
        strange = sum(c.isalnum() for c in "".join(_STRANGE.findall(text)))
        found.append((sounds + 2 * strange, vowels + strange))
    return found


def _speakable(row: str) -> bool:
    return any(c.isalnum() for c in row)


@lru_cache(maxsize=20_000)
def _is_vowel(phone: str) -> bool:
    return bool(_VOWEL.search(phone)) or _SYLLABIC in phone


_REDUCED = frozenset("əɚᵻɐ")
_LENGTHS = {
    "reduced": 0.64,
    "short": 1.07,
    "long": 1.6,
    "hiss": 1.28,
    "stop": 0.96,
    "nasal": 0.86,
    "glide": 0.74,
    "other": 0.86,
}
"""How long sounds are beside one another, about as D. H. Klatt found them (Linguistic uses of segmental duration in
English, JASA 59, 1976); of common text they come to 1 on average."""


@lru_cache(maxsize=20_000)
def _length(phone: str) -> float:
    if _is_vowel(phone):
        kind = "reduced" if phone in _REDUCED else "long" if "ː" in phone or len(phone) > 1 else "short"
    elif phone[0] in "sʃfθx" or phone.startswith("tʃ"):
        kind = "hiss"
    elif phone[0] in "ptkbdɡgɾʔ":
        kind = "stop"
    elif phone[0] in "mnŋɲ":
        kind = "nasal"
    elif phone[0] in "lɹwjrʎʁ":
        kind = "glide"
    else:
        kind = "other"
    return _LENGTHS[kind]


def _counted(phonemes: str) -> tuple[float, int]:
    phones = [phone for word in phonemes.split() for phone in word.split("_") if phone]
    return sum(map(_length, phones)), sum(_is_vowel(phone) for phone in phones)
