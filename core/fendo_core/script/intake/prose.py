"""Paragraphs of running text: wrapped rows joined; numbers, times and names before the words taken for what they are.

Each of these is asked with the likeliest answer chosen, so that it can be refused.
"""

import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace

from fendo_core.script.intake.inquiry import Inquiry, counted, enough
from fendo_core.script.intake.times import RANGE, Clock, Written, learn, until_next
from fendo_core.script.lines import LONGEST_NOTES, ROW_END, Draft, paragraphs, shared
from fendo_core.timebase import FrameRate, Span


@dataclass(frozen=True, slots=True)
class Paragraph:
    """Words that stand together, with what was noted beside them."""

    text: str
    notes: str = ""
    slot: Span | None = None
    reader: str = ""
    fresh: bool = True
    """Whether it begins behind an empty row."""


# Rows that were wrapped by hand

_SENTENCE_ENDS = tuple('.!?…:;"”»)]。！？')
_ITEM = re.compile(r"\s*(?:[-*+•–]\s|\d{1,3}[.)]\s|\[|\(|>)")
_NARROWEST, _WIDEST = 30, 110
MOST_ROWS_A_LINE = 5


def rows_of(text: str) -> list[list[str]]:
    """The rows of a text, in blocks that empty rows part."""
    blocks: list[list[str]] = [[]]
    for row in ROW_END.split(text):
        if row.strip():
            blocks[-1].append(row)
        elif blocks[-1]:
            blocks.append([])
    return [block for block in blocks if block]


