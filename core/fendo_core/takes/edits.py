"""What is done in Takes, as edits that stand by themselves; each has `on_state(state, new_id)`."""

from dataclasses import dataclass, replace
from typing import Literal, TypeAlias

from fendo_core.picture.reel import NewId
from fendo_core.production.refusal import EditRefused
from fendo_core.production.state import LineComp, State
from fendo_core.takes.standing import comp_of, take_of, with_comp
from fendo_core.voice.comp import move_end

End: TypeAlias = Literal["first", "last"]


@dataclass(frozen=True, slots=True)
class MoveEnd:
    """A take or a comp that begins (`first`) or ends (`last`) at sample `at` of the programme, from now on.

    The recording has all of it still. Of a take a comp is made, which is picked where the take was.
    """

    voice: str
    end: End
    at: int

    def on_state(self, state: State, new_id: NewId) -> tuple[State, str]:
        """The state after it.

        Raises:
            EditRefused: when it is not there, or can't begin or end there.
        """
        comp = comp_of(state, self.voice)
        if comp is None:
            raise EditRefused("This take is no longer there, or is recorded still. Nothing was changed.")
        where = "begin" if self.end == "first" else "end"
        try:
            made = move_end(comp, self.end == "first", self.at - comp.at, state.lengths)
        except ValueError as error:
            raise EditRefused(f"It can’t {where} there: {error}. It is as it was.") from error
        take = take_of(state, self.voice)
        if take is None:
            comps = [replace(one, comp=made) if one.id == self.voice else one for one in state.comps]
            name = next(one.name for one in comps if one.id == self.voice)
            return replace(state, comps=tuple(comps)), f"{where} of {name}"
        line = next(line for line, takes in state.takes.items() if take in takes)
        name = f"take {take.number}"
        row = LineComp(new_id(), line, take.reader, f"{name}, trimmed", made)
        return with_comp(state, row, self.voice), f"{where} of {name}"
