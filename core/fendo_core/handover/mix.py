"""The programme's sound: picked readings at their places, the film's own sound lowered under them.

Works block by block, so that two hours need no more memory than ten seconds.
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fendo_core.audio.levels import gain
from fendo_core.timebase import SAMPLE_RATE, Span

BLOCK = 10 * SAMPLE_RATE


@dataclass(frozen=True, slots=True)
class Ducking:
    """How the bed gives way: `depth` dB under the voice, reached `fall` samples before it begins, and left over `rise`
    samples after it ends. Gaps shorter than `hold` samples stay lowered."""

    depth: float = -12.0
    fall: int = SAMPLE_RATE * 3 // 10
    rise: int = SAMPLE_RATE * 8 // 10
    hold: int = SAMPLE_RATE


@dataclass(frozen=True, slots=True)
class Placed:
    """A picked reading: `heard` is the part of the programme where it sounds, `load(start, end)` gives its mono samples
    for programme samples start..end, float32."""

    heard: Span
    load: Callable[[int, int], NDArray[np.float32]]
    fade: int = SAMPLE_RATE // 200


@dataclass(frozen=True, slots=True)
class Bed:
    """Sound under the voice: `load(start, end)` gives its stereo samples, shape (n, 2), for samples start..end of the
    programme inside `span`.

    Attributes:
        lowered: it gives way to the voice.
        level: dB that it is louder.
        fades: samples in which it comes in and goes out, where it was cut.
    """

    span: Span
    load: Callable[[int, int], NDArray[np.float32]]
    lowered: bool = True
    level: float = 0.0
    fades: tuple[int, int] = (0, 0)


CUT_FADE = SAMPLE_RATE // 200
"""A sound that was cut comes in and goes out within 5 ms: long enough not to click."""


def bed_block(block: Span, beds: Sequence[Bed], envelope: NDArray[np.float32]) -> NDArray[np.float32]:
    """All beds of a block, stereo, shape (block.length, 2); `envelope` is what those that give way are multiplied by."""
    mixed = np.zeros((block.length, 2), dtype=np.float32)
    for bed in beds:
        if not bed.span.meets(block):
            continue
        start, end = max(block.start, bed.span.start), min(block.end, bed.span.end)
        positions, here = np.arange(start, end), slice(start - block.start, end - block.start)
        shape = np.full(end - start, gain(bed.level), dtype=np.float32)
        for fade, inside in zip(bed.fades, (positions - bed.span.start, bed.span.end - 1 - positions), strict=True):
            if fade:
                shape *= np.clip((inside + 1) / fade, 0.0, 1.0).astype(np.float32)
        if bed.lowered:
            shape *= envelope[here]
        mixed[here] += bed.load(start, end) * shape[:, None]
    return mixed


def duck_envelope(block: Span, voice: Sequence[Span], ducking: Ducking) -> NDArray[np.float32]:
    """The bed's factor for each sample of `block`, shape (block.length,); dB change linearly on the slopes.

    The envelope of a sample does not depend on where the blocks are cut.
    """
    amount = np.zeros(block.length)
    positions = np.arange(block.start, block.end)
    for span in _joined(voice, ducking.hold):
        reach = Span(span.start - ducking.fall, span.end + ducking.rise)
        if not reach.meets(block):
            continue
        falling = (positions - reach.start) / ducking.fall
        rising = (reach.end - positions) / ducking.rise
        amount = np.maximum(amount, np.clip(np.minimum(falling, rising), 0.0, 1.0))
    return np.power(10.0, amount * ducking.depth / 20.0).astype(np.float32)


def _joined(spans: Sequence[Span], hold: int) -> list[Span]:
    joined: list[Span] = []
    for span in sorted(spans):
        if joined and span.start - joined[-1].end < hold:
            joined[-1] = Span(joined[-1].start, max(joined[-1].end, span.end))
        else:
            joined.append(span)
    return joined


def voice_block(block: Span, placed: Sequence[Placed]) -> NDArray[np.float32]:
    """All readings of a block, mono, shape (block.length,), each with short fades at its ends."""
    mixed = np.zeros(block.length, dtype=np.float32)
    for reading in placed:
        if not reading.heard.meets(block):
            continue
        start, end = max(block.start, reading.heard.start), min(block.end, reading.heard.end)
        samples = reading.load(start, end)
        positions = np.arange(start, end)
        fade = max(1, min(reading.fade, reading.heard.length // 2))
        edge = np.minimum(positions - reading.heard.start + 1, reading.heard.end - positions)
        mixed[start - block.start : end - block.start] += samples * np.clip(edge / fade, 0.0, 1.0).astype(np.float32)
    return mixed


def mixdown(
    length: int,
    placed: Sequence[Placed],
    voice: Sequence[Span],
    beds: Sequence[Bed] = (),
    ducking: Ducking | None = None,
    ceiling: float = -1.0,
) -> Iterator[NDArray[np.float32]]:
    """The programme's sound in blocks of `BLOCK` samples, stereo, shape (n, 2).

    Args:
        length: samples of the programme.
        placed: the picked readings.
        voice: programme spans where somebody speaks; the bed is lowered there.
        beds: what sounds under the voice.
        ducking: how far and how fast it gives way.
        ceiling: sample peak in dBFS that the sum never passes: what would is bent softly above 3 dB below it.
    """
    ducking = ducking or Ducking()
    for start in range(0, length, BLOCK):
        block = Span(start, min(start + BLOCK, length))
        mixed = np.repeat(voice_block(block, placed)[:, None], 2, axis=1)
        if beds:
            mixed += bed_block(block, beds, duck_envelope(block, voice, ducking))
        yield _soft_ceiling(mixed, gain(ceiling))


def _soft_ceiling(samples: NDArray[np.float32], ceiling: float) -> NDArray[np.float32]:
    """Samples above 0.7 of the ceiling bent by tanh so that none passes it; what lies below is untouched."""
    knee = 0.7 * ceiling
    over = np.abs(samples) > knee
    if not np.any(over):
        return samples
    room = ceiling - knee
    bent = np.sign(samples) * (knee + room * np.tanh((np.abs(samples) - knee) / room))
    return np.where(over, bent, samples).astype(np.float32)
