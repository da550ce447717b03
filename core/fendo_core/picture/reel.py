"""The reel: clips of picture one after another, counted in whole frames of the production.

A clip is part of a film, a still or a page of slides for some time, or a card where picture is still missing. Clips lie
without holes: where nothing is to be seen yet there is a card. Every function takes the reel and returns a new one.
"""

from bisect import bisect_left, bisect_right
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import accumulate, pairwise
from typing import Literal, TypeAlias

from fendo_core.picture.shots import Shot
from fendo_core.production.refusal import EditRefused
from fendo_core.timebase import SAMPLE_RATE, FrameRate, Span

Kind: TypeAlias = Literal["film", "still", "slides", "sound"]
BedMode: TypeAlias = Literal["ducked", "full", "muted"]
Edge: TypeAlias = Literal["start", "end"]

BED_MODES: tuple[BedMode, ...] = ("ducked", "full", "muted")
GROUNDS = {"slate": "#3b4245", "black": "#000000", "sea": "#1d4e5f", "sand": "#e6dcc6"}
"""Grounds of cards by their names; the interface draws the same."""

COLOURS = tuple(GROUNDS)
STILL_SECONDS, CARD_SECONDS = 5, 3
"""How long a still or a page, and a card, stand when nobody has said it."""

MOST_CLIPS = 5_000
LONGEST_NAME = 200
LONGEST_SECONDS = 24 * 3600


@dataclass(frozen=True, slots=True)
class Source:
    """Something that was brought in.

    Attributes:
        frames: of a film, at the production's rate; 0 for what has no length of its own.
        pages: of slides; 1 for a still.
        shots: of a film, in its own samples.
        notes: of slides, what is to be said on each page.
        begins: of a film whose file says its timecode: that of its first frame, in frames since midnight at the
            production's rate.
        quiet: of a film or a sound, where its own sound is nothing but its room; in its own samples.
    """

    id: str
    name: str
    kind: Kind = "film"
    frames: int = 0
    pages: int = 1
    shots: tuple[Shot, ...] = ()
    notes: tuple[str, ...] = ()
    begins: int | None = None
    quiet: tuple[Span, ...] = ()


@dataclass(frozen=True, slots=True)
class Clip:
    """A stretch of the reel.

    Attributes:
        length: frames, at least one.
        source: what it shows; None for a card.
        first: frame of the source that is shown first; what shows one picture counts how much of it was cut off.
        page: of slides, from 0.
        name: what people call it; the words on a card.
        colour: ground of a card.
        bed: whether its own sound is heard, and whether it gives way to the voice.
        level: dB that its own sound is louder.
        opens: a shot begins with it.
    """

    id: str
    length: int
    source: str | None = None
    first: int = 0
    page: int = 0
    name: str = ""
    colour: str = COLOURS[0]
    bed: BedMode = "ducked"
    level: float = 0.0
    opens: bool = True

    @property
    def is_hole(self) -> bool:
        """A card that nobody has written on: picture is missing here."""
        return self.source is None and not self.name


Reel: TypeAlias = tuple[Clip, ...]
Sources: TypeAlias = Mapping[str, Source]
NewId: TypeAlias = Callable[[], str]


def starts(reel: Reel) -> list[int]:
    """The first frame of each clip, and behind them the number of frames of the whole."""
    return list(accumulate((clip.length for clip in reel), initial=0))


def length(reel: Reel, rate: FrameRate) -> int:
    """Samples of the whole reel."""
    return rate.first_sample(starts(reel)[-1])


def spans(reel: Reel, rate: FrameRate) -> list[Span]:
    """Where each clip lies in the programme, samples."""
    edges = [rate.first_sample(frame) for frame in starts(reel)]
    return [Span(start, end) for start, end in pairwise(edges)]


def find(reel: Reel, clip_id: str) -> int:
    """Index of a clip.

    Raises:
        EditRefused: when it is no longer there.
    """
    for index, clip in enumerate(reel):
        if clip.id == clip_id:
            return index
    raise EditRefused("This clip is no longer in the reel. Nothing was changed; undo may bring it back.")


def clip_at(reel: Reel, frame: int) -> int:
    """Index of the clip that shows a frame; the last one for what lies behind the reel.

    Raises:
        EditRefused: when the reel is empty.
    """
    if not reel:
        raise EditRefused("There is no picture yet. Bring in a film, stills or slides first, or leave a card.")
    return _index_at(starts(reel), frame)


def _index_at(edges: list[int], frame: int) -> int:
    """Index of the clip, of those that begin at `edges`, that shows a frame; the first before them, the last behind."""
    return min(max(0, bisect_right(edges, frame) - 1), len(edges) - 2)


