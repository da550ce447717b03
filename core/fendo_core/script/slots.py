"""Slots: where in the programme a line is said."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Literal, TypeAlias

from fendo_core.production.refusal import EditRefused
from fendo_core.script.lines import Line, changed, tokens
from fendo_core.script.pace import Pace, expected_length
from fendo_core.timebase import FrameRate, Span, milliseconds, seconds_text

Need: TypeAlias = Callable[[Line], int]
"""Samples that a line's words are expected to take its reader."""
SHORTEST = milliseconds(200)
NOTHING = milliseconds(50)
_LEAD = milliseconds(400)


@dataclass(frozen=True, slots=True)
class Fit:
    """A line's words against its slot: `needed` samples at the stated pace, `spare` samples left (negative: over),
    `words_over` about how many words that is."""

    needed: int
    spare: int | None
    state: Literal["no words", "no slot", "wild", "fits", "tight", "over"]
    text: str
    words_over: int = 0


@lru_cache(maxsize=1 << 15)
def fit(text: str, slot: Span | None, pace: Pace, wild: bool = False, wanted: int | None = None) -> Fit:
    """Whether the words fit the slot, or the samples that a line without one is `wanted` to last; and the sentence that
    says it.

    Within 3 % of the slot is called tight: nobody reads more evenly than that. Less than a twentieth of a second over
    is no more than the frame that a slot ends on.
    """
    if not text.strip():
        return Fit(0, None, "no words", "no words yet")
    needed = expected_length(text, pace)
    length = slot.length if slot else wanted
    if wild and length is None:
        return Fit(needed, None, "wild", f"wild, needs {seconds_text(needed)} s")
    if length is None:
        return Fit(needed, None, "no slot", f"no slot yet; needs {seconds_text(needed)} s")
    spare = length - needed
    if spare < -NOTHING:
        count = max(1, round(-spare * len(tokens(text)) / needed))
        return Fit(needed, spare, "over", f"{seconds_text(-spare)} s over", count)
    if spare < length * 3 // 100:
        return Fit(needed, spare, "tight", "fits, just")
    return Fit(needed, spare, "fits", f"fits, {seconds_text(spare)} s spare")


def set_start(lines: Sequence[Line], line_id: str, at: int, rate: FrameRate, need: Need) -> tuple[Line, ...]:
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
            return replace(line, slot=Span(start, line.slot.end), wild=False)
        length = line.slot.length if line.slot else max(need(line), SHORTEST)
        return replace(line, slot=Span(start, rate.next_frame(start + length)), wild=False)

    return changed(lines, line_id, begin)


def set_end(lines: Sequence[Line], line_id: str, at: int, rate: FrameRate, need: Need) -> tuple[Line, ...]:
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
            return replace(line, slot=Span(line.slot.start, end), wild=False)
        start = max(0, rate.snap(end - need(line)))
        if end - start < SHORTEST:
            raise EditRefused("A slot needs at least 0.2 s before its end. Move on in the picture and mark again.")
        return replace(line, slot=Span(start, end), wild=False)

    return changed(lines, line_id, finish)


def set_slot(lines: Sequence[Line], line_id: str, slot: Span | None, rate: FrameRate) -> tuple[Line, ...]:
    """The line's slot put on whole frames, or taken away (None)."""
    if slot is None:
        return changed(lines, line_id, lambda line: replace(line, slot=None))
    start, end = rate.snap(max(0, slot.start)), rate.snap(slot.end)
    if end - start < SHORTEST:
        raise EditRefused("A slot needs at least 0.2 s.")
    return changed(lines, line_id, lambda line: replace(line, slot=Span(start, end), wild=False))


