"""Something mended in a recording: it lies with the recording, so that every comp that uses the stretch gets it."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal, TypeAlias, get_args

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import solve_toeplitz
from scipy.signal import butter, sosfiltfilt

from fendo_core.audio.levels import flat_tops
from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds

Sound: TypeAlias = NDArray[np.float32]

RepairKind: TypeAlias = Literal[
    "gain", "breath", "noise", "level", "seam",
    "click", "plosive", "rumble", "clipped",
    "gap", "false start", "put in", "hum", "dull",
]  # fmt: skip
REPAIR_KINDS: tuple[RepairKind, ...] = get_args(RepairKind)
"""The last five mend nothing: switched off, they say that somebody heard the place and left it as it is."""
LOUDER: frozenset[RepairKind] = frozenset({"gain", "breath", "noise", "level", "seam"})
"""Kinds that make a stretch louder or quieter."""
REDRAWN: frozenset[RepairKind] = frozenset({"click", "plosive", "rumble", "clipped"})
"""Kinds that put other samples in its place."""

RAMP = milliseconds(8)
"""A stretch gets louder or quieter within this: too short to hear as a fade, too long to click."""
CONTEXT = milliseconds(250)
"""Samples on either side of a stretch that its mend looks at."""
LONGEST_CLICK = milliseconds(12)
LONGEST_RUMBLE = LONGEST_CLIPPED = milliseconds(4_000)
_ORDER = 48
_THUMP = 140.0
"""Hz below which a plosive's thump is taken away, and rumble."""
BESIDE_TOPS = RAMP + milliseconds(2)
"""A clipped stretch reaches so far beyond its tops: within that it is lowered, where they would not fit."""
LONGEST_TOP = milliseconds(2)
"""A flat top that lasts longer can't be told from what lies beside it."""
MOST_LOWERED = 3.0
"""dB."""
_FULL = 0.985
"""Where the highest of rebuilt tops comes to lie, if it would lie above."""


@dataclass(frozen=True, slots=True)
class Repair:
    """A mend of one stretch of a recording.

    Attributes:
        span: samples of the recording.
        settings: `decibel` for what is made louder or quieter.
        on: switched off it is kept and does nothing.
    """

    id: str
    recording: str
    kind: RepairKind
    span: Span
    settings: Mapping[str, float] = field(default_factory=dict)
    on: bool = True

    @property
    def sounds(self) -> bool:
        """Whether the recording sounds other with it."""
        return self.on and (self.kind in LOUDER or self.kind in REDRAWN)

    def as_row(self) -> dict[str, Any]:
        """Plain values, without its identity."""
        return {
            "recording": self.recording,
            "kind": self.kind,
            "span": [self.span.start, self.span.end],
            "settings": dict(sorted(self.settings.items())),
            "on": self.on,
        }

    @staticmethod
    def from_row(key: str, row: Mapping[str, Any]) -> "Repair":
        """The repair that `as_row` gave."""
        return Repair(key, row["recording"], row["kind"], Span(*row["span"]), dict(row["settings"]), bool(row["on"]))