def of_rows(text: str, inquiry: Inquiry, from_pages: bool = False) -> list[Paragraph]:
    """The paragraphs of a text whose rows may be paragraphs, or paragraphs wrapped to a width.

    Args:
        text: the text.
        inquiry: asked whether rows are joined, where they look wrapped.
        from_pages: whether it comes from printed pages, whose rows are never paragraphs.
    """
    blocks = rows_of(text)
    # Wrapped rows become fewer, never so many fewer.
    enough(sum(map(len, blocks)) // MOST_ROWS_A_LINE)
    blocks = [[" ".join(paragraphs(row)) for row in block] for block in blocks]
    blocks = [[row for row in block if row] for block in blocks]
    width = _wrapped_at(blocks, from_pages)
    if width:
        options = (("joined", "joined to paragraphs"), ("rows", "lines of their own"))
        if inquiry.ask("rows", f"rows wrapped at {width} letters are", options, "joined") == "joined":
            blocks = [_joined(block, width) for block in blocks]
    return [Paragraph(row, fresh=place == 0) for block in blocks for place, row in enumerate(block)]


def _next_fits(row: str, below: str, width: int) -> bool:
    return len(row) + 1 + len(below.split(" ", 1)[0]) <= width


def _wrapped_at(blocks: Sequence[Sequence[str]], from_pages: bool) -> int:
    """The width at which rows were wrapped, or 0: then no row could have taken the first word of the next one."""
    plain = [[row for row in block if not _ITEM.match(row)] for block in blocks]
    pairs = [pair for block in plain for pair in zip(block, block[1:], strict=False)]
    # A name or a time on a row of its own is no wrapped row.
    pairs = [(row, below) for row, below in pairs if not _stands_alone(row)]
    if not pairs:
        return 0
    width = max(len(row) for block in plain for row in block)
    if not _NARROWEST <= width <= _WIDEST:
        return width if from_pages else 0
    if from_pages:
        return width
    full = [not _next_fits(row, below, width) for row, below in pairs]
    goes_on = [not row.endswith(_SENTENCE_ENDS) for row, _ in pairs]
    # Rows of sentences end with a mark each; wrapped ones end anywhere, and as late as they can.
    told = sum(is_full or row[-1] not in ".!?" for (row, _), is_full in zip(pairs, full, strict=True))
    many = len(pairs) >= 3 or all(below[:1].islower() for _, below in pairs)
    return width if many and sum(goes_on) >= 0.5 * len(pairs) and sum(full) >= 0.8 * told else 0


def _joined(block: Sequence[str], width: int) -> list[str]:
    """The rows of a block as paragraphs: a new one begins behind a sentence that left room, and at an item."""
    made: list[str] = []
    above = ""
    for row in block:
        begins = (
            not made
            or _ITEM.match(row)
            or _stands_alone(above)
            or _stands_alone(row)
            or _names_somebody(row)
            or (above.endswith(_SENTENCE_ENDS) and _next_fits(above, row, width))
        )
        if begins:
            made.append(row)
        elif made[-1].endswith("-") and made[-1][-2:-1].isalpha() and row[:1].islower():
            # Parted at the end of the row; a hyphen that belongs to the word can't be told from it.
            made[-1] = made[-1][:-1] + row
        else:
            made[-1] += " " + row
        above = row
    return made


# Times, numbers and names in front of the words

_TIME = r"\d{1,2}(?:[:.]\d{2}){2}[:;.,]\d{2,3}|\d{1,2}:\d{2}:\d{2}|\d{1,3}:\d{2}(?:[.,]\d{1,3})?"
_SPAN = rf"(?:{_TIME})(?:{RANGE.pattern}(?:{_TIME}))?"
_ALONE = re.compile(rf"^\W*(?:(?:tc|timecode|time|in)\b[:\s]*)?({_SPAN})[\s\])>:.–—-]*$", re.IGNORECASE)
_BRACKETED = re.compile(rf"^[\[(<{{]\s*({_SPAN})\s*[\])>}}]\s*[:–—-]?\s*(?=\S)")
_BARE = re.compile(rf"^({_SPAN})\s*(?:[|:–—-]\s*|\s)(?=[^\W\d_]|[\"“„«'‘(¿¡])")
_BETWEEN = re.compile(rf"[\[(]({_SPAN})[\])]")
_NAMED_ALONE = re.compile(rf"^([^\W\d_][\w .'’-]{{0,38}}?)\s*[-–—,]?\s*[\[(]?({_SPAN})[\])]?\s*:?$")
_NUMBER = re.compile(r"^(?:#\s*|line\s+|nr\.?\s*|no\.?\s*)?(\d{1,4})(?:[.):]\s*|\s*[-–—]\s+|\t\s*)(?=\S)", re.IGNORECASE)

_IN_OUT = re.compile(
    rf"^\W*(?:tc[ -]?)?in\s*[:=]?\s*({_TIME})\s*[,;|/–-]?\s*(?:tc[ -]?)?out\s*[:=]?\s*({_TIME})[\s\])|:;–-]*", re.IGNORECASE
)
_TC = re.compile(rf"^(?:tc|timecode|time|zeit)\s*[:=]?\s*({_SPAN})(?:[\s\])|:;–-]+|$)", re.IGNORECASE)
_HEADING = re.compile(
    r"^(?:slide|folie|diapositive|diapositiva|dia|слайд|page|seite|scene|szene|sc[eè]ne|escena|scena|сцена|shot|einstellung|chapter|"
    r"kapitel|chapitre|cap[ií]tulo|capitolo|глава|part|teil|partie|parte|часть|section|act|akt|acte|sequence)\s*#?\s*"
    r"(?:\d{1,3}|[ivx]{1,4})\b[^.!?]{0,60}$",
    re.IGNORECASE,
)
_NUMBERED = re.compile(r"(?:line|zeile|ligne|take|vo|v\.o\.|cue|shot|nr\.?|no\.?|text|off)\s*#?\s*\d{1,4}", re.IGNORECASE)
_NO_NAME = re.compile(r"(?:tc|in|out|time|timecode|start|end|dur|duration|notes?)\b.*", re.IGNORECASE)

_EXTRA = r"\s*\((?:[^()]{1,30})\)"
_LABEL = re.compile(
    rf"^([^\W\d_](?:[\w .'’/&#-]|\bv\.o\.){{0,38}}?)({_EXTRA})?\s*(?:[\[(]({_SPAN})[\])]\s*)?[:：]\s*(?=\S|$)"
)
_CUE = re.compile(rf"^([^\W\d_][\w .'’/&#-]{{0,38}}?)({_EXTRA})?$")
_SPOKEN_EXTRA = re.compile(
    r"\(\s*(?:v\.?\s*o\.?|o\.?\s*s\.?|o\.?\s*c\.?|off|voix off|cont.?d\.?|continued|narr\w*)\s*\)", re.I
)
_SPEAKERS = re.compile(
    r"(?:narrator|speaker|reader|voice|host|presenter|announcer|interviewer|interviewee|man|woman|sprecher(?:in)?|erz[äa]hler(?:in)?"
    r"|narrateur|narratrice|locuteur|lecteur|narrador|narradora|locutora?|narratore|speakerin|verteller|диктор|рассказчик)"
    r"(?:\s*#?\s*(?:\d{1,2}|[a-z]|one|two|three))?",
    re.IGNORECASE,
)
_VOICE = re.compile(
    r"(?:vo|v\.o\.|voice[- ]?over|narration|audio|sound|text|script|dialogue|commentary|ton|sprechertext|off|voix off|"
    r"commentaire|texte|narraci[oó]n|locuci[oó]n|voz en off|testo|narrazione|voce|tekst|текст)",
    re.IGNORECASE,
)
_PICTURE = re.compile(
    r"(?:video|picture|pictures|visual|visuals|image|images|vision|shot|on[- ]screen(?: text)?|screen|super|"
    r"graphic|graphics|gfx|sfx|fx|music|bild|bilder|insert|musik|ger[äa]usch|visuel|musique|imagen|v[íi]deo|m[úu]sica|immagine|immagini|musica|beeld|muziek|"
    r"note|notes|direction|scene|int|ext)",
    re.IGNORECASE,
)
_ASIDE = re.compile(r"^(?:\([^()]*\)|\[[^\[\]]*\]|[♪♫][^♪♫]*[♪♫]?)[.:]?$")
_SCENE = re.compile(r"^(?:int|ext|int\./ext|i/e)[. ]", re.IGNORECASE)


def _stands_alone(row: str) -> bool:
    return bool(_ALONE.match(row) or _NAMED_ALONE.match(row) or _is_cue(row))


def _names_somebody(row: str) -> bool:
    """A name in capitals, or a word for a speaker, before a colon."""
    found = _LABEL.match(row)
    name = found[1].strip() if found else ""
    return bool(
        name and (name.isupper() or _SPEAKERS.fullmatch(name) or _PICTURE.fullmatch(name) or _VOICE.fullmatch(name))
    )


def _is_cue(row: str) -> bool:
    """A name on a row of its own, above what it says."""
    if row.endswith(":") and len(row) < 40:
        return bool(_LABEL.match(row))
    found = _CUE.match(row)
    return bool(found and found[1].isupper() and found[2] and _SPOKEN_EXTRA.search(found[2]))


def drafts_of(found: Sequence[Paragraph], rate: FrameRate, start_frame: int, inquiry: Inquiry) -> list[Draft]:
    """Lines of paragraphs: numbers, times and names in front of the words are taken for what they are, and asked.

    Raises:
        ScriptRefused: for far more paragraphs than a production holds lines.
    """
    enough(len(found))
    found = [replace(each, text=_plain_times(each.text)) for each in _without_numbers(found, inquiry)]
    found = _without_headings(_without_asides(found, inquiry), inquiry)
    return _drafts(_with_readers(_with_times(found, rate, start_frame, inquiry), inquiry))


def drafts_of_cells(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Draft]:
    """Lines of cells and cues, whose slots are known: names before the words are taken for who reads."""
    found = _without_asides(found, inquiry)
    if any(each.reader for each in found):
        return _drafts(found)
    return _drafts(_with_readers(found, inquiry, sticky=False))


def _without_numbers(found: Sequence[Paragraph], inquiry: Inquiry) -> Sequence[Paragraph]:
    """Paragraphs without the numbers in front of them, where these count up one by one."""
    places = [(place, match) for place, each in enumerate(found) if (match := _NUMBER.match(each.text))]
    numbers = [int(match[1]) for _, match in places]
    steps = [later - earlier for earlier, later in zip(numbers, numbers[1:], strict=False)]
    if (
        len(numbers) < 3
        or len(numbers) < 0.5 * len(found)
        or not steps
        or sum(step == 1 for step in steps) < 0.9 * len(steps)
    ):
        return found
    options = (("out", "numbers, not read"), ("words", "words"))
    if inquiry.ask("numbers", f"{places[0][1][0].strip()} … {places[-1][1][0].strip()} are", options, "out") == "words":
        return found
    kept = list(found)
    for place, match in places:
        kept[place] = replace(kept[place], text=kept[place].text[match.end() :])
    return kept


def _plain_times(text: str) -> str:
    """A paragraph whose times are said with words, as it would be with times alone."""
    both = _IN_OUT.match(text)
    if both:
        return f"[{both[1]} - {both[2]}] {text[both.end() :]}".rstrip()
    named = _TC.match(text)
    return f"[{named[1]}] {text[named.end() :]}".rstrip() if named else text


def _noted(paragraph: Paragraph, notes: Iterable[str]) -> Paragraph:
    return replace(paragraph, notes="\n".join(filter(None, notes))[:LONGEST_NOTES])


def _to_notes(found: Sequence[Paragraph], goes: Callable[[str], bool]) -> list[Paragraph]:
    """Paragraphs of which some become notes of the next one, or of the last."""
    kept: list[Paragraph] = []
    held: list[str] = []
    for each in found:
        if goes(each.text):
            held += filter(None, (each.text.strip("()[]♪♫ .:"), each.notes))
            continue
        kept.append(_noted(each, [*held, each.notes]))
        held = []
    if held and kept:
        kept[-1] = _noted(kept[-1], [kept[-1].notes, *held])
    return kept


def _without_asides(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs that stand in brackets, or between notes of music, become notes for the reader."""

    def goes(text: str) -> bool:
        return bool(_ASIDE.match(text)) and not _ALONE.match(text)

    asides = [each.text for each in found if goes(each.text)]
    if not asides or len(asides) > 0.7 * len(found):
        return list(found)
    options = (("notes", "notes for the reader"), ("words", "words"))
    asked = f"{asides[0][:40]}{' …' if len(asides) > 1 else ''} {'are' if len(asides) > 1 else 'is'}"
    return list(found) if inquiry.ask("asides", asked, options, "notes") == "words" else _to_notes(found, goes)


def _without_headings(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """“Slide 3”, “Scene 2: the bell” on rows of their own become notes of what stands below."""
    headings = [each.text for each in found if _HEADING.match(each.text)]
    if len(headings) < 2 or len(headings) > 0.6 * len(found):
        return list(found)
    options = (("notes", "notes for the reader"), ("words", "words"))
    if inquiry.ask("headings", f"{headings[0][:30]} … {headings[-1][:30]} are", options, "notes") == "words":
        return list(found)
    return _to_notes(found, lambda text: bool(_HEADING.match(text)))


@dataclass(frozen=True, slots=True)
class _Timed:
    """A time in front of some paragraphs."""

    written: str
    under: tuple[Paragraph, ...]


def _with_times(found: Sequence[Paragraph], rate: FrameRate, start_frame: int, inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs with the slots that times in their text give; paragraphs under one time share it."""
    parted, sure, bare = _at_times(found)
    if not sure and not (bare >= 2 and bare >= 0.4 * len(found)):
        return list(found)
    with_time = [group for group in parted if group.written]
    options = (("slots", "where lines start and end"), ("words", "words"))
    asked = f"{with_time[0].written} … {with_time[-1].written} are" if len(with_time) > 1 else f"{with_time[0].written} is"
    if inquiry.ask("times", asked, options, "slots") == "words":
        return list(found)
    rows: list[Written] = [(group.written, "", " ".join(each.text for each in group.under)) for group in with_time]
    clock = learn(rows, rate, start_frame, inquiry)
    if any(later < earlier for earlier, later in _pairs([clock.times(row[0])[0] for row in rows])):
        inquiry.doubt("the times do not run in the order of the lines")
    slots = iter(_slots(rows, clock, inquiry))
    made: list[Paragraph] = []
    for group in parted:
        slot = next(slots) if group.written else None
        if not group.under:
            if group.written:
                inquiry.doubt(f"{group.written} has no words and was left out")
            continue
        spoken = [n for n, each in enumerate(group.under) if not _aside(each.text)]
        parts = iter(shared(slot, [len(group.under[n].text) for n in spoken], rate)) if slot and spoken else iter(())
        made += [replace(each, slot=next(parts, None) if n in spoken else None) for n, each in enumerate(group.under)]
    return made


def _pairs(values: Iterable[int | None]) -> list[tuple[int, int]]:
    known = [value for value in values if value is not None]
    return list(zip(known, known[1:], strict=False))


def _aside(text: str) -> bool:
    label = _LABEL.match(text)
    return bool(_SCENE.match(text) or _is_cue(text) or (label and _PICTURE.fullmatch(label[1].strip())))


def _slots(rows: Sequence[Written], clock: Clock, inquiry: Inquiry) -> list[Span | None]:
    """A slot for each time; where the file does not say an end, it is where the next one starts."""
    read = [clock.times(start) for start, _, _ in rows]
    slots = [
        clock.slot(start, end, f"“{row[0]}”", inquiry)
        for row, (start, end) in zip(rows, until_next(read, [row[2] for row in rows]), strict=True)
    ]
    if any(start is not None and end is None for start, end in read):
        inquiry.doubt(
            "where lines end is not said: each slot ends where the next one starts"
            + ("" if read[-1][1] is not None else ", the last one by the length of its words")
        )
    return slots


def _at_times(found: Sequence[Paragraph]) -> tuple[list[_Timed], int, int]:
    """Paragraphs in groups, each behind its time; how many times are sure (in brackets, ranges, alone), how many bare."""
    groups: list[tuple[str, list[Paragraph]]] = [("", [])]
    sure = bare = 0
    for each in found:
        text = each.text
        alone = _ALONE.match(text)
        named = None if alone else _NAMED_ALONE.match(text)
        if alone:
            sure += 1
            groups.append((alone[1], []))
            continue
        if named and not _PICTURE.fullmatch(named[1].strip()):
            sure += 1
            groups.append((named[2], []))
            if not _NUMBERED.fullmatch(named[1].strip()):
                groups[-1][1].append(replace(each, text=f"{named[1].strip()}:"))
            continue
        head = _BRACKETED.match(text)
        if head:
            sure += 1
            for written, words in _between(text, head):
                groups.append((written, [replace(each, text=words)]))
            continue
        head = _BARE.match(text)
        if head:
            is_range = RANGE.search(head[1])
            sure += bool(is_range)
            bare += not is_range
            groups.append((head[1], [replace(each, text=text[head.end() :])]))
            continue
        label = _LABEL.match(text)
        if label and label[3]:
            sure += 1
            name = label[1].strip()
            words = text[label.end() :] if _NUMBERED.fullmatch(name) else f"{name}: {text[label.end() :]}"
            groups.append((label[3], [replace(each, text=words)]))
            continue
        groups[-1][1].append(each)
    return [_Timed(written, tuple(under)) for written, under in groups if written or under], sure, bare


def _between(text: str, head: re.Match[str]) -> Iterator[tuple[str, str]]:
    """The words of a paragraph behind each of the bracketed times in it."""
    written, at = head[1], head.end()
    for found in _BETWEEN.finditer(text, head.end()):
        words = text[at : found.start()].strip()
        if words:
            yield written, words
        written, at = found[1], found.end()
    words = text[at:].strip(" :–—-")
    if words:
        yield written, words


# Who reads


def _with_readers(found: Sequence[Paragraph], inquiry: Inquiry, sticky: bool = True) -> list[Paragraph]:
    """Paragraphs with the readers that are named before them; directions and pictures become notes of the next line.

    Args:
        found: the paragraphs.
        inquiry: asked whether names are names.
        sticky: whether who was named goes on reading below.
    """
    names = _names(found, sure=not sticky)
    labels = [match[1].strip() for each in found if (match := _LABEL.match(each.text))]
    pictures = {each for each in labels if _PICTURE.fullmatch(each)}
    voices = {each for each in labels if _VOICE.fullmatch(each) or _NUMBERED.fullmatch(each)}
    if not names and not voices:
        return list(found)
    shown = ", ".join(sorted({*names, *voices})[:4])
    options = (("readers", "who reads, and what is seen"), ("words", "words"))
    if inquiry.ask("readers", f"{shown}, in front of the words, say", options, "readers") == "words":
        return list(found)
    screenplay = any(_is_cue(each.text) and not each.text.endswith(":") for each in found)
    made: list[Paragraph] = []
    notes: list[str] = []
    reader, awaited, unsaid = "", False, 0
    for each in found:
        label = _LABEL.match(each.text)
        name = label[1].strip() if label else ""
        if label and name in pictures:
            notes.append(each.text[label.end() :] or name)
            continue
        cue = _cue_name(each.text, names)
        if sticky and cue is not None and not (label and each.text[label.end() :]):
            reader, awaited = "" if _VOICE.fullmatch(cue) else cue, True
            notes += filter(None, [each.notes])
            if each.slot is not None:
                # The time stood before the name: it belongs to what is said under it.
                made.append(replace(each, text=""))
            continue
        if label and (name in names or name in voices):
            reader = "" if name in voices else name
            extra = (label[2] or "").strip()
            if extra and not _SPOKEN_EXTRA.fullmatch(extra):
                notes.append(extra.strip("() "))
            each, awaited = replace(each, text=each.text[label.end() :]), True
        elif _SCENE.match(each.text):
            notes.append(each.text)
            continue
        elif screenplay and not awaited and each.fresh:
            unsaid += 1
            notes.append(each.text)
            continue
        elif not sticky:
            reader = ""
        slot = each.slot
        if made and not made[-1].text:
            slot = slot or made.pop().slot
        made.append(_noted(replace(each, reader=reader, slot=slot), [*notes, each.notes]))
        notes, awaited = [], not screenplay
    if unsaid:
        inquiry.doubt(f"{counted(unsaid, 'paragraph', 'paragraphs')} that nobody reads became notes of the line below")
    if notes and made:
        made[-1] = _noted(made[-1], [made[-1].notes, *notes])
    return made


def _cue_name(text: str, names: set[str]) -> str | None:
    """Who speaks next, where a row names somebody and nothing else."""
    found = _CUE.match(text.rstrip(":").strip())
    if not found:
        return None
    name = found[1].strip()
    is_voice = bool(found[2] and _SPOKEN_EXTRA.search(found[2]) and _VOICE.fullmatch(name))
    return name if name in names or is_voice or text.endswith(":") else None


def _names(found: Sequence[Paragraph], sure: bool) -> set[str]:
    """Who is named before words: known words for speakers, names in capitals, and names that come again.

    Args:
        found: the paragraphs.
        sure: whether a few names are not enough.
    """
    labelled: Counter[str] = Counter()
    cued: Counter[str] = Counter()
    for place, each in enumerate(found):
        label = _LABEL.match(each.text)
        if label:
            labelled[label[1].strip()] += 2 if label[2] and _SPOKEN_EXTRA.search(label[2]) else 1
            continue
        cue = _CUE.match(each.text)
        if cue and cue[1].isupper() and len(cue[1]) > 1 and len(cue[1].split()) <= 4 and not _SCENE.match(each.text):
            # In capitals above words that are not: once with “(V.O.)”, twice without.
            above_words = place + 1 < len(found) and found[place + 1].text != found[place + 1].text.upper()
            sure_cue = cue[2] and _SPOKEN_EXTRA.search(cue[2])
            cued[cue[1].strip()] += 2 if sure_cue or _SPEAKERS.fullmatch(cue[1].strip()) else int(above_words)
    often = sum(labelled.values()) >= 0.3 * len(found)
    names = {
        name
        for name, times in labelled.items()
        if not _PICTURE.fullmatch(name)
        and not _VOICE.fullmatch(name)
        and not _NUMBERED.fullmatch(name)
        and not _NO_NAME.fullmatch(name)
        and len(name.split()) <= 4
        and (_SPEAKERS.fullmatch(name) or name.isupper() or (times > 1 and often and name.istitle()))
    }
    # One shouted word with a colon is as likely a heading as a name.
    named = sum(labelled[name] for name in names)
    if (sure or len(found) > 2) and named < 2 and not any(map(_SPEAKERS.fullmatch, names)):
        names = set()
    if sure and not often:
        return set()
    return names | {name for name, times in cued.items() if times >= 2}


def _drafts(found: Iterable[Paragraph]) -> list[Draft]:
    return [Draft(each.text, each.slot, each.notes, each.reader) for each in found if each.text]
