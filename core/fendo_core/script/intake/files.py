"""Scripts from files: texts, documents, tables, subtitles.

A file becomes drafts of lines, with a slot where the file knows one, questions with the likeliest answer chosen, and a list
of what was doubtful. Nothing is changed by reading: the drafts are shown first. What is left out of a file is said.
"""

import html
import re
import unicodedata
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import PurePath

from fendo_core.script.intake import (
    books,
    fountain,
    mails,
    markdown,
    pages,
    presentations,
    printed_tables,
    prose,
    sheets,
    structured,
    subtitles,
    tables,
    titles,
    webpage,
    wrapped,
)
from fendo_core.script.intake.documents import Block, document
from fendo_core.script.intake.inquiry import Inquiry, Question, ScriptRefused, enough
from fendo_core.script.intake.letters import decode, is_text, refuse_by_name
from fendo_core.script.intake.paragraph import LONGEST, SENTENCE_ENDS, Paragraph
from fendo_core.script.intake.tables import Columns
from fendo_core.script.lines import LONGEST_TEXT, Draft, paragraphs, shared
from fendo_core.script.splitting import split
from fendo_core.timebase import FrameRate

LARGEST_FILE = 20 << 20
MOST_DOUBTS, MOST_ALIKE = 50, 5


@dataclass(frozen=True, slots=True)
class Intake:
    """What a file holds.

    Attributes:
        kind: what it was taken for, in words.
        encoding: how its letters were written ("" where the kind of file says it).
        drafts: the lines, in order.
        doubts: what a person should look at, in words.
        questions: what the file does not say by itself, with what was taken.
        header: the columns of a table as they are named in it (empty for other kinds).
        columns: which column is taken for what.
    """

    kind: str
    encoding: str
    drafts: tuple[Draft, ...]
    doubts: tuple[str, ...] = ()
    questions: tuple[Question, ...] = ()
    header: tuple[str, ...] = ()
    columns: Columns = Columns()


@dataclass(slots=True)
class _ScriptFile:
    """One file being read."""

    rate: FrameRate
    start_frame: int
    columns: Columns | None
    inquiry: Inquiry
    header: tuple[str, ...] = ()
    taken: Columns = Columns()

    def table(self, rows: tables.Rows) -> list[Draft]:
        found = tables.read_table(_undressed_cells(rows), self.rate, self.start_frame, self.inquiry, self.columns)
        if not self.header:
            self.header, self.taken = found.header, found.columns
        return found.drafts

    def prose(self, found: Sequence[Paragraph]) -> list[Draft]:
        return prose.drafts_of(found, self.rate, self.start_frame, self.inquiry)

    def rows(self, text: str, from_pages: bool = False) -> list[Draft]:
        return self.prose(wrapped.of_rows(text, self.inquiry, from_pages))

    def subtitles(self, kind: str, text: str) -> list[Draft]:
        return subtitles.subtitles(kind, text, self.rate, self.start_frame, self.inquiry)


def read_script(
    name: str,
    data: bytes,
    rate: FrameRate,
    start_frame: int = 0,
    columns: Columns | None = None,
    longest: int | None = None,
    choices: Mapping[str, str] | None = None,
    language: str = "",
) -> Intake:
    """Make drafts of a file.

    Args:
        name: the file's name; its ending is a hint, its content decides.
        data: the file.
        rate: of the production, for timecodes with frames.
        start_frame: frames since midnight of the programme's first frame; times at or behind it are taken as timecodes of
            the programme, earlier ones as running times from its beginning.
        columns: of a table, which column holds what; None: found by their names and contents.
        longest: characters of a line; longer ones become several where a reader would breathe. None: they stay.
        choices: answers to `Intake.questions`, by their keys; what is not answered is taken as is likeliest.
        language: in which it is going to be read, where a table has words in several.

    Raises:
        ScriptRefused: for what is no script, too large, or empty.
    """
    if len(data) > LARGEST_FILE:
        raise ScriptRefused(f"This file is {len(data) >> 20} MB large; a script may have {LARGEST_FILE >> 20} MB.")
    script = _ScriptFile(rate, start_frame, columns, Inquiry(dict(choices or {}), language))
    kind, encoding, drafts = _read(name, data, script)
    drafts = _unquoted([draft for draft in drafts if draft.text], script.inquiry)
    if not drafts:
        raise ScriptRefused("There are no words in this file.")
    drafts, more = _short_enough(drafts)
    if longest is not None:
        drafts = [part for draft in drafts for part in _breaths(draft, longest, rate)]
    enough(len(drafts))
    doubts = _told_once([*script.inquiry.doubts, *more, *_order(drafts)])
    if len(doubts) > MOST_DOUBTS:
        doubts = [*doubts[:MOST_DOUBTS], f"… and {len(doubts) - MOST_DOUBTS} more of this kind"]
    questions = tuple(script.inquiry.questions)
    return Intake(kind, encoding, tuple(drafts), tuple(doubts), questions, script.header, script.taken)


