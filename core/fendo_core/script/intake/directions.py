"""Directions for the reader, in the words and between them: “(softly)”, “[beat]”, “(no VO)”."""

import re
from collections.abc import Sequence
from dataclasses import replace

from fendo_core.script.intake.inquiry import NOTES_OR_WORDS, Inquiry, counted
from fendo_core.script.intake.marks import ALONE, ASIDE, MUSIC, is_bite_in_brackets
from fendo_core.script.intake.paragraph import LONGEST, SENTENCE_ENDS, Paragraph, noted, to_notes

_HOW = re.compile(
    r"(?:\d+(?:[.,]\d+)?\s?(?:s|secs?|seconds?|sek)\.?$|(?:long |short |slight |brief |little |dramatic )?(?:pauses?|"
    r"beat|breath|breathes?|sfx|fx|music|laugh(?:s|ing|ter)?|chuckles?|"
    r"click(?: to (?:advance|continue))?$|next slide$|advance$|"
    r"sighs?|sighing|whisper(?:s|ed|ing)?|soft(?:ly|er)?|slow(?:ly|er)?|quick(?:ly|er)?|quiet(?:ly|er)?|loud(?:ly|er)?|warm(?:ly|er)?|"
    r"smil(?:e|es|ing)|cheerful(?:ly)?|serious(?:ly)?|urgent(?:ly)?|excited(?:ly)?|gently|firmly|silence|emphasis|emphasi[sz]e|break|fade|"
    r"bright(?:ly|er)?|sad(?:ly)?|angr(?:y|ily)|stille|kurze pause|atempause|leise|laut|langsam|lächelnd|lacht|"
    r"flüsternd|musik|silence|doucement|lentement|souriant|rires?|musique|pausa|silencio|silenzio|piano|lentamente|sonriendo|"
    r"sorridendo|risas?|música|musica|пауза|тихо|медленно|смеётся|шёпотом|музыка)\b)",
    re.IGNORECASE,
)
_SAID_AS = re.compile(r"(?:[^\W\d_]+-)+[^\W\d_]+")
_INSIDE = re.compile(
    r"\s*(?:\[([^\[\]]{1,40})\]|\(([^()]{1,40})\)|<{1,2}([^<>]{1,40})>{1,2}|\{([^{}]{1,40})\}|"
    r"/\s?([A-Z][A-Z ]{2,20}(?: \d{1,2})?)\s?/)"
)
_IN_FRONT = re.compile(r"^\s*(?:\[([^\W\d_][^\[\].!?]{0,40})\]|\(([^\W\d_][^().!?]{0,40})\))\s+(?=[\"“„«'‘¿¡]*[^\W\d_])")
MOST_WORDS, LONGEST_WORD = 4, 60


def _directions(text: str) -> list[tuple[int, int, str, str]]:
    """Directions in a text: (first, last, what it says, the word before it)."""
    made: list[tuple[int, int, str, str]] = []
    if len(text) > LONGEST:
        return made
    front, whole = _IN_FRONT.match(text), len(text.rstrip())
    if front:
        said = front[1] or front[2]
        behind = text[front.end() :].lstrip("\"“„«'‘¿¡")
        small = said[0].islower() or said.isupper() or _HOW.match(said)
        # In square brackets what stands in front of a sentence is no part of it.
        if (front[1] or (small and len(said.split()) <= MOST_WORDS)) and behind[:1].upper() == behind[:1]:
            made.append((front.start(), front.end(), said, ""))
    for found in _INSIDE.finditer(text, made[0][1] if made else 0):
        square, round_, angled, curly, stroked = found.groups()
        said = (square or round_ or angled or curly or stroked).strip()
        shouted = not round_ and said.isupper() and len(said) > 2
        before = text[max(0, found.start() - LONGEST_WORD) : found.start()].split()
        parts = said.split("-")
        if round_ and before and _SAID_AS.fullmatch(said) and any(map(str.isupper, parts)) and any(map(str.islower, parts)):
            made.append((found.start(), found.end(), f"“{before[-1]}” is said {said}", ""))
        elif round_ and found.end() == whole and _is_behind(said, text[: found.start()]):
            made.append((found.start(), found.end(), said, ""))
        elif (_HOW.match(said) and len(said.split()) <= MOST_WORDS) or shouted:
            made.append((found.start(), found.end(), said, before[-1].strip(',.;:!?“”"') if before else ""))
    return made


