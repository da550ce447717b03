"""Paragraphs of running text as lines: numbers, times and names before the words are taken for what they are.

Each of these is asked with the likeliest answer chosen, so that it can be refused.
"""

import re
from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import replace
from string import ascii_lowercase, ascii_uppercase

from fendo_core.script.intake.around import (
    with_counted_headings,
    with_notes_of_slides,
    without_alternatives,
    without_bites,
    without_bulleted_pictures,
    without_bullets,
    without_counts,
    without_headings,
    without_numbered,
)
from fendo_core.script.intake.clocked import (
    plain_times,
    with_colons,
    with_seconds_as_times,
    with_times,
    with_times_above,
    with_times_in_front,
    with_times_joined,
    with_times_parted,
    without_lengths,
)
from fendo_core.script.intake.directions import without_asides, without_directions, without_unsaid
from fendo_core.script.intake.explained import without_footnotes, without_sayings
from fendo_core.script.intake.inquiry import NOTES_OR_WORDS, NUMBERS_OR_WORDS, Inquiry, enough
from fendo_core.script.intake.marks import (
    HEADING,
    LABEL,
    LONE_NUMBER,
    NO_BRACKETS,
    RULE,
    SPAN,
    SPEAKERS,
    TIME,
    is_more,
    is_voice,
)
from fendo_core.script.intake.paragraph import SENTENCE_ENDS, Paragraph, noted, to_notes
from fendo_core.script.intake.slides import named_slide, with_slides_above
from fendo_core.script.intake.speakers import (
    with_brackets_as_names,
    with_cues_out_of_brackets,
    with_name_colons,
    with_readers,
)
from fendo_core.script.intake.titles import (
    LONGEST_TITLE,
    MOST_TITLES,
    without_end,
    without_letter,
    without_page_marks,
    without_stamps,
    without_titles,
    without_what_is_above,
)
from fendo_core.script.intake.tongues import in_one_tongue
from fendo_core.script.lines import Draft
from fendo_core.timebase import FrameRate

_DASHES = re.compile(r"[-–—]{1,3}")
"""What stands for no words."""
_MARKED = re.compile(r"^(\*\*|__|[*_])(?=\S)([^*_]{2,2000})(?<=\S)\1$")
"""A paragraph in italics or bold, in a text that was Markdown."""
_RULED = re.compile(r"^[-=*_~#–—]{2,40}\s*([^\W_].{0,80}?)\s*[-=*_~#–—]{2,40}$")
_NUMBER = re.compile(
    rf"^(?!\d+\.\d)(?:#\s*|n\.?\s?º\s*|[\[(](?:(?:line|cue|vo|take|prompt)\s+)?(?=\d{{1,4}}[\])]\s)|(?:line|marker|clip|cue|shot)\s+|nr\.?\s*|no\.?\s*|[a-z]{{1,2}}(?=\d{{1,4}}\s+(?:{TIME})))?(\d{{1,4}})(?:(?:(?<=\d)[a-d])?[.):\]]\s*|\s*[-–—]\s+|\t\s*|(?<=\b0\d)\s+|\s+(?=[\[(@]?\s?(?:tc\s*)?(?:{TIME})))(?=\S)",
    re.IGNORECASE,
)
_BARE_NUMBER = re.compile(r"^(\d{1,4})\s+(?=\S)")


