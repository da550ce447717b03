"""Timelines from other programs: an EDL (CMX3600) or an OTIO file as pieces, in order, with in and out.

An EDL says for each event: source in and out, record in and out, as timecode; `FROM CLIP NAME` names the medium. Record
times without an event between them are holes. Of OTIO the first track of pictures is read. Dissolves and wipes are taken as
cuts in their middle, and that is said.
"""

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import PurePosixPath
from typing import Any

from fendo_core.picture.reel import LONGEST_NAME, NewId, Piece, Reel, Source, Sources
from fendo_core.timebase import FrameRate, TimecodeError, parse_timecode

MOST_EVENTS = 5_000
LARGEST_FILE = 8 << 20


class TimelineRefused(ValueError):
    """A file that is no timeline; the message says why and what to do."""


@dataclass(frozen=True, slots=True)
class Event:
    """One event: what medium it shows and where in it, in frames of the production's rate.

    Attributes:
        medium: its name; empty for a hole.
        first: frame of the medium, counted from its own first frame where that is known, else from midnight.
        length: frames.
        from_midnight: `first` is a timecode of the medium, not a count from its beginning.
    """

    medium: str
    first: int
    length: int
    from_midnight: bool = False


@dataclass(frozen=True, slots=True)
class Timeline:
    """Events in order; `start` is the timecode of the first frame in frames since midnight, None when it is not said."""

    events: tuple[Event, ...]
    start: int | None
    remarks: tuple[str, ...] = ()


def read(data: bytes, rate: FrameRate) -> Timeline:
    """A timeline, whatever it is called, at the production's rate.

    Raises:
        TimelineRefused: when it is none, or holds nothing.
    """
    if len(data) > LARGEST_FILE:
        raise TimelineRefused("This timeline is larger than 8 MB. Nothing was changed; export the sequence alone.")
    text = data.decode("utf-8-sig", errors="replace")
    found = _otio(text, rate) if text.lstrip().startswith("{") else _edl(text, rate)
    if not any(event.medium for event in found.events):
        raise TimelineRefused("There are no pictures in this timeline. Nothing was changed; check what was exported.")
    if len(found.events) > MOST_EVENTS:
        raise TimelineRefused(f"This timeline has {len(found.events)} events; {MOST_EVENTS} are possible.")
    return found


_EVENT = re.compile(
    r"^\s*(\d{1,6})\s+(\S+)\s+(\S+)\s+(C|D|W\d{3}|K\S*)\s+(?:(\d{1,4})\s+)?"
    r"(\d\d[:;]\d\d[:;]\d\d[:;.,]\d\d)\s+(\d\d[:;]\d\d[:;]\d\d[:;.,]\d\d)\s+"
    r"(\d\d[:;]\d\d[:;]\d\d[:;.,]\d\d)\s+(\d\d[:;]\d\d[:;]\d\d[:;.,]\d\d)",
)
_CLIP = re.compile(r"^\s*\*\s*(?:FROM\s+)?CLIP\s+NAME\s*:\s*(.+?)\s*$", re.IGNORECASE)


def _edl(text: str, rate: FrameRate) -> Timeline:
    rows, remarks = text.splitlines(), list[str]()
    found: list[list[Any]] = []  # [name, source in, record in, record out]
    softened = skipped = 0
    for row in rows:
        if match := _EVENT.match(row):
            _, reel_name, track, kind, _, *codes = match.groups()
            if "V" not in track.upper() and track.upper() not in ("B", "VA", "AA/V"):
                skipped += 1
                found.append([])
                continue
            source_in, source_out, record_in, record_out = (_frames(code, rate, row) for code in codes)
            softened += kind != "C" and source_out > source_in
            if record_out <= record_in:
                found.append([])
                continue
            name = "" if reel_name.upper() in ("BL", "BLACK") else reel_name
            found.append([name, source_in, record_in, record_out])
        elif (match := _CLIP.match(row)) and found and found[-1] and found[-1][0]:
            found[-1][0] = match[1]
    shown = sorted((event for event in found if event), key=lambda event: event[2])
    if not shown:
        raise TimelineRefused(
            "This file is no timeline that Fendo can read. EDL (CMX3600) and OTIO files are read; nothing was changed."
        )
    if softened:
        remarks.append(f"{softened} dissolve{'s' if softened != 1 else ''} or wipes are taken as cuts")
    if skipped:
        remarks.append(f"{skipped} event{'s' if skipped != 1 else ''} of sound {'are' if skipped != 1 else 'is'} left out")
    start, at, events = shown[0][2], shown[0][2], list[Event]()
    for name, source_in, record_in, record_out in shown:
        if record_in > at:
            events.append(Event("", 0, record_in - at))
        over = max(0, at - record_in)
        if record_out - record_in - over > 0:
            events.append(Event(name, source_in + over, record_out - record_in - over, from_midnight=True))
        at = max(at, record_out)
    return Timeline(tuple(events), start, tuple(remarks))


