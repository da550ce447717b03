"""Tables on printed pages: columns are told by the white between them, rows by the white above them or by their times."""

import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from statistics import median
from typing import NamedTuple

import numpy as np

from fendo_core.script.intake.marks import ASIDE, names_somebody
from fendo_core.script.intake.paragraph import SENTENCE_ENDS
from fendo_core.script.intake.tables import is_time_or_number
from fendo_core.script.intake.wrapped import with_row


class Printed(NamedTuple):
    """Words on a page, with their edges in points from its lower left corner."""

    left: float
    bottom: float
    right: float
    top: float
    text: str


@dataclass(slots=True)
class _Row:
    """What stands at one height of a page, from the left."""

    words: list[Printed]

    @property
    def top(self) -> float:
        return max(word.top for word in self.words)

    @property
    def bottom(self) -> float:
        return min(word.bottom for word in self.words)


NARROWEST_WHITE = 8.0
"""Points between two columns."""
_FEWEST_ROWS = 6
MOST_ROWS, WIDEST = 10_000, 300
"""Rows of plain text, and letters of the widest."""
_CROSSED = 0.12
"""Share of the rows that may run across the white between two columns: titles."""
_PARTED = 0.7
"""Of the height of a row: white above it from which on it begins a row of the table."""


def table_of(pages: Sequence[Sequence[Printed]]) -> list[list[str]] | None:
    """The cells of a table that goes over all the pages; None where their words do not stand in columns."""
    rows = [_rows(page) for page in pages]
    whites = _whites(_without_edges(rows))
    if not whites:
        return None
    made = [_cells(page, whites) for page in rows if page]
    again = _that_come_again([[_bare(row) for row in page] for page in made])
    return [row for page in made for row in page if _bare(row) not in again and any(row)]


WHITE = re.compile(r"(?<=\S) {3,}(?=\S)")
"""White between columns of plain text."""
_LETTER, _HEIGHT, _PITCH = 6.0, 10.0, 12.0
"""Points of a row of plain text."""


def table_of_text(text: str) -> list[list[str]] | None:
    """The cells of a table in plain text: white parts its columns, an empty row its rows, and its cells were wrapped.

    None where no cell goes on from one row of the text to the next.
    """
    rows = [row.expandtabs(8) for row in text.splitlines()]
    if len(rows) > MOST_ROWS or max(map(len, rows), default=0) > WIDEST or sum(bool(WHITE.search(row)) for row in rows) < 3:
        return None
    pairs = [(above, below) for above, below in pairwise(rows) if WHITE.search(above) and below.strip()]
    lasts = [(WHITE.split(above)[-1].strip(), WHITE.split(below)[-1].strip()) for above, below in pairs]
    goes_on = sum(
        below[:1].islower() or not above.endswith(SENTENCE_ENDS) or _are_apart(above, below) for above, below in lasts
    )
    first = [WHITE.split(below.strip())[0] for _, below in pairs if not below[:1].isspace()]
    if not first or goes_on < 0.8 * len(pairs) or any(map(is_time_or_number, first)):
        return None
    page = [
        Printed(_LETTER * word.start(), -_PITCH * place, _LETTER * word.end() - 1, _HEIGHT - _PITCH * place, word[0])
        for place, row in enumerate(rows)
        for word in re.finditer(r"\S+", row)
    ]
    return table_of([page])


def _rows(page: Sequence[Printed]) -> list[_Row]:
    """The rows of a page from above."""
    rows: list[_Row] = []
    for word in sorted(page, key=lambda word: -(word.top + word.bottom)):
        middle = (word.top + word.bottom) / 2
        if rows and rows[-1].bottom <= middle <= rows[-1].top:
            rows[-1].words.append(word)
        else:
            rows.append(_Row([word]))
    for row in rows:
        row.words.sort(key=lambda word: word.left)
    return rows


