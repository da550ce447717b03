"""Lines and what can be done to their words. Every function takes the lines in order and returns new ones."""

import re
from collections.abc import Callable, Collection, Container, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from difflib import SequenceMatcher

from fendo_core.production.refusal import EditRefused
from fendo_core.script.splitting import split
from fendo_core.timebase import SAMPLE_RATE, FrameRate, Span, milliseconds

LONGEST_TEXT = 4_000
LONGEST_NOTES = 2_000
MOST_LINES = 20_000
SHORTEST_WANTED, LONGEST_WANTED = milliseconds(200), 4 * 3600 * SAMPLE_RATE
"""A line read wild may be wanted so short and so long."""


@dataclass(frozen=True, slots=True)
class Line:
    """A numbered part of the script. `slot` is its place in the programme, None while it has none.

    A dropped line is kept for its takes, out of sight, until the drop is undone.

    Attributes:
        notes: for the reader; nobody else sees them.
        stress: ordinals of the words (`tokens`) that are to be stressed, rising.
        reader: who reads it; None for the production's reader.
        wild: it is read without picture, and so wants no slot.
        wanted_length: samples that it is to last where it has no slot; None: as long as it takes.
        silences: it replaces what the film says in its slot: the film's own sound is silent there while the line sounds.
        settled: its pick is final (`takes.settled`).
    """

    id: str
    number: str
    text: str
    slot: Span | None = None
    dropped: bool = False
    notes: str = ""
    stress: tuple[int, ...] = ()
    reader: str | None = None
    wild: bool = False
    silences: bool = False
    wanted_length: int | None = None
    settled: bool = False


@dataclass(frozen=True, slots=True)
class Draft:
    """A line that would be made: its words, and its slot, notes and the name of its reader where somebody has said them.

    Attributes:
        page: the slide that the words are of, from 1; 0: none is named.
    """

    text: str
    slot: Span | None = None
    notes: str = ""
    reader: str = ""
    page: int = 0


def there_already(drafts: Sequence[Draft], texts: Container[str]) -> str:
    """What to say when words are brought in that the script has; "" when they are new.

    Args:
        drafts: the lines that would be made.
        texts: the words of the lines that are there.
    """
    again, count = sum(draft.text in texts for draft in drafts), len(drafts)
    if again == count:
        return "all of these words are in the script already: bringing them in makes them twice"
    return f"{again} of these {count} lines are in the script already" if 2 * again > count else ""


ROW_END = re.compile(r"\r\n|[\n\r\v\f\x85\u2028\u2029]")
"""What ends a row of any text."""


def paragraphs(text: str) -> list[str]:
    """The paragraphs of a pasted text: non-empty rows, inner white space folded, control characters left out."""
    return [folded for row in ROW_END.split(text) if (folded := _folded(row))]


def _folded(row: str) -> str:
    """A row in which words stand one space apart, and nothing is that can't be seen."""
    folded = " ".join(row.split())
    if folded.isprintable():
        return folded
    # What can't be seen must not leave two spaces, or one at an end.
    return " ".join("".join(c for c in folded if c.isprintable()).split())


def _checked(text: str) -> str:
    folded = " ".join(paragraphs(text))
    if len(folded) > LONGEST_TEXT:
        raise EditRefused(
            f"A line holds at most {LONGEST_TEXT} characters and this one has {len(folded)}: split it into several lines."
        )
    return folded


def find(lines: Sequence[Line], line_id: str) -> int:
    """Index of the line.

    Raises:
        EditRefused: when there is no such line (somebody may have dropped it).
    """
    for index, line in enumerate(lines):
        if line.id == line_id and not line.dropped:
            return index
    raise EditRefused("This line is no longer in the script. Nothing was changed; undo may bring the line back.")


def changed(lines: Sequence[Line], line_id: str, change: Callable[[Line], Line]) -> tuple[Line, ...]:
    """The lines with one of them changed."""
    index = find(lines, line_id)
    return (*lines[:index], change(lines[index]), *lines[index + 1 :])


def set_words(lines: Sequence[Line], line_id: str, text: str) -> tuple[Line, ...]:
    """A line with other words (white space folded)."""
    words = _checked(text)
    return changed(lines, line_id, lambda line: _with_words(line, words))


def tokens(text: str) -> list[str]:
    """The words of a line as they stand on the page, marks included: what stress and spans of words count."""
    return text.split()


