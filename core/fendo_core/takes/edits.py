"""What is done in Takes, as edits: picks, what is thought of takes, where voices lie, begin and end, and comps."""

from dataclasses import dataclass, replace
from typing import Literal, TypeAlias

from fendo_core.picture.reel import NewId
from fendo_core.production.edit import Done
from fendo_core.production.refusal import EditRefused
from fendo_core.production.state import SCRATCH, LineComp, State, TakeNote
from fendo_core.script import lines
from fendo_core.takes import standing
from fendo_core.voice import Comp
from fendo_core.voice.comp import move_end

End: TypeAlias = Literal["first", "last"]
MARKS = ("", "keep", "maybe", "no", SCRATCH)
LONGEST_NOTE = 500


@dataclass(frozen=True, slots=True)
class Pick:
    """What stands for the line: a take or a comp; None for no pick. A pick-up that was joined stands joined."""

    line: str
    voice: str | None

    def on_state(self, state: State, new_id: NewId) -> Done:
        name = state.called(self.line)
        kept = {key: picked for key, picked in state.picks.items() if key != self.line}
        if self.voice is None:
            return replace(state, picks=kept), f"no pick for {name}"
        voice = standing.as_joined(state, self.line, self.voice)
        return replace(state, picks={**kept, self.line: voice}, aside=state.aside - {voice}), f"pick of {name}"


@dataclass(frozen=True, slots=True)
class PickProvisional:
    """What sounds for lines that have no pick is picked, in all lines or in those of `only`."""

    only: tuple[str, ...] | None = None

    def on_state(self, state: State, new_id: NewId) -> Done:
        new = {
            each.id: found.voice
            for each in state.lines
            if not each.dropped and (self.only is None or each.id in self.only)
            for found in (standing.standing(state, each),)
            if found and found.provisional
        }
        if not new:
            raise EditRefused("There is nothing to pick: every line that has a take has a pick.")
        return replace(state, picks={**state.picks, **new}), f"{len(new)} pick{'s' if len(new) != 1 else ''}"


@dataclass(frozen=True, slots=True)
class MoveVoice:
    """A take or a comp `by` samples later in the programme."""

    voice: str
    by: int

    def on_state(self, state: State, new_id: NewId) -> Done:
        return standing.moved(state, self.voice, self.by)


@dataclass(frozen=True, slots=True)
class PlaceVoice:
    """The first word of a take or a comp put at a timecode, or at the start of its line's slot when none is given."""

    voice: str
    timecode: str | None = None

    def on_state(self, state: State, new_id: NewId) -> Done:
        return standing.moved(state, self.voice, standing.distance(state, self.voice, self.timecode))


@dataclass(frozen=True, slots=True)
class AddComp:
    """A comp made for a line, and picked there if what it is made of was; it stands at once where nothing is picked.

    Attributes:
        done: how it was made, in a word.
        silences: from now on the line replaces what the film says in its slot.
    """

    line: str
    reader: str
    name: str
    comp: Comp
    replaces: str | None = None
    done: str = "joined"
    silences: bool = False

    def on_state(self, state: State, new_id: NewId) -> Done:
        if self.silences:
            state = replace(state, lines=lines.set_silences(state.lines, self.line, True))
        made = LineComp(new_id(), self.line, self.reader, self.name, self.comp)
        return standing.with_comp(state, made, self.replaces), f"{self.name} {self.done}"


@dataclass(frozen=True, slots=True)
class Together:
    """What is done to the voices of several lines at once, called `name`: taken back at once, too."""

    done: "tuple[AddComp | MoveVoice, ...]"
    name: str

    def on_state(self, state: State, new_id: NewId) -> Done:
        for one in self.done:
            state, _ = one.on_state(state, new_id)
        return state, self.name


@dataclass(frozen=True, slots=True)
class MoveSeam:
    """A seam of a comp put at sample `to` of the comp."""

    comp: str
    seam: int
    to: int

    def on_state(self, state: State, new_id: NewId) -> Done:
        return standing.with_seam(state, self.comp, self.seam, self.to)


