"""The read check: is what was read the text? Words left out, said again, put in, and those that are doubtful."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal, TypeAlias, get_args

import numpy as np
from numpy.typing import NDArray

from fendo_core.script.lines import tokens
from fendo_core.timebase import Span, milliseconds, uncovered
from fendo_core.words.grammar import SpokenWord
from fendo_core.words.listener import is_spoken, listener, spoken_in
from fendo_core.words.text import Spoken, spoken_words

Mark: TypeAlias = Literal["read", "again", "left out", "doubtful"]
MARKS: tuple[Mark, ...] = get_args(Mark)


@dataclass(frozen=True, slots=True)
class Word:
    """A word of the text: its ordinal on the page, what happened to it, and where (samples of the sound; None: not found).

    A word that was said again comes twice: what was broken off is `again`, what counts is `read`. `doubtful`: it was not
    heard, but it is so short, or so unlike a word, that nothing follows from that.
    """

    ordinal: int
    mark: Mark
    span: Span | None


@dataclass(frozen=True, slots=True)
class ReadCheck:
    """What was heard of a text. `put_in` are stretches in which something else was said; `lost`: so much is amiss that the
    reading could not be followed, or is of another text."""

    words: tuple[Word, ...]
    put_in: tuple[Span, ...] = ()
    lost: bool = False

    @property
    def amiss(self) -> int:
        """Words left out and said again, and what was put in."""
        return len(self.of("left out")) + len(self.of("again")) + len(self.put_in)

    @property
    def fine(self) -> bool:
        """Nothing is amiss."""
        return not (self.lost or self.amiss)

    def shifted(self, by: int) -> "ReadCheck":
        """The same, counted in the recording that the sound begins `by` samples after."""
        words = tuple(replace(one, span=one.span.shifted(by) if one.span else None) for one in self.words)
        return replace(self, words=words, put_in=tuple(span.shifted(by) for span in self.put_in))

    def as_row(self) -> dict[str, Any]:
        """Plain values; `from_row` reads them back."""
        words = [[one.ordinal, one.mark, *((one.span.start, one.span.end) if one.span else ())] for one in self.words]
        return {"words": words, "put_in": [[span.start, span.end] for span in self.put_in], "lost": self.lost}

    @staticmethod
    def from_row(row: Mapping[str, Any]) -> "ReadCheck":
        """One that was kept."""
        words = tuple(Word(ordinal, mark, Span(*span) if span else None) for ordinal, mark, *span in row["words"])
        return ReadCheck(words, tuple(Span(*pair) for pair in row["put_in"]), row["lost"])

    def of(self, mark: Mark) -> tuple[Word, ...]:
        """The words with that mark."""
        return tuple(word for word in self.words if word.mark == mark)


SHORTEST_PUT_IN = milliseconds(320)
"""Speech between two words that belongs to none of them is something put in from this length on: a breath or the tail of a
word is shorter."""
SHORTEST_OTHER, SHORTEST_OTHER_INSTEAD = milliseconds(250), milliseconds(120)
"""Other words that were heard between two of the text are something put in from these lengths on: where all of the text is
heard without them, and where they explain what seems to be left out."""
SHORTEST_AGAIN = milliseconds(200)
SHORTEST_SMALL_AGAIN = milliseconds(320)
"""What was said again is no shorter than this, and longer where it is small words alone: the decoder hears one of these
twice now and then."""
_SMALL = (
    "a am an and are as at be but by did do for had has have he her his i if in is it its me my no not of on or our she so "
    "that the their them then there they this to too up us was we were will with would you your"
)
SMALL = frozenset(_SMALL.split())
"""Words that are said so fast that the decoder may miss one."""
FEWEST_AGAIN = 4
"""Words in a row from which on somebody is thought to have begun anew where much else is amiss."""
MOST_AMISS, MOST_OTHERS = 0.35, 0.4
"""Share of the words, and share of other words in what is said, from which on a reading is not followed."""


_MARKS = ',.;:!?“”"'


def faults(check: ReadCheck, text: str) -> tuple[str, ...]:
    """What is amiss with a reading, in words; `text` is what was to be read."""
    if check.lost:
        return ("reads other words than the line’s",)
    page, said = tokens(text), list[str]()
    for mark, told in (("left out", "leaves out “{}”"), ("again", "says “{}” twice")):
        ordinals = sorted({word.ordinal for word in check.words if word.mark == mark})
        for run in _stretches(ordinals):
            words = " ".join(page[n].strip(_MARKS) for n in run if n < len(page))
            said.append(told.format(words if len(run) <= 4 else f"{' '.join(words.split()[:3])} …"))
    if check.put_in:
        said.append("adds something" if len(check.put_in) == 1 else f"adds something {len(check.put_in)} times")
    return tuple(said)


def remarks(check: ReadCheck, text: str) -> tuple[str, ...]:
    """What is doubtful in a reading, in words."""
    page = tokens(text)
    small = [page[one.ordinal].strip(_MARKS) for one in check.of("doubtful") if one.ordinal < len(page)]
    if check.lost or not small:
        return ()
    return (f"“{small[0]}” was not heard" if len(small) == 1 else f"{len(small)} small words were not heard",)


def _stretches(ordinals: Sequence[int]) -> list[list[int]]:
    """Neighbours together."""
    runs: list[list[int]] = []
    for n in ordinals:
        if runs and runs[-1][-1] == n - 1:
            runs[-1].append(n)
        else:
            runs.append([n])
    return runs


def read_check(text: str, sound: NDArray[np.float32], phrases: Sequence[Span]) -> ReadCheck:
    """Compare a reading with its text (English).

    Args:
        sound: mono at 48 kHz, shape (n,).
        phrases: where somebody speaks in it, as the ear heard.
    """
    words = spoken_words(text)
    first, (second, found) = listener().listen_twice(sound, [word.text for word in words])
    strict, open_minded = (checked(words, spoken_in(heard, phrases), phrases) for heard in (first, second))
    others = [span for span in found if is_spoken(span, phrases)]
    if sum(span.length for span in others) > MOST_OTHERS * sum(phrase.length for phrase in phrases):
        return strict
    return with_others(strict, open_minded, others)


def with_others(strict: ReadCheck, open_minded: ReadCheck, others: Sequence[Span]) -> ReadCheck:
    """What was heard of a text, by listening for its words alone and by listening for others too.

    What was put in hides a word beside it from who listens for no other. So where something seems to be left out, the
    second hearing is believed if it finds more of the text; where nothing does, if it finds all of it as well.
    """

    def put_in(least: int) -> tuple[Span, ...]:
        return tuple(span for span in others if span.length >= least)

    explained, amiss = put_in(SHORTEST_OTHER_INSTEAD), _words_amiss(open_minded)
    if explained and not open_minded.lost and amiss < _words_amiss(strict) and not _went_back(strict):
        return replace(open_minded, put_in=explained)
    if open_minded.lost or amiss or not strict.fine:
        return strict
    return replace(strict, put_in=put_in(SHORTEST_OTHER))


def _words_amiss(check: ReadCheck) -> int:
    return check.amiss - len(check.put_in)


def _went_back(check: ReadCheck) -> bool:
    """Somebody began anew: words were said, and then the first of them comes again.

    Where much is amiss words are heard here and there by chance: then only a run of several tells that.
    """
    fewest = FEWEST_AGAIN if check.lost else 1
    begun: list[int] = []
    length = 0
    for span, ordinal, again in sorted(
        (word.span, word.ordinal, word.mark == "again") for word in check.words if word.span
    ):
        if len(begun) >= fewest and ordinal == begun[0] and length >= SHORTEST_SMALL_AGAIN:
            return True
        if not again or not begun or ordinal != begun[-1] + 1:
            begun, length = [], 0
        if again:
            begun, length = [*begun, ordinal], length + span.length
    return False


def checked(words: Sequence[Spoken], heard: Sequence[SpokenWord], phrases: Sequence[Span]) -> ReadCheck:
    """What was heard of the words, as the page counts them."""
    # What somebody went back over is broken off: the last time that a word was said is the one that counts.
    last = {one.index: n for n, one in enumerate(heard)}
    broken = _runs([n for n, one in enumerate(heard) if last[one.index] != n], heard, words)
    marked = [Word(words[heard[n].index].ordinal, "again", heard[n].span) for run in broken for n in run]
    own: dict[int, list[int]] = {}
    for n, word in enumerate(words):
        own.setdefault(word.ordinal, []).append(n)
    for ordinal, parts in own.items():
        spans = [heard[last[n]].span for n in parts if n in last]
        # Of a number of many words one may be swallowed: it is there when most of it is.
        if len(spans) * 2 > len(parts):
            marked.append(Word(ordinal, "read", Span(spans[0].start, max(span.end for span in spans))))
        else:
            unsure = len(parts) > 1 or words[parts[0]].text in SMALL
            marked.append(Word(ordinal, "doubtful" if unsure else "left out", None))
    marked.sort(key=lambda word: (word.ordinal, word.span.start if word.span else 0))
    amiss = sum(1 for word in marked if word.mark != "read")
    found = ReadCheck(_joined(marked), uncovered(phrases, [one.span for one in heard], SHORTEST_PUT_IN))
    return replace(found, lost=amiss > MOST_AMISS * len(own) and len(own) > 3)


def _runs(broken: Sequence[int], heard: Sequence[SpokenWord], words: Sequence[Spoken]) -> list[list[int]]:
    """Words that were said again, in stretches, each long enough to be believed."""

    def believed(run: list[int]) -> bool:
        small = all(words[heard[n].index].text in SMALL for n in run)
        return heard[run[-1]].span.end - heard[run[0]].span.start >= (SHORTEST_SMALL_AGAIN if small else SHORTEST_AGAIN)

    return [run for run in _stretches(broken) if believed(run)]


def _joined(marked: list[Word]) -> tuple[Word, ...]:
    """Small words that lack beside others that lack were left out with them."""
    lacking = {word.ordinal for word in marked if word.mark == "left out"}
    return tuple(
        replace(word, mark="left out")
        if word.mark == "doubtful" and {word.ordinal - 1, word.ordinal + 1} & lacking
        else word
        for word in marked
    )
