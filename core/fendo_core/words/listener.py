"""Where the words of a text are said in a reading, by the decoder of an English speech recogniser (pocketsphinx).

Its model and dictionary come with the library. It is given a grammar of the text: a word is followed by the next one, or
seldom by one a little further on, or by an earlier one, as with somebody who has stumbled. So it can refuse: a reading of
something else does not come out as the text (plain alignment would squeeze it in).
"""

import threading
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np
import soxr
from numpy.typing import NDArray

from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.words.text import pronounced

LISTENS = ("en", "en-gb", "en-us")
"""Languages whose words are listened for, by the phoneme library's codes."""
_RATE = 16_000
_FRAME = SAMPLE_RATE // 100
AHEAD, BACK = 4, 15
"""Words that may be left out at once, and by which a reader may go back."""
_NEXT, _SELDOM = 0.9, 1e-4
_FAR = 90
"""Words by which the beginning of a line may lie off, for a reader who goes on elsewhere."""


@dataclass(frozen=True, slots=True)
class Said:
    """A word as it was said: which of the text's it is, and where, in samples at 48 kHz."""

    index: int
    span: Span


class Listener:
    """A decoder that is kept: making one takes half a second. Not for two threads at once: it has a lock of its own."""

    def __init__(self) -> None:
        from pocketsphinx import Decoder

        self._decoder: Any = Decoder(lm=None, bestpath=False, loglevel="FATAL", samprate=float(_RATE))
        self._lock = threading.Lock()
        self._unknown: set[str] = set()

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
        with self._lock:
            known = self._known(words)
            arcs = _arcs([n for n, word in enumerate(words) if word in known], len(words), set(starts))
            heard = self._decoded(sound, words, arcs, begin)
        return _placed(heard, words, arcs, begin)

    def _known(self, words: Sequence[str]) -> set[str]:
        """Those of the words that the decoder can listen for; what its dictionary lacks is added by how it is said."""
        lacking = [w for w in dict.fromkeys(words) if w not in self._unknown and self._decoder.lookup_word(w) is None]
        for word, phones in zip(lacking, pronounced(lacking) if lacking else (), strict=True):
            if phones is None:
                self._unknown.add(word)
            else:
                self._decoder.add_word(word, phones, update=True)
        return set(words) - self._unknown

    def _decoded(
        self, sound: NDArray[np.float32], words: Sequence[str], arcs: "Arcs", begin: int
    ) -> list[tuple[str, Span]]:
        final = len(words) + 1
        told = [(a, b, p, words[w]) if w >= 0 else (a, b, p) for (a, b), (p, w) in arcs.items()]
        fsg = self._decoder.create_fsg("text", begin, final, told)
        self._decoder.add_fsg("text", fsg)
        self._decoder.activate_search("text")
        narrow = soxr.resample(sound, SAMPLE_RATE, _RATE, quality="HQ")
        # As loud as the model's own training: its noise floor is an absolute one.
        loudest = float(np.percentile(np.abs(narrow), 99.5)) if len(narrow) else 0.0
        narrow = narrow * (0.25 / loudest if loudest > 1e-5 else 1.0)
        steps = np.clip(np.rint(narrow * 32_767.0), -32_768, 32_767).astype("<i2")
        self._decoder.start_utt()
        self._decoder.process_raw(steps.tobytes(), full_utt=True)
        self._decoder.end_utt()
        found = []
        for seg in self._decoder.seg() or ():
            word = seg.word.partition("(")[0]
            if word and word[0] not in "<[+":
                found.append((word, Span(seg.start_frame * _FRAME, (seg.end_frame + 1) * _FRAME)))
        return found


Arcs = dict[tuple[int, int], tuple[float, int]]
"""From state to state (a state is the number of the next word): how likely, and the word that is said (-1: none)."""


def _arcs(known: list[int], count: int, starts: set[int]) -> Arcs:
    """The grammar of a text of `count` words, of which the `known` ones can be listened for."""
    arcs: Arcs = {}
    final = count + 1
    for state in range(count + 1):
        for word in known:
            if word == state:
                likely = _NEXT
            elif (
                state < word <= state + AHEAD
                or state - BACK <= word < state
                or (word in starts and abs(word - state) <= 6 * BACK)
            ):
                likely = _SELDOM
            else:
                continue
            arcs[state, word + 1] = (likely, word)
        if state < count and state not in known:
            # A word that nobody knows how to say is passed over.
            arcs[state, state + 1] = (_NEXT, -1)
        arcs[state, final] = (1.0 if state == count else _SELDOM, -1)
    return arcs


def spoken_in(heard: Sequence[Said], phrases: Sequence[Span]) -> list[Said]:
    """Without what was heard where nobody speaks: into silence the decoder hears a word now and then."""
    return [one for one in heard if any(one.span.meets(phrase) for phrase in phrases)]


Ways = dict[int, tuple[float, tuple[int, ...]]]
"""To each state the likeliest way: what it costs, and the words on it."""


def _placed(heard: Sequence[tuple[str, Span]], words: Sequence[str], arcs: Arcs, begin: int = 0) -> list[Said]:
    """Which of the text's words each heard one is: the likeliest way through the grammar that says them."""
    if not heard:
        return []
    by_state: dict[int, list[tuple[int, float, int]]] = {}
    for (start, end), (likely, word) in arcs.items():
        by_state.setdefault(start, []).append((end, likely, word))
    best: Ways = {begin: (0.0, ())}
    for text, _ in heard:
        nxt: Ways = {}
        for state, (cost, path) in _with_silent(best, by_state).items():
            for end, likely, word in by_state.get(state, ()):
                if word < 0 or words[word] != text:
                    continue
                total = cost - float(np.log(likely))
                if end not in nxt or total < nxt[end][0]:
                    nxt[end] = (total, (*path, word))
        if not nxt:
            return []
        best = nxt
    seldom = -float(np.log(_SELDOM))
    _, (_, path) = min(best.items(), key=lambda way: way[1][0] + (0.0 if way[0] == len(words) else seldom))
    return [Said(word, span) for word, (_, span) in zip(path, heard, strict=True)]


def _with_silent(best: Ways, by_state: dict[int, list[tuple[int, float, int]]]) -> Ways:
    """States that are reached by passing over words that nobody knows how to say."""
    found, open_states = dict(best), list(best)
    while open_states:
        state = open_states.pop()
        cost, path = found[state]
        for end, likely, word in by_state.get(state, ()):
            total = cost - float(np.log(likely))
            if word < 0 and end == state + 1 and likely == _NEXT and (end not in found or total < found[end][0]):
                found[end] = (total, path)
                open_states.append(end)
    return found


@cache
def listener() -> Listener:
    """The one of this process."""
    return Listener()
