"""What is looked at before anything is written: each finding says which lines, what, and where it is mended."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Literal, TypeAlias, get_args

from fendo_core.script.lines import Line
from fendo_core.takes.measures import PAST_END
from fendo_core.timebase import Span, milliseconds, seconds_text

FindingKind: TypeAlias = Literal[
    "no take", "not picked", "scratch", "silent", "over", "overlaps", "clipped", "doubtful", "other words", "wild",
    "cut off", "not treated", "name", "hole", "level", "missing", "disk",
]  # fmt: skip
FINDING_KINDS: tuple[FindingKind, ...] = get_args(FindingKind)
Room: TypeAlias = Literal["picture", "script", "booth", "takes", "polish", ""]
ROOMS: tuple[Room, ...] = get_args(Room)

OVERLAP = milliseconds(40)
"""Two voices that sound together for less than this are not noticed."""


@dataclass(frozen=True, slots=True)
class Finding:
    """Something that is not as it should be. `stops`: nothing can be written with it. `lines` are identities; `room` is
    where it is mended (empty: nowhere in Fendo)."""

    kind: FindingKind
    says: str
    room: Room
    lines: tuple[str, ...] = ()
    stops: bool = False


@dataclass(frozen=True, slots=True)
class Read:
    """What sounds for a line.

    Attributes:
        speech: programme span from the first word to the last; None: nobody speaks.
        provisional: nobody picked it.
        clipped: places.
        doubts: what speaks against its place.
        cut_off: its recording ended by a fault.
        words: what the line said when it was read; None: not known, or it is made of several takes.
        scratch: it only holds a place until the real reading is there.
        treated: it has a treatment of its own, or the production's.
    """

    line: Line
    speech: Span | None
    provisional: bool = False
    clipped: int = 0
    doubts: tuple[str, ...] = ()
    cut_off: bool = False
    words: str | None = None
    treated: bool = True
    scratch: bool = False


def check(lines: Sequence[Line], read: Sequence[Read], pictured: bool, treated: bool) -> list[Finding]:
    """What is to be known before these lines leave, what matters most first.

    Args:
        lines: those that are to leave, in order; dropped ones and ones without words are nobody's business.
        read: what sounds for those of them that were read.
        pictured: there is a picture, so that a line without a place is lost in it.
        treated: voices leave as they sound in the programme.
    """
    known = {one.line.id for one in read}
    wordy = [line for line in lines if line.text and not line.dropped]
    found: list[Finding] = []

    def say(kind: FindingKind, room: Room, of: Iterable[Line], one: str, many: str) -> None:
        told = list(of)
        if told:
            says = f"Line {told[0].number} {one}." if len(told) == 1 else f"{len(told)} lines {many}."
            found.append(Finding(kind, says, room, tuple(line.id for line in told)))

    def where(test: Callable[[Read], object]) -> list[Line]:
        return [one.line for one in read if test(one)]

    missing = [line for line in wordy if line.id not in known]
    say("no take", "booth", missing, "has not been read and will be silent", "have not been read and will be silent")
    say("silent", "takes", where(lambda one: one.speech is None), *_has("a take in which nobody speaks"))
    say("cut off", "takes", where(lambda one: one.cut_off), *_has("a take that was cut off"))
    say("not picked", "takes", where(lambda one: one.provisional), *_has("no pick: what was read last is handed over"))
    say("scratch", "booth", where(lambda one: one.scratch), "is a scratch reading", "are scratch readings")
    changed = where(lambda one: one.words is not None and _said(one.words) != _said(one.line.text))
    say("other words", "booth", changed, "was read before its words changed", "were read before their words changed")
    if at_once := _overlaps(read):
        one, other, by = max(at_once, key=lambda pair: pair[2])
        says = f"Lines {one.number} and {other.number} sound at once for {seconds_text(by, 2)} s."
        says = says if len(at_once) == 1 else f"{len(at_once)} pairs of lines sound at once. {says}"
        both = dict.fromkeys(line.id for pair in at_once for line in pair[:2])
        found.append(Finding("overlaps", says, "takes", tuple(both)))
    over = [(one, by) for one in read if (by := _over(one)) > 0]
    if over:
        worst, by = max(over, key=lambda pair: pair[1])
        ids, longest = tuple(one.line.id for one, _ in over), seconds_text(by, 2)
        says = f"{len(over)} lines run past their slots, line {worst.line.number} by {longest} s."
        says = says if len(over) > 1 else f"Line {worst.line.number} runs {longest} s past its slot."
        found.append(Finding("over", says, "takes", ids))
    say("clipped", "takes", where(lambda one: one.clipped), "is clipped", "are clipped")
    say("doubtful", "takes", where(lambda one: one.doubts), "may lie beside its place", "may lie beside their places")
    if pictured:
        say("wild", "script", where(lambda one: one.line.slot is None), *_has("no place in the picture"))
    if treated:
        say("not treated", "polish", where(lambda one: not one.treated), "is untreated", "are untreated")
    return found


def _has(what: str) -> tuple[str, str]:
    return f"has {what}", f"have {what}"


def _said(text: str) -> str:
    return " ".join("".join(c for c in text.casefold() if c.isalnum() or c.isspace()).split())


def _over(one: Read) -> int:
    """Samples by which a line is spoken past its slot, where that is heard as such."""
    if one.speech is None or one.line.slot is None:
        return 0
    by = one.speech.end - one.line.slot.end
    return by if by >= PAST_END else 0


def _overlaps(read: Sequence[Read]) -> list[tuple[Line, Line, int]]:
    spoken = sorted(((one.speech, one.line) for one in read if one.speech), key=lambda pair: pair[0])
    found = []
    for (first, line), (second, other) in zip(spoken, spoken[1:], strict=False):
        by = min(first.end, second.end) - second.start
        if by >= OVERLAP:
            found.append((line, other, by))
    return found
