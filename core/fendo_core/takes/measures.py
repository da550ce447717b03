"""A take in numbers, and the few words that matter when choosing."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fendo_core.audio import levels, speech
from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds, seconds_text

ON_CUE = milliseconds(80)
"""A start this near to the slot's is on cue: two frames at 25, less than a listener notices against picture."""


@dataclass(frozen=True, slots=True)
class Measures:
    """Of a recording alone: `speech` in samples of the recording (None: nobody speaks), levels in dBFS, dBTP and LUFS,
    `clipped` stretches of flat tops, `noise` floor in dBFS."""

    length: int
    speech: Span | None
    phrases: tuple[Span, ...]
    peak: float
    true_peak: float
    loudness: float | None
    noise: float
    clipped: tuple[Span, ...]


def measure(samples: NDArray[np.float32]) -> Measures:
    """Measure a take's recording: mono float samples at 48 kHz, shape (n,)."""
    level = levels.measure(samples)
    spoken = speech.phrases(samples)
    return Measures(
        length=len(samples),
        speech=Span(spoken[0].start, spoken[-1].end) if spoken else None,
        phrases=spoken,
        peak=round(level.peak, 2),
        true_peak=round(level.true_peak, 2),
        loudness=None if level.loudness is None else round(level.loudness, 2),
        noise=round(speech.noise_floor(samples), 1),
        clipped=level.clipped,
    )


@dataclass(frozen=True, slots=True)
class Judgement:
    """A take against its slot. Positive `late` and `past_end` are samples after the slot's start and end; `faults` are
    in the order in which they matter."""

    late: int | None
    past_end: int | None
    faults: tuple[str, ...]
    remarks: tuple[str, ...]


def judge(speech_span: Span | None, start: int, slot: Span | None, clipped: int, cut_off: bool = False) -> Judgement:
    """Say what is wrong and what is right with a take.

    Args:
        speech_span: spoken part, in samples of the recording.
        start: programme sample of the recording's first sample.
        slot: the line's slot, or None (wild).
        clipped: number of clipped places.
        cut_off: the recording ended by a fault, not by the reader.
    """
    faults, remarks = [], []
    if cut_off:
        faults.append("cut off")
    if speech_span is None:
        return Judgement(None, None, (*faults, "silent: nobody speaks"), ())
    if clipped:
        faults.append(f"clipped at {clipped} place{'s' if clipped != 1 else ''}")
    late = past_end = None
    if slot is not None:
        late = speech_span.start + start - slot.start
        past_end = speech_span.end + start - slot.end
        if abs(late) <= ON_CUE:
            remarks.append("on cue")
        else:
            faults.append(f"{seconds_text(abs(late), 2)} s {'late' if late > 0 else 'early'}")
        if past_end > 0:
            faults.append(
                f"{seconds_text(past_end)} s past the end of the slot"
                if past_end >= SAMPLE_RATE // 20
                else "ends with the slot"
            )
        else:
            remarks.append("inside its slot")
    return Judgement(late, past_end, tuple(faults), tuple(remarks))


BEFORE_SPEECH = milliseconds(350)
AFTER_SPEECH = milliseconds(450)


def heard(speech_span: Span | None, start: int, length: int) -> Span:
    """The part of the programme in which a picked take sounds: its speech with breath before and tail after, not its
    whole handles, so that neighbouring lines do not add up their room noise.

    Args:
        speech_span: spoken part in samples of the recording (None: the whole recording sounds).
        start: programme sample of the recording's first sample.
        length: samples of the recording.
    """
    if speech_span is None:
        return Span(start, start + length)
    first = max(0, speech_span.start - BEFORE_SPEECH)
    last = min(length, speech_span.end + AFTER_SPEECH)
    return Span(start + first, start + last)
