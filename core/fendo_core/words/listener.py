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

from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.words.decoder import RATE, Decoder
from fendo_core.words.grammar import Said, arcs_of, placed

LISTENS = ("en", "en-gb", "en-us")
"""Languages whose words are listened for, by the phoneme library's codes."""


class Listener:
    """A decoder that is kept, for several threads: it has a lock of its own."""

    def __init__(self) -> None:
        self._decoder = Decoder()
        self._lock = threading.Lock()

    def listen(
        self, sound: NDArray[np.float32], words: Sequence[str], starts: Collection[int] = (), begin: int = 0
    ) -> list[Said]:
        """The words of a text in the order in which they were said; words may lack, and come several times.

        Args:
            sound: mono at 48 kHz, shape (n,).
            words: in small letters, in the order of the text.
            starts: words at which a reader may begin anew from anywhere nearby (the first of lines and sentences).
            begin: the word that is expected first.
        """
        if not words or not len(sound):
            return []
        narrow = soxr.resample(sound, SAMPLE_RATE, RATE, quality="HQ")
        # As loud as the model's own training: its noise floor is an absolute one.
        loudest = float(np.percentile(np.abs(narrow), 99.5)) if len(narrow) else 0.0
        with self._lock:
            known = self._decoder.known(words)
            arcs = arcs_of([n for n, word in enumerate(words) if word in known], len(words), starts)
            self._decoder.begin(words, arcs, begin)
            self._decoder.feed(narrow * (0.25 / loudest if loudest > 1e-5 else 1.0), whole=True)
            self._decoder.end()
            heard = self._decoder.heard()
        return placed(heard, words, arcs, begin)


def spoken_in(heard: Sequence[Said], phrases: Sequence[Span]) -> list[Said]:
    """Without what was heard where nobody speaks: into silence the decoder hears a word now and then."""
    return [one for one in heard if any(one.span.meets(phrase) for phrase in phrases)]


@cache
def listener() -> Listener:
    """The one of this process."""
    return Listener()
