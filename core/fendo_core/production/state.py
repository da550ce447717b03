"""What an edit can change, as one value, and the difference between two of them.

Undo rests on this: an edit is a function from state to state, what is recorded is the difference, and taking it back
writes the earlier rows again.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any, NamedTuple, TypeAlias

from fendo_core.picture import reel
from fendo_core.picture.laid import LaidSound
from fendo_core.picture.reel import Clip, Source
from fendo_core.script.lines import Line, find
from fendo_core.script.pace import Pace, expected_length
from fendo_core.timebase import FrameRate, Span
from fendo_core.timebase.rates import nearest_rate
from fendo_core.voice import Comp
from fendo_core.voice.chain import Chain, nearest
from fendo_core.voice.repair import Repair

Row: TypeAlias = dict[str, Any]
Rows: TypeAlias = dict[str, Row | None]
"""Rows by key (`line:<id>`, `pick:<line id>`, `take:<id>`, `comp:<id>`, `say:<word>`, `shots:<source>`, `clip:<id>`,
`sound:<id>`, `note:<take id>`, `repair:<id>`, `chain:<scope>`, and the orders `order` of lines and `reel` of clips); None
where there is none."""


class TakeRef(NamedTuple):
    """What edits know of a take: samples `first` to `last` of its recording. `start` is where that was recorded, `sounds`
    whether somebody speaks in it, `speaks` to `ends` the samples of the recording in which that is (None: not known). It is
    `whole` when it was not cut off; `amiss` words were heard amiss (None: nobody has listened), `clipped` places clip, and
    `level` things are wrong with its level."""

    id: str
    recording: str
    reader: str
    number: int = 1
    start: int = 0
    sounds: bool = True
    is_pickup: bool = False
    speaks: int | None = None
    ends: int | None = None
    first: int = 0
    last: int = 0
    whole: bool = True
    amiss: int | None = None
    clipped: int = 0
    level: int = 0


SCRATCH = "scratch"
"""The mark of a reading that only holds a place until the real one is read."""


class TakeNote(NamedTuple):
    """What somebody thinks of a take: a mark ("": none) and a note."""

    mark: str = ""
    text: str = ""


@dataclass(frozen=True, slots=True)
class LineComp:
    """A comp that somebody made for a line."""

    id: str
    line: str
    reader: str
    name: str
    comp: Comp


@dataclass(frozen=True, slots=True)
class State:
    """One production's words, slots, picks, takes set aside, comps, and picture.

    `picks` maps line to what stands for it, a take or a comp, of the reader that the line has. `sayings` are how words
    are said, by the word in small letters: (word, said). What follows `laid` is read, not changed, by edits, but for
    places, comps, and the shots of `sources`.

    Attributes:
        clips: the reel.
        laid: sounds laid under the picture.
        places: programme sample at which a take's recording begins, by take, where that is not where it was recorded.
        notes: marks and notes by take; none where nobody has said anything.
        comps: in the order in which they were made.
        repairs: what was mended in recordings, or is left as it is, by identity.
        sync_points: names by the programme sample of their frame.
        chains: how lines are treated, by scope: `production`, `folder:<id>`, `line:<id>`.
        sources: what was brought in, by identity.
        takes: those of each line, by line, in the order of their numbers.
        lengths: of the recordings that comps use, samples.
        start_frame: frames since midnight of the programme's first frame, for timecode.
        wanted: samples that the programme is to last while it has no picture; 0: not said.
        reader: who reads the lines that have no reader of their own.
        readers: names by identity.
        pace: of the production's reader; `paces` of all readers by identity.
        folders: in which takes lie, by identity.
        sounds: lengths of the sources' sounds in samples, 0 for what has none.
    """

    lines: tuple[Line, ...] = ()
    picks: Mapping[str, str] = field(default_factory=dict)
    aside: frozenset[str] = frozenset()
    clips: tuple[Clip, ...] = ()
    laid: tuple[LaidSound, ...] = ()
    places: Mapping[str, int] = field(default_factory=dict)
    notes: Mapping[str, TakeNote] = field(default_factory=dict)
    comps: tuple[LineComp, ...] = ()
    repairs: Mapping[str, Repair] = field(default_factory=dict)
    chains: Mapping[str, Chain] = field(default_factory=dict)
    sayings: Mapping[str, tuple[str, str]] = field(default_factory=dict)
    sync_points: Mapping[int, str] = field(default_factory=dict)
    sources: Mapping[str, Source] = field(default_factory=dict)
    sounds: Mapping[str, int] = field(default_factory=dict)
    rate: FrameRate = nearest_rate(Fraction(25))
    pace: Pace = field(default_factory=Pace.starting)
    start_frame: int = 0
    wanted: int = 0
    takes: Mapping[str, tuple[TakeRef, ...]] = field(default_factory=dict)
    lengths: Mapping[str, int] = field(default_factory=dict)
    reader: str = ""
    readers: Mapping[str, str] = field(default_factory=dict)
    paces: Mapping[str, Pace] = field(default_factory=dict)
    folders: frozenset[str] = frozenset()

    @property
    def recorded(self) -> frozenset[str]:
        """Lines that have takes."""
        return frozenset(self.takes)

    @property
    def length(self) -> int:
        """Samples of the programme: of the picture, else what is wanted, else where the last slot or sound ends."""
        if self.clips:
            return reel.length(self.clips, self.rate)
        ends = [line.slot.end for line in self.lines if line.slot and not line.dropped]
        return self.wanted or max([*ends, *(sound.span.end for sound in self.laid)], default=0)

    @property
    def reel_shots(self) -> tuple[reel.ReelShot, ...]:
        """The shots of the picture."""
        return reel.reel_shots(self.clips, self.sources, self.rate)

    @property
    def shots(self) -> tuple[Span, ...]:
        """Where lines can be laid: the shots; without a picture the whole programme, where its length is known."""
        if self.clips:
            return tuple(shot.span for shot in self.reel_shots)
        return (Span(0, self.wanted),) if self.wanted else ()

    def pace_of(self, line: Line) -> Pace:
        """The pace of the line's reader."""
        return self.paces.get(line.reader or "", self.pace)

    def reader_of(self, line: Line) -> str:
        """Who reads a line."""
        return line.reader or self.reader

    def reader_name(self, line: Line) -> str:
        """What who reads a line is called; "" for nobody."""
        return self.readers.get(self.reader_of(line), "")

    def chain_of(self, line: str, folder: str = "") -> Chain | None:
        """How a line is treated whose take lies in a folder: the nearest chain; None: not at all."""
        return nearest(self.chains, line, folder)

    def need(self, line: Line) -> int:
        """Samples that the line's words are expected to take its reader."""
        return expected_length(line.text, self.pace_of(line))

    def expected(self, text: str) -> int:
        """Samples that some words are expected to take the production's reader."""
        return expected_length(text, self.pace)

    def called(self, line: str) -> str:
        """What a line is called in the list of changes.

        Raises:
            EditRefused: when it is not there.
        """
        return f"line {self.lines[find(self.lines, line)].number}"


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
            "silences": line.silences,
            "wanted_length": line.wanted_length,
            "settled": line.settled,
        }
        for line in state.lines
    }
    found["order"] = {"lines": [line.id for line in state.lines]}
    found["reel"] = {"clips": [clip.id for clip in state.clips]}
    found.update({f"clip:{clip.id}": _without_id(clip) for clip in state.clips})
    for sound in state.laid:
        found[f"sound:{sound.id}"] = {**_without_id(sound), "span": [sound.span.start, sound.span.end]}
    for source in state.sources.values():
        if source.shots:
            spans = [[shot.span.start, shot.span.end] for shot in source.shots]
            found[f"shots:{source.id}"] = {"spans": spans, "names": [shot.name for shot in source.shots]}
    found.update({f"say:{key}": {"word": word, "said": said} for key, (word, said) in state.sayings.items()})
    found.update({f"sync:{at}": {"called": called} for at, called in state.sync_points.items()})
    comps = {comp.id for comp in state.comps}
    found.update({f"pick:{line}": {"comp" if key in comps else "take": key} for line, key in state.picks.items()})
    for take in {*state.aside, *state.places}:
        found[f"take:{take}"] = {"aside": take in state.aside, "place": state.places.get(take)}
    found.update({f"note:{take}": note._asdict() for take, note in state.notes.items()})
    found.update({f"comp:{one.id}": comp_row(one) for one in state.comps})
    found.update({f"repair:{key}": one.as_row() for key, one in state.repairs.items()})
    found.update({f"chain:{scope}": chain.as_row() for scope, chain in state.chains.items()})
    return found


def comp_row(one: LineComp) -> Row:
    """A comp as a row."""
    return {"line": one.line, "reader": one.reader, "name": one.name, "comp": one.comp.as_row()}


def _without_id(value: Clip | LaidSound) -> Row:
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

    The order of lines alone is no conflict: two people may add lines at different places. The order of clips is one: what
    lies where in the reel depends on all of them.
    """
    own = frozenset(touched) - {"order"}
    return frozenset(key for keys in since for key in keys if key in own)
