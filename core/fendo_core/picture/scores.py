"""How well cuts were found.

Conventions: `reference` first, then what was found, both as frame numbers at which a shot begins; counts, not shares, so
that films can be added up.
"""

from collections.abc import Sequence
from typing import NamedTuple


class CutScores(NamedTuple):
    """Counts over a film: cuts that are there, of these found, and found where none is."""

    there: int
    found: int
    false: int


def cut_scores(reference: Sequence[int], found: Sequence[int], near: int = 1) -> CutScores:
    """Compare cuts with those that are there.

    Args:
        reference: frames at which a shot begins.
        found: frames that were told.
        near: frames by which a cut may be off; for fades half their black.
    """
    hits = sum(any(abs(cut - told) <= near for told in found) for cut in reference)
    false = sum(not any(abs(cut - told) <= near for cut in reference) for told in found)
    return CutScores(len(reference), hits, false)
