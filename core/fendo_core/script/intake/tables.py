"""Rows of cells, from a table of any file, as lines: which column holds what is found by its name or by what it holds."""

import re
from collections import Counter
from collections.abc import Callable, Collection, Sequence
from dataclasses import replace
from fractions import Fraction
from typing import NamedTuple, TypeAlias

from fendo_core.script.intake import prose
from fendo_core.script.intake.headings import Holds, column_names, is_of_the_film
from fendo_core.script.intake.inquiry import OUT_OR_LINES, Inquiry, ScriptRefused, counted
from fendo_core.script.intake.marks import MUSIC, PICTURE, SPAN, is_bite, is_speaker
from fendo_core.script.intake.paragraph import SENTENCE_ENDS, Paragraph, noted
from fendo_core.script.intake.slides import column_of_slides, slide_in_cell
from fendo_core.script.intake.speakers import spoken_in_cell, turns_in_cell
from fendo_core.script.intake.times import RANGE, Clock, Times, Written, learn, until_next
from fendo_core.script.intake.titles import goes_as_end
from fendo_core.script.intake.tongues import named_in, tongue_of
from fendo_core.script.lines import LONGEST_NOTES, Draft, paragraphs, shared
from fendo_core.timebase import FrameRate

Rows: TypeAlias = Sequence[Sequence[str]]

MOST_COLUMNS = 200
_LOOKED_AT = 200
_TITLE_ROWS = 15
_PROBE = Clock(FrameRate(Fraction(60)))
"""A clock that only tells times from words."""


class Columns(NamedTuple):
    """Which column of a table holds what (index, or None)."""

    start: int | None = None
    end: int | None = None
    length: int | None = None
    words: int | None = None
    notes: int | None = None
    reader: int | None = None


COLUMNS = Columns._fields


class Table(NamedTuple):
    """A table that was read: its lines, the names of its columns, and which of them were taken."""

    drafts: list[Draft]
    header: tuple[str, ...]
    columns: Columns


def unguarded(cell: str) -> str:
    """A cell without the apostrophe that keeps spreadsheets from taking it for a formula."""
    return re.sub(r"^'(?=[=+\-@])", "", cell)


def _is_time(cell: str) -> bool:
    return any(time is not None for time in _PROBE.times(cell)) and any(mark in cell for mark in ":.;")


def _is_number(cell: str) -> bool:
    return bool(re.fullmatch(r"\d{1,8}", cell.strip()))


def is_time_or_number(cell: str) -> bool:
    """Whether a cell holds a time, or a range of times, or a number, and nothing else."""
    return _is_time(cell) or _is_number(cell)


def _header_row(rows: Rows) -> tuple[int, list[list[tuple[Holds, int]]]] | None:
    """The row that names the columns, and what each of its cells may name; None where there is none.

    Above it there may be rows of titles. It names at least two columns, or the one of the words.
    """
    best: tuple[float, int, list[list[tuple[Holds, int]]]] | None = None
    for place, row in enumerate(rows[:_TITLE_ROWS]):
        filled = [cell for cell in row if cell.strip()]
        if not filled or any(_is_time(cell) or _is_number(cell) for cell in filled) or place + 1 >= len(rows):
            continue
        named = [column_names(cell) for cell in row]
        known = sum(bool(each) for each in named)
        surely = sum(bool(each) and each[0][1] < 200 for each in named)
        has_words = any(kind == "words" for each in named for kind, _ in each)
        if surely and (known >= 2 or (has_words and known == len(filled))) and known >= 0.4 * len(filled):
            score = known + surely - 0.1 * place
            if best is None or score > best[0]:
                best = (score, place, named)
    if best is None and len(rows) > 2 and _names_columns(rows):
        return 0, [column_names(cell) for cell in rows[0]]
    return (best[1], best[2]) if best else None


