"""What is done in Script, as edits: lines, their words and their slots."""

from dataclasses import dataclass, replace

from fendo_core.picture.narrated import laid_over, narrated, over_slides
from fendo_core.picture.reel import NewId
from fendo_core.production.edit import Done
from fendo_core.production.refusal import EditRefused
from fendo_core.production.state import State
from fendo_core.script import lines, pronunciation, slots
from fendo_core.script.lines import Draft
from fendo_core.timebase import Span


@dataclass(frozen=True, slots=True)
class SetWords:
    """Other words for a line."""

    line: str
    text: str

    def on_state(self, state: State, new_id: NewId) -> Done:
        new = lines.set_words(state.lines, self.line, self.text)
        return replace(state, lines=new), f"words of {state.called(self.line)}"


@dataclass(frozen=True, slots=True)
class AddLines:
    """A pasted or typed text, one line a paragraph, behind line `after` (None: at the end)."""

    text: str
    after: str | None = None

    def on_state(self, state: State, new_id: NewId) -> Done:
        texts = lines.paragraphs(self.text)
        new = lines.add_lines(state.lines, self.after, texts, new_id, state.recorded)
        return replace(state, lines=new), f"{len(texts)} new line{'s' if len(texts) != 1 else ''}"


@dataclass(frozen=True, slots=True)
class NewLine:
    """A line without words yet, to be typed, behind line `after` (None: at the end); with a slot where that belongs."""

    after: str | None = None
    slot: Span | None = None

    def on_state(self, state: State, new_id: NewId) -> Done:
        if self.slot is not None:
            return replace(state, lines=_line_at(state, self.slot, new_id)), "new line"
        return replace(state, lines=lines.add_lines(state.lines, self.after, [""], new_id, state.recorded)), "new line"


@dataclass(frozen=True, slots=True)
class BringInLines:
    """Lines from a file, with the slots that it says, behind line `after` (None: at the end)."""

    lines: tuple[Draft, ...]
    after: str | None = None
    over: str = "no"
    """`fit`, `keep`, `no` or “” (as is likeliest): how they are laid, at the end, over slides that they name."""

    def on_state(self, state: State, new_id: NewId) -> Done:
        said = f"{len(self.lines)} line{'s' if len(self.lines) != 1 else ''} brought in"
        what = narrated(state, self.lines) if self.over != "no" else None
        how = over_slides(state, what, {"over": self.over}).chosen if what else "no"
        if what and how != "no":
            return laid_over(state, what, how == "fit", new_id), f"{said} over slides"
        names = {name.casefold(): key for key, name in state.readers.items()}
        new = lines.add_drafts(state.lines, self.after, self.lines, state.rate, names, new_id, state.recorded)
        return replace(state, lines=new), said


@dataclass(frozen=True, slots=True)
class MoveLine:
    """A line put before another one (None: at the end)."""

    line: str
    before: str | None = None

    def on_state(self, state: State, new_id: NewId) -> Done:
        return replace(state, lines=lines.move(state.lines, self.line, self.before)), f"{state.called(self.line)} moved"


@dataclass(frozen=True, slots=True)
class DropLine:
    """A line out of the script."""

    line: str

    def on_state(self, state: State, new_id: NewId) -> Done:
        kept = {key: take for key, take in state.picks.items() if key != self.line}
        new = lines.drop_line(state.lines, self.line)
        return replace(state, lines=new, picks=kept), f"{state.called(self.line)} dropped"


@dataclass(frozen=True, slots=True)
class SplitLine:
    """A line parted at character `at` of its words."""

    line: str
    at: int

    def on_state(self, state: State, new_id: NewId) -> Done:
        new = lines.split_at(state.lines, self.line, self.at, state.recorded, state.rate, state.expected, new_id)
        return replace(state, lines=new), f"{state.called(self.line)} parted"