_QUOTE = re.compile(r"[\"“„«»]([^\"“”„«»]{1,10000})[\"”“»«]")


def _unquoted(drafts: list[Draft], inquiry: Inquiry) -> list[Draft]:
    """Drafts without the quotation marks that stand around each of them: there they say what is read."""
    quotes = [_QUOTE.fullmatch(draft.text) for draft in drafts]
    if len(drafts) < 2 or not all(quotes):
        return drafts
    options = (("out", "left out"), ("in", "part of the words"))
    if inquiry.ask("quotes", "quotation marks around every line are", options, "out") == "in":
        return drafts
    return [replace(draft, text=quote[1].strip()) for draft, quote in zip(drafts, quotes, strict=True) if quote]


_SHEETS = (".xlsx", ".xlsm", ".xls", ".ods", ".xlsb")


def _read(name: str, data: bytes, script: _ScriptFile) -> tuple[str, str, list[Draft]]:
    """What kind of file this is, how its letters are written, and its lines."""
    ending = PurePath(name).suffix.lower()
    inquiry = script.inquiry
    if mails.is_mail(data):
        held, data = mails.script_of(data, inquiry)
        if mails.is_mail(data):
            raise ScriptRefused("This mail holds another mail. Save what is attached to it, and bring that in.")
        kind, _, drafts = _read(held, data, script)
        # How its letters are written the mail itself says.
        return f"{kind} in a mail", "", drafts
    if data.startswith(b"%PDF"):
        found = pages.printed(data, inquiry)
        if isinstance(found, list):
            try:
                return "PDF", "", script.table(found)
            except ScriptRefused:
                # What stood in columns is no table of lines.
                found = "\n\n".join(" ".join(filter(None, row)) for row in found)
        return "PDF", "", script.rows(found, from_pages=True)
    if data.startswith(b"{\\rtf"):
        text = pages.rich_text(data, inquiry)
        return "rich text", "", _mixed(text, script)
    if data.startswith(b"PK\x03\x04"):
        if ending in _SHEETS or b"xl/workbook" in data or b"opendocument.spreadsheet" in data[:200]:
            return "spreadsheet", "", script.table(sheets.workbook(data, inquiry))
        if books.is_book(data):
            # Nothing in it is a time, a name or a direction.
            said = books.words_of_book(data, inquiry)
            return "electronic book", "", [Draft(each.text, None, each.notes) for each in said]
        if presentations.is_presentation(data):
            return "presentation", "", _of_blocks(presentations.blocks_of_slides(data, inquiry), script)
        kind, blocks = document(data, inquiry)
        return kind, "", _of_blocks(blocks, script)
    if data.startswith(b"\xd0\xcf\x11\xe0") and ending == ".xls":
        return "spreadsheet", "", script.table(sheets.workbook(data, inquiry))
    if structured.is_timed_text(data[:4096].decode("latin-1")):
        cues = structured.cues_of_timed_text(data)
        return "Timed Text subtitles", "", subtitles.placed(cues, script.rate, script.start_frame, inquiry)
    if structured.is_speech_markup(data[:4096].decode("latin-1")):
        return "speech markup", "", script.prose([Paragraph(row) for row in structured.paragraphs_of_speech(data)])
    if webpage.is_page(data):
        encoding, blocks = webpage.blocks(data, inquiry)
        return "web page", encoding, _of_blocks(blocks, script)
    refuse_by_name(data, name)
    if not is_text(data):
        raise ScriptRefused(
            "This is no text. Fendo reads text, Markdown, Word, OpenDocument, rich text, PDF, web pages, mails, "
            "electronic books, presentations, tables and subtitles."
        )
    text, encoding = decode(data, inquiry)
    body = subtitles.with_arrows(text.lstrip("\ufeff"))
    counted_in_frames = subtitles.of_frames(body, script.rate)
    if counted_in_frames:
        return "subtitles in frames", encoding, script.subtitles("SubRip subtitles", counted_in_frames)
    synchronised = subtitles.of_sami(body, inquiry)
    if synchronised is not None:
        return "SAMI subtitles", encoding, script.subtitles("SubRip subtitles", synchronised)
    if body[:6] == "WEBVTT":
        return "WebVTT subtitles", encoding, script.subtitles("WebVTT subtitles", body)
    if body.lstrip()[:13].lower() == "[script info]":
        return "SubStation subtitles", encoding, subtitles.dialogue(body, script.rate, script.start_frame, inquiry)
    if ending == ".srt" or (ending != ".csv" and subtitles.is_subtitles(body)):
        return "SubRip subtitles", encoding, script.subtitles("SubRip subtitles", body)
    if ending == ".json" or structured.is_json(body):
        return "JSON", encoding, script.table(structured.rows_of_json(body))
    if ending in (".csv", ".tsv", ".tab") or script.columns is not None:
        return "table", encoding, script.table(sheets.separated(body, inquiry))
    if ending in (".md", ".markdown"):
        return "Markdown", encoding, _of_blocks(markdown.blocks(body), script)
    celled = _SLASHED.sub("|", body) if _is_slashed(body) else body
    parted = _DROPPED.sub(":", celled)
    mark = sheets.separator(parted) if "\t" in parted or ";" in parted or "|" in parted else None
    # Commas part clauses more often than cells.
    if mark and mark != "," and _parts_rows(mark, celled) and tables.looks_like_a_script(sheets.parted(celled, mark)):
        return "table", encoding, script.table(sheets.separated(celled, inquiry))
    if fountain.is_fountain(name, body):
        body = fountain.plain(body, inquiry)
    body = _with_numbers_near(_undressed(mails.of_thread(body, inquiry)))
    wrapped_cells = printed_tables.table_of_text(body)
    if wrapped_cells and tables.looks_like_a_script(wrapped_cells):
        return "table", encoding, script.table(wrapped_cells)
    apart = _columned(body)
    if apart.count("\t") >= 3 and tables.looks_like_a_script(sheets.parted(apart, "\t")):
        return "table", encoding, script.table(sheets.parted(apart, "\t"))
    return "plain text", encoding, script.rows(body)


