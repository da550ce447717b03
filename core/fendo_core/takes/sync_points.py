"""Sync points: places in the picture that a word is put to, where a door falls shut or a hand points. They stay with their
picture."""

from dataclasses import dataclass, replace

from fendo_core.picture.reel import NewId
from fendo_core.production.edit import Done
from fendo_core.production.refusal import EditRefused
from fendo_core.production.state import State
from fendo_core.takes.standing import moved
from fendo_core.voice.comp import LONGEST

MOST = 2_000
LONGEST_NAME = 60


@dataclass(frozen=True, slots=True)
class SetSyncPoint:
    """A sync point put to the frame that is shown at a programme sample, or the one that is there called something else."""

    at: int
    called: str = ""

    def on_state(self, state: State, new_id: NewId) -> Done:
        """The state after it.

        Raises:
            EditRefused: outside of the programme, for a name that is too long, or one more than there can be.
        """
        at = state.rate.first_sample(state.rate.frame_at(self.at)) if 0 <= self.at <= LONGEST else -1
        if at < 0 or (state.clips and at >= state.length):
            raise EditRefused("A sync point lies inside the programme. Nothing was changed.")
        if len(self.called) > LONGEST_NAME:
            raise EditRefused(f"A sync point’s name has {LONGEST_NAME} characters at most. Nothing was changed.")
        there = at in state.sync_points
        if not there and len(state.sync_points) >= MOST:
            raise EditRefused(f"There are {MOST:,} sync points, the most that a production holds. Nothing was changed.")
        points = {**state.sync_points, at: " ".join(self.called.split())}
        return replace(state, sync_points=points), "sync point named" if there else "sync point set"


@dataclass(frozen=True, slots=True)
class MoveSyncPoint:
    """A sync point moved to the frame that is shown at another programme sample; what is there already gives way."""

    at: int
    to: int

    def on_state(self, state: State, new_id: NewId) -> Done:
        """The state after it.

        Raises:
            EditRefused: when it is not there, or would lie outside of the programme.
        """
        without, _ = DropSyncPoint(self.at).on_state(state, new_id)
        moved, _ = SetSyncPoint(self.to, state.sync_points[self.at]).on_state(without, new_id)
        return moved, "sync point moved"


@dataclass(frozen=True, slots=True)
class DropSyncPoint:
    """A sync point taken away."""

    at: int

    def on_state(self, state: State, new_id: NewId) -> Done:
        """The state after it.

        Raises:
            EditRefused: when it is not there.
        """
        if self.at not in state.sync_points:
            raise EditRefused("This sync point is no longer there. Nothing was changed; undo may bring it back.")
        points = {at: called for at, called in state.sync_points.items() if at != self.at}
        return replace(state, sync_points=points), "sync point taken away"


@dataclass(frozen=True, slots=True)
class PutWord:
    """A take or a comp moved so that a word of it lies where something happens in the picture.

    Attributes:
        said: programme sample at which the word begins now.
        to: where it is to begin; None: at the sync point nearest to it.
    """

    voice: str
    said: int
    to: int | None = None

    def on_state(self, state: State, new_id: NewId) -> Done:
        """The state after it.

        Raises:
            EditRefused: when there is no sync point, or no such voice, or it lies there already.
        """
        if self.to is not None:
            return moved(state, self.voice, self.to - self.said)
        nearest = min(state.sync_points, key=lambda at: abs(at - self.said), default=None)
        if nearest is None:
            raise EditRefused("There is no sync point yet. Set one in the picture; nothing was moved.")
        if nearest == self.said:
            raise EditRefused("The word lies at its sync point already.")
        return moved(state, self.voice, nearest - self.said)
