"""A new reading put exactly where an old one sat: its phrases are moved, and stretched a little, one by one.

The old reading (the guide) is another take, or what is said in the film's own sound. Phrases are matched by their words
where both were listened to, else by their order and lengths. A phrase is stretched evenly from its first sound to its last;
what lies around it keeps its own time.
"""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np

from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds
from fendo_core.voice.assembly import assembled, retimed
from fendo_core.voice.comp import AFTER_SPEECH, BEFORE_SPEECH, CROSSFADE, Comp, RoomTone, cut, shifted

MOST = 0.12
"""By how much a phrase is stretched or squeezed at most, to start with: beyond, it sounds pressed or drawn."""
LARGEST_MOST = 0.3
AS_READ = 0.005
"""A phrase that would be stretched by less than this keeps its own time, sample for sample."""
_EDGE = milliseconds(300)
"""So far from the edge of a phrase a word may be found that is its first or last: the ear knows edges better."""
_BREATHING = milliseconds(60)
"""Two phrases that are pushed into each other keep this much between them, if they had it."""

Words = Mapping[int, Span]
"""Where each word of the text is said, by its ordinal."""


@dataclass(frozen=True, slots=True)
class Fitted:
    """A phrase and where it goes.

    Attributes:
        own: where it lies now, programme samples.
        guide: where the guide's lies.
        to: where it would lie.
        words: ordinals, first and last; None: not known.
    """

    own: Span
    guide: Span
    to: Span
    words: tuple[int, int] | None = None

    @property
    def shift(self) -> int:
        """Samples by which it begins later."""
        return self.to.start - self.own.start

    @property
    def stretch(self) -> float:
        """How much longer it lasts: 0.05 is five hundredths."""
        return self.to.length / self.own.length - 1.0

    @property
    def over(self) -> int:
        """Samples that it ends after the guide's; below 0: before."""
        return self.to.end - self.guide.end


def proposed(
    own: Sequence[Span],
    guide: Sequence[Span],
    own_words: Words | None = None,
    guide_words: Words | None = None,
    most: float = MOST,
    stay: Collection[int] = (),
    marks: Collection[int] = (),
) -> tuple[Fitted, ...]:
    """Where each phrase of a reading would go.

    Args:
        own: phrases of the reading, programme samples, in order.
        guide: those of the guide.
        own_words: where its words are said; `guide_words` the guide's.
        most: by how much a phrase is stretched at most, as a share.
        stay: phrases, by index, that stay where they are as they are.
        marks: words, by ordinal, that the text has a comma, a full stop or the like behind.

    Raises:
        ValueError: when nobody speaks in one of them.
    """
    if not own or not guide:
        raise ValueError("nobody is heard in one of the two")
    pairs = _by_words(own, guide, own_words, guide_words) if own_words and guide_words else None
    found: list[Fitted] = []
    for index, (mine, theirs, words) in enumerate(pairs or _by_length(own, guide, own_words, marks)):
        length = round(float(np.clip(theirs.length, mine.length * (1 - most), mine.length * (1 + most))))
        if abs(length / mine.length - 1.0) < AS_READ:
            length = mine.length
        start = theirs.start
        if index in stay:
            start, length = mine.start, mine.length
        if found:
            before = found[-1]
            gap = min(_BREATHING, mine.start - before.own.end, max(0, theirs.start - before.guide.end))
            start = max(start, before.to.end + max(0, gap))
        found.append(Fitted(mine, theirs, Span(start, start + length), words))
    return tuple(found)


Pair = tuple[Span, Span, tuple[int, int] | None]