def lay_slots(
    lines: Sequence[Line], shots: Sequence[Span], rate: FrameRate, need: Need, only: Sequence[str] | None = None
) -> tuple[Line, ...]:
    """Slots for all lines with words (or those in `only`), in order, over the shots.

    A line goes to the shot in which its share of the whole reading falls; the lines of one shot lie behind one another
    with even gaps. Where a shot has too little time its lines share it by their expected lengths.

    Raises:
        EditRefused: when there is no picture, or no words.
    """
    if not shots:
        raise EditRefused(
            "There is no picture yet, so there is nothing to lay the lines on. Bring in a film, or say how long it lasts."
        )
    chosen = None if only is None else set(only)
    wanted = [line for line in lines if _wants_slot(line) and (chosen is None or line.id in chosen)]
    if not wanted:
        raise EditRefused("There are no words yet, so there is nothing to lay. Paste or type the script first.")
    needs = {line.id: max(need(line), SHORTEST) for line in wanted}
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


def _wants_slot(line: Line) -> bool:
    return bool(line.text) and not line.dropped and not line.wild


def spread(lines: Sequence[Line], length: int, rate: FrameRate, need: Need) -> tuple[Line, ...]:
    """Slots for the lines that have none, each run of them over the hole between the slots before and after it.

    Lines that have a slot stay where they are. A run is laid by its lines' expected lengths, with even gaps; one for which
    there is no hole (less than 0.2 s a line) gets none.

    Args:
        length: of the programme, samples; where it ends for the last run.

    Raises:
        EditRefused: when no line lacks a slot, or no hole is large enough.
    """
    if not any(_wants_slot(line) and line.slot is None for line in lines):
        raise EditRefused("Every line with words has a slot already, or is wild.")
    laid: dict[str, Span] = {}
    run: list[Line] = []
    begin = 0
    for line in (*lines, None):
        if line is not None and line.slot is None:
            run += [line] if _wants_slot(line) else []
            continue
        if line is not None and line.dropped:
            continue
        end = line.slot.start if line is not None and line.slot else length
        if run and end - begin >= SHORTEST * len(run):
            needs = {each.id: max(need(each), SHORTEST) for each in run}
            laid |= {each.id: slot for each, slot in _share(run, Span(begin, end), needs, rate)}
        run = []
        begin = max(begin, line.slot.end if line is not None and line.slot else length)
    if not laid:
        raise EditRefused(
            "There is no room between the slots around them for the lines that have none. Make room first, or lay all anew."
        )
    return tuple(replace(line, slot=laid[line.id]) if line.id in laid else line for line in lines)


def mend(lines: Sequence[Line], rate: FrameRate) -> tuple[Line, ...]:
    """Lines in the order of their slots, and no slot into the next one.

    A line without a slot stays behind the line it stands behind. Where two slots overlap the earlier one ends where the
    later one begins; where too little of it would be left (0.2 s), the two share their time at the middle. Numbers stay.

    Raises:
        EditRefused: when nothing crosses.
    """
    if not out_of_order(lines):
        raise EditRefused("The slots are in order already, and none runs into the next one.")
    groups: list[tuple[int, list[Line]]] = []
    for line in lines:
        if (line.slot is not None and not line.dropped) or not groups:
            groups.append((line.slot.start if line.slot else -1, [line]))
        else:
            groups[-1][1].append(line)
    out = [line for _, group in sorted(groups, key=lambda group: group[0]) for line in group]
    places = [n for n, line in enumerate(out) if line.slot is not None and not line.dropped]
    for here, there in zip(places, places[1:], strict=False):
        one, two = out[here].slot, out[there].slot
        assert one is not None and two is not None
        if one.end <= two.start:
            continue
        edge = two.start
        if edge - one.start < SHORTEST:
            edge = max(rate.snap((one.start + max(one.end, two.end)) // 2), rate.next_frame(one.start))
        end = max(two.end, rate.next_frame(edge))
        out[here] = replace(out[here], slot=Span(one.start, edge))
        out[there] = replace(out[there], slot=Span(edge, end))
    return tuple(out)


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
    return [
        (line, Span(start, max(min(end, limit), rate.next_frame(start))))
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
