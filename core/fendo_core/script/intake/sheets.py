"""Spreadsheets and separated text as rows of cells."""

import csv
import datetime
import io
import zipfile
from collections import Counter
from collections.abc import Sequence
from typing import Any

from python_calamine import CalamineWorkbook

from fendo_core.script.intake.archives import BROKEN, OF_LINKS, linked, links_of, parts_of
from fendo_core.script.intake.inquiry import OUT_OR_READ, Inquiry, ScriptRefused, counted
from fendo_core.script.intake.tables import MOST_COLUMNS, looks_like_a_script
from fendo_core.script.lines import MOST_LINES

LONGEST_CELL = 1 << 20
"""Characters of a cell of a table: more is a quotation mark that was opened and never closed."""
SEPARATORS = {"\t": "tabs", ";": "semicolons", ",": "commas", "|": "bars"}
_TRIED_ROWS = 200


def workbook(data: bytes, inquiry: Inquiry) -> list[list[str]]:
    """The rows of the sheet that holds the script; which one is asked where there are several.

    Raises:
        ScriptRefused: for a damaged workbook, or one without any cell.
    """
    try:
        book = CalamineWorkbook.from_filelike(io.BytesIO(data))
        sheets = {name: _cells(book, name) for name in book.sheet_names[:50]}
    except Exception as error:  # the library has an error of its own for each kind of damage
        raise ScriptRefused("This workbook is damaged or locked. Open it, save it again as .xlsx or .csv.") from error
    sheets = {name: rows for name, rows in sheets.items() if any(any(map(str.strip, row)) for row in rows)}
    sheets = _without_hidden(data, sheets, inquiry)
    if not sheets:
        raise ScriptRefused("There are no words in this workbook.")
    likeliest = max(
        sheets,
        key=lambda name: (looks_like_a_script(sheets[name]), sum(len(cell) for row in sheets[name][:500] for cell in row)),
    )
    if len(sheets) == 1:
        return sheets[likeliest]
    # Sheets under the same names of columns are parts of one work, or works of one kind: the first is as likely as any.
    alike = [name for name, rows in sheets.items() if rows[0] == sheets[likeliest][0] and sum(map(bool, rows[0])) > 1]
    options = [(name, name) for name in sheets]
    if len(alike) > 1:
        likeliest = alike[0]
        options.append((_ALL, f"all {len(alike)} alike, one after another"))
    chosen = inquiry.ask("sheet", "the script is on the sheet", options, likeliest)
    if chosen != _ALL:
        return sheets[chosen]
    return [*sheets[alike[0]][:1], *(row for name in alike for row in sheets[name][1:])]


_ALL = "*"
"""No sheet can be called that."""


_WORKBOOK = "xl/workbook.xml"
_MAIN = "{http://schemas.openxmlformats.org/spreadsheetml/2006/main}"


def _without_hidden(data: bytes, sheets: dict[str, list[list[str]]], inquiry: Inquiry) -> dict[str, list[list[str]]]:
    """The sheets without the rows that somebody hid, or that a filter does not show."""
    hidden = {
        name: {row for row in rows if row < len(sheets[name]) and any(map(str.strip, sheets[name][row]))}
        for name, rows in _hidden_rows(data).items()
        if name in sheets
    }
    count = sum(map(len, hidden.values()))
    if not count:
        return sheets
    if inquiry.ask("hidden", counted(count, "hidden row is", "hidden rows are"), OUT_OR_READ, "out") == "in":
        return sheets
    return {
        name: [row for place, row in enumerate(rows) if place not in hidden.get(name, ())] for name, rows in sheets.items()
    }


