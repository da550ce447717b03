"""What an edit is. Each room has its own, in its `edits.py`; `edits` beside this joins them."""

from typing import Protocol, TypeAlias

from fendo_core.picture.reel import NewId
from fendo_core.production.state import State

Done: TypeAlias = tuple[State, str]
"""The state after an edit, and what the edit is called in the list of changes."""


class Edit(Protocol):
    """A value that says what is to be done to a production."""

    def on_state(self, state: State, new_id: NewId) -> Done:
        """What becomes of a state by it.

        Args:
            state: before it; it is not changed.
            new_id: makes the identity of what is new: a line, a clip, a comp.

        Raises:
            EditRefused: with a text for the person who asked; nothing is changed then.
        """
