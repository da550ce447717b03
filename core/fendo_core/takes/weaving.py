"""Words of one reading put into another: cut between words, put together, the seams hidden.

Where a pause lies beside the words it is cut in its middle; else where both readings are quietest around the joint.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from fendo_core.takes.fitting import Words
from fendo_core.timebase import Span, milliseconds
from fendo_core.voice import Comp, Place, Read, cut, render_whole, shifted
from fendo_core.voice.assembly import assembled
from fendo_core.words import ReadCheck

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
            sounding = place.spans_in_programme(recording, [word.span])
            # A word that is cut belongs to the reading that has most of it.
            if sounding and 2 * sounding[0].length > word.span.length:
                known = found.get(word.ordinal)
                if known is None or sounding[0].length > known.length:
                    found[word.ordinal] = sounding[0]
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
    if first not in other_words or last not in other_words:
        raise CantWeave("These words were not heard in the take that they would come from")
    hear = _Hearing(read)
    before = _seam_before(base, base_words, other, other_words, first, hear)
    behind = _seam_behind(base, base_words, other, other_words, last, hear)
    if before is None and behind is None:
        raise CantWeave("Nothing of the reading would be left. Pick the take itself instead")
    # The words lie where the seam before them says; without one they begin where they did.
    both = next((word for word in range(first, last + 1) if word in base_words and word in other_words), None)
    by = base.at - other.at if both is None else base_words[both].start - other_words[both].start
    move = before.base - before.other if before else by
    begins = before.other - before.fade // 2 if before else other.at
    ends = behind.other + behind.fade // 2 if behind else other.span.end
    later = behind.other + move - behind.base if behind else 0
    taken = cut(other, Span(begins, max(ends, begins + 1)))
    kept = cut(base, Span(base.at, before.base + before.fade // 2)) if before else None
    rest = cut(base, Span(behind.base - behind.fade // 2, base.span.end)) if behind else None
    if taken is None or (before and kept is None) or (behind and rest is None):
        raise CantWeave("There is no room for a seam beside these words")
    parts = [kept, shifted(_louder(taken, gain), move), shifted(rest, later) if rest else None]
    try:
        return Woven(assembled([part for part in parts if part], base.tone, IN_PAUSE), later)
    except ValueError as error:
        raise CantWeave(f"The seams can’t be laid: {error}") from error


@dataclass(frozen=True, slots=True)
class _Seam:
    """Where both readings are cut, programme samples where they lie, and the length of the crossfade."""

    base: int
    other: int
    fade: int


def _seam_before(
    base: Comp, base_words: Words, other: Comp, other_words: Words, first: int, hear: "_Hearing"
) -> _Seam | None:
    """The seam before a word; None when nothing of the base comes before it."""
    before = max((word for word in base_words if word < first), default=None)
    if before is None:
        return None
    said = base_words[before].end
    starts = base_words[first].start if first in base_words else _half_way(base, base_words, said, first)
    theirs = max((word for word in other_words if word < first), default=None)
    ended = other_words[theirs].end if theirs is not None else other.at
    return _seam(hear, base, (said, starts), other, (ended, other_words[first].start))


def _seam_behind(
    base: Comp, base_words: Words, other: Comp, other_words: Words, last: int, hear: "_Hearing"
) -> _Seam | None:
    """The seam behind a word; None when nothing of the base comes behind it."""
    behind = min((word for word in base_words if word > last), default=None)
    if behind is None:
        return None
    begins = base_words[behind].start
    said = min(base_words[last].end if last in base_words else begins - 1, begins - 1)
    theirs = min((word for word in other_words if word > last), default=None)
    until = other_words[theirs].start if theirs is not None else other.span.end
    return _seam(hear, base, (said, begins), other, (other_words[last].end, until))


def _seam(hear: "_Hearing", base: Comp, own: tuple[int, int], other: Comp, theirs: tuple[int, int]) -> _Seam:
    """The seam between two words of each reading: from the end of one to the start of the next."""
    one = hear.gap(base, Span(own[0], max(own[0] + 1, own[1])))
    two = hear.gap(other, Span(theirs[0], max(theirs[0] + 1, theirs[1])))
    return _Seam(one.at, two.at, IN_PAUSE if min(one.room, two.room) >= PAUSE else IN_SPEECH)


def _half_way(base: Comp, words: Words, said: int, first: int) -> int:
    """Where what was to be replaced would begin in a reading that left it out: half way to the next word."""
    behind = min((word for word in words if word > first), default=None)
    return max(said + 1, (said + (words[behind].start if behind is not None else base.span.end)) // 2)


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
