"""Rows of running text as paragraphs: those that were wrapped by hand are joined."""

import re
from collections.abc import Iterable, Sequence
from itertools import pairwise

from fendo_core.script.intake.inquiry import NOTES_OR_WORDS, Inquiry, enough
from fendo_core.script.intake.marks import (
    BARE,
    BRACKETED,
    LABEL,
    LONE_NUMBER,
    PICTURE,
    SPEAKERS,
    VOICE,
    in_brackets,
    is_cue,
    is_shouted_cue,
    is_shouted_name,
    names_somebody,
    stands_alone,
)
from fendo_core.script.intake.paragraph import LONGEST, SENTENCE_ENDS, Paragraph
from fendo_core.script.lines import ROW_END, paragraphs

_ITEM = re.compile(r"\s*(?:[-*+•–]\s|\d{1,3}[.)]\s|\[|\(|>)")
_KNOWN_AND_WHITE = re.compile(
    rf"^(\s*(?:{SPEAKERS.pattern}|{VOICE.pattern}|{PICTURE.pattern}))\s{{2,}}(?=[^\s\d\[])", re.IGNORECASE
)
_NAME_AND_TAB = re.compile(r"^([^\W\d_a-z][^\W\d_a-z .'’-]{1,30}):?\t+(?=\S)")
_NARROWEST, _WIDEST = 30, 110
MOST_ROWS_A_LINE = 5


def rows_of(text: str) -> list[list[str]]:
    """The rows of a text, in blocks that empty rows part."""
    blocks: list[list[str]] = [[]]
    for row in ROW_END.split(text):
        if row.strip():
            blocks[-1].append(row)
        elif blocks[-1]:
            blocks.append([])
    return [block for block in blocks if block]