def _names_columns(rows: Rows) -> bool:
    """Whether the first row is made of names that nobody knows, above a column of sentences or of times."""
    first = rows[0]
    if any(not cell.strip() or len(cell.split()) > 3 or cell.strip().endswith(SENTENCE_ENDS) for cell in first):
        return False
    below = _even(rows[1:])
    if len(first) < 2 or len(below[0]) != len(first) or any(_is_time(cell) or _is_number(cell) for cell in first):
        return False
    return any(
        _share(below, n, lambda cell: _is_wordy(cell) and cell.endswith(SENTENCE_ENDS)) > 0.8
        or _share(below, n, _is_time) > 0.8
        for n in range(len(first))
    )


def looks_like_a_script(rows: Rows) -> bool:
    """Whether a table in a document is a table of lines: it names its columns, or holds times, or two columns of words."""
    if not rows or max(map(len, rows)) < 2:
        return False
    if _header_row(rows):
        return True
    even = _even(rows)
    columns = range(len(even[0]))
    timed = any(_share(even, n, _is_time) > 0.6 for n in columns)
    wordy = [_filled(even, n) >= 2 and _share(even, n, _is_wordy) > 0.5 for n in columns]
    named = any(_filled(even, n) == len(even) and _share(even, n, _is_identifier) > 0.8 for n in columns)
    if len(rows) >= 3 and len(columns) >= 3 and all(len(row) == len(columns) for row in rows):
        # One column of sentences, and beside it scraps.
        whole = [_share(even, n, lambda cell: " " in cell and cell.endswith(SENTENCE_ENDS)) for n in columns]
        long = [_share(even, n, lambda cell: len(cell.split()) > 5) >= 0.2 for n in columns]
        said = [n for n in columns if whole[n] > 0.8]
        if len(said) == 1 and not any(long[n] for n in columns if n not in said):
            return True
    return ((timed or named) and any(wordy)) or (len(rows) >= 3 and len(columns) == 2 and all(wordy))


def _is_identifier(cell: str) -> bool:
    return len(cell) <= 30 and bool(re.fullmatch(r"\S*\d\S*", cell)) and not _is_number(cell)


def of_records(tables: Sequence[Rows]) -> list[list[str]] | None:
    """One table out of tables whose rows are “Narration | words”, “Visual | …”: a record ends where a name comes again.

    None where they are none.
    """
    rows = [(" ".join(row[0].split()), row[1]) for rows in tables for row in rows if any(map(str.strip, row))]
    count = Counter(name for name, _ in rows)
    # A name that nothing stands beside, and that does not come again, is a heading: “Screen 2.1”.
    above = {name for name, value in rows if not value.strip() and count[name] == 1}
    pairs = [name for name, _ in rows if name not in above]
    known = {name: column_names(name) for name in pairs}
    told = [name for name in pairs if known[name] and known[name][0][1] < 200]
    again = sum(count[name] > 1 for name in pairs) > 0.9 * len(pairs)
    if (
        not pairs
        or len(told) < (0.3 if again else 0.6) * len(pairs)
        or sum(known[name][0][0] == "words" for name in told) < 2
        or len(known) > 0.6 * len(pairs)
    ):
        return None
    records: list[dict[str, str]] = [{}]
    for name, value in rows:
        if name in records[-1] or (name in above and records[-1]):
            records.append({})
        records[-1]["Notes" if name in above else name] = name if name in above else value
    names = list(dict.fromkeys([*known, *(name for record in records for name in record)]))
    return [names, *([record.get(name, "") for name in names] for record in records)]


def _even(rows: Rows) -> list[list[str]]:
    """Rows of one length."""
    width = max(map(len, rows))
    return [[*row, *[""] * (width - len(row))] for row in rows]


def _is_wordy(cell: str) -> bool:
    return len(cell.split()) >= 3


def _filled(body: Rows, column: int) -> int:
    return sum(bool(row[column].strip()) for row in body[:_LOOKED_AT])


