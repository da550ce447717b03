"""Every edit of a production as a value, and the one function that performs them."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TypeAlias

from fendo_core.handover.returning import MoveVoices
from fendo_core.picture import laid, reel, shots, timeline
from fendo_core.picture.laid import Channel, LaidSound
from fendo_core.picture.reel import Edge, Heard, Piece
from fendo_core.picture.timeline import Event
from fendo_core.polish.edits import CloseGap, DropRepairs, Mend, SetTreatment
from fendo_core.production.following import follow
from fendo_core.production.refusal import EditRefused
from fendo_core.production.state import SCRATCH, LineComp, State, TakeNote
from fendo_core.script import lines, pronunciation, slots
from fendo_core.script.lines import Draft
from fendo_core.script.pace import expected_length
from fendo_core.takes import standing
from fendo_core.takes.edits import MoveEnd
from fendo_core.takes.settled import Settle, hold
from fendo_core.takes.sync_points import DropSyncPoint, MoveSyncPoint, PutWord, SetSyncPoint
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.voice import Comp


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
    """A line without words yet, to be typed, behind line `after` (None: at the end); with a slot where that belongs."""

    after: str | None = None
    slot: Span | None = None


@dataclass(frozen=True, slots=True)
class BringInLines:
    """Lines from a file, with the slots that it says, behind line `after` (None: at the end)."""

    lines: tuple[Draft, ...]
    after: str | None = None


@dataclass(frozen=True, slots=True)
class MoveLine:
    """A line put before another one (None: at the end)."""

    line: str
    before: str | None = None


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
class SetWantedLength:
    """A line read wild that is to last so many samples; None: as long as it takes."""

    line: str
    length: int | None


@dataclass(frozen=True, slots=True)
class SetSilences:
    """A line that replaces what the film says in its slot, so that the film's own sound is silent there; or one over it."""

    line: str
    silences: bool


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
    """What stands for the line: a take or a comp; None for no pick. A pick-up that was joined stands joined."""

    line: str
    voice: str | None


@dataclass(frozen=True, slots=True)
class PickProvisional:
    """What sounds for lines that have no pick is picked, in all lines or in those of `only`."""

    only: tuple[str, ...] | None = None


@dataclass(frozen=True, slots=True)
class MoveVoice:
    """A take or a comp `by` samples later in the programme."""

    voice: str
    by: int


@dataclass(frozen=True, slots=True)
class PlaceVoice:
    """The first word of a take or a comp put at a timecode, or at the start of its line's slot when none is given."""

    voice: str
    timecode: str | None = None


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


@dataclass(frozen=True, slots=True)
class Together:
    """What is done to the voices of several lines at once, called `name`: taken back at once, too."""

    done: "tuple[AddComp | MoveVoice, ...]"
    name: str


@dataclass(frozen=True, slots=True)
class MoveSeam:
    """A seam of a comp put at sample `to` of the comp."""

    comp: str
    seam: int
    to: int


@dataclass(frozen=True, slots=True)
class TakeApart:
    """A comp that is no more; the takes that it was made of stay."""

    comp: str


@dataclass(frozen=True, slots=True)
class SetAside:
    """A take put away quietly, or brought back."""

    take: str
    aside: bool


MARKS = ("", "keep", "maybe", "no", SCRATCH)
LONGEST_NOTE = 500


@dataclass(frozen=True, slots=True)
class NoteTake:
    """What somebody thinks of a take: a mark of `MARKS`, a note; None stays."""

    take: str
    mark: str | None = None
    note: str | None = None


@dataclass(frozen=True, slots=True)
class LinesOfComment:
    """A line into which somebody spoke freely: it gets the first of the slots, and each of the others has a line below."""

    line: str
    slots: tuple[Span, ...]


@dataclass(frozen=True, slots=True)
class UsePass:
    """The takes that were cut out of one long pass are used from now on, and the pass itself is put away quietly."""

    whole: str
    takes: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Shown:
    """What is to be seen: a source (one of its pages, or all of them), or a card with words. `length` in samples is for all
    but films; 0: as long as such a thing usually stands.
    """

    source: str | None = None
    page: int | None = None
    length: int = 0
    words: str = ""
    colour: str = reel.COLOURS[0]


