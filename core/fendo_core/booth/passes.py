"""One long pass cut into the takes of its lines: read on, stumble, pause, say it again, go on.

Where the words are listened for, each attempt at a line is found by what was said; elsewhere by pauses and by how long the
words are expected to take. The recording itself is never touched: a take is a stretch of it.
"""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds, uncovered
from fendo_core.words import spoken_words
from fendo_core.words.grammar import SpokenWord
from fendo_core.words.listener import listener, spoken_in

BEFORE, AFTER = milliseconds(500), milliseconds(700)
"""So much of the pause around an attempt goes with it at most; half of it where that is less."""
PAUSE = milliseconds(550)
"""A pause between two sentences; inside one they are shorter."""
LEAST = 0.34
"""Share of a line's words from which on something is an attempt at it."""
LOOSE = milliseconds(600)
"""Speech of this length that fits no line is told."""
_CHUNK = 45 * SAMPLE_RATE
_AROUND = (60, 220)
"""Words before and after the next one that are listened for in one chunk."""


@dataclass(frozen=True, slots=True)
class PassLine:
    """A line that may have been read: `expected` are the samples that its words are thought to take."""

    id: str
    text: str
    expected: int


@dataclass(frozen=True, slots=True)
class Attempt:
    """A stretch of the recording in which a line was read; `whole` unless it was broken off."""

    line: str
    span: Span
    whole: bool = True


@dataclass(frozen=True, slots=True)
class Pass:
    """What was found: attempts in the order in which they were read, and speech that fits no line."""

    attempts: tuple[Attempt, ...]
    loose: tuple[Span, ...]

    def line_before(self, at: int) -> str | None:
        """The line that was read last before sample `at`, to which a remark made there most likely belongs."""
        return next((one.line for one in reversed(self.attempts) if one.span.start < at), None)


Reader: TypeAlias = Callable[[int, int], NDArray[np.float32]]
"""Gives samples `start` to `end` of the pass, mono at 48 kHz."""


def cut_by_words(lines: Sequence[PassLine], read: Reader, phrases: Sequence[Span], length: int) -> Pass:
    """Cut a pass by what was said (English).

    Args:
        lines: in the order of the script, from the one that the reader began with on.
        read: the sound of the pass, which is `length` samples long; never more than a minute of it at once.
        phrases: where somebody speaks in it, as the ear heard.
    """
    words, owner, first = list[str](), list[int](), list[int]()
    for number, line in enumerate(lines):
        first.append(len(words))
        said = [one.text for one in spoken_words(line.text)]
        words += said
        owner += [number] * len(said)
    heard = _listen(words, set(first), read, phrases, length)
    return attempts_of(lines, heard, owner, phrases, length)


def _listen(words: list[str], starts: set[int], read: Reader, phrases: Sequence[Span], length: int) -> list[SpokenWord]:
    """The words of the whole pass: chunk after chunk, each listened for around where the one before it ended."""
    heard, at = list[SpokenWord](), 0
    for chunk in _chunks(phrases, length):
        low, high = max(0, at - _AROUND[0]), min(len(words), at + _AROUND[1])
        inside = {n - low for n in starts if low <= n < high}
        found = listener().listen(read(chunk.start, chunk.end), words[low:high], inside, at - low)
        heard += [SpokenWord(one.index + low, one.span.shifted(chunk.start)) for one in found]
        if found:
            at = found[-1].index + low + 1
    return spoken_in(heard, phrases)


