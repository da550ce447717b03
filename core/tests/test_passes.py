"""Cutting a pass, by what is known to have been read."""

import random

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from fendo_core.booth.passes import PassLine, attempts_of, cut_by_pauses, cut_by_words
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.words.listener import SpokenWord

SECOND = SAMPLE_RATE
WORD, GAP = SECOND // 3, SECOND // 20


@st.composite
def passes(draw):
    """Lines of several words, and how they were read: in order, some left out, some broken off, some twice."""
    counts = draw(st.lists(st.integers(3, 9), min_size=1, max_size=6))
    first = [sum(counts[:n]) for n in range(len(counts))]
    at, said, wanted = SECOND, list[SpokenWord](), list[tuple[int, Span, bool]]()

    def read(line: int, words: int, whole: bool) -> None:
        nonlocal at
        begun = at
        for n in range(words):
            said.append(SpokenWord(first[line] + n, Span(at, at + WORD)))
            at += WORD + GAP
        wanted.append((line, Span(begun, at - GAP), whole))
        at += draw(st.integers(SECOND // 2 + 4_800, 3 * SECOND))

    for line, count in enumerate(counts):
        how = draw(st.sampled_from(["read", "read", "read", "twice", "broken", "out"]))
        if how == "broken":
            read(line, draw(st.integers(-(-count * 35 // 100), count - 1)), False)
        if how != "out":
            read(line, count, True)
        if how == "twice":
            read(line, count, True)
    owner = [line for line, count in enumerate(counts) for _ in range(count)]
    return counts, owner, said, wanted, at


@settings(max_examples=150, deadline=None)
@given(passes())
def test_every_attempt_is_found_with_its_pauses_and_none_meets_another(made):
    counts, owner, said, wanted, length = made
    lines = [PassLine(str(n), "", count * WORD) for n, count in enumerate(counts)]
    found = attempts_of(lines, said, owner, [span for _, span, _ in wanted], length)
    assert [(one.line, one.whole) for one in found.attempts] == [(str(line), whole) for line, _, whole in wanted]
    for one, (_, span, _) in zip(found.attempts, wanted, strict=True):
        assert one.span.start <= span.start and one.span.end >= span.end
        assert span.start - one.span.start <= SECOND // 2 and one.span.end - span.end <= SECOND * 7 // 10
    for one, other in zip(found.attempts, found.attempts[1:], strict=False):
        assert one.span.end <= other.span.start
    assert found.loose == ()


def test_a_stumble_inside_a_line_stays_in_its_attempt_and_a_stray_word_does_not_count():
    lines, owner = [PassLine("a", "", 8 * WORD), PassLine("b", "", 8 * WORD)], [0] * 8 + [1] * 8
    order = [0, 1, 2, 3, 4, 3, 4, 5, 6, 7]
    said = [SpokenWord(n, Span(k * WORD, (k + 1) * WORD - GAP)) for k, n in enumerate(order)]
    stray = SpokenWord(9, Span(6 * SECOND, 6 * SECOND + WORD))
    found = attempts_of(lines, [*said, stray], owner, [Span(0, 10 * WORD), Span(6 * SECOND, 7 * SECOND)], 8 * SECOND)
    assert [(one.line, one.whole) for one in found.attempts] == [("a", True)]
    assert found.loose == (Span(6 * SECOND, 7 * SECOND),), "what fits no line is told"


def test_without_words_lines_of_different_lengths_are_told_apart_by_their_pauses():
    dice = random.Random(5)
    for _ in range(20):
        wanted = [dice.choice([2, 3, 5, 8, 12]) * SECOND for _ in range(6)]
        wanted = [length for n, length in enumerate(wanted) if not n or length != wanted[n - 1]]
        at, phrases = SECOND, []
        for length in wanted:
            phrases.append(Span(at, at + int(length * dice.uniform(0.93, 1.07))))
            at = phrases[-1].end + dice.randrange(SECOND, 2 * SECOND)
        lines = [PassLine(str(n), "", length) for n, length in enumerate(wanted)]
        found = cut_by_pauses(lines, phrases, at)
        assert [one.line for one in found.attempts] == [str(n) for n in range(len(wanted))]
        assert all(one.span.start <= span.start for one, span in zip(found.attempts, phrases, strict=True))


def test_nothing_read_gives_nothing():
    lines = [PassLine("a", "One line.", SECOND)]
    assert cut_by_words(lines, lambda a, b: np.zeros(b - a, np.float32), [], 2 * SECOND).attempts == ()
    assert cut_by_pauses(lines, [], 2 * SECOND).attempts == ()
