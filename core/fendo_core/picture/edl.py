"""EDL (CMX3600): events by rows, each with source in and out, record in and out, as timecode.

What an EDL can say and a reel can't show is said with the number of its event: speed, freeze, reverse, keys, wipes. A
dissolve is a cut in its middle.
"""

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from pathlib import PurePosixPath

from fendo_core.picture.layers import Placed, Timeline, TimelineRefused, flattened, listed
from fendo_core.timebase import FrameRate, TimecodeError, parse_timecode

_CODE = r"\d\d[:;.]\d\d[:;.]\d\d[:;.,]\d\d"
_ROW = re.compile(
    rf"^\s*(\d{{1,6}}[A-Z]?)\s+(\S.*?)\s+(\S+)\s+(C|D|W\d{{3}}|K(?:\s*[BO])?)\s+(?:\(?[FN]?\)?\s*)?(?:(\d{{1,4}})\s+)?"
    rf"({_CODE})\s+({_CODE})\s+({_CODE})\s+({_CODE})",
    re.IGNORECASE,
)
_NUMBERED = re.compile(r"^\s*(\d{1,6})\s+\S.*\d[:;.]\d")
_SPEED = re.compile(rf"^\s*M2\s+(.*?)\s+(-?\d{{1,4}}(?:\.\d+)?)\s+({_CODE})", re.IGNORECASE)
_NOTE = re.compile(
    r"^\s*\*?\s*(FROM CLIP NAME|TO CLIP NAME|CLIP NAME|SOURCE FILE|FROM FILE|TO FILE)\s*(?:IS)?\s*:\s*(.+?)\s*$", re.I
)
_COUNTING = re.compile(r"^\s*FCM\s*:\s*(.*?)\s*$", re.IGNORECASE)
_BLACK = ("BL", "BLACK", "BLK")


@dataclass(slots=True)
class _Shown:
    """One row of an EDL that shows something; all counts in frames."""

    number: str
    reel: str
    track: str
    kind: str
    softened: int
    source: tuple[int, int]
    record: tuple[int, int]
    name: str = ""
    file: str = ""
    speed: Fraction | None = None

    @property
    def is_keyed(self) -> bool:
        """Whether it lies over another picture by a key, and is no background of one."""
        return self.kind.startswith("K") and not self.kind.endswith("B")


@dataclass(slots=True)
class _Remarks:
    damaged: list[str] = field(default_factory=list)
    dissolves: list[str] = field(default_factory=list)
    wipes: list[str] = field(default_factory=list)
    keys: list[str] = field(default_factory=list)
    speeds: list[str] = field(default_factory=list)
    sound: int = 0

    def told(self) -> list[str]:
        said = []
        for what, one, many in (
            (self.damaged, "row {} can't be read and was left out", "rows {} can't be read and were left out"),
            (
                self.dissolves,
                "the dissolve of event {} is a cut in its middle",
                "the dissolves of events {} are cuts in their middle",
            ),
            (self.wipes, "the wipe of event {} is a cut in its middle", "the wipes of events {} are cuts in their middle"),
            (
                self.keys,
                "event {} is keyed over the picture: what lies under it is shown",
                "events {} are keyed over the picture: what lies under them is shown",
            ),
        ):
            if what:
                said.append((one if len(what) == 1 else many).format(listed(what)))
        said += self.speeds[:5]
        if len(self.speeds) > 5:
            said.append(f"{len(self.speeds) - 5} more events play at another speed: they are laid at their own")
        if self.sound:
            said.append(
                f"{self.sound} event{'s' if self.sound != 1 else ''} of sound {'are' if self.sound != 1 else 'is'} left out"
            )
        return said


def read(text: str, rate: FrameRate) -> Timeline:
    """The pictures of an EDL at the production's rate.

    Raises:
        TimelineRefused: when no row of it is one of pictures, or its timecodes count more frames than the production has.
    """
    remarks = _Remarks()
    shown = _rows(text, rate, remarks, _is_picture)
    if not shown:
        raise TimelineRefused(
            "This file is no timeline that Fendo can read. EDL (CMX3600) and OTIO files are read; nothing was changed."
        )
    _past_midnight(shown, rate)
    placed = _placed(shown, rate, remarks)
    if not any(each.medium for each in placed):
        raise TimelineRefused("There are no pictures in this timeline. Nothing was changed; check what was exported.")
    # Also the black is of the programme from which its first picture fades in.
    first = min(each.record[0] for each in shown if not each.is_keyed)
    start = min(Fraction(first) / rate.fps, *(each.start for each in placed))
    end = max(each.end for each in placed)
    events, covered = flattened(placed, start, end, rate)
    said = remarks.told()
    if covered:
        lie = "events lie" if covered != 1 else "event lies"
        said.append(f"{covered} {lie} under others where they overlap: the upper ones are shown")
    day = round(24 * 3600 * rate.fps)
    return Timeline(events, round(start * rate.fps) % day, tuple(said))


