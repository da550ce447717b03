"""Rich text and printed pages as plain text."""

import re
from collections import Counter
from collections.abc import Sequence
from itertools import pairwise

import pypdfium2
from striprtf.striprtf import rtf_to_text

from fendo_core.script.intake.inquiry import Inquiry, ScriptRefused, counted
from fendo_core.script.intake.marks import is_shouted_cue
from fendo_core.script.intake.paragraph import SENTENCE_ENDS
from fendo_core.script.intake.printed_tables import Printed, table_of
from fendo_core.script.intake.tables import looks_like_a_script

MOST_PAGES = 500
MOST_LETTERS = 20_000
"""Of a page."""


def rich_text(data: bytes, inquiry: Inquiry) -> str:
    """The words of an RTF file; cells of a table are parted by tabs.

    Raises:
        ScriptRefused: when it can't be read.
    """
    written = data.decode("latin-1")
    if re.search(r"\\(?:strike|striked|v|deleted)(?![a-z0-9])", written):
        inquiry.doubt("this rich text has struck-out or hidden words, which can't be told apart here: look for them below")
    # A bar of the text itself must not look like the end of a cell.
    written = written.replace("|", r"\'a6")
    try:
        text: str = rtf_to_text(written, errors="replace")  # type: ignore[no-untyped-call]
    except (ValueError, LookupError, RecursionError, IndexError) as error:
        raise ScriptRefused("This rich text is damaged. Open it, save it again or as plain text.") from error
    return "\n".join(row.rstrip("|").replace("|", "\t") for row in text.split("\n")).replace("¦", "|")


def printed(data: bytes, inquiry: Inquiry) -> str | list[list[str]]:
    """The words of a PDF, page by page; what stands at the head or foot of most pages is left out. Of a
    table of lines its cells.

    Raises:
        ScriptRefused: when it is locked, damaged, or holds pictures of pages only.
    """
    try:
        document = pypdfium2.PdfDocument(data)
    except pypdfium2.PdfiumError as error:
        raise ScriptRefused("This PDF is damaged or locked. Save it again without a password, or as text.") from error
    try:
        if len(document) > MOST_PAGES:
            raise ScriptRefused(f"This PDF has {len(document)} pages; a script has {MOST_PAGES} at most.")
        places = []
        for page in document:
            text = page.get_textpage()
            places.append(_places(text))
            text.close()
            page.close()
    except pypdfium2.PdfiumError as error:
        raise ScriptRefused("A page of this PDF can't be read. Save it again, or as text.") from error
    finally:
        document.close()
    if not any(places):
        raise ScriptRefused("This PDF holds pictures of pages and no text. Bring in the document it was made from.")
    places = _without_row_numbers(places, inquiry)
    table = table_of(places)
    if table and looks_like_a_script(table):
        return table
    # A page that ends with a sentence ends a paragraph, as far as can be told.
    edge = _edge_of_play(places)
    kept = [rows for rows in _without_edges([_rows(page, edge) for page in places], inquiry) if rows]
    return "".join("\n".join(rows) + ("\n\n" if rows[-1].endswith((".", "!", "?", "…")) else "\n") for rows in kept)


def _places(text: pypdfium2.PdfTextPage) -> list[Printed]:
    """The words of a page in their order, in stretches without a hole, each with its place."""
    found: list[Printed] = []
    box, page = pypdfium2.raw.FS_RECTF(), text.raw
    letter_at, box_at = pypdfium2.raw.FPDFText_GetUnicode, pypdfium2.raw.FPDFText_GetLooseCharBox
    letters: list[str] = []
    left = bottom = right = top = 0.0
    last, begins_word = -1, True
    for number in range(min(text.count_chars(), MOST_LETTERS)):
        letter = chr(letter_at(page, number))
        if letter.isspace() or letter == "\0":
            begins_word = True
            continue
        if not begins_word and letter.isdigit() and letters and not letters[-1][-1].isalnum():
            # A number that was written behind the words and stands before them.
            if box_at(page, last, box):
                right = box.right
            begins_word = bool(box_at(page, number, box)) and box.right < right - (box.top - box.bottom)
        if begins_word:
            # Where a hole may be: the end of the word before, and the beginning of this one.
            if letters and box_at(page, last, box):
                right = box.right
            box_at(page, number, box)
            tall = box.top - box.bottom
            on = bottom <= (box.bottom + box.top) / 2 <= top and right - tall < box.left < right + tall
            if letters and on:
                letters.append(" ")
            else:
                if letters:
                    found.append(Printed(left, bottom, right, top, "".join(letters)))
                letters = []
                left, bottom, top = box.left, box.bottom, box.top
            begins_word = False
        letters.append(letter)
        last = number
    if letters:
        box_at(page, last, box)
        found.append(Printed(left, bottom, box.right, top, "".join(letters)))
    return _with_head_first(found)