def _undressed_cells(rows: tables.Rows) -> tables.Rows:
    """Cells without the marks of web pages that systems for learning leave in them."""
    if any("<br" in cell for row in rows for cell in row):
        rows = [[_BREAKS.sub("\n", cell).strip() for cell in row] for row in rows]
    if sum(len(_TAGS.findall(cell)) for row in rows for cell in row) < 2:
        return rows
    return [[html.unescape(_TAGS.sub("", _BREAKS.sub("\n", cell))).strip() for cell in row] for row in rows]


_NUMBERED_CELL = re.compile(r"[^/\d]{0,20}\d[^/]{0,20} //? ")
_SLASHED = re.compile(r" //? ")


_FAR_NUMBER = re.compile(r"^[ \t]*(\d{1,4})[.)]?(?:\t+| {2,})(?=\S)(?!.*(?:\t|\S {2,}\S))", re.MULTILINE)
"""A number, white, and words in which none is as wide."""


def _with_numbers_near(text: str) -> str:
    """A text whose rows are counted, with the numbers as they stand in front of paragraphs: they make no table."""
    counted = [int(row[1]) for row in _FAR_NUMBER.finditer(text[:_SNIFFED])]
    if len(counted) < 3 or counted != list(range(counted[0], counted[0] + len(counted))):
        return text
    others = [row for row in text.splitlines() if row.strip() and not _FAR_NUMBER.match(row)]
    # What hangs below the words goes on from them, and what is as wide has cells.
    return text if any(row[:1].isspace() or _WIDE.search(row) for row in others) else _FAR_NUMBER.sub(r"\1. ", text)


