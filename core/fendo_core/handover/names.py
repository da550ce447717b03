"""Names of what is handed over: a pattern filled for each line, safe on every file system, none of them twice."""

import re
from collections.abc import Iterable
from dataclasses import dataclass

from fendo_core.booth.naming import NameParts, PatternError, fill, safe_name, unused

DEFAULT_NAMES = "{production} {line} {words} t{take}"
FIELDS = ("production", "folder", "line", "words", "reader", "date", "take", "shot", "slide", "count")


@dataclass(frozen=True, slots=True)
class LineParts:
    """What a name may speak of besides what a take's name speaks of.

    Attributes:
        take: numbers of the takes that sound, as text.
        shot: the name of the shot that it begins in, or its number.
        slide: the number of the clip of the reel that it begins in; 0 without picture.
    """

    take: str
    common: NameParts
    shot: str
    slide: int


def check_names(pattern: str) -> None:
    """Raise for a pattern that can't name lines.

    Raises:
        PatternError: with a text for the person who wrote it.
    """
    known = dict.fromkeys(FIELDS, "x")
    if not fill(pattern, known).strip():
        raise PatternError("A name must hold something, as {line} or {words}.")


@dataclass(frozen=True, slots=True)
class Named:
    """A file's name; `clash` says that the pattern gave it to another line as well, `changed` that file systems refuse what
    the pattern gave."""

    name: str
    clash: bool = False
    changed: bool = False


def names_of(pattern: str, lines: Iterable[LineParts], ending: str) -> list[Named]:
    """A name for each line, in order: what would be the same gets a number in brackets.

    Raises:
        PatternError: for a bad pattern.
    """
    check_names(pattern)
    found, taken, rows = list[Named](), set[str](), list(lines)
    width = max(2, len(str(len(rows))))
    for count, one in enumerate(rows, start=1):
        fields = one.common.fields() | {
            "take": "+".join(part.zfill(2) for part in re.findall(r"\d+", one.take)) or "00",
            "shot": one.shot,
            "slide": f"{one.slide:0{width}}" if one.slide else "no slide",
            "count": f"{count:0{width}}",
        }
        filled = fill(pattern, fields)
        stem = safe_name(filled)
        name = unused(stem, lambda other: other.casefold() in taken, ending)
        taken.add(name.casefold())
        found.append(Named(name, name != f"{stem}{ending}", stem != re.sub(r"\s+", " ", filled).strip()))
    return found
