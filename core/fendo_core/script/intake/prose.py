"""Paragraphs of running text: wrapped rows joined; numbers, times and names before the words taken for what they are.

Each of these is asked with the likeliest answer chosen, so that it can be refused.
"""

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace

from fendo_core.script.intake.around import without_directions, without_page_marks, without_titles
from fendo_core.script.intake.inquiry import Inquiry, counted, enough
from fendo_core.script.intake.paragraph import SENTENCE_ENDS, Paragraph, noted, to_notes
from fendo_core.script.intake.times import RANGE, Clock, Written, learn, until_next
from fendo_core.script.lines import ROW_END, Draft, paragraphs, shared
from fendo_core.timebase import FrameRate, Span

# Rows that were wrapped by hand

_ITEM = re.compile(r"\s*(?:[-*+•–]\s|\d{1,3}[.)]\s|\[|\(|>)")
_NAME_AND_TAB = re.compile(r"^([^\W\d_a-z][^\W\d_a-z .'’-]{1,30}):?\t+(?=\S)")
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
    blocks = [[" ".join(paragraphs(_NAME_AND_TAB.sub(r"\1: ", row))) for row in block] for block in blocks]
    blocks = [[row for row in block if row] for block in blocks]
    width = _wrapped_at(blocks, from_pages)
    if width:
        options = (("joined", "joined to paragraphs"), ("rows", "lines of their own"))
        if inquiry.ask("rows", f"rows wrapped at {width} letters are", options, "joined") == "joined":
            blocks = [_joined(block, width) for block in blocks]
    return [_of_row(row, place == 0) for block in blocks for place, row in enumerate(block)]


_HASHED = re.compile(r"^#{1,6}\s+(?=[^\W\d_])")


def _of_row(row: str, fresh: bool) -> Paragraph:
    """A row as a paragraph; `# The bell` is a heading in plain text too."""
    return Paragraph(_HASHED.sub("", row), fresh=fresh, heading=bool(_HASHED.match(row)))


def _next_fits(row: str, below: str, width: int) -> bool:
    return len(row) + 1 + len(below.split(" ", 1)[0]) <= width


def _wrapped_at(blocks: Sequence[Sequence[str]], from_pages: bool) -> int:
    """The width at which rows were wrapped, or 0: then no row could have taken the first word of the next one."""
    plain = [[row for row in block if not _ITEM.match(row)] for block in blocks]
    pairs = [pair for block in plain for pair in zip(block, block[1:], strict=False)]
    # A name or a time on a row of its own is no wrapped row.
    pairs = [(row, below) for row, below in pairs if not _stands_alone(row)]
    if not pairs and not (from_pages and any(len(block) > 1 for block in blocks)):
        return 0
    width = max(len(row) for block in (plain if pairs else blocks) for row in block)
    if not _NARROWEST <= width <= _WIDEST:
        return width if from_pages else 0
    if from_pages:
        return width
    full = [not _next_fits(row, below, width) for row, below in pairs]
    goes_on = [not row.endswith(SENTENCE_ENDS) for row, _ in pairs]
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
            or (above.endswith(SENTENCE_ENDS) and _next_fits(above, row, width))
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

_TIME = (
    r"\d{1,2}(?:[:.]\d{2}){2}[:;.,]\d{2,3}|\d{1,2}:\d{2}:\d{2}|\d{1,3}:\d{2}(?:[.,]\d{1,3})?"
    r"|\d{1,2}\s?['′’]\s?\d{2}(?:\s?(?:''|’’|[\"″”]))?|\d{1,2}\s?m(?:in)?\s?\d{1,2}\s?s(?:ec)?"
)
_SPAN = rf"(?:{_TIME})(?:{RANGE.pattern}(?:{_TIME}))?"
_ALONE = re.compile(rf"^\W*(?:(?:tc|timecode|time|in)\b[:\s]*)?({_SPAN})[\s\])>:.–—-]*$", re.IGNORECASE)
_BRACKETED = re.compile(rf"^[\[(<{{]\s*({_SPAN})\s*[\])>}}]\s*[:–—-]?\s*(?=\S)")
_BARE = re.compile(rf"^({_SPAN})\s*(?:[|:–—-]\s*|\s)(?=[^\W\d_]|[\"“„«'‘(¿¡])")
_BETWEEN = re.compile(rf"[\[(]({_SPAN})[\])]")
_NAMED_ALONE = re.compile(rf"^([^\W\d_][\w .'’-]{{0,38}}?)\s*[-–—,]?\s*[\[(]?({_SPAN})[\])]?\s*:?$")
_NUMBER = re.compile(
    rf"^(?:#\s*|line\s+|nr\.?\s*|no\.?\s*)?(\d{{1,4}})(?:[.):]\s*|\s*[-–—]\s+|\t\s*|\s+(?=[\[(]?(?:{_TIME})))(?=\S)",
    re.IGNORECASE,
)
_AT_END = re.compile(rf"\s*[\[(]\s*({_SPAN})\s*[\])]\s*$")