def read_table(rows: Rows, rate: FrameRate, start_frame: int, inquiry: Inquiry, columns: Columns | None = None) -> Table:
    """Lines of a table.

    Args:
        rows: cells; rows may be of different lengths.
        rate: of the production.
        start_frame: frames since midnight of the programme's first frame.
        inquiry: asked what is ambiguous, told what is doubtful.
        columns: which column holds what; None: found.

    Raises:
        ScriptRefused: when no column holds words, or there are more columns than a script has.
    """
    width = max(map(len, rows), default=0)
    if width > MOST_COLUMNS:
        raise ScriptRefused(f"This table has {width} columns; a script has {MOST_COLUMNS} at most.")
    rows = [row for row in rows if any(map(str.strip, row))]
    if not rows:
        return Table([], (), Columns())
    rows = _with_lengths_apart(_with_whole_times(_upright(_even(rows))))
    rows = _with_one_column_of_words(_with_times_of_names(rows), inquiry)
    width = len(rows[0])
    found = _header_row(rows)
    top = found[0] + 1 if found else 0
    names = rows[found[0]] if found else [""] * width
    header = tuple(" ".join(name.split()) or f"column {n + 1}" for n, name in enumerate(names))
    if found and found[0]:
        above = " / ".join(cell.strip() for row in rows[: found[0]] for cell in row if cell.strip())
        inquiry.doubt(f"left out above the table: {above[:120]}{'…' if len(above) > 120 else ''}")
    body = [row for row in rows[top:] if not found or row != rows[found[0]]]
    if columns is not None:
        chosen = Columns(*(n if n is not None and 0 <= n < width else None for n in columns))
    else:
        chosen = _columns(found[1] if found else [[] for _ in range(width)], body, width, header, inquiry)
    if chosen.words is None:
        raise ScriptRefused("No column of this table holds words. Choose the one that does.")
    slide = column_of_slides(body, header, (chosen.words, chosen.reader))
    drafts = _drafts(body, chosen, slide, header, top + 1, rate, start_frame, inquiry)
    _say_left_out(body, header, (*chosen, slide), found[1] if found else None, inquiry)
    return Table(drafts, header, chosen)


_MOST_ROWS_OF_SCENES = 8


def _upright(rows: list[list[str]]) -> list[list[str]]:
    """Rows of a table whose scenes are columns, “Voice-over | … | … |” below “ | Scene 1 | Scene 2 |”, turned."""
    names = [column_names(row[0]) for row in rows]
    spoken = [row for row, each in zip(rows, names, strict=True) if each and each[0][0] == "words" and each[0][1] < 200]
    known = sum(map(bool, names))
    if (
        len(spoken) != 1
        or not 2 <= len(rows) <= _MOST_ROWS_OF_SCENES
        or known < len(rows) - 1
        or len(rows[0]) < 3
        or any(kind == "words" for cell in rows[0][1:] for kind, _ in column_names(cell))
        or not all(_is_wordy(cell) or cell.endswith(SENTENCE_ENDS) for cell in spoken[0][1:] if cell.strip())
    ):
        return rows
    return [list(column) for column in zip(*rows, strict=True)]


_MINUTES = re.compile(r"(?:(?:in|out|start|end)\W*)?(?:mins?|minutes?|minuten|minuti|minutos)\W*", re.IGNORECASE)
_SECONDS = re.compile(
    r"(?:(?:in|out|start|end)\W*)?(?:secs?|s|seconds?|sek|sekunden|secondes?|segundos|secondi)\W*", re.IGNORECASE
)


def _with_whole_times(rows: list[list[str]]) -> list[list[str]]:
    """Rows of a table with minutes and seconds in columns of their own as one with times."""
    for place, row in enumerate(rows[:_TITLE_ROWS]):
        pairs = [
            n
            for n, (one, other) in enumerate(zip(row, row[1:], strict=False))
            if _MINUTES.fullmatch(one.strip()) and _SECONDS.fullmatch(other.strip())
        ]
        if not pairs or len(pairs) > 2 or not all(_are_counts(rows[place + 1 :], n) for n in pairs):
            continue
        made = []
        for number, cells in enumerate(rows):
            whole = list(cells)
            for n, name in zip(pairs, ("Start", "End"), strict=False):
                minutes, seconds = cells[n].strip() or "0", cells[n + 1].strip()
                whole[n] = name if number == place else f"{minutes}:{seconds.zfill(2)}" if seconds.isdecimal() else cells[n]
            made.append([cell for n, cell in enumerate(whole) if n - 1 not in pairs])
        return made
    return rows