def _without_row_numbers(pages: list[list[Printed]], inquiry: Inquiry) -> list[list[Printed]]:
    """Pages without the numbers that count every fifth row, or each of them, at the side of the words."""
    gone: list[set[int]] = []
    numbers: list[list[int]] = []
    for page in pages:
        counts = [n for n, one in enumerate(page) if one.text.isascii() and one.text.isdigit() and len(one.text) < 5]
        words = [one for one in page if not one.text.isdigit()]
        long = [one for one in words if len(one.text) > _SHORTEST_ROW]
        left, right = min((one.left for one in long), default=0.0), max((one.right for one in long), default=0.0)
        middles = [(one.bottom + one.top) / 2 for one in words]
        beside = [
            n
            for n in counts
            if (page[n].right < left or page[n].left > right)
            and any(page[n].bottom <= middle <= page[n].top for middle in middles)
        ]
        gone.append(set(beside))
        numbers.append([int(page[n].text) for n in beside])
    steps = [later - earlier for row in numbers for earlier, later in zip(row, row[1:], strict=False)]
    fives = bool(steps) and set(steps) <= {5, 10} and all(number % 5 == 0 for row in numbers for number in row)
    if not fives and not (len(steps) > _FEWEST_ROWS and set(steps) == {1} and _are_of_rows(pages, gone)):
        return pages
    inquiry.doubt("left out the numbers of rows at the side of the pages")
    return [[one for n, one in enumerate(page) if n not in beside] for page, beside in zip(pages, gone, strict=True)]


def _are_of_rows(pages: list[list[Printed]], gone: Sequence[set[int]]) -> bool:
    """Whether numbers stand beside every row, also where sentences go on: paragraphs are counted at their first one."""
    rows = [one.text for page, beside in zip(pages, gone, strict=True) for n, one in enumerate(page) if n not in beside]
    going_on = sum(not row.endswith(SENTENCE_ENDS) for row in rows)
    return sum(map(len, gone)) >= 0.8 * len(rows) and going_on > 0.5 * len(rows)


_SHORTEST_ROW, _FEWEST_ROWS = 20, 5
"""Letters; rows that are counted one by one."""
_MOST_AT_HEAD = 3
"""Rows of a page that may be written after it: its head, and its number."""


def _with_head_first(places: list[Printed]) -> list[Printed]:
    """A page's words with what stands above all others before them: some programs write the head of a page last."""
    body, late = places[:-_MOST_AT_HEAD], places[-_MOST_AT_HEAD:]
    highest = max((one.top for one in body), default=float("inf"))
    head = [one for one in late if one.bottom >= highest]
    return [*head, *body, *(one for one in late if one not in head)] if head else places


_CUE_IN, _WORDS_IN, _LETTER = 90.0, 25.0, 6.0
"""Points: how far names and words are set in, at the least, in the layout of a screenplay; the width of a letter."""
_FEWEST_CUES = 3


