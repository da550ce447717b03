"""Every edit of a production as a value, and the one function that performs them."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TypeAlias

from fendo_core.picture import shots
from fendo_core.production.state import State
from fendo_core.script import lines, pronunciation, slots
from fendo_core.script.lines import Draft, EditRefused
from fendo_core.script.pace import expected_length
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
class NewLine:
    """A line without words yet, to be typed, behind line `after` (None: at the end)."""

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
class SplitLine:
    """A line parted at character `at` of its words."""

    line: str
    at: int


@dataclass(frozen=True, slots=True)
class SplitLong:
    """Every line of more than `longest` characters parted where a reader would breathe; lines with takes stay."""

    longest: int


@dataclass(frozen=True, slots=True)
class JoinLines:
    """A line and the one below made one."""

    line: str


@dataclass(frozen=True, slots=True)
class Renumber:
    """Lines numbered in order; recorded ones keep the numbers that their files carry."""


@dataclass(frozen=True, slots=True)
class ReplaceWords:
    """Every place of some words written another way, in all lines or in those of `only`."""

    text: str
    by: str
    match_case: bool = False
    whole_words: bool = False
    only: tuple[str, ...] | None = None


@dataclass(frozen=True, slots=True)
class SetNotes:
    """Other notes for the reader."""

    line: str
    notes: str


@dataclass(frozen=True, slots=True)
class SetStress:
    """The words to be stressed, by their ordinals."""

    line: str
    stress: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class SetReader:
    """Lines given to a reader; None: the production's."""

    only: tuple[str, ...]
    reader: str | None


@dataclass(frozen=True, slots=True)
class SetWild:
    """A line read without picture, or not."""

    line: str
    wild: bool


@dataclass(frozen=True, slots=True)
class SetSaying:
    """How a word of the production is said; an empty `said` takes it off the list."""

    word: str
    said: str


@dataclass(frozen=True, slots=True)
class SpreadSlots:
    """Slots for the lines that have none, over the holes between those that have one."""


@dataclass(frozen=True, slots=True)
class MendSlots:
    """Lines in the order of their slots, no slot into the next."""


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


@dataclass(frozen=True, slots=True)
class PartShot:
    """A new shot begins at sample `at`."""

    at: int


@dataclass(frozen=True, slots=True)
class JoinShots:
    """The shot at sample `at` and the one before it made one."""

    at: int


@dataclass(frozen=True, slots=True)
class NameShot:
    """The shot at sample `at` called something, or nothing."""

    at: int
    called: str


Edit: TypeAlias = (
    SetWords
    | AddLines
    | NewLine
    | BringInLines
    | DropLine
    | SplitLine
    | SplitLong
    | JoinLines
    | Renumber
    | ReplaceWords
    | SetNotes
    | SetStress
    | SetReader
    | SetWild
    | SetSaying
    | SpreadSlots
    | MendSlots
    | SetSlotStart
    | SetSlotEnd
    | SetSlot
    | LaySlots
    | Pick
    | SetAside
    | SetPicture
    | PartShot
    | JoinShots
    | NameShot
)


def _with_shots(state: State, cut: tuple[shots.Shot, ...]) -> State:
    return replace(state, cut=cut, shots=tuple(shot.span for shot in cut))