def _are_counts(body: Rows, column: int) -> bool:
    """Whether a column holds minutes, and the next one seconds."""
    told = [(row[column].strip(), row[column + 1].strip()) for row in body if row[column + 1].strip()]
    return len(told) > 1 and all(
        seconds.isdecimal() and int(seconds[:9]) < 60 and (not minutes or minutes.isdecimal()) for minutes, seconds in told
    )


_TIME_AND_LENGTH = re.compile(rf"({SPAN})\s+(\d{{1,3}}(?:[.,]\d{{1,2}})?\s?(?:s|secs?|sek\.?|[\"″”]))")


def _with_lengths_apart(rows: list[list[str]]) -> list[list[str]]:
    """Rows of a table with a column of times and lengths, “0:12  6s”, as one with two."""
    for n in range(len(rows[0])):
        cells = [_TIME_AND_LENGTH.fullmatch(row[n].strip()) for row in rows]
        told = sum(map(bool, cells))
        if told > 1 and told >= 0.8 * sum(bool(re.search(r"\d", row[n])) for row in rows):
            above = [place for place, row in enumerate(rows[: list(map(bool, cells)).index(True)]) if row[n].strip()]
            parted = [
                (cell[1], cell[2]) if cell else ("TC", "Length") if place in above[-1:] else (row[n], "")
                for place, (row, cell) in enumerate(zip(rows, cells, strict=True))
            ]
            return [[*row[:n], *pair, *row[n + 1 :]] for row, pair in zip(rows, parted, strict=True)]
    return rows


_NAME_AND_RANGE = re.compile(rf"(\S[^\[\]()]{{0,60}}?)\s*[\[(]\s*({SPAN})\s*[\])]")


def _with_times_of_names(rows: list[list[str]]) -> list[list[str]]:
    """Rows of a table whose parts are called “Intro (0:00-0:08)”, and that has no column of times, with one."""
    found = _header_row(rows)
    if not found or any(kind in ("start", "end") for each in found[1] for kind, _ in each[:1]):
        return rows
    body = rows[found[0] + 1 :]
    for n in range(len(rows[0])):
        times = [_NAME_AND_RANGE.fullmatch(row[n].strip()) for row in body]
        filled = sum(bool(row[n].strip()) for row in body)
        if filled > 1 and sum(bool(time and RANGE.search(time[2])) for time in times) == filled:
            return [
                *([*row, ""] for row in rows[: found[0]]),
                [*rows[found[0]], "Time"],
                *(
                    [*row[:n], time[1] if time else row[n], *row[n + 1 :], time[2] if time else ""]
                    for row, time in zip(body, times, strict=True)
                ),
            ]
    return rows


def _with_one_column_of_words(rows: list[list[str]], inquiry: Inquiry) -> list[list[str]]:
    """Rows of a table that has a column of words for each reader, as one with a column of words and one of readers."""
    found = _header_row(rows)
    if not found:
        return rows
    names, body = rows[found[0]], rows[found[0] + 1 :]
    kinds = [each[0][0] if each else None for each in found[1]]
    theirs = [n for n, kind in enumerate(kinds) if kind in (None, "reader") and _is_of_one_reader(names[n], body, n)]
    spoken = [sum(bool(row[n].strip()) for n in theirs) for row in body]
    if len(theirs) < 2 or sum(count > 1 for count in spoken) > 0.1 * len(body):
        return rows
    listed = " and ".join(f"“{names[n].strip()}”" for n in theirs)
    options = (("readers", "who reads"), ("columns", "columns"))
    if inquiry.ask("readers", f"{listed}, above columns of words, are", options, "readers") == "columns":
        return rows
    others = [n for n in range(len(names)) if n not in theirs]
    made = [[*(above[n] for n in others), "", ""] for above in rows[: found[0]]]
    made.append([*(names[n] for n in others), "Words", "Reader"])
    for row in body:
        said = [(row[n], names[n].strip()) for n in theirs if row[n].strip()] or [("", "")]
        beside = [row[n] for n in others]
        # Who speaks second has no time of their own.
        made += [[*(beside if not place else [""] * len(beside)), *each] for place, each in enumerate(said)]
    return made


