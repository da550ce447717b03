"""Word and OpenDocument texts as paragraphs and tables in their order, without hidden, struck and deleted words."""

import io
import zipfile
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from typing import Protocol, TypeAlias, TypeVar
from xml.etree.ElementTree import Element

from fendo_core.script.intake.archives import BROKEN, parts_of
from fendo_core.script.intake.inquiry import OUT_OR_READ, Inquiry, ScriptRefused, counted, enough
from fendo_core.script.intake.paragraph import Paragraph
from fendo_core.script.intake.tables import MOST_COLUMNS
from fendo_core.script.intake.wrapped import MOST_ROWS_A_LINE
from fendo_core.script.lines import paragraphs

Block: TypeAlias = Paragraph | list[list[str]]
"""A paragraph, or the rows of a table."""


@dataclass(slots=True)
class Left:
    """What was left out of a document."""

    hidden: int = 0
    struck: int = 0
    notes: int = 0
    """Of a book: footnotes."""

    def is_wanted(self, inquiry: Inquiry) -> bool:
        """Whether it is read all the same: asked, where there is any."""
        any_of_it = self.hidden or self.struck
        return bool(any_of_it) and inquiry.ask("struck", "what is hidden or struck out is", OUT_OR_READ, "out") == "in"


def _paragraphs(text: str, noted: Sequence[str], heading: bool = False) -> Iterator[Paragraph]:
    """The rows of a paragraph; what was noted goes with the first, or stands alone."""
    rows = paragraphs(text) or [""] * bool(noted)
    for place, row in enumerate(rows):
        yield Paragraph(row, "" if place else "\n".join(noted), heading=heading)


def _cell(blocks: Iterable[Block]) -> str:
    said = [block.text if isinstance(block, Paragraph) else _flat(block) for block in blocks]
    return "\n".join(filter(None, said))


class _Reader(Protocol):
    """A document being read."""

    left: Left

    def blocks(self, root: Element) -> Iterator[Block]: ...


R = TypeVar("R", bound=_Reader)


def _read(begin: Callable[[bool], R], body: Element, inquiry: Inquiry) -> tuple[R, list[Block]]:
    """What a document shows, or all of it when that is chosen; comments go with it when they are wanted.

    Args:
        begin: a reader, which keeps what is hidden and struck out or not.
        body: of the document.
        inquiry: asked about both.
    """
    reader = begin(False)
    blocks = list(reader.blocks(body))
    if reader.left.is_wanted(inquiry):
        reader = begin(True)
        blocks = list(reader.blocks(body))
    said_left_out(reader.left, inquiry)
    count = sum(len(block.notes.split("\n")) for block in blocks if isinstance(block, Paragraph) and block.notes)
    options = (("notes", "notes for the reader"), ("out", "left out"))
    if count and inquiry.ask("comments", counted(count, "comment is", "comments are"), options, "notes") == "out":
        blocks = [replace(block, notes="") if isinstance(block, Paragraph) else block for block in blocks]
    return reader, blocks


def _at_the_foot(notes: Sequence[Block], inquiry: Inquiry) -> list[Block]:
    said = [block for block in notes if isinstance(block, Paragraph) and block.text]
    if said:
        inquiry.doubt(f"{counted(len(said), 'note', 'notes')} at the foot of pages: lines at the end")
    return [*said]