def mended(samples: Sound, first: int, repairs: Iterable[Repair], raw: Callable[[int, int], Sound] | None = None) -> Sound:
    """Samples of a recording with its repairs; nothing outside their spans is touched, bit for bit.

    Args:
        samples: mono, shape (n,), from sample `first` of the recording.
        repairs: those of this recording; which of them is done first does not matter.
        raw: gives other samples of the recording, silent outside of it: what a mend looks at may lie beside the block.
            None: there is nothing beside these.
    """
    here = Span(first, first + len(samples)) if len(samples) else None
    wanted = [one for one in repairs if here and one.sounds and one.span.meets(here)]
    if here is None or not wanted:
        return samples
    found = samples.copy()
    for one in sorted(wanted, key=lambda each: (each.kind in LOUDER, each.span, each.id)):
        start, end = max(here.start, one.span.start), min(here.end, one.span.end)
        part = slice(start - first, end - first)
        if one.kind in REDRAWN:
            drawn = redrawn(one, raw or _padded(samples, first))
            found[part] = drawn[start - one.span.start : end - one.span.start]
            continue
        positions = np.arange(start, end)
        ramp = max(1, min(RAMP, one.span.length // 2))
        edge = np.minimum(positions - one.span.start + 1, one.span.end - positions)
        depth = np.clip(edge / ramp, 0.0, 1.0) * one.settings.get("decibel", 0.0)
        found[part] *= np.power(10.0, depth / 20.0).astype(np.float32)
    return found


def _padded(samples: Sound, first: int) -> Callable[[int, int], Sound]:
    def raw(start: int, end: int) -> Sound:
        a, b = max(start, first), min(end, first + len(samples))
        inner = samples[a - first : b - first] if b > a else np.zeros(0, np.float32)
        return np.pad(inner, (max(0, a - start), end - start - max(0, a - start) - len(inner)))

    return raw


def redrawn(repair: Repair, raw: Callable[[int, int], Sound]) -> Sound:
    """What a click, a plosive, rumble or a clipped stretch is replaced by, shape (span.length,)."""
    span = repair.span
    if repair.kind == "clipped":
        return rebuilt(raw(span.start - CONTEXT, span.end + CONTEXT), CONTEXT, span.length)
    if repair.kind == "click":
        around = raw(span.start - CONTEXT // 4, span.end + CONTEXT // 4)
        return interpolated(around, CONTEXT // 4, span.length)
    around = raw(span.start - CONTEXT, span.end + CONTEXT)
    low = sosfiltfilt(butter(2, _THUMP, "low", fs=SAMPLE_RATE, output="sos"), around.astype(np.float64))
    ramp = max(1, min(2 * RAMP, span.length // 2))
    at = np.arange(span.length)
    share = 0.5 - 0.5 * np.cos(np.pi * np.clip(np.minimum(at + 1, span.length - at) / ramp, 0.0, 1.0))
    inner = slice(CONTEXT, CONTEXT + span.length)
    without: Sound = (around[inner] - share * low[inner]).astype(np.float32)
    return without


def rebuilt(around: Sound, before: int, length: int) -> Sound:
    """`length` samples from sample `before` of `around` on, with their flat tops drawn from what lies beside them.

    Where the highest does not fit below full scale the whole stretch is lowered until it does, by ramps, but by no more
    than `MOST_LOWERED`: a voice that gets much quieter for a word sounds worse than one that is clipped.
    """
    inner = with_tops(around, before, length)
    peak = float(np.max(np.abs(inner), initial=0.0))
    if peak <= _FULL:
        return inner
    lowered = max(_FULL / peak, 10.0 ** (-MOST_LOWERED / 20.0))
    ramp = max(1, min(RAMP, length // 3))
    at = np.arange(length)
    share = np.clip(np.minimum(at + 1, length - at) / ramp, 0.0, 1.0)
    found: Sound = np.clip(inner * (1.0 - share * (1.0 - lowered)), -1.0, 1.0).astype(np.float32)
    return found


def with_tops(around: Sound, before: int, length: int) -> Sound:
    """The same without being lowered: what is drawn may lie above full scale, and never below the flat top."""
    found, reach = around.copy(), CONTEXT // 4
    for top in flat_tops(around[before : before + length], likely=True):
        start, count = top.start + before, top.length
        if count > LONGEST_TOP or start < 8:
            continue
        a, b = max(0, start - reach), min(len(found), start + count + reach)
        drawn = interpolated(found[a:b], start - a, count)
        flat = around[start : start + count]
        found[start : start + count] = np.sign(flat) * np.maximum(np.abs(flat), np.sign(flat) * drawn)
    return found[before : before + length]


def interpolated(around: Sound, before: int, length: int) -> Sound:
    """`length` samples from sample `before` of `around` on, drawn from what lies on both sides.

    Autoregressive interpolation (Janssen, Veldhuis and Vries, 1986), one pass: the samples that leave the least error of a
    prediction of order 48, whose coefficients are those of both sides.
    """
    sound = around.astype(np.float64)
    order = min(_ORDER, max(2, before // 8))
    sides = [sound[:before], sound[before + length :]]
    correlation = np.zeros(order + 1)
    for side in sides:
        shaped = side * np.hanning(len(side))
        for lag in range(order + 1):
            correlation[lag] += float(np.dot(shaped[: len(shaped) - lag], shaped[lag:]))
    if correlation[0] <= 1e-12:
        return np.zeros(length, np.float32)
    correlation[0] *= 1.0 + 1e-6
    taps = np.concatenate(([1.0], -solve_toeplitz(correlation[:order], correlation[1:])))
    own = np.array([np.dot(taps[: order + 1 - lag], taps[lag:]) for lag in range(order + 1)])
    # Of the error's derivative to each missing sample: what the missing ones weigh, and what the known ones ask.
    lags = np.abs(np.subtract.outer(np.arange(length), np.arange(length)))
    weights = np.where(lags <= order, own[np.minimum(lags, order)], 0.0)
    asked = np.zeros(length)
    for at in range(length):
        for lag in range(-order, order + 1):
            place = before + at + lag
            if 0 <= place < len(sound) and not before <= place < before + length:
                asked[at] -= own[abs(lag)] * sound[place]
    drawn: Sound = np.linalg.solve(weights + 1e-9 * np.eye(length), asked).astype(np.float32)
    return drawn