def _by_words(own: Sequence[Span], guide: Sequence[Span], mine: Words, theirs: Words) -> list[Pair] | None:
    """Stretches of words that lie in one phrase in both readings; None when too few words are known in both."""
    common = sorted(mine.keys() & theirs.keys())
    if len(common) < 2 or len(common) * 2 < len(mine.keys() | theirs.keys()):
        return None
    groups: list[list[int]] = []
    for word in common:
        where = (_phrase_of(own, mine[word]), _phrase_of(guide, theirs[word]))
        if groups and where == (_phrase_of(own, mine[groups[-1][-1]]), _phrase_of(guide, theirs[groups[-1][-1]])):
            groups[-1].append(word)
        else:
            groups.append([word])
    mine_spans = _covering(own, [_edged(own, mine[group[0]].start, mine[group[-1]].end) for group in groups], groups)
    their_spans = [_edged(guide, theirs[group[0]].start, theirs[group[-1]].end) for group in groups]
    for spans in (mine_spans, their_spans):
        if any(b.start < a.end for a, b in zip(spans, spans[1:], strict=False)):
            # Heard out of order: no ground to put phrases on.
            return None
    ends = [(group[0], group[-1]) for group in groups]
    return list(zip(mine_spans, their_spans, ends, strict=True))


def _covering(phrases: Sequence[Span], spans: Sequence[Span], groups: Sequence[Sequence[int]]) -> list[Span]:
    """Stretches that together hold all that is said: words that were not recognised go with their neighbours."""
    edges = [[span.start, span.end] for span in spans]
    edges[0][0] = min(edges[0][0], phrases[0].start)
    edges[-1][1] = max(edges[-1][1], phrases[-1].end)
    for n, (one, other) in enumerate(zip(edges, edges[1:], strict=False)):
        if any(phrase.start <= one[1] and other[0] <= phrase.end for phrase in phrases):
            if groups[n + 1][0] != groups[n][-1] + 1:
                other[0] = one[1]
            continue
        other[0] = min([other[0], *(p.start for p in phrases if p.start > one[1] and p.start <= other[0] < p.end)])
        one[1] = max([one[1], *(p.end for p in phrases if p.start < other[0] and p.end <= other[0])])
    return [Span(start, max(end, start + 1)) for start, end in edges]


def _phrase_of(phrases: Sequence[Span], word: Span) -> int:
    middle = (word.start + word.end) // 2
    return min(range(len(phrases)), key=lambda n: max(phrases[n].start - middle, middle - phrases[n].end, 0))


def _edged(phrases: Sequence[Span], start: int, end: int) -> Span:
    """From a word's start to a word's end; where a phrase begins or ends beside them, from there."""
    begin = min((one.start for one in phrases), key=lambda at: abs(at - start))
    finish = min((one.end for one in phrases), key=lambda at: abs(at - end))
    first = begin if abs(begin - start) <= _EDGE else start
    last = finish if abs(finish - end) <= _EDGE else end
    return Span(first, max(last, first + 1))


_TOGETHER = 4
"""So many phrases of the guide may be one of the reading's."""
_MOST_PARTS = 80
_NO_BREAK, _NO_BREAK_A_SECOND, _BREAK_AT_MARK, _BREAK_ANYWHERE = 0.2, 0.5, 0.04, 0.5
"""What it costs to go over a pause (and for each second of it), to part a phrase where the text has a mark, and to part it
between any two words; a phrase that is two thirds as long as its partner costs 0.4."""


def _by_length(own: Sequence[Span], guide: Sequence[Span], words: Words | None, marks: Collection[int]) -> list[Pair]:
    """Phrases matched in order so that their lengths differ least. Several of one reading may be one of the other's; where
    the reading's words are known it is parted between two of them where the guide has a pause."""
    parts, costs = _parts(own, words or {}, marks)

    def between(spans: Sequence[Span], a: int, b: int) -> Span:
        return Span(spans[a].start, spans[b - 1].end)

    @cache
    def best(i: int, j: int) -> tuple[float, tuple[tuple[int, int], ...]]:
        if i == len(parts) or j == len(guide):
            return (0.0, ()) if i == len(parts) and j == len(guide) else (np.inf, ())
        ways, over = [], 0.0
        for a in range(i + 1, min(len(parts), i + _MOST_PARTS) + 1):
            for b in range(j + 1, min(len(guide), j + _TOGETHER) + 1):
                cost, rest = best(a, b)
                apart = abs(np.log(between(parts, i, a).length / between(guide, j, b).length))
                breaks = costs[a - 1] if a < len(parts) else 0.0
                gone = sum(_over(guide[n], guide[n + 1]) for n in range(j, b - 1))
                ways.append((float(apart) + over + breaks + gone + cost, ((a, b), *rest)))
            over += _over(parts[a - 1], parts[a]) if costs[a - 1] == 0.0 and a < len(parts) else 0.0
        return min(ways)

    cost, ends = best(0, 0)
    if not np.isfinite(cost):
        return [(between(own, 0, len(own)), between(guide, 0, len(guide)), None)]
    pairs: list[Pair] = []
    i = j = 0
    for a, b in ends:
        pairs.append((between(parts, i, a), between(guide, j, b), None))
        i, j = a, b
    return pairs


