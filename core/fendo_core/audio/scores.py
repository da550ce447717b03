"""How well speech was found: what is known of sounds against what was heard in them."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds


@dataclass(frozen=True, slots=True)
class SpeechScores:
    """Shares of 1 over sounds in which somebody speaks (`starts_off`, `ends_off`: not within the tolerance, or not found
    at all; `silent`: not found), and over the others (`false`: speech was found). `start_p95`, `end_p95` are errors in
    seconds, `worst` the largest of either."""

    starts_off: float
    ends_off: float
    silent: float
    false: float
    start_p95: float
    end_p95: float
    worst: float


def score_speech(
    reference: Sequence[Span | None], estimated: Sequence[Span | None], tolerance: int = milliseconds(80)
) -> SpeechScores:
    """Score the span from the first to the last word of each sound; None means that nobody speaks.

    Args:
        reference: what is true, in samples at 48 kHz.
        estimated: what was heard, in the same order.
        tolerance: samples by which a start or an end may be off.

    Raises:
        ValueError: the two do not belong together.
    """
    if len(reference) != len(estimated):
        raise ValueError(f"{len(reference)} sounds are known, {len(estimated)} were heard")
    pairs = [(known, heard) for known, heard in zip(reference, estimated, strict=True) if known]
    without = [heard for known, heard in zip(reference, estimated, strict=True) if not known]
    found = np.array([(h.start - k.start, h.end - k.end) for k, h in pairs if h], np.int64).reshape(-1, 2)
    missed, off = len(pairs) - len(found), np.abs(found)
    speaking = max(1, len(pairs))
    p95 = np.percentile(off, 95, axis=0) / SAMPLE_RATE if len(off) else np.zeros(2)
    return SpeechScores(
        starts_off=(int(np.count_nonzero(off[:, 0] > tolerance)) + missed) / speaking,
        ends_off=(int(np.count_nonzero(off[:, 1] > tolerance)) + missed) / speaking,
        silent=missed / speaking,
        false=sum(heard is not None for heard in without) / max(1, len(without)),
        start_p95=float(p95[0]),
        end_p95=float(p95[1]),
        worst=float(off.max(initial=0)) / SAMPLE_RATE,
    )