def perform(state: State, edit: Edit, new_id: Callable[[], str]) -> tuple[State, str]:
    """The state after an edit, and what the edit is called in the list of changes.

    Args:
        new_id: makes the identity of a new line.

    Raises:
        EditRefused: with a text for the person who asked; nothing is changed then.
    """

    def called(line_id: str) -> str:
        return f"line {state.lines[lines.find(state.lines, line_id)].number}"

    def length_of(text: str) -> int:
        return expected_length(text, state.pace)

    match edit:
        case SetWords(line, text):
            return replace(state, lines=lines.set_words(state.lines, line, text)), f"words of {called(line)}"
        case AddLines(text, after):
            texts = lines.paragraphs(text)
            new = lines.add_lines(state.lines, after, texts, new_id, state.recorded)
            return replace(state, lines=new), f"{len(texts)} new line{'s' if len(texts) != 1 else ''}"
        case NewLine(after):
            return replace(state, lines=lines.add_lines(state.lines, after, [""], new_id, state.recorded)), "new line"
        case BringInLines(drafts, after):
            names = {name.casefold(): key for key, name in state.readers.items()}
            new = lines.add_drafts(state.lines, after, drafts, state.rate, names, new_id, state.recorded)
            return replace(state, lines=new), f"{len(drafts)} line{'s' if len(drafts) != 1 else ''} brought in"
        case DropLine(line):
            kept = {key: take for key, take in state.picks.items() if key != line}
            return replace(state, lines=lines.drop_line(state.lines, line), picks=kept), f"{called(line)} dropped"
        case SplitLine(line, at):
            new = lines.split_at(state.lines, line, at, state.recorded, state.rate, length_of, new_id)
            return replace(state, lines=new), f"{called(line)} parted"
        case SplitLong(longest):
            try:
                new = lines.split_long(state.lines, longest, state.recorded, state.rate, length_of, new_id)
            except ValueError as error:
                raise EditRefused(f"Lines can't be made that short: {error}.") from error
            count = len(new) - len(state.lines)
            return replace(state, lines=new), f"long lines parted, {count} more"
        case JoinLines(line):
            new = lines.join(state.lines, line, state.recorded)
            return replace(state, lines=new), f"{called(line)} joined with the next"
        case Renumber():
            return replace(state, lines=lines.renumber(state.lines, state.recorded)), "lines numbered anew"
        case ReplaceWords(text, by, match_case, whole_words, only):
            wanted = lines.Wanted(text, match_case, whole_words)
            new, count = lines.replace_words(state.lines, wanted, by, only)
            return replace(state, lines=new), f"{count} place{'s' if count != 1 else ''} replaced"
        case SetNotes(line, notes):
            return replace(state, lines=lines.set_notes(state.lines, line, notes)), f"notes of {called(line)}"
        case SetStress(line, stress):
            return replace(state, lines=lines.set_stress(state.lines, line, stress)), f"stress in {called(line)}"
        case SetReader(only, reader):
            if reader is not None and reader not in state.readers:
                raise EditRefused("This reader is not one of the production's. Add the reader first.")
            new = lines.set_reader(state.lines, only, reader)
            name = called(only[0]) if len(only) == 1 else f"{len(only)} lines"
            return replace(state, lines=new), f"reader of {name}"
        case SetWild(line, wild):
            return replace(
                state, lines=lines.set_wild(state.lines, line, wild)
            ), f"{called(line)} wild" if wild else called(line)
        case SetSaying(word, said):
            return replace(
                state, sayings=pronunciation.set_saying(state.sayings, word, said)
            ), f"how “{word.strip()}” is said"
        case SpreadSlots():
            return replace(state, lines=slots.spread(state.lines, state.length, state.rate, state.need)), "slots spread"
        case MendSlots():
            return replace(state, lines=slots.mend(state.lines, state.rate)), "slots mended"
        case SetSlotStart(line, at):
            new = slots.set_start(state.lines, line, at, state.rate, state.need)
            return replace(state, lines=new), f"start of {called(line)}"
        case SetSlotEnd(line, at):
            new = slots.set_end(state.lines, line, at, state.rate, state.need)
            return replace(state, lines=new), f"end of {called(line)}"
        case SetSlot(line, slot):
            return replace(state, lines=slots.set_slot(state.lines, line, slot, state.rate)), f"slot of {called(line)}"
        case LaySlots(unset_only):
            unset = [line.id for line in state.lines if line.slot is None] if unset_only else None
            return replace(
                state, lines=slots.lay_slots(state.lines, state.shots, state.rate, state.need, unset)
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
        case PartShot(at):
            number = shots.shot_at(state.cut, at) + 1
            return _with_shots(state, shots.part(state.cut, at, state.rate)), f"shot {number} parted"
        case JoinShots(at):
            number = shots.shot_at(state.cut, at) + 1
            return _with_shots(state, shots.join(state.cut, at)), f"shots {number - 1} and {number} joined"
        case NameShot(at, text):
            number = shots.shot_at(state.cut, at) + 1
            return _with_shots(state, shots.name(state.cut, at, text)), f"name of shot {number}"
        case SetPicture(picture):
            return replace(state, picture=picture), "picture" if picture else "no picture"
