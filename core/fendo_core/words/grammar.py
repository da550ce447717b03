"""The grammar of a text that is read: after a word comes the next one.

Or seldom one a little further on, or an earlier one, as with somebody who has stumbled.
"""

from collections.abc import Collection, Sequence
from dataclasses import dataclass

import numpy as np

from fendo_core.timebase import Span

AHEAD, BACK = 4, 15
"""Words that may be left out at once, and by which a reader may go back."""
_NEXT, SELDOM = 0.9, 1e-4
_FAR = 90
"""Words by which the beginning of a line may lie off, for a reader who goes on elsewhere."""


@dataclass(frozen=True, slots=True)
class SpokenWord:
    """A word as it was said: which of the text's it is, and where, in samples at 48 kHz."""

    index: int
    span: Span


Arcs = dict[tuple[int, int], tuple[float, int]]
"""From state to state (a state is the number of the next word): how likely, and the word that is said (-1: none)."""


def arcs_of(
    known: Collection[int], count: int, starts: Collection[int] = (), back: int = BACK, seldom: float = SELDOM
) -> Arcs:
    """The grammar of a text of `count` words, of which the `known` ones can be listened for.

    Args:
        starts: words to which a reader may go from anywhere nearby.
        back: words by which one may go back.
        seldom: how likely one goes anywhere but on.
    """
    arcs: Arcs = {}
    final = count + 1
    for state in range(count + 1):
        for word in known:
            if word == state:
                likely = _NEXT
            elif (
                state < word <= state + AHEAD
                or state - back <= word < state
                or (word in starts and abs(word - state) <= _FAR)
            ):
                likely = seldom
            else:
                continue
            arcs[state, word + 1] = (likely, word)
        if state < count and state not in known:
            # A word that nobody knows how to say is passed over.
            arcs[state, state + 1] = (_NEXT, -1)
        arcs[state, final] = (1.0 if state == count else SELDOM, -1)
    return arcs


Ways = dict[int, tuple[float, tuple[int, ...]]]
"""To each state the likeliest way: what it costs, and the words on it."""


def placed(heard: Sequence[tuple[str, Span]], words: Sequence[str], arcs: Arcs, begin: int = 0) -> list[SpokenWord]:
    """Which of the text's words each heard one is: the likeliest way through the grammar that says them."""
    if not heard:
        return []
    by_state: dict[int, list[tuple[int, float, int]]] = {}
    for (start, end), (likely, word) in arcs.items():
        by_state.setdefault(start, []).append((end, likely, word))
    best: Ways = {begin: (0.0, ())}
    for text, _ in heard:
        nxt: Ways = {}
        for state, (cost, path) in _with_unsaid(best, by_state).items():
            for end, likely, word in by_state.get(state, ()):
                if word < 0 or words[word] != text:
                    continue
                total = cost - float(np.log(likely))
                if end not in nxt or total < nxt[end][0]:
                    nxt[end] = (total, (*path, word))
        if not nxt:
            return []
        best = nxt
    seldom = -float(np.log(SELDOM))
    _, (_, path) = min(best.items(), key=lambda way: way[1][0] + (0.0 if way[0] == len(words) else seldom))
    return [SpokenWord(word, span) for word, (_, span) in zip(path, heard, strict=True)]


def _with_unsaid(best: Ways, by_state: dict[int, list[tuple[int, float, int]]]) -> Ways:
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