_IN = r"(?:in|start|begin|from|ein|von|anfang|entr[ée]e|d[ée]but|entrada|inicio|inizio|вход|начало)"
_OUT = r"(?:out|end|to|until|aus|bis|ende|sortie|fin|salida|fine|saída|выход|конец)"
_CODE = r"(?:tc|timecode|time)?[ -]?"
_IN_ALONE = re.compile(rf"^\W*{_CODE}{_IN}\s*[:=]?\s*({_TIME})\W*$", re.IGNORECASE)
_OUT_ALONE = re.compile(rf"^\W*{_CODE}{_OUT}\s*[:=]?\s*({_TIME})\W*$", re.IGNORECASE)
_IN_OUT = re.compile(
    rf"^(?:(?:cue|line|vo|take|nr\.?|no\.?|#)\s*#?\d{{1,4}})?\W*{_CODE}{_IN}\s*[:=]?\s*({_TIME})\s*[,;|/–-]?\s*"
    rf"{_CODE}{_OUT}\s*[:=]?\s*({_TIME})(?:\W*(?:dur|duration|length|dauer|durée)\.?\s*[:=]?\s*[\d:.,]+)?[\s\])|:;–-]*",
    re.IGNORECASE,
)
_TC = re.compile(rf"^(?:tc|timecode|time|zeit)\s*[:=]?\s*({_SPAN})(?:[\s\])|:;–-]+|$)", re.IGNORECASE)
_HEADING = re.compile(
    r"^(?:slide|folie|diapositive|diapositiva|dia|слайд|page|seite|scene|szene|sc[eè]ne|escena|scena|сцена|shot|einstellung|chapter|"
    r"kapitel|chapitre|cap[ií]tulo|capitolo|глава|part|teil|partie|parte|часть|section|act|akt|acte|sequence)\s*#?\s*"
    r"(?:\d{1,3}|[ivx]{1,4})\b[^.!?]{0,60}$",
    re.IGNORECASE,
)
_NUMBERED = re.compile(r"(?:line|zeile|ligne|take|vo|v\.o\.|cue|shot|nr\.?|no\.?|text|off)\s*#?\s*\d{1,4}", re.IGNORECASE)
_MUSIC = re.compile(r"(?:music|musik|musique|música|musica|atmo|sfx|nat(?:ural)? sound|nats)[.!]?", re.IGNORECASE)
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
    r"(?:narrator|narr|anncr|[fm]vo|speaker|reader|voice|host|presenter|announcer|interviewer|interviewee|man|woman|sprecher(?:in)?|erz[äa]hler(?:in)?"
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
    r"graphic|graphics|gfx|sfx|fx|atmos?|music|fade (?:in|out|to [a-z]{2,9})|(?:smash |match |jump )?cut to|"
    r"dissolve to|back to|bild|bilder|insert|musik|ger[äa]usch|visuel|musique|imagen|v[íi]deo|"
    r"m[úu]sica|immagine|immagini|musica|beeld|muziek|"
    r"note|notes|direction|scene|int|ext)",
    re.IGNORECASE,
)
_GOES_ON = re.compile(r"^\((?:continued|cont.?d\.?|more|fortsetzung|suite)\)$", re.IGNORECASE)
_ASIDE = re.compile(r"^(?://.*|\{[^{}]*\}|\([^()]*\)|\[[^\[\]]*\]|[♪♫][^♪♫]*[♪♫]?)[.:]?$")
_SCENE = re.compile(
    r"^(?i:int|ext|int\./ext|i/e)[. ]|"
    r"^(?:>\s*)?(?:(?:FADE|CUT|DISSOLVE|SMASH CUT|MATCH CUT)\b[^a-z.:]{0,30}|TITLES?|CREDITS)[.:]?$"
)


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
    found = _without_bullets(_with_times_joined(without_page_marks(found, inquiry)))
    found = _with_name_colons(_with_colons(_without_numbers(found, inquiry)))
    found = _with_times_in_front([replace(each, text=_plain_times(each.text)) for each in found])
    found = _without_names_of_lines(found, inquiry)
    found = without_titles(found, inquiry, _is_more)
    found = _without_headings(_without_asides(found, inquiry), inquiry)
    found = _without_bites(_with_times(found, rate, start_frame, inquiry), inquiry)
    found = _with_readers(_without_numbered(found, inquiry), inquiry)
    return _drafts(without_directions(found, inquiry))