def _with_words(line: Line, words: str) -> Line:
    """A line with other words; stress stays on the words that are still there."""
    if not line.stress:
        return replace(line, text=words)
    old, new = tokens(line.text), tokens(words)
    shorter = min(len(old), len(new))
    # What was not touched at both ends is matched first: of equal words the matcher might take others.
    head = next((n for n in range(shorter) if old[n] != new[n]), shorter)
    tail = next((n for n in range(shorter - head) if old[-1 - n] != new[-1 - n]), shorter - head)
    blocks = [(0, 0, head), (len(old) - tail, len(new) - tail, tail)]
    between = SequenceMatcher(a=old[head : len(old) - tail], b=new[head : len(new) - tail], autojunk=False)
    blocks += [(head + a, head + b, size) for a, b, size in between.get_matching_blocks()]
    kept = [b + n - a for a, b, size in blocks for n in line.stress if a <= n < a + size]
    return replace(line, text=words, stress=tuple(sorted(kept)))


def set_stress(lines: Sequence[Line], line_id: str, stress: Iterable[int]) -> tuple[Line, ...]:
    """Other stressed words; ordinals that are none of the line's are left out."""
    wanted = set(stress)

    def mark(line: Line) -> Line:
        return replace(line, stress=tuple(n for n in range(len(tokens(line.text))) if n in wanted))

    return changed(lines, line_id, mark)


def set_notes(lines: Sequence[Line], line_id: str, notes: str) -> tuple[Line, ...]:
    """Notes for the reader; rows stay rows."""
    kept = "\n".join(paragraphs(notes))
    if len(kept) > LONGEST_NOTES:
        raise EditRefused(
            f"Notes hold at most {LONGEST_NOTES} characters and these have {len(kept)}. They were not changed."
        )
    return changed(lines, line_id, lambda line: replace(line, notes=kept))


def set_reader(lines: Sequence[Line], line_ids: Collection[str], reader: str | None) -> tuple[Line, ...]:
    """Lines given to a reader (None: the production's)."""
    for line_id in line_ids:
        find(lines, line_id)
    return tuple(replace(line, reader=reader) if line.id in line_ids else line for line in lines)


def set_wild(lines: Sequence[Line], line_id: str, wild: bool) -> tuple[Line, ...]:
    """A line read without picture has no slot; back among the others it has none either until it gets one."""
    return changed(lines, line_id, lambda line: replace(line, wild=wild, slot=None if wild else line.slot))


def set_wanted_length(lines: Sequence[Line], line_id: str, length: int | None) -> tuple[Line, ...]:
    """A line read wild that is to last so many samples (None: as long as it takes).

    Raises:
        EditRefused: when it has a slot, or nothing of that length can be read.
    """
    line = lines[find(lines, line_id)]
    if line.slot:
        raise EditRefused(f"Line {line.number} lasts as long as its slot. Take the slot away first, or change that.")
    if length is not None and not SHORTEST_WANTED <= length <= LONGEST_WANTED:
        raise EditRefused("A line lasts from 0.2 s to four hours. The wanted length stays as it was.")
    return changed(
        lines, line_id, lambda line: replace(line, wanted_length=length, wild=line.wild if length is None else True)
    )


def set_silences(lines: Sequence[Line], line_id: str, silences: bool) -> tuple[Line, ...]:
    """A line that replaces what the film says in its slot, or one that lies over it."""
    return changed(lines, line_id, lambda line: replace(line, silences=silences))


def _numbers(before: str | None, following: Iterable[str], taken: set[str], count: int) -> list[str]:
    """Numbers for `count` new lines after number `before`: the next whole ones at the end, else 7a, 7b, ... inside.

    Recorded files carry the numbers of their lines, so no existing line is ever renumbered by an insertion.
    """
    if not list(following):
        last = max((int(match[0]) for number in taken if (match := re.match(r"\d+", number))), default=0)
        return [str(last + 1 + i) for i in range(count)]
    stem = re.match(r"\d+", before or "0")
    base, found, ordinal = stem[0] if stem else "0", list[str](), 0
    while len(found) < count:
        letters, rest = "", ordinal
        while True:
            letters = chr(ord("a") + rest % 26) + letters
            rest = rest // 26 - 1
            if rest < 0:
                break
        if base + letters not in taken:
            found.append(base + letters)
        ordinal += 1
    return found


