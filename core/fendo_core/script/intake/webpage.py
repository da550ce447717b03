"""Web pages as paragraphs and tables in their order, without what is hidden, struck out, or not there to be read."""

import re
from html.parser import HTMLParser

from fendo_core.script.intake.documents import Block, Left, said_left_out
from fendo_core.script.intake.inquiry import Inquiry, ScriptRefused, enough
from fendo_core.script.intake.letters import decode
from fendo_core.script.intake.paragraph import Paragraph
from fendo_core.script.intake.tables import MOST_COLUMNS
from fendo_core.script.lines import paragraphs

_BEGINS = re.compile(rb"(?:\xef\xbb\xbf)?\s*(?:<!--.{0,400}?-->\s*)?<(?:!doctype\s+html|html\b)", re.IGNORECASE | re.DOTALL)
_CHARSET = re.compile(rb"<meta[^>]{0,200}charset=[\"']?([\w-]{3,20})", re.IGNORECASE)
_HEAD = 4096
LARGEST_PAGE = 4 << 20
"""Bytes: marks of a page cost more than words do."""

_UNREAD = frozenset(
    {"script", "style", "head", "title", "template", "noscript", "svg", "select", "textarea", "button", "nav"}
)
_STRUCK = frozenset({"del", "s", "strike"})
_HEADINGS = frozenset({"h1", "h2", "h3", "h4", "h5", "h6"})
_ITALICS = frozenset({"i", "em"})
_CELLS = frozenset({"td", "th"})
_PARTS = _HEADINGS | {
    "p", "div", "li", "ul", "ol", "dl", "dt", "dd", "blockquote", "section", "article", "header", "footer", "main", "aside",
    "figure", "figcaption", "pre", "hr", "address", "caption", "body",
}  # fmt: skip
"""What begins a paragraph, and ends the one before."""
_VOID = frozenset({"br", "hr", "img", "input", "meta", "link", "wbr", "col", "area", "base", "embed", "source", "track"})
_BESIDE = re.compile(r"\b(?:doc-)?(?:noteref|pagebreak|footnotes?|endnotes?|rearnotes?)\b")
"""Of a book (EPUB, DPUB-ARIA): numbers of pages and of notes, and the notes."""
_FOOTNOTE = re.compile(r"\b(?:footnote|endnote|rearnote)\b")
"""One of them, also inside of what holds them all."""
_HIDDEN = re.compile(r"display\s*:\s*none|visibility\s*:\s*hidden", re.IGNORECASE)
_THROUGH = re.compile(r"text-decoration[^;]{0,20}:[^;]{0,40}line-through", re.IGNORECASE)


def is_page(data: bytes) -> bool:
    """Whether a file is a web page."""
    return bool(_BEGINS.match(data[:_HEAD]))


def blocks(data: bytes, inquiry: Inquiry) -> tuple[str, list[Block]]:
    """How a page's letters are written, and what it shows.

    Raises:
        ScriptRefused: for a page that is far too large, or a table with more rows than a production holds lines.
    """
    if len(data) > LARGEST_PAGE:
        raise ScriptRefused(
            f"This web page is {len(data) >> 20} MB large; one may have {LARGEST_PAGE >> 20} MB. "
            "Copy its words, or save it as plain text."
        )
    text, encoding = _decoded(data, inquiry)
    page = _Page.of(text, whole=False)
    if page.left.is_wanted(inquiry):
        page = _Page.of(text, whole=True)
    said_left_out(page.left, inquiry)
    return encoding, page.blocks


def _decoded(data: bytes, inquiry: Inquiry) -> tuple[str, str]:
    said = _CHARSET.search(data[:_HEAD])
    if said:
        name = said[1].decode().lower()
        try:
            return data.decode(name), name
        except (UnicodeDecodeError, LookupError):
            pass
    return decode(data, inquiry)