@dataclass(frozen=True, slots=True)
class AddPieces:
    """New pieces in the reel before the frame at sample `at` (None: at its end)."""

    pieces: tuple[Shown, ...]
    at: int | None = None
    follow: bool = True


@dataclass(frozen=True, slots=True)
class SplitPiece:
    """The piece at sample `at` parted there."""

    at: int


@dataclass(frozen=True, slots=True)
class TrimPiece:
    """One end of a piece moved to the frame at sample `at`; what follows closes up, or a hole is left."""

    piece: str
    edge: Edge
    at: int
    close: bool = True
    follow: bool = True


@dataclass(frozen=True, slots=True)
class DropPiece:
    """A piece out of the reel; what follows closes up, or a hole is left."""

    piece: str
    close: bool = True
    follow: bool = True


@dataclass(frozen=True, slots=True)
class MovePiece:
    """A piece put before another (None: at the end)."""

    piece: str
    before: str | None = None
    follow: bool = True


@dataclass(frozen=True, slots=True)
class FillPiece:
    """A shot in the place of a piece, keeping its length; the shot begins at sample `first` of its source."""

    piece: str
    shown: Shown
    first: int = 0


@dataclass(frozen=True, slots=True)
class SetPiece:
    """What a piece is called or says, its ground, and how its own sound is heard; None stays."""

    piece: str
    name: str | None = None
    colour: str | None = None
    heard: Heard | None = None
    level: float | None = None


@dataclass(frozen=True, slots=True)
class LayTimeline:
    """The reel as a timeline says: its events in order, media known by their names, cards for those that are missing."""

    events: tuple[Event, ...]


@dataclass(frozen=True, slots=True)
class LaySound:
    """The sound of a source laid under the programme from sample `at` on."""

    source: str
    at: int
    original: bool = False


@dataclass(frozen=True, slots=True)
class SetSound:
    """A laid sound moved, trimmed, or heard another way; None stays."""

    sound: str
    span: Span | None = None
    channel: Channel | None = None
    level: float | None = None
    heard: Heard | None = None
    original: bool | None = None


@dataclass(frozen=True, slots=True)
class LinesFromNotes:
    """What the pages of slides say becomes lines, each in the slot of its page; with `fit` a page stands as long as its
    words are expected to take.
    """

    source: str
    fit: bool = True


@dataclass(frozen=True, slots=True)
class DropSound:
    """A laid sound taken away."""

    sound: str


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


OfRoom: TypeAlias = (
    Mend
    | DropRepairs
    | CloseGap
    | SetTreatment
    | MoveVoices
    | MoveEnd
    | Settle
    | SetSyncPoint
    | MoveSyncPoint
    | DropSyncPoint
    | PutWord
)
"""Edits that rooms keep themselves: each tells by `on_state` what it does."""

Edit: TypeAlias = (
    OfRoom
    | SetWords
    | AddLines
    | NewLine
    | BringInLines
    | MoveLine
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
    | SetWantedLength
    | SetSilences
    | SetSaying
    | SpreadSlots
    | MendSlots
    | SetSlotStart
    | SetSlotEnd
    | SetSlot
    | LaySlots
    | Pick
    | PickProvisional
    | MoveVoice
    | PlaceVoice
    | AddComp
    | Together
    | MoveSeam
    | TakeApart
    | SetAside
    | NoteTake
    | LinesOfComment
    | UsePass
    | AddPieces
    | SplitPiece
    | TrimPiece
    | DropPiece
    | MovePiece
    | FillPiece
    | SetPiece
    | LayTimeline
    | LaySound
    | SetSound
    | DropSound
    | LinesFromNotes
    | PartShot
    | JoinShots
    | NameShot
)


