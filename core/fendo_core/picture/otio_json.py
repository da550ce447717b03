"""OTIO: a tree of stacks, tracks and clips, in JSON by an open schema. Only what says what is seen is read.

It is read here and not by the library, which ends the process on damaged files; tests compare the two.
"""

import json
import math
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import PurePosixPath
from typing import Any, TypeAlias
from urllib.parse import unquote, urlsplit

from fendo_core.picture.layers import MOST_EVENTS, Placed, Timeline, TimelineRefused, flattened, listed
from fendo_core.timebase import FrameRate
from fendo_core.timebase.rates import FRAME_RATES

Item: TypeAlias = Mapping[str, Any]
Range: TypeAlias = tuple[Fraction, Fraction]
"""Start and duration, seconds."""

DEEPEST = 40
_LONGEST = 48 * 3600
_DAMAGED = "This file begins like an OTIO timeline but can't be read: it is damaged or not complete. Nothing was changed."
_NO_PICTURES = "There are no pictures in this timeline. Nothing was changed; check what was exported."


def read(text: str, rate: FrameRate) -> Timeline:
    """The pictures of an OTIO timeline at the production's rate.

    Raises:
        TimelineRefused: for what is damaged, is no timeline, or shows nothing.
    """
    found, length, start = _Flattening(rate), Fraction(0), None
    with _reading():
        whole, tracks = _opened(text)
        length = found.place(tracks, Fraction(0), None, 0)
        start = found.time(whole.get("global_start_time"))
    if not any(each.medium for each in found.placed):
        raise TimelineRefused(_NO_PICTURES)
    # Gaps are looked through; sound is not in the picture's way.
    events, covered = flattened(found.placed, Fraction(0), length, rate)
    return Timeline(events, round(start * rate.fps) if start is not None else None, tuple(found.remarks(covered)))


def sounds(text: str, rate: FrameRate) -> tuple[list[Placed], int | None, list[str]]:
    """What an OTIO timeline says of sound: every clip of a track of sound.

    Returns:
        The clips, in seconds from the timeline's beginning; the timecode of that in frames since midnight, None when it is
        not said; what is odd.

    Raises:
        TimelineRefused: for what is damaged, or is no timeline.
    """
    found, start = _Flattening(rate), None
    with _reading():
        whole, tracks = _opened(text)
        start = found.time(whole.get("global_start_time"))
        for child in tracks.get("children") or ():
            if isinstance(child, dict) and _schema(child) == "Track" and child.get("kind") == "Audio":
                found.child(child, Fraction(0), 0)
    return found.placed, round(start * rate.fps) if start is not None else None, found.remarks(0)


def _opened(text: str) -> tuple[Item, Item]:
    """The timeline, and the stack of its tracks."""
    whole = json.loads(text, parse_constant=_refuse)
    if not isinstance(whole, dict) or _schema(whole) != "Timeline":
        raise TimelineRefused("This OTIO file holds no timeline. Nothing was changed; export the sequence itself.")
    tracks = whole.get("tracks")
    if not isinstance(tracks, dict) or _schema(tracks) != "Stack":
        raise TimelineRefused(_NO_PICTURES)
    return whole, tracks


@contextmanager
def _reading() -> Iterator[None]:
    """What is not as the schema says is said to be damaged."""
    try:
        yield
    except TimelineRefused:
        raise
    except (TypeError, ValueError, KeyError, AttributeError, OverflowError, ZeroDivisionError, RecursionError) as error:
        raise TimelineRefused(_DAMAGED) from error


def _refuse(constant: str) -> float:
    raise ValueError(f"{constant} is no number")


def _schema(item: Item) -> str:
    return str(item.get("OTIO_SCHEMA", "")).partition(".")[0]