def drafts_of(found: Sequence[Paragraph], rate: FrameRate, start_frame: int, inquiry: Inquiry) -> list[Draft]:
    """Lines of paragraphs: numbers, times and names in front of the words are taken for what they are, and asked.

    Raises:
        ScriptRefused: for far more paragraphs than a production holds lines.
    """
    enough(len(found))
    found = [_undecorated(replace(each, text=with_seconds_as_times(_MARKED.sub(r"\2", each.text)))) for each in found]
    found = _with_brackets_in_order(found)
    found = _with_slanted_asides(with_counted_headings(_with_bold_headings(with_notes_of_slides(found, inquiry))))
    found = without_stamps(_without_lone_numbers(found, inquiry), inquiry)
    found = without_bulleted_pictures(with_cues_out_of_brackets(found), inquiry)
    found = without_bullets(with_times_parted(with_times_joined(without_page_marks(found, inquiry))))
    found = without_footnotes(without_what_is_above(without_letter(found, inquiry), inquiry), inquiry)
    found = without_sayings(found, inquiry)
    found = in_one_tongue(without_alternatives(without_counts(found, inquiry), inquiry), inquiry)
    found = _without_named_parts(without_alternatives(_without_numbers(found, inquiry), inquiry), inquiry)
    found = with_name_colons(with_colons(_with_pictures_noted(found, inquiry)))
    found = with_slides_above(without_lengths(found))
    found = with_times_in_front([replace(each, text=plain_times(each.text)) for each in found])
    found = _without_prompts(_without_names_of_lines(with_times_above(found), inquiry), inquiry)
    found = without_titles(found, inquiry)
    found = [each for each in found if not (RULE.match(each.text) or _DASHES.fullmatch(each.text))]
    found = without_headings(without_asides(found, inquiry), inquiry)
    found = without_end(with_times(found, rate, start_frame, inquiry), inquiry)
    found = without_asides(with_name_colons(found), inquiry)
    found = without_bites(found, inquiry)
    found = with_readers(without_numbered(found, inquiry), inquiry)
    if any(each.reader for each in found):
        # Behind who said them, lines may be counted.
        found = list(_without_numbers(found, inquiry))
    # What stands beside a time and is nobody's name is what a part is called.
    found = to_notes(found, [each.heading and each.timed and each.text.endswith(":") for each in found])
    found = without_asides(without_unsaid(found, inquiry), inquiry)
    return _drafts(each for each in without_directions(found, inquiry) if not _DASHES.fullmatch(each.text))


def drafts_of_cells(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Draft]:
    """Lines of cells and cues, whose slots are known: names before the words are taken for who reads."""
    found = without_asides(with_brackets_as_names(without_counts(found, inquiry)), inquiry)
    if not any(each.reader for each in found):
        found = with_readers(found, inquiry, sticky=False)
    return _drafts(without_directions(without_unsaid(found, inquiry), inquiry))


def _without_numbers(found: Sequence[Paragraph], inquiry: Inquiry) -> Sequence[Paragraph]:
    """Paragraphs without the numbers in front of them, where these count up one by one."""
    places = [(place, match) for place, each in enumerate(found) if (match := _NUMBER.match(each.text))]
    bare = [_BARE_NUMBER.match(each.text) for each in found]
    numbered = [(place, match) for place, match in enumerate(bare) if match]
    # Without a point they count what stands below a title, each of it.
    all_below = len(numbered) > 2 and len(found) - len(numbered) == numbered[0][0] <= MOST_TITLES
    if all_below and [int(match[1]) for _, match in numbered] == list(range(1, len(numbered) + 1)):
        places = numbered
    # “2b” counts no further.
    numbers = [int(match[1]) for _, match in places if not match[0][match.end(1) - match.start() :][:1].isalpha()]
    steps = [later - earlier for earlier, later in zip(numbers, numbers[1:], strict=False)]
    both = numbers == [1, 2] and len(found) == 2
    if (
        len(numbers) < (2 if both or all(match[0].startswith("#") for _, match in places) else 3)
        or len(numbers) < 0.5 * len(found)
        or not steps
        or not _count_up(numbers, steps)
    ):
        return found
    if _are_words([match for _, match in places], inquiry):
        return found
    kept = list(found)
    for place, match in places:
        kept[place] = replace(kept[place], text=kept[place].text[match.end() :])
    return kept


_DASHED_ASIDE = re.compile(
    rf"^([\[(]?(?:{SPAN})[\])]?\s*)?[-–—]{{2,3}}\s+(?=[^\s–—-]+\s)([^\W\d_][^–—]{{1,60}}?)\s+[-–—]{{2,3}}$"
)
"""“-- natural sound, door --”, behind a time or alone."""