_WIDE = re.compile(r"\S(?:\t| {2,})\S")


def _is_slashed(text: str) -> bool:
    """Whether every row has cells that slashes part, the first with a number in it: “1 / 00:04 / words”."""
    rows = [row for row in text.splitlines() if row.strip()]
    return len(rows) > 2 and all(_NUMBERED_CELL.match(row) and 2 <= len(_SLASHED.findall(row)) <= 6 for row in rows)


def _parts_rows(mark: str, text: str) -> bool:
    """Whether enough of the rows hold a mark for it to part cells: “Scene 1 | 0:12” above words is a heading."""
    rows = [row for row in text.splitlines() if row.strip()]
    return sum(mark in row for row in rows) >= 0.4 * len(rows)


def _undressed(text: str) -> str:
    """Plain text without the marks of Markdown and of web pages that people leave in it."""
    if "\n>" in text:
        rows = [row for row in text.splitlines() if row.strip()]
        if sum(row.startswith(">") for row in rows) >= max(2, 0.6 * len(rows)):
            text = _QUOTED.sub("", text)
    rows = text[:_SNIFFED].splitlines()
    if sum(bool(_TIME_AND_BARS.match(row)) for row in rows) >= max(2, 0.8 * sum(map(bool, rows))):
        text = _TIME_AND_BARS.sub(r"[\1] ", text).replace("|", " ")
    if len(_STRESSED.findall(text)) >= 2:
        text = _STRESSED.sub(r"\1", text)
    if len(_DIRECTED.findall(text)) >= 2:
        text = _DIRECTED.sub(r"\1", text)
    if len(_TAGS.findall(text)) >= 2:
        text = _TAGS.sub("", _BREAKS.sub("\n", text))
    if _WIDE_TIME.search(text):
        text = _WIDE_TIME.sub(lambda time: unicodedata.normalize("NFKC", time[0]), text)
    text = _LENTICULAR.sub(r"[\1] ", text)
    return html.unescape(text) if len(_ENTITIES.findall(text)) >= 2 else text


_SNIFFED = 20_000
"""Letters by which a way to write is told."""
_TIME_AND_BARS = re.compile(r"^(\d{1,2}:\d{2}:\d{2}):(?=[^\d\s:])", re.MULTILINE)
"""Subtitles with a time in front of each row, and bars between what stands on a row of the picture."""
_QUOTED = re.compile(r"^(?:> ?)+", re.MULTILINE)
"""What a mail puts before rows that it quotes."""
_TAGS = re.compile(
    r"</?(?:b|i|u|p|em|strong|span|div|font|h[1-6]|ul|ol|li|speak|s|prosody|emphasis|voice)(?:\s[^<>\n]{0,200})?>"
)
_WIDE_TIME = re.compile(
    r"(?:[０-９]{1,2}[：:]|\d{1,2}：)[\d０-９]{2}(?:[：:][\d０-９]{2}){0,2}(?:\s?[～〜－-]\s?[\d０-９]{1,2}(?:[：:][\d０-９]{2}){1,3})?"
)
_LENTICULAR = re.compile(r"【\s?(\d[\d:.;,]{3,11}(?:\s?[-–—~～]\s?\d[\d:.;,]{3,11})?)\s?】[ \u3000]?")
"""Times as they are written beside Chinese and Japanese."""
_BREAKS = re.compile(r"<br\s*/?>|</(?:p|div|h[1-6]|li)>")
_ENTITIES = re.compile(r"&(?:amp|quot|apos|nbsp|lt|gt|#\d{2,5}|[a-z]{4,6});")


