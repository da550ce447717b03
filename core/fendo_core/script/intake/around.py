"""What stands between the words and is not read: headings, the film’s own sound, numbers, lengths, other wordings."""

import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

from fendo_core.script.intake.inquiry import NOTES_OR_WORDS, OUT_OR_LINES, Inquiry, counted
from fendo_core.script.intake.marks import (
    ALONE,
    BARE,
    BRACKETED,
    COUNTED_HEAD,
    HEADING,
    LABEL,
    NUMBERED,
    NUMBERED_HEAD,
    SPAN,
    SPEAKERS,
    TIME,
    is_bite,
    is_bite_in_brackets,
    is_cue,
    is_heading,
    is_more,
    is_numbered,
    is_shouted_name,
    is_voice,
)
from fendo_core.script.intake.paragraph import SENTENCE_ENDS, Paragraph, at_end, mostly, noted, to_notes
from fendo_core.script.intake.times import RANGE


def without_headings(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """“Slide 3”, “Scene 2: the bell” on rows of their own, and what a document calls headings, become notes of what stands
    below."""

    found = _with_times_apart(_with_numbers_above(_with_implied(found)))

    def goes(each: Paragraph) -> bool:
        return (each.heading and not ALONE.match(each.text)) or is_heading(each.text)

    headings = [each.text for each in found if goes(each)]
    called = any(each.heading for each in found)
    # One that nothing stands above is a title.
    least = 1 if called or (len(found) > 2 and goes(found[0])) else 2
    if len(headings) < least or len(headings) > 0.6 * len(found):
        return list(found)
    shown = f"{headings[0][:30]} … {headings[-1][:30]} are" if len(headings) > 1 else f"{headings[0][:40]} is"
    if inquiry.ask("headings", shown, NOTES_OR_WORDS, "notes") == "words":
        return list(found)
    return to_notes(found, _with_notes_below([goes(each) for each in found], found))


_OF_NOTES = re.compile(
    r"(?:(?:production|director(?:’s|'s)?|style|voice|recording|general|pronunciation|performance) )?"
    r"(?:notes?|directions?|guide|instructions?)|hinweise|anmerkungen|regieanweisungen|remarques|notas|indicazioni",
    re.IGNORECASE,
)


def _with_notes_below(goes: list[bool], found: Sequence[Paragraph]) -> list[bool]:
    """Which paragraphs are notes: below a last heading “Notes” all few of them are."""
    last = max(place for place, one in enumerate(goes) if one)
    below = len(found) - last - 1
    if _OF_NOTES.fullmatch(found[last].text.strip(" :")) and below <= 0.5 * (len(found) - sum(goes)):
        return [one or place > last for place, one in enumerate(goes)]
    return goes


_RANGE_BEHIND = re.compile(rf"\s*[\[(]\s*((?:{TIME}){RANGE.pattern}(?:{TIME}))\s*[\])]\s*:?$")
"""“(0:00–0:08)”."""


def _with_times_apart(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs with the times of headings above them: they are of what stands below."""
    made: list[Paragraph] = []
    for each in found:
        head = BRACKETED.match(each.text) or BARE.match(each.text) if each.heading else None
        behind = at_end(_RANGE_BEHIND, each.text) if not head and (each.heading or is_heading(each.text)) else None
        if head:
            made += [Paragraph(f"[{head[1]}]"), replace(each, text=each.text[head.end() :])]
        elif behind and behind.start():
            made += [Paragraph(f"[{behind[1]}]"), replace(each, text=each.text[: behind.start()])]
        else:
            made.append(each)
    return made


def _with_implied(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs with those marked as headings that look like it: short, in capitals, without an end, above sentences."""

    texts = Counter(each.text for each in found)

    def implied(text: str) -> bool:
        # What comes again is a name.
        if texts[text] > 1 or SPEAKERS.fullmatch(text):
            return False
        words = [word for word in text.split() if len(word) > 3] or text.split()
        return len(text.split()) <= 6 and not text.endswith(SENTENCE_ENDS) and all(word[0].isupper() for word in words)

    marked = [
        each.fresh and implied(each.text) and below.text.endswith(SENTENCE_ENDS) and not is_more(each.text)
        for each, below in zip(found, found[1:], strict=False)
    ]
    marked += [False] * (len(found) - len(marked))
    others = [each.text.endswith(SENTENCE_ENDS) for each, is_one in zip(found, marked, strict=True) if not is_one]
    if sum(marked) < 2 or sum(marked) > 0.5 * len(found) or sum(others) < 0.9 * len(others):
        return list(found)
    return [replace(each, heading=each.heading or is_one) for each, is_one in zip(found, marked, strict=True)]


def _with_numbers_above(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs with those marked as headings that begin with numbers that count up, above sentences."""
    heads = [
        NUMBERED_HEAD.match(each.text)
        if each.fresh and (below.text.endswith(SENTENCE_ENDS) or NUMBERED_HEAD.match(below.text))
        else None
        for each, below in zip(found, found[1:], strict=False)
    ]
    numbers = [tuple(map(int, head[1].split("."))) for head in heads if head]
    parted = [len(number) > 1 for number in numbers]
    counted_up = (
        numbers == [(number,) for number in range(numbers[0][0], numbers[0][0] + len(numbers))] if numbers else False
    )
    if len(numbers) < 2 or not (counted_up or (all(parted) and numbers == sorted(set(numbers)))):
        return list(found)
    return [replace(each, heading=each.heading or bool(head)) for each, head in zip(found, [*heads, None], strict=True)]


def with_counted_headings(found: Sequence[Paragraph]) -> Sequence[Paragraph]:
    """Paragraphs with those marked as headings that are a word and a number, counted up from 1, above sentences."""
    heads = [COUNTED_HEAD.fullmatch(each.text) for each in found]
    words = Counter(head[1].casefold() for head in heads if head)
    word, times = words.most_common(1)[0] if words else ("", 0)
    heads = [head if head and head[1].casefold() == word else None for head in heads]
    numbers = [int(head[2]) for head in heads if head]
    # Two in capitals may be two who speak.
    least = 3 if any(head and head[1].isupper() for head in heads) else 2
    bare = bool(heads) and heads[-1] is not None
    doubled = any(head and below for head, below in zip(heads, heads[1:], strict=False))
    timed = any(head and re.search(SPAN, head[0]) for head in heads)
    told = timed or SPEAKERS.fullmatch(f"{word} 1") or is_numbered(f"{word} 1")
    if times < least or told or bare or doubled or numbers != list(range(1, times + 1)):
        return found
    return [replace(each, heading=each.heading or bool(head)) for each, head in zip(found, heads, strict=True)]


_BITE_AND_DASH = re.compile(r"[A-Z-]{3,}(?:\s*\([^()]{1,40}\)|\s+[A-ZÄÖÜ][\w. ]{1,30})?\s*[-–—]\s")
"""“SOT (Mara, fisher) - We used to go out.”"""


_FIRST_OR_LAST = re.compile(r"(?:in|out)(?:[- ]?(?:cue|words?|q))?|inq|outq|first words?|last words?", re.IGNORECASE)
"""With which words a bite begins and ends."""


def without_bites(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs without what is heard in the film itself: “SOT Anna: …”, or all under such a row up to the next name."""
    gone: set[int] = set()
    below = in_brackets = False
    for place, each in enumerate(found):
        label = LABEL.match(each.text)
        if below and label and _FIRST_OR_LAST.fullmatch(label[1].strip()):
            gone.add(place)
            continue
        bracketed = is_bite_in_brackets(each.text)
        called = bracketed or is_bite(each.text)
        # Between directions in brackets the film's own sound ends with the next one, which is a note by now.
        below = below and not (in_brackets and each.notes) and not each.timed
        in_brackets = bracketed or (below and in_brackets)
        alone = called and len(each.text) < 60 and not each.text.endswith((".", "!", "?", "…"))
        if (
            label
            or called
            or (place > 0 and is_shouted_name(each.text))
            or is_cue(each.text)
            or is_numbered(each.text)
            or HEADING.match(each.text)
            or each.heading
        ):
            rest = each.text[label.end() :].strip() if label else ""
            # “SYNC: HARBOUR MASTER” says who speaks, and what stands below is said in the film.
            below = alone and (not rest or rest.isupper())
        if (called and (label or alone or _BITE_AND_DASH.match(each.text))) or below:
            gone.add(place)
    if not gone or len(gone) > 0.8 * len(found):
        return list(found)
    asked = f"{found[min(gone)].text[:30]}{' …' if len(gone) > 1 else ''}, heard in the film, is"
    if inquiry.ask("bites", asked, OUT_OR_LINES, "out") == "lines":
        return list(found)
    inquiry.doubt(f"{counted(len(gone), 'paragraph', 'paragraphs')} of the film’s own sound left out")
    return [each for place, each in enumerate(found) if place not in gone]


def without_numbered(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs without “Text 1”, “Text 2” on rows of their own."""
    rows = [each.text for each in found if is_numbered(each.text)]
    if len(rows) < 2 or len(rows) > 0.6 * len(found):
        return list(found)
    if inquiry.ask("numbered", f"{rows[0]} … {rows[-1]} are", OUT_OR_LINES, "out") == "lines":
        return list(found)
    numbers = [NUMBERED.fullmatch(each.text.strip(" :.")) for each in found]
    # What stands in brackets behind a number is a note of what is below.
    bare = [replace(each, text=number[1] or "") if number else each for each, number in zip(found, numbers, strict=True)]
    return to_notes(bare, list(map(bool, numbers)))


_SLIDE = re.compile(r"^(?:slide|folie|diapositiv[ea]|dia|слайд)\s*#?\d{1,3}\b", re.IGNORECASE)
_NOTES = re.compile(r"^(?:notes|notizen|notas|notities|note|заметки)\s*[:：]\s*(?=\S)", re.IGNORECASE)


def with_notes_of_slides(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Of slides written out, with “Notes: …” below what each shows, the notes: they are read, and what is shown is not."""
    slides = [bool(_SLIDE.match(each.text)) for each in found]
    notes = [_NOTES.match(each.text) for each in found]
    told = sum(map(bool, notes))
    if (
        told < 2
        or not slides[0]
        or abs(sum(slides) - told) > 1
        or any((label := LABEL.match(each.text)) and is_voice(label[1].strip()) for each in found)
    ):
        return list(found)
    if inquiry.ask("slide-notes", "what slides show above their notes is", NOTES_OR_WORDS, "notes") == "words":
        return list(found)
    shown: list[bool] = []
    for slide, note in zip(slides, notes, strict=True):
        shown.append(not note and (slide or shown[-1]))
    bare = [replace(each, text=each.text[note.end() :]) if note else each for each, note in zip(found, notes, strict=True)]
    return to_notes(bare, shown)


_ALTERNATIVE = re.compile(r"^alt(?:ernat(?:e|ive|ively))?\.?\s*\d{0,2}\s*[:：]\s*(?=\S)", re.IGNORECASE)


def without_alternatives(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs of which those with “ALT:” in front, other words for the same line, became notes of the line above."""
    heads = [_ALTERNATIVE.match(each.text) for each in found]
    told = [each.text for each, head in zip(found, heads, strict=True) if head]
    if not told or heads[0] or len(told) > 0.8 * len(found):
        return list(found)
    asked = f"“{told[0][:40]}”{' …' if len(told) > 1 else ''} is"
    if inquiry.ask("alternatives", asked, NOTES_OR_WORDS, "notes") == "words":
        return list(found)
    made: list[Paragraph] = []
    for each, head in zip(found, heads, strict=True):
        if head:
            made[-1] = noted(made[-1], [made[-1].notes, f"or: {each.text[head.end() :]}"])
        else:
            made.append(each)
    return made


_COUNT = r"~?\d[\d.,]{0,6}\s*(?:words?|wörter|worte|mots|palabras|parole|palavras|woorden|слов\w?|characters?|zeichen)"
_LASTS = r"~?\d{1,3}(?:[.,]\d)?\s?(?:''|[\"″”])"
_LASTING = (
    r"(?:duration|length|running time|trt|dauer|länge|durée|duración|durata|duur|длительность)\s+"
    r"\d[\d:.,'’″”\"]*(?:\s?(?:min|s)\w*)?"
)
"""“Länge 28'30”."""
_COUNT_AT_END = re.compile(rf"\s*[\[(]\s*(?:{_COUNT}\b[^()\[\]]{{0,20}}|{_LASTS})[\])]$", re.IGNORECASE)
_COUNT_ALONE = re.compile(
    rf"^[\[(]?(?:(?:total|sum|gesamt|summe)\s*[:=]?\s*{_COUNT}|"
    rf"(?:(?:approx\.?|about|ca\.?|circa|etwa)\s?)?{_COUNT}(?:\s*[=/~≈–-]+\s*[\d:.,'’″”\"]{{1,9}}(?:\s?(?:min|sec|s)\w*)?)?|"
    rf"(?:total(?: words| duration| time| length)?|{_LASTING}|"
    r"(?:duration|length|time|word ?count|words|dauer|länge|wörter|durée|duración|durata|duur|длительность)\s*[:=]\s*"
    r"(?:approx\.?|about|around|ca\.?|circa|etwa|env(?:iron)?\.?|aprox\.?|около|~)?\s?\d[\d:.,'’″”\"]*"
    r"\s?(?:words?|min\w*|sec\w*|s)?))[\])]?\.?$",
    re.IGNORECASE,
)


_LASTS_ABOVE = re.compile(rf"{_LASTING}$", re.IGNORECASE)
_MOST_ABOVE = 6


def without_counts(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs without how many words they have and how long they last: “(12 words)” behind them, “Duration: 1:30”."""
    ends = [at_end(_COUNT_AT_END, each.text) for each in found]
    alone = [bool(_COUNT_ALONE.match(each.text)) for each in found]
    several = sum(map(bool, ends)) >= 2
    above = any(_LASTS_ABOVE.match(each.text) for each in found[:_MOST_ABOVE])
    if (not several and sum(alone) < 2 and not above and not any(alone[-1:])) or all(alone):
        return list(found)
    shown = next(
        end[0].strip() if end else each.text for each, end, count in zip(found, ends, alone, strict=True) if end or count
    )
    if inquiry.ask("counts", f"“{shown[:40]}” …, a count or a length, is", OUT_OR_LINES, "out") == "lines":
        return list(found)
    return [
        replace(each, text=each.text[: end.start()]) if several and end and end.start() else each
        for each, end, count in zip(found, ends, alone, strict=True)
        if not count
    ]


_BULLET = re.compile(r"^[-–—•*▪◦‣·►]\s+(?=\S)")


def without_bulleted_pictures(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs of which those with dots in front, beside others that are called “VO:”, became notes of what is below."""
    bulleted = [bool(_BULLET.match(each.text)) for each in found]
    labels = [LABEL.match(each.text) for each in found]
    voiced = sum(bool(label and is_voice(label[1].strip())) for label in labels)
    shown = [each.text for each, one in zip(found, bulleted, strict=True) if one]
    if len(shown) < 2 or voiced < 2 or any(text.endswith((".", "!", "?")) for text in shown):
        return list(found)
    if inquiry.ask("bullets", f"“{shown[0][:40]}” … are", NOTES_OR_WORDS, "notes") == "words":
        return list(found)
    bare = [
        replace(each, text=_BULLET.sub("", each.text)) if one else each for each, one in zip(found, bulleted, strict=True)
    ]
    return to_notes(bare, bulleted)


_STROKES = re.compile(r"\s+(?://?|\|\|?)$")
_PICTOGRAPHS = re.compile(r"^(?:[\u2600-\u2668\u2670-\u27bf\u2b00-\u2bff\U0001f000-\U0001faff][\ufe0f\u200d]*)+\s*(?=\S)")


def without_bullets(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs without the dashes or dots in front that most of them have, strokes behind them, and little pictures."""
    if sum(bool(_PICTOGRAPHS.match(each.text)) for each in found) >= 2:
        found = [replace(each, text=_PICTOGRAPHS.sub("", each.text)) for each in found]
    if sum(bool(at_end(_STROKES, each.text)) for each in found) >= max(2, 0.6 * len(found)):
        found = [replace(each, text=_STROKES.sub("", each.text)) for each in found]
    if not mostly(found, _BULLET):
        return list(found)
    return [replace(each, text=_BULLET.sub("", each.text)) for each in found]