def _without_edges(pages: Sequence[Sequence[_Row]]) -> list[_Row]:
    """All rows but the titles and numbers of pages, which run across the columns."""

    def bare(row: _Row) -> str:
        return re.sub(r"\d+", "0", " ".join(word.text for word in row.words))

    again = _that_come_again([[bare(row) for row in page] for page in pages])
    return [row for page in pages for row in page if bare(row) not in again]


def _whites(rows: Sequence[_Row]) -> list[float]:
    """Middles of the white stretches between columns."""
    if len(rows) < _FEWEST_ROWS:
        return []
    edge = int(max(word.right for row in rows for word in row.words)) + 2
    covered = np.zeros((len(rows), max(edge, 1)), dtype=bool)
    for number, row in enumerate(rows):
        for word in row.words:
            covered[number, max(0, int(word.left)) : max(0, int(word.right) + 1)] = True
    # One row may run across, however few there are: a title.
    crossed = max(_CROSSED * len(rows), 1)
    times = covered.sum(axis=0)
    found: list[float] = []
    start: int | None = None
    for place, white in enumerate([*(times <= crossed), False]):
        if white and start is None:
            start = place
        elif not white and start is not None:
            left, right = covered[:, :start], covered[:, place:]
            both = left.any(axis=1) & right.any(axis=1)
            if place - start >= NARROWEST_WHITE and start > 0 and both.sum() >= 3:
                found.append((start + place) / 2)
            start = None
    return found


def _cells(page: Sequence[_Row], whites: Sequence[float]) -> list[list[str]]:
    """The rows of the table on a page; what runs across a white is a row of one cell."""
    columns = len(whites) + 1
    parted: list[list[str] | None] = []
    for row in page:
        if any(word.left < white < word.right for word in row.words for white in whites):
            parted.append(None)
            continue
        cells = [""] * columns
        for word in row.words:
            column = sum(word.left > white for white in whites)
            cells[column] = f"{cells[column]} {word.text}".strip()
        parted.append(cells)
    height = median(row.top - row.bottom for row in page)
    apart = [
        place == 0
        or parted[place] is None
        or parted[place - 1] is None
        or page[place - 1].bottom - row.top > _PARTED * height
        for place, row in enumerate(page)
    ]
    told = [cells for cells in parted if cells]
    for column in range(columns):
        filled = [cells[column] for cells in told if cells[column]]
        if len(filled) >= 2 and sum(map(is_time_or_number, filled)) >= 0.6 * len(filled):
            apart = [
                one or bool(cells and is_time_or_number(cells[column])) for one, cells in zip(apart, parted, strict=True)
            ]
    if sum(apart) < 3:
        # No white between the rows: one begins where there are words again in the first column.
        apart = [
            one or bool(cells and cells[0] and before and not before[0])
            for one, cells, before in zip(apart, parted, [None, *parted], strict=False)
        ]
    made: list[list[str]] = []
    for begins, row, held in zip(apart, page, parted, strict=True):
        if held is None:
            made.append([" ".join(word.text for word in row.words), *[""] * (columns - 1)])
        elif begins or not made:
            made.append(held)
        else:
            made[-1] = [_with(above, below) for above, below in zip(made[-1], held, strict=True)]
    return made


def _with(above: str, below: str) -> str:
    """A cell with its next row."""
    if not above or not below:
        return above or below
    return f"{above}\n{below}" if _are_apart(above.rpartition("\n")[2], below) else with_row(above, below)


def _are_apart(above: str, below: str) -> bool:
    """Whether two rows of a cell are no sentence that goes on."""
    return above.endswith(":") or bool(ASIDE.match(above)) or names_somebody(below)


def _bare(row: Sequence[str]) -> str:
    return re.sub(r"\d+", "0", " ".join(row)) if sum(map(bool, row)) == 1 else ""


def _that_come_again(pages: Sequence[Sequence[str]]) -> set[str]:
    """Titles and page numbers: rows at the head or the foot of most pages, the same but for numbers, which are 0 here."""
    edges = Counter(row for page in pages for row in {*page[:2], *page[-2:]} if row)
    return {row for row, times in edges.items() if times >= max(2, 0.6 * len(pages)) or re.fullmatch(r"\W*0\W*", row)}
