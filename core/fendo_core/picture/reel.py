"""The reel: pieces of picture one after another, counted in whole frames of the production.

A piece is part of a film, a still or a page of slides for some time, or a card where picture is still missing. Pieces lie
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
Heard: TypeAlias = Literal["lowered", "kept", "silent"]
Edge: TypeAlias = Literal["start", "end"]

HEARD: tuple[Heard, ...] = ("lowered", "kept", "silent")
GROUNDS = {"slate": "#3b4245", "black": "#000000", "sea": "#1d4e5f", "sand": "#e6dcc6"}
"""Grounds of cards by their names; the interface draws the same."""

COLOURS = tuple(GROUNDS)
STILL_SECONDS, CARD_SECONDS = 5, 3
"""How long a still or a page, and a card, stand when nobody has said it."""

MOST_PIECES = 5_000
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
class Piece:
    """A stretch of the reel.

    Attributes:
        length: frames, at least one.
        source: what it shows; None for a card.
        first: frame of the source that is shown first; what shows one picture counts how much of it was cut off.
        page: of slides, from 0.
        name: what people call it; the words on a card.
        colour: ground of a card.
        heard: whether its own sound is heard, and whether it gives way to the voice.
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
    heard: Heard = "lowered"
    level: float = 0.0
    opens: bool = True

    @property
    def is_hole(self) -> bool:
        """A card that nobody has written on: picture is missing here."""
        return self.source is None and not self.name


Reel: TypeAlias = tuple[Piece, ...]
Sources: TypeAlias = Mapping[str, Source]
NewId: TypeAlias = Callable[[], str]


def starts(reel: Reel) -> list[int]:
    """The first frame of each piece, and behind them the number of frames of the whole."""
    return list(accumulate((piece.length for piece in reel), initial=0))


def length(reel: Reel, rate: FrameRate) -> int:
    """Samples of the whole reel."""
    return rate.first_sample(starts(reel)[-1])


def spans(reel: Reel, rate: FrameRate) -> list[Span]:
    """Where each piece lies in the programme, samples."""
    edges = [rate.first_sample(frame) for frame in starts(reel)]
    return [Span(start, end) for start, end in pairwise(edges)]


def find(reel: Reel, piece_id: str) -> int:
    """Index of a piece.

    Raises:
        EditRefused: when it is no longer there.
    """
    for index, piece in enumerate(reel):
        if piece.id == piece_id:
            return index
    raise EditRefused("This piece is no longer in the reel. Nothing was changed; undo may bring it back.")


def piece_at(reel: Reel, frame: int) -> int:
    """Index of the piece that shows a frame; the last one for what lies behind the reel.

    Raises:
        EditRefused: when the reel is empty.
    """
    if not reel:
        raise EditRefused("There is no picture yet. Bring in a film, stills or slides first, or leave a card.")
    return _index_at(starts(reel), frame)


def _index_at(edges: list[int], frame: int) -> int:
    """Index of the piece, of those that begin at `edges`, that shows a frame; the first before them, the last behind."""
    return min(max(0, bisect_right(edges, frame) - 1), len(edges) - 2)


def _bounded(reel: Reel) -> Reel:
    if len(reel) > MOST_PIECES:
        raise EditRefused(f"A reel has at most {MOST_PIECES} pieces. Make another production for what follows.")
    return reel


def split(reel: Reel, frame: int, new_id: NewId) -> Reel:
    """The piece that shows `frame` parted before it; nothing moves.

    Raises:
        EditRefused: on the first frame of a piece.
    """
    index = piece_at(reel, frame)
    piece, at = reel[index], frame - starts(reel)[index]
    if not 0 < at < piece.length:
        raise EditRefused("A piece begins or ends here already. Move to the frame at which it is to be split.")
    parts = (replace(piece, length=at), _rest(piece, at, new_id()))
    return _bounded((*reel[:index], *parts, *reel[index + 1 :]))


def _rest(piece: Piece, cut: int, piece_id: str) -> Piece:
    return replace(piece, id=piece_id, first=piece.first + cut, length=piece.length - cut)


