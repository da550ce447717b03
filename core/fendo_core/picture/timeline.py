"""Timelines from other programs: an EDL (CMX3600) or an OTIO file as clips, in order, with in and out.

`FROM CLIP NAME`, the file or the reel names the medium. Record times without an event between them are holes. Where several
tracks of pictures lie above one another the upper one is seen. What a reel can't show as it was is said, event by event.
"""

from collections.abc import Iterable, Mapping, Sequence
from fractions import Fraction
from pathlib import PurePosixPath

from fendo_core.picture import edl, otio_json
from fendo_core.picture.layers import MOST_EVENTS, Event, Timeline, TimelineRefused
from fendo_core.picture.reel import LONGEST_NAME, Clip, NewId, Reel, Source, Sources
from fendo_core.timebase import FrameRate, TimecodeError, parse_timecode

LARGEST_FILE = 8 << 20

__all__ = [
    "Event",
    "Timeline",
    "TimelineRefused",
    "begins_at",
    "clips_of",
    "decoded",
    "known_media",
    "match",
    "read",
    "read_from",
]


def read(data: bytes, rate: FrameRate) -> Timeline:
    """A timeline, whatever it is called, at the production's rate.

    Raises:
        TimelineRefused: when it is none, or holds nothing.
    """
    text = decoded(data)
    found = otio_json.read(text, rate) if text.lstrip().startswith("{") else edl.read(text, rate)
    if len(found.events) > MOST_EVENTS:
        raise TimelineRefused(f"This timeline has {len(found.events)} events; {MOST_EVENTS} are possible.")
    return found


def decoded(data: bytes) -> str:
    """Text in UTF-8, UTF-16 or, as of old, one byte a letter.

    Raises:
        TimelineRefused: for a file that is too large.
    """
    if len(data) > LARGEST_FILE:
        raise TimelineRefused("This timeline is larger than 8 MB. Nothing was changed; export the sequence alone.")
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return data.decode("utf-16", "replace")
    if data[:200].count(0) > 40:
        return data.decode("utf-16-le" if data[1:2] == b"\0" else "utf-16-be", "replace")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("cp1252", "replace")


def begins_at(code: str, own: FrameRate, rate: FrameRate) -> int | None:
    """Frames since midnight, at the production's rate, of the first frame of a medium whose file says its timecode.

    Args:
        code: the timecode, with a semicolon where it counts drop-frame; "" for none.
        own: the medium's rate.
        rate: the production's.

    Returns:
        None where there is no timecode, or one that its rate does not have.
    """
    dropping = ";" in code and own.fps in (Fraction(30000, 1001), Fraction(60000, 1001))
    try:
        frame = parse_timecode(code, FrameRate(own.fps, dropping))
    except TimecodeError:
        return None
    return frame if own.fps == rate.fps else round(frame / own.fps * rate.fps)


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
    """The source that each medium of a timeline is, by its name, its file or its reel; None for one that is missing."""
    names = {key: source.name for key, source in sources.items() if source.kind != "sound"}
    found: dict[str, Source | None] = {}
    for event in events:
        if event.medium and found.get(event.medium) is None:
            keys = (match(name, names) for name in (event.medium, *event.names))
            key = next((key for key in keys if key), None)
            found[event.medium] = sources[key] if key else None
    return found


def _counted_from(events: Sequence[Event], source: Source | None, rate: FrameRate) -> tuple[int, bool]:
    """The timecode of a medium's first frame, in frames since midnight; and whether that is a guess.

    Args:
        events: those of the medium whose `first` is a timecode.
        source: the medium.
        rate: of the production.
    """
    hour = round(3600 * rate.fps)
    if source is None or source.kind != "film":
        return 0, False
    earliest = min(event.first for event in events)
    if source.begins is not None and any(
        0 <= first - source.begins < source.frames for first in (earliest, earliest + 24 * hour)
    ):
        return source.begins, False
    if earliest < source.frames:
        return 0, False
    # A tape that begins at a whole hour: what is said is counted from there.
    whole = earliest // hour * hour
    if earliest - whole < source.frames:
        return whole, False
    return earliest, True


def read_from(events: Sequence[Event], sources: Sources, rate: FrameRate) -> list[str]:
    """What is doubtful in where media are read: their files say no timecode that fits what the timeline says."""
    known = known_media(events, sources)
    said = []
    for medium in sorted({event.medium for event in events if event.from_midnight and event.medium}):
        of_it = [event for event in events if event.medium == medium and event.from_midnight]
        if _counted_from(of_it, known[medium], rate)[1]:
            said.append(f"{medium} says no timecode of its own: its earliest event is taken as its beginning; look at it")
    return said


def clips_of(events: Sequence[Event], sources: Sources, rate: FrameRate, new_id: NewId) -> Reel:
    """The reel of a timeline. What a medium lacks, or a medium that is missing, becomes a card with its name."""
    known, offsets = known_media(events, sources), dict[str, int]()
    of_media: dict[str, list[Event]] = {}
    for event in events:
        if event.from_midnight and event.medium:
            of_media.setdefault(event.medium, []).append(event)
    for medium, of_it in of_media.items():
        offsets[medium] = _counted_from(of_it, known[medium], rate)[0]
    day = round(24 * 3600 * rate.fps)
    made = list[Clip]()
    for event in events:
        source, shown = known.get(event.medium), 0
        if source:
            is_film, first = source.kind == "film", event.first
            if event.from_midnight:
                first -= offsets.get(event.medium, 0)
                first += day if first < 0 and first + day < source.frames else 0
            before = min(event.length, max(0, -first)) if is_film else 0
            if before:
                made.append(Clip(new_id(), before, name=event.medium[:LONGEST_NAME]))
            rest, first = event.length - before, max(0, first)
            shown = max(0, min(rest, source.frames - first)) if is_film else rest
            if shown:
                made.append(Clip(new_id(), shown, source.id, first if is_film else 0))
            shown += before
        if event.length > shown:
            made.append(Clip(new_id(), event.length - shown, name=event.medium[:LONGEST_NAME]))
    return tuple(made)