def of_rows(text: str, inquiry: Inquiry, from_pages: bool = False) -> list[Paragraph]:
    """The paragraphs of a text whose rows may be paragraphs, or paragraphs wrapped to a width.

    Args:
        text: the text.
        inquiry: asked whether rows are joined, where they look wrapped.
        from_pages: whether it comes from printed pages, whose rows are never paragraphs.
    """
    blocks = rows_of(text)
    # Wrapped rows become fewer, never so many fewer.
    enough(sum(map(len, blocks)) // MOST_ROWS_A_LINE)
    blocks = _with_inner_items_behind(_with_actions_aside(blocks), inquiry)
    if sum(bool(_KNOWN_AND_WHITE.match(row)) for block in blocks for row in block) > 1:
        blocks = [[_KNOWN_AND_WHITE.sub(r"\1: ", row) for row in block] for block in blocks]
    blocks = [_unhung(block) for block in blocks]
    blocks = [[" ".join(paragraphs(_NAME_AND_TAB.sub(r"\1: ", row))) for row in block] for block in blocks]
    blocks = [_underlined(row for row in block if row) for block in blocks]
    unnumbered = _without_row_numbers(blocks)
    width = _wrapped_at(unnumbered or blocks, from_pages or unnumbered is not None)
    blocks = unnumbered or blocks
    if width:
        options = (("joined", "joined to paragraphs"), ("rows", "lines of their own"))
        if inquiry.ask("rows", f"rows wrapped at {width} letters are", options, "joined") == "joined":
            blocks = [_joined(block, width, from_pages) for block in blocks]
    elif _is_verse(blocks):
        options = (("joined", "joined to stanzas"), ("rows", "lines of their own"))
        if inquiry.ask("rows", f"rows of verse, “{blocks[-1][0][:30]}” …, are", options, "joined") == "joined":
            blocks = [[" ".join(block)] for block in blocks]
    else:
        blocks = [_ended(block) for block in blocks]
    return [_of_row(row, place == 0) for block in blocks for place, row in enumerate(block)]


def _indent(row: str) -> int:
    wide = row.expandtabs(8)
    return len(wide) - len(wide.lstrip())


_CUE_AT, _WORDS_AT = 8, 4
"""Columns by which names and words are set in, at the least, in the layout of a screenplay."""


def _with_actions_aside(blocks: list[list[str]]) -> list[list[str]]:
    """Blocks of a screenplay, told by how far names and words are set in: what happens stands in brackets."""

    def speaks(block: Sequence[str]) -> bool:
        name, *words = block
        return (
            bool(words)
            and is_shouted_cue(name)
            and _indent(name) >= _CUE_AT
            and all(_indent(row) >= _WORDS_AT for row in words)
            and min(map(_indent, words)) < _indent(name)
        )

    spoken = [speaks(block) for block in blocks]
    action = [all(_indent(row) < _WORDS_AT for row in block) for block in blocks]
    if sum(spoken) < 2 or sum(spoken) + sum(action) < 0.8 * len(blocks):
        return blocks
    return [
        _turn(block) if said else _aside(block) if acted else block
        for block, said, acted in zip(blocks, spoken, action, strict=True)
    ]


def _turn(block: Sequence[str]) -> list[str]:
    """A name, what stands in brackets below it, and its words in one row."""
    made = [f"{block[0].strip()}:"]
    for row in map(str.strip, block[1:]):
        if row.startswith("(") or len(made) == 1 or made[-1].endswith(")"):
            made.append(row)
        else:
            made[-1] = with_row(made[-1], row)
    return made


_SCENE_NUMBERS = re.compile(r"^\d{1,3}[A-Z]?\s+(?=(?:INT|EXT|I/E)[. ])|(?<=[A-Z])\s+\d{1,3}[A-Z]?$")


def _aside(block: Sequence[str]) -> list[str]:
    row = _SCENE_NUMBERS.sub("", " ".join(map(str.strip, block)))
    return [in_brackets(row)]


_INNER = re.compile(r"^(\s{2,})([-–—*•◦▪‣·o>])\s+(?=\S)")


def _with_inner_items_behind(blocks: list[list[str]], inquiry: Inquiry) -> list[list[str]]:
    """Blocks with what hangs below the items of a list, without the ends of sentences, behind these as a note."""
    inner = [[_INNER.match(row) for row in block] for block in blocks]
    rows = [(row, head) for block, heads in zip(blocks, inner, strict=True) for row, head in zip(block, heads, strict=True)]
    told = [row[head.end() :].rstrip() for row, head in rows if head]
    outer = [row.rstrip() for row, head in rows if not head]
    items = [row for row in outer if _ITEM.match(row) and not row[0].isspace()]
    whole = sum(row.endswith(SENTENCE_ENDS) for row in outer)
    if len(told) < 2 or len(items) < max(2, 0.6 * len(outer)) or whole < 0.6 * len(outer) or rows[0][1]:
        return blocks
    if any(row.endswith(SENTENCE_ENDS) for row in told):
        return blocks
    if inquiry.ask("inner", f"“{told[0][:40]}” …, below the items, are", NOTES_OR_WORDS, "notes") == "words":
        return blocks
    made: list[list[str]] = []
    for block, heads in zip(blocks, inner, strict=True):
        kept: list[str] = []
        for row, head in zip(block, heads, strict=True):
            if not head:
                kept.append(row)
            elif kept:
                kept[-1] += _NOTE + row[head.end() :].strip()
            else:
                made[-1][-1] += _NOTE + row[head.end() :].strip()
        made += [kept] if kept else []
    return made


_NOTE = "␟"
"""Between the words of a row and a note."""


def _is_verse(blocks: Sequence[Sequence[str]]) -> bool:
    """Whether short rows go on from one to the next within each of several blocks."""
    pairs = [pair for block in blocks for pair in pairwise(block)]
    alone = any(
        stands_alone(row) or LABEL.match(row) or BARE.match(row) or _ITEM.match(row) for block in blocks for row in block
    )
    goes_on = sum(below[:1].islower() and not above.endswith(SENTENCE_ENDS) for above, below in pairs)
    stanzas = sum(len(block) > 2 for block in blocks)
    return stanzas > 1 and not alone and len(pairs) >= 4 and goes_on >= 0.5 * len(pairs)


_HUNG = 4
"""Columns by which what goes on is set further to the right than where it began."""


_COUNTED = re.compile(r"\d{1,4}[.)]?\s{2,}(?=\S)")


def _unhung(block: Sequence[str]) -> list[str]:
    """The rows of a block; what hangs below the words behind a name or a time goes on from them."""
    if not any(row[0].isspace() for row in block[1:]):
        return list(block)
    made: list[str] = []
    edge = 0
    for row in block:
        indent, bare = len(wide := row.expandtabs(8)) - len(wide.lstrip()), row.strip()
        label = LABEL.match(bare)
        if made and indent >= edge + _HUNG and len(made[-1]) < LONGEST and not label and not stands_alone(bare):
            made[-1] = with_row(made[-1].rstrip(), bare)
            continue
        counted = _COUNTED.match(bare)
        begins = (label and bare[label.end() :]) or BRACKETED.match(bare) or BARE.match(bare) or counted
        edge = indent if begins else 1 << 20
        made.append(row)
    return made


def _ended(block: Sequence[str]) -> list[str]:
    """The rows of a block; what ends the sentence of a row that a name begins, or stands below a name, goes on from it."""
    made: list[str] = []
    for row in block:
        above = made[-1] if made else ""
        label = LABEL.match(above)
        is_open = bool(label and above[label.end() :]) and not above.endswith((*SENTENCE_ENDS, ","))
        # Below a name in capitals words stand in a narrow column.
        below_name = len(made) > 1 and is_cue(made[0]) and made[0].isupper() and not above.endswith(SENTENCE_ENDS)
        if (
            ((is_open and len(above) >= _NARROWEST) or below_name)
            and len(above) < LONGEST
            and row[:1].islower()
            and not (LABEL.match(row) or stands_alone(row))
        ):
            made[-1] = with_row(above, row)
        else:
            made.append(row)
    return made


_ROW_NUMBER = re.compile(r"^(\d{1,4})[.:]? (?=\S)")


def _without_row_numbers(blocks: Sequence[Sequence[str]]) -> list[list[str]] | None:
    """The blocks without the numbers of a printed page's rows; None when there are none, or they count lines.

    Every row has one, they count up, and sentences go on from one row to the next.
    """
    rows = [row for block in blocks for row in block]
    heads = [_ROW_NUMBER.match(row) for row in rows]
    numbers = [int(head[1]) for head in heads if head]
    if len(rows) < 3 or len(numbers) < len(rows) or numbers != list(range(numbers[0], numbers[0] + len(rows))):
        return None
    bare = [_ROW_NUMBER.sub("", row) for row in rows]
    go_on = sum(not row.endswith(SENTENCE_ENDS) and below[:1].islower() for row, below in zip(bare, bare[1:], strict=False))
    if go_on < 0.25 * (len(rows) - 1):
        return None
    return [[_ROW_NUMBER.sub("", row) for row in block] for block in blocks]


_UNDERLINE = re.compile(r"([-=~])\1{2,}")


def _underlined(rows: Iterable[str]) -> list[str]:
    """The rows of a block, a heading that was underlined as `# The bell`."""
    found = list(rows)
    if len(found) < 2 or found[0].endswith(SENTENCE_ENDS) or not _UNDERLINE.fullmatch(found[1]):
        return found
    length = len(found[0])
    if length > _LONGEST_HEADING or abs(length - len(found[1])) > max(3, 0.3 * length):
        return found
    return [f"# {found[0]}", *found[2:]]


_LONGEST_HEADING = 60
_HASHED = re.compile(r"^#{1,6}\s+(?=[^\W\d_])")


def _of_row(row: str, fresh: bool) -> Paragraph:
    """A row as a paragraph; `# The bell` is a heading in plain text too."""
    words, *notes = row.split(_NOTE)
    return Paragraph(_HASHED.sub("", words), notes="\n".join(notes), fresh=fresh, heading=bool(_HASHED.match(row)))


def _next_fits(row: str, below: str, width: int) -> bool:
    return len(row) + 1 + len(below.split(" ", 1)[0]) <= width


def _wrapped_at(blocks: Sequence[Sequence[str]], from_pages: bool) -> int:
    """The width at which rows were wrapped, or 0: then no row could have taken the first word of the next one."""
    plain = [[row for row in block if not _ITEM.match(row)] for block in blocks]
    pairs = [pair for block in plain for pair in zip(block, block[1:], strict=False)]
    # A name or a time on a row of its own is no wrapped row.
    pairs = [(row, below) for row, below in pairs if not stands_alone(row)]
    if not pairs and not (from_pages and any(len(block) > 1 for block in blocks)):
        return 0
    width = max(len(row) for block in (plain if pairs else blocks) for row in block)
    if from_pages:
        # Where nearly every row below the title is a sentence nothing was wrapped.
        rows = [row for block in blocks for row in block][1:]
        whole = sum(row.endswith(SENTENCE_ENDS) and row[:1].isupper() for row in rows)
        return 0 if len(rows) > 1 and whole >= 0.75 * len(rows) else width
    if not _NARROWEST <= width <= _WIDEST:
        return 0
    full = [not _next_fits(row, below, width) for row, below in pairs]
    goes_on = [not row.endswith(SENTENCE_ENDS) for row, _ in pairs]
    # Rows of sentences end with a mark each; wrapped ones end anywhere, and as late as they can.
    told = sum(is_full or row[-1] not in ".!?" for (row, _), is_full in zip(pairs, full, strict=True))
    many = len(pairs) >= 3 or all(below[:1].islower() for _, below in pairs)
    return width if many and sum(goes_on) >= 0.5 * len(pairs) and sum(full) >= 0.8 * told else 0


def with_row(above: str, below: str) -> str:
    """Words with those of the next row; a word that was parted at its end is whole."""
    if above.endswith("-") and above[-2:-1].isalpha() and below[:1].islower():
        # A hyphen that belongs to the word can't be told from it.
        return above[:-1] + below
    return f"{above} {below}"


def _is_name(row: str) -> bool:
    return is_shouted_name(row) and not row.endswith(SENTENCE_ENDS)


_SHORT = 0.6
"""Of the width, up to which a printed row ends a paragraph whatever it ends with."""


def _joined(block: Sequence[str], width: int, from_pages: bool) -> list[str]:
    """The rows of a block as paragraphs: a new one begins behind a sentence that left room, and at an item."""
    made: list[str] = []
    above = ""
    for row in block:
        begins = (
            not made
            or _ITEM.match(row)
            or stands_alone(above)
            or stands_alone(row)
            or names_somebody(row)
            or LONE_NUMBER.fullmatch(above)
            or LONE_NUMBER.fullmatch(row)
            or (from_pages and (_is_name(row) or _is_name(above)))
            or (from_pages and _next_fits(above, row, int(_SHORT * width)))
            or (above.endswith(SENTENCE_ENDS) and _next_fits(above, row, width))
        )
        if begins:
            made.append(row)
        else:
            made[-1] = with_row(made[-1], row)
        above = row
    return made
