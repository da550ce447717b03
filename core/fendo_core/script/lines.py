"""Lines and what can be done to their words. Every function takes the lines in order and returns new ones."""

import re
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace

from fendo_core.timebase import FrameRate, Span

LONGEST_TEXT = 4_000
MOST_LINES = 20_000


class EditRefused(ValueError):
    """An edit that cannot be done; the message says why and what is possible."""


@dataclass(frozen=True, slots=True)
class Line:
    """A numbered piece of the script. `slot` is its place in the programme, None while it has none.

    A dropped line is kept for its takes, out of sight, until the drop is undone.
    """

    id: str
    number: str
    text: str
    slot: Span | None = None
    dropped: bool = False


@dataclass(frozen=True, slots=True)
class Draft:
    """A line that would be made: its words, and its slot where somebody has said one."""

    text: str
    slot: Span | None = None


def paragraphs(text: str) -> list[str]:
    """The paragraphs of a pasted text: non-empty rows, inner white space folded, control characters left out."""
    rows = re.split(r"\r\n|[\n\r\v\f\x85\u2028\u2029]", text)
    # What can't be seen goes first: it must not leave a space at an end.
    seen = ("".join(c for c in re.sub(r"\s", " ", row) if c.isprintable()) for row in rows)
    return [folded for row in seen if (folded := re.sub(r"\s+", " ", row).strip())]


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
    return changed(lines, line_id, lambda line: replace(line, text=words))


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


def add_lines(
    lines: Sequence[Line], after: str | None, texts: Sequence[str], new_id: Callable[[], str]
) -> tuple[Line, ...]:
    """New lines behind line `after` (None: behind the last one), in order, without slots.

    Args:
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
    numbers = _numbers(before, following, {line.number for line in lines}, len(words))
    new = [Line(new_id(), number, text) for number, text in zip(numbers, words, strict=True)]
    return (*lines[:at], *new, *lines[at:])


def add_drafts(
    lines: Sequence[Line], after: str | None, drafts: Sequence[Draft], rate: FrameRate, new_id: Callable[[], str]
) -> tuple[Line, ...]:
    """New lines behind line `after` (None: behind the last one), with the drafts' slots put on whole frames.

    Raises:
        EditRefused: when nothing would be added, or too much, or a slot is none.
    """
    known = {line.id for line in lines}
    added = iter(drafts)
    made = []
    for line in add_lines(lines, after, [draft.text for draft in drafts], new_id):
        slot = None if line.id in known else next(added).slot
        if slot is not None:
            start, end = rate.snap(max(0, slot.start)), rate.snap(slot.end)
            if end <= start:
                raise EditRefused(f"The slot of “{line.text[:30]}” has no length: nothing was added.")
            line = replace(line, slot=Span(start, end))
        made.append(line)
    return tuple(made)


def drop_line(lines: Sequence[Line], line_id: str) -> tuple[Line, ...]:
    """The line taken out of the script; its takes stay with it."""
    return changed(lines, line_id, lambda line: replace(line, dropped=True))