@dataclass(slots=True)
class _Flattening:
    rate: FrameRate
    placed: list[Placed] = field(default_factory=list)
    transitions: int = 0
    disabled: list[str] = field(default_factory=list)
    speeds: list[str] = field(default_factory=list)
    visited: int = 0

    def time(self, said: Any) -> Fraction | None:
        """Seconds of a time of the schema: a value at a rate."""
        if not isinstance(said, dict) or _schema(said) != "RationalTime":
            return None
        value, fps = float(said["value"]), float(said["rate"])
        if not (math.isfinite(value) and math.isfinite(fps)) or fps <= 0 or abs(value / fps) > _LONGEST:
            raise ValueError("no time")
        return Fraction(value).limit_denominator(10**6) / _exact(fps)

    def range_of(self, said: Any) -> Range | None:
        if not isinstance(said, dict) or _schema(said) != "TimeRange":
            return None
        start, duration = self.time(said["start_time"]), self.time(said["duration"])
        if start is None or duration is None or duration < 0:
            raise ValueError("no range")
        return start, duration

    def place(self, item: Item, at: Fraction, wanted: Range | None, depth: int) -> Fraction:
        """Place a stack or a track and what is in it; how long it is, seconds.

        Args:
            item: the stack or track.
            at: where it begins in the timeline.
            wanted: the part of it that is used; None: all that it says itself.
            depth: how deep it lies.
        """
        if depth > DEEPEST:
            raise TimelineRefused("This timeline is nested too deep. Flatten it in the program that made it.")
        part = wanted or self.range_of(item.get("source_range"))
        children = [child for child in item.get("children") or () if isinstance(child, dict)]
        laid = _Flattening(self.rate, visited=self.visited)
        if _schema(item) == "Track":
            length = laid.track(children, depth)
        else:
            length = Fraction(0)
            for child in children:
                if _schema(child) == "Track" and child.get("kind", "Video") != "Video":
                    continue
                if child.get("enabled", True) is False:
                    laid.disabled.append(_said_name(child))
                    continue
                length = max(length, laid.child(child, Fraction(0), depth))
        start, duration = part if part is not None else (Fraction(0), length)
        for each in laid.placed:
            begin, end = max(each.start, start), min(each.end, start + duration)
            if end > begin:
                first = each.first + (begin - each.start)
                moved = Placed(begin - start + at, end - start + at, first, each.medium, each.names, each.from_midnight)
                self.placed.append(moved)
        self.transitions += laid.transitions
        self.disabled += laid.disabled
        self.speeds += laid.speeds
        self.visited = laid.visited
        return duration

    def child(self, item: Item, at: Fraction, depth: int) -> Fraction:
        """Place what a track or a stack holds; how long it is."""
        self.visited += 1
        if self.visited > 4 * MOST_EVENTS:
            raise TimelineRefused(f"This timeline has more than {MOST_EVENTS} events. Export a part of it.")
        kind = _schema(item)
        if kind in ("Stack", "Track"):
            if item.get("enabled", True) is False:
                silent = _Flattening(self.rate, visited=self.visited)
                self.disabled.append(_said_name(item))
                return silent.place(item, at, None, depth + 1)
            self.say_speed(item)
            return self.place(item, at, None, depth + 1)
        return self.clip(item, at) if kind == "Clip" else self.gap(item)

    def gap(self, item: Item) -> Fraction:
        part = self.range_of(item.get("source_range"))
        return part[1] if part else Fraction(0)

    def clip(self, item: Item, at: Fraction) -> Fraction:
        reference = _reference(item)
        there = self.range_of(reference.get("available_range")) if reference else None
        part = self.range_of(item.get("source_range")) or there
        if part is None:
            # Neither the clip nor its medium says how long it is: it can't be placed.
            self.speeds.append(f"“{_said_name(item)}” says no length and was left out")
            return Fraction(0)
        start, duration = part
        if item.get("enabled", True) is False:
            self.disabled.append(_said_name(item))
            return duration
        self.say_speed(item)
        medium, names = _names(item, reference)
        first = start - there[0] if there else start
        self.placed.append(Placed(at, at + duration, first, medium, names, from_midnight=there is None))
        return duration

    def track(self, children: Sequence[Item], depth: int) -> Fraction:
        """Place the children of a track one after another; its length. A transition moves the cut to its middle."""
        at = Fraction(0)
        shift = Fraction(0)
        for n, child in enumerate(children):
            if _schema(child) == "Transition":
                into, out_of = self.time(child.get("in_offset")), self.time(child.get("out_offset"))
                shift = ((out_of or Fraction(0)) - (into or Fraction(0))) / 2
                self.transitions += 1
                if self.placed and self.placed[-1].end == at and 0 < n < len(children) - 1:
                    self._move_cut(at, shift)
                else:
                    shift = Fraction(0)
                continue
            before = len(self.placed)
            length = self.child(child, at, depth)
            if shift and len(self.placed) == before + 1:
                only = self.placed[before]
                begin = min(only.end, max(Fraction(0), only.start + shift))
                first = max(Fraction(0), only.first + (begin - only.start))
                self.placed[before] = Placed(begin, only.end, first, only.medium, only.names, only.from_midnight)
            shift = Fraction(0)
            at += length
        return at

    def _move_cut(self, at: Fraction, shift: Fraction) -> None:
        last = self.placed[-1]
        self.placed[-1] = Placed(
            last.start, max(last.start, at + shift), last.first, last.medium, last.names, last.from_midnight
        )

    def say_speed(self, item: Item) -> None:
        for effect in item.get("effects") or ():
            if not isinstance(effect, dict):
                continue
            kind = _schema(effect)
            if kind == "FreezeFrame":
                how = "stands still"
            elif kind == "LinearTimeWarp":
                scale = float(effect.get("time_scalar", 1.0))
                if scale == 1.0:
                    continue
                how = "stands still" if scale == 0 else "plays backwards" if scale < 0 else f"plays at {scale:.0%}"
            elif kind in ("TimeEffect", "TimeWarp"):
                how = "plays at a changing speed"
            else:
                continue
            self.speeds.append(f"“{_said_name(item)}” {how}: it is laid at its own speed, and looks different")

    def remarks(self, covered: int) -> list[str]:
        said = []
        if self.transitions:
            said.append(f"{self.transitions} transition{'s' if self.transitions != 1 else ''} taken as cuts in the middle")
        if covered:
            said.append(f"{covered} clip{'s lie' if covered != 1 else ' lies'} under others: the upper ones are shown")
        if self.disabled:
            said.append(f"switched off and left out: {listed(self.disabled)}")
        said += self.speeds[:5]
        if len(self.speeds) > 5:
            said.append(f"{len(self.speeds) - 5} more clips are of this kind")
        return said


