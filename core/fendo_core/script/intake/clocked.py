"""Times in front of the words, behind them and between them, as slots."""

import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

from fendo_core.script.intake.inquiry import Inquiry
from fendo_core.script.intake.marks import (
    ALONE,
    BARE,
    BRACKETED,
    COUNTED,
    CUE,
    LABEL,
    NAMED_ALONE,
    NUMBERED,
    PICTURE,
    SCENE,
    SPAN,
    TIME,
    TITLED_ALONE,
    is_bite,
    is_cue,
    is_heading,
    is_numbered,
    is_shouted_name,
)
from fendo_core.script.intake.paragraph import SENTENCE_ENDS, Paragraph, at_end, mostly, noted
from fendo_core.script.intake.times import RANGE, Clock, Written, learn, until_next
from fendo_core.script.lines import shared
from fendo_core.timebase import SAMPLE_RATE, FrameRate, Span

_BETWEEN = re.compile(rf"[\[(]({SPAN})[\])]")
_AT_END = re.compile(rf"\s*[\[(]\s*({SPAN})\s*[\])]\s*$")
_LONG = r"\d{1,2}(?:[:.]\d{2}){2}(?:[:;.,]\d{2,3})?"
_IN = r"(?:in|start|begin|from|ein|von|anfang|entr[ée]e|d[ée]but|entrada|inicio|inizio|вход|начало)"
_OUT = r"(?:out|end|to|until|aus|bis|ende|sortie|fin|salida|fine|saída|выход|конец)"
_CODE = r"(?:tc|timecode|time)?[ -]?"
_IN_ALONE = re.compile(rf"^\W{{0,40}}{_CODE}{_IN}\s*[:=]?\s*({TIME})\W*$", re.IGNORECASE)
_OUT_ALONE = re.compile(rf"^\W{{0,40}}{_CODE}{_OUT}\s*[:=]?\s*({TIME})\W*$", re.IGNORECASE)
_DURATION_ALONE = re.compile(
    r"^\W{0,9}(?:dur|duration|length|dauer|länge|durée|duración|durata)\b\W{0,4}[\d:;.,]{1,12}\s?(?:s|sec|f)?\W*$",
    re.IGNORECASE,
)
_IN_OUT = re.compile(
    rf"^(?:(?:cue|line|vo|take|nr\.?|no\.?|#)\s*#?\d{{1,4}})?\W{{0,40}}{_CODE}{_IN}\s*[:=]?\s*({TIME})\s*[,;|/–-]?\s*"
    rf"{_CODE}{_OUT}\s*[:=]?\s*({TIME})(?:\W*(?:dur|duration|length|dauer|durée)\.?\s*[:=]?\s*[\d:.,]+)?[\s\])|:;–-]*",
    re.IGNORECASE,
)
_NUMBER_AND_RANGE = re.compile(rf"^\d{{1,4}}[.):]?\s+(?=[\[(]?(?:{TIME}){RANGE.pattern}(?:{TIME})[\])]?\s)")
"""A number before a range of times counts lines, however few have one."""
_AT = re.compile(rf"^(?:(?:@|t\s*[+=])\s*(?={TIME})|(?:at|bei|um|à|a las)\s+(?=(?:{TIME})\s*[:–-]))", re.IGNORECASE)
_BARE_SECONDS = re.compile(r"^(?P<open>[\[(]\s*)?:(?P<seconds>\d{2})(?(open)\s*[\])]\s*|\s+)(?=\S)")
_TWO_CODES = re.compile(rf"^[\[(]?({_LONG})[\])]?[\s,;]+[\[(]?({_LONG})[\])]?[\s:,;|–-]+(?=\S)")
"""Two timecodes with nothing but a blank between them."""
_TC = re.compile(rf"^[\[(]?\s*(?:tc|timecode|time|zeit)\s*[:=]?\s*({SPAN})(?:[\s\])|:;–-]+|$)", re.IGNORECASE)


