"""How a voice is treated: named stages, each with its settings, in an order that makes sense."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any


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