def document(data: bytes, inquiry: Inquiry) -> tuple[str, list[Block]]:
    """What kind of archive this is, and its blocks in order.

    Raises:
        ScriptRefused: for archives that are no document, damaged or far too large.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            names = set(archive.namelist())
            if "word/document.xml" in names:
                wanted = ("document", "footnotes", "endnotes", "comments", "styles")
                return "Word document", _word(parts_of(archive, [f"word/{name}.xml" for name in wanted]), inquiry)
            if "content.xml" in names:
                return "OpenDocument text", _open_document(parts_of(archive, ["content.xml"])["content.xml"], inquiry)
    except ScriptRefused:
        raise
    except BROKEN as error:
        if isinstance(error, RecursionError):
            raise ScriptRefused("This document is nested too deep. Save it as plain text, then bring it in.") from error
        raise ScriptRefused("This document is damaged. Open it, save it again, and bring it in.") from error
    if any(name.endswith(".iwa") for name in names):
        raise ScriptRefused("This is a document that only its own program can open. Save it as .docx.")
    raise ScriptRefused("This is an archive but no document. Save the script as .docx, .odt or plain text.")


def said_left_out(left: Left, inquiry: Inquiry) -> None:
    """Say how much was left out."""
    gone = [
        counted(number, f"{what} passage", f"{what} passages")
        for number, what in ((left.hidden, "hidden"), (left.struck, "struck-out"))
        if number
    ]
    gone += [counted(left.notes, "footnote", "footnotes")] if left.notes else []
    if gone:
        inquiry.doubt(f"{' and '.join(gone)} left out")


# Word

_W = "{http://schemas.openxmlformats.org/wordprocessingml/2006/main}"
_FALLBACK = "{http://schemas.openxmlformats.org/markup-compatibility/2006}Fallback"


@dataclass(slots=True)
class _Word:
    keeps: bool
    left: Left
    comments: dict[str, str]
    headings: frozenset[str]
    """Styles of titles and headings."""

    def blocks(self, root: Element) -> Iterator[Block]:
        for child in root:
            if child.tag == f"{_W}p":
                yield from self.paragraphs(child)
            elif child.tag == f"{_W}tbl":
                yield self.table(child)
            elif child.tag not in (f"{_W}del", f"{_W}moveFrom", _FALLBACK, f"{_W}sectPr"):
                yield from self.blocks(child)

    def paragraphs(self, paragraph: Element) -> Iterator[Block]:
        noted: list[str] = []
        boxes: list[Element] = []
        text = "".join(self.runs(paragraph, noted, boxes))
        style = paragraph.find(f"{_W}pPr/{_W}pStyle")
        heading = style is not None and style.get(f"{_W}val", "") in self.headings
        rows = _paragraphs(text, noted, heading)
        lead = " ".join(self.lead(paragraph, "b").split())
        slanted = " ".join(self.lead(paragraph, "i").split()) == " ".join(text.split())
        for row in rows:
            yield replace(row, lead=lead if row.text.startswith(lead) else "", slanted=slanted)
        for box in boxes:
            yield from self.blocks(box)

    def lead(self, paragraph: Element, mark: str) -> str:
        """What stands in bold or in italics, `b` or `i`, in front."""
        marked = ""
        for run in paragraph.iter(f"{_W}r"):
            text = "".join(
                " " if part.tag == f"{_W}tab" else part.text or "" for part in run if part.tag in (f"{_W}t", f"{_W}tab")
            )
            told = run.find(f"{_W}rPr/{_W}{mark}")
            if text.strip() and (told is None or told.get(f"{_W}val", "1") in ("0", "false", "off")):
                return marked
            marked += text
        return marked

    def table(self, table: Element) -> list[list[str]]:
        rows = []
        for row in self.within(table, f"{_W}tr"):
            cells: list[str] = []
            for cell in self.within(row, f"{_W}tc"):
                span = cell.find(f"{_W}tcPr/{_W}gridSpan")
                wide = span.get(f"{_W}val", "1") if span is not None else "1"
                covered = min(int(wide), MOST_COLUMNS) - 1 if wide.isdecimal() else 0
                cells += [_cell(self.blocks(cell)), *[""] * covered]
            rows.append(cells)
        return rows

    def within(self, element: Element, tag: str) -> Iterator[Element]:
        """The parts of a table, also inside of fields and of changes."""
        for child in element:
            if child.tag == tag:
                yield child
            elif child.tag in (f"{_W}sdt", f"{_W}sdtContent", f"{_W}ins", f"{_W}customXml"):
                yield from self.within(child, tag)

    def runs(self, element: Element, noted: list[str], boxes: list[Element]) -> Iterator[str]:
        """The text of a paragraph: deleted runs left out, boxes of text put aside to be read on their own."""
        for child in element:
            tag = child.tag
            if tag in (f"{_W}del", f"{_W}moveFrom", f"{_W}pPr", f"{_W}rPr", _FALLBACK):
                continue
            if tag in (f"{_W}p", f"{_W}txbxContent"):
                boxes.append(element if tag == f"{_W}p" else child)
                if tag == f"{_W}p":
                    return
            elif tag == f"{_W}t":
                yield child.text or ""
            elif tag in (f"{_W}tab", f"{_W}cr"):
                yield " "
            elif tag == f"{_W}br":
                yield "\n"
            elif tag == f"{_W}noBreakHyphen":
                yield "-"
            elif tag == f"{_W}commentReference":
                noted += filter(None, [self.comments.get(child.get(f"{_W}id", ""))])
            elif tag == f"{_W}r" and not self.keeps and self.is_left_out(child):
                continue
            else:
                yield from self.runs(child, noted, boxes)

    def is_left_out(self, run: Element) -> bool:
        says = run.find(f"{_W}rPr")
        if says is None or not any((text.text or "").strip() for text in run.iter(f"{_W}t")):
            return False
        for mark, kind in (("vanish", "hidden"), ("strike", "struck"), ("dstrike", "struck")):
            found = says.find(f"{_W}{mark}")
            if found is not None and found.get(f"{_W}val", "1") not in ("0", "false", "off", "none"):
                setattr(self.left, kind, getattr(self.left, kind) + 1)
                return True
        return False


def _flat(rows: list[list[str]]) -> str:
    return "\n".join(cell for row in rows for cell in row if cell)


_HEADINGS = ("Title", "Subtitle", *(f"Heading{n}" for n in range(1, 10)))


def _headings(styles: Element | None) -> frozenset[str]:
    """The styles of titles and headings: in every language they are named in English inside."""
    named = [] if styles is None else styles.iter(f"{_W}style")
    found = [
        each.get(f"{_W}styleId", "")
        for each in named
        if (name := each.find(f"{_W}name")) is not None
        and name.get(f"{_W}val", "").lower().startswith(("heading", "title", "subtitle"))
    ]
    return frozenset((*_HEADINGS, *found))


def _word(parts: dict[str, Element], inquiry: Inquiry) -> list[Block]:
    body = parts["word/document.xml"]
    enough(sum(1 for _ in body.iter(f"{_W}p")) // MOST_ROWS_A_LINE)
    if next(body.iter(f"{_W}del"), None) is not None or next(body.iter(f"{_W}ins"), None) is not None:
        inquiry.doubt("the document has tracked changes: inserted words were taken, deleted ones left out")
    comments = {}
    if "word/comments.xml" in parts:
        for comment in parts["word/comments.xml"].iter(f"{_W}comment"):
            said = " ".join(t.text or "" for t in comment.iter(f"{_W}t"))
            comments[comment.get(f"{_W}id", "")] = " ".join(said.split())
    headings = _headings(parts.get("word/styles.xml"))
    reader, blocks = _read(lambda keeps: _Word(keeps, Left(), comments, headings), body, inquiry)
    for name in ("word/footnotes.xml", "word/endnotes.xml"):
        if name in parts:
            blocks += _at_the_foot(list(reader.blocks(parts[name])), inquiry)
    return blocks


# OpenDocument

_NS = "urn:oasis:names:tc:opendocument:xmlns:"
_TEXT, _TABLE, _OFFICE, _STYLE = (f"{{{_NS}{name}:1.0}}" for name in ("text", "table", "office", "style"))


@dataclass(slots=True)
class _OpenText:
    keeps: bool
    left: Left
    gone: dict[str, str]
    """Names of styles whose words are not shown, and why."""
    foot: list[Block] = field(default_factory=list)

    def blocks(self, root: Element) -> Iterator[Block]:
        for child in root:
            if child.tag in (f"{_TEXT}p", f"{_TEXT}h"):
                noted: list[str] = []
                text = "".join(self.runs(child, noted))
                yield from _paragraphs(text, noted, child.tag == f"{_TEXT}h")
            elif child.tag == f"{_TABLE}table":
                yield self.table(child)
            elif child.tag not in (f"{_TEXT}tracked-changes", f"{_OFFICE}annotation"):
                yield from self.blocks(child)

    def table(self, table: Element) -> list[list[str]]:
        rows = []
        for row in table.iter(f"{_TABLE}table-row"):
            cells: list[str] = []
            for cell in row:
                if cell.tag not in (f"{_TABLE}table-cell", f"{_TABLE}covered-table-cell"):
                    continue
                times = cell.get(f"{_TABLE}number-columns-repeated", "1")
                repeated = min(int(times), MOST_COLUMNS - len(cells)) if times.isdigit() else 1
                cells += [_cell(self.blocks(cell))] * max(0, repeated)
            rows.append(cells)
        return rows

    def runs(self, element: Element, noted: list[str]) -> Iterator[str]:
        if element.text:
            yield element.text
        for child in element:
            if child.tag in (f"{_TEXT}s", f"{_TEXT}tab"):
                yield " "
            elif child.tag == f"{_TEXT}line-break":
                yield "\n"
            elif child.tag == f"{_OFFICE}annotation":
                said = " ".join(" ".join(self.runs(each, [])) for each in child.iter(f"{_TEXT}p")).strip()
                noted += filter(None, [said])
            elif child.tag == f"{_TEXT}note":
                body = child.find(f"{_TEXT}note-body")
                if body is not None:
                    self.foot += self.blocks(body)
            elif child.tag == f"{_TEXT}hidden-text" or self.is_left_out(child):
                pass
            else:
                yield from self.runs(child, noted)
            if child.tail:
                yield child.tail

    def is_left_out(self, span: Element) -> bool:
        why = self.gone.get(span.get(f"{_TEXT}style-name", "")) if span.tag == f"{_TEXT}span" else None
        if not why or self.keeps:
            return False
        setattr(self.left, why, getattr(self.left, why) + 1)
        return True


def flowing(root: Element) -> list[str]:
    """The rows of text in a part of an OpenDocument file, as they are shown."""
    return [
        block.text for block in _OpenText(False, Left(), {}).blocks(root) if isinstance(block, Paragraph) and block.text
    ]


def _open_document(root: Element, inquiry: Inquiry) -> list[Block]:
    body = root.find(f"{_OFFICE}body/{_OFFICE}text")
    if body is None:
        raise ScriptRefused("This OpenDocument file is no text and no table. Save the script as .odt, .docx or plain text.")
    gone = {}
    for style in root.iter(f"{_STYLE}style"):
        says = style.find(f"{_STYLE}text-properties")
        if says is None:
            continue
        if says.get(f"{_TEXT}display") == "none":
            gone[style.get(f"{_STYLE}name", "")] = "hidden"
        elif (
            says.get(f"{_STYLE}text-line-through-style", "none") != "none"
            or says.get(f"{_STYLE}text-line-through-type", "none") != "none"
        ):
            gone[style.get(f"{_STYLE}name", "")] = "struck"
    reader, blocks = _read(lambda keeps: _OpenText(keeps, Left(), gone), body, inquiry)
    return [*blocks, *_at_the_foot(reader.foot, inquiry)]
