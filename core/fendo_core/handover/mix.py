"""The programme's sound: voices at their places, all other sound ducked under them.

Works block by block, so that two hours need no more memory than ten seconds.
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fendo_core.audio.ceiling import LATENCY, Ceiling
from fendo_core.audio.levels import gain
from fendo_core.picture.laid import CUT_FADE
from fendo_core.timebase import SAMPLE_RATE, Span

BLOCK = 10 * SAMPLE_RATE


@dataclass(frozen=True, slots=True)
class Ducking:
    """How beds give way: reached `fall` samples before the voice begins, and left over `rise` samples after it ends. Gaps
    shorter than `hold` samples stay ducked."""

    fall: int = SAMPLE_RATE * 3 // 10
    rise: int = SAMPLE_RATE * 8 // 10
    hold: int = SAMPLE_RATE


@dataclass(frozen=True, slots=True)
class Placed:
    """A voice at its place: `span` is where it sounds in the programme, `load(start, end)` gives its mono samples for
    programme samples start..end, float32, `gain` dB that it is louder."""

    span: Span
    load: Callable[[int, int], NDArray[np.float32]]
    gain: float = 0.0


@dataclass(frozen=True, slots=True)
class Bed:
    """Sound under the voice: `load(start, end)` gives its stereo samples, shape (n, 2), for samples start..end of the
    programme inside `span`.

    Attributes:
        depth: dB by which it gives way to the voice; 0: it does not.
        level: dB that it is louder.
        fades: samples in which it comes in and goes out, where it was cut.
    """

    span: Span
    load: Callable[[int, int], NDArray[np.float32]]
    depth: float = 0.0
    level: float = 0.0
    fades: tuple[int, int] = (0, 0)


def bed_block(block: Span, beds: Sequence[Bed], ducked: NDArray[np.float64]) -> NDArray[np.float32]:
    """All beds of a block, stereo, shape (block.length, 2); `ducked` tells how far those that give way do it, 0..1."""
    mixed = np.zeros((block.length, 2), dtype=np.float32)
    for bed in beds:
        if not bed.span.meets(block):
            continue
        start, end = max(block.start, bed.span.start), min(block.end, bed.span.end)
        here = slice(start - block.start, end - block.start)
        shape = _edges(bed.span, start, end, bed.fades) * gain(bed.level)
        if bed.depth:
            shape *= np.power(10.0, ducked[here] * bed.depth / 20.0)
        mixed[here] += bed.load(start, end) * shape.astype(np.float32)[:, None]
    return mixed


def _edges(span: Span, start: int, end: int, fades: tuple[int, int]) -> NDArray[np.float64]:
    """The factors of samples start..end of something that comes in and goes out at the ends of its span."""
    shape = np.ones(end - start)
    rise, fall = fades
    if rise and start < span.start + rise:
        head = min(end, span.start + rise)
        shape[: head - start] *= np.clip((np.arange(start, head) - span.start) / rise, 0.0, 1.0)
    if fall and end > span.end - fall:
        tail = max(start, span.end - fall)
        shape[tail - start :] *= np.clip((span.end - np.arange(tail, end)) / fall, 0.0, 1.0)
    return shape


def duck_points(voice: Sequence[Span], ducking: Ducking) -> list[tuple[int, float]]:
    """How far beds give way over time, as (programme sample, 0..1) in order, straight lines between; 0 outside of them.

    Where a bed has no time to come back between two stretches of voice, it turns where both slopes meet. The player does
    the same: `web/src/engine/ducking.cases.json` is run by both.
    """
    fall, rise = max(1, ducking.fall), max(1, ducking.rise)
    points: list[tuple[int, float]] = []
    for span in _joined(voice, ducking.hold):
        if points and points[-2][0] + rise > span.start - fall:
            ended = points[-2][0]
            points.pop()
            turn = ended + (span.start - ended) * rise // (fall + rise)
            lowest = max(1.0 - (turn - ended) / rise, 1.0 - (span.start - turn) / fall)
            points.append((turn, round(lowest, 9)))
        else:
            points.append((span.start - fall, 0.0))
        points += [(span.start, 1.0), (span.end, 1.0), (span.end + rise, 0.0)]
    return points


def ducked(block: Span, points: Sequence[tuple[int, float]]) -> NDArray[np.float64]:
    """How far beds give way at each sample of a block, shape (block.length,), wherever blocks are cut."""
    if not points:
        return np.zeros(block.length)
    at, amount = np.array(points).T
    found: NDArray[np.float64] = np.interp(np.arange(block.start, block.end), at, amount, left=0.0, right=0.0)
    return found


def _joined(spans: Sequence[Span], hold: int) -> list[Span]:
    joined: list[Span] = []
    for span in sorted(spans):
        if joined and span.start - joined[-1].end < hold:
            joined[-1] = Span(joined[-1].start, max(joined[-1].end, span.end))
        else:
            joined.append(span)
    return joined


def voice_block(block: Span, placed: Sequence[Placed], until: int | None = None) -> NDArray[np.float32]:
    """All voices of a block, mono, shape (block.length,), each with short fades at its ends.

    Args:
        until: where the programme ends; a voice that goes on goes out there.
    """
    mixed = np.zeros(block.length, dtype=np.float32)
    for voice in placed:
        if not voice.span.meets(block):
            continue
        last = voice.span.end if until is None else min(voice.span.end, until)
        sounds = Span(voice.span.start, max(last, voice.span.start + 1))
        start, end = max(block.start, sounds.start), min(block.end, sounds.end)
        if end <= start:
            continue
        fade = min(CUT_FADE, sounds.length // 2)
        shape = _edges(sounds, start, end, (fade, fade)) * gain(voice.gain)
        mixed[start - block.start : end - block.start] += voice.load(start, end) * shape.astype(np.float32)
    return mixed


def voice_blocks(length: int, placed: Sequence[Placed]) -> Iterator[NDArray[np.float32]]:
    """All voices of a programme of `length` samples as they are, in blocks of `BLOCK` samples, mono, shape (n,)."""
    for start in range(0, length, BLOCK):
        yield voice_block(Span(start, min(start + BLOCK, length)), placed, length)


def mixdown(
    length: int,
    placed: Sequence[Placed],
    voice: Sequence[Span],
    beds: Sequence[Bed] = (),
    ducking: Ducking | None = None,
    ceiling: Ceiling | None = None,
) -> Iterator[NDArray[np.float32]]:
    """The programme's sound in blocks of `BLOCK` samples, stereo, shape (n, 2).

    Args:
        length: samples of the programme.
        placed: the voices.
        voice: programme spans where somebody speaks; beds give way there.
        beds: what sounds under the voice.
        ducking: how fast they give way.
        ceiling: what no true peak passes (None: -1 dBTP); afterwards it tells how much it had to do.
    """
    points, ceiling = duck_points(voice, ducking or Ducking()), ceiling or Ceiling()
    late = LATENCY
    for start in range(0, length + late, BLOCK):
        block = Span(start, min(start + BLOCK, length + late))
        mixed = np.zeros((block.length, 2), np.float32)
        inside = min(block.end, length) - start
        if inside > 0:
            sounding = Span(start, start + inside)
            mixed[:inside] = np.repeat(voice_block(sounding, placed, length)[:, None], 2, axis=1)
            if beds:
                mixed[:inside] += bed_block(sounding, beds, ducked(sounding, points))
        # The ceiling looks ahead: what comes out first is from before the programme.
        out = ceiling(mixed)
        yield out if start else out[late:]
