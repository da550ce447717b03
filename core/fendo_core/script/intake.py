"""Scripts from files: plain text, Markdown, Word documents, tables with times, subtitles.

A file becomes drafts of lines, with a slot where the file knows one, and a list of what was doubtful. Nothing is changed by
reading: the drafts are shown first. No word of the file is lost; what can't be understood as a time is kept as words.
"""

import csv
import io
import re
import zipfile
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from itertools import islice
from pathlib import PurePath
from typing import Literal, TypeAlias
from xml.etree.ElementTree import Element

from charset_normalizer import from_bytes
from defusedxml import DefusedXmlException
from defusedxml.ElementTree import ParseError, fromstring

from fendo_core.script.lines import LONGEST_NOTES, LONGEST_TEXT, MOST_LINES, Draft, paragraphs, shared
from fendo_core.script.splitting import split
from fendo_core.timebase import SAMPLE_RATE, FrameRate, Span, TimecodeError, parse_timecode

Kind: TypeAlias = Literal["plain text", "Markdown", "Word document", "table", "SubRip subtitles", "WebVTT subtitles"]
LARGEST_FILE = 20 << 20
LARGEST_DOCUMENT = 24 << 20
"""Bytes of XML in a Word document once unpacked."""
MOST_COLUMNS = 200
LONGEST_CELL = 1 << 20
"""Characters of a cell of a table: more is a quotation mark that was opened and never closed."""
COLUMNS = ("start", "end", "words", "notes", "reader")
Columns: TypeAlias = tuple[int | None, int | None, int | None, int | None, int | None]
"""Which column of a table holds each of `COLUMNS`."""
MOST_DOUBTS = 50
_SNIFFED = 8192


class ScriptRefused(ValueError):
    """A file no script can be made of; the message says why and what to do."""


@dataclass(frozen=True, slots=True)
class Intake:
    """What a file holds.

    Attributes:
        kind: what it was taken for.
        encoding: how its letters were written ("" for a Word document).
        drafts: the lines, in order.
        doubts: what a person should look at, in words.
        header: the columns of a table as they are named in it (empty for other kinds).
        columns: which column is taken for each of `COLUMNS` (index, or None).
    """

    kind: Kind
    encoding: str
    drafts: tuple[Draft, ...]
    doubts: tuple[str, ...] = ()
    header: tuple[str, ...] = ()
    columns: Columns = (None, None, None, None, None)