def _chunks(phrases: Sequence[Span], length: int) -> list[Span]:
    """The sound in stretches of less than a minute or so, cut in pauses."""
    edges = [0]
    for before, after in zip(phrases, phrases[1:], strict=False):
        if after.start - before.end >= PAUSE and after.start - edges[-1] > _CHUNK // 2:
            edges.append((before.end + after.start) // 2)
    edges.append(length)
    return [Span(a, b) for a, b in zip(edges, edges[1:], strict=False) if b > a]


def attempts_of(
    lines: Sequence[PassLine], heard: Sequence[SpokenWord], owner: Sequence[int], phrases: Sequence[Span], length: int
) -> Pass:
    """What was heard, as attempts at lines.

    Args:
        heard: words in the order in which they were said, by their number in the text of all lines.
        owner: the number of the line, for each word of the text.
    """
    count = [0] * len(lines)
    first = dict[int, int]()
    for index, number in enumerate(owner):
        count[number] += 1
        first.setdefault(number, index)
    runs: list[list[SpokenWord]] = []
    for one in heard:
        last = runs[-1][-1] if runs else None
        number = owner[one.index]
        if last is not None and owner[last.index] == number and not _is_again(last, one, first[number]):
            runs[-1].append(one)
        else:
            runs.append([one])
    runs = [part for run in runs if (part := _trimmed(run))]
    kept = [run for run in runs if len({one.index for one in run}) >= max(1, LEAST * count[owner[run[0].index]])]
    spans = _with_pauses([Span(run[0].span.start, run[-1].span.end) for run in kept], length)
    attempts = []
    for n, (run, span) in enumerate(zip(kept, spans, strict=True)):
        number = owner[run[0].index]
        said, final = {one.index for one in run}, first[number] + count[number] - 1
        # Who says the line again at once had not come to its end; else a word or two at the end may have been swallowed.
        again = n + 1 < len(kept) and owner[kept[n + 1][0].index] == number
        reached = max(said) >= final - (0 if again else count[number] // 4)
        attempts.append(Attempt(lines[number].id, span, reached and len(said) >= 0.6 * count[number]))
    return _pass(attempts, phrases)


def _is_again(last: SpokenWord, one: SpokenWord, first: int) -> bool:
    """Whether a line begins anew with a word. Back in its middle without a pause it is the same attempt, with a stumble."""
    back = one.index <= last.index
    paused = one.span.start - last.span.end >= PAUSE // 2
    return back and (one.index - first <= 1 or paused)


def _trimmed(run: list[SpokenWord]) -> list[SpokenWord]:
    """Without single words at the ends that a pause parts from the rest: they were heard into something else."""
    while len(run) > 2 and run[-1].span.start - run[-2].span.end >= PAUSE:
        run = run[:-1]
    while len(run) > 2 and run[1].span.start - run[0].span.end >= PAUSE:
        run = run[1:]
    return run


def _with_pauses(spans: Sequence[Span], length: int) -> list[Span]:
    """Each with half of the pauses around it, but no more than `BEFORE` and `AFTER`."""
    ends, starts = [0, *(span.end for span in spans)], [*(span.start for span in spans[1:]), length]
    return [
        Span(
            span.start - min(BEFORE, max(0, span.start - ended) // 2),
            span.end + min(AFTER, max(0, begins - span.end) // 2),
        )
        for span, ended, begins in zip(spans, ends, starts, strict=False)
    ]


def _pass(attempts: Sequence[Attempt], phrases: Sequence[Span]) -> Pass:
    return Pass(tuple(attempts), uncovered(phrases, [one.span for one in attempts], LOOSE))


LEAST_COMMENT = milliseconds(300)
"""What is shorter is a cough or a word to oneself."""
_TAIL = milliseconds(200)


@dataclass(frozen=True, slots=True)
class Comment:
    """Something that was said without a script: its slot, and its stretch of the recording, both in samples of that."""

    slot: Span
    span: Span


def comments_of(phrases: Sequence[Span], length: int) -> tuple[Comment, ...]:
    """A comment that was spoken freely, parted where the speaker paused: a line for each stretch.

    Args:
        phrases: where somebody speaks, in samples of the recording, which is `length` samples long.
    """
    groups = [group for group in _groups(phrases) if group.length >= LEAST_COMMENT]
    ends = [*(group.start for group in groups[1:]), length]
    slots = [Span(group.start, min(group.end + _TAIL, end)) for group, end in zip(groups, ends, strict=True)]
    return tuple(Comment(slot, span) for slot, span in zip(slots, _with_pauses(groups, length), strict=True))


_LEFT_OUT, _AGAIN, _APART = 2.5, 1.0, 2.0


def cut_by_pauses(lines: Sequence[PassLine], phrases: Sequence[Span], length: int) -> Pass:
    """Cut a pass by its pauses, where nobody listens for words: stretches of speech are given to lines in their order, so
    that their lengths fit what the words are expected to take. It can't tell one sentence from another of the same length.
    """
    groups = _groups(phrases)
    # cost[i][j]: the first i groups are attempts at the first j lines.
    far = math.inf
    cost = [[far] * (len(lines) + 1) for _ in range(len(groups) + 1)]
    way: list[list[tuple[int, int, int] | None]] = [[None] * (len(lines) + 1) for _ in range(len(groups) + 1)]
    cost[0][0] = 0.0
    for i in range(len(groups) + 1):
        for j in range(len(lines) + 1):
            here = cost[i][j]
            if here == far:
                continue
            if j < len(lines) and here + _LEFT_OUT < cost[i][j + 1]:
                cost[i][j + 1], way[i][j + 1] = here + _LEFT_OUT, (i, j, -1)
            for k in range(i + 1, min(i + 7, len(groups) + 1)):
                taken = groups[k - 1].end - groups[i].start
                for line, more in ((j, 0.0), (j - 1, _AGAIN)):
                    if not 0 <= line < len(lines):
                        continue
                    off = abs(math.log(taken / max(1, lines[line].expected)))
                    total = here + more + _APART * off * off * 4
                    to = line + 1
                    if total < cost[k][to]:
                        cost[k][to], way[k][to] = total, (i, j, line)
    best = min(range(len(lines) + 1), key=lambda j: cost[len(groups)][j])
    found, at = list[tuple[int, Span]](), (len(groups), best)
    while step := way[at[0]][at[1]]:
        i, j, line = step
        if line >= 0:
            found.append((line, Span(groups[i].start, groups[at[0] - 1].end)))
        at = (i, j)
    found.reverse()
    spans = _with_pauses([span for _, span in found], length)
    attempts = [
        Attempt(lines[line].id, span, spoken.length > 0.6 * lines[line].expected)
        for (line, spoken), span in zip(found, spans, strict=True)
    ]
    return _pass(attempts, phrases)


def _groups(phrases: Sequence[Span]) -> list[Span]:
    """Phrases with no more than a short pause between them."""
    groups: list[Span] = []
    for phrase in phrases:
        if groups and phrase.start - groups[-1].end < PAUSE:
            groups[-1] = Span(groups[-1].start, phrase.end)
        else:
            groups.append(phrase)
    return groups