def insert(reel: Reel, new: Sequence[Piece], frame: int | None, new_id: NewId) -> Reel:
    """New pieces before `frame` (None: at the end); a piece that shows it is split, and what follows moves on.

    A reel that ends before `frame` gets a card up to there.
    """
    end = starts(reel)[-1]
    if frame is None or frame == end:
        return _bounded((*reel, *new))
    if frame > end:
        return _bounded((*reel, Piece(new_id(), frame - end), *new))
    index = piece_at(reel, frame)
    if starts(reel)[index] != frame:
        reel, index = split(reel, frame, new_id), index + 1
    return _bounded((*reel[:index], *new, *reel[index:]))


def drop(reel: Reel, piece_id: str, close: bool, new_id: NewId) -> Reel:
    """A piece taken out; what follows closes up, or a card is left in its place."""
    index = find(reel, piece_id)
    left = () if close else (Piece(new_id(), reel[index].length),)
    return _joined_holes((*reel[:index], *left, *reel[index + 1 :]))


def _joined_holes(reel: Reel) -> Reel:
    """Holes beside one another made one."""
    joined: list[Piece] = []
    for piece in reel:
        if joined and piece.is_hole and joined[-1].is_hole and piece.colour == joined[-1].colour:
            joined[-1] = replace(joined[-1], length=joined[-1].length + piece.length)
        else:
            joined.append(piece)
    return tuple(joined)


def trim(reel: Reel, piece_id: str, edge: Edge, frame: int, close: bool, new_id: NewId, sources: Sources) -> Reel:
    """One end of a piece moved to a frame of the programme.

    With `close` everything behind it moves along. Without, a hole takes up what is freed, and a piece grows into one only.

    Raises:
        EditRefused: where no frame would be left, the source has no more, or another piece is in the way.
    """
    index = find(reel, piece_id)
    piece, begin = reel[index], starts(reel)[index]
    more = frame - (begin + piece.length) if edge == "end" else begin - frame
    if more == 0:
        return reel
    if piece.length + more < 1:
        raise EditRefused("At least one frame of a piece stays. To be rid of all of it, drop it.")
    first = piece.first - more if edge == "start" else piece.first
    source = sources.get(piece.source or "")
    if source is None or source.kind != "film":
        first = max(0, first)
    elif first < 0:
        raise EditRefused(f"“{source.name}” has no picture before its first frame: {-first} frames are missing.")
    elif first + piece.length + more > source.frames:
        missing = first + piece.length + more - source.frames
        raise EditRefused(f"“{source.name}” ends here: {missing} frames are missing. A still or a card can be any length.")
    grown = replace(piece, first=first, length=piece.length + more)
    if close:
        return (*reel[:index], grown, *reel[index + 1 :])
    beside = index + 1 if edge == "end" else index - 1
    if more < 0:
        hole = Piece(new_id(), -more)
        order = (grown, hole) if edge == "end" else (hole, grown)
        return _joined_holes((*reel[:index], *order, *reel[index + 1 :]))
    if beside == len(reel):
        return (*reel[:index], grown)
    if beside < 0 or not reel[beside].is_hole or reel[beside].length < more:
        where = "behind" if edge == "end" else "before"
        raise EditRefused(
            f"There is no hole {where} this piece that is long enough. Let what follows move along, or make room first."
        )
    rest = replace(reel[beside], length=reel[beside].length - more)
    found = list(reel)
    found[index] = grown
    if rest.length:
        found[beside] = rest
    else:
        del found[beside]
    return tuple(found)


def move(reel: Reel, piece_id: str, before: str | None) -> Reel:
    """A piece put before another one (None: at the end)."""
    index = find(reel, piece_id)
    rest = (*reel[:index], *reel[index + 1 :])
    if before == piece_id:
        return reel
    place = len(rest) if before is None else find(rest, before)
    return (*rest[:place], reel[index], *rest[place:])


