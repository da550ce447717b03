"""What is heard of the seams of a comp that sounds."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.voice.jumps import Jump, seam_jumps
from fendo_server.voice.sounding import Sounding

LISTENED_WHOLE, BESIDE_SEAM = 60 * SAMPLE_RATE, 15 * SAMPLE_RATE
"""Of a longer comp what lies beside each seam is listened to."""


def jumps_in(found: Sounding, places: Sequence[int]) -> list[Jump]:
    """What jumps at seams of a comp, all in its samples."""
    length = found.comp.length
    if length <= LISTENED_WHOLE:
        stretches = [(Span(0, length), places)] if places else []
    else:
        stretches = [(Span(max(0, at - BESIDE_SEAM), min(length, at + BESIDE_SEAM)), [at]) for at in places]
    return [
        replace(jump, at=span.start + jump.at)
        for span, inside in stretches
        for jump in seam_jumps(np.concatenate(list(found.blocks(span))), [at - span.start for at in inside])
    ]