@dataclass(frozen=True, slots=True)
class SplitLong:
    """Every line of more than `longest` characters parted where a reader would breathe; lines with takes stay."""

    longest: int

    def on_state(self, state: State, new_id: NewId) -> Done:
        try:
            new = lines.split_long(state.lines, self.longest, state.recorded, state.rate, state.expected, new_id)
        except ValueError as error:
            raise EditRefused(f"Lines can't be made that short: {error}.") from error
        return replace(state, lines=new), f"long lines parted, {len(new) - len(state.lines)} more"


@dataclass(frozen=True, slots=True)
class JoinLines:
    """A line and the one below made one."""

    line: str

    def on_state(self, state: State, new_id: NewId) -> Done:
        new = lines.join(state.lines, self.line, state.recorded)
        return replace(state, lines=new), f"{state.called(self.line)} joined with the next"


@dataclass(frozen=True, slots=True)
class Renumber:
    """Lines numbered in order; recorded ones keep the numbers that their files carry."""

    def on_state(self, state: State, new_id: NewId) -> Done:
        return replace(state, lines=lines.renumber(state.lines, state.recorded)), "lines numbered anew"


@dataclass(frozen=True, slots=True)
class ReplaceWords:
    """Every place of some words written another way, in all lines or in those of `only`."""

    text: str
    by: str
    match_case: bool = False
    whole_words: bool = False
    only: tuple[str, ...] | None = None

    def on_state(self, state: State, new_id: NewId) -> Done:
        wanted = lines.Wanted(self.text, self.match_case, self.whole_words)
        new, count = lines.replace_words(state.lines, wanted, self.by, self.only)
        return replace(state, lines=new), f"{count} place{'s' if count != 1 else ''} replaced"


@dataclass(frozen=True, slots=True)
class SetNotes:
    """Other notes for the reader."""

    line: str
    notes: str

    def on_state(self, state: State, new_id: NewId) -> Done:
        new = lines.set_notes(state.lines, self.line, self.notes)
        return replace(state, lines=new), f"notes of {state.called(self.line)}"


@dataclass(frozen=True, slots=True)
class SetStress:
    """The words to be stressed, by their ordinals."""

    line: str
    stress: tuple[int, ...]

    def on_state(self, state: State, new_id: NewId) -> Done:
        new = lines.set_stress(state.lines, self.line, self.stress)
        return replace(state, lines=new), f"stress in {state.called(self.line)}"


@dataclass(frozen=True, slots=True)
class SetReader:
    """Lines given to a reader; None: the production's."""

    only: tuple[str, ...]
    reader: str | None

    def on_state(self, state: State, new_id: NewId) -> Done:
        if self.reader is not None and self.reader not in state.readers:
            raise EditRefused("This reader is not one of the production's. Add the reader first.")
        new = lines.set_reader(state.lines, self.only, self.reader)
        name = state.called(self.only[0]) if len(self.only) == 1 else f"{len(self.only)} lines"
        return replace(state, lines=new), f"reader of {name}"


@dataclass(frozen=True, slots=True)
class SetWild:
    """A line read without picture, or not."""

    line: str
    wild: bool

    def on_state(self, state: State, new_id: NewId) -> Done:
        new = lines.set_wild(state.lines, self.line, self.wild)
        return replace(state, lines=new), f"{state.called(self.line)} wild" if self.wild else state.called(self.line)


@dataclass(frozen=True, slots=True)
class SetWantedLength:
    """A line read wild that is to last so many samples; None: as long as it takes."""

    line: str
    length: int | None

    def on_state(self, state: State, new_id: NewId) -> Done:
        new = lines.set_wanted_length(state.lines, self.line, self.length)
        return replace(state, lines=new), f"wanted length of {state.called(self.line)}"


@dataclass(frozen=True, slots=True)
class SetSilences:
    """A line that replaces what the film says in its slot, so that the film's own sound is silent there; or one over it."""

    line: str
    silences: bool

    def on_state(self, state: State, new_id: NewId) -> Done:
        new = lines.set_silences(state.lines, self.line, self.silences)
        how = "silent" if self.silences else "heard"
        return replace(state, lines=new), f"the film {how} under {state.called(self.line)}"


