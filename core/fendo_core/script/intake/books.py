"""Electronic books (EPUB 3.3, W3C): the chapters that a reader is led through, as paragraphs, all of them or one."""

import io
import posixpath
import re
import zipfile
from collections.abc import Sequence
from urllib.parse import unquote
from xml.etree.ElementTree import Element

from fendo_core.script.intake.archives import BROKEN, parts_of
from fendo_core.script.intake.documents import Block
from fendo_core.script.intake.inquiry import NOTES_OR_WORDS, Inquiry, ScriptRefused, counted, enough
from fendo_core.script.intake.paragraph import Paragraph, to_notes
from fendo_core.script.intake.webpage import LARGEST_PAGE, blocks

_CONTAINER = "META-INF/container.xml"
_OPF = "{http://www.idpf.org/2007/opf}"
_ROOT = "{urn:oasis:names:tc:opendocument:xmlns:container}rootfile"
_LOCKED = "META-INF/encryption.xml"
_FONTS = re.compile(r"\.(?:otf|ttf|woff2?)$", re.IGNORECASE)
_AROUND = re.compile(
    rb"<(?:body|section|nav)\b[^<>]{0,400}epub:type=\"[^\"]{0,60}\b(?:cover|titlepage|halftitlepage|copyright-page|toc|landmarks|"
    rb"colophon|index)\b"
)
"""What stands around the chapters, where a book says so."""
MOST_CHAPTERS, _LONGEST_NAME = 500, 60
_LARGEST_PACKAGE = 2 << 20
"""Bytes of the list of its parts."""


def is_book(data: bytes) -> bool:
    """Whether a file is an electronic book."""
    return data[30:58] == b"mimetypeapplication/epub+zip" or (
        data.startswith(b"PK\x03\x04") and _CONTAINER.encode() in data and b".opf" in data
    )


def words_of_book(data: bytes, inquiry: Inquiry) -> list[Paragraph]:
    """The paragraphs of the chapters in their order, with what these are called, or of the one that is chosen.

    Raises:
        ScriptRefused: for a book that is locked, damaged, or far too large.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            _unlocked(archive)
            pages, around = _parted(archive, _spine(archive))
    except BROKEN as error:
        raise ScriptRefused("This electronic book is damaged. Save its words as plain text, and bring that in.") from error
    if around:
        inquiry.doubt(f"left out {counted(around, 'page', 'pages')} around the chapters: title, copyright, contents")
    chapters: list[list[Paragraph]] = []
    count = 0
    for page in pages:
        words = _words(blocks(page, inquiry)[1])
        count += len(words)
        enough(count)
        if words:
            chapters.append(words)
    if len(chapters) > 1:
        names = [f"“{_called(found).text[:_LONGEST_NAME]}”" for found in chapters]
        options = (("all", "all chapters"), *((str(n), name) for n, name in enumerate(names)))
        chosen = inquiry.ask("chapter", "read from the book", options, "all")
        if chosen != "all":
            chapters = [chapters[int(chosen)]]
    found = [each for chapter in chapters for each in chapter]
    headings = [each for each in found if each.heading]
    if not headings or len(headings) == len(found):
        return found
    asked = f"“{headings[0].text[:_LONGEST_NAME]}”{' …' if len(headings) > 1 else ''}, above the words, is"
    # Who reads a book reads the names of its chapters, too.
    if inquiry.ask("headings", asked, NOTES_OR_WORDS, "words") == "words":
        return found
    return to_notes(found, [each.heading for each in found])


def _words(found: Sequence[Block]) -> list[Paragraph]:
    """Paragraphs and cells with words, without the stars between parts."""
    told: list[Paragraph] = []
    for block in found:
        if isinstance(block, Paragraph):
            told.append(block)
        else:
            told += [Paragraph(" ".join(cell.split())) for row in block for cell in row]
    return [each for each in told if any(map(str.isalnum, each.text))]


def _called(chapter: Sequence[Paragraph]) -> Paragraph:
    """What a chapter is called: its heading, or its first words."""
    return next((each for each in chapter if each.heading), chapter[0])


def _unlocked(archive: zipfile.ZipFile) -> None:
    if _LOCKED not in archive.namelist():
        return
    for part in parts_of(archive, [_LOCKED]).values():
        if any(not _FONTS.search(each.get("URI", "")) for each in part.iter() if each.get("URI")):
            raise ScriptRefused(
                "This electronic book is locked by who sells it. Ask the client for its words as a document."
            )


def _spine(archive: zipfile.ZipFile) -> list[str]:
    """The names of the pages that a reader is led through, in their order."""
    container = parts_of(archive, [_CONTAINER])[_CONTAINER]
    root = next((each.get("full-path", "") for each in container.iter(_ROOT)), "")
    if any(info.filename == root and info.file_size > _LARGEST_PACKAGE for info in archive.infolist()):
        raise ScriptRefused("This electronic book lists far more parts than one has. It was not opened.")
    package = parts_of(archive, [root]).get(root)
    if package is None:
        raise zipfile.BadZipFile("no package")
    items = {each.get("id", ""): each for each in package.iter(f"{_OPF}item")}
    led = [
        items[each.get("idref", "")]
        for each in package.iter(f"{_OPF}itemref")
        if each.get("linear") != "no" and each.get("idref", "") in items
    ]
    if len(led) > MOST_CHAPTERS:
        raise ScriptRefused(f"This book has {len(led)} parts; {MOST_CHAPTERS} can be read at once.")
    return [_path(root, each) for each in led if "html" in each.get("media-type", "") and not _is_contents(each)]


def _is_contents(item: Element) -> bool:
    return "nav" in item.get("properties", "").split()


def _path(root: str, item: Element) -> str:
    return posixpath.normpath(posixpath.join(posixpath.dirname(root), unquote(item.get("href", ""))))


def _parted(archive: zipfile.ZipFile, names: list[str]) -> tuple[list[bytes], int]:
    """The pages of the chapters, and how many others there are."""
    there = set(archive.namelist())
    pages: list[bytes] = []
    left, around = LARGEST_PAGE, 0
    for name in names:
        if name not in there:
            continue
        with archive.open(name) as part:
            page = part.read(left + 1)
        left -= len(page)
        if left < 0:
            raise ScriptRefused(
                f"The pages of this book have more than {LARGEST_PAGE >> 20} MB. Save the chapter as a document."
            )
        if _AROUND.search(page[:20_000]):
            around += 1
        else:
            pages.append(page)
    return pages, around