def _taken(lines: Sequence[Line], recorded: Collection[str]) -> set[str]:
    """Numbers that no new line may have: those in the script, and those that files of dropped lines carry."""
    return {line.number for line in lines if not line.dropped or line.id in recorded}


def add_lines(
    lines: Sequence[Line],
    after: str | None,
    texts: Sequence[str],
    new_id: Callable[[], str],
    recorded: Collection[str] = (),
) -> tuple[Line, ...]:
    """New lines behind line `after` (None: behind the last one), in order, without slots.

    Args:
        recorded: lines that have takes; their numbers are not given again, even when they were dropped.
        new_id: makes the identity of a new line.

    Raises:
        EditRefused: when nothing would be added, or too much.
    """
    words = [_checked(text) for text in texts]
    if not words:
        raise EditRefused("There are no words in this text: nothing was added.")
    if len(lines) + len(words) > MOST_LINES:
        raise EditRefused(f"A production holds at most {MOST_LINES} lines: nothing was added.")
    at = find(lines, after) + 1 if after else len(lines)
    following = [line.number for line in lines[at:] if not line.dropped]
    before = lines[at - 1].number if at else None
    numbers = _numbers(before, following, _taken(lines, recorded), len(words))
    new = [Line(new_id(), number, text) for number, text in zip(numbers, words, strict=True)]
    return (*lines[:at], *new, *lines[at:])


def add_drafts(
    lines: Sequence[Line],
    after: str | None,
    drafts: Sequence[Draft],
    rate: FrameRate,
    readers: Mapping[str, str],
    new_id: Callable[[], str],
    recorded: Collection[str] = (),
) -> tuple[Line, ...]:
    """New lines behind line `after` (None: behind the last one), with the drafts' slots put on whole frames.

    Args:
        readers: identities by name in small letters; a draft for a reader who is none of them goes to the production's.

    Raises:
        EditRefused: when nothing would be added, or too much, or a slot is none.
    """
    known = {line.id for line in lines}
    added = iter(drafts)
    made = []
    for line in add_lines(lines, after, [draft.text for draft in drafts], new_id, recorded):
        if line.id in known:
            made.append(line)
            continue
        draft = next(added)
        slot, reader = draft.slot, readers.get(draft.reader.casefold()) if draft.reader else None
        line = replace(line, notes="\n".join(paragraphs(draft.notes))[:LONGEST_NOTES], reader=reader)
        if slot is not None:
            start, end = rate.snap(max(0, slot.start)), rate.snap(slot.end)
            if end <= start:
                raise EditRefused(f"The slot of “{line.text[:30]}” has no length: nothing was added.")
            line = replace(line, slot=Span(start, end))
        made.append(line)
    return tuple(made)


def split_at(
    lines: Sequence[Line],
    line_id: str,
    at: int,
    recorded: Collection[str],
    rate: FrameRate,
    length_of: Callable[[str], int],
    new_id: Callable[[], str],
) -> tuple[Line, ...]:
    """A line made two at character `at` of its words. Takes, picks and notes stay with the first one.

    A slot is shared by the lengths that the two parts are expected to have, on a whole frame.

    Args:
        length_of: samples that a text is expected to take.

    Raises:
        EditRefused: at either end of the words.
    """
    line = lines[find(lines, line_id)]
    texts = [" ".join(paragraphs(part)) for part in (line.text[:at], line.text[at:])]
    if not all(texts):
        raise EditRefused("There are no words on one side of this place, so there is nothing to part.")
    return _parted(lines, {line_id: texts}, recorded, rate, length_of, new_id)


def split_long(
    lines: Sequence[Line],
    longest: int,
    recorded: Collection[str],
    rate: FrameRate,
    length_of: Callable[[str], int],
    new_id: Callable[[], str],
) -> tuple[Line, ...]:
    """Every line of more than `longest` characters made several where a reader would breathe; lines that have takes stay.

    Raises:
        EditRefused: when no line is that long.
    """
    long = {
        line.id: split(line.text, longest)
        for line in lines
        if not line.dropped and line.id not in recorded and len(line.text) > longest
    }
    parts = {line_id: texts for line_id, texts in long.items() if len(texts) > 1}
    if not parts:
        raise EditRefused(f"No line without takes is longer than {longest} characters, so there is nothing to part.")
    return _parted(lines, parts, recorded, rate, length_of, new_id)


