"""File names of takes: made from a pattern, safe on every file system, decided before recording."""

import re
import unicodedata
from collections.abc import Callable, Container, Mapping
from dataclasses import dataclass

LONGEST_NAME = 120
"""Characters of a name without its ending; with a folder it stays below what common file systems take."""

DEFAULT_PATTERN = "{production} {line} {words} t{take}"

_RESERVED = {"con", "prn", "aux", "nul", *(f"com{i}" for i in range(1, 10)), *(f"lpt{i}" for i in range(1, 10))}
_FIELD = re.compile(r"\{([^{}]*)\}")


class PatternError(ValueError):
    """A pattern that can't make names; the message says what is wrong with it."""


@dataclass(frozen=True, slots=True)
class NameParts:
    """What a pattern may speak of. `date` is YYYY-MM-DD."""

    production: str
    folder: str
    line: str
    words: str
    reader: str
    date: str
    take: int

    def fields(self) -> dict[str, str]:
        """Field name to text: first five words, take number with two digits, whole line numbers with three."""
        number = re.sub(r"^\d+", lambda match: match[0].zfill(3), self.line)
        words = " ".join(re.findall(r"[\w'’]+", self.words)[:5]) or "no words"
        return {
            "production": self.production,
            "folder": self.folder,
            "line": number,
            "words": words,
            "reader": self.reader,
            "date": self.date,
            "take": f"{self.take:02}",
        }


FIELDS = tuple(NameParts("", "", "", "", "", "", 1).fields())


def fill(pattern: str, fields: Mapping[str, str]) -> str:
    """A pattern with the values of its fields.

    Raises:
        PatternError: with a text for the person who wrote it.
    """
    for name in _FIELD.findall(pattern):
        if name not in fields:
            known = ", ".join(f"{{{field}}}" for field in fields)
            raise PatternError(f"There is no field {{{name}}}. Known are {known}.")
    if re.search(r"[{}]", _FIELD.sub("", pattern)):
        raise PatternError("A curly bracket stands alone: fields are written like {line}.")
    return _FIELD.sub(lambda match: fields[match[1]], pattern)


def check_pattern(pattern: str) -> None:
    """Raise for a pattern with unknown fields or without line and take.

    Raises:
        PatternError: with a text for the person who wrote it.
    """
    fill(pattern, dict.fromkeys(FIELDS, ""))
    if "{line}" not in pattern or "{take}" not in pattern:
        raise PatternError("The name must hold {line} and {take}, so that a file found alone says what it is.")


def safe_name(text: str, longest: int = LONGEST_NAME) -> str:
    """A name that every common file system takes: no separators, control or reserved characters, no dot or space at
    the ends, no device name, never empty. Letters of all scripts stay (NFC)."""
    kept = unicodedata.normalize("NFC", text)
    kept = "".join(" " if c in '\\/:*?"<>|' or not c.isprintable() else c for c in kept)
    kept = re.sub(r"\s+", " ", kept).strip(" .")[:longest]
    while len(kept.encode()) > 2 * longest:
        kept = kept[:-1]
    kept = kept.strip(" .")
    if not kept:
        return "unnamed"
    device, dot, rest = kept.partition(".")
    return f"{device}_{dot}{rest}" if device.strip().lower() in _RESERVED else kept


def unused(stem: str, taken: Callable[[str], bool], ending: str = "", longest: int = LONGEST_NAME) -> str:
    """The first of `stem`, `stem (2)`, `stem (3)` and so on, each with its ending, that is not taken.

    Without its ending it has at most `longest` characters.
    """
    name, copy = stem[:longest], 1
    while taken(f"{name}{ending}"):
        copy += 1
        name = f"{stem[: longest - 8]} ({copy})"
    return f"{name}{ending}"


def file_name(pattern: str, parts: NameParts, taken: Container[str]) -> str:
    """The name of a take's file, ending in `.wav`, that is not in `taken` (compared in lower case).

    Raises:
        PatternError: for a bad pattern.
    """
    check_pattern(pattern)
    stem = safe_name(fill(pattern, parts.fields()))
    return unused(stem, lambda name: name.lower() in taken, ".wav")
