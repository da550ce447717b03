"""What is done in Polish, as edits: mends of recordings, gaps closed, and how lines are treated."""

from dataclasses import dataclass, replace

from fendo_core.picture.reel import NewId
from fendo_core.polish.scan import STAGED
from fendo_core.production.edit import Done
from fendo_core.production.refusal import EditRefused
from fendo_core.production.state import LineComp, State
from fendo_core.takes.standing import comp_of, take_of
from fendo_core.timebase import Span, milliseconds
from fendo_core.voice import tighten
from fendo_core.voice.chain import MOVABLE, PRODUCTION, STAGE_KINDS, STAGES, Chain, Stage
from fendo_core.voice.repair import (
    LONGEST_CLICK,
    LONGEST_CLIPPED,
    LONGEST_RUMBLE,
    LOUDER,
    REDRAWN,
    REPAIR_KINDS,
    Repair,
    RepairKind,
)

MOST_AT_ONCE = 5_000
_LONGEST = {
    "click": LONGEST_CLICK,
    "plosive": milliseconds(1_000),
    "rumble": LONGEST_RUMBLE,
    "clipped": LONGEST_CLIPPED,
}
_SAID = {
    "gain": "level changed",
    "breath": "breath lowered",
    "noise": "noise lowered",
    "click": "click taken out",
    "plosive": "plosive softened",
    "gap": "gap closed",
    "clipped": "clipped tops drawn anew",
    "rumble": "rumble taken out",
    "level": "line lifted or lowered",
    "seam": "seam levelled",
    "hum": "hum",
    "dull": "dull line",
    "false start": "false start taken out",
    "put in": "something taken out",
}


@dataclass(frozen=True, slots=True)
class Wanted:
    """A place of a recording to be mended, or to be left as it is."""

    recording: str
    kind: RepairKind
    span: Span
    decibel: float = 0.0


@dataclass(frozen=True, slots=True)
class Mend:
    """Places mended (`on`), or left as they are: then they are not proposed again. What was said of a place before goes."""

    places: tuple[Wanted, ...]
    on: bool = True

    def on_state(self, state: State, new_id: NewId) -> Done:
        """The state after it.

        Raises:
            EditRefused: for a place that can't be mended so.
        """
        if not 1 <= len(self.places) <= MOST_AT_ONCE:
            raise EditRefused(f"One to {MOST_AT_ONCE:,} places can be mended at once.")
        known = {take.recording for taken in state.takes.values() for take in taken}
        repairs = dict(state.repairs)
        for place in self.places:
            _check(place, known, self.on)
            for key, other in state.repairs.items():
                if (other.recording, other.kind) == (place.recording, place.kind) and other.span.meets(place.span):
                    repairs.pop(key, None)
            key = new_id()
            settings = {"decibel": round(place.decibel, 1)} if place.kind in LOUDER else {}
            repairs[key] = Repair(key, place.recording, place.kind, place.span, settings, self.on)
        first = self.places[0]
        said = _SAID[first.kind] if self.on else "left as it is"
        return replace(state, repairs=repairs), said if len(self.places) == 1 else f"{said}, {len(self.places)} places"


def _check(place: Wanted, known: set[str], on: bool) -> None:
    if place.recording not in known:
        raise EditRefused("This recording is not here. Nothing was changed.")
    if place.kind not in REPAIR_KINDS or place.span.start < 0:
        raise EditRefused("This place can't be mended. Nothing was changed.")
    if on and place.kind in STAGED:
        raise EditRefused("This is of the whole line: it is mended by the line’s treatment. Nothing was changed.")
    if on and place.kind in REDRAWN and place.span.length > _LONGEST[place.kind]:
        longest = _LONGEST[place.kind] * 1000 // 48_000
        raise EditRefused(f"A {place.kind} of more than {longest} ms can't be drawn anew. Make the place shorter.")
    if not -40.0 <= place.decibel <= 20.0:
        raise EditRefused("A place is lowered by 40 dB at most, and lifted by 20. Nothing was changed.")


@dataclass(frozen=True, slots=True)
class DropRepairs:
    """Mends, or words that a place is left as it is, taken away: the recording sounds there as it was read."""

    repairs: tuple[str, ...]

    def on_state(self, state: State, new_id: NewId) -> Done:
        """The state after it.

        Raises:
            EditRefused: when none of them is there.
        """
        kept = {key: one for key, one in state.repairs.items() if key not in self.repairs}
        if len(kept) == len(state.repairs):
            raise EditRefused("This mend is no longer there. Nothing was changed; undo may bring it back.")
        return replace(state, repairs=kept), "mend taken back"