def _bounded(reel: Reel) -> Reel:
    if len(reel) > MOST_CLIPS:
        raise EditRefused(f"A reel has at most {MOST_CLIPS} clips. Make another production for what follows.")
    return reel


def split(reel: Reel, frame: int, new_id: NewId) -> Reel:
    """The clip that shows `frame` parted before it; nothing moves.

    Raises:
        EditRefused: on the first frame of a clip.
    """
    index = clip_at(reel, frame)
    clip, at = reel[index], frame - starts(reel)[index]
    if not 0 < at < clip.length:
        raise EditRefused("A clip begins or ends here already. Move to the frame at which it is to be split.")
    parts = (replace(clip, length=at), _rest(clip, at, new_id()))
    return _bounded((*reel[:index], *parts, *reel[index + 1 :]))


def _rest(clip: Clip, cut: int, clip_id: str) -> Clip:
    return replace(clip, id=clip_id, first=clip.first + cut, length=clip.length - cut)


def insert(reel: Reel, new: Sequence[Clip], frame: int | None, new_id: NewId) -> Reel:
    """New clips before `frame` (None: at the end); a clip that shows it is split, and what follows moves on.

    A reel that ends before `frame` gets a card up to there.
    """
    end = starts(reel)[-1]
    if frame is None or frame == end:
        return _bounded((*reel, *new))
    if frame > end:
        return _bounded((*reel, Clip(new_id(), frame - end), *new))
    index = clip_at(reel, frame)
    if starts(reel)[index] != frame:
        reel, index = split(reel, frame, new_id), index + 1
    return _bounded((*reel[:index], *new, *reel[index:]))


def drop(reel: Reel, clip_id: str, close: bool, new_id: NewId) -> Reel:
    """A clip taken out; what follows closes up, or a card is left in its place."""
    index = find(reel, clip_id)
    left = () if close else (Clip(new_id(), reel[index].length),)
    return _joined_holes((*reel[:index], *left, *reel[index + 1 :]))


def _joined_holes(reel: Reel) -> Reel:
    """Holes beside one another made one."""
    joined: list[Clip] = []
    for clip in reel:
        if joined and clip.is_hole and joined[-1].is_hole and clip.colour == joined[-1].colour:
            joined[-1] = replace(joined[-1], length=joined[-1].length + clip.length)
        else:
            joined.append(clip)
    return tuple(joined)


def trim(reel: Reel, clip_id: str, edge: Edge, frame: int, close: bool, new_id: NewId, sources: Sources) -> Reel:
    """One end of a clip moved to a frame of the programme.

    With `close` everything behind it moves along. Without, a hole takes up what is freed, and a clip grows into one only.

    Raises:
        EditRefused: where no frame would be left, the source has no more, or another clip is in the way.
    """
    index = find(reel, clip_id)
    clip, begin = reel[index], starts(reel)[index]
    more = frame - (begin + clip.length) if edge == "end" else begin - frame
    if more == 0:
        return reel
    if clip.length + more < 1:
        raise EditRefused("At least one frame of a clip stays. To be rid of all of it, drop it.")
    first = clip.first - more if edge == "start" else clip.first
    source = sources.get(clip.source or "")
    if source is None or source.kind != "film":
        first = max(0, first)
    elif first < 0:
        raise EditRefused(f"“{source.name}” has no picture before its first frame: {-first} frames are missing.")
    elif first + clip.length + more > source.frames:
        missing = first + clip.length + more - source.frames
        raise EditRefused(f"“{source.name}” ends here: {missing} frames are missing. A still or a card can be any length.")
    grown = replace(clip, first=first, length=clip.length + more)
    if close:
        return (*reel[:index], grown, *reel[index + 1 :])
    beside = index + 1 if edge == "end" else index - 1
    if more < 0:
        hole = Clip(new_id(), -more)
        order = (grown, hole) if edge == "end" else (hole, grown)
        return _joined_holes((*reel[:index], *order, *reel[index + 1 :]))
    if beside == len(reel):
        return (*reel[:index], grown)
    if beside < 0 or not reel[beside].is_hole or reel[beside].length < more:
        where = "behind" if edge == "end" else "before"
        raise EditRefused(
            f"There is no hole {where} this clip that is long enough. Let what follows move along, or make room first."
        )
    rest = replace(reel[beside], length=reel[beside].length - more)
    found = list(reel)
    found[index] = grown
    if rest.length:
        found[beside] = rest
    else:
        del found[beside]
    return tuple(found)


