"""Every edit of a production as a value, and the one function that performs them."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TypeAlias

from fendo_core.production.state import State
from fendo_core.script import lines, slots
from fendo_core.script.lines import Draft, EditRefused
from fendo_core.timebase import Span


@dataclass(frozen=True, slots=True)
class SetWords:
    """Other words for a line."""

    line: str
    text: str


@dataclass(frozen=True, slots=True)
class AddLines:
    """A pasted or typed text, one line a paragraph, behind line `after` (None: at the end)."""

    text: str
    after: str | None = None


@dataclass(frozen=True, slots=True)
class BringInLines:
    """Lines from a file, with the slots that it says, behind line `after` (None: at the end)."""

    lines: tuple[Draft, ...]
    after: str | None = None


@dataclass(frozen=True, slots=True)
class DropLine:
    """A line out of the script."""

    line: str


@dataclass(frozen=True, slots=True)
class SetSlotStart:
    """The slot begins at sample `at`."""

    line: str
    at: int


@dataclass(frozen=True, slots=True)
class SetSlotEnd:
    """The slot ends at sample `at`."""

    line: str
    at: int


@dataclass(frozen=True, slots=True)
class SetSlot:
    """The whole slot, or None to take it away."""

    line: str
    slot: Span | None


@dataclass(frozen=True, slots=True)
class LaySlots:
    """Slots for all lines over the shots; `unset_only` leaves the slots that are there."""

    unset_only: bool = False


@dataclass(frozen=True, slots=True)
class Pick:
    """The take that stands for the line; None for no pick."""

    line: str
    take: str | None


@dataclass(frozen=True, slots=True)
class SetAside:
    """A take put away quietly, or brought back."""

    take: str
    aside: bool


@dataclass(frozen=True, slots=True)
class SetPicture:
    """The film that the production is read against; None for none."""

    picture: str | None


Edit: TypeAlias = (
    SetWords
    | AddLines
    | BringInLines
    | DropLine
    | SetSlotStart
    | SetSlotEnd
    | SetSlot
    | LaySlots
    | Pick
    | SetAside
    | SetPicture
)


def perform(state: State, edit: Edit, new_id: Callable[[], str]) -> tuple[State, str]:
    """The state after an edit, and what the edit is called in the list of changes.

    Args:
        new_id: makes the identity of a new line.

    Raises:
        EditRefused: with a text for the person who asked; nothing is changed then.
    """

    def called(line_id: str) -> str:
        return f"line {state.lines[lines.find(state.lines, line_id)].number}"

    match edit:
        case SetWords(line, text):
            return replace(state, lines=lines.set_words(state.lines, line, text)), f"words of {called(line)}"
        case AddLines(text, after):
            texts = lines.paragraphs(text)
            new = lines.add_lines(state.lines, after, texts, new_id)
            return replace(state, lines=new), f"{len(texts)} new line{'s' if len(texts) != 1 else ''}"
        case BringInLines(drafts, after):
            new = lines.add_drafts(state.lines, after, drafts, state.rate, new_id)
            return replace(state, lines=new), f"{len(drafts)} line{'s' if len(drafts) != 1 else ''} brought in"
        case DropLine(line):
            kept = {key: take for key, take in state.picks.items() if key != line}
            return replace(state, lines=lines.drop_line(state.lines, line), picks=kept), f"{called(line)} dropped"
        case SetSlotStart(line, at):
            new = slots.set_start(state.lines, line, at, state.rate, state.pace)
            return replace(state, lines=new), f"start of {called(line)}"
        case SetSlotEnd(line, at):
            new = slots.set_end(state.lines, line, at, state.rate, state.pace)
            return replace(state, lines=new), f"end of {called(line)}"
        case SetSlot(line, slot):
            return replace(state, lines=slots.set_slot(state.lines, line, slot, state.rate)), f"slot of {called(line)}"
        case LaySlots(unset_only):
            only = [line.id for line in state.lines if line.slot is None] if unset_only else None
            return replace(
                state, lines=slots.lay_slots(state.lines, state.shots, state.rate, state.pace, only)
            ), "slots laid"
        case Pick(line, take):
            name = called(line)
            kept = {key: picked for key, picked in state.picks.items() if key != line}
            if take is None:
                return replace(state, picks=kept), f"no pick for {name}"
            return replace(state, picks={**kept, line: take}, aside=state.aside - {take}), f"pick of {name}"
        case SetAside(take, aside):
            if aside and take in state.picks.values():
                raise EditRefused("The picked take can't be set aside. Pick another one first, or take the pick back.")
            away = state.aside | {take} if aside else state.aside - {take}
            return replace(state, aside=away), "take set aside" if aside else "take brought back"
        case SetPicture(picture):
            return replace(state, picture=picture), "picture" if picture else "no picture"
