"""Lines that sound unlike those around them, as places to be mended: duller, or as recorded louder or quieter."""

from collections.abc import Sequence

import numpy as np

from fendo_core.polish.scan import Place, how_sure
from fendo_core.production.state import TakeRef
from fendo_core.takes.character import FEATURES, Sounded, differences, outstanding
from fendo_core.timebase import Span

_LEVEL, _TONE = (next(n for n, one in enumerate(FEATURES) if one.name == name) for name in ("level", "tone"))
MOST_LEVEL, MOST_AIR = 12.0, 6.0
"""dB by which a line is lifted or lowered at most, and brightened: what lacks more is best read again."""


def unlike_places(readings: Sequence[tuple[TakeRef, Sounded]], as_recorded: bool) -> list[tuple[str, Place]]:
    """Places of whole takes, each with its recording, spans in its samples.

    Args:
        readings: what stands for each line, in order.
        as_recorded: lines keep their levels. Where all are brought to one level none is louder than another.
    """
    sounded = [one for _, one in readings]
    by = differences(sounded)
    out, found = outstanding(sounded, by), list[tuple[str, Place]]()
    for (take, _), row in zip(readings, out, strict=True):
        span, level, tone = Span(take.first, max(take.last, take.first + 1)), float(row[_LEVEL]), float(row[_TONE])
        if as_recorded and not np.isnan(level):
            lifted = round(float(np.clip(-level, -MOST_LEVEL, MOST_LEVEL)), 1)
            found.append((take.recording, Place("level", span, _sure(level, _LEVEL), {"decibel": lifted, "by": level})))
        if tone < 0.0:
            air = round(min(MOST_AIR, -tone), 1)
            found.append((take.recording, Place("dull", span, _sure(tone, _TONE), {"decibel": air, "by": tone})))
    return found


def _sure(by: float, feature: int) -> float:
    least = FEATURES[feature].least
    return how_sure((abs(by) - least) / least)