def sounds(text: str, rate: FrameRate) -> tuple[list[Placed], int | None, list[str]]:
    """What an EDL says of sound: every event of a track of sound.

    Returns:
        The events, in seconds since midnight; 0, the timecode of their second 0; what is odd.

    Raises:
        TimelineRefused: when it is no EDL, or its timecodes count more frames than the production has.
    """
    remarks = _Remarks()
    shown = _rows(text, rate, remarks, _is_sound)
    if not shown:
        raise TimelineRefused(
            "There is no sound in this file, or it is no timeline that Fendo can read: EDL (CMX3600), OTIO."
        )
    _past_midnight(shown, rate)
    remarks.sound = 0
    made = []
    for each in shown:
        file = PurePosixPath(each.file.replace("\\", "/")).name
        _say_speed(each, remarks, rate)
        start, end, first = (Fraction(frame) / rate.fps for frame in (*each.record, each.source[0]))
        if end > start:
            made.append(Placed(start, end, first, each.name or file or each.reel, (file, each.reel), from_midnight=True))
    return made, 0, remarks.told()


def _rows(text: str, rate: FrameRate, remarks: _Remarks, wanted: Callable[[str], bool]) -> list[_Shown]:
    shown: list[_Shown] = []
    here: list[_Shown] = []  # the rows that notes below them are about
    drop: bool | None = None
    for row in text.splitlines():
        if found := _COUNTING.match(row):
            drop = not found[1].upper().startswith("NON") and "DROP" in found[1].upper()
        elif found := _ROW.match(row):
            number, reel, track, kind = found[1], found[2], found[3].upper(), found[4].upper()
            softened = int(found[5] or 0)
            if not wanted(track):
                remarks.sound += 1
                here = []
                continue
            try:
                codes = [_frames(code, rate, row, drop) for code in found.groups()[5:]]
            except TimelineRefused:
                if any(int(code[-2:]) >= rate.nominal for code in found.groups()[5:]):
                    raise
                remarks.damaged.append(number)
                here = []
                continue
            made = _Shown(number, reel, track, kind, softened, (codes[0], codes[1]), (codes[2], codes[3]))
            here = [*here, made] if here and here[-1].number == number else [made]
            shown.append(made)
        elif found := _SPEED.match(row):
            speed = Fraction(found[2])
            for each in here:
                if each.reel.casefold() == found[1].casefold() or len(here) == 1:
                    each.speed = speed
        elif found := _NOTE.match(row):
            _note(here, found[1].upper(), found[2])
        elif found := _NUMBERED.match(row):
            remarks.damaged.append(found[1])
            here = []
    return shown


def _note(here: Sequence[_Shown], what: str, said: str) -> None:
    """A comment below rows: of two rows under one number the first is where a dissolve comes from."""
    if not here:
        return
    each = here[-1]
    if what.startswith("FROM") and len(here) > 1 and not each.kind.startswith("K"):
        each = here[0]
    elif what == "FROM CLIP NAME" and each.name:
        return
    if "FILE" in what:
        each.file = said
    else:
        each.name = said


def _is_picture(track: str) -> bool:
    return "V" in track or track in ("B", "NONE")


def _is_sound(track: str) -> bool:
    return "A" in track or track == "B"


def _frames(code: str, rate: FrameRate, row: str, drop: bool | None) -> int:
    """Frames since midnight. Drop-frame counting is said by a semicolon, or by FCM above."""
    may_drop = rate.fps in (Fraction(30000, 1001), Fraction(60000, 1001))
    dropping = may_drop and (";" in code or "," in code or drop is True)
    plain = re.sub(r"[;.,]", ":", code)
    try:
        return parse_timecode(plain[:8] + ";" + plain[9:] if dropping else plain, FrameRate(rate.fps, dropping))
    except TimecodeError as error:
        raise TimelineRefused(
            f"“{row.strip()[:120]}” can't be read at {rate.text} frames a second: {error} "
            "Nothing was changed. Bring in a film first, so that the production has its rate."
        ) from error


