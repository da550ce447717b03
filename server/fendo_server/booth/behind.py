"""How far an interpreter is behind the original that is laid under the picture: while it is read, and of a whole take."""

from collections.abc import Iterator

import numpy as np

from fendo_core.audio import pcm
from fendo_core.booth import delay
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_server.booth import growing
from fendo_server.productions import state
from fendo_server.productions.models import Production
from fendo_server.takes.making import original_sound
from fendo_server.takes.models import Take
from fendo_server.voice.reading import blocks_of

_BLOCK = 60 * SAMPLE_RATE


def so_far(take: Take, cue: int) -> int | None:
    """Samples by which the last minute and a half of a take that is being recorded is behind the original.

    None: there is no original, or it can't be told. `cue` is the sample of the take at which its line begins.
    """
    production = take.line.production
    if not _has_original(production):
        return None
    have = growing.on_disk(take.recording) // delay.FRAME * delay.FRAME
    start = max(0, have - delay.WINDOW)
    if have - start < delay.LEAST:
        return None
    at = (take.line.slot_start if take.cue is None else take.cue) or 0
    read = pcm.to_floats(pcm.to_integers(growing.samples_so_far(take, start, have - start)))
    original = delay.level_curve(_original(production, at - cue + start, len(read)))
    return delay.behind(original, delay.level_curve([read]))


def of_take(take: Take) -> delay.Delay | None:
    """How far a finished take was behind the original, where it was recorded; None as in `so_far`."""
    production, recording = take.line.production, take.recording
    length = take.last - take.first
    if not _has_original(production) or length < delay.LEAST:
        return None
    read = delay.level_curve(blocks_of(recording.path, _BLOCK, (take.first, take.last)))
    original = delay.level_curve(_original(production, recording.start + take.first, length))
    return delay.delay(original, read)


def _has_original(production: Production) -> bool:
    return production.laid.filter(original=True).exists()


def _original(production: Production, start: int, length: int) -> Iterator[np.ndarray]:
    """The original from a place of the programme on, which may lie before its beginning, block by block."""
    present = state.load(production, spoken=False)
    for first in range(start, start + length, _BLOCK):
        last = min(first + _BLOCK, start + length)
        before = min(max(0, -first), last - first)
        sound = original_sound(production, present, Span(max(0, first), last)) if last > max(0, first) else None
        found = np.zeros(last - first, np.float32)
        if sound is not None:
            found[before:] = sound
        yield found