def _frames(code: str, rate: FrameRate, row: str) -> int:
    drop = ";" in code and rate.fps in (Fraction(30000, 1001), Fraction(60000, 1001))
    plain = re.sub(r"[;.,]", ":", code)
    try:
        return parse_timecode(plain[:8] + ";" + plain[9:] if drop else plain, FrameRate(rate.fps, drop))
    except TimecodeError as error:
        raise TimelineRefused(
            f"“{row.strip()[:120]}” can't be read at {rate.text} frames a second: {error} "
            "Nothing was changed. Bring in a film first, so that the production has its rate."
        ) from error


def _otio(text: str, rate: FrameRate) -> Timeline:
    import opentimelineio as otio

    try:
        whole = otio.adapters.read_from_string(text, "otio_json")
    except Exception as error:
        raise TimelineRefused(
            "This file begins like an OTIO timeline but can't be read: it is damaged or not complete. Nothing was changed."
        ) from error
    if not isinstance(whole, otio.schema.Timeline):
        raise TimelineRefused("This OTIO file holds no timeline. Nothing was changed; export the sequence itself.")
    tracks = [track for track in whole.tracks if track.kind == otio.schema.TrackKind.Video]
    if not tracks:
        raise TimelineRefused("There are no pictures in this timeline. Nothing was changed; check what was exported.")
    remarks = [f"it has {len(tracks)} tracks of pictures: the first one is used"] if len(tracks) > 1 else []
    events, softened = list[Event](), 0
    for item in tracks[0]:
        if isinstance(item, otio.schema.Transition):
            softened += 1
            continue
        if isinstance(item, otio.schema.Gap) or not isinstance(item, otio.schema.Clip):
            events.append(Event("", 0, _count(item.duration(), rate)))
            continue
        shown, there = item.trimmed_range(), _available(item)
        first = _count(shown.start_time, rate) - (_count(there.start_time, rate) if there else 0)
        events.append(Event(_medium(item), max(0, first), _count(shown.duration, rate), from_midnight=there is None))
    if softened:
        remarks.append(f"{softened} transition{'s' if softened != 1 else ''} taken as cuts")
    start = whole.global_start_time
    return Timeline(tuple(e for e in events if e.length), _count(start, rate) if start else None, tuple(remarks))


def _count(time: Any, rate: FrameRate) -> int:
    """An OTIO time as frames of the production: its seconds, to the nearest frame."""
    exact = Fraction(time.value).limit_denominator(10**6) / Fraction(time.rate).limit_denominator(1001)
    # 23.976 and its kin are written with three decimals or many; each means the exact fraction.
    if abs(float(rate.fps) - time.rate) < 0.01:
        whole: int = round(time.value)
        return whole
    return round(exact * rate.fps)


def _available(clip: Any) -> Any:
    reference = clip.media_reference
    return reference.available_range if reference is not None else None


def _medium(clip: Any) -> str:
    target = getattr(clip.media_reference, "target_url", "") or ""
    return PurePosixPath(target.replace("\\", "/")).name or clip.name or "a clip without a name"


def match(name: str, known: Mapping[str, str]) -> str | None:
    """The source that a medium's name means: the same name, with or without ending, in capitals or not.

    Args:
        known: names of the sources, by identity.
    """
    wanted = PurePosixPath(name.replace("\\", "/")).name.casefold()
    for key, found in known.items():
        if found.casefold() == wanted:
            return key
    stem = PurePosixPath(wanted).stem
    stems = [key for key, found in known.items() if PurePosixPath(found.casefold()).stem == stem]
    return stems[0] if len(stems) == 1 else None


def known_media(events: Iterable[Event], sources: Sources) -> dict[str, Source | None]:
    """The source that each medium of a timeline is; None for one that is missing."""
    names = {key: source.name for key, source in sources.items() if source.kind != "sound"}
    found = {medium: match(medium, names) for medium in {event.medium for event in events} if medium}
    return {medium: sources[key] if key else None for medium, key in found.items()}


def pieces_of(events: Sequence[Event], sources: Sources, rate: FrameRate, new_id: NewId) -> Reel:
    """The reel of a timeline. What a medium lacks, or a medium that is missing, becomes a card with its name."""
    known, hour, offsets = known_media(events, sources), round(3600 * rate.fps), dict[str, int]()
    for medium in {event.medium for event in events if event.from_midnight and event.medium}:
        earliest, source = min(event.first for event in events if event.medium == medium), known[medium]
        # A tape that begins at a whole hour: what is said is counted from there.
        offsets[medium] = earliest // hour * hour if source and earliest >= source.frames > 0 else 0
    made = list[Piece]()
    for event in events:
        source, shown = known.get(event.medium), 0
        if source:
            is_film, first = source.kind == "film", event.first - offsets.get(event.medium, 0)
            shown = max(0, min(event.length, source.frames - first)) if is_film else event.length
            if shown:
                made.append(Piece(new_id(), shown, source.id, first if is_film else 0))
        if event.length > shown:
            made.append(Piece(new_id(), event.length - shown, name=event.medium[:LONGEST_NAME]))
    return tuple(made)