def _over(one: Span, other: Span) -> float:
    """What it costs to take two phrases for one."""
    return _NO_BREAK + _NO_BREAK_A_SECOND * max(0, other.start - one.end) / SAMPLE_RATE


def _parts(own: Sequence[Span], words: Words, marks: Collection[int]) -> tuple[list[Span], list[float]]:
    """Phrases parted between their words, as far as these are known; and what a break behind each part costs."""
    parts, costs = list[Span](), list[float]()
    for index, phrase in enumerate(own):
        inside = [n for n in sorted(words) if _phrase_of(own, words[n]) == index]
        at = phrase.start
        for word, behind in zip(inside, inside[1:], strict=False):
            # Only between words that follow one another: what lies between others is unknown.
            end, begins = words[word].end, words[behind].start
            if behind == word + 1 and at < end <= begins < phrase.end:
                parts.append(Span(at, end))
                costs.append(_BREAK_AT_MARK if word in marks else _BREAK_ANYWHERE)
                at = begins
        parts.append(Span(at, phrase.end))
        costs.append(0.0)
    return parts, costs


def fitted(comp: Comp, phrases: Sequence[Fitted], tone: RoomTone | None = None) -> Comp:
    """The comp with its phrases where they go. Its breath before the first and its tail behind the last go along.

    Args:
        comp: the reading, as it lies now.
        phrases: as `proposed` gave them.
        tone: fills the holes between phrases that moved apart.

    Raises:
        ValueError: when a phrase lies outside of the comp.
    """
    if any(one.own.start < comp.at or one.own.end > comp.span.end for one in phrases):
        raise ValueError("a phrase lies outside of what sounds")
    parts = []
    for index, one in enumerate(phrases):
        before = phrases[index - 1] if index else None
        behind = phrases[index + 1] if index + 1 < len(phrases) else None
        lead = one.own.start - comp.at if before is None else one.own.start - before.own.end
        tail = comp.span.end - one.own.end if behind is None else behind.own.start - one.own.end
        lead, tail = min(BEFORE_SPEECH, lead), min(AFTER_SPEECH, tail)
        # Of a pause that gets shorter both sides keep the same, and they meet in one crossfade.
        if before is not None:
            lead = min(max(lead, CROSSFADE // 2), (one.to.start - before.to.end + CROSSFADE) // 2)
        if behind is not None:
            tail = min(max(tail, CROSSFADE // 2), (behind.to.start - one.to.end + CROSSFADE) // 2)
        wanted = Span(max(comp.at, one.own.start - lead), min(comp.span.end, one.own.end + tail))
        part = cut(comp, wanted)
        assert part is not None
        if one.to.length == one.own.length:
            parts.append(shifted(part, one.shift))
            continue
        a, b = one.own.start - part.at, one.own.end - part.at
        rest = part.length - b
        line = [(0, 0), (a, a), (b, a + one.to.length), (part.length, a + one.to.length + rest)]
        knots = [knot for n, knot in enumerate(line) if n == 0 or knot[0] > line[n - 1][0]]
        parts.append(shifted(retimed(part, knots), one.shift))
    return assembled(parts, tone)
