"""Where the words of a text are said in a reading.

The decoder is given a grammar of the text, so it can refuse: a reading of something else does not come out as the text
(plain alignment would squeeze it in).
"""

import threading
from collections.abc import Collection, Sequence
from functools import cache

import numpy as np
import soxr
from numpy.typing import NDArray

from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds
from fendo_core.words.decoder import RATE, SELDOM_OTHER, Decoder
from fendo_core.words.grammar import BACK, SELDOM, SpokenWord, arcs_of, placed

LISTENS = ("en", "en-gb", "en-us")
"""Languages whose words are listened for, by the phoneme library's codes."""
_APART = milliseconds(100)
"""What is further apart is not one thing that was put in."""


class Listener:
    """A decoder that is kept, for several threads: it has a lock of its own."""

    def __init__(self) -> None:
        self._decoder = Decoder()
        self._lock = threading.Lock()

    def listen(
        self, sound: NDArray[np.float32], words: Sequence[str], starts: Collection[int] = (), begin: int = 0
    ) -> list[SpokenWord]:
        """The words of a text in the order in which they were said; words may lack, and come several times.

        Args:
            sound: mono at 48 kHz, shape (n,).
            words: in small letters, in the order of the text.
            starts: words at which a reader may begin anew from anywhere nearby (the first of lines and sentences).
            begin: the word that is expected first.
        """
        return self._listened(_narrowed(sound), words, starts, begin)[0]

    def listen_twice(
        self, sound: NDArray[np.float32], words: Sequence[str]
    ) -> tuple[list[SpokenWord], tuple[list[SpokenWord], list[Span]]]:
        """The words as `listen` finds them; and with ears for others, too: the words, and where others were said.

        The second time nobody goes back: what was said again is something else that was said.
        """
        narrow = _narrowed(sound)
        return self._listened(narrow, words)[0], self._listened(narrow, words, others=True)

    def _listened(
        self,
        narrow: NDArray[np.float32],
        words: Sequence[str],
        starts: Collection[int] = (),
        begin: int = 0,
        others: bool = False,
    ) -> tuple[list[SpokenWord], list[Span]]:
        if not words or not len(narrow):
            return [], []
        with self._lock:
            known = self._decoder.known(words)
            inside = [n for n, word in enumerate(words) if word in known]
            ways = (0, SELDOM_OTHER) if others else (BACK, SELDOM)
            arcs = arcs_of(inside, len(words), starts, *ways)
            self._decoder.begin(words, arcs, begin, others)
            self._decoder.feed(narrow, whole=True)
            self._decoder.end()
            heard = self._decoder.heard()
        said = placed([(word, span) for word, span in heard if word], words, arcs, begin)
        return said, [Span(run[0].start, run[-1].end) for run in _together(heard)]


def _narrowed(sound: NDArray[np.float32]) -> NDArray[np.float32]:
    """A sound at the model's rate, and as loud as its own training: its noise floor is an absolute one."""
    narrow: NDArray[np.float32] = soxr.resample(sound, SAMPLE_RATE, RATE, quality="HQ")
    loudest = float(np.percentile(np.abs(narrow), 99.5)) if len(narrow) else 0.0
    return narrow * np.float32(0.25 / loudest if loudest > 1e-5 else 1.0)


def _together(heard: Sequence[tuple[str, Span]]) -> list[list[Span]]:
    """What was heard of other words, in stretches without a word of the text between."""
    runs: list[list[Span]] = []
    before = True
    for word, span in heard:
        if not word and not before and span.start - runs[-1][-1].end <= _APART:
            runs[-1].append(span)
        elif not word:
            runs.append([span])
        before = bool(word)
    return runs


def spoken_in(heard: Sequence[SpokenWord], phrases: Sequence[Span]) -> list[SpokenWord]:
    """Without what was heard where nobody speaks: into silence the decoder hears a word now and then."""
    return [one for one in heard if is_spoken(one.span, phrases)]


def is_spoken(span: Span, phrases: Sequence[Span]) -> bool:
    """Whether somebody speaks there."""
    return any(span.meets(phrase) for phrase in phrases)


@cache
def listener() -> Listener:
    """The one of this process."""
    return Listener()
