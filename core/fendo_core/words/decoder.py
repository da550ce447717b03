"""The decoder of an English speech recogniser (pocketsphinx), which is given a grammar and hears nothing else.

Its model and dictionary come with the library.
"""

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.words.grammar import Arcs
from fendo_core.words.text import pronounced

RATE = 16_000
"""Samples a second that the model was made of."""
_FRAME = SAMPLE_RATE // 100
_SOUNDS = "AA AE AH EH ER IY OW UW AY S SH F T K D B N L R DH HH W"
_OTHERS = tuple(_SOUNDS.split())
"""Speech sounds of which other words are made up. The rest are near enough to one of these, and each costs time."""
_OTHER = "_"
"""Their names in the dictionary begin so, as no word does."""
SELDOM_OTHER = 1e-9
"""How likely one of them is, where any may be said between two words: chosen on half of one person's prompts and two voices
that were made from recordings."""


class Decoder:
    """One that is kept: making it takes a seventh of a second and 27 MB. For one thread, and for one sound at a time."""

    def __init__(self) -> None:
        from pocketsphinx import Decoder as Made

        self._made: Any = Made(lm=None, bestpath=False, loglevel="FATAL", samprate=float(RATE))
        self._unknown: set[str] = set()

    @property
    def mean(self) -> str:
        """The cepstral mean of what it hears, learned as it goes: another reading of the same voice may begin with it."""
        return str(self._made.get_cmn(False))

    @mean.setter
    def mean(self, mean: str) -> None:
        self._made.set_cmn(mean)

    def known(self, words: Sequence[str]) -> set[str]:
        """Those of the words that can be listened for; what the dictionary lacks is added by how it is said."""
        lacking = [w for w in dict.fromkeys(words) if w not in self._unknown and self._made.lookup_word(w) is None]
        for word, phones in zip(lacking, pronounced(lacking) if lacking else (), strict=True):
            if phones is None:
                self._unknown.add(word)
            else:
                self._made.add_word(word, phones, update=True)
        return set(words) - self._unknown

    def begin(self, words: Sequence[str], arcs: Arcs, state: int, others: bool = False) -> None:
        """Listen from here on for words that follow one another by `arcs`, from `state` on; if wanted, for others."""
        told = [(a, b, p, words[w]) if w >= 0 else (a, b, p) for (a, b), (p, w) in arcs.items()]
        if others:
            # Not when it is made: who follows a reader never wants them.
            for sound in _OTHERS if self._made.lookup_word(_OTHER + _OTHERS[0]) is None else ():
                self._made.add_word(_OTHER + sound, sound, update=sound == _OTHERS[-1])
            told += [(at, at, SELDOM_OTHER, _OTHER + sound) for at in range(len(words) + 1) for sound in _OTHERS]
        self._made.add_fsg("text", self._made.create_fsg("text", state, len(words) + 1, told))
        self._made.activate_search("text")
        self._made.start_utt()

    def feed(self, narrow: NDArray[np.float32], whole: bool = False) -> None:
        """The next of the sound at `RATE`, about as loud as speech that peaks at a quarter; `whole`: there is no more."""
        steps = np.clip(np.rint(narrow * 32_767.0), -32_768, 32_767).astype("<i2")
        self._made.process_raw(steps.tobytes(), full_utt=whole)

    def end(self) -> None:
        """There is no more."""
        self._made.end_utt()

    def heard(self) -> list[tuple[str, Span]]:
        """The words that were heard since `begin`, in order, with where in the sound they were (samples at 48 kHz).

        What was heard of other words comes in between as words without a letter.
        """
        found = []
        for seg in self._made.seg() or ():
            word = seg.word.partition("(")[0]
            if word and word[0] not in "<[+":
                text = "" if word.startswith(_OTHER) else word
                found.append((text, Span(seg.start_frame * _FRAME, (seg.end_frame + 1) * _FRAME)))
        return found
