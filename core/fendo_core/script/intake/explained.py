"""What explains the words and is not read: footnotes, comments of an exported document, lists of how words are said."""

import re
from collections.abc import Sequence
from dataclasses import replace

from fendo_core.script.intake.inquiry import NOTES_OR_WORDS, Inquiry
from fendo_core.script.intake.paragraph import SENTENCE_ENDS, Paragraph, noted

_MARK = re.compile(r"\[([a-z]{1,2}|\d{1,3})\]")
_NOTE = re.compile(rf"^{_MARK.pattern}\s*(?=\S)")
_RAISED = str.maketrans("⁰¹²³⁴⁵⁶⁷⁸⁹", "0123456789")
_RAISED_MARK = re.compile(r"(?<=\S)[⁰¹²³⁴⁵⁶⁷⁸⁹]{1,3}|^[⁰¹²³⁴⁵⁶⁷⁸⁹]{1,3}(?=\s?\S)")
"""A raised number behind a word or before a note; “m²” has one, too, but no note that begins with it."""


def _with_marks_in_brackets(found: Sequence[Paragraph]) -> Sequence[Paragraph]:
    """Paragraphs with `[1]` for ¹ where notes begin with such numbers; the notes of each page stand last."""
    notes = {mark[0]: place for place, each in enumerate(found) if (mark := _RAISED_MARK.match(each.text))}
    if not notes:
        return found

    def bracketed(mark: re.Match[str]) -> str:
        return f"[{mark[0].translate(_RAISED)}]" if mark[0] in notes else mark[0]

    told = set(notes.values())
    made = [replace(each, text=_RAISED_MARK.sub(bracketed, each.text)) for each in found]
    marked = " ".join(each.text for place, each in enumerate(made) if place not in told)
    if any(f"[{mark.translate(_RAISED)}]" not in marked for mark in notes):
        return found
    return [each for place, each in enumerate(made) if place not in told] + [made[place] for place in sorted(told)]


def without_footnotes(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs of which the last ones, “[a]Six or seven?”, became notes of those in which “[a]” stands."""
    found = _with_marks_in_brackets(found)
    first = len(found)
    while first and _NOTE.match(found[first - 1].text):
        first -= 1
    told = {mark[1]: each.text[mark.end() :] for each in found[first:] if (mark := _NOTE.match(each.text))}
    if not told:
        return list(found)
    words = found[:first]
    marked = [[mark for mark in _MARK.findall(each.text) if mark in told] for each in words]
    if set(told) - {mark for marks in marked for mark in marks}:
        return list(found)
    asked = f"“{found[first].text[:40]}” {'and what follows are' if len(told) > 1 else 'is'}"
    if inquiry.ask("footnotes", asked, NOTES_OR_WORDS, "notes") == "words":
        return list(found)
    return [
        noted(replace(each, text=_MARK.sub("", each.text)), [each.notes, *(told[mark] for mark in marks)])
        if marks
        else each
        for each, marks in zip(words, marked, strict=True)
    ]


_SAYINGS = r"pronunciations?|aussprache|prononciations?|pronunciaci[oó]n(?:es)?|pronunce?ia?|uitspraak|произношение"
_LIST = re.compile(
    rf"^(?:{_SAYINGS}|pronunciations? (?:guide|notes?|list)|how to (?:say|pronounce)(?: it| names?)?|"
    r"aussprache(?:hilfen?|hinweise?|liste))\s*[:.]?$",
    re.IGNORECASE,
)
_LIST_IN_ROW = re.compile(rf"^(?:{_SAYINGS})\s*:\s*(?=\S)", re.IGNORECASE)
"""“Pronunciation: bog = BOG”."""
MOST_SAYINGS, LONGEST_SAYING = 300, 4
"""Words of a list, and of how one of them is said."""
_SAID = re.compile(r"^([^\W\d_][\w .'’-]{0,38}?)(?:\s*[:=]\s*|\s+[-–—]+>?\s+|\t)([^\s].{0,58})$")


def _is_short(said: str) -> bool:
    return len(said.split()) <= LONGEST_SAYING and not said.endswith(SENTENCE_ENDS)


def _sayings_apart(each: Paragraph) -> list[Paragraph]:
    """A paragraph “Pronunciation: one = WUN, two = TOO” as a list."""
    head = _LIST_IN_ROW.match(each.text)
    parts = [part.strip() for part in re.split(r"[,;]", each.text[head.end() :])] if head else []
    if not parts or not all((said := _SAID.match(part)) and _is_short(said[2]) for part in parts):
        return [each]
    return [Paragraph("Pronunciation"), *map(Paragraph, parts)]


def without_sayings(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs without the list of how words are said: each became a note of the lines in which its word stands."""
    found = [part for each in found for part in _sayings_apart(each)]
    first = next((place for place, each in enumerate(found) if _LIST.match(each.text)), None)
    if first is None:
        return list(found)
    last = first + 1
    while last < len(found) and (said := _SAID.match(found[last].text)) and _is_short(said[2]):
        last += 1
    told = [pair.groups() for each in found[first + 1 : last] if (pair := _SAID.match(each.text))]
    rest = [*found[:first], *found[last:]]
    if not told or not rest or len(told) > MOST_SAYINGS:
        return list(found)
    asked = f"the list “{found[first].text.strip(' :.')}” is"
    if inquiry.ask("sayings", asked, NOTES_OR_WORDS, "notes") == "words":
        return list(found)
    said_as = {word.casefold(): f"“{word}” is said {said}" for word, said in told}
    there = re.compile(
        rf"(?<!\w)(?:{'|'.join(map(re.escape, sorted(said_as, key=len, reverse=True)))})(?!\w)", re.IGNORECASE
    )
    return [
        noted(each, [each.notes, *dict.fromkeys(said_as.get(word.casefold(), "") for word in there.findall(each.text))])
        for each in rest
    ]
