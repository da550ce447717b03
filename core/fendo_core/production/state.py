"""What an edit can change, as one value, and the difference between two of them.

Undo rests on this: an edit is a function from state to state, what is recorded is the difference, and taking it back
writes the earlier rows again.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any, TypeAlias

from fendo_core.picture import reel
from fendo_core.picture.laid import LaidSound
from fendo_core.picture.reel import Piece, Source
from fendo_core.script.lines import Line
from fendo_core.script.pace import Pace, expected_length
from fendo_core.timebase import FrameRate, Span
from fendo_core.timebase.rates import nearest_rate

Row: TypeAlias = dict[str, Any]
Rows: TypeAlias = dict[str, Row | None]
"""Rows by key (`line:<id>`, `pick:<line id>`, `take:<id>`, `say:<word>`, `shots:<source>`, `piece:<id>`, `sound:<id>`, and
the orders `order` of lines and `reel` of pieces); None where there is none."""


@dataclass(frozen=True, slots=True)
class State:
    """One production's words, slots, picks, takes set aside, and picture.

    `picks` maps line to take, of the reader that the line has. `sayings` are how words are said, by the word in small
    letters: (word, said). What follows `laid` is read, not changed, by edits, but for the shots of `sources`.

    Attributes:
        pieces: the reel.
        laid: sounds laid under the picture.
        moved: samples that a take was moved with its picture since it was recorded, by take; 0 is left out.
        sources: what was brought in, by identity.
        takes: those of each line, by line.
        wanted: samples that the programme is to last while it has no picture; 0: not said.
        readers: names by identity.
        pace: of the production's reader; `paces` of all readers by identity.
        sounds: lengths of the sources' sounds in samples, 0 for what has none.
    """

    lines: tuple[Line, ...] = ()
    picks: Mapping[str, str] = field(default_factory=dict)
    aside: frozenset[str] = frozenset()
    pieces: tuple[Piece, ...] = ()
    laid: tuple[LaidSound, ...] = ()
    moved: Mapping[str, int] = field(default_factory=dict)
    sayings: Mapping[str, tuple[str, str]] = field(default_factory=dict)
    sources: Mapping[str, Source] = field(default_factory=dict)
    sounds: Mapping[str, int] = field(default_factory=dict)
    rate: FrameRate = nearest_rate(Fraction(25))
    pace: Pace = field(default_factory=Pace.starting)
    wanted: int = 0
    takes: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    readers: Mapping[str, str] = field(default_factory=dict)
    paces: Mapping[str, Pace] = field(default_factory=dict)

    @property
    def recorded(self) -> frozenset[str]:
        """Lines that have takes."""
        return frozenset(self.takes)

    @property
    def length(self) -> int:
        """Samples of the programme: of the picture, else what is wanted, else where the last slot or sound ends."""
        if self.pieces:
            return reel.length(self.pieces, self.rate)
        ends = [line.slot.end for line in self.lines if line.slot and not line.dropped]
        return self.wanted or max([*ends, *(sound.span.end for sound in self.laid)], default=0)

    @property
    def reel_shots(self) -> tuple[reel.ReelShot, ...]:
        """The shots of the picture."""
        return reel.reel_shots(self.pieces, self.sources, self.rate)

    @property
    def shots(self) -> tuple[Span, ...]:
        """Where lines can be laid: the shots; without a picture the whole programme, where its length is known."""
        if self.pieces:
            return tuple(shot.span for shot in self.reel_shots)
        return (Span(0, self.wanted),) if self.wanted else ()

    def pace_of(self, line: Line) -> Pace:
        """The pace of the line's reader."""
        return self.paces.get(line.reader or "", self.pace)

    def need(self, line: Line) -> int:
        """Samples that the line's words are expected to take its reader."""
        return expected_length(line.text, self.pace_of(line))


def rows(state: State) -> Rows:
    """The state as flat rows, as they are stored and compared."""
    found: Rows = {
        f"line:{line.id}": {
            "number": line.number,
            "text": line.text,
            "slot": [line.slot.start, line.slot.end] if line.slot else None,
            "dropped": line.dropped,
            "notes": line.notes,
            "stress": list(line.stress),
            "reader": line.reader,
            "wild": line.wild,
        }
        for line in state.lines
    }
    found["order"] = {"lines": [line.id for line in state.lines]}
    found["reel"] = {"pieces": [piece.id for piece in state.pieces]}
    found.update({f"piece:{piece.id}": _without_id(piece) for piece in state.pieces})
    for sound in state.laid:
        found[f"sound:{sound.id}"] = {**_without_id(sound), "span": [sound.span.start, sound.span.end]}
    for source in state.sources.values():
        if source.shots:
            spans = [[shot.span.start, shot.span.end] for shot in source.shots]
            found[f"shots:{source.id}"] = {"spans": spans, "names": [shot.name for shot in source.shots]}
    found.update({f"say:{key}": {"word": word, "said": said} for key, (word, said) in state.sayings.items()})
    found.update({f"pick:{line}": {"take": take} for line, take in state.picks.items()})
    for take in {*state.aside, *state.moved}:
        found[f"take:{take}"] = {"aside": take in state.aside, "moved": state.moved.get(take, 0)}
    return found


def _without_id(value: Piece | LaidSound) -> Row:
    return {name: getattr(value, name) for name in value.__slots__ if name != "id"}


@dataclass(frozen=True, slots=True)
class Difference:
    """The rows an edit touched, before and after."""

    before: Rows
    after: Rows

    @property
    def touched(self) -> frozenset[str]:
        """Keys of the rows."""
        return frozenset(self.after)

    @property
    def reversed(self) -> "Difference":
        """What takes it back."""
        return Difference(before=self.after, after=self.before)


def difference(before: State, after: State) -> Difference:
    """The rows that differ between two states."""
    old, new = rows(before), rows(after)
    keys = [key for key in {**old, **new} if old.get(key) != new.get(key)]
    return Difference({key: old.get(key) for key in keys}, {key: new.get(key) for key in keys})


def conflicts(touched: Iterable[str], since: Iterable[Iterable[str]]) -> frozenset[str]:
    """Rows touched by an edit that others touched since the edit's author last looked.

    The order of lines alone is no conflict: two people may add lines at different places. The order of pieces is one: what
    lies where in the reel depends on all of them.
    """
    own = frozenset(touched) - {"order"}
    return frozenset(key for keys in since for key in keys if key in own)