def _is_of_one_reader(name: str, body: Rows, column: int) -> bool:
    """Whether a column is named like somebody, and holds what they say."""
    bare = name.strip()
    called = 1 <= len(bare.split()) <= 3 and len(bare) <= 40 and bare[0].isalpha() and bare[0].isupper()
    return called and _share(body, column, lambda cell: _is_wordy(cell) or cell.endswith(SENTENCE_ENDS)) > 0.6


def _share(body: Rows, column: int, holds: Callable[[str], bool]) -> float:
    cells = [row[column].strip() for row in body[:_LOOKED_AT] if row[column].strip()]
    return sum(map(holds, cells)) / len(cells) if cells else 0.0


def _columns(
    named: Sequence[Sequence[tuple[Holds, int]]], body: Rows, width: int, header: Sequence[str], inquiry: Inquiry
) -> Columns:
    """Which column holds what: by name, else by what it holds."""
    taken: dict[Holds, int] = {}
    for kind, _, column in sorted(
        ((kind, rank, column) for column, each in enumerate(named) for kind, rank in each), key=lambda each: each[1]
    ):
        if kind in taken or column in taken.values() or (kind == "words" and _letters(body, column) == 0):
            continue
        if kind in ("start", "end", "length") and _share(body, column, lambda cell: bool(re.search(r"\d", cell))) < 0.5:
            continue
        if kind == "words" and _share(body, column, lambda cell: _is_number(cell) or _is_time(cell)) > 0.5:
            continue
        taken[kind] = column
    of_the_film = {n for n in range(width) if is_of_the_film(header[n])}
    unnamed = [n for n in range(width) if n not in taken.values() and n not in of_the_film]
    times = [n for n in unnamed if _share(body, n, _is_time) > 0.6]
    if "start" not in taken and "end" not in taken and times:
        taken["start"] = times.pop(0)
    if "start" in taken and "end" not in taken and "length" not in taken and times:
        taken["end"] = times.pop(0)
    rest = [n for n in range(width) if n not in taken.values() and n not in of_the_film]
    letters = {n: _letters(body, n) for n in range(width)}
    wordy = [n for n in rest if letters[n] and _share(body, n, _is_wordy) > 0.4]
    if "words" not in taken:
        taken["words"] = _narration(body, wordy) if wordy else max(rest, key=lambda n: letters[n], default=-1)
        if taken["words"] < 0 or not letters[taken["words"]]:
            del taken["words"]
    if taken.get("words") not in wordy and not any(kind == "words" for each in named for kind, _ in each):
        # What somebody calls a description, or notes, may be all there is to say.
        kept: tuple[Holds, ...] = ("picture", "notes", "reader")
        named_otherwise = [kind for kind in kept if kind in taken and _share(body, taken[kind], _is_wordy) > 0.4]
        if named_otherwise:
            taken["words"] = taken.pop(max(named_otherwise, key=lambda kind: letters[taken[kind]]))
    if "words" not in taken:
        # A script may say numbers and nothing else.
        called = [
            (rank, n)
            for n, each in enumerate(named)
            for kind, rank in each
            if kind == "words" and n not in taken.values() and any(row[n].strip() for row in body)
        ]
        if called:
            taken["words"] = min(called)[1]
    readers = [n for n in rest if n not in taken.values() and _share(body, n, is_speaker) > 0.8]
    if not any(named):
        readers += [n for n in rest if n not in taken.values() and n not in readers and _are_names(body, n)]
    if "reader" not in taken and readers:
        taken["reader"] = readers[0]
    words = taken.get("words")
    others = [n for n in wordy if n != words and words is not None and letters[n] > 0.3 * letters[words]]
    if words is not None and others and inquiry.language:
        words = _in_language([words, *others], body, header, inquiry.language[:2])
        taken["words"], others = words, [n for n in wordy if n != words and letters[n] > 0.3 * letters[words]]
    if others and words is not None:
        listed = " and ".join(f"“{header[n]}”" for n in others)
        holds = "hold" if len(others) > 1 else "holds"
        inquiry.doubt(f"{listed} {holds} words too; “{header[words]}” was taken: choose another above")
    return Columns(**{kind: column for kind, column in taken.items() if kind in COLUMNS})