def _columned(text: str) -> str:
    """Plain text whose columns white parts, with tabs between them; what hangs below the last one goes on from it."""
    if "   " not in text:
        return text
    made: list[str] = []
    edge = 1 << 20
    for row in text.splitlines():
        gaps = list(printed_tables.WHITE.finditer(row)) if "   " in row else []
        if made and not gaps and len(made[-1]) < LONGEST and len(row) - len(row.lstrip()) >= edge:
            made[-1] = wrapped.with_row(made[-1].rstrip(), row.strip())
            continue
        edge = gaps[-1].end() - 2 if gaps else edge if row.strip() else 1 << 20
        made.append(printed_tables.WHITE.sub("\t", row) if gaps else row)
    return "\n".join(made)


_DROPPED = re.compile(r"(?<=\d:\d\d:\d\d);(?=\d\d(?!\d))")
"""The mark before the frames where some are dropped, which parts no cells."""


_STRESSED = re.compile(r"\*\*([^*\n]{1,200})\*\*")
"""Markdown's stress, which people leave in plain text."""
_DIRECTED = re.compile(r"(?<![*_\w])[*_]([\[(][^()\[\]\n]{1,60}[\])])[*_](?![*_\w])")
"""The same of a direction: “*(softly)*”."""


def _mixed(text: str, script: _ScriptFile) -> list[Draft]:
    """Rich text: rows with tabs that make a table of lines are one, all others paragraphs."""
    blocks: list[Block] = []
    for row in text.split("\n"):
        if "\t" in row.strip():
            cells = row.split("\t")
            if blocks and isinstance(blocks[-1], list):
                blocks[-1].append(cells)
            else:
                blocks.append([cells])
        else:
            blocks += map(Paragraph, paragraphs(row))
    return _of_blocks(blocks, script)


def _with_records(blocks: Sequence[Block]) -> Sequence[Block]:
    """Blocks of which the tables of names and words, with or without a third column, are one table behind the others."""
    for columns in (2, 3):
        wide = [isinstance(rows, list) and bool(rows) and all(len(row) == columns for row in rows) for rows in blocks]
        held = [rows for rows, one in zip(blocks, wide, strict=True) if isinstance(rows, list) and one]
        records = tables.of_records([[row[:2] for row in rows] for rows in held])
        if records:
            return [*(each for each, one in zip(blocks, wide, strict=True) if not one), records]
    return blocks


def _of_blocks(blocks: Sequence[Block], script: _ScriptFile) -> list[Draft]:
    """Lines of a document: a table that is a script is read as one, any other is read cell by cell."""
    blocks = _with_records(blocks)
    blocks = [each for each in blocks if isinstance(each, Paragraph) or not _tells_of_it(each, script.inquiry)]
    scripts = [rows for rows in blocks if isinstance(rows, list) and tables.looks_like_a_script(rows)]
    drafts: list[Draft] = []
    held: list[Paragraph] = []
    if scripts:
        # Tables of one script go on from page to page: those of the same width are one.
        width = max(map(len, scripts[0]))
        rows = [row for table in scripts if max(map(len, table)) == width for row in table]
        around = [block for block in blocks if isinstance(block, Paragraph) and block.text]
        options = (("out", "left out"), ("lines", "lines"))
        told = script.table(rows)
        said = " / ".join(block.text for block in around)
        sentences = sum(len(block.text) for block in around if block.text.endswith(SENTENCE_ENDS))
        likeliest = "lines" if sentences > sum(len(draft.text) for draft in told) else "out"
        asked = f"“{said if len(said) < 40 else said[:39] + '…'}”, around the table, is"
        if around and script.inquiry.ask("around", asked, options, likeliest) == "lines":
            drafts = script.prose(around)
        return [*drafts, *told]
    if script.columns is not None and any(isinstance(block, list) for block in blocks):
        return script.table([row for block in blocks if isinstance(block, list) for row in block])
    for block in blocks:
        held += [block] if isinstance(block, Paragraph) else _cells(block)
    return script.prose(_with_notes_above(held))