def _edge_of_play(pages: Sequence[Sequence[Printed]]) -> float | None:
    """Where the rows of a screenplay begin that tell what happens, in points; None for what is none."""
    lefts = Counter(round(one.left) for page in pages for one in page)
    often = [left for left, times in lefts.items() if times >= _OFTEN * lefts.total()]
    if not often:
        return None
    edge = float(min(often))
    cues = sum(
        is_shouted_cue(one.text) and one.left >= edge + _CUE_IN and edge + _WORDS_IN <= below.left < one.left
        for page in pages
        for one, below in pairwise(page)
    )
    return edge if cues >= _FEWEST_CUES else None


_OFTEN = 0.05
"""Share of rows."""


def _rows(places: Sequence[Printed], edge: float | None = None) -> list[str]:
    """The rows of a page from above; an empty one where rows stand further apart than they do mostly.

    Args:
        places: the words of the page.
        edge: of a screenplay, where its rows begin; they are set in from there as they are in print.
    """
    rows: list[tuple[float, float, str]] = []
    for left, bottom, _, top, said in places:
        middle = (bottom + top) / 2
        if rows and rows[-1][0] <= middle <= rows[-1][1]:
            # The same row goes on: another size or weight of letters begins a rectangle of its own.
            rows[-1] = (min(bottom, rows[-1][0]), max(top, rows[-1][1]), f"{rows[-1][2]} {said}")
        else:
            inset = max(0, round((left - edge) / _LETTER)) if edge is not None else 0
            rows.append((bottom, top, f"{' ' * inset}{said}"))
    middles = [(bottom + top) / 2 for bottom, top, _ in rows]
    pitches = [above - below for above, below in zip(middles, middles[1:], strict=False)]
    # The lower quarter: titles and paragraphs stand further apart, and there may be more of them than of rows inside.
    below = sorted(pitch for pitch in pitches if pitch > 0)
    usual = below[len(below) // 4] if below else 0.0
    # Of few rows most may be paragraphs: those that go on stand as near as the rows inside.
    inside = [
        pitch
        for (bottom, top, said), pitch in zip(rows, pitches, strict=False)
        if 0 < pitch <= 1.6 * (top - bottom) and not said.endswith(SENTENCE_ENDS)
    ]
    usual = min(usual, *inside) if inside and usual > 1.35 * min(inside) else usual
    made: list[str] = []
    for (_, _, said), pitch in zip(rows, [0.0, *pitches], strict=False):
        made += ["", said] if usual and not 0 <= pitch <= 1.35 * usual and made else [said]
    return made


def _without_edges(pages: list[list[str]], inquiry: Inquiry) -> list[list[str]]:
    """Pages without the rows that come again at their edges, numbers apart: titles and page numbers."""
    if len(pages) < 2:
        return [_without_folio(rows) for rows in pages]

    def bare(row: str) -> str:
        return re.sub(r"\d+", "0", row)

    edges = Counter(bare(row) for rows in pages for row in _edges(rows))
    again = {row for row, times in edges.items() if times >= max(2, 0.6 * len(pages))}
    gone = 0
    kept = []
    for rows in pages:
        inner = list(rows)
        for _ in range(2):
            for end in (0, -1):
                while inner and not inner[end]:
                    inner.pop(end)
                if inner and bare(inner[end]) in again:
                    gone += 1
                    inner.pop(end)
        kept.append(inner)
    if gone:
        inquiry.doubt(f"{counted(gone, 'row', 'rows')} at the head or foot of pages left out")
    return kept


_FOLIO = re.compile(r"\W*\d{1,3}\W*")


def _without_folio(rows: list[str]) -> list[str]:
    """The rows of the only page without its number, above or below all others."""
    kept = list(rows)
    for end in (0, -1):
        while kept and not kept[end]:
            kept.pop(end)
        # “1.” above words counts them.
        counts = end == 0 and sum(bool(_FOLIO.fullmatch(row)) for row in kept) >= _FEWEST_COUNTED
        if kept and _FOLIO.fullmatch(kept[end]) and not counts:
            kept.pop(end)
    return kept


_FEWEST_COUNTED = 3


def _edges(rows: list[str]) -> set[str]:
    filled = [row for row in rows if row]
    return {*filled[:2], *filled[-2:]}
