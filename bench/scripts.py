"""What script files cost that were made to be costly: 20 MB of each kind, read as the server does it.

python -m bench.scripts
"""

import io
import os
import subprocess
import sys
import time
import zipfile
from collections.abc import Callable, Iterator

from fendo_core.script.intake import LARGEST_FILE

SIZE = LARGEST_FILE - 1_000


def _document(body: str) -> bytes:
    held = io.BytesIO()
    space = 'xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"'
    with zipfile.ZipFile(held, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("word/document.xml", f"<w:document {space}><w:body>{body}</w:body></w:document>")
    return held.getvalue()


def _book(parts: int, page: str) -> bytes:
    """An electronic book whose parts are all one page."""
    held = io.BytesIO()
    led = '<itemref idref="a"/>' * parts
    item = '<item id="a" href="a.xhtml" media-type="application/xhtml+xml"/>'
    with zipfile.ZipFile(held, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("mimetype", "application/epub+zip", zipfile.ZIP_STORED)
        space = "urn:oasis:names:tc:opendocument:xmlns:container"
        archive.writestr("META-INF/container.xml", f'<container xmlns="{space}"><rootfile full-path="b.opf"/></container>')
        package = f'<package xmlns="http://www.idpf.org/2007/opf"><manifest>{item}</manifest><spine>{led}</spine></package>'
        archive.writestr("b.opf", package)
        archive.writestr("a.xhtml", f"<html><body>{page}</body></html>")
    return held.getvalue()


def _paragraphs(size: int) -> str:
    one = "<w:p><w:r><w:t>Then the keeper lifts one oak board.</w:t></w:r></w:p>"
    return one * (size // len(one))


_MAIL = b"MIME-Version: 1.0\nContent-Type: multipart/mixed; boundary=b\n\n"


def files(size: int = SIZE) -> Iterator[tuple[str, str, Callable[[], bytes]]]:
    """Name, ending, and what makes the file."""

    def text(part: str) -> Callable[[], bytes]:
        return lambda: (part * (size // len(part.encode()) + 1)).encode()[:size]

    yield "prose", ".txt", text("Then the keeper lifts one oak board, and the wheel remembers.\n")
    yield "one line", ".txt", text("word ")
    yield "letters of four bytes", ".txt", text("𝄞 ")
    yield "empty rows", ".srt", lambda: b"1\n00:00:01,000 --> 00:00:02,000\nword\n" + b"\n" * (size - 60) + b"x"
    yield "cues", ".srt", text("00:00:01,000 --> 00:00:02,000\nword\n\n")
    yield "open tags", ".srt", lambda: b"00:00:01,000 --> 00:00:02,000\n" + b"<i." * (size // 3)
    yield "cues in frames", ".txt", text("{25}{50}word\n")
    yield "comments", ".md", text("<!-- -->")
    yield "two tongues", ".txt", text("word / Wort\n")
    yield "brackets", ".md", text("[")
    yield "brackets in brackets", ".md", text("[a](")
    yield "stars", ".md", text("*a ")
    yield "marks", ".md", text("**_`~~")
    yield "ragged table", ".csv", lambda: b"," * (size // 2) + b"\n" + b"a\n" * (size // 4)
    yield "many columns", ".csv", lambda: (b"a," * 150 + b"\n") * (size // 301)
    yield "open quotation mark", ".csv", lambda: b'start,words\n"' + b"word, word\n" * (size // 11)
    yield "rows", ".csv", text("00:00:01,00:00:02,word\n")
    yield "mail of many parts", ".eml", lambda: _MAIL + b"--b\n\nword\n" * (size // 10)
    yield (
        "mails in mails",
        ".eml",
        lambda: b"".join(b"MIME-Version: 1.0\nContent-Type: message/rfc822\n\n" for _ in range(9_000)),
    )
    yield "document", ".docx", lambda: _document(_paragraphs(size))
    yield "document that unpacks", ".docx", lambda: _document(_paragraphs(64 << 20))
    yield "book that unpacks", ".epub", lambda: _book(1, "<p>Then the keeper lifts one oak board.</p>" * (size // 10))
    yield "book of many parts", ".epub", lambda: _book(size // 20, "<p>word</p>")
    yield "book of one page again and again", ".epub", lambda: _book(400, "<p>word</p>" * (size // 4_000))
    yield "nested document", ".docx", lambda: _document("<w:p>" * 200_000 + "</w:p>" * 200_000)


ONE = """
import resource, sys, time
from bench import scripts
from fendo_core.script.apart import read_script_apart
from fendo_core.script.intake import ScriptRefused
from fendo_core.timebase.rates import nearest_rate
name, ending, make = next(each for each in scripts.files() if each[0] == sys.argv[1])
data = make()
began = time.monotonic()
try:
    found = read_script_apart("a" + ending, data, nearest_rate(25))
    said = f"{len(found.drafts)} lines"
except ScriptRefused as error:
    said = str(error).split(".")[0]
took, most = time.monotonic() - began, resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
print(f"{name:24} {len(data) / 1e6:5.1f} MB {took:6.2f} s {most:5.0f} MB  {said}")
"""


def main() -> None:
    """Each file in a process of its own, so that the memory of its reading is told apart."""
    began = time.monotonic()
    for name, _, _ in files(1_000):
        subprocess.run([sys.executable, "-c", ONE, name], check=True, env={**os.environ})
    print(f"{time.monotonic() - began:.0f} s in all")


if __name__ == "__main__":
    main()
