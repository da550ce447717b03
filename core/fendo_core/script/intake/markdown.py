"""Markdown as paragraphs and tables: the words without their marks."""

import re
from collections.abc import Iterable

from fendo_core.script.intake.documents import Block
from fendo_core.script.intake.paragraph import Paragraph
from fendo_core.script.lines import paragraphs


def blocks(text: str) -> list[Block]:
    """The paragraphs and tables of a Markdown text; headings, items and quotes are paragraphs of their own."""
    made: list[Block] = []
    held: list[str] = []
    rows = _without_comments(text).splitlines()
    at = 0
    while at < len(rows):
        if "|" in rows[at] and at + 1 < len(rows) and _RULE.fullmatch(rows[at + 1].strip()):
            made += _paragraphs(held)
            held = []
            table = [_cells(rows[at])]
            at += 2
            while at < len(rows) and "|" in rows[at]:
                table.append(_cells(rows[at]))
                at += 1
            made.append(table)
            continue
        held.append(rows[at])
        at += 1
    return [*made, *_paragraphs(held)]


def _without_comments(text: str) -> str:
    """A text without `<!-- … -->`."""
    kept, at = [], 0
    while (start := text.find("<!--", at)) >= 0 and (end := text.find("-->", start)) >= 0:
        kept.append(text[at:start])
        at = end + len("-->")
    return "".join([*kept, text[at:]])


_RULE = re.compile(r"\|?(?:\s*:?-+:?\s*\|)+(?:\s*:?-+:?\s*)?")


def _cells(row: str) -> list[str]:
    return [_unmarked(cell) for cell in re.split(r"(?<!\\)\|", row.strip().removeprefix("|").removesuffix("|"))]


def _paragraphs(rows: list[str]) -> list[Block]:
    told = [
        (_unmarked(row), bool(_HEADING.match(row)), bool(_SLANTED.fullmatch(row.lstrip("> "))))
        for row in _joined_rows("\n".join(rows))
    ]
    return [Paragraph(words, heading=heading, slanted=slanted) for words, heading, slanted in told if words]


_SLANTED = re.compile(r"\s*([*_])(?![*_\s])[^*_]+(?<!\s)\1\s*")
"""A paragraph in italics."""


def _joined_rows(text: str) -> Iterable[str]:
    """Markdown's paragraphs: rows that follow one another are one, but headings, items and quotes begin anew."""
    held: list[str] = []
    for row in [*text.splitlines(), ""]:
        begins = re.match(r"\s*(#{1,6}\s|[-*+]\s|\d+[.)]\s|>|\||\*\*[^*:]{1,40}(:\*\*|\*\*:))", row)
        if (not row.strip() or begins) and held:
            yield " ".join(held)
            held = []
        if _HEADING.match(row):
            yield row
        elif row.strip() and not re.fullmatch(r"\s*([-*_=])(\s*\1){2,}\s*", row):
            held.append(row)


_HEADING = re.compile(r"\s*#{1,6}\s")
"""It ends with its row."""
_LONGEST_MARKED = 50_000


def _unmarked(text: str) -> str:
    """The words without Markdown's marks; a link keeps its words. What is far too long for a paragraph keeps them."""
    if len(text) > _LONGEST_MARKED:
        return " ".join(paragraphs(text))
    text = re.sub(r"^\s*(#{1,6}\s+|[-*+]\s+(?:\[[ xX]\]\s+)?|\d+[.)]\s+|(>\s*)+)", "", text)
    # No bracket inside of the words: else each opening one would be looked for its closing one to the end of the text.
    text = re.sub(r"!?\[([^\[\]]*)\]\([^()\s]*\)", r"\1", text)
    return " ".join(paragraphs(_without_marks(text)))


_MARKS = re.compile(r"\*\*|__|\*|_|`|~~")


def _without_marks(text: str) -> str:
    """Text without the marks around stressed words and code. A mark opens before a letter and closes behind one; one that
    has no partner stays, and so does what lies inside of a word (`file_name`)."""
    opened: dict[str, re.Match[str]] = {}
    gone: list[tuple[int, int]] = []
    for found in _MARKS.finditer(text):
        mark, (start, end) = found[0], found.span()
        before, behind = text[start - 1 : start], text[end : end + 1]
        inside = mark[0] == "_" and before.isalnum() and behind.isalnum()
        begun = opened.get(mark)
        if begun and before.strip() and start > begun.end() and not inside:
            gone += [begun.span(), (start, end)]
            del opened[mark]
        elif not begun and behind.strip() and not inside:
            opened[mark] = found
    kept, at = [], 0
    for start, end in sorted(gone):
        kept.append(text[at:start])
        at = end
    return "".join([*kept, text[at:]])
