"""How much of a file came out as its sender meant.

Conventions: `reference` first, then what was found; shares from 0 to 1; slots are the same within one frame at either end.
"""

from collections.abc import Sequence
from difflib import SequenceMatcher
from typing import NamedTuple

from fendo_core.script.lines import Draft
from fendo_core.timebase import FrameRate, Span


class Scores(NamedTuple):
    """Shares of the lines that were meant: whose words, slots, readers and notes are right; and whether all is."""

    words: float
    slots: float
    readers: float
    notes: float
    whole: bool


def as_meant(reference: Sequence[Draft], found: Sequence[Draft], rate: FrameRate) -> Scores:
    """Compare lines with those that were meant.

    Args:
        reference: the lines as meant; a slot of None says nothing of the slot.
        found: the lines as read.
        rate: of the production.

    Returns:
        Shares of `reference`; `whole` when every line is right in everything and there is no other.
    """
    matcher = SequenceMatcher(None, [each.text for each in reference], [each.text for each in found], autojunk=False)
    pairs = [
        (reference[block.a + n], found[block.b + n]) for block in matcher.get_matching_blocks() for n in range(block.size)
    ]
    count = max(1, len(reference))
    words = len(pairs) / count
    slots = sum(_same_slot(one.slot, other.slot, rate) for one, other in pairs) / count
    readers = sum(one.reader.casefold() == other.reader.casefold() for one, other in pairs) / count
    notes = sum(one.notes == other.notes for one, other in pairs) / count
    whole = min(words, slots, readers, notes) == 1.0 and len(found) == len(reference)
    return Scores(words, slots, readers, notes, whole)


def _same_slot(meant: Span | None, found: Span | None, rate: FrameRate) -> bool:
    if meant is None:
        return True
    frame = rate.first_sample(1) + 1
    return found is not None and abs(meant.start - found.start) <= frame and abs(meant.end - found.end) <= frame
