"""Lines out of data that programs write: JSON of a transcript, Timed Text (W3C TTML, with IMSC and EBU-TT), Speech
Synthesis Markup (W3C)."""

import json
import re
from collections.abc import Iterator
from typing import Any
from xml.etree.ElementTree import Element

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import ParseError, fromstring

from fendo_core.script.intake.inquiry import ScriptRefused, enough
from fendo_core.script.intake.tables import MOST_COLUMNS
from fendo_core.script.lines import MOST_LINES, paragraphs

_DEEPEST = 6


def is_json(text: str) -> bool:
    """Whether a text begins as JSON with rows in it does."""
    return bool(re.match(r"\s*(?:\{\s*\"|\[\s*\{)", text))


def rows_of_json(text: str) -> list[list[str]]:
    """The rows of a table that a JSON text holds, names of its columns first: the lists of objects with the
    most words in them.

    Raises:
        ScriptRefused: when it is damaged or holds no such list.
    """
    try:
        held = _held(text)
    except (ValueError, RecursionError) as error:
        raise ScriptRefused("This JSON is damaged. Save the script as .csv, .srt, .docx or plain text.") from error
    alike: dict[str, list[dict[str, Any]]] = {}
    for path, rows in _lists(held, 0, ""):
        alike.setdefault(path, []).extend(rows)
    lists = [rows for rows in alike.values() if any(isinstance(value, str) for row in rows for value in row.values())]
    if not lists:
        raise ScriptRefused("This JSON holds no list of lines. Save the script as .csv, .srt, .docx or plain text.")
    found = max(lists, key=lambda rows: sum(_weight(value) for row in rows for value in row.values()))
    # One row more than a production holds, so that whoever reads them refuses them in words.
    found = found[: MOST_LINES + 1]
    names = list(dict.fromkeys(name for row in found for name, value in row.items() if not isinstance(value, list | dict)))
    names = names[:MOST_COLUMNS]
    return [names, *([_told(row.get(name)) for name in names] for row in found)]


def _held(text: str) -> Any:
    """What a JSON text holds; one value a row (JSON Lines) is a list of them."""
    try:
        return json.loads(text)
    except ValueError:
        rows = [row for row in text.splitlines() if row.strip()]
        if len(rows) < 2:
            raise
        return [json.loads(row) for row in rows]


def _lists(held: Any, depth: int, path: str) -> Iterator[tuple[str, list[dict[str, Any]]]]:
    """Lists of objects with the names that lead to them; those under the same names, of several scenes, go together."""
    if isinstance(held, list):
        rows = [each for each in held if isinstance(each, dict)]
        if rows:
            yield path, rows
    if depth < _DEEPEST:
        inside = held.items() if isinstance(held, dict) else (("", each) for each in held)
        for name, each in inside:
            if isinstance(each, list | dict):
                yield from _lists(each, depth + 1, f"{path}/{name}" if name else path)


def _weight(value: Any) -> int:
    """How many letters of a script a value may hold: words by themselves, of a transcript, hold few."""
    if not isinstance(value, str):
        return 0
    return len(value) if " " in value.strip() or not value.isascii() else len(value) // 4


def _told(value: Any) -> str:
    if isinstance(value, bool) or value is None:
        return ""
    if isinstance(value, float):
        return f"{value:.6f}".rstrip("0").rstrip(".")
    return str(value) if isinstance(value, int | str) else ""


_TIMED_TEXT = re.compile(
    r"\s*+(?:<\?xml[^>]{0,200}\?>)?(?>\s++|<!--.{0,2000}?-->|<!DOCTYPE tt\b.{0,2000}?\]?>\s*(?=<))*+<(?:\w{1,20}:)?tt[\s>]",
    re.DOTALL,
)


def is_timed_text(text: str) -> bool:
    """Whether an XML text is Timed Text."""
    return bool(_TIMED_TEXT.match(text))


_SPEECH = re.compile(
    r"\s*+(?:<\?xml[^>]{0,200}\?>)?(?>\s++|<!--.{0,2000}?-->|<!DOCTYPE speak\b[^>]{0,200}>)*+<speak[\s>]", re.DOTALL
)


