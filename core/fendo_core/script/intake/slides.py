"""Of which slide words are, as people say it: a heading, a column of numbers, “Slide 3:” before the words."""

import re
from collections.abc import Container, Sequence
from dataclasses import replace

from fendo_core.script.intake.paragraph import SENTENCE_ENDS, Paragraph

_CALLED = "slide|folie|diapositive|diapositiva|diapo|dia|слайд|slajd|snímek|スライド|幻灯片"
_SLIDE = re.compile(
    rf"\s*[(\[]?\s*(?:{_CALLED}|page|seite)\s*(?:no\.?|nr\.?|#)?\s*(\d{{1,4}})\b(?!\.\d)\s*[)\]]?",
    re.IGNORECASE,
)
"""“Slide 3”, in brackets or not."""


def named_slide(text: str) -> int:
    """The slide, from 1, that a text begins with; 0: with none."""
    found = _SLIDE.match(text)
    return int(found[1]) if found else 0


def with_slides_above(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs with “Slide 3” above the words that it stands before: “Slide 3: The bell rings.”, “(Slide 3) Nobody …”."""
    heads = [_SLIDE.match(each.text) for each in found]
    parted = [
        (head[0], each.text[head.end() :].lstrip(" .:–—-\t")) if head else None
        for each, head in zip(found, heads, strict=True)
    ]
    begins = [bool(part and part[1] and (part[0][0] in "([" or part[1].endswith(SENTENCE_ENDS))) for part in parted]
    if sum(begins) < 2 or sum(begins) < sum(map(bool, heads)):
        return list(found)
    made: list[Paragraph] = []
    for each, part in zip(found, parted, strict=True):
        made += [Paragraph(part[0].strip("()[] "), heading=True), replace(each, text=part[1])] if part else [each]
    return made


_COLUMN = re.compile(rf"(?:{_CALLED})[snы]?\W*(?:no|nr|n|number|nummer)?\W*", re.IGNORECASE)


def column_of_slides(body: Sequence[Sequence[str]], header: Sequence[str], others: Container[int | None]) -> int | None:
    """The column of a table that says of which slide the words are; it is none of the others."""
    for n, name in enumerate(header):
        tell = slide_in_cell if _COLUMN.fullmatch(name.strip()) else named_slide
        cells = [row[n] for row in body if row[n].strip()]
        if n not in others and cells and sum(tell(cell) > 0 for cell in cells) > 0.8 * len(cells):
            return n
    return None


def slide_in_cell(cell: str) -> int:
    """The slide that a cell names: “3”, “Slide 3: the bell”; 0: none."""
    number = re.match(r"\s*#?(\d{1,4})\b(?![.:]\d)", cell)
    return int(number[1]) if number else named_slide(cell)