def _are_names(body: Rows, column: int) -> bool:
    """Whether a column without a name holds names: in capitals, and some come again."""
    cells = [row[column].strip() for row in body if row[column].strip()]
    shouted = sum(cell.isupper() and 2 < len(cell) < 30 and len(cell.split()) <= 3 for cell in cells)
    return len(cells) > 2 and shouted >= 0.9 * len(cells) and len(set(cells)) <= 0.7 * len(cells)


def _in_language(columns: Sequence[int], body: Rows, header: Sequence[str], language: str) -> int:
    """Of several columns of words the first that is in the language, by its name or by its words; else the first of all."""
    tongues = [named_in(header[n]) or tongue_of(" ".join(row[n] for row in body[:_LOOKED_AT])) for n in columns]
    return next((n for n, tongue in zip(columns, tongues, strict=True) if tongue == language), columns[0])


def _letters(body: Rows, column: int) -> int:
    return sum(sum(c.isalpha() for c in row[column]) for row in body[:_LOOKED_AT])


def _narration(body: Rows, wordy: Sequence[int]) -> int:
    """Of several columns of words the one that is said: sentences end with their marks, pictures are told in scraps."""

    def sentences(column: int) -> float:
        return _share(body, column, lambda cell: cell.rstrip("”\"»’'").endswith((".", "!", "?", "…", "。", "！", "？")))

    # Where both are alike, what is said stands on the right of what is seen.
    return max(wordy, key=lambda n: (round(sentences(n), 1), n))


_TOTAL = re.compile(
    r"^(?:grand |sub)?(?:total|totals|sum|summe|gesamt|insgesamt|totale|somme|suma|totaal|итого|всего)\b\W*$", re.IGNORECASE
)
"""In front of a row that sums up the others."""
_NOTHING = re.compile(
    r"^[\[(]?(?:[^.!?]{1,30} [-–—] (?=no |keine?|pas |sin |nessun ))?"
    r"(?:[-–—]{1,3}|n/?a|none|nil|no (?:v\.?o\.?|narration|voice[- ]?over|audio|dialogue|text)|"
    r"keine?r? (?:text|off|ton|sprecher)|"
    r"pas de (?:voix|texte|commentaire)|sin (?:voz|texto|locuci[oó]n)|nessun (?:testo|commento)|tbd|tbc)[\])]?$",
    re.IGNORECASE,
)
"""What a cell says when nothing is read."""


def _drafts(
    body: Rows,
    chosen: Columns,
    slide: int | None,
    header: Sequence[str],
    first: int,
    rate: FrameRate,
    start_frame: int,
    inquiry: Inquiry,
) -> list[Draft]:
    start, end, length, words, notes, reader = chosen
    assert words is not None

    def cell(row: Sequence[str], column: int | None) -> str:
        return " ".join(row[column].split()) if column is not None else ""

    timed: list[Written] = [(cell(row, start), cell(row, end), row[words]) for row in body if cell(row, start)]
    names = [header[n] for n in (start, end, length) if n is not None]
    clock = learn(timed, rate, start_frame, inquiry, names)
    read = [
        _times(cell(row, start), cell(row, end), cell(row, length), f"row {number}", clock, inquiry)
        for number, row in enumerate(body, start=first)
    ]
    if not any(cell(row, end) for row in body):
        if any(begin is not None and finish is None for begin, finish in read):
            inquiry.doubt("the table does not say where lines end: each slot ends where the next row starts")
        read = until_next(read, [row[words] for row in body])
    if len(body) > 2 and read[-1][0] is not None and goes_as_end(body[-1][words], inquiry):
        body, read = body[:-1], read[:-1]
    made: list[Paragraph] = []
    heard: list[str] = []
    unsaid = totals = 0
    bites = _bites(body, words, inquiry)
    for number, (row, (begin, finish)) in enumerate(zip(body, read, strict=True), start=first):
        if number - first in bites:
            continue
        kept, beside = spoken_in_cell(paragraphs(unguarded(row[words])))
        said = " ".join(kept)
        if not said or _NOTHING.match(said):
            unsaid += 1
            continue
        if begin is None and (_TOTAL.match(next(filter(None, map(str.strip, row)), "")) or _TOTAL.match(said)):
            totals += 1
            continue
        remarks = [*beside, *(paragraphs(unguarded(row[notes])) if notes is not None else [])]
        if len("\n".join(remarks)) > LONGEST_NOTES:
            inquiry.doubt(f"row {number}: of its note the first {LONGEST_NOTES} characters are kept")
        by = " ".join(paragraphs(unguarded(row[reader])))[:80] if reader is not None else ""
        if by and (PICTURE.fullmatch(by) or MUSIC.fullmatch(by)):
            # Who reads is what is seen, or heard beside the voice.
            heard.append(f"{by}: {said}")
            continue
        slot = clock.slot(begin, finish, f"row {number}", inquiry)
        page = slide_in_cell(row[slide]) if slide is not None else 0
        turns = turns_in_cell(kept)
        slots = shared(slot, [len(turn) for turn in turns], rate)
        turned = [Paragraph(turn, slot=one, reader=by, page=page) for turn, one in zip(turns, slots, strict=True)]
        made += [noted(turned[0], [*heard, *remarks]), *turned[1:]]
        heard = []
    if heard and made:
        made[-1] = noted(made[-1], [made[-1].notes, *heard])
    if unsaid:
        inquiry.doubt(f"{counted(unsaid, 'row', 'rows')} without words {'was' if unsaid == 1 else 'were'} left out")
    if totals:
        summed = counted(totals, "row that sums up the others", "rows that sum up the others")
        inquiry.doubt(f"{summed} {'was' if totals == 1 else 'were'} left out")
    return prose.drafts_of_cells(made, inquiry)


