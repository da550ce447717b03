"""Lines, takes and sync points that go with their picture when the reel changes, and in words what that means."""

from collections.abc import Callable
from dataclasses import dataclass, replace

from fendo_core.picture.reel import follower
from fendo_core.production.state import Difference, Row, State, comp_row
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.voice import shifted


def follow(before: State, after: State) -> State:
    """`after` with each slot, and the takes of its line, where the picture at its start has gone; sync points, too.

    A line whose picture is gone stays where it was, and so does a sync point. Takes are moved whole: no change of picture
    ever cuts one.
    """
    where, rate = follower(before.clips, after.clips), after.rate
    lines, places, moved = [], dict(after.places), dict[str, int]()
    for line in after.lines:
        frame = rate.frame_at(line.slot.start) if line.slot else 0
        new = where(frame) if line.slot else None
        if line.slot is None or line.dropped or new is None or new == frame:
            lines.append(line)
            continue
        by = rate.first_sample(new) - rate.first_sample(frame)
        end = rate.first_sample(rate.frame_at(line.slot.end) + new - frame)
        start = line.slot.start + by
        if rate.snap(line.slot.end) != line.slot.end:
            end = line.slot.end + by
        lines.append(replace(line, slot=Span(start, max(end, start + 1))))
        moved[line.id] = by
        for take in after.takes.get(line.id, ()):
            place = places.pop(take.id, take.start) + by
            if place != take.start:
                places[take.id] = place
    comps = tuple(
        replace(one, comp=shifted(one.comp, moved[one.line])) if one.line in moved else one for one in after.comps
    )
    return replace(after, lines=tuple(lines), places=places, comps=comps, sync_points=_sync_points(after, where))


def _sync_points(after: State, where: Callable[[int], int | None]) -> dict[int, str]:
    rate, staying, gone_along = after.rate, dict[int, str](), dict[int, str]()
    for at, called in after.sync_points.items():
        frame = rate.frame_at(at)
        new = where(frame)
        points, frame = (staying, frame) if new is None else (gone_along, new)
        points[rate.first_sample(frame)] = called
    return staying | gone_along


def is_of_reel(change: Difference) -> bool:
    """Whether a change is one of the reel: only such a one moves takes with their line, and moves slots in no other way."""
    return any(key == "reel" or key.startswith("clip:") for key in change.touched)


def carrying(change: Difference, present: State) -> Difference:
    """A change taken back or done again, with the takes that were recorded since: they go where their line goes.

    The takes that it knew are in its rows already.
    """
    if not is_of_reel(change):
        return change
    before, after = dict(change.before), dict(change.after)
    for key, row in change.after.items():
        kind, _, line = key.partition(":")
        by = _further(change.before[key], row) if kind == "line" else 0
        if not by:
            continue
        for take in present.takes.get(line, ()):
            if f"take:{take.id}" not in after:
                place, aside = present.places.get(take.id), take.id in present.aside
                new = (take.start if place is None else place) + by
                before[f"take:{take.id}"] = {"aside": aside, "place": place}
                after[f"take:{take.id}"] = {"aside": aside, "place": None if new == take.start else new}
        for one in present.comps:
            if one.line == line and f"comp:{one.id}" not in after:
                before[f"comp:{one.id}"], after[f"comp:{one.id}"] = (
                    comp_row(one),
                    comp_row(replace(one, comp=shifted(one.comp, by))),
                )
    return Difference(before, after)


def _further(before: Row | None, after: Row | None) -> int:
    """Samples that a line's slot begins later; 0 for a line that is new, gone, or has none."""
    if not before or not after or not before["slot"] or not after["slot"]:
        return 0
    return int(after["slot"][0] - before["slot"][0])


@dataclass(frozen=True, slots=True)
class Consequence:
    """What an edit of the reel does to words and takes.

    Attributes:
        moved: numbers of the lines that go with their picture.
        left: numbers of the lines that lie over other picture than before, or over none.
        takes: how many takes go along.
        by: samples that they go later; None when not all go by the same.
        longer: samples that the programme gets longer.
        text: all that in words.
    """

    moved: tuple[str, ...]
    left: tuple[str, ...]
    takes: int
    by: int | None
    longer: int
    text: str


def consequence(before: State, after: State) -> Consequence:
    """What the difference between two states means for lines and takes."""
    old = {line.id: line for line in before.lines}
    where, rate = follower(before.clips, after.clips), after.rate
    moved, left, ways = [], [], set[int]()
    for line in after.lines:
        was = old.get(line.id)
        if line.dropped or not line.slot or not was or not was.slot:
            continue
        by = line.slot.start - was.slot.start
        if by:
            moved.append(line.number)
            ways.add(by)
        if where(rate.frame_at(was.slot.start)) != rate.frame_at(line.slot.start):
            left.append(line.number)
    takes = sum(1 for take in {*before.places, *after.places} if before.places.get(take) != after.places.get(take))
    # At fractional rates whole frames differ by a sample: that is the same way.
    by_all = next(iter(ways)) if ways and max(ways) - min(ways) <= 2 else None
    longer = after.length - before.length
    return Consequence(tuple(moved), tuple(left), takes, by_all, longer, _in_words(moved, left, takes, by_all, longer))


def _in_words(moved: list[str], left: list[str], takes: int, by: int | None, longer: int) -> str:
    said = []
    if longer:
        said.append(f"The programme gets {_seconds(longer)} {'longer' if longer > 0 else 'shorter'}.")
    if moved:
        along = f" and {takes} take{'s' if takes != 1 else ''}" if takes else ""
        way = f" {_seconds(by)} {'later' if by > 0 else 'earlier'}" if by else ""
        go = "goes" if len(moved) == 1 and not takes else "go"
        said.append(f"{_named(moved)}{along} {go}{way} with the picture.")
    if left:
        lies, its = ("lies", "its") if len(left) == 1 else ("lie", "their")
        said.append(f"{_named(left)} {lies} over other picture then: {its} place in time stays.")
    return " ".join(said) or "Nothing else moves."


def _named(numbers: list[str]) -> str:
    if len(numbers) == 1:
        return f"Line {numbers[0]}"
    if len(numbers) <= 3:
        return f"Lines {', '.join(numbers[:-1])} and {numbers[-1]}"
    return f"{len(numbers)} lines ({numbers[0]} to {numbers[-1]})"


def _seconds(samples: int) -> str:
    return f"{abs(samples) / SAMPLE_RATE:.2f} s"