def _hidden_rows(data: bytes) -> dict[str, set[int]]:
    """By sheets, the rows that are not shown, counted from 0; nothing for workbooks that are no archive of XML."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            parts = parts_of(archive, [_WORKBOOK, links_of(_WORKBOOK)])
            places = linked(parts, _WORKBOOK)
            paths = {
                sheet.get("name", ""): places.get(sheet.get(f"{OF_LINKS}id", ""), "")
                for sheet in parts[_WORKBOOK].iter(f"{_MAIN}sheet")
            }
            found = parts_of(archive, paths.values())
    except (ScriptRefused, KeyError, *BROKEN):
        return {}
    return {
        name: {
            int(row.get("r", "0")) - 1
            for row in found[path].iter(f"{_MAIN}row")
            if row.get("hidden") in ("1", "true") and row.get("r", "").isdecimal()
        }
        for name, path in paths.items()
        if path in found
    }


def _cells(book: CalamineWorkbook, name: str) -> list[list[str]]:
    rows = book.get_sheet_by_name(name).to_python(skip_empty_area=False, nrows=2 * MOST_LINES)
    return [[_cell(cell) for cell in row[:MOST_COLUMNS]] for row in rows]


def _cell(cell: Any) -> str:
    """What a cell shows: times as hours, minutes and seconds, whole numbers without a point."""
    if isinstance(cell, datetime.datetime):
        # A running time of a day and more is a date of 1899 or 1900 to a spreadsheet.
        days = (cell - datetime.datetime(1899, 12, 30)).days
        return (
            _clock((days if 0 <= days < 10 else 0) * 86_400 + _of_day(cell.time()))
            if days < 10
            else cell.date().isoformat()
        )
    if isinstance(cell, datetime.time):
        return _clock(_of_day(cell))
    if isinstance(cell, datetime.timedelta):
        return _clock(cell.total_seconds())
    if isinstance(cell, float):
        return str(int(cell)) if cell.is_integer() else f"{cell:.6f}".rstrip("0")
    return str(cell)


def _of_day(time: datetime.time) -> float:
    return time.hour * 3600 + time.minute * 60 + time.second + time.microsecond / 1e6


def _clock(seconds: float) -> str:
    thousandths = round(seconds * 1000)
    whole, rest = divmod(thousandths, 1000)
    return f"{whole // 3600}:{whole // 60 % 60:02}:{whole % 60:02}" + (f".{rest:03}" if rest else "")


def separated(text: str, inquiry: Inquiry) -> list[list[str]]:
    """The rows of a text whose cells are parted by tabs, semicolons, commas or bars: by what makes an even table.

    Raises:
        ScriptRefused: for a table that can't be read, or is far too large.
    """
    mark = separator(text) or ","
    options = [(each, said) for each, said in SEPARATORS.items() if each in text]
    if len(options) > 1:
        mark = inquiry.ask("separator", "cells are parted by", options, mark)
    rows = parted(text, mark)
    return _with_clauses(rows, text, inquiry) if mark == "," and rows else rows


def _with_clauses(rows: list[list[str]], text: str, inquiry: Inquiry) -> list[list[str]]:
    """Rows in which commas of sentences part no cells: where a row is too long, what begins with a blank goes on."""
    usual, first = Counter(map(len, rows)).most_common(1)[0][0], len(rows[0])
    usual = first if 2 < first < usual else usual
    if max(map(len, rows)) == usual:
        return rows
    spaced = parted(text, ",", spaces=True)
    if list(map(len, spaced)) != list(map(len, rows)):
        return rows
    made = [_joined(row, as_is, len(row) - usual) for row, as_is in zip(rows, spaced, strict=True)]
    joined = sum(len(row) < len(before) for row, before in zip(made, rows, strict=True))
    if joined:
        longer = counted(joined, "row has", "rows have")
        inquiry.doubt(f"{longer} more cells than the others: commas before a blank are taken for those of sentences")
    return made


def _joined(row: list[str], spaced: Sequence[str], over: int) -> list[str]:
    goes_on = [n > 0 and cell[:1] == " " for n, cell in enumerate(spaced)]
    if over < 1 or sum(goes_on) != over:
        return row
    made: list[str] = []
    for cell, more in zip(row, goes_on, strict=True):
        if more:
            made[-1] += f", {cell}"
        else:
            made.append(cell)
    return made


def parted(text: str, mark: str, spaces: bool = False) -> list[list[str]]:
    """The rows of a text whose cells are parted by one mark; with the spaces in front of them, if wanted.

    Raises:
        ScriptRefused: for a table that can't be read, or is far too large.
    """
    csv.field_size_limit(LONGEST_CELL)
    rows: list[list[str]] = []
    try:
        for row in csv.reader(io.StringIO(text, newline=""), delimiter=mark, skipinitialspace=mark != "\t" and not spaces):
            if len(row) > MOST_COLUMNS:
                raise ScriptRefused(f"This table has {len(row)} columns; a script has {MOST_COLUMNS} at most.")
            if any(map(str.strip, row)):
                rows.append(row)
            if len(rows) > 2 * MOST_LINES:
                raise ScriptRefused(f"This table has more than {2 * MOST_LINES} rows; a script has {MOST_LINES} at most.")
    except csv.Error as error:
        why = "a quotation mark is opened and never closed" if "field larger" in str(error) else str(error)
        raise ScriptRefused(f"This table can't be read ({why}). Save it again as CSV, then bring it in.") from error
    return rows


def separator(text: str) -> str | None:
    """What parts the cells of a text: the mark that gives most rows the same number of cells, more than one."""
    head = text[: 64 << 10]
    best: tuple[float, str] | None = None
    csv.field_size_limit(LONGEST_CELL)
    for mark in SEPARATORS:
        if mark not in head:
            continue
        try:
            reader = csv.reader(io.StringIO(head, newline=""), delimiter=mark, skipinitialspace=mark != "\t")
            widths = [len(row) for row, _ in zip(reader, range(_TRIED_ROWS), strict=False) if any(map(str.strip, row))]
        except csv.Error:
            continue
        if len(head) < len(text) and len(widths) > 1:
            widths.pop()
        usual, times = Counter(widths).most_common(1)[0] if widths else (1, 0)
        if usual < 2:
            # A row of titles, and few rows below it.
            usual, times = max(widths, default=1), sum(width > 1 for width in widths)
            if usual < 2:
                continue
        score = times / len(widths) + 0.02 * min(usual, 10) + (0.1 if mark == "\t" else 0.0)
        if best is None or score > best[0]:
            best = (score, mark)
    return best[1] if best else None