@dataclass(frozen=True, slots=True)
class TakeApart:
    """A comp that is no more; the takes that it was made of stay."""

    comp: str

    def on_state(self, state: State, new_id: NewId) -> Done:
        return standing.apart(state, self.comp)


@dataclass(frozen=True, slots=True)
class SetAside:
    """A take put away quietly, or brought back."""

    take: str
    aside: bool

    def on_state(self, state: State, new_id: NewId) -> Done:
        if self.aside and self.take in state.picks.values():
            raise EditRefused("The picked take can't be set aside. Pick another one first, or take the pick back.")
        away = state.aside | {self.take} if self.aside else state.aside - {self.take}
        return replace(state, aside=away), "take set aside" if self.aside else "take brought back"


@dataclass(frozen=True, slots=True)
class NoteTake:
    """What somebody thinks of a take: a mark of `MARKS`, a note; None stays."""

    take: str
    mark: str | None = None
    note: str | None = None

    def on_state(self, state: State, new_id: NewId) -> Done:
        found = standing.take_of(state, self.take)
        if found is None:
            raise EditRefused("This take is no longer there. Nothing was noted.")
        if self.mark is not None and self.mark not in MARKS:
            raise EditRefused(f"A take is marked {', '.join(MARKS[1:])}, or not at all.")
        old = state.notes.get(self.take, TakeNote())
        text = old.text if self.note is None else " ".join(lines.paragraphs(self.note))
        if len(text) > LONGEST_NOTE:
            raise EditRefused(f"A note holds {LONGEST_NOTE} characters, and this one has {len(text)}. Nothing was noted.")
        new = TakeNote(old.mark if self.mark is None else self.mark, text)
        notes = {key: known for key, known in state.notes.items() if key != self.take}
        if any(new):
            notes[self.take] = new
        done = "note on" if self.mark is None else "mark of"
        return replace(state, notes=notes), f"{done} take {found.number}"


@dataclass(frozen=True, slots=True)
class UsePass:
    """The takes that were cut out of one long pass are used from now on, and the pass itself is put away quietly."""

    whole: str
    takes: tuple[str, ...]

    def on_state(self, state: State, new_id: NewId) -> Done:
        # A pass that is picked stays where it is.
        put_away = {self.whole} - {*state.picks.values(), *self.takes}
        return replace(state, aside=(state.aside - set(self.takes)) | put_away), f"pass cut into {len(self.takes)} takes"


@dataclass(frozen=True, slots=True)
class MoveEnd:
    """A take or a comp that begins (`first`) or ends (`last`) at sample `at` of the programme, from now on.

    The recording has all of it still. Of a take a comp is made, which is picked where the take was.
    """

    voice: str
    end: End
    at: int

    def on_state(self, state: State, new_id: NewId) -> Done:
        """The state after it.

        Raises:
            EditRefused: when it is not there, or can't begin or end there.
        """
        comp = standing.comp_of(state, self.voice)
        if comp is None:
            raise EditRefused("This take is no longer there, or is recorded still. Nothing was changed.")
        where = "begin" if self.end == "first" else "end"
        try:
            made = move_end(comp, self.end == "first", self.at - comp.at, state.lengths)
        except ValueError as error:
            raise EditRefused(f"It can’t {where} there: {error}. It is as it was.") from error
        take = standing.take_of(state, self.voice)
        if take is None:
            comps = [replace(one, comp=made) if one.id == self.voice else one for one in state.comps]
            name = next(one.name for one in comps if one.id == self.voice)
            return replace(state, comps=tuple(comps)), f"{where} of {name}"
        line = next(line for line, takes in state.takes.items() if take in takes)
        name = f"take {take.number}"
        row = LineComp(new_id(), line, take.reader, f"{name}, trimmed", made)
        return standing.with_comp(state, row, self.voice), f"{where} of {name}"