class _Page(HTMLParser):
    """A page being read.

    Args:
        whole: hidden and struck words are kept.
    """

    @classmethod
    def of(cls, text: str, whole: bool) -> "_Page":
        """A page that was read."""
        page = cls(whole)
        page.feed(text)
        page.close()
        return page

    def __init__(self, whole: bool) -> None:
        super().__init__(convert_charrefs=True)
        self.blocks: list[Block] = []
        self.left = Left()
        self._whole = whole
        self._words: list[str] = []
        self._heading = False
        self._slanting, self._upright, self._slanted = 0, 0, 0
        """How many italics are open; letters of the paragraph outside and inside of them."""
        self._kept = 0
        """How many `pre` are open: there white counts."""
        self._muted, self._deep = "", 0
        self._rows: list[list[str]] | None = None
        """Of the table that is open; one inside of it is part of its cell."""
        self._tables = 0
        self._wide, self._high = 1, 1
        """Of the cell that is open: how many columns and rows it covers."""
        self._covered: dict[int, int] = {}
        """Of a column, the first row of the table that no cell above reaches into."""
        self._in_cell = False

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        """A tag that opens."""
        told = {name: value or "" for name, value in attrs}
        beside = f"{told.get('epub:type', '')} {told.get('role', '')}"
        self.left.notes += bool(_FOOTNOTE.search(beside))
        if self._muted:
            self._deep += tag == self._muted
            return
        style = told.get("style", "")
        struck = tag in _STRUCK or bool(_THROUGH.search(style))
        hidden = not struck and ("hidden" in told or bool(_HIDDEN.search(style)))
        unread = tag in _UNREAD or bool(_BESIDE.search(beside))
        if tag not in _VOID and (unread or ((struck or hidden) and not self._whole)):
            if not unread:
                self.left.struck += struck
                self.left.hidden += hidden
            self._muted, self._deep = tag, 1
        elif tag == "br":
            self._words.append("\n")
        elif tag in _ITALICS:
            self._slanting += 1
        elif tag == "table":
            self._tables += 1
            if self._tables == 1:
                self._end()
                self._rows, self._covered = [], {}
        elif self._rows is not None:
            self._in_table(tag, told)
        elif tag in _PARTS:
            self._end()
            self._heading = tag in _HEADINGS
            self._kept += tag == "pre"

    def _in_table(self, tag: str, told: dict[str, str]) -> None:
        assert self._rows is not None
        if self._tables == 1 and tag == "tr":
            self._end()
            self._rows.append([])
            enough(len(self._rows) - 1)
        elif self._tables == 1 and tag in _CELLS:
            self._end()
            self._wide = min(_span(told.get("colspan", "1")), MOST_COLUMNS)
            self._high = _span(told.get("rowspan", "1"))
            self._rows = self._rows or [[]]
            self._in_cell = True
        elif tag in _PARTS | _CELLS | {"tr"}:
            self._words.append("\n")

    def handle_endtag(self, tag: str) -> None:
        """A tag that closes."""
        if self._muted:
            self._deep -= tag == self._muted
            self._muted = self._muted if self._deep else ""
        elif tag in _ITALICS:
            self._slanting = max(0, self._slanting - 1)
        elif tag == "table" and self._tables:
            if self._tables == 1:
                self._end()
                rows = [row for row in self._rows or [] if any(row)]
                self.blocks += [rows] if rows else []
                self._rows = None
            self._tables -= 1
        elif self._rows is not None:
            if self._tables == 1 and tag in _CELLS | {"tr"}:
                self._end()
            elif tag in _PARTS:
                self._words.append("\n")
        elif tag in _PARTS:
            self._end()
            self._kept = max(0, self._kept - (tag == "pre"))

    def handle_data(self, data: str) -> None:
        """Words."""
        if not self._muted:
            slanted = len(data.strip()) if self._slanting else 0
            self._slanted += slanted
            self._upright += 0 if slanted else len(data.strip())
            self._words.append(data if self._kept else re.sub(r"[^\S\xa0]+", " ", data))

    def close(self) -> None:
        """The end of the page, with what was never closed."""
        super().close()
        if self._rows is not None:
            self._muted, self._tables = "", 1
            self.handle_endtag("table")
        self._end()

    def _end(self) -> None:
        """End the paragraph or the cell that is open."""
        words, self._words = self._words, []
        slanted = self._slanted > 0 and not self._upright
        self._slanted = self._upright = 0
        rows = paragraphs("".join(words))
        if self._rows is None:
            self.blocks += [Paragraph(row, heading=self._heading, slanted=slanted) for row in rows]
            self._heading = False
        elif self._in_cell and self._rows:
            row, number = self._rows[-1], len(self._rows) - 1
            while self._covered.get(len(row), 0) > number:
                row.append("")
            if self._high > 1:
                covered = range(len(row), min(len(row) + self._wide, MOST_COLUMNS))
                self._covered |= dict.fromkeys(covered, number + self._high)
            row += ["\n".join(rows), *[""] * (self._wide - 1)]
            self._in_cell = False


def _span(said: str) -> int:
    """How many columns or rows a cell covers."""
    return max(1, int(said)) if said.isascii() and said.isdigit() and len(said) < 5 else 1