@dataclass(frozen=True, slots=True)
class CloseGap:
    """A gap in what sounds for a line made shorter: `keep` samples stay. A take gets a comp of its own.

    Attributes:
        voice: the take or the comp.
        gap: programme samples.
        close_up: what follows moves up; else it stays where it is, so that sync is kept.
    """

    line: str
    voice: str
    gap: Span
    keep: int
    close_up: bool = True

    def on_state(self, state: State, new_id: NewId) -> Done:
        """The state after it.

        Raises:
            EditRefused: when the gap can't be closed so.
        """
        comp = comp_of(state, self.voice)
        if comp is None or all(line.id != self.line for line in state.lines):
            raise EditRefused("This reading is no longer there. Nothing was changed; undo may bring it back.")
        try:
            gap = Span(self.gap.start - comp.at, self.gap.end - comp.at)
            made = tighten(comp, gap, self.keep, self.close_up)
        except ValueError as error:
            raise EditRefused(f"This gap can’t be closed: {error}. Nothing was changed.") from error
        said = "gap closed" if self.close_up else "gap emptied"
        for index, one in enumerate(state.comps):
            if one.id == self.voice:
                new = replace(one, comp=made)
                return replace(state, comps=(*state.comps[:index], new, *state.comps[index + 1 :])), said
        take = take_of(state, self.voice)
        assert take is not None
        own = LineComp(new_id(), self.line, take.reader, f"take {take.number}, tightened", made)
        picks = {**state.picks, self.line: own.id} if state.picks.get(self.line) == self.voice else state.picks
        return replace(state, comps=(*state.comps, own), picks=picks), said


@dataclass(frozen=True, slots=True)
class SetTreatment:
    """How lines are treated.

    Attributes:
        scope: `production`, `folder:` or `line:` with an identity: the nearest wins.
        chain: None: as the next wider scope is; for the production itself: not at all.
    """

    scope: str
    chain: Chain | None

    def on_state(self, state: State, new_id: NewId) -> Done:
        """The state after it.

        Raises:
            EditRefused: for a line that is not there, or settings out of their bounds.
        """
        kind, _, name = self.scope.partition(":")
        known = {"line": {line.id for line in state.lines}, "folder": state.folders}.get(kind, frozenset())
        if self.scope != PRODUCTION and name not in known:
            raise EditRefused(f"This {'folder' if kind == 'folder' else 'line'} is no longer there. Nothing was changed.")
        chains = {scope: chain for scope, chain in state.chains.items() if scope != self.scope}
        if self.chain is None:
            return replace(state, chains=chains), "treatment taken away"
        chains[self.scope] = checked(self.chain)
        return replace(state, chains=chains), f"treatment “{self.chain.name}”"


def checked(chain: Chain) -> Chain:
    """A chain of all stages, each with all of its settings: those that can be moved in the order in which they are given,
    behind the others in theirs.

    Raises:
        EditRefused: for a stage that there is not, or a setting out of its bounds.
    """
    if not 1 <= len(chain.name) <= 60:
        raise EditRefused("A treatment has a name of 1 to 60 characters.")
    given = {stage.kind: stage for stage in chain.stages}
    if unknown := given.keys() - {one.kind for one in STAGES}:
        raise EditRefused(f"There is no stage “{min(unknown)}”. Nothing was changed.")
    stages = []
    order = _order(tuple(given))
    for one in sorted(STAGES, key=lambda kind: order.index(kind.kind)):
        stage = given.get(one.kind, Stage(one.kind, False))
        settings = {s.name: float(stage.settings.get(s.name, s.start)) for s in one.settings}
        for setting in one.settings:
            if not setting.low <= settings[setting.name] <= setting.high:
                bounds = f"{setting.low:g} to {setting.high:g} {setting.unit}"
                raise EditRefused(f"{one.name}: {setting.name} goes from {bounds}. Nothing was changed.")
        stages.append(Stage(one.kind, stage.on, settings))
    return Chain(chain.name, tuple(stages))


def _order(given: tuple[str, ...]) -> list[str]:
    """All stages: those that can be moved as given, and what is not given before the first that usually follows it."""
    movable = [kind for kind in given if kind in MOVABLE]
    for place, kind in enumerate(MOVABLE):
        if kind not in movable:
            behind = (at for at, other in enumerate(movable) if MOVABLE.index(other) > place)
            movable.insert(next(behind, len(movable)), kind)
    return [*(kind for kind in STAGE_KINDS if kind not in MOVABLE), *movable]