def is_speech_markup(text: str) -> bool:
    """Whether an XML text is Speech Synthesis Markup (W3C)."""
    return bool(_SPEECH.match(text))


def paragraphs_of_speech(data: bytes) -> list[str]:
    """The words of Speech Synthesis Markup, paragraph by paragraph, without how a machine would say them.

    Raises:
        ScriptRefused: when it is damaged.
    """
    enough(data.count(b"<p"))
    try:
        root = fromstring(data)
    except (ParseError, DefusedXmlException, RecursionError, ValueError) as error:
        raise ScriptRefused("This speech markup is damaged. Save it again, or as plain text.") from error
    return paragraphs("".join(_said(root)))


def _said(element: Element) -> Iterator[str]:
    """What is said of an element and below it, a row for each paragraph."""
    named = str(element.tag).rpartition("}")[2]
    if named in ("desc", "metadata", "meta", "lexicon"):
        return
    edge = "\n" if named in ("p", "paragraph") else ""
    yield edge
    yield _WHITE.sub(" ", element.text or "")
    for child in element:
        yield from _said(child)
        yield _WHITE.sub(" ", child.tail or "")
    yield edge


_WHITE = re.compile(r"\s+")


def cues_of_timed_text(data: bytes) -> list[tuple[str, str, str]]:
    """The cues of Timed Text: start and end (as running times, or “”) and words.

    Raises:
        ScriptRefused: when it is damaged.
    """
    try:
        root = fromstring(data)
    except (ParseError, DefusedXmlException, RecursionError, ValueError) as error:
        raise ScriptRefused("This Timed Text is damaged. Save it again, or as .srt.") from error
    told = {name.rpartition("}")[2]: value for name, value in root.attrib.items()}
    frames, ticks = _number(told.get("frameRate"), 30.0), _number(told.get("tickRate"), 1.0)
    above, _, below = told.get("frameRateMultiplier", "1 1").partition(" ")
    frames *= _number(above, 1.0) / _number(below, 1.0)
    found = []
    for paragraph in root.iter():
        if str(paragraph.tag).rpartition("}")[2] != "p":
            continue
        begin, end = (_seconds(paragraph.get(name, ""), frames, ticks) for name in ("begin", "end"))
        lasts = _seconds(paragraph.get("dur", ""), frames, ticks)
        if end is None and begin is not None and lasts is not None:
            end = begin + lasts
        words = " ".join("".join(_words(paragraph)).split())
        if words:
            found.append((_clock(begin), _clock(end), words))
    return found


def _number(text: str | None, otherwise: float) -> float:
    try:
        found = float(text or "")
    except ValueError:
        return otherwise
    return found if 0.0 < found < 1e9 else otherwise


_COUNTED = re.compile(r"(?:(\d{1,3}):)?(\d{1,2}):(\d{2})(?:\.(\d{1,9})|:(\d{2,3}))?")
_METRIC = re.compile(r"(\d{1,9}(?:\.\d{1,9})?)(h|m|s|ms|f|t)?")
"""Some write seconds without their unit."""


def _seconds(text: str, frames: float, ticks: float) -> float | None:
    counted = _COUNTED.fullmatch(text.strip())
    if counted:
        hours, minutes, seconds, part, frame = counted.groups()
        return (
            int(hours or 0) * 3600 + int(minutes) * 60 + int(seconds) + float(f"0.{part or 0}") + int(frame or 0) / frames
        )
    metric = _METRIC.fullmatch(text.strip())
    if not metric:
        return None
    size = {"h": 3600.0, "m": 60.0, "s": 1.0, "ms": 1e-3, "f": 1 / frames, "t": 1 / ticks}[metric[2] or "s"]
    return float(metric[1]) * size


def _clock(seconds: float | None) -> str:
    if seconds is None or seconds >= 360_000:
        return ""
    thousandths = round(seconds * 1000)
    whole, part = divmod(thousandths, 1000)
    return f"{whole // 3600:02}:{whole // 60 % 60:02}:{whole % 60:02}.{part:03}"


def _words(element: Element) -> Iterator[str]:
    yield element.text or ""
    for child in element:
        yield from " " if str(child.tag).rpartition("}")[2] == "br" else _words(child)
        yield child.tail or ""
