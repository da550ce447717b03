"""Times as people write them: timecodes, running times, bare numbers. What is ambiguous is weighed by the words, asked."""

import math
import re
import statistics
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal, TypeAlias

from fendo_core.script.intake.inquiry import Inquiry
from fendo_core.timebase import SAMPLE_RATE, FrameRate, Span, TimecodeError, parse_timecode

Shape: TypeAlias = Literal["three", "hundredths", "two", "decimal", "whole"]
"""How a time looks that may mean several things."""
Written: TypeAlias = tuple[str, str, str]
"""A time as it is written, where it ends (or ""), and the words that are said then."""

LETTERS_A_SECOND = 15.0
"""Of a usual reading, with its pauses."""
SHORTEST_SECONDS = 0.8
_FOUR = re.compile(r"(\d{1,2})[:.](\d{2})[:.](\d{2})([:;.])(\d{2})")
_THREE = re.compile(r"(\d{1,3}):(\d{1,2}):(\d{1,2})(?:[.,](\d{1,6}))?")
_TWO = re.compile(r"(\d{1,3}):(\d{1,2})(?:[.,](\d{1,6}))?")
_DECIMAL = re.compile(r"(\d{1,6})[.,](\d{1,6})")
_WHOLE = re.compile(r"\d{1,8}")
_UNITS = re.compile(
    r"(?:(\d{1,3})\s*(?:h|hrs?|std)\.?\s*)?(?:(\d{1,4})\s*(?:m|min|mins|['′’])\.?\s*)?"
    r"(?:(\d{1,6})(?:[.,](\d{1,6}))?\s*(?:s|sec|secs|sek|seg|[\"″”]|''|’’)\.?)?",
    re.IGNORECASE,
)
_PRIMES = re.compile(r"(\d{1,3})\s?['′’]\s?(\d{1,2})(?:\s?(?:''|’’|[\"″”]))?")
"""Minutes and seconds: 1'05"."""
_FRAMES = re.compile(r"(\d{1,8})\s*(?:f|fr|frames?)", re.IGNORECASE)
_HOUR = 3600 * SAMPLE_RATE
_NEAR = 600 * SAMPLE_RATE
"""A first time this near behind a full hour says that the programme starts at that hour."""
RANGE = re.compile(r"(?:\s*(?:-->|–|—|→|->|-|[~～〜]|to|bis|until|/|>)\s*|(?<=\d)\s+(?:à|a|al|до)\s+(?=\d))")
"""What stands between the two times of a range."""


