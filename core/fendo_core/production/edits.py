"""The edits of all rooms under one name, and the one function that performs them."""

from fendo_core.handover.returning import MoveVoices
from fendo_core.picture.edits import (
    AddPieces,
    DropPiece,
    DropSound,
    FillPiece,
    JoinShots,
    LaySound,
    LayTimeline,
    LinesFromNotes,
    MovePiece,
    NameShot,
    PartShot,
    SetPiece,
    SetSound,
    Shown,
    SplitPiece,
    TrimPiece,
)
from fendo_core.picture.reel import NewId
from fendo_core.polish.edits import CloseGap, DropRepairs, Mend, SetTreatment
from fendo_core.production.edit import Done, Edit
from fendo_core.production.state import State
from fendo_core.script.edits import (
    AddLines,
    BringInLines,
    DropLine,
    JoinLines,
    LaySlots,
    LinesOfComment,
    MendSlots,
    MoveLine,
    NewLine,
    Renumber,
    ReplaceWords,
    SetNotes,
    SetReader,
    SetSaying,
    SetSilences,
    SetSlot,
    SetSlotEnd,
    SetSlotStart,
    SetStress,
    SetWantedLength,
    SetWild,
    SetWords,
    SplitLine,
    SplitLong,
    SpreadSlots,
)
from fendo_core.takes.edits import (
    AddComp,
    MoveEnd,
    MoveSeam,
    MoveVoice,
    NoteTake,
    Pick,
    PickProvisional,
    PlaceVoice,
    SetAside,
    TakeApart,
    Together,
    UsePass,
)
from fendo_core.takes.settled import Settle, hold
from fendo_core.takes.sync_points import DropSyncPoint, MoveSyncPoint, PutWord, SetSyncPoint

__all__ = [
    "AddComp",
    "AddLines",
    "AddPieces",
    "BringInLines",
    "CloseGap",
    "DropLine",
    "DropPiece",
    "DropRepairs",
    "DropSound",
    "DropSyncPoint",
    "Edit",
    "FillPiece",
    "JoinLines",
    "JoinShots",
    "LaySlots",
    "LaySound",
    "LayTimeline",
    "LinesFromNotes",
    "LinesOfComment",
    "Mend",
    "MendSlots",
    "MoveEnd",
    "MoveLine",
    "MovePiece",
    "MoveSeam",
    "MoveSyncPoint",
    "MoveVoice",
    "MoveVoices",
    "NameShot",
    "NewLine",
    "NoteTake",
    "PartShot",
    "Pick",
    "PickProvisional",
    "PlaceVoice",
    "PutWord",
    "Renumber",
    "ReplaceWords",
    "SetAside",
    "SetNotes",
    "SetPiece",
    "SetReader",
    "SetSaying",
    "SetSilences",
    "SetSlot",
    "SetSlotEnd",
    "SetSlotStart",
    "SetSound",
    "SetStress",
    "SetSyncPoint",
    "SetTreatment",
    "SetWantedLength",
    "SetWild",
    "SetWords",
    "Settle",
    "Shown",
    "SplitLine",
    "SplitLong",
    "SplitPiece",
    "SpreadSlots",
    "TakeApart",
    "Together",
    "TrimPiece",
    "UsePass",
    "perform",
]


def perform(state: State, edit: Edit, new_id: NewId) -> Done:
    """The state after an edit, and what the edit is called in the list of changes.

    Args:
        new_id: makes the identity of a new line.

    Raises:
        EditRefused: with a text for the person who asked; nothing is changed then.
    """
    after, name = edit.on_state(state, new_id)
    hold(state, after)
    return after, name