def _parted(
    lines: Sequence[Line],
    parts: Mapping[str, Sequence[str]],
    recorded: Collection[str],
    rate: FrameRate,
    length_of: Callable[[str], int],
    new_id: Callable[[], str],
) -> tuple[Line, ...]:
    """Lines made several; the texts of each together are its words."""
    if len(lines) + sum(len(texts) - 1 for texts in parts.values()) > MOST_LINES:
        raise EditRefused(f"A production holds at most {MOST_LINES} lines: nothing was changed.")
    taken = _taken(lines, recorded)
    last = next((line.id for line in reversed(lines) if not line.dropped), None)
    out: list[Line] = []
    for line in lines:
        if line.id not in parts:
            out.append(line)
            continue
        texts = parts[line.id]
        following = [] if line.id == last else ["more"]
        numbers = [line.number, *_numbers(line.number, following, taken, len(texts) - 1)]
        taken.update(numbers)
        needs = [max(1, length_of(text)) for text in texts]
        slots, lengths, first = shared(line.slot, needs, rate), _lengths(line.wanted_length, needs), 0
        for place, (text, number, slot, wanted) in enumerate(zip(texts, numbers, slots, lengths, strict=True)):
            size = len(tokens(text))
            stress = tuple(n - first for n in line.stress if first <= n < first + size)
            first += size
            if place == 0:
                out.append(replace(line, text=text, slot=slot, stress=stress, wanted_length=wanted))
            else:
                out.append(
                    Line(
                        new_id(),
                        number,
                        text,
                        slot,
                        stress=stress,
                        reader=line.reader,
                        wild=line.wild,
                        silences=line.silences,
                        wanted_length=wanted,
                    )
                )
    return tuple(out)


def _both(one: int | None, other: int | None) -> int | None:
    return None if one is None or other is None else one + other