_BRACKETS = re.compile(r"^(?:\[[^\[\]]{1,40}\]\s*){2,5}")
_BRACKET = re.compile(r"\[([^\[\]]{1,40})\]")


def _with_brackets_in_order(found: Sequence[Paragraph]) -> Sequence[Paragraph]:
    """Paragraphs with “[0:05] VO: ” in front and notes, where most have “[SC 02] [0:05] [VO] ”."""
    rows = [_BRACKET.findall(head[0]) if (head := _BRACKETS.match(each.text)) else [] for each in found]
    timed = sum(any(re.fullmatch(SPAN, part.strip()) for part in row) for row in rows)
    if timed < 2 or timed < 0.6 * len(found):
        return found
    made: list[Paragraph] = []
    for each, row in zip(found, rows, strict=True):
        times = [part for part in row if re.fullmatch(SPAN, part.strip())]
        if not times:
            made.append(each)
            continue
        words = _BRACKETS.sub("", each.text)
        rest = [part.strip() for part in row if part not in times]
        names = [part for part in rest if words and (is_voice(part) or SPEAKERS.fullmatch(part))][:1]
        notes = [part for part in rest if part not in names]
        said = f"{names[0]}: {words}" if names else words or f"({notes.pop() if notes else ''})"
        made.append(noted(replace(each, text=f"[{times[0].strip()}] {said}"), [each.notes, *notes]))
    return made


def _undecorated(each: Paragraph) -> Paragraph:
    """A heading without the rules beside it; what else stands between dashes, in brackets."""
    dashed = _DASHED_ASIDE.match(each.text)
    if dashed and not dashed[2].isupper():
        return replace(each, text=f"{dashed[1] or ''}[{dashed[2].translate(NO_BRACKETS)}]")
    inner = _RULED.match(each.text)
    return replace(each, text=inner[1], heading=True) if inner and HEADING.match(inner[1]) else each