def _with_pairs_joined(found: Sequence[Paragraph]) -> Sequence[Paragraph]:
    """Paragraphs of which two times on rows of their own, one below the other, are one, where all times stand in pairs."""
    alone = [ALONE.match(each.text) for each in found]
    times = [time[1] if time and not RANGE.search(time[1]) else "" for time in alone]
    pairs = [n for n, (one, other) in enumerate(pairwise(times)) if one and other]
    if len(pairs) < 2 or sum(map(bool, times)) != 2 * len(pairs) or any(b - a < 2 for a, b in pairwise(pairs)):
        return found
    joined = {n: f"[{times[n]} - {times[n + 1]}]" for n in pairs}
    return [replace(each, text=joined.get(n, each.text)) for n, each in enumerate(found) if n - 1 not in joined]


def with_times_joined(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs of which “TC in …” and “TC out …”, each on a row of its own, are one."""
    made: list[Paragraph] = []
    found = _with_pairs_joined(found)
    begun: re.Match[str] | None = None
    for each in found:
        ended = _OUT_ALONE.match(each.text) if begun else None
        if begun and ended:
            made[-1] = replace(made[-1], text=f"[{begun[1]} - {ended[1]}]")
            begun = None
            continue
        if made and _DURATION_ALONE.match(each.text) and ALONE.match(made[-1].text):
            continue
        begun = _IN_ALONE.match(each.text)
        made.append(each)
    return made


_S = r"(?:s|secs?|seconds?|sek|sekunden|secondes?|secondi|segundos?)\.?"
"""What seconds are called."""
_SECONDS = re.compile(
    r"^([\[(])?(?:at\s+|bei\s+|à\s+|a\s+)?"
    r"(?:(\d{1,3})\s?(?:m|mins?|minutes?|minuten?|minuti|minutos?)\.?,?\s*(?:and\s+|und\s+|et\s+|e\s+|y\s+)?)?"
    rf"(\d{{1,4}})\s?{_S}\s*(?(1)[\])]\s*[:–—-]?|[:–—-])\s*(?=\S)",
    re.IGNORECASE,
)
_COUNTED_SECONDS = re.compile(r"^t\s*[+=]\s*(\d{1,5})\s*[:–—-]?\s+(?=\S)", re.IGNORECASE)
"""“t=12”."""
_DOTTED = re.compile(r"^\[?(\d{1,2})\.(\d{2})\s*([-–—])\s*(\d{1,2})\.(\d{2})\]?\s+(?=\S)")


_SECONDS_ALONE = re.compile(rf"^(\d{{1,4}})\s?{_S}$", re.IGNORECASE)


_MINUTES = re.compile(r"^(\d{1,3})\s?mn?\s?([0-5]\d)\s*[:–-]?\s+(?=\S)", re.IGNORECASE)
"""“1m03”."""
_TWO_DECIMALS = re.compile(r"^(\d{1,5}\.\d{1,3})[\s,;]+(\d{1,5}\.\d{1,3})[\s:,;|]+(?=\D)")


def _clock(seconds: str, minutes: str = "0") -> str:
    """Minutes and seconds of seconds, which may have a part behind a point."""
    whole, point, part = seconds.partition(".")
    return "{}:{:02}".format(*divmod(60 * int(minutes) + int(whole), 60)) + point + part


_CLOCKS: tuple[tuple[re.Pattern[str], Callable[[re.Match[str]], str]], ...] = (
    (_SECONDS, lambda time: f"[{_clock(time[3], time[2] or '0')}] "),
    (_COUNTED_SECONDS, lambda time: f"[{_clock(time[1])}] "),
    (_MINUTES, lambda time: f"[{time[1]}:{time[2]}] "),
    (_TWO_DECIMALS, lambda both: f"[{_clock(both[1])} - {_clock(both[2])}] "),
    (_DOTTED, lambda both: f"[{both[1]}:{both[2]}{both[3]}{both[4]}:{both[5]}] "),
)
"""How times are written in front of words, and as what they are read."""


def _run_on(found: Sequence[Paragraph]) -> bool:
    """Whether seconds in brackets, in front of words, are later and later; else they are lengths."""
    told = [time for time in (_SECONDS.match(each.text) for each in found) if time]
    at = [60 * int(time[2] or 0) + int(time[3]) for time in told]
    return not any(time[1] for time in told) or at == sorted(set(at))


def with_colons(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs with `0:12` where seconds stand on rows of their own, or where most have `12 s:` in front; and with
    `0:12 - 0:18` where they have `0.12 - 0.18`."""
    alone = [_SECONDS_ALONE.match(each.text) for each in found]
    counted = [int(time[1]) for time in alone if time]
    if len(counted) >= 2 and len(counted) >= 0.3 * len(found) and counted == sorted(set(counted)):
        return [replace(each, text=_clock(time[1])) if time else each for each, time in zip(found, alone, strict=True)]
    for pattern, clock in _CLOCKS:
        if mostly(found, pattern) and (pattern is not _SECONDS or _run_on(found)):
            return [replace(each, text=pattern.sub(clock, each.text)) for each in found]
    return _with_pairs_of_digits(_with_ranges_of_seconds(found))


_SECOND_TO_SECOND = re.compile(r"^[\[(](\d{1,3})\s?[-–—]\s?(\d{1,3})[\])]\s*[:–—-]?\s*(?=\S)")


def _with_ranges_of_seconds(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs with `0:06 - 0:12` for the `(06-12)` that most have in front, each where the one above ends or later."""
    heads = [_SECOND_TO_SECOND.match(each.text) for each in found]
    told = [int(edge) for head in heads if head for edge in head.groups()]
    if (
        len(told) < max(4, len(found))
        or told != sorted(told)
        or any(a == b for a, b in zip(told[::2], told[1::2], strict=True))
    ):
        return list(found)
    return [
        replace(each, text=f"[{_clock(head[1])} - {_clock(head[2])}] {each.text[head.end() :]}") if head else each
        for each, head in zip(found, heads, strict=True)
    ]


_DIGITS = re.compile(r"^(\d{2}|0)\.([0-5]\d)\s+(?=[^\W\d_])")


def _with_pairs_of_digits(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs with `00:03` for the `00.03` that most have in front, later and later."""
    heads = [_DIGITS.match(each.text) for each in found]
    told = [(int(head[1]), int(head[2])) for head in heads if head]
    if len(told) < max(2, 0.5 * len(found)) or told != sorted(set(told)) or told[0][0]:
        return list(found)
    return [replace(each, text=_DIGITS.sub(r"[\1:\2] ", each.text)) for each in found]


LONGEST_PARTED = 200_000
"""Letters of a paragraph that is looked through for times."""
_INLINE = re.compile(rf"(?:^|(?<=[.!?…] ))(?=(?:{TIME})\s+[^\W\d_])")


def with_times_parted(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs parted where times stand between their sentences: “0:03 The bell rings. 0:09 Nobody hears it.”"""
    made: list[Paragraph] = []
    for each in found:
        sought = each.text if len(each.text) <= LONGEST_PARTED else ""
        places = [place.start() for place in _INLINE.finditer(sought)]
        if len(places) < 2 or places[0]:
            made.append(each)
            continue
        ends = [*places[1:], len(each.text)]
        parts = [each.text[first:last].strip() for first, last in zip(places, ends, strict=True)]
        made += [replace(each, text=parts[0]), *(Paragraph(part) for part in parts[1:])]
    return made


def with_times_in_front(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs with the times in front that most of them, or all headings, have at the end."""
    parts = [NAMED_ALONE.match(each.text) or TITLED_ALONE.match(each.text) for each in found]
    found = [
        replace(each, text=f"[{part[2]}] {part[1]}", heading=True) if part and is_heading(part[1]) else each
        for each, part in zip(found, parts, strict=True)
    ]
    named = [NAMED_ALONE.match(each.text) for each in found]
    ends = [
        None if name and not name[1].endswith(SENTENCE_ENDS) else at_end(_AT_END, each.text)
        for each, name in zip(found, named, strict=True)
    ]
    titles = sum(each.heading for each in found) >= 2 and all(
        bool(end) == each.heading for each, end in zip(found, ends, strict=True)
    )
    if sum(map(bool, ends)) < max(2, 0.5 * len(found)) and not titles:
        return list(found)
    return [
        replace(each, text=f"[{end[1]}] {each.text[: end.start()]}") if end and end.start() else each
        for each, end in zip(found, ends, strict=True)
    ]


def with_times_above(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs with the times above them that stand below them: words first, a time last, and as many times as words."""
    times = [bool(ALONE.match(each.text)) for each in found]
    if sum(times) < 2 or times[0] or not times[-1] or not found[0].text.endswith(SENTENCE_ENDS):
        return list(found)
    made: list[Paragraph] = []
    above: list[Paragraph] = []
    for each, is_time in zip(found, times, strict=True):
        if not is_time:
            above.append(each)
            continue
        if not above:
            return list(found)
        made += [each, *above]
        above = []
    return made


_LASTING = re.compile(
    rf"^(\W{{0,9}}{SPAN}\W{{0,3}})\s*[\[(]\s*[\d.,:]+\s?(?:s|secs?|seconds?|sek\.?|frames?|f)?\.?\s*[\])]\s*([A-Z]{{2,12}})?$",
    re.IGNORECASE,
)
"""A time, in brackets how long it lasts, and in capitals how it is to be read: “… (1.6 s) FAST”."""


def without_lengths(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs without how long a time that stands alone lasts; what is said of it is a note."""
    lasting = [_LASTING.match(each.text) for each in found]
    return [
        noted(replace(each, text=time[1].strip()), [each.notes, time[2] or ""]) if time else each
        for each, time in zip(found, lasting, strict=True)
    ]


_SECONDS_BEHIND = re.compile(
    r"^([^\W\d_][^\[(:]{0,30}?)\s*[\[(](\d{1,3})\s?(?:s|secs?)?\s?(?:[-–—]|to)\s?(\d{1,3})\s?(?:s|secs?|seconds|sek)\.?[\])]\s*:",
    re.IGNORECASE,
)
"""“Hook (0-5s):”."""


def with_seconds_as_times(text: str) -> str:
    """A paragraph with “Hook (0:00 - 0:05):” in front where it has “Hook (0-5s):”."""

    def told(found: re.Match[str]) -> str:
        return f"{found[1]} ({_clock(found[2])} - {_clock(found[3])}):"

    return _SECONDS_BEHIND.sub(told, text)


_TC_IN_BRACKETS = re.compile(rf"^([^\[(]{{1,40}}[\[(])\s*(?:tc|timecode)\s*[:=]?\s*(?={TIME})", re.IGNORECASE)


_NUMBERED_AND_TIME = re.compile(
    rf"^(?:{COUNTED})\s*#?\s*\d{{1,4}}\s*[\[(]({SPAN})[\])]\s*[:–—-]?\s*(?=\S)",
    re.IGNORECASE,
)
"""“VO 3 (0:12) ”."""
_TIME_INSIDE = re.compile(rf"^([^\W\d_]{{3,20}}\s*#?\d{{1,3}})\s*[\[(]({SPAN})[\])]\s*[-–—]\s*(\S.{{0,60}})$")
"""“Interview 1 [00:15] – Host”."""


def plain_times(text: str) -> str:
    """A paragraph whose times are said with words, as it would be with times alone."""
    text = _NUMBERED_AND_TIME.sub(r"[\1] ", _TIME_INSIDE.sub(r"[\2] \1 – \3", text))
    if text[:1] == "[" and text[-1:] == "]" and NAMED_ALONE.match(text[1:-1]):
        text = text[1:-1]
    text = _TC_IN_BRACKETS.sub(r"\1", text)
    text = _NUMBER_AND_RANGE.sub("", _BARE_SECONDS.sub(r"[0:\g<seconds>] ", _AT.sub("", text)))
    two = _TWO_CODES.match(text)
    if two:
        return f"[{two[1]} - {two[2]}] {text[two.end() :]}"
    both = _IN_OUT.match(text)
    if both:
        return f"[{both[1]} - {both[2]}] {text[both.end() :]}".rstrip()
    named = _TC.match(text)
    return f"[{named[1]}] {text[named.end() :]}".rstrip() if named else text


@dataclass(frozen=True, slots=True)
class _Timed:
    """A time in front of some paragraphs."""

    written: str
    under: tuple[Paragraph, ...]


def with_times(found: Sequence[Paragraph], rate: FrameRate, start_frame: int, inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs with the slots that times in their text give; paragraphs under one time share it."""
    parted, sure, bare = _at_times(found)
    if not sure and not (bare >= 2 and bare >= 0.4 * len(found)):
        return list(found)
    with_time = [group for group in parted if group.written]
    options = (("slots", "where lines start and end"), ("words", "words"))
    asked = f"{with_time[0].written} … {with_time[-1].written} are" if len(with_time) > 1 else f"{with_time[0].written} is"
    above = 0 if parted[0].written else len(parted[0].under)
    # Far below the first words, and few, they are times of day: “The clock reads 5:42”.
    stray = above > max(_MOST_ABOVE, 0.2 * len(found)) and len(with_time) < 0.1 * len(found)
    if inquiry.ask("times", asked, options, "words" if stray else "slots") == "words":
        return list(found)
    parted, lengths = _with_lengths_apart(parted)
    with_time = [group for group in parted if group.written]
    rows: list[Written] = [(group.written, "", " ".join(each.text for each in group.under)) for group in with_time]
    clock = learn(rows, rate, start_frame, inquiry)
    if any(later < earlier for earlier, later in _pairs([clock.times(row[0])[0] for row in rows])):
        inquiry.doubt("the times do not run in the order of the lines")
    slots = iter(_slots(rows, lengths, clock, inquiry))
    if len(with_time) > 1 and all(_is_titled(group) for group in with_time):
        parted = [_with_title_noted(group) if group.written else group for group in parted]
    made: list[Paragraph] = []
    for group in parted:
        slot = next(slots) if group.written else None
        if not group.under:
            if group.written:
                inquiry.doubt(f"{group.written} has no words and was left out")
            continue
        alone = len(group.under) == 1
        spoken = [n for n, each in enumerate(group.under) if alone or not (_aside(each.text) or is_shouted_name(each.text))]
        parts = iter(shared(slot, [len(group.under[n].text) for n in spoken], rate)) if slot and spoken else iter(())
        made += [
            replace(each, slot=next(parts, None) if n in spoken else None, timed=bool(group.written) and n == 0)
            for n, each in enumerate(group.under)
        ]
    return made


_MOST_ABOVE = 8
"""Paragraphs above the first time: titles, a letter."""


def _is_titled(group: _Timed) -> bool:
    """Whether the first paragraph under a time is no sentence and all others are: it says what is seen."""
    first, *rest = [each.text for each in group.under] or [""]
    label = bool(LABEL.match(first) or is_cue(first) or (CUE.match(first) and first.isupper()))
    return bool(rest) and not label and not first.endswith(SENTENCE_ENDS) and all(t.endswith(SENTENCE_ENDS) for t in rest)


def _with_title_noted(group: _Timed) -> _Timed:
    first, second, *rest = group.under
    return replace(group, under=(noted(second, [first.notes, first.text, second.notes]), *rest))


def _pairs(values: Iterable[int | None]) -> list[tuple[int, int]]:
    known = [value for value in values if value is not None]
    return list(zip(known, known[1:], strict=False))


def _aside(text: str) -> bool:
    label = LABEL.match(text)
    return bool(
        SCENE.match(text)
        or is_cue(text)
        or is_bite(text)
        or is_numbered(text)
        or (label and PICTURE.fullmatch(label[1].strip()))
    )


_LASTS_BEHIND = re.compile(rf"\s*[\[(]\s*(\d{{1,3}}(?:[.,]\d{{1,2}})?)\s?{_S}\s*[\])]$", re.IGNORECASE)
"""“(2 sec)”, behind words."""


def _with_lengths_apart(parted: Sequence[_Timed]) -> tuple[list[_Timed], list[int | None]]:
    """Groups without “(2 sec)” at the end of each, and how many samples each that has a time lasts by that."""
    behind = [at_end(_LASTS_BEHIND, group.under[-1].text) if group.written and group.under else None for group in parted]
    timed = [bool(told) for group, told in zip(parted, behind, strict=True) if group.written and group.under]
    if len(timed) < 2 or not all(timed):
        return list(parted), [None] * sum(bool(group.written) for group in parted)
    made, lengths = [], list[int | None]()
    for group, told in zip(parted, behind, strict=True):
        if told:
            last = replace(group.under[-1], text=group.under[-1].text[: told.start()])
            group = replace(group, under=(*group.under[:-1], last))
        if group.written:
            lengths.append(round(float(told[1].replace(",", ".")) * SAMPLE_RATE) if told else None)
        made.append(group)
    return made, lengths


def _slots(rows: Sequence[Written], lengths: Sequence[int | None], clock: Clock, inquiry: Inquiry) -> list[Span | None]:
    """A slot for each time; where the file says neither end nor length, it ends where the next one starts."""
    read = [
        (start, start + lasts if start is not None and end is None and lasts else end)
        for (start, end), lasts in zip((clock.times(row[0]) for row in rows), lengths, strict=True)
    ]
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
    called = Counter(named[1].strip() for each in found if (named := NAMED_ALONE.match(each.text)))
    # In letters that know no capitals the one word beside all times says that they are times.
    unnamed = {name for name, times in called.items() if times > 1 and len(called) == 1 and name.lower() == name.upper()}
    sure = bare = 0
    held: list[str] = []
    for each in found:
        text = each.text
        alone = ALONE.match(text)
        named = None if alone else NAMED_ALONE.match(text)
        if alone:
            sure += 1
            groups.append((alone[1], []))
            held += filter(None, [each.notes])
            continue
        if held and not named:
            # What was noted of a time is noted of the words below it.
            each, held = noted(each, [*held, each.notes]), []
        # “MAZ 1'20"” says how long it lasts.
        lasts = named and is_bite(text) and re.search("['′’]", named[2])
        if named and not (lasts or PICTURE.fullmatch(named[1].strip())):
            sure += 1
            groups.append((named[2], []))
            if not NUMBERED.fullmatch(named[1].strip()) and named[1].strip() not in unnamed:
                groups[-1][1].append(replace(each, text=f"{named[1].strip()}:", heading=True))
            continue
        head = BRACKETED.match(text)
        if head:
            sure += 1
            for written, words in _between(text, head):
                groups.append((written, [replace(each, text=words)]))
            continue
        head = BARE.match(text)
        if head:
            is_range = RANGE.search(head[1])
            sure += bool(is_range)
            bare += not is_range
            groups.append((head[1], [replace(each, text=text[head.end() :])]))
            continue
        label = LABEL.match(text)
        if label and label[3]:
            sure += 1
            name = label[1].strip()
            words = text[label.end() :] if NUMBERED.fullmatch(name) else f"{name}: {text[label.end() :]}"
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
