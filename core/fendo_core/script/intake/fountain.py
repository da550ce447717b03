"""Screenplays with the marks of Fountain, an open syntax for screenplays in plain text (version 1.1, 2012)."""

import re

from fendo_core.script.intake.inquiry import Inquiry
from fendo_core.script.intake.marks import SCENE, in_brackets, is_shouted_cue
from fendo_core.script.intake.paragraph import LONGEST

_KEY = re.compile(
    r"(title|credit|authors?|source|draft date|date|contact|contact info|copyright|notes?|revision)\s*:", re.IGNORECASE
)
_APART = re.compile(r"/\*(?:(?!/\*).)*?\*/|\[\[[^\[\]]*\]\]", re.DOTALL)
"""What is not printed: cut scenes and notes."""


def is_fountain(name: str, text: str) -> bool:
    """Whether a text is named as Fountain, or begins with a title page of it: keys, some with their values set in below."""
    if name.lower().endswith((".fountain", ".spmd")):
        return True
    page = _title_page(text)
    keys = [row for row in page if _KEY.match(row)]
    flush = sum(row[:1] not in " \t" for row in page)
    return len(keys) >= 2 and flush < len(page) and len(keys) + 1 >= flush


def _title_page(text: str) -> list[str]:
    rows = text[:5000].lstrip("\ufeff\n").split("\n\n", maxsplit=1)[0].splitlines()
    return rows if rows and _KEY.match(rows[0]) else []


def plain(text: str, inquiry: Inquiry) -> str:
    """A screenplay without the marks of Fountain: its title page, notes and synopses are left out, what is shown stays."""
    text, count = _APART.subn("", text.replace("\r\n", "\n").replace("\ufeff", ""))
    if count:
        inquiry.doubt("notes of the writer and what is cut from the screenplay were left out")
    text = text.lstrip("\n")
    page = _title_page(text)
    if page:
        inquiry.doubt("the title page was left out")
    rows = map(_shown, text.split("\n")[len(page) :])
    blocks = [block.split("\n") for block in re.split(r"\n{2,}", "\n".join(rows).strip("\n"))]
    spoken = [len(block) > 1 and is_shouted_cue(block[0]) and not SCENE.match(block[0]) for block in blocks]
    if any(spoken):
        blocks = [
            [f"{block[0]}:", *block[1:]] if said else [row and in_brackets(row) for row in block]
            for block, said in zip(blocks, spoken, strict=True)
        ]
    return "\n\n".join("\n".join(block) for block in blocks)


_MARKED = (
    (re.compile(r"^=(?!=)\s?.*$|^={3,}\s*$"), ""),
    (re.compile(r"^#{1,6}\s*(.*)$"), r"[\1]"),
    (re.compile(r"^\.(?=[^.\s])(.*)$"), r"[\1]"),
    (re.compile(r"^>\s*(.*?)\s*<?\s*$"), r"[\1]"),
    (re.compile(r"^[!~]\s?(?=\S)"), ""),
    (re.compile(r"\s*\^\s*$"), ""),
)
"""Synopses and ends of pages; sections; heads of scenes; what is centred, and transitions; what is shown or sung; two who
speak at once."""
_NAMED = re.compile(r"^@(?=\S)(.*)$")
_STRESS = re.compile(r"(?<![\w*_\\])([*_]{1,3})(?=\S)([^*_\n]{1,300})(?<=\S)\1(?![\w*])")


def _shown(row: str) -> str:
    """A row without marks, and not set in; a name that is marked as one is in capitals."""
    row = row.strip()
    if len(row) > LONGEST:
        return row
    named = _NAMED.match(row)
    if named:
        return named[1].upper()
    for mark, instead in _MARKED:
        row = mark.sub(instead, row)
    return _STRESS.sub(r"\2", row)