def _is_behind(said: str, before: str) -> bool:
    """A few small words in brackets behind a sentence."""
    few = said[:1].islower() and len(said.split()) <= MOST_WORDS
    return few and before.rstrip("\"“”„»'’ ").endswith(SENTENCE_ENDS)


def without_directions(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs whose directions in brackets, “(softly)”, “[beat]”, became notes, each with the word before it."""
    told = [_directions(each.text) for each in found]
    first = next((each.text[one[0][0] : one[0][1]].strip() for each, one in zip(found, told, strict=True) if one), None)
    if first is None:
        return list(found)
    asked = f"{first}{' …' if sum(map(len, told)) > 1 else ''} in the words is"
    if inquiry.ask("directions", asked, NOTES_OR_WORDS, "notes") == "words":
        return list(found)
    made = []
    for each, inside in zip(found, told, strict=True):
        kept, at = "", 0
        for start, end, _, _ in inside:
            # A mark behind it stands close to the word before.
            rest = each.text[end:].lstrip()
            close = each.text[end : end + 1] == "…" or rest[:1] in tuple(",.;:!?")
            kept = f"{kept}{each.text[at:start].rstrip()}{'' if close else ' '}"
            at = len(each.text) - len(rest)
        kept = " ".join((kept + each.text[at:]).split())
        if not inside or not any(letter.isalnum() for letter in kept):
            made.append(each)
            continue
        notes = [f"{said} after “{before}”" if before else said for _, _, said, before in inside]
        made.append(noted(replace(each, text=kept), [each.notes, *notes]))
    return made


_PAUSE = re.compile(
    r"^[\W_]{0,20}(?:long |short |kurze |lange |longue |courte )?(?:pauses?|pausa|silence|stille)\b"
    r"(?:\s+(?:of|for|von|de|di))?\s*"
    r"(?:\d{1,3}\s?(?:s|secs?|seconds?|sek(?:unden)?|secondes?|segundos|secondi|min(?:utes?)?)?)?[\W_]{0,20}$",
    re.IGNORECASE,
)
"""“... pause 5 seconds ...”."""
_GOES_ON = re.compile(r"^\((?:continued|cont.?d\.?|more|fortsetzung|suite)\)$", re.IGNORECASE)


def without_asides(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs that stand in brackets, or between notes of music, become notes for the reader."""

    def goes(text: str) -> bool:
        if len(text) > LONGEST:
            return False
        bare = re.sub(r"\s*\([^()]{1,30}\)$", "", text)
        told = ASIDE.match(text) or MUSIC.fullmatch(bare) or _PAUSE.match(text)
        return bool(told) and not ALONE.match(text) and not is_bite_in_brackets(text)

    asides = [each.text for each in found if goes(each.text)]
    if not asides or len(asides) > 0.7 * len(found):
        return list(found)
    asked = f"{asides[0][:40]}{' …' if len(asides) > 1 else ''} {'are' if len(asides) > 1 else 'is'}"
    if inquiry.ask("asides", asked, NOTES_OR_WORDS, "notes") == "words":
        return list(found)
    kept = [each for each in found if not _GOES_ON.match(each.text)]
    return to_notes(kept, [goes(each.text) for each in kept])


_UNSAID = re.compile(
    r"(?:[^.!?()]{1,40}(?=\())?[\[(–—-]?\s*(?:no (?:vo|v\.o\.|voice(?:[- ]?over)?|narration|commentary|"
    r"text|dialogue|speech|words)|"
    r"keine? (?:text|sprecher(?:text)?|kommentar|off|vo)|ohne (?:text|kommentar)|"
    r"sans (?:voix(?: off)?|texte|commentaire)|sin (?:voz|texto|locución)|"
    r"senza (?:voce|testo)|без (?:текста|слов))\s*[\])–—-]?\.?",
    re.IGNORECASE,
)


def without_unsaid(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs without those that say that nothing is said: “(no VO)”."""
    unsaid = [bool(_UNSAID.fullmatch(each.text)) for each in found]
    if not any(unsaid) or all(unsaid):
        return list(found)
    inquiry.doubt(f"{counted(sum(unsaid), 'place', 'places')} without words left out, with what is noted of them")
    return [each for each, is_one in zip(found, unsaid, strict=True) if not is_one]