_MOST_FIELDS, _LONGEST_FIELD = 12, 200


def _tells_of_it(rows: Sequence[Sequence[str]], inquiry: Inquiry) -> bool:
    """Whether a table says who ordered the script, when and which version: that is said and left out."""
    if not rows or len(rows) > _MOST_FIELDS or any(len(row) != 2 or len(row[1]) > _LONGEST_FIELD for row in rows):
        return False
    told = sum(titles.tells_of_it(row[0], row[1]) for row in rows)
    if told < len(rows) and (told < 0.6 * len(rows) or any(row[1].endswith(SENTENCE_ENDS) for row in rows)):
        return False
    inquiry.doubt(f"left out: {' / '.join(f'{name} {value}' for name, value in rows)[:120]}")
    return True


def _cells(rows: Sequence[Sequence[str]]) -> Iterator[Paragraph]:
    """The paragraphs of a table's cells; a number by itself counts rows."""
    for row in rows:
        for cell in row:
            if len(row) == 1 or not cell.strip(" .)#").isdigit():
                yield from map(Paragraph, paragraphs(cell))


def _with_notes_above(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs with words; the comments of an empty one go to the next."""
    kept: list[Paragraph] = []
    notes = ""
    for each in found:
        if not each.text:
            notes = each.notes
            continue
        kept.append(replace(each, notes="\n".join(filter(None, (notes, each.notes)))))
        notes = ""
    return kept


def _short_enough(drafts: list[Draft]) -> tuple[list[Draft], list[str]]:
    """Drafts longer than a line may be, cut at the last sentence or space that fits; nothing of them is left out."""
    kept: list[Draft] = []
    doubts = []
    for draft in drafts:
        text, at, slot = draft.text, 0, draft.slot
        while len(text) - at > LONGEST_TEXT:
            last = at + LONGEST_TEXT
            cut = text.rfind(". ", at, last) + 1
            cut = cut if cut > at else text.rfind(" ", at, last)
            cut = cut if cut > at else last
            kept.append(replace(draft, text=text[at:cut].strip(), slot=slot))
            slot = None
            while cut < len(text) and text[cut] == " ":
                cut += 1
            at = cut
        if slot is None and draft.slot is not None:
            doubts.append(f"“{draft.text[:30]}…” is too long for one line and became several")
        kept.append(replace(draft, text=text[at:].strip(), slot=slot))
    return kept, doubts


def _breaths(draft: Draft, longest: int, rate: FrameRate) -> list[Draft]:
    """A draft parted where a reader would breathe; its slot is shared by the lengths of the parts."""
    texts = split(draft.text, longest)
    if len(texts) < 2:
        return [draft]
    slots = shared(draft.slot, [len(text) for text in texts], rate)
    parts = [Draft(text, slot, reader=draft.reader) for text, slot in zip(texts, slots, strict=True)]
    return [replace(parts[0], notes=draft.notes), *parts[1:]]


_NUMBER = re.compile(r"\d+")


def _told_once(doubts: Sequence[str]) -> list[str]:
    """Doubts of which those that differ by a number alone are said once, where they are many."""
    alike: dict[str, list[str]] = {}
    for doubt in doubts:
        alike.setdefault(_NUMBER.sub("#", doubt), []).append(doubt)
    made: list[str] = []
    for same in alike.values():
        if len(same) <= MOST_ALIKE:
            made += same
            continue
        numbers = [number[0] for doubt in same[1:MOST_ALIKE] if (number := _NUMBER.search(doubt))]
        told = (
            f"; the same with {', '.join(numbers)} and {len(same) - MOST_ALIKE} more"
            if numbers
            else f" ({len(same)} times)"
        )
        made.append(f"{same[0]}{told}")
    return made


def _order(drafts: Sequence[Draft]) -> list[str]:
    """What is odd about the times."""
    doubts, end = [], 0
    for number, draft in enumerate(drafts, start=1):
        if draft.slot is None:
            continue
        if draft.slot.start < end:
            doubts.append(f"line {number} begins before the line above it ends")
        end = max(end, draft.slot.end)
    return doubts
