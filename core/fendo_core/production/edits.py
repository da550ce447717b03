"""The edits of all rooms under one name, and the one function that performs them."""

from fendo_core.handover.returning import MoveVoices
from fendo_core.picture.edits import (
    AddClips,
    DropClip,
    DropSound,
    FillClip,
    JoinShots,
    LaySound,
    LayTimeline,
    LinesFromNotes,
    MoveClip,
    NameShot,
    PartShot,
    SetClip,
    SetSound,
    Shown,
    SplitClip,
    TrimClip,
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
    "AddClips",
    "AddComp",
    "AddLines",
    "BringInLines",
    "CloseGap",
    "DropClip",
    "DropLine",
    "DropRepairs",
    "DropSound",
    "DropSyncPoint",
    "Edit",
    "FillClip",
    "JoinLines",
    "JoinShots",
    "LaySlots",
    "LaySound",
    "LayTimeline",
    "LinesFromNotes",
    "LinesOfComment",
    "Mend",
    "MendSlots",
    "MoveClip",
    "MoveEnd",
    "MoveLine",
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
    "SetClip",
    "SetNotes",
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
    "SplitClip",
    "SplitLine",
    "SplitLong",
    "SpreadSlots",
    "TakeApart",
    "Together",
    "TrimClip",
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