def _with_slanted_asides(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs with brackets around those in italics: where these are few they say what is seen, or how it is said."""
    aside = 2 <= sum(each.slanted for each in found) <= 0.6 * len(found)
    return [replace(each, text=f"({each.text.strip('()')})") if aside and each.slanted else each for each in found]


def _with_bold_headings(found: Sequence[Paragraph]) -> Sequence[Paragraph]:
    """Paragraphs of which those all in bold, short and without an end, are headings, where sentences stand below them."""
    bold = [
        each.lead == each.text
        and 0 < len(each.text) <= LONGEST_TITLE
        and not each.text.endswith(SENTENCE_ENDS)
        and not (each.text.isupper() or is_more(each.text))
        for each in found
    ]
    texts = Counter(each.text for each in found)
    # But for a title, words stand below each.
    bare = any(is_bold and (below is None or below) for is_bold, below in zip(bold[1:], [*bold[2:], None], strict=False))
    if sum(bold) < 2 or bare or max(texts.values()) > 1:
        return found
    return [replace(each, heading=each.heading or is_bold) for each, is_bold in zip(found, bold, strict=True)]


def _without_lone_numbers(found: Sequence[Paragraph], inquiry: Inquiry) -> Sequence[Paragraph]:
    """Paragraphs without rows of a number alone that count them."""
    lone = [int(match[1]) if (match := LONE_NUMBER.fullmatch(each.text.strip("=-*~_ "))) else 0 for each in found]
    numbers = [number for number in lone if number]
    if len(numbers) < 2 or len(numbers) > 0.5 * len(found) or numbers != list(range(1, len(numbers) + 1)):
        return found
    # Above the first there may be a title.
    if not any(lone[: MOST_TITLES + 1]):
        return found
    if inquiry.ask("numbers", f"{numbers[0]} … {numbers[-1]} on rows of their own are", NUMBERS_OR_WORDS, "out") == "words":
        return found
    return [each for each, number in zip(found, lone, strict=True) if not number]


def _are_words(heads: Sequence[re.Match[str]], inquiry: Inquiry) -> bool:
    """Whether what stands in front of the words is said: asked, and likely not."""
    asked = f"{heads[0][0].strip()} … {heads[-1][0].strip()} are"
    return inquiry.ask("numbers", asked, NUMBERS_OR_WORDS, "out") == "words"


def _count_up(numbers: Sequence[int], steps: Sequence[int]) -> bool:
    """Whether numbers grow by one, nearly always, or begin again at 1 with each part."""
    ones = sum(step == 1 for step in steps)
    again = sum(step != 1 and number == 1 for step, number in zip(steps, numbers[1:], strict=True))
    return ones >= 0.9 * len(steps) or (numbers[0] == 1 and again <= ones and ones + again == len(steps))


_SHOWN_AND_SAID = re.compile(r"^(\S[^\"“”„«»]{2,80}?)\s[-–—]\s[*_]?[\"“„«»](.{3,2000})[\"”“»«][*_]?$")


def _with_pictures_noted(found: Sequence[Paragraph], inquiry: Inquiry) -> Sequence[Paragraph]:
    """Paragraphs of which most are “Hand on door — “words””, without the marks around the words; what is seen is a note."""
    parts = [_SHOWN_AND_SAID.match(each.text) for each in found]
    told = [part for part in parts if part]
    if len(told) < _FEWEST_SHOWN or len(told) < 0.6 * sum(not each.heading for each in found):
        return found
    if any(SPEAKERS.fullmatch(part[1]) or part[1].isupper() for part in told):
        return found
    if inquiry.ask("shown", f"“{told[0][1][:40]}” …, in front of the words, is", NOTES_OR_WORDS, "notes") == "words":
        return found
    return [
        noted(replace(each, text=part[2], lead=""), [each.notes, part[1]]) if part else each
        for each, part in zip(found, parts, strict=True)
    ]


_FEWEST_SHOWN = 3
_FILE = r"\.(?:wav|mp3|aiff?|flac|m4a|ogg|mov|mp4|mxf|avi|mts|jpe?g|png|heic)"
_NAME_OF_LINE = re.compile(
    # With a letter in it: numbers alone may be years.
    r"^(?:(?P<id>(?=[\d.-]*[^\W\d])(?:[^\W\d]{1,12}[_. -]?)?\d{1,5}[a-zA-Z]?(?:[._-][^\W\d_]{0,4}\d{1,5})*"
    rf"(?:{_FILE})?)|"
    r"(?P<letter>[a-zA-Z])|(?P<roman>[IVX]{1,5}))(?:\s*[.):]\s+|\s+[-–—|]\s+)(?=\S)|"
    r"^(?P<slug>\d{2,4}[_-][a-zA-Z][\w-]{0,30})\s*:\s+(?=\S)|"
    r"^(?P<code>[A-Z]{1,4}[_-]?\d{1,4})\s+(?=[^\W\d_]|[\[(\"“„«])|"
    rf"^(?P<file>(?i:[\w-]{{1,40}}{_FILE}))(?:\s*:\s*|\s+[-–—]\s+|\t\s*)(?=\S)|"
    r"^(?P<section>\d{1,3}(?:\.\d{1,3}){1,3})\s+(?=[^\W\d_])"
)


def _without_names_of_lines(found: Sequence[Paragraph], inquiry: Inquiry) -> Sequence[Paragraph]:
    """Paragraphs without “S01_L003:”, “VO3”, “vo_003.wav -”, “c)” or “III.” in front, where nearly all have their own."""
    heads = [_NAME_OF_LINE.match(each.text) for each in found]
    told = [head for head in heads if head]
    names = [_name(head) for head in told]
    # Above them there may be a title.
    if len(told) < 3 or len(told) < 0.8 * (len(found) - 1) or len(set(names)) < len(names):
        return found
    if any(SPEAKERS.fullmatch(name) for name in names):
        return found
    counted_up = names in [list(row[: len(names)]) for row in (ascii_lowercase, ascii_uppercase, _ROMANS)]
    if not counted_up and any(head["letter"] or head["roman"] for head in told):
        return found
    if _are_words(told, inquiry):
        return found
    return [_unnamed(each, head) if head else each for each, head in zip(found, heads, strict=True)]


_PROMPT = re.compile(
    r"(?:(?:main |after[- ]hours |opening |closing )?greeting|welcome|(?:main |sub[- ]?)?menu|option|opt|press|key|"
    r"invalid(?: input| entry)?|"
    r"no (?:input|match|answer)|time[- ]?out|on[- ]hold|hold(?: message)?|queue|transfer|voice ?mail|after hours|"
    r"closed|holiday|error|"
    r"goodbye|closing|prompt|begrüßung|ansage|menü|warteschleife|verabschiedung|accueil|attente)(?:\s*#?\d{1,3})?",
    re.IGNORECASE,
)
"""What messages of a telephone are called."""


def _without_prompts(found: Sequence[Paragraph], inquiry: Inquiry) -> Sequence[Paragraph]:
    """Paragraphs without “Option 2:” in front, where each is a message of a telephone; its name is a note."""
    heads = [LABEL.match(each.text) for each in found]
    named = [(place, head) for place, head in enumerate(heads) if head and found[place].text[head.end() :]]
    names = [head[1].strip().casefold() for _, head in named]
    told = sum(bool(_PROMPT.fullmatch(name)) for name in names)
    if len(named) < max(3, len(found) - 1) or told < max(2, 0.5 * len(named)) or len(set(names)) < len(names):
        return found
    if _are_words([head for _, head in named], inquiry):
        return found
    kept = list(found)
    for place, head in named:
        kept[place] = _behind(kept[place], head, head[1].strip())
    return kept


def _without_named_parts(found: Sequence[Paragraph], inquiry: Inquiry) -> Sequence[Paragraph]:
    """Paragraphs without “Opening (0:04): ” in front but for the time, where each part has a name of its own: a note."""
    heads = [LABEL.match(each.text) for each in found]
    timed = [head for head in heads if head and head[3]]
    names = [head[1].strip() for head in timed]
    read = any(SPEAKERS.fullmatch(name) or is_voice(name) for name in names)
    if len(timed) < max(3, 0.7 * sum(not each.heading for each in found)) or len(set(names)) < len(names) or read:
        return found
    if inquiry.ask("parts", f"{names[0]} … {names[-1]}, in front of the words, are", NOTES_OR_WORDS, "notes") == "words":
        return found
    return [
        noted(replace(each, text=f"[{head[3]}] {each.text[head.end() :]}"), [each.notes, head[1].strip()])
        if head and head[3]
        else each
        for each, head in zip(found, heads, strict=True)
    ]


def _name(head: re.Match[str]) -> str:
    return str(next(filter(None, head.groups())))


def _unnamed(each: Paragraph, head: re.Match[str]) -> Paragraph:
    """A paragraph without its name, which is a note where a file is going to be called so."""
    name = _name(head)
    return _behind(each, head, name if re.search(f"{_FILE}$", name) else "")


def _behind(each: Paragraph, head: re.Match[str], note: str) -> Paragraph:
    """What stands behind a head, with a note."""
    return noted(replace(each, text=each.text[head.end() :]), [each.notes, note])


_ROMANS = (
    "I", "II", "III", "IV", "V", "VI", "VII", "VIII", "IX", "X",
    "XI", "XII", "XIII", "XIV", "XV", "XVI", "XVII", "XVIII", "XIX", "XX",
)  # fmt: skip


def _drafts(found: Iterable[Paragraph]) -> list[Draft]:
    return [
        Draft(each.text, each.slot, each.notes, each.reader, each.page or named_slide(each.notes))
        for each in found
        if each.text and not RULE.match(each.text)
    ]
