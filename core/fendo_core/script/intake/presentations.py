"""Presentations (PresentationML of ECMA-376, OpenDocument): the notes of each slide are what a course is read from."""

import io
import zipfile
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from xml.etree.ElementTree import Element

from fendo_core.script.intake.archives import BROKEN, OF_LINKS, linked, links_of, parts_of
from fendo_core.script.intake.documents import Block, flowing
from fendo_core.script.intake.inquiry import OUT_OR_READ, Inquiry, ScriptRefused, counted, enough
from fendo_core.script.intake.paragraph import Paragraph
from fendo_core.script.lines import paragraphs

_DRAWN = "{http://schemas.openxmlformats.org/drawingml/2006/main}"
_SHOWN = "{http://schemas.openxmlformats.org/presentationml/2006/main}"
_OPEN = "urn:oasis:names:tc:opendocument:xmlns:"
_OFFICE, _DRAW, _PRESENTED, _STYLE = (f"{{{_OPEN}{name}:1.0}}" for name in ("office", "drawing", "presentation", "style"))
_OF_WORDS = "ppt/presentation.xml"
_BESIDE = frozenset({"sldNum", "dt", "ftr", "hdr", "sldImg"})
"""Numbers, dates and pictures of slides: no words of theirs."""
_TITLES = frozenset({"title", "ctrTitle"})


@dataclass(frozen=True, slots=True)
class _Slide:
    """A slide: its title, the rows that it shows below it, the rows of its notes, and whether it is left out when shown."""

    title: str
    shown: tuple[str, ...]
    notes: tuple[str, ...]
    hidden: bool


def is_presentation(data: bytes) -> bool:
    """Whether an archive is a presentation."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            names = archive.namelist()
            kind = archive.read("mimetype")[:100] if names[:1] == ["mimetype"] else b""
    except BROKEN:
        return False
    return _OF_WORDS in names or kind.endswith(b"opendocument.presentation")


def blocks_of_slides(data: bytes, inquiry: Inquiry) -> list[Block]:
    """The notes of each slide below a heading with its number and title; or what it shows, where that is chosen.

    Raises:
        ScriptRefused: for presentations without words, damaged or far too large.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            is_open = _OF_WORDS not in archive.namelist()
            slides = list(_open_slides(archive) if is_open else _slides(archive))
    except BROKEN as error:
        raise ScriptRefused("This presentation is damaged. Open it, save it again, and bring it in.") from error
    enough(sum(len(slide.shown) + len(slide.notes) for slide in slides))
    numbered = list(enumerate(slides, start=1))
    hidden = sum(slide.hidden for slide in slides)
    if (
        hidden
        and inquiry.ask("hidden", counted(hidden, "hidden slide is", "hidden slides are"), OUT_OR_READ, "out") == "out"
    ):
        numbered = [(number, slide) for number, slide in numbered if not slide.hidden]
    options = (("notes", "its notes"), ("shown", "what it shows"))
    likeliest = "notes" if any(slide.notes for _, slide in numbered) else "shown"
    wants_notes = inquiry.ask("slides", "what is read of each slide is", options, likeliest) == "notes"
    read = [(number, slide.title, slide.notes if wants_notes else slide.shown) for number, slide in numbered]
    without = sum(not rows for *_, rows in read)
    if without == len(read):
        raise ScriptRefused("There are no words in this presentation. Its script may be in a document of its own.")
    if without:
        what = "notes" if wants_notes else "words below their title"
        inquiry.doubt(f"{counted(without, 'slide', 'slides')} without {what} left out")
    return [block for number, title, rows in read if rows for block in _blocks(number, title, rows)]


def _blocks(number: int, title: str, rows: Sequence[str]) -> Iterator[Paragraph]:
    yield Paragraph(f"Slide {number}: {title}" if title else f"Slide {number}", heading=True)
    yield from map(Paragraph, rows)


def _slides(archive: zipfile.ZipFile) -> Iterator[_Slide]:
    """The slides of PresentationML in the order in which they are shown."""
    main = parts_of(archive, [_OF_WORDS, links_of(_OF_WORDS)])
    places = linked(main, _OF_WORDS)
    paths = [places.get(each.get(f"{OF_LINKS}id", ""), "") for each in main[_OF_WORDS].iter(f"{_SHOWN}sldId")]
    enough(len(paths))
    links = parts_of(archive, map(links_of, paths))
    beside = {path: next((to for to in linked(links, path).values() if "notesSlide" in to), "") for path in paths}
    parts = parts_of(archive, dict.fromkeys([*paths, *beside.values()]))
    for path in paths:
        if path not in parts:
            continue
        slide = list(_shapes(parts[path]))
        title = next((rows for kind, rows in slide if kind in _TITLES), ())
        shown = [row for kind, rows in slide if kind not in _TITLES for row in rows]
        noted = list(_shapes(parts[beside[path]])) if beside[path] in parts else []
        notes = [row for kind, rows in noted if kind == "body" for row in rows]
        yield _Slide(" ".join(title), tuple(shown), tuple(notes), parts[path].get("show", "1") in ("0", "false"))


def _shapes(root: Element) -> Iterator[tuple[str, tuple[str, ...]]]:
    """The rows of text in each shape, and what it holds a place for (“” for none)."""
    for shape in root.iter(f"{_SHOWN}sp"):
        place = shape.find(f"{_SHOWN}nvSpPr/{_SHOWN}nvPr/{_SHOWN}ph")
        kind = place.get("type", "obj") if place is not None else ""
        words = shape.find(f"{_SHOWN}txBody")
        if words is not None and kind not in _BESIDE:
            yield kind, tuple(row for each in words.iter(f"{_DRAWN}p") for row in paragraphs("".join(_runs(each))))


def _runs(paragraph: Element) -> Iterator[str]:
    for part in paragraph:
        if part.tag == f"{_DRAWN}br":
            yield "\n"
        elif part.tag in (f"{_DRAWN}r", f"{_DRAWN}fld"):
            yield part.findtext(f"{_DRAWN}t") or ""


def _open_slides(archive: zipfile.ZipFile) -> Iterator[_Slide]:
    """The slides of an OpenDocument presentation."""
    root = parts_of(archive, ["content.xml"]).get("content.xml")
    body = root.find(f"{_OFFICE}body/{_OFFICE}presentation") if root is not None else None
    if root is None or body is None:
        raise ScriptRefused("There are no slides in this presentation. Open it, save it again, and bring it in.")
    unseen = {
        style.get(f"{_STYLE}name")
        for style in root.iter(f"{_STYLE}style")
        for says in style.iter(f"{_STYLE}drawing-page-properties")
        if says.get(f"{_PRESENTED}visibility") == "hidden"
    }
    for page in body.iter(f"{_DRAW}page"):
        below = page.find(f"{_PRESENTED}notes")
        inside = set(below.iter(f"{_DRAW}frame")) if below is not None else set()
        frames = [(frame.get(f"{_PRESENTED}class", ""), frame) for frame in page.iter(f"{_DRAW}frame")]
        title = [row for kind, frame in frames if kind == "title" and frame not in inside for row in flowing(frame)]
        shown = [row for kind, frame in frames if kind != "title" and frame not in inside for row in flowing(frame)]
        notes = [row for kind, frame in frames if kind == "notes" and frame in inside for row in flowing(frame)]
        yield _Slide(" ".join(title), tuple(shown), tuple(notes), page.get(f"{_DRAW}style-name") in unseen)
