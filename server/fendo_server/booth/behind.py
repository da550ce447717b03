"""How far an interpreter is behind the original that is laid under the picture: while it is read, and of a whole take."""

import numpy as np
from numpy.typing import NDArray

from fendo_core.audio import pcm
from fendo_core.booth import delay
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_server.booth import recording_now
from fendo_server.productions.state import laid_sounds
from fendo_server.takes.making import original_sound
from fendo_server.takes.models import Take
from fendo_server.voice.reading import blocks_of

_BLOCK = 60 * SAMPLE_RATE


def so_far(take: Take, cue: int) -> int | None:
    """Samples by which the last minute and a half of a take that is being recorded is behind the original.

    None: there is no original, or it can't be told. `cue` is the sample of the take at which its line begins.
    """
    have = recording_now.on_disk(take.recording) // delay.FRAME * delay.FRAME
    start = max(0, have - delay.WINDOW)
    at = (take.line.slot_start if take.cue is None else take.cue) or 0
    original = _original(take, at - cue + start, have - start)
    if original is None:
        return None
    read = pcm.to_floats(pcm.to_integers(recording_now.samples_so_far(take, start, have - start)))
    return delay.behind(original, delay.level_curve([read]))


def of_take(take: Take) -> delay.Delay | None:
    """How far a finished take was behind the original, where it was recorded; None as in `so_far`."""
    recording = take.recording
    original = _original(take, recording.start + take.first, take.last - take.first)
    if original is None:
        return None
    return delay.delay(original, delay.level_curve(blocks_of(recording.path, _BLOCK, (take.first, take.last))))


def _original(take: Take, start: int, length: int) -> NDArray[np.float64] | None:
    """Levels of the original from a place of the programme on, which may lie before its beginning.

    None: there is none, or it is too short to tell anything.
    """
    production = take.line.production
    laid = laid_sounds(production, original=True) if length >= delay.LEAST else ()
    if not laid:
        return None
    starts = range(start, start + length, _BLOCK)
    spans = [Span(first, min(first + _BLOCK, start + length)) for first in starts]
    found = ((original_sound(production, laid, span), span.length) for span in spans)
    return delay.level_curve(np.zeros(size, np.float32) if sound is None else sound for sound, size in found)