def _exact(fps: float) -> Fraction:
    """23.976 and its kin are written with three decimals or many; each means the exact fraction."""
    for rate in FRAME_RATES:
        if abs(float(rate.fps) - fps) < 0.01:
            return Fraction(rate.fps)
    return Fraction(fps).limit_denominator(100_000)


def _reference(clip: Item) -> Item | None:
    many = clip.get("media_references")
    if isinstance(many, dict):
        found = many.get(str(clip.get("active_media_reference_key", "DEFAULT_MEDIA")))
        return found if isinstance(found, dict) else None
    one = clip.get("media_reference")
    return one if isinstance(one, dict) else None


def _said_name(item: Item) -> str:
    return str(item.get("name") or "without a name")[:80]


def _names(clip: Item, reference: Item | None) -> tuple[str, tuple[str, ...]]:
    """The medium's name, and others by which it may be known."""
    target = str((reference or {}).get("target_url") or "")
    path = unquote(urlsplit(target).path if "://" in target else target).replace("\\", "/")
    file, called = PurePosixPath(path).name, str(clip.get("name") or "")
    raw = PurePosixPath(target.replace("\\", "/")).name
    medium = file or called or "a clip without a name"
    own = str((reference or {}).get("name") or "")
    return medium, tuple(dict.fromkeys(name for name in (raw, called, own) if name and name != medium))