def _bites(body: Rows, words: int, inquiry: Inquiry) -> set[int]:
    """Which rows are heard in the film: “O-Ton” stands beside their words."""
    found = {
        number
        for number, row in enumerate(body)
        if any(n != words and _is_of_the_film(cell.strip()) for n, cell in enumerate(row))
    }
    if not found or len(found) == len(body):
        return set()
    asked = f"“{body[min(found)][words][:30]}”, heard in the film, is"
    if inquiry.ask("bites", asked, OUT_OR_LINES, "out") == "lines":
        return set()
    inquiry.doubt(f"{counted(len(found), 'row', 'rows')} of the film’s own sound left out")
    return found


_MAY_BE_READ = re.compile(r"(?:interview|intervista|entrevista|quote|total|grab|bite)\b", re.IGNORECASE)
"""Beside words these may say what is read."""
_LONGEST_MARK = 20
"""Letters of what says that a row is heard in the film."""


def _is_of_the_film(cell: str) -> bool:
    return len(cell) < _LONGEST_MARK and is_bite(cell) and not _MAY_BE_READ.match(cell)


def _times(start: str, end: str, length: str, what: str, clock: Clock, inquiry: Inquiry) -> Times:
    begin, finish = clock.times(start) if start else (None, None)
    if end:
        finish = clock.sample(end)
    for written, time in ((start, begin), (end, finish)):
        if written and time is None:
            inquiry.doubt(f"{what}: “{written[:20]}” is no time")
    if begin is not None and finish is None and length:
        # A length has no beginning on the clock of the day.
        lasts = replace(clock, origin=None).sample(length)
        finish = begin + lasts if lasts is not None else None
    return begin, finish


def _say_left_out(
    body: Rows,
    header: Sequence[str],
    used: Collection[int | None],
    named: Sequence[Sequence[tuple[Holds, int]]] | None,
    inquiry: Inquiry,
) -> None:
    left = [
        header[n]
        for n in range(len(header))
        if n not in used
        and any(row[n].strip() for row in body)
        and not (named and named[n] and named[n][0][0] == "number")
        and not (not named and _counts_up(body, n))
    ]
    if left:
        inquiry.doubt(f"left out: the column{'s' if len(left) > 1 else ''} {', '.join(left)}")


def _counts_up(body: Rows, column: int) -> bool:
    numbers = [int(row[column]) for row in body[:_LOOKED_AT] if _is_number(row[column])]
    return len(numbers) > 1 and all(later - earlier == 1 for earlier, later in zip(numbers, numbers[1:], strict=False))