def is_speaker(text: str) -> bool:
    """Whether a text names who speaks: “Narrator”, “Speaker 2”."""
    return bool(_SPEAKERS.fullmatch(text.strip(" :")))


def spoken_in_cell(rows: Sequence[str]) -> tuple[list[str], list[str]]:
    """The paragraphs of a cell that are read, and those that are notes: not what is heard in the film, or seen in it."""
    labels = [_LABEL.match(row) for row in rows]
    names = [label[1].strip() if label else "" for label in labels]
    pictured = [
        bool(_PICTURE.fullmatch(name)) or bool(_MUSIC.fullmatch(row)) for name, row in zip(names, rows, strict=True)
    ]
    if not any(map(_is_bite, rows)) and not any(pictured):
        return list(rows), []
    said: list[str] = []
    notes: list[str] = []
    in_film = False
    for row, label, seen in zip(rows, labels, pictured, strict=True):
        if _is_bite(row):
            in_film = True
        elif seen:
            notes.append(row[label.end() :] or row.strip(" :") if label else row)
        elif label:
            in_film = False
            said.append(row)
        elif not in_film:
            said.append(row)
    return said, notes


def drafts_of_cells(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Draft]:
    """Lines of cells and cues, whose slots are known: names before the words are taken for who reads."""
    found = _without_asides(found, inquiry)
    if not any(each.reader for each in found):
        found = _with_readers(found, inquiry, sticky=False)
    return _drafts(without_directions(found, inquiry))


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