@dataclass(frozen=True, slots=True)
class Clock:
    """How the times of a file are read.

    Attributes:
        rate: of the production.
        counted: frames a second that the file's own timecodes count; None: the production's.
        means: what times of three parts, of two, with a point and whole numbers mean, where that is not the usual.
        origin: samples since midnight of the file's first picture, taken off times that have hours; None: they run from 0.
    """

    rate: FrameRate
    counted: int | None = None
    means: Mapping[Shape, str] = field(default_factory=dict)
    origin: int | None = None

    def sample(self, text: str) -> int | None:
        """Programme sample of a written time; None for what is none.

        `00:01:02:03` and `00:01:02;03` are timecodes, `1:02:03,250`, `02:03.25`, `62.5`, `1'02"` and `1 min 2 s` running
        times.
        """
        text = text.strip().strip("[]()<>").strip()
        four = _FOUR.fullmatch(text)
        if four:
            return self._of_timecode(four)
        three = _THREE.fullmatch(text)
        if three:
            one, two, last, fraction = three.groups()
            if self.means.get("three") == "m:s:f" and not fraction:
                return (int(one) * 60 + int(two)) * SAMPLE_RATE + self._frames(int(last))
            in_frames = fraction and self.means.get("hundredths") == "frames"
            rest = self._frames(int(fraction)) if in_frames else _fraction(fraction)
            return self._from_origin((int(one) * 3600 + int(two) * 60 + int(last)) * SAMPLE_RATE + rest)
        two_parts = _TWO.fullmatch(text)
        if two_parts:
            one, two, fraction = two_parts.groups()
            if self.means.get("two") == "h:m":
                return self._from_origin((int(one) * 60 + int(two)) * 60 * SAMPLE_RATE)
            return (int(one) * 60 + int(two)) * SAMPLE_RATE + _fraction(fraction)
        decimal = _DECIMAL.fullmatch(text)
        if decimal:
            one, fraction = decimal.groups()
            if self.means.get("decimal") == "m.s":
                return (int(one) * 60 + int(fraction.ljust(2, "0"))) * SAMPLE_RATE
            return int(one) * SAMPLE_RATE + _fraction(fraction)
        if _WHOLE.fullmatch(text):
            number, unit = int(text), self.means.get("whole")
            if unit == "milliseconds":
                return number * SAMPLE_RATE // 1000
            return self.rate.first_sample(number) if unit == "frames" else number * SAMPLE_RATE
        primes = _PRIMES.fullmatch(text)
        if primes:
            return (int(primes[1]) * 60 + int(primes[2])) * SAMPLE_RATE
        frames = _FRAMES.fullmatch(text)
        if frames:
            return self.rate.first_sample(int(frames[1]))
        units = _UNITS.fullmatch(text) if text and text[0].isdigit() else None
        if units:
            hours, minutes, seconds, fraction = units.groups()
            return (int(hours or 0) * 3600 + int(minutes or 0) * 60 + int(seconds or 0)) * SAMPLE_RATE + _fraction(fraction)
        return None

    def _of_timecode(self, found: re.Match[str]) -> int | None:
        hours, minutes, seconds, mark, frames = found.groups()
        if int(minutes) > 59 or int(seconds) > 59:
            return None
        if self.counted is None:
            try:
                mark = ";" if mark == ";" else ":"
                frame = parse_timecode(f"{hours}:{minutes}:{seconds}{mark}{frames}", self.rate)
                return self._from_origin(self.rate.first_sample(frame))
            except TimecodeError:
                if int(frames) >= self.rate.nominal:
                    return None
        # Numbers that drop-frame leaves out, or of another rate: the second, and the part of it.
        whole = int(hours) * 3600 + int(minutes) * 60 + int(seconds)
        return self._from_origin(whole * SAMPLE_RATE + self._frames(int(frames)))

    def _frames(self, frames: int) -> int:
        return frames * SAMPLE_RATE // self.counted if self.counted else self.rate.first_sample(frames)

    def _from_origin(self, sample: int) -> int:
        return sample - self.origin if self.origin is not None and sample >= self.origin else sample

    def times(self, text: str) -> "Times":
        """A time, or the two of a range in one text."""
        whole = self.sample(text)
        if whole is not None:
            return whole, None
        parts = _parts(text)
        if len(parts) == 2:
            return self.sample(parts[0]), self.sample(parts[1])
        return None, None

    def slot(self, start: int | None, end: int | None, what: str, inquiry: Inquiry) -> Span | None:
        """A slot on whole frames, or none and a doubt."""
        if start is None and end is None:
            return None
        if start is None or end is None:
            inquiry.doubt(f"{what} has {'a start' if end is None else 'an end'} only, so it gets no slot")
            return None
        # The nearest frame: a time in thousandths may lie just before the frame that it means.
        half = self.rate.first_sample(1) // 2
        first, last = self.rate.snap(start + half), self.rate.snap(end + half)
        if last <= first:
            inquiry.doubt(f"{what} ends before it begins, so it gets no slot")
            return None
        return Span(first, last)


def _parts(text: str) -> list[str]:
    """The two times of a range, which a mark parts or a space; else the one."""
    text = text.strip().strip("[]()<>")
    parts = RANGE.split(text, maxsplit=1)
    apart = text.split()
    is_two = len(parts) == 1 and len(apart) == 2 and all(part[0].isdigit() and ":" in part for part in apart)
    return apart if is_two else parts