def fill(reel: Reel, piece_id: str, shown: Piece, sources: Sources, new_id: NewId) -> Reel:
    """A shot put in the place of a piece, keeping the length; where the shot is too short, a hole is left behind it."""
    index = find(reel, piece_id)
    old, source = reel[index], sources[shown.source or ""]
    has = source.frames - shown.first if source.kind == "film" else old.length
    if has < 1:
        raise EditRefused(f"“{source.name}” has no picture there. Choose an earlier frame to begin with.")
    placed = replace(shown, length=min(has, old.length), opens=old.opens)
    rest = old.length - placed.length
    left = (Piece(new_id(), rest),) if rest else ()
    return _joined_holes((*reel[:index], placed, *left, *reel[index + 1 :]))


def whole(source: Source, piece_id: str, frames: int = 0, page: int = 0) -> Piece:
    """A piece that shows all of a source, or `frames` of what has no length of its own."""
    if source.kind == "sound":
        raise EditRefused(f"“{source.name}” has sound only. Lay it under the picture; it can't be a piece of the reel.")
    if source.kind == "slides" and not 0 <= page < source.pages:
        raise EditRefused(f"“{source.name}” has {source.pages} pages, and no page {page + 1}.")
    count = source.frames if source.kind == "film" else frames
    if count < 1:
        raise EditRefused("A still or a card needs a length of at least one frame.")
    return Piece(piece_id, count, source.id, page=page)


def follower(before: Reel, after: Reel) -> Callable[[int], int | None]:
    """Where the picture of a frame has gone: a function from the old frame to the new one, None where it is gone.

    A frame is found again in the piece of the same identity, or in one that was split off it. What lies before the reel
    stays, what lies behind it goes with its end.
    """
    old, new = starts(before), starts(after)
    known = {piece.id for piece in before}
    places = {piece.id: n for n, piece in enumerate(after)}
    split_off = [n for n, piece in enumerate(after) if piece.id not in known]

    def where(frame: int) -> int | None:
        if frame < 0 or not before:
            return frame
        if frame >= old[-1]:
            return frame + new[-1] - old[-1]
        index = _index_at(old, frame)
        piece, offset = before[index], frame - old[index]
        shown = piece.first + offset
        own = places.get(piece.id)
        rest = [n for n in split_off if (after[n].source, after[n].page) == (piece.source, piece.page) and piece.source]
        for n in [*([own] if own is not None else []), *rest]:
            if 0 <= shown - after[n].first < after[n].length:
                return new[n] + shown - after[n].first
        return None

    return where


@dataclass(frozen=True, slots=True)
class ReelShot:
    """A shot of the programme: its span in samples, its name, and the piece it begins in."""

    span: Span
    name: str
    piece: str


def source_frame(rate: FrameRate, sample: int) -> int:
    """The first of the production's frames that shows what a source shows from `sample` on: its middle lies behind it."""
    return rate.frame_at(sample + SAMPLE_RATE * rate.fps.denominator // (2 * rate.fps.numerator))


def reel_shots(reel: Reel, sources: Sources, rate: FrameRate) -> tuple[ReelShot, ...]:
    """The shots of the programme in order, without a hole: where pieces begin, and where films are cut."""
    if not reel:
        return ()
    begins: list[tuple[int, str, str]] = []
    edges = starts(reel)
    # A film may lie in hundreds of pieces: where its shots begin is told once.
    cuts = {
        key: [source_frame(rate, shot.span.start) for shot in source.shots]
        for key, source in sources.items()
        if source.kind == "film"
    }
    for piece, start in zip(reel, edges, strict=False):
        own = cuts.get(piece.source or "", [])
        named = sources[piece.source].shots if piece.source and own else ()
        low, high = bisect_right(own, piece.first), bisect_left(own, piece.first + piece.length)
        inside = [(own[n] - piece.first, named[n].name) for n in range(low, high)]
        inside.insert(0, (0, named[low - 1].name if low else ""))
        for at, name in inside:
            if at == 0 and begins and not piece.opens:
                continue
            begins.append((start + at, (name or piece.name) if at == 0 else name, piece.id))
    ends = [*(frame for frame, _, _ in begins[1:]), edges[-1]]
    return tuple(
        ReelShot(Span(rate.first_sample(frame), rate.first_sample(end)), name, piece)
        for (frame, name, piece), end in zip(begins, ends, strict=True)
    )