def _with_times_joined(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs of which “TC in …” and “TC out …”, each on a row of its own, are one."""
    made: list[Paragraph] = []
    begun: re.Match[str] | None = None
    for each in found:
        ended = _OUT_ALONE.match(each.text) if begun else None
        if begun and ended:
            made[-1] = replace(made[-1], text=f"[{begun[1]} - {ended[1]}]")
            begun = None
            continue
        begun = _IN_ALONE.match(each.text)
        made.append(each)
    return made


_NAME_OF_LINE = re.compile(
    # With a letter in it: numbers alone may be years.
    r"^(?:(?P<id>(?=[\d.-]*[^\W\d])(?:[^\W\d]{1,12}[_. -]?)?\d{1,5}(?:[._-][^\W\d_]{0,4}\d{1,5})*(?:\.(?:wav|mp3|aiff?))?)|"
    r"(?P<letter>[a-zA-Z])|(?P<roman>[IVX]{1,5}))(?:\s*[.):]\s+|\s+[-–—]\s+)(?=\S)|"
    r"^(?P<section>\d{1,3}(?:\.\d{1,3}){1,3})\s+(?=[^\W\d_])"
)


def _without_names_of_lines(found: Sequence[Paragraph], inquiry: Inquiry) -> Sequence[Paragraph]:
    """Paragraphs without “S01_L003:”, “vo_003.wav -”, “c)” or “III.” in front, where nearly all have one of their own."""
    heads = [_NAME_OF_LINE.match(each.text) for each in found]
    told = [head for head in heads if head]
    names = [next(filter(None, head.groups())) for head in told]
    if len(told) < 3 or len(told) < 0.8 * len(found) or len(set(names)) < len(names):
        return found
    if any(_SPEAKERS.fullmatch(name) for name in names):
        return found
    counted_up = names in (_alphabet(len(names)), _alphabet(len(names), "A"), _ROMANS[: len(names)])
    if not counted_up and not all(head["id"] or head["section"] for head in told):
        return found
    options = (("out", "numbers, not read"), ("words", "words"))
    if inquiry.ask("numbers", f"{told[0][0].strip()} … {told[-1][0].strip()} are", options, "out") == "words":
        return found
    return [replace(each, text=each.text[head.end() :]) if head else each for each, head in zip(found, heads, strict=True)]


_ROMANS = [
    "I",
    "II",
    "III",
    "IV",
    "V",
    "VI",
    "VII",
    "VIII",
    "IX",
    "X",
    "XI",
    "XII",
    "XIII",
    "XIV",
    "XV",
    "XVI",
    "XVII",
    "XVIII",
    "XIX",
    "XX",
]


def _alphabet(count: int, first: str = "a") -> list[str]:
    return [chr(ord(first) + n) for n in range(min(count, 26))]


_SECONDS = re.compile(r"^(\d{1,4})\s?(?:s|secs?|seconds?|sek)\.?\s*[:–—-]\s*(?=\S)", re.IGNORECASE)
_DOTTED = re.compile(r"^\[?(\d{1,2})\.(\d{2})\s*([-–—])\s*(\d{1,2})\.(\d{2})\]?\s+(?=\S)")


def _with_colons(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs with `0:12` in front where most of them have `12 s:`, and `0:12 - 0:18` where they have `0.12 - 0.18`."""
    if sum(bool(_SECONDS.match(each.text)) for each in found) >= max(2, 0.6 * len(found)):
        clocks = [_SECONDS.sub(lambda m: f"[{int(m[1]) // 60}:{int(m[1]) % 60:02}] ", each.text) for each in found]
        return [replace(each, text=text) for each, text in zip(found, clocks, strict=True)]
    if sum(bool(_DOTTED.match(each.text)) for each in found) < max(2, 0.6 * len(found)):
        return list(found)
    return [replace(each, text=_DOTTED.sub(r"[\1:\2\3\4:\5] ", each.text)) for each in found]


_DASHED = re.compile(r"^(?:\[([^\W\d_][\w .'’-]{0,30})\]|([^\W\d_][\w .'’-]{0,30}?)\s+[-–—])\s+(?=\S)")