@dataclass(frozen=True, slots=True)
class SetSaying:
    """How a word of the production is said; an empty `said` takes it off the list."""

    word: str
    said: str

    def on_state(self, state: State, new_id: NewId) -> Done:
        new = pronunciation.set_saying(state.sayings, self.word, self.said)
        return replace(state, sayings=new), f"how “{self.word.strip()}” is said"


@dataclass(frozen=True, slots=True)
class SpreadSlots:
    """Slots for the lines that have none, over the holes between those that have one."""

    def on_state(self, state: State, new_id: NewId) -> Done:
        return replace(state, lines=slots.spread(state.lines, state.length, state.rate, state.need)), "slots spread"


@dataclass(frozen=True, slots=True)
class MendSlots:
    """Lines in the order of their slots, no slot into the next."""

    def on_state(self, state: State, new_id: NewId) -> Done:
        return replace(state, lines=slots.mend(state.lines, state.rate)), "slots mended"


@dataclass(frozen=True, slots=True)
class SetSlotStart:
    """The slot begins at sample `at`."""

    line: str
    at: int

    def on_state(self, state: State, new_id: NewId) -> Done:
        new = slots.set_start(state.lines, self.line, self.at, state.rate, state.need)
        return replace(state, lines=new), f"start of {state.called(self.line)}"


@dataclass(frozen=True, slots=True)
class SetSlotEnd:
    """The slot ends at sample `at`."""

    line: str
    at: int

    def on_state(self, state: State, new_id: NewId) -> Done:
        new = slots.set_end(state.lines, self.line, self.at, state.rate, state.need)
        return replace(state, lines=new), f"end of {state.called(self.line)}"


@dataclass(frozen=True, slots=True)
class SetSlot:
    """The whole slot, or None to take it away."""

    line: str
    slot: Span | None

    def on_state(self, state: State, new_id: NewId) -> Done:
        new = slots.set_slot(state.lines, self.line, self.slot, state.rate)
        return replace(state, lines=new), f"slot of {state.called(self.line)}"


@dataclass(frozen=True, slots=True)
class LaySlots:
    """Slots for all lines over the shots; `unset_only` leaves the slots that are there."""

    unset_only: bool = False

    def on_state(self, state: State, new_id: NewId) -> Done:
        unset = [line.id for line in state.lines if line.slot is None] if self.unset_only else None
        new = slots.lay_slots(state.lines, state.shots, state.rate, state.need, unset)
        return replace(state, lines=new), "slots laid"


@dataclass(frozen=True, slots=True)
class LinesOfComment:
    """A line into which somebody spoke freely: it gets the first of the slots, and each of the others has a line below."""

    line: str
    slots: tuple[Span, ...]

    def on_state(self, state: State, new_id: NewId) -> Done:
        known, new = {one.id: one.reader for one in state.lines}, state.lines
        first, *others = self.slots
        if others:
            below = [Draft("", slot) for slot in others]
            new = lines.add_drafts(new, self.line, below, state.rate, {}, new_id, state.recorded)
        new = tuple(one if one.id in known else replace(one, reader=known[self.line]) for one in new)
        return replace(state, lines=slots.set_slot(new, self.line, first, state.rate)), f"{len(self.slots)} lines spoken"


def _line_at(state: State, slot: Span, new_id: NewId) -> tuple[lines.Line, ...]:
    """The lines with a new one at a slot, before the first that begins later."""
    added = lines.add_lines(state.lines, None, [""], new_id, state.recorded)
    made = added[-1].id
    added = slots.set_slot(added, made, slot, state.rate)
    later = next((line.id for line in state.lines if line.slot and line.slot.start > slot.start), None)
    return lines.move(added, made, later) if later else added
