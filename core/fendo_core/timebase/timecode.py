"""Timecode (SMPTE ST 12-1) spoken and read at the edges: HH:MM:SS:FF, with `;` before FF for drop-frame."""

import re

from fendo_core.timebase.rates import FrameRate

_SHAPE = re.compile(r"^(\d{1,2}):(\d{2}):(\d{2})([:;])(\d{2})$")


class TimecodeError(ValueError):
    """A text that is no timecode at this rate; the message says why."""


def _dropped(rate: FrameRate) -> int:
    """Frame numbers left out at each minute that does not divide by ten: 2 at 29.97, 4 at 59.94, else none."""
    return rate.nominal // 15 if rate.drop else 0


def format_timecode(frame: int, rate: FrameRate) -> str:
    """Frame count since midnight as timecode; counts past 24 h begin again at 00:00:00:00.

    Drop-frame renumbering after SMPTE ST 12-1: no picture is dropped, only numbers.
    """
    nominal, drop = rate.nominal, _dropped(rate)
    minute = nominal * 60 - drop
    ten_minutes = minute * 10 + drop
    frame %= ten_minutes * 6 * 24
    if drop:
        tens, rest = divmod(frame, ten_minutes)
        # The first minute of ten keeps all its numbers.
        frame += drop * 9 * tens + (drop * ((rest - drop) // minute) if rest >= drop else 0)
    seconds, frames = divmod(frame, nominal)
    minutes, seconds = divmod(seconds, 60)
    hours, minutes = divmod(minutes, 60)
    return f"{hours:02}:{minutes:02}:{seconds:02}{';' if drop else ':'}{frames:02}"


def parse_timecode(text: str, rate: FrameRate) -> int:
    """Timecode as a frame count since midnight. `;` and `:` are both read before the frames.

    Raises:
        TimecodeError: for another shape, a part out of range, or a number that drop-frame leaves out.
    """
    match = _SHAPE.match(text.strip())
    if not match:
        raise TimecodeError(f"“{text}” is no timecode: write hours:minutes:seconds:frames, as in 10:00:00:00")
    hours, minutes, seconds, frames = (int(match[i]) for i in (1, 2, 3, 5))
    nominal, drop = rate.nominal, _dropped(rate)
    if hours > 23 or minutes > 59 or seconds > 59 or frames >= nominal:
        raise TimecodeError(f"“{text}” has a part that is too large at {rate.text} frames a second")
    if drop and frames < drop and seconds == 0 and minutes % 10:
        raise TimecodeError(f"“{text}” does not exist: drop-frame counting leaves this number out")
    whole_minutes = hours * 60 + minutes
    return (whole_minutes * 60 + seconds) * nominal + frames - drop * (whole_minutes - whole_minutes // 10)