def _with_name_colons(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs with `NAME:` in front where most of them have `NAME -` or `[NAME]`, and a name comes again."""
    heads = [_DASHED.match(each.text) for each in found]
    names = [(head[1] or head[2]) if head else "" for head in heads]
    told = [name for name in names if name and (name.isupper() or _SPEAKERS.fullmatch(name))]
    if len(told) < max(2, 0.5 * len(found)) or len(set(told)) > 0.6 * len(told):
        return list(found)
    return [
        replace(each, text=f"{name}: {each.text[head.end() :]}") if head and name in told else each
        for each, head, name in zip(found, heads, names, strict=True)
    ]


def _with_times_in_front(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs with the times in front that most of them have at the end."""
    named = [_NAMED_ALONE.match(each.text) for each in found]
    ends = [
        None if name and not name[1].endswith(SENTENCE_ENDS) else _AT_END.search(each.text)
        for each, name in zip(found, named, strict=True)
    ]
    if sum(map(bool, ends)) < max(2, 0.5 * len(found)):
        return list(found)
    return [
        replace(each, text=f"[{end[1]}] {each.text[: end.start()]}") if end and end.start() else each
        for each, end in zip(found, ends, strict=True)
    ]


def _is_more(text: str) -> bool:
    """A time, a name, a direction or a heading: no title."""
    head = _BRACKETED.match(text) or _BARE.match(text) or _ALONE.match(text) or _NAMED_ALONE.match(text)
    begun = head or _ASIDE.match(text) or _HEADING.match(text) or _SCENE.match(text) or _is_bite(text)
    return bool(begun or _names_somebody(text) or _is_cue(text) or _is_numbered(text))


def _plain_times(text: str) -> str:
    """A paragraph whose times are said with words, as it would be with times alone."""
    both = _IN_OUT.match(text)
    if both:
        return f"[{both[1]} - {both[2]}] {text[both.end() :]}".rstrip()
    named = _TC.match(text)
    return f"[{named[1]}] {text[named.end() :]}".rstrip() if named else text


def _without_asides(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs that stand in brackets, or between notes of music, become notes for the reader."""

    def goes(text: str) -> bool:
        return bool(_ASIDE.match(text)) and not _ALONE.match(text)

    asides = [each.text for each in found if goes(each.text)]
    if not asides or len(asides) > 0.7 * len(found):
        return list(found)
    options = (("notes", "notes for the reader"), ("words", "words"))
    asked = f"{asides[0][:40]}{' …' if len(asides) > 1 else ''} {'are' if len(asides) > 1 else 'is'}"
    if inquiry.ask("asides", asked, options, "notes") == "words":
        return list(found)
    return to_notes([each for each in found if not _GOES_ON.match(each.text)], lambda each: goes(each.text))


def _without_headings(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """“Slide 3”, “Scene 2: the bell” on rows of their own, and what a document calls headings, become notes of what stands
    below."""

    found = _with_implied(found)

    def goes(each: Paragraph) -> bool:
        return each.heading or bool(_HEADING.match(each.text))

    headings = [each.text for each in found if goes(each)]
    called = any(each.heading for each in found)
    if len(headings) < (1 if called else 2) or len(headings) > 0.6 * len(found):
        return list(found)
    options = (("notes", "notes for the reader"), ("words", "words"))
    shown = f"{headings[0][:30]} … {headings[-1][:30]} are" if len(headings) > 1 else f"{headings[0][:40]} is"
    if inquiry.ask("headings", shown, options, "notes") == "words":
        return list(found)
    return to_notes(found, goes)


def _with_implied(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs with those marked as headings that look like it: short, in capitals, without an end, above sentences."""

    def implied(text: str) -> bool:
        words = [word for word in text.split() if len(word) > 3] or text.split()
        return len(text.split()) <= 6 and not text.endswith(SENTENCE_ENDS) and all(word[0].isupper() for word in words)

    marked = [
        each.fresh and implied(each.text) and below.text.endswith(SENTENCE_ENDS) and not _is_more(each.text)
        for each, below in zip(found, found[1:], strict=False)
    ]
    marked += [False] * (len(found) - len(marked))
    others = [each.text.endswith(SENTENCE_ENDS) for each, is_one in zip(found, marked, strict=True) if not is_one]
    if sum(marked) < 2 or sum(marked) > 0.5 * len(found) or sum(others) < 0.9 * len(others):
        return list(found)
    return [replace(each, heading=each.heading or is_one) for each, is_one in zip(found, marked, strict=True)]


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
        alone = len(group.under) == 1
        spoken = [
            n for n, each in enumerate(group.under) if alone or not (_aside(each.text) or _is_shouted_name(each.text))
        ]
        parts = iter(shared(slot, [len(group.under[n].text) for n in spoken], rate)) if slot and spoken else iter(())
        made += [replace(each, slot=next(parts, None) if n in spoken else None) for n, each in enumerate(group.under)]
    return made


def _is_shouted_name(row: str) -> bool:
    return row.isupper() and bool(_CUE.match(row)) and len(row.split()) <= 4


def _pairs(values: Iterable[int | None]) -> list[tuple[int, int]]:
    known = [value for value in values if value is not None]
    return list(zip(known, known[1:], strict=False))


def _aside(text: str) -> bool:
    label = _LABEL.match(text)
    return bool(
        _SCENE.match(text)
        or _is_cue(text)
        or _is_bite(text)
        or _is_numbered(text)
        or (label and _PICTURE.fullmatch(label[1].strip()))
    )


_BITE = re.compile(
    r"^(?:sot|o-?t[oö]ne?|originalton|itw|sync|bite|sound ?bite|actuality|grab|vox pops?|interview|intervista|entrevista|"
    r"zuspieler|синхрон|интершум)\b",
    re.IGNORECASE,
)
"""What somebody says in the film."""


def _is_bite(text: str) -> bool:
    """Whether a row begins like that, with nothing behind it but a name, up to a colon or the end of the row."""
    found = _BITE.match(text)
    if not found:
        return False
    name = re.split(r"[:：(]", text[found.end() :], maxsplit=1)[0].split()
    return len(name) <= 6 and all(not word[0].islower() for word in name)


def _without_bites(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs without what is heard in the film itself: “SOT Anna: …”, or all under such a row up to the next name."""
    gone: set[int] = set()
    below = False
    for place, each in enumerate(found):
        label = _LABEL.match(each.text)
        called = _is_bite(each.text)
        alone = called and len(each.text) < 60 and not each.text.endswith((".", "!", "?", "…"))
        if label or called or _is_cue(each.text) or _is_numbered(each.text) or _HEADING.match(each.text) or each.heading:
            below = alone and not (label and each.text[label.end() :].strip())
        if (called and (label or alone)) or below:
            gone.add(place)
    if not gone or len(gone) > 0.8 * len(found):
        return list(found)
    options = (("out", "left out"), ("lines", "lines"))
    asked = f"{found[min(gone)].text[:30]}{' …' if len(gone) > 1 else ''}, heard in the film, is"
    if inquiry.ask("bites", asked, options, "out") == "lines":
        return list(found)
    inquiry.doubt(f"{counted(len(gone), 'paragraph', 'paragraphs')} of the film’s own sound left out")
    return [each for place, each in enumerate(found) if place not in gone]


def _is_numbered(text: str) -> bool:
    """“Text 3” or “VO 3” on a row of its own."""
    return bool(_NUMBERED.fullmatch(text.strip(" :.")))


def _without_numbered(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs without “Text 1”, “Text 2” on rows of their own."""
    rows = [each.text for each in found if _is_numbered(each.text)]
    if len(rows) < 2 or len(rows) > 0.6 * len(found):
        return list(found)
    options = (("out", "left out"), ("lines", "lines"))
    if inquiry.ask("numbered", f"{rows[0]} … {rows[-1]} are", options, "out") == "lines":
        return list(found)
    return [each for each in found if not _is_numbered(each.text)]


_BULLET = re.compile(r"^[-–—•*▪◦‣·►]\s+(?=\S)")


def _without_bullets(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs without the dashes or dots in front that most of them have."""
    if sum(bool(_BULLET.match(each.text)) for each in found) < max(2, 0.6 * len(found)):
        return list(found)
    return [replace(each, text=_BULLET.sub("", each.text)) for each in found]


def _is_voice(name: str) -> bool:
    return bool(_VOICE.fullmatch(re.sub(r"\s*#?\s*\d{1,4}$", "", name)) or _NUMBERED.fullmatch(name))


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
    voices = {each for each in labels if _is_voice(each)}
    seen = sum(label in pictures for label in labels)
    if not names and not voices and not (sticky and seen >= 2 and 0.25 * len(found) <= seen < len(found)):
        return list(found)
    shown = ", ".join(sorted({*names, *voices} or pictures)[:4])
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
            notes += filter(None, [_how(_CUE.match(each.text.rstrip(": "))), each.notes])
            if each.slot is not None:
                # The time stood before the name: it belongs to what is said under it.
                made.append(replace(each, text=""))
            continue
        if label and (name in names or name in voices):
            reader = "" if name in voices else name
            notes += filter(None, [_how(label)])
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
        made.append(noted(replace(each, reader=reader, slot=slot), [*notes, each.notes]))
        notes, awaited = [], not screenplay
    if unsaid:
        inquiry.doubt(f"{counted(unsaid, 'paragraph', 'paragraphs')} that nobody reads became notes of the line below")
    if notes and made:
        made[-1] = noted(made[-1], [made[-1].notes, *notes])
    return made


def _how(named: re.Match[str] | None) -> str:
    """What stands in brackets behind a name, unless it says that the voice is off the picture."""
    extra = (named[2] or "").strip() if named else ""
    return "" if _SPOKEN_EXTRA.fullmatch(extra) else extra.strip("() ")


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
        and not _is_voice(name)
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
    # Where some stand above their words, somebody who speaks once does too.
    return names | {name for name, times in cued.items() if times >= (1 if max(cued.values()) >= 2 else 2)}


_RULE = re.compile(r"^(?:[-*_=~–—•·#+]\s*){3,}$")
"""A row that only parts others."""


def _drafts(found: Iterable[Paragraph]) -> list[Draft]:
    return [
        Draft(each.text, each.slot, each.notes, each.reader) for each in found if each.text and not _RULE.match(each.text)
    ]
