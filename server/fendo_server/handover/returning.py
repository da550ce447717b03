"""A timeline with files that were handed over comes back: their readings are put where they lie in it."""

from dataclasses import dataclass, field
from typing import Any

from fendo_core.handover.returning import Handed, MoveVoices, returned
from fendo_core.picture.layers import listed
from fendo_core.picture.timeline import TimelineRefused
from fendo_core.takes.standing import comp_of, standing
from fendo_server.productions import changes, state
from fendo_server.productions.models import Change, Production


@dataclass
class CameBack:
    """What was moved, by how many samples; how many lines lie where they lay; what is odd; the edit, if there is one."""

    moved: list[tuple[Handed, int]] = field(default_factory=list)
    still: int = 0
    remarks: list[str] = field(default_factory=list)
    change: Change | None = None


def come_back(production: Production, data: bytes, author: Any) -> CameBack:
    """Put readings where a timeline has their files.

    A line that has another reading now than the one in the file stays where it is, as does what was not touched there.

    Raises:
        TimelineRefused: when the file is no timeline, or holds nothing that was handed over.
    """
    files = {
        path: Handed(**one) for handover in production.handovers.order_by("made") for path, one in handover.placed.items()
    }
    if not files:
        raise TimelineRefused("Nothing was handed over from here yet, so no timeline can come back.")
    revision, present = production.revision, state.load(production, spoken=False)
    found = returned(data, files, present.rate, production.start_frame, present.length)
    told = CameBack(remarks=list(found.remarks))
    lines = {line.id: line for line in present.lines if not line.dropped}
    moves: list[tuple[str, int]] = []
    others: list[str] = []
    for one, by in found.moved:
        if by == 0:
            told.still += 1
            continue
        line = lines.get(one.line)
        now = standing(present, line) if line else None
        comp = comp_of(present, one.voice) if now and now.voice == one.voice else None
        if comp is None:
            others.append(one.number)
            continue
        told.moved.append((one, by))
        if one.at + by != comp.at:
            moves.append((one.voice, one.at + by - comp.at))
    if others:
        single, many = (
            "line {} has another reading now and was left alone",
            "lines {} have other readings now and were left alone",
        )
        told.remarks.append((single if len(others) == 1 else many).format(listed(others, 8)))
    if moves:
        told.change = changes.perform(production, author, revision, MoveVoices(tuple(moves)))
    return told
