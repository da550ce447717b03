"""Slots: where in the programme a line is said."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

from fendo_core.script.lines import EditRefused, Line, changed
from fendo_core.script.pace import expected_length, words
from fendo_core.timebase import FrameRate, Span, milliseconds, seconds_text

SHORTEST = milliseconds(200)
NOTHING = milliseconds(50)
_LEAD = milliseconds(400)


@dataclass(frozen=True, slots=True)
class Fit:
    """A line's words against its slot: `needed` samples at the stated pace, `spare` samples left (negative: over),
    `words_over` about how many words that is."""

    needed: int
    spare: int | None
    state: Literal["no words", "no slot", "fits", "tight", "over"]
    text: str
    words_over: int = 0


def fit(text: str, slot: Span | None, pace: float) -> Fit:
    """Whether the words fit the slot, and the sentence that says it.

    Within 3 % of the slot is called tight: nobody reads more evenly than that. Less than a twentieth of a second over
    is no more than the frame that a slot ends on.
    """
    if not text.strip():
        return Fit(0, None, "no words", "no words yet")
    needed = expected_length(text, pace)
    if slot is None:
        return Fit(needed, None, "no slot", f"no slot yet; needs {seconds_text(needed)} s")
    spare = slot.length - needed
    if spare < -NOTHING:
        count = max(1, round(-spare * len(words(text)) / needed))
        return Fit(needed, spare, "over", f"{seconds_text(-spare)} s over", count)
    if spare < slot.length * 3 // 100:
        return Fit(needed, spare, "tight", "fits, just")
    return Fit(needed, spare, "fits", f"fits, {seconds_text(spare)} s spare")


def set_start(lines: Sequence[Line], line_id: str, at: int, rate: FrameRate, pace: float) -> tuple[Line, ...]:
    """The slot begins on the frame shown at sample `at`.

    A line without a slot gets one of its expected length; an end that would lie before the start moves along.

    Raises:
        EditRefused: before the beginning of the programme.
    """
    start = rate.snap(at)
    if start < 0:
        raise EditRefused("A slot can't begin before the programme does.")

    def begin(line: Line) -> Line:
        if line.slot and line.slot.end - start >= SHORTEST:
            return replace(line, slot=Span(start, line.slot.end))
        length = line.slot.length if line.slot else max(expected_length(line.text, pace), SHORTEST)
        return replace(line, slot=Span(start, rate.snap(start + length) + rate.first_sample(1)))

    return changed(lines, line_id, begin)


def set_end(lines: Sequence[Line], line_id: str, at: int, rate: FrameRate, pace: float) -> tuple[Line, ...]:
    """The slot ends before the frame shown at sample `at`.

    A line without a slot gets one of its expected length before that; a start that would lie behind the end is refused.
    """
    end = rate.snap(at)

    def finish(line: Line) -> Line:
        if line.slot:
            if end - line.slot.start < SHORTEST:
                raise EditRefused(
                    f"Line {line.number} begins at this place: its end must lie at least 0.2 s later. "
                    "Move on in the picture and mark again, or mark a new start first."
                )
            return replace(line, slot=Span(line.slot.start, end))
        start = max(0, rate.snap(end - expected_length(line.text, pace)))
        if end - start < SHORTEST:
            raise EditRefused("A slot needs at least 0.2 s before its end. Move on in the picture and mark again.")
        return replace(line, slot=Span(start, end))

    return changed(lines, line_id, finish)


def set_slot(lines: Sequence[Line], line_id: str, slot: Span | None, rate: FrameRate) -> tuple[Line, ...]:
    """The line's slot put on whole frames, or taken away (None)."""
    if slot is None:
        return changed(lines, line_id, lambda line: replace(line, slot=None))
    start, end = rate.snap(max(0, slot.start)), rate.snap(slot.end)
    if end - start < SHORTEST:
        raise EditRefused("A slot needs at least 0.2 s.")
    return changed(lines, line_id, lambda line: replace(line, slot=Span(start, end)))


def lay_slots(
    lines: Sequence[Line], shots: Sequence[Span], rate: FrameRate, pace: float, only: Sequence[str] | None = None
) -> tuple[Line, ...]:
    """Slots for all lines with words (or those in `only`), in order, over the shots.

    A line goes to the shot in which its share of the whole reading falls; the lines of one shot lie behind one another
    with even gaps. Where a shot has too little time its lines share it by their expected lengths.

    Raises:
        EditRefused: when there is no picture, or no words.
    """
    if not shots:
        raise EditRefused("There is no picture yet, so there is nothing to lay the lines on. Bring in a film first.")
    chosen = None if only is None else set(only)
    wanted = [line for line in lines if line.text and not line.dropped and (chosen is None or line.id in chosen)]
    if not wanted:
        raise EditRefused("There are no words yet, so there is nothing to lay. Paste or type the script first.")
    needs = {line.id: max(expected_length(line.text, pace), SHORTEST) for line in wanted}
    programme, total = sum(shot.length for shot in shots), sum(needs.values())
    groups: list[list[Line]] = [[] for _ in shots]
    said = 0
    for line in wanted:
        middle = (2 * said + needs[line.id]) * programme // (2 * total)
        said += needs[line.id]
        passed = 0
        for group, shot in zip(groups, shots, strict=True):
            passed += shot.length
            if middle < passed or shot is shots[-1]:
                group.append(line)
                break
    laid = {
        line.id: slot for group, shot in zip(groups, shots, strict=True) for line, slot in _share(group, shot, needs, rate)
    }
    return tuple(replace(line, slot=laid[line.id]) if line.id in laid else line for line in lines)


def _share(group: list[Line], shot: Span, needs: dict[str, int], rate: FrameRate) -> list[tuple[Line, Span]]:
    """The lines of one shot behind one another, with even gaps while there is room."""
    if not group:
        return []
    load = sum(needs[line.id] for line in group)
    room = shot.length - load
    gap = min(room // (len(group) + 1), _LEAD * 5) if room > 0 else 0
    position, wanted = shot.start + gap, []
    for line in group:
        need = needs[line.id] if room > 0 else needs[line.id] * shot.length // load
        # Where there is room a slot is a little longer than the words: nobody reads to the frame.
        air = min(gap // 2, need // 6)
        start, last = rate.snap(position), rate.frame_at(position + need + air - 1)
        wanted.append((line, start, rate.first_sample(last + (1 if room > 0 else 0))))
        position += need + gap
    limits = [start for _, start, _ in wanted[1:]] + [max(shot.end, rate.first_sample(1))]
    shortest = rate.first_sample(1)
    return [
        (line, Span(start, max(min(end, limit), start + shortest)))
        for (line, start, end), limit in zip(wanted, limits, strict=True)
    ]


def out_of_order(lines: Sequence[Line]) -> list[str]:
    """Lines whose slot begins before the line above it ends."""
    end, found = 0, []
    for line in lines:
        if line.dropped or line.slot is None:
            continue
        if line.slot.start < end:
            found.append(line.id)
        end = max(end, line.slot.end)
    return found