def move(reel: Reel, clip_id: str, before: str | None) -> Reel:
    """A clip put before another one (None: at the end)."""
    index = find(reel, clip_id)
    rest = (*reel[:index], *reel[index + 1 :])
    if before == clip_id:
        return reel
    place = len(rest) if before is None else find(rest, before)
    return (*rest[:place], reel[index], *rest[place:])


def fill(reel: Reel, clip_id: str, shown: Clip, sources: Sources, new_id: NewId) -> Reel:
    """A shot put in the place of a clip, keeping the length; where the shot is too short, a hole is left behind it."""
    index = find(reel, clip_id)
    old, source = reel[index], sources[shown.source or ""]
    has = source.frames - shown.first if source.kind == "film" else old.length
    if has < 1:
        raise EditRefused(f"“{source.name}” has no picture there. Choose an earlier frame to begin with.")
    placed = replace(shown, length=min(has, old.length), opens=old.opens)
    rest = old.length - placed.length
    left = (Clip(new_id(), rest),) if rest else ()
    return _joined_holes((*reel[:index], placed, *left, *reel[index + 1 :]))


def whole(source: Source, clip_id: str, frames: int = 0, page: int = 0) -> Clip:
    """A clip that shows all of a source, or `frames` of what has no length of its own."""
    if source.kind == "sound":
        raise EditRefused(f"“{source.name}” has sound only. Lay it under the picture; it can't be a clip of the reel.")
    if source.kind == "slides" and not 0 <= page < source.pages:
        raise EditRefused(f"“{source.name}” has {source.pages} pages, and no page {page + 1}.")
    count = source.frames if source.kind == "film" else frames
    if count < 1:
        raise EditRefused("A still or a card needs a length of at least one frame.")
    return Clip(clip_id, count, source.id, page=page)


def follower(before: Reel, after: Reel) -> Callable[[int], int | None]:
    """Where the picture of a frame has gone: a function from the old frame to the new one, None where it is gone.

    A frame is found again in the clip of the same identity, or in one that was split off it. What lies before the reel
    stays, what lies behind it goes with its end.
    """
    old, new = starts(before), starts(after)
    known = {clip.id for clip in before}
    places = {clip.id: n for n, clip in enumerate(after)}
    split_off = [n for n, clip in enumerate(after) if clip.id not in known]

    def where(frame: int) -> int | None:
        if frame < 0 or not before:
            return frame
        if frame >= old[-1]:
            return frame + new[-1] - old[-1]
        index = _index_at(old, frame)
        clip, offset = before[index], frame - old[index]
        shown = clip.first + offset
        own = places.get(clip.id)
        rest = [n for n in split_off if (after[n].source, after[n].page) == (clip.source, clip.page) and clip.source]
        for n in [*([own] if own is not None else []), *rest]:
            if 0 <= shown - after[n].first < after[n].length:
                return new[n] + shown - after[n].first
        return None

    return where


@dataclass(frozen=True, slots=True)
class ReelShot:
    """A shot of the programme: its span in samples, its name, and the clip it begins in."""

    span: Span
    name: str
    clip: str


def source_frame(rate: FrameRate, sample: int) -> int:
    """The first of the production's frames that shows what a source shows from `sample` on: its middle lies behind it."""
    return rate.frame_at(sample + SAMPLE_RATE * rate.fps.denominator // (2 * rate.fps.numerator))


def reel_shots(reel: Reel, sources: Sources, rate: FrameRate) -> tuple[ReelShot, ...]:
    """The shots of the programme in order, without a hole: where clips begin, and where films are cut."""
    if not reel:
        return ()
    begins: list[tuple[int, str, str]] = []
    edges = starts(reel)
    # A film may lie in hundreds of clips: where its shots begin is told once.
    cuts = {
        key: [source_frame(rate, shot.span.start) for shot in source.shots]
        for key, source in sources.items()
        if source.kind == "film"
    }
    for clip, start in zip(reel, edges, strict=False):
        own = cuts.get(clip.source or "", [])
        named = sources[clip.source].shots if clip.source and own else ()
        low, high = bisect_right(own, clip.first), bisect_left(own, clip.first + clip.length)
        inside = [(own[n] - clip.first, named[n].name) for n in range(low, high)]
        inside.insert(0, (0, named[low - 1].name if low else ""))
        for at, name in inside:
            if at == 0 and begins and not clip.opens:
                continue
            begins.append((start + at, (name or clip.name) if at == 0 else name, clip.id))
    ends = [*(frame for frame, _, _ in begins[1:]), edges[-1]]
    return tuple(
        ReelShot(Span(rate.first_sample(frame), rate.first_sample(end)), name, clip)
        for (frame, name, clip), end in zip(begins, ends, strict=True)
    )
