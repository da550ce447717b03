"""A line that is settled: its pick is final, and nothing that is done elsewhere changes it."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from fendo_core.picture.reel import NewId
from fendo_core.production.edit import Done
from fendo_core.production.refusal import EditRefused
from fendo_core.production.state import State
from fendo_core.script.lines import Line


@dataclass(frozen=True, slots=True)
class Settle:
    """Lines whose picks are final from now on, or (`settled` false) open again."""

    only: Sequence[str]
    settled: bool = True

    def on_state(self, state: State, new_id: NewId) -> Done:
        """The state after it.

        Raises:
            EditRefused: when one of them is not there, or has no pick.
        """
        wanted = set(self.only)
        found = [line for line in state.lines if line.id in wanted and not line.dropped]
        if len(found) < len(wanted) or not wanted:
            raise EditRefused("A line that was to be settled is no longer there. Nothing was changed.")
        for line in found:
            if self.settled and line.id not in state.picks:
                raise EditRefused(f"Line {line.number} has no pick that could be final. Pick a take first.")
        lines = tuple(replace(line, settled=self.settled) if line.id in wanted else line for line in state.lines)
        name = f"line {found[0].number}" if len(found) == 1 else f"{len(found)} lines"
        return replace(state, lines=lines), f"{name} {'settled' if self.settled else 'opened'}"


def hold(before: State, after: State) -> None:
    """Let nothing be done to what is settled.

    A line that is settled before and after keeps its reader and its pick, and the pick its place and its sound; where its
    slot moves, the pick may go along. Treatment and repairs are no choice of a take, and stay free.

    Raises:
        EditRefused: when an edit would change it.
    """
    if not any(line.settled for line in before.lines):
        return
    lines = {line.id: line for line in after.lines}
    comps = {one.id: one.comp for one in before.comps}, {one.id: one.comp for one in after.comps}
    for line in before.lines:
        if not line.settled:
            continue
        now, pick = lines.get(line.id), before.picks.get(line.id, "")
        if now is not None and not now.settled:
            continue
        if now is None or now.dropped or now.reader != line.reader or after.picks.get(line.id, "") != pick:
            raise _refused(line)
        stays = comps[0].get(pick) == comps[1].get(pick) and before.places.get(pick) == after.places.get(pick)
        if not stays and now.slot == line.slot:
            raise _refused(line)


def _refused(line: Line) -> EditRefused:
    return EditRefused(f"Line {line.number} is settled: its pick is final. Open the line first, in Takes.")
