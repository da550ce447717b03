"""Something mended in a recording: it lies with the recording, so that every comp that uses the stretch gets it."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal, TypeAlias, get_args

import numpy as np
from numpy.typing import NDArray

from fendo_core.timebase import Span, milliseconds

RepairKind: TypeAlias = Literal["gain"]
REPAIR_KINDS: tuple[RepairKind, ...] = get_args(RepairKind)
RAMP = milliseconds(8)
"""A stretch gets louder or quieter within this: too short to hear as a fade, too long to click."""


@dataclass(frozen=True, slots=True)
class Repair:
    """A mend of one stretch of a recording.

    Attributes:
        span: samples of the recording.
        settings: `decibel` for a gain.
        on: switched off it is kept and does nothing.
    """

    id: str
    recording: str
    kind: RepairKind
    span: Span
    settings: Mapping[str, float] = field(default_factory=dict)
    on: bool = True

    def as_row(self) -> dict[str, Any]:
        """Plain values, without its identity."""
        return {
            "recording": self.recording,
            "kind": self.kind,
            "span": [self.span.start, self.span.end],
            "settings": dict(sorted(self.settings.items())),
            "on": self.on,
        }


def mended(samples: NDArray[np.float32], first: int, repairs: Iterable[Repair]) -> NDArray[np.float32]:
    """Samples of a recording with its repairs; nothing outside their spans is touched, bit for bit.

    Args:
        samples: mono, shape (n,), from sample `first` of the recording.
        repairs: those of this recording; which of them is done first does not matter.
    """
    here = Span(first, first + len(samples)) if len(samples) else None
    found = samples
    for repair in repairs:
        if here is None or not repair.on or not repair.span.meets(here):
            continue
        start, end = max(here.start, repair.span.start), min(here.end, repair.span.end)
        positions = np.arange(start, end)
        ramp = max(1, min(RAMP, repair.span.length // 2))
        edge = np.minimum(positions - repair.span.start + 1, repair.span.end - positions)
        depth = np.clip(edge / ramp, 0.0, 1.0) * repair.settings.get("decibel", 0.0)
        if found is samples:
            found = samples.copy()
        found[start - first : end - first] *= np.power(10.0, depth / 20.0).astype(np.float32)
    return found
