"""How a comp sounds: the one function that the player, the waveforms, the measures, the film and the files rest on.

The order is fixed: repairs of the recording, then the segments where they lie with their gains, fades and stretches, then
the treatment.
"""

from collections.abc import Callable, Iterator, Sequence
from functools import partial
from itertools import pairwise
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from fendo_core.audio.levels import gain
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.voice.chain import Chain
from fendo_core.voice.comp import Comp, RoomTone, Segment
from fendo_core.voice.repair import Repair, mended
from fendo_core.voice.stretch import stretched
from fendo_core.voice.tone import Lasting
from fendo_core.voice.treatment import ahead_of, treated_blocks

Sound: TypeAlias = NDArray[np.float32]
Read: TypeAlias = Callable[[str, int, int], Sound]
"""`read(recording, start, end)`: its mono samples start..end, shape (end - start,), full scale 1.0."""

BLOCK = 10 * SAMPLE_RATE
ALIKE = 0.5
"""Above this correlation two sides of a crossfade are one sound and their amplitudes are added up to one; below it their
powers are, as those of independent sounds add up."""


def render(
    comp: Comp, read: Read, span: Span | None = None, repairs: Sequence[Repair] = (), block: int = BLOCK
) -> Iterator[Sound]:
    """The sound of a comp, block after block; the samples do not depend on where blocks are cut.

    Args:
        comp: what is wanted. A treated one is always treated from its first sample on.
        read: gives the recordings' samples.
        span: samples of the comp (None: all of it).
        repairs: of any recordings; those of the ones that are used count.
        block: samples a block.
    """
    span = span or Span(0, comp.length)
    arranged = _Arranged(comp, read, repairs)
    if comp.treatment and comp.treatment.working:
        yield from _treated(comp.treatment, arranged, span, block)
        return
    for start in range(span.start, span.end, block):
        yield arranged.block(start, min(start + block, span.end))


def _treated(chain: Chain, arranged: "_Arranged", span: Span, block: int) -> Iterator[Sound]:
    # A stage may have to hear what comes behind the span.
    last = min(arranged.comp.length, span.end + ahead_of(chain))
    edges = [*range(0, span.start, block), *range(span.start, span.end, block), *range(span.end, last, block), last]
    blocks = (arranged.block(start, end) for start, end in pairwise(edges))
    for start, treated in zip(edges, treated_blocks(blocks, chain), strict=False):
        if span.start <= start < span.end:
            yield treated


def render_whole(comp: Comp, read: Read, repairs: Sequence[Repair] = ()) -> Sound:
    """The whole sound of a comp, shape (comp.length,)."""
    return np.concatenate(list(render(comp, read, repairs=repairs)))


class _Arranged:
    """Segments where they lie. What is costly and small is kept: stretched segments, and how alike crossfades are."""

    def __init__(self, comp: Comp, read: Read, repairs: Sequence[Repair]) -> None:
        self.comp, self._read = comp, read
        self._repairs = {name: [r for r in repairs if r.recording == name and r.sounds] for name in comp.recordings}
        self._stretched: dict[int, Sound] = {}
        self._alike: dict[int, bool] = {}
        self._tone: Lasting | None = None

    def source(self, recording: str, start: int, end: int) -> Sound:
        return mended(self._raw(recording, start, end), start, self._repairs[recording], partial(self._raw, recording))

    def _raw(self, recording: str, start: int, end: int) -> Sound:
        """Samples of a recording, silent before its first and behind its last."""
        before = max(0, -start)
        samples = self._read(recording, max(0, start), max(0, end))
        return np.pad(samples, (before, end - start - before - len(samples)))

    def segment(self, index: int, start: int, end: int) -> Sound:
        """Samples start..end of the comp out of one segment, without its fades."""
        one = self.comp.segments[index]
        if one.warp:
            if index not in self._stretched:
                whole = self.source(one.recording, one.source.start, one.source.end)
                self._stretched[index] = stretched(whole, [(a - one.source.start, b - one.at) for a, b in one.warp])
            samples = self._stretched[index][start - one.at : end - one.at]
        else:
            first = one.source.start - one.at
            samples = self.source(one.recording, start + first, end + first)
        return samples * np.float32(gain(one.gain)) if one.gain else samples

    def block(self, start: int, end: int) -> Sound:
        """Samples start..end of the comp."""
        mixed, filled = np.zeros(end - start, np.float32), np.zeros(end - start, bool)
        for index, one in enumerate(self.comp.segments):
            a, b = max(start, one.at), min(end, one.end)
            if b <= a:
                continue
            samples = self.segment(index, a, b)
            shape = self._shape(index, one, a, b)
            here = slice(a - start, b - start)
            mixed[here] += samples if shape is None else samples * shape
            filled[here] = True
        if self.comp.tone and not filled.all():
            tone = self._tone_at(self.comp.tone, start, end)
            mixed[~filled] = tone[~filled]
        return mixed

    def _shape(self, index: int, one: Segment, a: int, b: int) -> Sound | None:
        """The fades of a segment at samples a..b of the comp; None where there are none."""
        rising = one.fade_in and a < one.at + one.fade_in
        falling = one.fade_out and b > one.end - one.fade_out
        if not (rising or falling):
            return None
        positions, shape = np.arange(a, b), np.ones(b - a)
        if rising:
            share = np.clip((positions - one.at + 0.5) / one.fade_in, 0.0, 1.0)
            shape *= share if self._is_alike(index - 1) else np.sin(share * np.pi / 2)
        if falling:
            share = np.clip((one.end - positions - 0.5) / one.fade_out, 0.0, 1.0)
            shape *= share if self._is_alike(index) else np.sin(share * np.pi / 2)
        return shape.astype(np.float32)

    def _is_alike(self, seam: int) -> bool:
        """Whether the two sides of a seam are one sound, judged over the whole of their overlap. Alone: as if they were."""
        if seam not in self._alike:
            self._alike[seam] = True
            if 0 <= seam < len(self.comp.segments) - 1:
                one, other = self.comp.segments[seam], self.comp.segments[seam + 1]
                if other.at < one.end:
                    end = min(one.end, other.end)
                    x, y = self.segment(seam, other.at, end), self.segment(seam + 1, other.at, end)
                    power = float(np.sqrt(np.sum(x.astype(float) ** 2) * np.sum(y.astype(float) ** 2)))
                    self._alike[seam] = power > 0 and float(np.dot(x, y)) / power > ALIKE
        return self._alike[seam]

    def _tone_at(self, tone: RoomTone, start: int, end: int) -> Sound:
        """The room at samples start..end of the comp."""
        if self._tone is None:
            self._tone = Lasting(self.source(tone.recording, tone.span.start, tone.span.end))
        return self._tone(start, end)
