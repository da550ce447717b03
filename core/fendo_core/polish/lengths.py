"""The lengths of all lines at once: which are made to last how long, which can't be, and why."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import pairwise

from fendo_core.polish.length import Lasting, Overlap, TooFar, lasting, whole_lasting
from fendo_core.production.state import State
from fendo_core.script.lines import Line
from fendo_core.takes.fitting import Fitted
from fendo_core.takes.standing import sounding
from fendo_core.timebase import Span
from fendo_core.voice import Comp, Place


@dataclass(frozen=True, slots=True)
class HeardLine:
    """A line in which somebody speaks: the take or comp that sounds, and its phrases, programme samples."""

    line: Line
    voice: str
    comp: Comp
    phrases: tuple[Span, ...]

    @property
    def length(self) -> int:
        """Samples from its first word to its last."""
        return self.phrases[-1].end - self.phrases[0].start


@dataclass(frozen=True, slots=True)
class LineLength:
    """What is done to a line so that it lasts `wanted` samples; `refused`: why it stays as it is, else empty."""

    heard: HeardLine
    wanted: int
    phrases: tuple[Fitted, ...] = ()
    stretch: float = 0.0
    refused: str = ""

    @property
    def pauses(self) -> int:
        """Samples that its pauses get longer, all together."""
        return sum(b.to.start - a.to.end - b.own.start + a.own.end for a, b in pairwise(self.phrases))

    @property
    def moved(self) -> int:
        """Samples by which its first word comes later."""
        return self.phrases[0].shift if self.phrases else 0

    @property
    def only_moves(self) -> bool:
        """Whether it sounds as it did, elsewhere."""
        return all(one.to.length == one.own.length and one.shift == self.moved for one in self.phrases)


@dataclass(frozen=True, slots=True)
class LengthPlan:
    """Lines that would be changed or refuse it; `whole`: what is done to all together; `refused`: why nothing can be."""

    lines: list[LineLength] = field(default_factory=list)
    whole: Lasting | None = None
    refused: str = ""


def heard_lines(state: State, spoken: Mapping[str, Sequence[Span]]) -> list[HeardLine]:
    """The lines in which somebody speaks, in the order in which they are heard.

    Args:
        spoken: phrases by recording, in its samples.
    """
    lines = {line.id: line for line in state.lines}
    found = [
        HeardLine(lines[line], voice, comp, phrases)
        for line, (voice, comp) in sounding(state).items()
        if (phrases := Place(comp).all_in_programme(spoken))
    ]
    return sorted(found, key=lambda one: one.phrases[0].start)


def to_slots(heard: Sequence[HeardLine], most: float, natural: int | None) -> LengthPlan:
    """Each line that is longer than its slot made as long as that; `most` and `natural` as in `lasting`."""
    lines = []
    for one in heard:
        slot = one.line.slot
        if slot is None or one.length <= slot.length:
            continue
        if one.line.settled:
            lines.append(LineLength(one, slot.length, refused="It is settled"))
            continue
        try:
            found = lasting(one.phrases, slot.length, most, natural)
            lines.append(LineLength(one, slot.length, found.phrases, found.stretch))
        except TooFar as error:
            lines.append(LineLength(one, slot.length, refused=str(error)))
    return LengthPlan(lines)


def together(heard: Sequence[HeardLine], wanted: int, most: float, natural: int | None) -> LengthPlan:
    """All lines made to last `wanted` samples, from the first word of all to the last."""
    if not heard:
        return LengthPlan(refused="Nothing was read yet")
    if settled := next((one.line.number for one in heard if one.line.settled), None):
        return LengthPlan(refused=f"Line {settled} is settled. Open it again first")
    try:
        found, parts = whole_lasting([one.phrases for one in heard], wanted, most, natural)
    except Overlap as error:
        one, other = (heard[number].line.number for number in (error.first, error.second))
        why = f"Line {other} begins before line {one} has ended: pauses between them can’t give or take"
        return LengthPlan(refused=why)
    except TooFar as error:
        return LengthPlan(refused=str(error))
    lines = [
        LineLength(one, part[-1].to.end - part[0].to.start, part, found.stretch)
        for one, part in zip(heard, parts, strict=True)
        if any(phrase.to != phrase.own for phrase in part)
    ]
    return LengthPlan(lines, found)
