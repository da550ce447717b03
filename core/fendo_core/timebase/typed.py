"""A place of the programme as people type it: whole timecode, parts of it, running time, or so much on or back."""

import re

from fendo_core.timebase.rates import FrameRate
from fendo_core.timebase.samples import SAMPLE_RATE
from fendo_core.timebase.timecode import TimecodeError, parse_timecode

_HELP = "write it as 10:00:12:05, 10:00:12, 1:30 (from the beginning), +10 or -2:00 (from here), +5f (frames)"


def typed_position(text: str, rate: FrameRate, start_frame: int, length: int, now: int) -> int:
    """The programme sample that somebody means; always the first of a frame.

    Fields are parted by colons, points, commas or blanks, or by nothing. Four are a timecode; three are one without
    frames, or hours, minutes and seconds from the beginning where that lies in the programme and the timecode does not; two
    are minutes and seconds from the beginning, one is seconds. Without marks the last two digits of up to four are seconds,
    five or six are hours, minutes and seconds, seven or eight a whole timecode. A sign means from here; `f` frames.

    Args:
        start_frame: frames since midnight of the programme's first frame.
        length: samples of the programme.
        now: sample of the programme where it stands.

    Raises:
        TimecodeError: for anything else, and for a place before the beginning.
    """
    told = text.strip().casefold()
    sign, frames = told[:1] in ("+", "-"), told.endswith("f")
    body = told[1 if sign else 0 : -1 if frames else None].strip()
    fields = _fields(body, text)
    if frames:
        if len(fields) != 1:
            raise TimecodeError(f"“{text}” is no number of frames: {_HELP}")
        here = rate.frame_at(now) if sign else 0
        return _inside(rate.first_sample(max(0, here + (-fields[0] if told[0] == "-" else fields[0]))), text)
    if sign:
        by = _running(fields, rate, text)
        return _inside(rate.snap(max(0, now + (-by if told[0] == "-" else by))), text)
    if len(fields) < 3:
        return rate.snap(_running(fields, rate, text))
    places = [_coded(fields, rate, start_frame, text)]
    if len(fields) == 3:
        places.append(rate.snap(_running(fields, rate, text)))
    inside = [place for place in places if 0 <= place <= length] or [place for place in places if place >= 0]
    return _inside([*inside, *places][0], text)


def _fields(body: str, text: str) -> list[int]:
    if not re.fullmatch(r"\d+(?:[:;., ]\s*\d+)*", body) or len(body) > 20:
        raise TimecodeError(f"“{text}” is no place in time: {_HELP}")
    parts = re.split(r"[:;., ]\s*", body)
    if len(parts) == 1 and len(body) > 2:
        # From the right, two digits a field: 130 is 1:30, 100000 is 10:00:00.
        digits = body.zfill(len(body) + len(body) % 2)
        parts = [digits[n : n + 2] for n in range(0, len(digits), 2)]
    if len(parts) > 4:
        raise TimecodeError(f"“{text}” has more parts than a timecode: {_HELP}")
    return [int(part) for part in parts]


def _running(fields: list[int], rate: FrameRate, text: str) -> int:
    """Samples of so many hours, minutes, seconds, and frames where there are four."""
    frames = fields.pop() if len(fields) == 4 else 0
    if any(field > 59 for field in fields[1:]):
        raise TimecodeError(f"“{text}” has more than 59 seconds or minutes")
    seconds = 0
    for field in fields:
        seconds = seconds * 60 + field
    return seconds * SAMPLE_RATE + rate.first_sample(frames)


def _coded(fields: list[int], rate: FrameRate, start_frame: int, text: str) -> int:
    hours, minutes, seconds, frames = (*fields, 0) if len(fields) == 3 else fields
    mark = ";" if rate.drop else ":"
    try:
        frame = parse_timecode(f"{hours:02}:{minutes:02}:{seconds:02}{mark}{frames:02}", rate)
    except TimecodeError as error:
        raise TimecodeError(str(error).replace(str(error).partition("”")[0], f"“{text}", 1)) from error
    by = frame - start_frame
    return rate.first_sample(by) if by >= 0 else -rate.first_sample(-by)


def _inside(sample: int, text: str) -> int:
    if sample < 0:
        raise TimecodeError(f"“{text}” lies before the beginning of the programme")
    return sample