def _line_at(state: State, slot: Span, new_id: Callable[[], str]) -> tuple[lines.Line, ...]:
    """The lines with a new one at a slot, before the first that begins later."""
    added = lines.add_lines(state.lines, None, [""], new_id, state.recorded)
    made = added[-1].id
    added = slots.set_slot(added, made, slot, state.rate)
    later = next((line.id for line in state.lines if line.slot and line.slot.start > slot.start), None)
    return lines.move(added, made, later) if later else added


def _shot_here(state: State, at: int) -> tuple[int, reel.ReelShot, Piece, int]:
    """The shot at a sample: its index, itself, the piece shown there, and the sample of its source."""
    frame = state.rate.frame_at(at)
    index = reel.piece_at(state.pieces, frame)
    piece = state.pieces[index]
    first = reel.starts(state.pieces)[index]
    found = state.reel_shots
    number = next((n for n, shot in enumerate(found) if at < shot.span.end), len(found) - 1)
    return number, found[number], piece, state.rate.first_sample(frame - first + piece.first)


def _with_shots(state: State, piece: Piece, change: Callable[[tuple[shots.Shot, ...]], tuple[shots.Shot, ...]]) -> State:
    """The state with the shots of a piece's film changed."""
    source = state.sources.get(piece.source or "")
    if source is None or not source.shots:
        raise EditRefused("Only a film has shots of its own. A still, a page and a card are one shot each.")
    return replace(state, sources={**state.sources, source.id: replace(source, shots=change(source.shots))})


def _noted(state: State, take: str, mark: str | None, note: str | None) -> tuple[State, str]:
    found = standing.take_of(state, take)
    if found is None:
        raise EditRefused("This take is no longer there. Nothing was noted.")
    if mark is not None and mark not in MARKS:
        raise EditRefused(f"A take is marked {', '.join(MARKS[1:])}, or not at all.")
    old = state.notes.get(take, TakeNote())
    text = old.text if note is None else " ".join(lines.paragraphs(note))
    if len(text) > LONGEST_NOTE:
        raise EditRefused(f"A note holds {LONGEST_NOTE} characters, and this one has {len(text)}. Nothing was noted.")
    new = TakeNote(old.mark if mark is None else mark, text)
    notes = {key: known for key, known in state.notes.items() if key != take}
    if any(new):
        notes[take] = new
    return replace(state, notes=notes), f"note on take {found.number}" if mark is None else f"mark of take {found.number}"


def _with_piece(state: State, piece: Piece) -> State:
    return replace(state, pieces=tuple(piece if each.id == piece.id else each for each in state.pieces))


def _part_shot(state: State, at: int) -> State:
    number, shot, piece, inside = _shot_here(state, at)
    first = state.rate.first_sample(reel.starts(state.pieces)[reel.find(state.pieces, piece.id)])
    here = state.rate.snap(at)
    if here == first and not piece.opens:
        return _with_piece(state, replace(piece, opens=True))
    if here == shot.span.start:
        raise EditRefused(f"Shot {number + 1} begins here already. Move to the frame on which the new one begins.")
    return _with_shots(state, piece, lambda cut: shots.part(cut, inside, state.rate))


def _join_shots(state: State, at: int) -> State:
    number, shot, _, _ = _shot_here(state, at)
    if number == 0:
        raise EditRefused("This is the first shot: there is none before it to join it with.")
    _, _, piece, inside = _shot_here(state, shot.span.start)
    first = state.rate.first_sample(reel.starts(state.pieces)[reel.find(state.pieces, piece.id)])
    if shot.span.start == first:
        return _with_piece(state, replace(piece, opens=False))
    return _with_shots(state, piece, lambda cut: shots.join(cut, inside))


def _name_shot(state: State, at: int, text: str) -> State:
    _, shot, _, _ = _shot_here(state, at)
    _, _, piece, inside = _shot_here(state, shot.span.start)
    source = state.sources.get(piece.source or "")
    if source is None or not source.shots:
        return _with_piece(state, replace(piece, name=shots.checked_name(text)))
    return _with_shots(state, piece, lambda cut: shots.name(cut, inside, text))


