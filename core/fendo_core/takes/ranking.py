"""Which take of a line Fendo would begin with, and why. The artist's pick always counts."""

from collections.abc import Sequence
from dataclasses import dataclass

from fendo_core.takes.measures import ON_CUE, PAST_END


@dataclass(frozen=True, slots=True)
class Candidate:
    """A take of a line, by what is known of it.

    Attributes:
        number: the take's; the later one wins where nothing else tells.
        usable: finished, not set aside, and somebody speaks in it.
        scratch: it only holds a place until another one is there.
        whole: it was not cut off.
        amiss: words left out, said again, put in; None: nobody has listened.
        clipped: places.
        late: samples after the slot's start; `past_end` after its end; None: there is no slot.
        level: how many things are wrong with its level.
    """

    id: str
    number: int
    usable: bool = True
    scratch: bool = False
    whole: bool = True
    amiss: int | None = None
    clipped: int = 0
    late: int | None = None
    past_end: int | None = None
    level: int = 0

    @property
    def on_cue(self) -> bool:
        """It begins where its slot does, or there is no slot."""
        return self.late is None or abs(self.late) <= ON_CUE

    @property
    def inside(self) -> bool:
        """It ends before its slot does, or there is no slot."""
        return self.past_end is None or self.past_end < PAST_END


def _order(one: Candidate) -> tuple[float, ...]:
    """Small is good. A take can be moved on to its cue, and a level can be set: words can't be put in, nor peaks back."""
    return (
        one.scratch,
        not one.whole,
        one.amiss or 0,
        one.clipped > 0,
        not one.inside,
        not one.on_cue,
        one.level,
        one.clipped,
        abs(one.late or 0) > 4 * ON_CUE,
        -one.number,
    )


_GOOD = (
    ("no scratch", lambda one: not one.scratch),
    ("every word", lambda one: one.amiss == 0),
    ("not cut off", lambda one: one.whole),
    ("not clipped", lambda one: not one.clipped),
    ("inside its slot", lambda one: one.inside),
    ("on cue", lambda one: one.on_cue),
    ("level as wanted", lambda one: not one.level),
)


def first_of(takes: Sequence[Candidate]) -> Candidate:
    """The one to begin with, of takes of which there is at least one."""
    return min(takes, key=_order)


def suggest(takes: Sequence[Candidate]) -> tuple[str, tuple[str, ...]] | None:
    """The take to begin with, and what it has that others lack; None where there is nothing to choose from."""
    usable = [one for one in takes if one.usable]
    if len(usable) < 2:
        return None
    best = first_of(usable)
    others = [one for one in usable if one is not best]
    why = tuple(said for said, good in _GOOD if good(best) and any(not good(one) for one in others))
    return best.id, why or ("the newest of equals",)
