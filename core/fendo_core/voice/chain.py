"""How a voice is treated: named stages, each with its settings, in an order that makes sense."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any


@dataclass(frozen=True, slots=True)
class Setting:
    """A number that a stage understands: its bounds, what it starts with, and its unit."""

    name: str
    low: float
    high: float
    start: float
    unit: str


@dataclass(frozen=True, slots=True)
class StageKind:
    """What a stage does, in plain words."""

    kind: str
    name: str
    help: str
    settings: tuple[Setting, ...]


STAGES: tuple[StageKind, ...] = (
    StageKind(
        "clicks",
        "Clicks",
        "draws clicks of the mouth anew where nothing lies beside them, and nothing else",
        (Setting("above", 8.0, 24.0, 12.0, "dB"),),
    ),
    StageKind(
        "plosives",
        "Plosives",
        "holds back the thump of p and b where it is stronger than the threshold",
        (Setting("threshold", -60.0, -10.0, -34.0, "dBFS"), Setting("most", 3.0, 24.0, 15.0, "dB")),
    ),
    StageKind(
        "rumble",
        "Rumble",
        "takes away what lies below the voice: traffic, knocks on the floor",
        (Setting("below", 20.0, 200.0, 80.0, "Hz"),),
    ),
    StageKind(
        "hum",
        "Hum",
        "takes out the mains and seven of its harmonics",
        (Setting("mains", 45.0, 65.0, 50.0, "Hz"),),
    ),
    StageKind(
        "steady",
        "Steady noise",
        "lowers a fan, hiss, what is left of a hum: beneath the words too",
        (Setting("most", 3.0, 18.0, 9.0, "dB"),),
    ),
    StageKind(
        "noise",
        "Noise between words",
        "lowers what is quieter than the threshold, twice as far as it lies below",
        (Setting("threshold", -80.0, -20.0, -50.0, "dBFS"),),
    ),
    StageKind(
        "levelling",
        "Levelling",
        "lifts quiet phrases and lowers loud ones, slowly, towards the reading so far",
        (Setting("most", 1.0, 9.0, 4.0, "dB"),),
    ),
    StageKind(
        "sibilance",
        "Sibilance",
        "holds back s and sh where they are sharper than the threshold",
        (Setting("threshold", -60.0, -10.0, -32.0, "dBFS"), Setting("most", 1.0, 18.0, 8.0, "dB")),
    ),
    StageKind(
        "compressor",
        "Compressor",
        "brings loud and quiet words nearer to one another",
        (Setting("threshold", -50.0, 0.0, -24.0, "dBFS"), Setting("ratio", 1.0, 8.0, 2.5, ": 1")),
    ),
    StageKind(
        "tone",
        "Tone",
        "warmth below 160 Hz, body around 350 Hz, presence around 3 kHz, air above 8 kHz",
        (
            Setting("warmth", -9.0, 9.0, 0.0, "dB"),
            Setting("body", -9.0, 9.0, 0.0, "dB"),
            Setting("presence", -9.0, 9.0, 0.0, "dB"),
            Setting("air", -9.0, 9.0, 0.0, "dB"),
        ),
    ),
)
"""In the order in which they work to start with: what is to be taken away goes before what lifts the quiet."""
STAGE_KINDS = tuple(one.kind for one in STAGES)
MOVABLE = ("levelling", "sibilance", "compressor", "tone")
"""Stages that may stand in another order among themselves. What cleans a voice stays before them."""


@dataclass(frozen=True, slots=True)
class Stage:
    """One stage of a chain.

    Attributes:
        kind: what it does.
        on: whether it works; switched off it stays in the chain with its settings.
        settings: numbers by name, as the stage understands them.
    """

    kind: str
    on: bool = True
    settings: Mapping[str, float] = field(default_factory=dict)

    def as_row(self) -> dict[str, Any]:
        """Plain values, in one order."""
        return {"kind": self.kind, "on": self.on, "settings": dict(sorted(self.settings.items()))}


@dataclass(frozen=True, slots=True)
class Chain:
    """Stages saved under a name. A chain of which nothing is on leaves the voice as it is."""

    name: str
    stages: tuple[Stage, ...] = ()

    @property
    def working(self) -> tuple[Stage, ...]:
        """The stages that are on."""
        return tuple(stage for stage in self.stages if stage.on)

    def as_row(self) -> dict[str, Any]:
        """Plain values."""
        return {"name": self.name, "stages": [stage.as_row() for stage in self.stages]}

    @staticmethod
    def from_row(row: Mapping[str, Any]) -> "Chain":
        """The chain that `as_row` gave."""
        stages = (Stage(one["kind"], bool(one["on"]), dict(one["settings"])) for one in row["stages"])
        return Chain(row["name"], tuple(stages))


PRODUCTION = "production"
"""The scope of a treatment that all lines have which have none of their own."""


def nearest(chains: Mapping[str, Chain], line: str, folder: str = "") -> Chain | None:
    """How a line is treated: its own chain, else that of the folder that its take lies in, else the production's; None: not
    at all. `chains` by scope: `line:` and `folder:` with an identity, `production`."""
    scopes = (f"line:{line}", f"folder:{folder}", PRODUCTION)
    return next((chains[scope] for scope in scopes if scope in chains), None)


def made(name: str, **on: Mapping[str, float]) -> Chain:
    """A chain of all stages; those that are named are on, with these settings and the usual ones."""
    stages = (
        Stage(one.kind, one.kind in on, {s.name: s.start for s in one.settings} | dict(on.get(one.kind, {})))
        for one in STAGES
    )
    return Chain(name, tuple(stages))


STARTS: tuple[Chain, ...] = (
    made("Plain", rumble={}),
    made("Low voice", rumble={"below": 60.0}, compressor={}, tone={"warmth": -1.5, "presence": 2.0, "air": 1.0}),
    made("High voice", rumble={"below": 100.0}, sibilance={}, compressor={}, tone={"warmth": 1.5, "presence": 0.5}),
    made("Noisy room", rumble={"below": 90.0}, hum={}, steady={}, noise={}, compressor={"threshold": -20.0, "ratio": 2.0}),
    made("Close microphone", rumble={"below": 90.0}, sibilance={"threshold": -34.0}, tone={"warmth": -3.0, "air": 1.5}),
)
"""Where to start from. None of them makes a voice louder: that is done by its level."""