def _past_midnight(shown: Sequence[_Shown], rate: FrameRate) -> None:
    """Counts that begin again at midnight go on."""
    day = round(24 * 3600 * rate.fps)
    before: int | None = None
    for each in shown:
        start, end = each.record
        while before is not None and start < before - day // 2:
            start, end = start + day, end + day
        while end < start - day // 2:
            end += day
        first, last = each.source
        if last < first - day // 2:
            last += day
        each.record, each.source = (start, end), (first, last)
        before = start


def _placed(shown: Sequence[_Shown], rate: FrameRate, remarks: _Remarks) -> list[Placed]:
    made: list[tuple[tuple[int, int], Placed]] = []
    for count, each in enumerate(shown):
        start, end = each.record
        first = each.source[0]
        black = each.reel.upper() in _BLACK and not each.name
        if each.is_keyed:
            remarks.keys.append(each.number)
            continue
        half = 0
        if each.softened and each.kind != "C" and end > start:
            (remarks.dissolves if each.kind == "D" else remarks.wipes).append(each.number)
            half = min(each.softened // 2, end - start)
        _say_speed(each, remarks, rate)
        file = PurePosixPath(each.file.replace("\\", "/")).name
        medium = "" if black else (each.name or file or each.reel)
        names = tuple(dict.fromkeys(name for name in (file, each.reel) if name and name != medium))
        layer = (_height(each.track), count)
        if end <= start:
            # The end of what comes before a dissolve: it goes on to the middle of it.
            _go_on(made, shown, count, rate, medium, first)
            continue
        if half:
            _lengthen(made, start, half, _height(each.track), rate)
        place = Placed(
            Fraction(start + half) / rate.fps,
            Fraction(end) / rate.fps,
            Fraction(first + half) / rate.fps,
            medium,
            names,
            from_midnight=True,
        )
        if place.end > place.start:
            made.append((layer, place))
    return [place for _, place in sorted(made, key=lambda each: each[0])]


def _height(track: str) -> int:
    number = re.search(r"V(\d{1,3})", track)
    return int(number[1]) if number else 1


def _go_on(
    made: list[tuple[tuple[int, int], Placed]],
    shown: Sequence[_Shown],
    count: int,
    rate: FrameRate,
    medium: str,
    first: int,
) -> None:
    """A row without length names the end of the event before a dissolve; where that event is not there, it shows half."""
    row = shown[count]
    follows = shown[count + 1] if count + 1 < len(shown) else None
    at = Fraction(row.record[0]) / rate.fps
    if not medium or follows is None or not follows.softened or follows.record[0] != row.record[0]:
        return
    if any(place.end == at and layer[0] == _height(row.track) for layer, place in made):
        return
    half = follows.softened // 2
    if half:
        names = tuple(name for name in (row.file, row.reel) if name and name != medium)
        place = Placed(at, at + Fraction(half) / rate.fps, Fraction(first) / rate.fps, medium, names, from_midnight=True)
        made.append(((_height(row.track), count), place))


def _lengthen(made: list[tuple[tuple[int, int], Placed]], start: int, half: int, height: int, rate: FrameRate) -> None:
    """What ends where a dissolve begins goes on to its middle."""
    at = Fraction(start) / rate.fps
    for place in range(len(made) - 1, -1, -1):
        layer, each = made[place]
        if layer[0] == height and each.end == at:
            made[place] = (layer, replace(each, end=at + Fraction(half) / rate.fps))
            return


def _say_speed(each: _Shown, remarks: _Remarks, rate: FrameRate) -> None:
    start, end = each.record
    first, last = each.source
    if each.speed is not None:
        if each.speed == 0:
            how = "stands still"
        elif each.speed < 0:
            how = "plays backwards"
        elif abs(each.speed - rate.fps) < Fraction(1, 20):
            return
        else:
            how = f"plays at {round(100 * each.speed / rate.fps)} %"
    elif end > start and last - first != end - start:
        how = f"shows {last - first} frames of its medium in {end - start}"
    else:
        return
    remarks.speeds.append(f"event {each.number} {how}: it is laid at its own speed, and looks different")