def _fraction(digits: str | None) -> int:
    """Samples of a decimal fraction of a second: `5,25` is five and a quarter, not five and 25 thousandths."""
    return int(digits) * SAMPLE_RATE // int("1" + "0" * len(digits)) if digits else 0


def expected_seconds(words: str) -> float:
    """About how long words take, for weighing alone."""
    return max(SHORTEST_SECONDS, len(words) / LETTERS_A_SECOND)


def _implausible(clock: Clock, rows: Sequence[Written]) -> float:
    """How far the slots are from what the words need: the median of the absolute natural logarithm of their ratio."""
    starts = [clock.times(start) for start, _, _ in rows]
    ratios = []
    for number, (_, end, words) in enumerate(rows):
        begin, finish = starts[number]
        finish = clock.sample(end) if end else finish
        if finish is None and number + 1 < len(rows):
            finish = starts[number + 1][0]
        if begin is None or finish is None:
            continue
        seconds = max(1e-3, (finish - begin) / SAMPLE_RATE)
        # A slot may be far longer than its words: pictures speak too. It can't be far shorter.
        ratio = math.log(seconds / expected_seconds(words))
        ratios.append(-ratio if ratio < 0 else max(0.0, ratio - math.log(3)))
    return statistics.median(ratios) if ratios else math.inf


_FEW = 2
"""Times by which nothing is told."""


def learn(
    rows: Iterable[Written], rate: FrameRate, start_frame: int, inquiry: Inquiry, header: Sequence[str] = ()
) -> Clock:
    """The clock of a file, from all its times and words; what several readings would fit is asked.

    Args:
        rows: the times as they are written, each with its words.
        rate: of the production.
        start_frame: frames since midnight of the programme's first frame.
        header: names of the columns that hold times; “frames” or “seconds” in them decides.
    """
    known = list(rows)[:2000]
    cells = [part for start, end, _ in known for part in (*_parts(start), end.strip()) if part]
    clock = Clock(rate)
    clock = _counting(clock, cells, inquiry)
    named = " ".join(header).casefold()

    def weigh(shape: Shape, cell: str, meanings: Sequence[tuple[str, str]], likely: str | None = None) -> None:
        nonlocal clock
        usual = meanings[0][0]
        readings = {value: replace(clock, means={**clock.means, shape: value}) for value, _ in meanings}
        if likely is None:
            # The usual meaning holds until the words speak clearly against it.
            far = {value: _implausible(readings[value], known) for value, _ in meanings[1:]}
            other = min(far, key=lambda value: far[value])
            likely = other if _implausible(clock, known) - far[other] > 1.0 else usual
        clock = readings[inquiry.ask(f"clock-{shape}", f"{cell} is", meanings, likely)]

    three = [found for cell in cells if (found := _THREE.fullmatch(cell))]
    frames = clock.counted or rate.nominal
    if three and all(not found[4] and int(found[3]) < frames and int(found[1]) < 60 for found in three):
        weigh("three", three[0][0], [("h:m:s", "hours:minutes:seconds"), ("m:s:f", "minutes:seconds:frames")])
    parted = [found[4] for found in three if found[4]]
    if len(parted) > _FEW and any(map(int, parted)) and all(len(each) == 2 and int(each) < frames for each in parted):
        shown = next(found[0] for found in three if found[4] and int(found[4]))
        weigh("hundredths", shown, [("hundredths", "hundredths of a second"), ("frames", "frames")], "frames")
    two = [found for cell in cells if (found := _TWO.fullmatch(cell)) and not found[3]]
    if two and not three:
        weigh("two", two[0][0], [("m:s", "minutes:seconds"), ("h:m", "hours:minutes")])
    in_seconds = "seconds" if re.search(r"\bse[ck]", named) else None
    decimal = [found for cell in cells if (found := _DECIMAL.fullmatch(cell))]
    if decimal and all(len(found[2]) == 2 and int(found[2]) < 60 for found in decimal):
        weigh("decimal", decimal[0][0], [("seconds", "seconds"), ("m.s", "minutes.seconds")], in_seconds)
    whole = [cell for cell in cells if _WHOLE.fullmatch(cell)]
    if whole:
        likely = "frames" if re.search(r"fram|bilder|images", named) else in_seconds
        likely = "milliseconds" if re.search(r"\bms\b|milli", named.replace("_", " ")) or named.endswith("ms") else likely
        meanings = [("seconds", "seconds"), ("frames", "frames"), ("milliseconds", "milliseconds")]
        weigh("whole", whole[-1], meanings, likely)
    return replace(clock, origin=_origin(clock, cells, start_frame, inquiry))


