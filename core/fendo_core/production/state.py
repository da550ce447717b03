"""What an edit can change, as one value, and the difference between two of them.

Undo rests on this: an edit is a function from state to state, what is recorded is the difference, and taking it back
writes the earlier rows again.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any, TypeAlias

from fendo_core.picture.shots import Shot
from fendo_core.script.lines import Line
from fendo_core.script.pace import Pace, expected_length
from fendo_core.timebase import FrameRate, Span
from fendo_core.timebase.rates import nearest_rate

Row: TypeAlias = dict[str, Any]
Rows: TypeAlias = dict[str, Row | None]
"""Rows by key (`line:<id>`, `pick:<line id>`, `take:<id>`, `say:<word>`, `shots:<film>`, `picture`, `order`); None where
there is none."""


@dataclass(frozen=True, slots=True)
class State:
    """One production's words, slots, picks, takes set aside, and picture.

    `picks` maps line to take, of the reader that the line has. `sayings` are how words are said, by the word in small
    letters: (word, said). What follows them is read, not changed, by edits.

    Attributes:
        shots: of the picture; without one the whole programme, where its length is known.
        cut: the shots of the film `cut_of`, with their names, as edits change them.
        length: of the programme, samples; where there is no picture, where its last slot ends.
        recorded: lines that have takes.
        readers: names by identity.
        pace: of the production's reader; `paces` of all readers by identity.
    """

    lines: tuple[Line, ...] = ()
    picks: Mapping[str, str] = field(default_factory=dict)
    aside: frozenset[str] = frozenset()
    picture: str | None = None
    sayings: Mapping[str, tuple[str, str]] = field(default_factory=dict)
    rate: FrameRate = nearest_rate(Fraction(25))
    shots: tuple[Span, ...] = ()
    cut: tuple[Shot, ...] = ()
    cut_of: str | None = None
    pace: Pace = field(default_factory=Pace.starting)
    length: int = 0
    recorded: frozenset[str] = frozenset()
    readers: Mapping[str, str] = field(default_factory=dict)
    paces: Mapping[str, Pace] = field(default_factory=dict)

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
    if state.cut_of:
        spans = [[shot.span.start, shot.span.end] for shot in state.cut]
        found[f"shots:{state.cut_of}"] = {"spans": spans, "names": [shot.name for shot in state.cut]}
    found["picture"] = {"id": state.picture}
    found.update({f"say:{key}": {"word": word, "said": said} for key, (word, said) in state.sayings.items()})
    found.update({f"pick:{line}": {"take": take} for line, take in state.picks.items()})
    found.update({f"take:{take}": {"aside": True} for take in state.aside})
    return found


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

    The order of lines alone is no conflict: two people may add lines at different places.
    """
    own = frozenset(touched) - {"order"}
    return frozenset(key for keys in since for key in keys if key in own)
