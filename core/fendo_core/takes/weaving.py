"""Words of one reading put into another: cut between words, put together, the seams hidden.

Where a pause lies beside the words it is cut in its middle; else where both readings are quietest around the joint.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from fendo_core.timebase import Span, milliseconds
from fendo_core.voice import Comp, Place, Read, cut, render_whole, shifted
from fendo_core.voice.assembly import assembled
from fendo_core.words import ReadCheck

Words = Mapping[int, Span]
"""Where each word of the text is said, programme samples, by its ordinal."""

PAUSE = milliseconds(120)
"""Words that lie further apart have a pause between them."""
IN_SPEECH, IN_PAUSE = milliseconds(10), milliseconds(30)
"""Crossfades of seams between words that are said on, and in pauses."""
_REACH = milliseconds(40)
_HOP = milliseconds(2)


class CantWeave(ValueError):
    """The words can't be taken; the message says why."""


@dataclass(frozen=True, slots=True)
class Woven:
    """What came of it: the comp, and by how many samples what follows the words lies later than it did."""

    comp: Comp
    later: int


def words_in(comp: Comp, checks: Mapping[str, ReadCheck]) -> dict[int, Span]:
    """Where each word of the text sounds in a comp, programme samples, by ordinal.

    Args:
        checks: read checks by recording, counted in its samples.
    """
    found: dict[int, Span] = {}
    place = Place(comp)
    for recording in comp.recordings & checks.keys():
        for word in checks[recording].of("read"):
            if word.span is None:
                continue
            heard = place.spans_in_programme(recording, [word.span])
            # A word that is cut belongs to the reading that has most of it.
            if heard and 2 * heard[0].length > word.span.length:
                known = found.get(word.ordinal)
                if known is None or heard[0].length > known.length:
                    found[word.ordinal] = heard[0]
    return dict(sorted(found.items()))


def weave(
    base: Comp, base_words: Words, other: Comp, other_words: Words, first: int, last: int, read: Read, gain: float = 0.0
) -> Woven:
    """A comp that says the words `first` to `last` (ordinals) as another reading does, and all else as it did.

    What follows moves by what the words last longer or shorter. Ends of the text are taken with all that lies beyond.

    Args:
        base: what stays; `base_words` where its words are said.
        other: where the words come from; `other_words` where its words are said.
        gain: dB by which the other's words are lifted, so that they are as loud as the rest.

    Raises:
        CantWeave: when the words were not found in both readings.
    """
    wanted = range(first, last + 1)
    theirs = [word for word in wanted if word in other_words]
    if not theirs or theirs[0] != first or theirs[-1] != last:
        raise CantWeave("These words were not heard in the take that they would come from")
    before = max((word for word in base_words if word < first), default=None)
    behind = min((word for word in base_words if word > last), default=None)
    if before is None and behind is None:
        raise CantWeave("Nothing of the reading would be left. Pick the take itself instead")
    hear = _Hearing(read)
    parts, fades = list[Comp](), list[int]()
    begins: int = other.at
    if before is not None:
        starts = base_words[first].start if first in base_words else _next(base, base_words, before, behind)
        leaves = hear.gap(base, Span(base_words[before].end, max(base_words[before].end + 1, starts)))
        their_before = max((word for word in other_words if word < first), default=None)
        said = other_words[their_before].end if their_before is not None else other.at
        enters = hear.gap(other, Span(said, max(said + 1, other_words[first].start)))
        fade = IN_PAUSE if min(leaves.room, enters.room) >= PAUSE else IN_SPEECH
        fades.append(fade)
        kept = cut(base, Span(base.at, leaves.at + fade // 2))
        if kept is None:
            raise CantWeave("There is no room for a seam before these words")
        parts.append(kept)
        begins, move = enters.at - fade // 2, leaves.at - enters.at
    else:
        move = base_words[last].start - other_words[last].start if last in base_words else base.at - other.at
        if first in base_words:
            move = base_words[first].start - other_words[first].start
    later = 0
    if behind is None:
        ends, tail = other.span.end, None
    else:
        ended = base_words[last].end if last in base_words else base_words[behind].start - 1
        resumes = hear.gap(base, Span(min(ended, base_words[behind].start - 1), base_words[behind].start))
        their_next = min((word for word in other_words if word > last), default=None)
        until = other_words[their_next].start if their_next is not None else other.span.end
        stops = hear.gap(other, Span(other_words[last].end, max(other_words[last].end + 1, until)))
        fade = IN_PAUSE if min(resumes.room, stops.room) >= PAUSE else IN_SPEECH
        fades.append(fade)
        ends = stops.at + fade // 2
        later = stops.at + move - resumes.at
        tail = cut(base, Span(resumes.at - fade // 2, base.span.end))
        if tail is None:
            raise CantWeave("There is no room for a seam behind these words")
    taken = cut(other, Span(begins, ends))
    if taken is None:
        raise CantWeave("These words were not heard in the take that they would come from")
    parts.append(shifted(_louder(taken, gain), move))
    if tail is not None:
        parts.append(shifted(tail, later))
    try:
        return Woven(assembled(parts, base.tone, max(fades)), later)
    except ValueError as error:
        raise CantWeave(f"The seams can’t be laid: {error}") from error


def _next(base: Comp, words: Words, before: int, behind: int | None) -> int:
    """Where what was to be replaced would begin in a reading that left it out: half way to the next word."""
    end = words[behind].start if behind is not None else base.span.end
    return max(words[before].end + 1, (words[before].end + end) // 2)


def _louder(comp: Comp, gain: float) -> Comp:
    if not gain:
        return comp
    return replace(comp, segments=tuple(replace(one, gain=round(one.gain + gain, 1)) for one in comp.segments))


@dataclass(frozen=True, slots=True)
class _Joint:
    """A place to cut, programme samples, and how long the pause around it is."""

    at: int
    room: int


@dataclass(frozen=True, slots=True)
class _Hearing:
    read: Read

    def gap(self, comp: Comp, between: Span) -> _Joint:
        """Where a comp is cut between two words: in the middle of a pause, else where it is quietest."""
        if between.length >= PAUSE:
            return _Joint((between.start + between.end) // 2, between.length)
        around = Span(max(comp.at, between.start - _REACH), min(comp.span.end, between.end + _REACH))
        part = cut(comp, around)
        if part is None:
            return _Joint(between.start, 0)
        sound: NDArray[np.float32] = render_whole(part, self.read)
        count = len(sound) // _HOP
        if not count:
            return _Joint(between.start, 0)
        power = np.mean(sound[: count * _HOP].reshape(count, _HOP).astype(np.float64) ** 2, axis=1)
        calm = np.convolve(np.pad(power, 2, mode="edge"), np.ones(5), mode="valid")
        return _Joint(part.at + int(np.argmin(calm)) * _HOP + _HOP // 2, between.length)