def _counting(clock: Clock, cells: Sequence[str], inquiry: Inquiry) -> Clock:
    """Whether timecodes count more frames than the production has."""
    frames = [int(found[5]) for cell in cells if (found := _FOUR.fullmatch(cell))]
    most = max(frames, default=0)
    if most < clock.rate.nominal:
        return clock
    likeliest = next((each for each in (25, 30, 50, 60) if each > most), 100)
    options = [(str(each), f"{each} frames a second") for each in (24, 25, 30, 50, 60, 100) if each > most]
    chosen = int(inquiry.ask("counted", "their timecodes count", options, str(likeliest)))
    inquiry.doubt(
        f"the timecodes count up to {most} frames, this production {clock.rate.nominal} a second: "
        f"they were read at {chosen} frames a second"
    )
    return replace(clock, counted=chosen)


def _origin(clock: Clock, cells: Sequence[str], start_frame: int, inquiry: Inquiry) -> int | None:
    """Where the file's programme begins on the clock of the day; None: at nothing."""
    coded = [
        sample
        for cell in cells
        if (_FOUR.fullmatch(cell) or _THREE.fullmatch(cell) or (clock.means.get("two") == "h:m" and _TWO.fullmatch(cell)))
        and (sample := clock.sample(cell)) is not None
    ]
    if not coded or (clock.means.get("three") == "m:s:f" and not any(_FOUR.fullmatch(cell) for cell in cells)):
        return None
    start: int = clock.rate.first_sample(start_frame)
    first = min(coded)
    if clock.means.get("two") != "h:m" and any(_TWO.fullmatch(cell) for cell in cells):
        # Times without hours beside them: they run from the beginning.
        return start if first >= start > 0 else None
    hour = first - first % _HOUR
    if first >= start and first - start < _HOUR:
        return start
    options = [("running", "running times, from the beginning")]
    if first >= start:
        options.append(("programme", "timecodes of this programme"))
    likeliest = "programme" if first >= start > 0 else "running"
    if hour and hour != start:
        said = f"timecodes of a programme that starts at {hour // _HOUR:02}:00:00"
        options.append(("hour", said))
        if first - hour < _NEAR:
            likeliest = "hour"
    if len(options) == 1:
        return None
    chosen = inquiry.ask("origin", "their times are", options, likeliest)
    if chosen == "hour":
        inquiry.doubt(
            f"the times begin at {hour // _HOUR:02}:00:00, this production elsewhere: they were moved to its start"
        )
        return hour
    return start if chosen == "programme" else None


Times: TypeAlias = tuple[int | None, int | None]
"""Where a line starts and ends, samples; None for what is not said."""


def until_next(read: Sequence[Times], words: Sequence[str]) -> list[Times]:
    """Lines with ends: one that has a start alone ends where the nearest later one below it starts, or by its words.

    Args:
        read: the times of each line, in the order of the file.
        words: what is said in each.
    """
    ended: list[Times] = []
    later: int | None = None
    for (start, end), said in zip(reversed(read), reversed(words), strict=True):
        if start is not None and end is None:
            follows = later is not None and later > start
            end = later if follows else start + int(expected_seconds(said) * SAMPLE_RATE)
        ended.append((start, end))
        later = start if start is not None else later
    return ended[::-1]