def _made_pieces(state: State, shown: Shown, new_id: Callable[[], str]) -> list[Piece]:
    """The pieces of what is to be shown: one, or all pages of slides."""
    if shown.length > reel.LONGEST_SECONDS * SAMPLE_RATE:
        raise EditRefused("A piece lasts a day at most.")
    usual = (reel.STILL_SECONDS if shown.source else reel.CARD_SECONDS) * SAMPLE_RATE
    frames = max(1, round((shown.length or usual) * state.rate.fps / SAMPLE_RATE))
    if shown.source is None:
        return [Piece(new_id(), frames, name=_words(shown.words), colour=_ground(shown.colour))]
    source = state.sources.get(shown.source)
    if source is None:
        raise EditRefused("This file is not one of the production's. Bring it in first.")
    pages = range(source.pages) if shown.page is None else (shown.page,)
    return [reel.whole(source, new_id(), frames, page) for page in pages]


def _ground(colour: str) -> str:
    if colour not in reel.COLOURS:
        raise EditRefused(f"A card is {', '.join(reel.COLOURS)}, not “{colour}”.")
    return colour


def _words(text: str) -> str:
    words = " ".join(text.split())
    if len(words) > reel.LONGEST_NAME:
        raise EditRefused(f"A card holds {reel.LONGEST_NAME} letters at most, and these are {len(words)}.")
    return words


PAGE_LEAD = SAMPLE_RATE // 2
"""A page is seen this long before its words begin, and after they end."""


