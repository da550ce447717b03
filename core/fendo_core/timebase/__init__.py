"""Time in Fendo: integer samples of the programme at 48 kHz, exact frame rates, timecode at the edges only."""

from fendo_core.timebase.rates import FRAME_RATES, FrameRate
from fendo_core.timebase.samples import SAMPLE_RATE, Span, milliseconds, seconds_text, uncovered
from fendo_core.timebase.timecode import TimecodeError, format_timecode, parse_timecode
from fendo_core.timebase.typed import typed_position

__all__ = [
    "FRAME_RATES",
    "SAMPLE_RATE",
    "FrameRate",
    "Span",
    "TimecodeError",
    "format_timecode",
    "milliseconds",
    "parse_timecode",
    "seconds_text",
    "typed_position",
    "uncovered",
]
