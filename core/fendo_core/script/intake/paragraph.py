"""A paragraph of a script, with what was noted beside it."""

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from fendo_core.script.lines import LONGEST_NOTES
from fendo_core.timebase import Span

LONGEST_END = 80
"""Characters at a paragraph's end that are looked at for a time, a count or a mark."""
LONGEST = 10_000
"""Characters from which on it is none that somebody reads: no more is joined to it, and little is looked for in it."""
SENTENCE_ENDS = tuple('.!?…:;"”»)]。！？')


@dataclass(frozen=True, slots=True)
class Paragraph:
    """Words that stand together, with what was noted beside them."""

    text: str
    notes: str = ""
    slot: Span | None = None
    reader: str = ""
    fresh: bool = True
    """Whether it begins behind an empty row."""
    heading: bool = False
    """Whether the document calls it a title or a heading."""
    lead: str = ""
    """What stands in bold before its other words; all of it where all is bold."""
    slanted: bool = False
    """Whether all of it is in italics."""
    timed: bool = False
    """Whether a time of its own stands before it."""
    page: int = 0
    """The slide that it is of, from 1; 0: none is named."""


def at_end(mark: re.Pattern[str], text: str) -> re.Match[str] | None:
    """A mark near the end of a text; nothing else of it is looked at, however long it is."""
    return mark.search(text, max(0, len(text) - LONGEST_END))


def mostly(found: Sequence[Paragraph], mark: re.Pattern[str]) -> bool:
    """Whether most of them, and two at least, begin with a mark."""
    return sum(bool(mark.match(each.text)) for each in found) >= max(2, 0.6 * len(found))


def noted(paragraph: Paragraph, notes: Iterable[str]) -> Paragraph:
    """A paragraph with these notes."""
    return replace(paragraph, notes="\n".join(filter(None, notes))[:LONGEST_NOTES])


def to_notes(found: Sequence[Paragraph], goes: Sequence[bool]) -> list[Paragraph]:
    """Paragraphs of which those that go become notes of the next one, or of the last; right below words, and with an empty
    row behind, of those."""
    kept: list[Paragraph] = []
    held: list[str] = []
    for each, below, is_note in zip(found, [*found[1:], None], goes, strict=False):
        if is_note:
            bare = each.text.removeprefix("//").strip(" .:")
            told = [bare.strip("()[]{}<>♪♫ .:") if bare[:1] in "([{<♪♫" else bare, each.notes]
            if (
                kept
                and not held
                and not each.fresh
                and (not below or below.fresh)
                and kept[-1].text.endswith(SENTENCE_ENDS)
            ):
                kept[-1] = noted(kept[-1], [kept[-1].notes, *told])
            else:
                held += filter(None, told)
            continue
        kept.append(noted(each, [*held, each.notes]))
        held = []
    if held and kept:
        kept[-1] = noted(kept[-1], [kept[-1].notes, *held])
    return kept