def read_script(
    name: str,
    data: bytes,
    rate: FrameRate,
    start_frame: int = 0,
    columns: Columns | None = None,
    longest: int | None = None,
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

    Raises:
        ScriptRefused: for what is no script, too large, or empty.
    """
    if len(data) > LARGEST_FILE:
        raise ScriptRefused(f"This file is {len(data) >> 20} MB large; a script may have {LARGEST_FILE >> 20} MB.")
    clock = _Clock(rate, start_frame)
    if data[:4] == b"PK\x03\x04":
        found = _document(data)
    elif b"\0" in data[:_SNIFFED] and not data.startswith((b"\xff\xfe", b"\xfe\xff")) and _utf16_without_mark(data) is None:
        raise ScriptRefused("This is no text. Fendo reads plain text, Markdown, Word documents, tables and subtitles.")
    else:
        text, encoding, doubts = decode(data)
        found = _text(PurePath(name).suffix.lower(), text, encoding, doubts, clock, columns)
    drafts = [draft for draft in found.drafts if draft.text]
    if not drafts:
        raise ScriptRefused("There are no words in this file.")
    drafts, more = _short_enough(drafts)
    if longest is not None:
        drafts = [part for draft in drafts for part in _breaths(draft, longest, rate)]
    if len(drafts) > MOST_LINES:
        raise ScriptRefused(f"This file makes {len(drafts)} lines; a production holds at most {MOST_LINES}.")
    doubts = [*found.doubts, *more, *_order(drafts)]
    if len(doubts) > MOST_DOUBTS:
        doubts = [*doubts[:MOST_DOUBTS], f"… and {len(doubts) - MOST_DOUBTS} more of this kind"]
    return replace(found, drafts=tuple(drafts), doubts=tuple(doubts))


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


# Letters


def _utf16_without_mark(data: bytes) -> str | None:
    """UTF-16 that does not say so: of mostly Latin text every second byte is zero."""
    sample = data[:_SNIFFED]
    half = max(1, len(sample) // 2)
    even, odd = sample[::2].count(0) / half, sample[1::2].count(0) / half
    if odd > 0.4 and even < 0.1:
        return "utf-16-le"
    return "utf-16-be" if even > 0.4 and odd < 0.1 else None


def decode(data: bytes) -> tuple[str, str, list[str]]:
    """Text of a file in any encoding met in practice: (text, name of the encoding, doubts).

    A byte order mark decides, then UTF-8 if it is valid, then UTF-16 by its zero bytes; of the one-byte encodings the one
    in which the text looks most like writing is taken, and said.
    """
    for mark, name in ((b"\xef\xbb\xbf", "utf-8-sig"), (b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16")):
        if data.startswith(mark):
            text = data.decode(name, "replace")
            return text, name, _torn(text)
    wide = _utf16_without_mark(data)
    if wide:
        text = data.decode(wide, "replace")
        return text, wide, _torn(text)
    try:
        return data.decode("utf-8"), "utf-8", []
    except UnicodeDecodeError:
        pass
    best = from_bytes(data[: 256 << 10], cp_isolation=["cp1252", "mac_roman"]).best()
    name = best.encoding if best else "cp1252"
    text = data.decode(name, "replace")
    said = {"cp1252": "Windows-1252", "mac_roman": "Mac Roman"}.get(name, name)
    return text, name, [f"the file does not say how its letters are written; they were read as {said}", *_torn(text)]


def _torn(text: str) -> list[str]:
    count = text.count("\ufffd")
    return (
        [f"{count} letter{'s' if count > 1 else ''} could not be read and stand{'s' if count == 1 else ''} as \ufffd"]
        if count
        else []
    )


# Times


@dataclass(frozen=True, slots=True)
class _Clock:
    rate: FrameRate
    start_frame: int

    def sample(self, text: str) -> int | None:
        """Programme sample of a written time; None for what is none.

        `00:01:02:03` and `00:01:02;03` are timecodes, `1:02:03,250`, `02:03.25` and `62.5` running times.
        """
        text = text.strip()
        try:
            frame = parse_timecode(text, self.rate)
        except TimecodeError:
            return self._running(text)
        if frame >= self.start_frame:
            frame -= self.start_frame
        return self.rate.first_sample(frame)

    def _running(self, text: str) -> int | None:
        match = re.fullmatch(r"(?:(?:(\d{1,3}):)?(\d{1,3}):)?(\d{1,6})(?:[.,](\d{1,6}))?", text)
        if not match:
            return None
        hours, minutes, seconds, rest = match.groups()
        # A fraction is a fraction: `0:00:05,25` is five and a quarter seconds, not five seconds and 25 thousandths.
        fraction = int(rest or 0) * SAMPLE_RATE // int("1" + "0" * len(rest or ""))
        sample = (int(hours or 0) * 3600 + int(minutes or 0) * 60 + int(seconds)) * SAMPLE_RATE + fraction
        start: int = self.rate.first_sample(self.start_frame)
        return sample - start if hours and 0 < start <= sample else sample

    def slot(self, start: int | None, end: int | None, what: str, doubts: list[str]) -> Span | None:
        """A slot on whole frames, or none and a doubt."""
        if start is None and end is None:
            return None
        if start is None or end is None:
            doubts.append(f"{what} has a {'start' if end is None else 'end'} only, so it gets no slot")
            return None
        # The nearest frame: a time in thousandths may lie just before the frame that it means.
        half = self.rate.first_sample(1) // 2
        first, last = self.rate.snap(start + half), self.rate.snap(end + half)
        if last <= first:
            doubts.append(f"{what} ends before it begins, so it gets no slot")
            return None
        return Span(first, last)


# Plain text, Markdown


def _text(
    ending: str,
    text: str,
    encoding: str,
    doubts: list[str],
    clock: _Clock,
    columns: Columns | None,
) -> Intake:
    body = text.lstrip("\ufeff")
    if body[:6] == "WEBVTT":
        return _subtitles("WebVTT subtitles", body, encoding, doubts, clock)
    if ending == ".srt" or (ending != ".csv" and _CUE.search(body)):
        return _subtitles("SubRip subtitles", body, encoding, doubts, clock)
    if ending in (".csv", ".tsv", ".tab") or columns is not None:
        return _table(body, encoding, doubts, clock, columns)
    if ending in (".md", ".markdown"):
        drafts = [Draft(words) for words in map(_unmarked, _joined_rows(body)) if words]
        return Intake("Markdown", encoding, tuple(drafts), tuple(doubts))
    return Intake("plain text", encoding, tuple(Draft(words) for words in paragraphs(body)), tuple(doubts))


def _joined_rows(text: str) -> Iterable[str]:
    """Markdown's paragraphs: rows that follow one another are one, but headings, items and quotes begin anew."""
    held: list[str] = []
    for row in [*text.splitlines(), ""]:
        begins = re.match(r"\s*(#{1,6}\s|[-*+]\s|\d+[.)]\s|>|\|)", row)
        if (not row.strip() or begins) and held:
            yield " ".join(held)
            held = []
        if row.strip() and not re.fullmatch(r"\s*([-*_=])(\s*\1){2,}\s*", row):
            held.append(row)


_LONGEST_MARKED = 50_000


def _unmarked(text: str) -> str:
    """The words without Markdown's marks; a link keeps its words. What is far too long for a paragraph keeps them."""
    if len(text) > _LONGEST_MARKED:
        return " ".join(paragraphs(text))
    text = re.sub(r"^\s*(#{1,6}\s+|[-*+]\s+|\d+[.)]\s+|(>\s*)+)", "", text)
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


# Subtitles

_CUE = re.compile(
    r"^[ \t]*(-?[\d:.,;]{4,15})[ \t]*-->[ \t]*(-?[\d:.,;]{4,15})(?:[ \t]+[^\n]*)?$",
    re.MULTILINE,
)
_ENTITIES = {"&lt;": "<", "&gt;": ">", "&nbsp;": " ", "&lrm;": "", "&rlm;": "", "&amp;": "&"}


def _subtitles(kind: Kind, text: str, encoding: str, doubts: list[str], clock: _Clock) -> Intake:
    text = re.sub(r"\n[ \t\n]*\n", "\n\n", text.replace("\r\n", "\n").replace("\r", "\n"))
    cues = list(islice(_CUE.finditer(text), MOST_LINES + 1))
    if len(cues) > MOST_LINES:
        raise ScriptRefused(f"This file has more than {MOST_LINES} cues; a production holds at most as many lines.")
    doubts = list(doubts)
    drafts: list[Draft] = []
    before = text[: cues[0].start()] if cues else text
    lead = _lead(kind, before)
    if lead:
        doubts.append("words before the first cue became lines without a slot")
        drafts += [Draft(words) for words in lead]
    for number, cue in enumerate(cues):
        end = cues[number + 1].start() if number + 1 < len(cues) else len(text)
        rows = text[cue.end() : end].strip("\n").split("\n")
        if number + 1 < len(cues):
            rows = _without_counter(rows)
        shown, notes = _without_notes(kind, rows)
        words = " ".join(paragraphs("\n".join(_said(row) for row in shown)))
        what = f"cue {number + 1}"
        start, finish = clock.sample(cue[1]), clock.sample(cue[2])
        if start is None or finish is None:
            doubts.append(f"{what} has a time that is none, so it gets no slot")
            slot = None
        else:
            slot = clock.slot(start, finish, what, doubts)
        if not words and not notes:
            doubts.append(f"{what} has no words and was left out")
        drafts.append(Draft(words, slot))
        drafts += [Draft(note) for note in notes]
    return Intake(kind, encoding, tuple(drafts), tuple(doubts))


def _lead(kind: Kind, before: str) -> list[str]:
    """Words before the first cue: a counter and WebVTT's head are none."""
    blocks = re.split(r"\n\s*\n", before.strip("\n"))
    kept: list[str] = []
    for place, block in enumerate(blocks):
        rows = block.split("\n")
        if kind == "WebVTT subtitles" and (
            (place == 0 and rows[0].startswith("WEBVTT")) or rows[0].startswith(("STYLE", "REGION"))
        ):
            continue
        if place == len(blocks) - 1:
            rows = _without_counter(rows)
        kept += rows
    return paragraphs("\n".join(kept))


def _without_counter(rows: list[str]) -> list[str]:
    """Rows between two cues without the next cue's number, which stands alone before its times."""
    last = len(rows)
    while last and not rows[last - 1].strip():
        last -= 1
    rows = rows[:last]
    if rows and rows[-1].strip().isdigit() and (len(rows) == 1 or not rows[-2].strip()):
        return rows[:-1]
    return rows


def _without_notes(kind: Kind, rows: list[str]) -> tuple[list[str], list[str]]:
    """WebVTT's comments are words of somebody, but not of this cue: they become lines of their own."""
    if kind != "WebVTT subtitles":
        return rows, []
    shown: list[str] = []
    notes: list[str] = []
    for block in re.split(r"\n\s*\n", "\n".join(rows)):
        if block.startswith("NOTE"):
            notes += paragraphs(block[4:])
        elif not block.startswith(("STYLE", "REGION")):
            shown += block.split("\n")
    return shown, notes


def _said(row: str) -> str:
    """The words of a row of a cue: tags off, entities spoken, a voice tag's name kept out."""
    row = re.sub(r"</?(?:[ibu]|c|v|ruby|rt|lang|font)(?:[. ][^<>]*)?>|<\d[\d:.]*>|\{\\an?\d\}", "", row)
    for written, meant in _ENTITIES.items():
        row = row.replace(written, meant)
    return row


# Tables

_NAMES: dict[str, tuple[str, ...]] = {
    "start": (
        "start",
        "in",
        "from",
        "begin",
        "starts at",
        "time in",
        "tc in",
        "timecode in",
        "timecode",
        "time",
        "von",
        "début",
    ),
    "end": ("end", "out", "to", "until", "ends at", "time out", "tc out", "timecode out", "bis", "fin"),
    "words": ("words", "text", "line", "script", "narration", "dialogue", "voice over", "vo", "speech", "sprechtext"),
    "notes": ("notes", "note", "direction", "directions", "remarks", "comment", "comments", "hinweis", "anmerkung"),
    "reader": ("reader", "voice", "speaker", "role", "character", "artist", "talent", "sprecher", "rolle"),
}


def _table(
    text: str,
    encoding: str,
    doubts: list[str],
    clock: _Clock,
    columns: Columns | None,
) -> Intake:
    doubts = list(doubts)
    head = "\n".join(text.splitlines()[:40])
    separator = max("\t;,|", key=head.count)
    csv.field_size_limit(LONGEST_CELL)
    rows = []
    try:
        for row in csv.reader(io.StringIO(text, newline=""), delimiter=separator):
            if len(row) > MOST_COLUMNS:
                raise ScriptRefused(f"This table has {len(row)} columns; a script has {MOST_COLUMNS} at most.")
            if any(map(str.strip, row)):
                rows.append(row)
            if len(rows) > 2 * MOST_LINES:
                raise ScriptRefused(f"This table has more than {2 * MOST_LINES} rows; a script has {MOST_LINES} at most.")
    except csv.Error as error:
        why = "a quotation mark is opened and never closed" if "field larger" in str(error) else str(error)
        raise ScriptRefused(f"This table can't be read ({why}). Save it again as CSV, then bring it in.") from error
    if not rows:
        return Intake("table", encoding, ())
    width = max(map(len, rows))
    rows = [row + [""] * (width - len(row)) for row in rows]
    named = _named(rows[0])
    has_header = bool(named) and not any(clock.sample(cell) is not None for cell in rows[0])
    header = tuple(rows[0]) if has_header else tuple(f"column {n + 1}" for n in range(width))
    body = rows[1:] if has_header else rows
    chosen = columns or _columns(named if has_header else {}, body, clock, width)
    start, end, words, notes, reader = (None if n is None or not 0 <= n < width else n for n in chosen)
    if words is None:
        raise ScriptRefused("No column of this table holds words. Choose the one that does.")
    drafts = []
    for number, row in enumerate(body, start=2 if has_header else 1):
        said = " ".join(paragraphs(_unguarded(row[words])))
        times = [None if n is None or not row[n].strip() else clock.sample(row[n]) for n in (start, end)]
        for n, time in zip((start, end), times, strict=True):
            if n is not None and row[n].strip() and time is None:
                doubts.append(f"row {number}: “{row[n].strip()[:20]}” is no time")
        if not said:
            if any(time is not None for time in times):
                doubts.append(f"row {number} has a time but no words and was left out")
            elif notes is not None and row[notes].strip():
                doubts.append(f"row {number} has a note but no words and was left out")
            continue
        noted = _cell(row[notes]) if notes is not None else ""
        if len(noted) > LONGEST_NOTES:
            doubts.append(f"row {number}: of its note the first {LONGEST_NOTES} characters are kept")
        slot = clock.slot(times[0], times[1], f"row {number}", doubts) if start is not None and end is not None else None
        by = " ".join(paragraphs(_unguarded(row[reader])))[:80] if reader is not None else ""
        drafts.append(Draft(said, slot, noted[:LONGEST_NOTES], by))
    left = [
        name
        for n, name in enumerate(header)
        if n not in (start, end, words, notes, reader) and any(row[n].strip() for row in body)
    ]
    if left:
        doubts.append(f"left out: the column{'s' if len(left) > 1 else ''} {', '.join(left)}")
    if start is not None and end is None:
        doubts.append("the table says where lines begin but not where they end, so they get no slots")
    return Intake("table", encoding, tuple(drafts), tuple(doubts), header, (start, end, words, notes, reader))


def _unguarded(cell: str) -> str:
    """A cell without the apostrophe that keeps spreadsheets from taking it for a formula."""
    return re.sub(r"^'(?=[=+\-@])", "", cell)


def _cell(cell: str) -> str:
    """A cell of several rows, as notes may have them."""
    return "\n".join(paragraphs(_unguarded(cell)))


def _named(row: Sequence[str]) -> dict[str, int]:
    """Which column a header names, by the trade's usual words."""
    found: dict[str, int] = {}
    cells = [cell.strip().lower() for cell in row]
    for kind, names in _NAMES.items():
        # The surest name first: a column “line” holds numbers as often as words.
        for name in names:
            if name in cells and cells.index(name) not in found.values():
                found.setdefault(kind, cells.index(name))
    return found


def _columns(named: dict[str, int], body: Sequence[Sequence[str]], clock: _Clock, width: int) -> Columns:
    """Which column holds what: by name, else the first columns of times, and of the others the one with most letters."""

    def share(index: int, holds: Callable[[str], bool]) -> float:
        cells = [row[index] for row in body[:200] if row[index].strip()]
        return sum(map(holds, cells)) / len(cells) if cells else 0.0

    times = [n for n in range(width) if share(n, lambda cell: ":" in cell and clock.sample(cell) is not None) > 0.6]
    start = named.get("start", times[0] if times else None)
    end = named.get("end", next((n for n in times if n != start), None))
    rest = [n for n in range(width) if n not in (start, end, named.get("notes"), named.get("reader"))]
    letters = {n: sum(sum(c.isalpha() for c in row[n]) for row in body[:200]) for n in rest}
    wordy = max(rest, key=lambda n: letters[n], default=None)
    if wordy is not None and not letters[wordy]:
        wordy = None
    return start, end, named.get("words", wordy), named.get("notes"), named.get("reader")


# Word documents

_W = "{http://schemas.openxmlformats.org/wordprocessingml/2006/main}"


def _document(data: bytes) -> Intake:
    """The paragraphs of a .docx in order: tables cell by cell, deleted words left out, inserted ones and notes kept."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            names = {info.filename: info for info in archive.infolist()}
            if "word/document.xml" not in names:
                raise ScriptRefused("This is an archive but no Word document. Save the script as .docx or as plain text.")
            wanted = [name for name in ("word/document.xml", "word/footnotes.xml", "word/endnotes.xml") if name in names]
            if sum(names[name].file_size for name in wanted) > LARGEST_DOCUMENT:
                raise ScriptRefused("This document unpacks to far more than a script can be. It was not opened.")
            parts: dict[str, Element] = {}
            for name in wanted:
                with archive.open(name) as part:
                    # The size in the directory may lie: no more than the limit is ever unpacked.
                    raw = part.read(LARGEST_DOCUMENT + 1)
                if len(raw) > LARGEST_DOCUMENT:
                    raise ScriptRefused("This document unpacks to far more than a script can be. It was not opened.")
                parts[name] = fromstring(raw)
    except ScriptRefused:
        raise
    except (
        zipfile.BadZipFile,
        OSError,
        EOFError,
        NotImplementedError,
        RuntimeError,
        ParseError,
        DefusedXmlException,
        RecursionError,
    ) as error:
        raise ScriptRefused("This Word document is damaged. Open it, save it again, and bring it in.") from error
    try:
        return _of_document(parts)
    except RecursionError as error:
        raise ScriptRefused("This Word document is nested too deep. Save it as plain text, then bring it in.") from error


def _of_document(parts: dict[str, Element]) -> Intake:
    doubts = []
    body = parts["word/document.xml"]
    if next(body.iter(f"{_W}del"), None) is not None or next(body.iter(f"{_W}ins"), None) is not None:
        doubts.append("the document has tracked changes: inserted words were taken, deleted ones left out")
    drafts = [Draft(words) for words in _document_paragraphs(body)]
    for name in ("word/footnotes.xml", "word/endnotes.xml"):
        notes = _document_paragraphs(parts[name]) if name in parts else []
        if notes:
            doubts.append(f"{len(notes)} notes at the foot of pages stand as lines at the end")
            drafts += [Draft(words) for words in notes]
    return Intake("Word document", "", tuple(drafts), tuple(doubts))


def _document_paragraphs(root: Element) -> list[str]:
    found = []
    for paragraph in root.iter(f"{_W}p"):
        text = "".join(_runs(paragraph))
        found += paragraphs(text)
    return found


def _runs(element: Element) -> Iterable[str]:
    """The text of a paragraph: deleted runs and paragraphs inside (text boxes, read on their own) left out."""
    for child in element:
        if child.tag in (f"{_W}del", f"{_W}moveFrom", f"{_W}p", f"{_W}pPr"):
            continue
        if child.tag == f"{_W}t":
            yield child.text or ""
        elif child.tag in (f"{_W}tab", f"{_W}cr"):
            yield " "
        elif child.tag == f"{_W}br":
            yield "\n"
        elif child.tag == f"{_W}noBreakHyphen":
            yield "-"
        else:
            yield from _runs(child)
