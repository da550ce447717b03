"""Screenplays with the marks of Fountain, an open syntax for screenplays in plain text (version 1.1, 2012)."""

import re

from fendo_core.script.intake.inquiry import Inquiry
from fendo_core.script.intake.marks import NO_BRACKETS, SCENE

_KEY = re.compile(
    r"(title|credit|authors?|source|draft date|date|contact|contact info|copyright|notes?|revision)\s*:", re.IGNORECASE
)
_APART = re.compile(r"/\*.{0,20000}?\*/|\[\[[^\]]{0,5000}\]\]", re.DOTALL)
"""What is not printed: cut scenes and notes."""


def is_fountain(name: str, text: str) -> bool:
    """Whether a text is named as Fountain, or begins with a title page of it: keys, some with their values set in below."""
    if name.lower().endswith((".fountain", ".spmd")):
        return True
    page = _title_page(text)
    keys = [row for row in page if _KEY.match(row)]
    return (
        len(keys) >= 2
        and any(row[:1] in " \t" for row in page)
        and len(keys) + 1 >= sum(row[:1] not in " \t" for row in page)
    )


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
    spoken = [len(block) > 1 and _is_cue(block[0]) for block in blocks]
    if any(spoken):
        blocks = [
            [f"{block[0]}:", *block[1:]] if said else list(map(_seen, block))
            for block, said in zip(blocks, spoken, strict=True)
        ]
    return "\n\n".join("\n".join(block) for block in blocks)


def _is_cue(row: str) -> bool:
    """Whether a row names who speaks: in capitals, but for what stands in brackets behind it."""
    name = _BEHIND.sub("", row)
    return name.isupper() and not SCENE.match(row)


_BEHIND = re.compile(r"\s*\([^()]{1,60}\)\s*$")


def _seen(row: str) -> str:
    """A row that nobody says, in brackets."""
    return row if not row or row[0] == "[" or SCENE.match(row) else f"[{row.translate(NO_BRACKETS)}]"


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
    named = _NAMED.match(row)
    if named:
        return named[1].upper()
    for mark, instead in _MARKED:
        row = mark.sub(instead, row)
    return _STRESS.sub(r"\2", row)