def _lines_from_notes(state: State, source: str, fit: bool, new_id: Callable[[], str]) -> tuple[State, int]:
    found = state.sources.get(source)
    if found is None or not any(found.notes):
        raise EditRefused("There are no notes and no words on these pages.")
    noted: dict[str, int] = {}
    for piece in state.pieces:
        if piece.source == source and piece.page < len(found.notes) and piece.page not in noted.values():
            noted[piece.id] = piece.page
    texts = {key: " ".join(lines.paragraphs(found.notes[page])) for key, page in noted.items()}
    texts = {key: text for key, text in texts.items() if text}
    if not texts:
        raise EditRefused("None of the pages that say something is in the reel. Put them in first.")
    rate, pieces = state.rate, state.pieces
    if fit:
        wanted = {key: expected_length(text, state.pace) + 2 * PAGE_LEAD for key, text in texts.items()}
        pieces = tuple(
            replace(piece, length=rate.frame_at(wanted[piece.id]) + 1) if piece.id in wanted else piece for piece in pieces
        )
    after = _reeled(state, pieces, True)
    drafts = []
    for piece, span in zip(pieces, reel.spans(pieces, rate), strict=True):
        if piece.id in texts:
            lead = min(PAGE_LEAD, span.length // 4)
            drafts.append(Draft(texts[piece.id], Span(rate.snap(span.start + lead), rate.snap(span.end - lead))))
    last = next((line.id for line in reversed(after.lines) if not line.dropped), None)
    new = lines.add_drafts(after.lines, last, drafts, rate, {}, new_id, after.recorded)
    return replace(after, lines=new), len(drafts)


def _reeled(state: State, pieces: reel.Reel, follows: bool) -> State:
    """The state with another reel; lines and their takes go with their picture if they are to."""
    after = replace(state, pieces=pieces)
    return follow(state, after) if follows else after


def perform(state: State, edit: Edit, new_id: Callable[[], str]) -> tuple[State, str]:
    """The state after an edit, and what the edit is called in the list of changes.

    Args:
        new_id: makes the identity of a new line.

    Raises:
        EditRefused: with a text for the person who asked; nothing is changed then.
    """
    after, name = _performed(state, edit, new_id)
    hold(state, after)
    return after, name


def _performed(state: State, edit: Edit, new_id: Callable[[], str]) -> tuple[State, str]:
    def called(line_id: str) -> str:
        return f"line {state.lines[lines.find(state.lines, line_id)].number}"

    def length_of(text: str) -> int:
        return expected_length(text, state.pace)

    if isinstance(edit, OfRoom):
        return edit.on_state(state, new_id)
    match edit:
        case SetWords(line, text):
            return replace(state, lines=lines.set_words(state.lines, line, text)), f"words of {called(line)}"
        case AddLines(text, after):
            texts = lines.paragraphs(text)
            new = lines.add_lines(state.lines, after, texts, new_id, state.recorded)
            return replace(state, lines=new), f"{len(texts)} new line{'s' if len(texts) != 1 else ''}"
        case NewLine(after, slot):
            if slot is not None:
                return replace(state, lines=_line_at(state, slot, new_id)), "new line"
            return replace(state, lines=lines.add_lines(state.lines, after, [""], new_id, state.recorded)), "new line"
        case BringInLines(drafts, after):
            names = {name.casefold(): key for key, name in state.readers.items()}
            new = lines.add_drafts(state.lines, after, drafts, state.rate, names, new_id, state.recorded)
            return replace(state, lines=new), f"{len(drafts)} line{'s' if len(drafts) != 1 else ''} brought in"
        case MoveLine(line, before):
            return replace(state, lines=lines.move(state.lines, line, before)), f"{called(line)} moved"
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
        case SetWantedLength(line, length):
            return replace(
                state, lines=lines.set_wanted_length(state.lines, line, length)
            ), f"wanted length of {called(line)}"
        case SetSilences(line, silences):
            new = lines.set_silences(state.lines, line, silences)
            return replace(state, lines=new), f"the film {'silent' if silences else 'heard'} under {called(line)}"
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
        case Pick(line, voice):
            name = called(line)
            kept = {key: picked for key, picked in state.picks.items() if key != line}
            if voice is None:
                return replace(state, picks=kept), f"no pick for {name}"
            voice = standing.as_joined(state, line, voice)
            return replace(state, picks={**kept, line: voice}, aside=state.aside - {voice}), f"pick of {name}"
        case PickProvisional(only):
            new_picks = {
                each.id: found.voice
                for each in state.lines
                if not each.dropped and (only is None or each.id in only)
                for found in (standing.standing(state, each),)
                if found and found.provisional
            }
            if not new_picks:
                raise EditRefused("There is nothing to pick: every line that has a take has a pick.")
            count = len(new_picks)
            return replace(state, picks={**state.picks, **new_picks}), f"{count} pick{'s' if count != 1 else ''}"
        case MoveVoice(voice, by):
            return standing.moved(state, voice, by)
        case PlaceVoice(voice, timecode):
            return standing.moved(state, voice, standing.distance(state, voice, timecode))
        case AddComp():
            if edit.silences:
                state = replace(state, lines=lines.set_silences(state.lines, edit.line, True))
            made_comp = LineComp(new_id(), edit.line, edit.reader, edit.name, edit.comp)
            return standing.with_comp(state, made_comp, edit.replaces), f"{edit.name} {edit.done}"
        case Together(done, name):
            for one in done:
                state, _ = _performed(state, one, new_id)
            return state, name
        case MoveSeam(comp, seam, to):
            return standing.with_seam(state, comp, seam, to)
        case TakeApart(comp):
            return standing.apart(state, comp)
        case SetAside(take, aside):
            if aside and take in state.picks.values():
                raise EditRefused("The picked take can't be set aside. Pick another one first, or take the pick back.")
            away = state.aside | {take} if aside else state.aside - {take}
            return replace(state, aside=away), "take set aside" if aside else "take brought back"
        case NoteTake(take, mark, note):
            return _noted(state, take, mark, note)
        case LinesOfComment(line, spoken):
            known, new = {one.id: one.reader for one in state.lines}, state.lines
            if len(spoken) > 1:
                below = [Draft("", slot) for slot in spoken[1:]]
                new = lines.add_drafts(new, line, below, state.rate, {}, new_id, state.recorded)
            new = tuple(one if one.id in known else replace(one, reader=known[line]) for one in new)
            return replace(state, lines=slots.set_slot(new, line, spoken[0], state.rate)), f"{len(spoken)} lines spoken"
        case UsePass(whole, takes):
            # A pass that is picked stays where it is.
            put_away = {whole} - {*state.picks.values(), *takes}
            return replace(state, aside=(state.aside - set(takes)) | put_away), f"pass cut into {len(takes)} takes"
        case PartShot(at):
            number = _shot_here(state, at)[0] + 1
            return _part_shot(state, at), f"shot {number} parted"
        case JoinShots(at):
            number = _shot_here(state, at)[0] + 1
            return _join_shots(state, at), f"shots {number - 1} and {number} joined"
        case NameShot(at, text):
            return _name_shot(state, at, text), f"name of shot {_shot_here(state, at)[0] + 1}"
        case AddPieces(shown, at, follows):
            made = [piece for each in shown for piece in _made_pieces(state, each, new_id)]
            place = None if at is None else state.rate.frame_at(at)
            name = f"{len(made)} pieces put in" if len(made) != 1 else "a card left" if not made[0].source else "picture"
            return _reeled(state, reel.insert(state.pieces, made, place, new_id), follows), name
        case SplitPiece(at):
            return _reeled(state, reel.split(state.pieces, state.rate.frame_at(at), new_id), False), "piece split"
        case TrimPiece(piece, edge, at, close, follows):
            frame = state.rate.frame_at(at)
            new_reel = reel.trim(state.pieces, piece, edge, frame, close, new_id, state.sources)
            return _reeled(state, new_reel, follows), f"{edge} of a piece"
        case DropPiece(piece, close, follows):
            return _reeled(state, reel.drop(state.pieces, piece, close, new_id), follows), "piece dropped"
        case MovePiece(piece, before, follows):
            return _reeled(state, reel.move(state.pieces, piece, before), follows), "piece moved"
        case FillPiece(piece, shown, first):
            if shown.source is None:
                raise EditRefused("Choose a film, a still or a page to put in the place of this piece.")
            made_piece = _made_pieces(state, shown, new_id)[0]
            if state.sources[shown.source].kind == "film":
                made_piece = replace(made_piece, first=state.rate.frame_at(first))
            return _reeled(state, reel.fill(state.pieces, piece, made_piece, state.sources, new_id), False), "place filled"
        case SetPiece(piece, text, colour, heard, level):
            old = state.pieces[reel.find(state.pieces, piece)]
            changed = replace(
                old,
                name=old.name if text is None else _words(text),
                colour=_ground(colour or old.colour),
                heard=heard or old.heard,
                level=old.level if level is None else laid.checked_level(level),
            )
            return _with_piece(state, changed), "piece"
        case LayTimeline(events):
            return _reeled(state, timeline.pieces_of(events, state.sources, state.rate, new_id), False), "timeline"
        case LaySound(source, at, original):
            length = state.sounds.get(source, 0)
            if not length:
                raise EditRefused("This file has no sound to be laid. Choose one that has.")
            span = Span(max(0, at), max(0, at) + length)
            sound = LaidSound(new_id(), source, span, original=original, heard="kept" if original else "lowered")
            others = tuple(replace(each, original=each.original and not original) for each in state.laid)
            return replace(state, laid=(*others, sound)), "sound laid"
        case SetSound(sound_id, span_wanted, channel, level, heard, original_wanted):
            new_laid = laid.change(state.laid, sound_id, state.sounds, span_wanted, channel, level, heard, original_wanted)
            return replace(state, laid=new_laid), "laid sound"
        case LinesFromNotes(source, fit):
            made_state, made_count = _lines_from_notes(state, source, fit, new_id)
            return made_state, f"{made_count} line{'s' if made_count != 1 else ''} from slides"
        case DropSound(sound_id):
            index = laid.find(state.laid, sound_id)
            return replace(state, laid=(*state.laid[:index], *state.laid[index + 1 :])), "laid sound taken away"