def _lengths(wanted: int | None, needs: Sequence[int]) -> list[int | None]:
    """A wanted length parted in proportion to `needs`."""
    if wanted is None:
        return [None] * len(needs)
    edges = [wanted * sum(needs[:n]) // sum(needs) for n in range(len(needs) + 1)]
    return [b - a for a, b in zip(edges, edges[1:], strict=False)]


def shared(slot: Span | None, needs: Sequence[int], rate: FrameRate) -> list[Span | None]:
    """A slot parted in proportion to `needs`, on whole frames; with fewer frames than parts the first one has it all."""
    if slot is None:
        return [None] * len(needs)
    edges = [slot.start]
    for n in range(1, len(needs)):
        edges.append(rate.snap(slot.start + slot.length * sum(needs[:n]) // sum(needs)))
    edges.append(slot.end)
    if any(b <= a for a, b in zip(edges, edges[1:], strict=False)):
        return [slot, *[None] * (len(needs) - 1)]
    return [Span(a, b) for a, b in zip(edges, edges[1:], strict=False)]


def join(lines: Sequence[Line], line_id: str, recorded: Collection[str]) -> tuple[Line, ...]:
    """A line and the one below made one. The slot covers both; notes are put together.

    Raises:
        EditRefused: for the last line, for two readers, and when the line below has takes: they say its words alone.
    """
    at = find(lines, line_id)
    line = lines[at]
    below = next((other for other in lines[at + 1 :] if not other.dropped), None)
    if below is None:
        raise EditRefused(f"Line {line.number} is the last one: there is no line below to join it with.")
    if below.id in recorded:
        raise EditRefused(
            f"Line {below.number} has takes, and they say its words alone. Both lines stay; drop line {below.number} first "
            "if its takes are not wanted."
        )
    if line.reader != below.reader:
        raise EditRefused(f"Lines {line.number} and {below.number} are read by two readers. Give both to one first.")
    spans = [each.slot for each in (line, below) if each.slot]
    slot = Span(min(s.start for s in spans), max(s.end for s in spans)) if spans else None
    size = len(tokens(line.text))
    one = replace(
        line,
        text=_checked(f"{line.text} {below.text}"),
        slot=slot,
        stress=(*line.stress, *(n + size for n in below.stress)),
        notes="\n".join(filter(None, (line.notes, below.notes))),
        wild=line.wild and below.wild,
        silences=line.silences or below.silences,
        wanted_length=_both(line.wanted_length, below.wanted_length),
    )
    return tuple(
        one if each.id == line.id else replace(each, dropped=True) if each.id == below.id else each for each in lines
    )


def renumber(lines: Sequence[Line], recorded: Collection[str]) -> tuple[Line, ...]:
    """Lines numbered in their order. A line that has takes keeps its number, which its files carry; the others count on
    from the one above, with letters (7a, 7b) where there is no whole number left before the next one kept.

    Raises:
        EditRefused: when there is nothing to number.
    """
    shown = [line for line in lines if not line.dropped]
    if not shown:
        raise EditRefused("There are no lines to number.")
    kept = {line.number for line in lines if line.id in recorded}
    # For each line the number of the next one that keeps its own.
    ahead: list[str | None] = [None] * len(shown)
    for index in range(len(shown) - 1, -1, -1):
        after = ahead[index + 1] if index + 1 < len(shown) else None
        ahead[index] = shown[index].number if shown[index].id in recorded else after
    found: dict[str, str] = {}
    used, count, before = set(kept), 0, "0"
    for index, line in enumerate(shown):
        limit = ahead[index]
        if line.id in recorded:
            count, before = _whole(line.number), line.number
            continue
        if limit is None or _whole(limit) - count > 1:
            count += 1
            while str(count) in used:
                count += 1
            before = str(count)
        else:
            before = _numbers(before, ["more"], used, 1)[0]
        used.add(before)
        found[line.id] = before
    return tuple(replace(line, number=found.get(line.id, line.number)) for line in lines)


def _whole(number: str) -> int:
    match = re.match(r"\d+", number)
    return int(match[0]) if match else 0


@dataclass(frozen=True, slots=True)
class Wanted:
    """What is looked for: `text` as it stands or in capitals and small letters alike, and as whole words only or not."""

    text: str
    match_case: bool = False
    whole_words: bool = False

    def pattern(self) -> "re.Pattern[str]":
        """The search as a regular expression.

        Raises:
            EditRefused: for an empty one.
        """
        text = " ".join(self.text.split()) if self.text.strip() else self.text
        if not text.strip():
            raise EditRefused("Type what is to be found.")
        body = re.escape(text).replace(r"\ ", r"\s+")
        # Straight and typeset apostrophes and quotation marks are one to whoever types.
        body = body.replace("'", "['’‘]").replace('"', '["“”„]')
        if self.whole_words:
            body = rf"(?<!\w){body}(?!\w)"
        return re.compile(body, re.UNICODE if self.match_case else re.UNICODE | re.IGNORECASE)


def search(lines: Sequence[Line], wanted: Wanted) -> dict[str, list[tuple[int, int]]]:
    """Where the words stand: spans of characters by line, for lines in which they do."""
    pattern = wanted.pattern()
    found = {}
    for line in lines:
        if not line.dropped and (spans := [match.span() for match in pattern.finditer(line.text)]):
            found[line.id] = spans
    return found


def replace_words(
    lines: Sequence[Line], wanted: Wanted, by: str, only: Collection[str] | None = None
) -> tuple[tuple[Line, ...], int]:
    """The lines with every place of `wanted` written as `by`, and how many places that were.

    Raises:
        EditRefused: when nothing is found, or a line would become too long.
    """
    pattern, count, out = wanted.pattern(), 0, []
    for line in lines:
        if line.dropped or (only is not None and line.id not in only):
            out.append(line)
            continue
        text, places = pattern.subn(lambda _: by, line.text)
        count += places
        out.append(_with_words(line, _checked(text)) if places else line)
    if not count:
        raise EditRefused(f"“{wanted.text}” stands nowhere in the script. Nothing was changed.")
    return tuple(out), count


def move(lines: Sequence[Line], line_id: str, before: str | None) -> tuple[Line, ...]:
    """A line put before another one (None: at the end). Its number and its slot stay.

    Raises:
        EditRefused: when one of them is no longer there.
    """
    index = find(lines, line_id)
    if before == line_id:
        return tuple(lines)
    rest = [*lines[:index], *lines[index + 1 :]]
    place = len(rest) if before is None else find(rest, before)
    return (*rest[:place], lines[index], *rest[place:])


def drop_line(lines: Sequence[Line], line_id: str) -> tuple[Line, ...]:
    """The line taken out of the script; its takes stay with it."""
    return changed(lines, line_id, lambda line: replace(line, dropped=True))
