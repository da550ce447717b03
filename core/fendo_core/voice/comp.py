"""What sounds for a line, as a value: segments of recordings in order, and where all of it lies in the programme.

A comp is never changed; every function here makes another one. Its own samples are counted from its first, so that moving
it touches nothing inside. Where two segments overlap, the first fades into the second.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds
from fendo_core.voice.chain import Chain
from fendo_core.voice.samples import ProgrammeSample

BEFORE_SPEECH = milliseconds(350)
AFTER_SPEECH = milliseconds(450)
"""A take sounds with its breath and its tail, not with its whole handles: neighbours would add up their rooms."""
CROSSFADE = milliseconds(20)
SHORTEST = milliseconds(20)
"""No segment gets shorter than this when a seam or an end is moved."""
EDGE_FADE = milliseconds(5)
"""How fast something comes and goes that was cut off by hand, or stands beside a hole: long enough not to click."""

LOUDEST = 60.0
LONGEST = 48 * 3600 * SAMPLE_RATE
"""No comp is longer, or lies further from the programme's beginning: two days."""

Knot = tuple[int, int]
"""(sample of the recording, sample of the comp)."""


@dataclass(frozen=True, slots=True)
class Segment:
    """A stretch of a recording at a place of the comp.

    Attributes:
        recording: its identity.
        source: samples of the recording.
        at: sample of the comp at which it begins.
        gain: dB.
        fade_in: samples in which it comes in; `fade_out` in which it goes.
        warp: knots (sample of the recording, sample of the comp), both strictly rising, from the first to the last sample
            of the segment; empty: not stretched.

    Raises:
        ValueError: for knots that do not rise, or do not begin and end with the segment; for values out of all bounds.
    """

    recording: str
    source: Span
    at: int = 0
    gain: float = 0.0
    fade_in: int = 0
    fade_out: int = 0
    warp: tuple[Knot, ...] = ()

    def __post_init__(self) -> None:
        if self.source.start < 0 or not -LOUDEST <= self.gain <= LOUDEST or min(self.fade_in, self.fade_out) < 0:
            raise ValueError("a segment lies in its recording, is at most 60 dB louder or quieter, and fades forwards")
        if not self.warp:
            return
        if any(b[0] <= a[0] or b[1] <= a[1] for a, b in zip(self.warp, self.warp[1:], strict=False)) or len(self.warp) < 2:
            raise ValueError("the knots of a warp must rise, and there must be two of them at least")
        if (self.warp[0][0], self.warp[-1][0], self.warp[0][1]) != (self.source.start, self.source.end, self.at):
            raise ValueError("a warp begins and ends with its segment")

    @property
    def end(self) -> int:
        """Sample of the comp after its last."""
        return self.warp[-1][1] if self.warp else self.at + self.source.length

    @property
    def span(self) -> Span:
        """Where it lies in the comp."""
        return Span(self.at, self.end)

    def source_at(self, sample: int) -> int:
        """Sample of the recording that sounds at a sample of the comp; inside the segment, or at its end."""
        if not self.warp:
            return self.source.start + sample - self.at
        for (a, x), (b, y) in zip(self.warp, self.warp[1:], strict=False):
            if sample <= y:
                return a + round((sample - x) * (b - a) / (y - x))
        return self.source.end

    def comp_at(self, sample: int) -> int:
        """Sample of the comp at which a sample of the recording sounds; inside the segment, or at its end."""
        if not self.warp:
            return self.at + sample - self.source.start
        for (a, x), (b, y) in zip(self.warp, self.warp[1:], strict=False):
            if sample <= b:
                return x + round((sample - a) * (y - x) / (b - a))
        return self.end

    def shifted(self, by: int) -> "Segment":
        """The same `by` samples of the comp later."""
        return replace(self, at=self.at + by, warp=tuple((a, b + by) for a, b in self.warp))

    @property
    def is_plain(self) -> bool:
        """Whether it sounds exactly as it was recorded."""
        return not (self.gain or self.fade_in or self.fade_out or self.warp)


@dataclass(frozen=True, slots=True)
class RoomTone:
    """A stretch of a recording in which nobody speaks, repeated to fill holes."""

    recording: str
    span: Span


@dataclass(frozen=True, slots=True)
class Comp:
    """What sounds for a line.

    Attributes:
        at: programme sample of its first sample.
        segments: in the order of their places.
        tone: fills holes between segments; None: they are silent.
        treatment: the chain that all of it goes through; None: none.

    Raises:
        ValueError: for a comp without segments, or with segments out of order or before its first sample.
    """

    at: ProgrammeSample
    segments: tuple[Segment, ...]
    tone: RoomTone | None = None
    treatment: Chain | None = None

    def __post_init__(self) -> None:
        if not self.segments:
            raise ValueError("a comp has one segment at least")
        places = [segment.at for segment in self.segments]
        if not -LONGEST <= self.at <= LONGEST or self.length > LONGEST:
            raise ValueError("a comp lasts two days at most, and lies within two days")
        if places != sorted(places) or places[0] < 0:
            raise ValueError("the segments of a comp lie in the order of their places, none before its first sample")

    @property
    def length(self) -> int:
        """Samples from its first to its last."""
        return max(segment.end for segment in self.segments)

    @property
    def span(self) -> Span:
        """Where it lies in the programme."""
        return Span(self.at, self.at + self.length)

    @property
    def is_plain(self) -> bool:
        """Whether it is one stretch of one recording, exactly as it was recorded."""
        return (
            len(self.segments) == 1
            and self.segments[0].is_plain
            and self.segments[0].at == 0
            and not (self.treatment and self.treatment.working)
        )

    @property
    def recordings(self) -> frozenset[str]:
        """The recordings that it needs."""
        tone = {self.tone.recording} if self.tone else set()
        return frozenset({segment.recording for segment in self.segments} | tone)

    @staticmethod
    def of_take(recording: str, span: Span, speech: Span | None, place: int) -> "Comp":
        """What sounds of a take by itself: its speech with the breath before and the tail after.

        Args:
            span: samples of the recording that are the take.
            speech: where somebody speaks in it, samples of the recording; None: the whole take sounds.
            place: programme sample at which the recording's first sample lies.
        """
        source = span
        if speech:
            source = Span(max(span.start, speech.start - BEFORE_SPEECH), min(span.end, speech.end + AFTER_SPEECH))
        return Comp(ProgrammeSample(place + source.start), (Segment(recording, source),))

    def as_row(self) -> dict[str, Any]:
        """Plain values, as they are stored. The treatment is not: it is the line's, its folder's or the production's."""
        return {
            "at": self.at,
            "segments": [
                {
                    "recording": each.recording,
                    "source": [each.source.start, each.source.end],
                    "at": each.at,
                    "gain": each.gain,
                    "fades": [each.fade_in, each.fade_out],
                    "warp": [list(knot) for knot in each.warp],
                }
                for each in self.segments
            ],
            "tone": [self.tone.recording, self.tone.span.start, self.tone.span.end] if self.tone else None,
        }

    @staticmethod
    def from_row(row: Mapping[str, Any]) -> "Comp":
        """The comp that `as_row` gave.

        Raises:
            ValueError: for values that are none.
        """
        try:
            return Comp._from_row(row)
        except (KeyError, TypeError, IndexError, AttributeError, OverflowError) as error:
            raise ValueError(f"this is no comp ({error!r})") from error

    @staticmethod
    def _from_row(row: Mapping[str, Any]) -> "Comp":
        segments = tuple(
            Segment(
                str(each["recording"]),
                Span(*each["source"]),
                int(each["at"]),
                float(each["gain"]),
                int(each["fades"][0]),
                int(each["fades"][1]),
                tuple((int(a), int(b)) for a, b in each["warp"]),
            )
            for each in row["segments"]
        )
        tone = row["tone"]
        return Comp(
            ProgrammeSample(int(row["at"])), segments, RoomTone(str(tone[0]), Span(tone[1], tone[2])) if tone else None
        )


def shifted(comp: Comp, by: int) -> Comp:
    """The comp `by` samples later in the programme; its sound is the same."""
    return replace(comp, at=ProgrammeSample(comp.at + by))


def cut(comp: Comp, span: Span) -> Comp | None:
    """The part of a comp that lies at `span` of the programme, where it lay; None when nothing of it does.

    Cut ends have no fades of their own.
    """
    first, last = span.start - comp.at, span.end - comp.at
    kept = []
    for segment in comp.segments:
        a, b = max(segment.at, first), min(segment.end, last)
        if b <= a:
            continue
        start, end = segment.source_at(a), segment.source_at(b)
        if end <= start:
            continue
        warp: tuple[Knot, ...] = ()
        if segment.warp:
            inner = [knot for knot in segment.warp if start < knot[0] < end and a < knot[1] < b]
            warp = ((start, a), *inner, (end, b))
        kept.append(
            replace(
                segment,
                source=Span(start, end),
                at=a,
                warp=warp,
                fade_in=segment.fade_in if a == segment.at else 0,
                fade_out=segment.fade_out if b == segment.end else 0,
            )
        )
    if not kept:
        return None
    return _from(replace(comp, segments=tuple(kept)))


def _from(comp: Comp) -> Comp:
    """The same comp with its first segment at its first sample."""
    by = comp.segments[0].at
    moved = (each.shifted(-by) for each in comp.segments)
    return replace(comp, at=ProgrammeSample(comp.at + by), segments=tuple(moved))


def join(earlier: Comp, later: Comp, joint: int, crossfade: int = CROSSFADE) -> Comp:
    """Two comps made one: the earlier one up to the joint, the later one from there, each where it lies in the programme.

    Args:
        joint: programme sample in the middle of the crossfade.
        crossfade: samples; shorter where one of them has not that much sound around the joint.

    Raises:
        ValueError: when one of the two has no sound on its side of the joint.
    """
    half = max(0, min(crossfade // 2, earlier.span.end - joint, joint - later.span.start))
    before = cut(earlier, Span(earlier.span.start, joint + half)) if joint + half > earlier.span.start else None
    after = cut(later, Span(joint - half, later.span.end)) if joint - half < later.span.end else None
    if before is None or after is None:
        raise ValueError("one of the two has no sound on its side of the joint")
    by = after.at - before.at
    if by < 0:
        raise ValueError("the later one would begin before the earlier one")
    ended = replace(before.segments[-1], fade_out=2 * half)
    begun = replace(after.segments[0], fade_in=2 * half)
    moved = (each.shifted(by) for each in (begun, *after.segments[1:]))
    return replace(before, segments=(*before.segments[:-1], ended, *moved), treatment=None)


def seams(comp: Comp) -> tuple[int, ...]:
    """The seams of a comp, in its samples: the middle between the end of a segment and the start of the next."""
    pairs = zip(comp.segments, comp.segments[1:], strict=False)
    return tuple((one.end + other.at) // 2 for one, other in pairs)


def tighten(comp: Comp, gap: Span, keep: int, close_up: bool = True, crossfade: int = CROSSFADE) -> Comp:
    """A comp with a gap made shorter: `keep` samples of it stay, half on either side.

    Args:
        gap: samples of the comp in which nobody speaks.
        keep: samples of the gap that stay, the crossfade among them.
        close_up: what follows moves up; else it stays where it is, and the hole has room tone or nothing in it.
        crossfade: samples.

    Raises:
        ValueError: when nothing would be taken away, or the gap lies outside of the comp.
    """
    if not 0 <= gap.start < gap.end <= comp.length or not crossfade <= keep < gap.length:
        raise ValueError("a gap lies inside of what sounds, and keeps less than it has")
    half = (keep + crossfade) // 2
    before = cut(comp, Span(comp.at, comp.at + gap.start + half))
    after = cut(comp, Span(comp.at + gap.end - half, comp.span.end))
    if before is None or after is None:
        raise ValueError("there is nothing on one side of the gap")
    at = before.length - crossfade if close_up else gap.end - half
    ended = replace(before.segments[-1], fade_out=crossfade)
    first = replace(after.segments[0], fade_in=crossfade)
    moved = (each.shifted(at) for each in (first, *after.segments[1:]))
    return replace(comp, segments=(*before.segments[:-1], ended, *moved))


def move_seam(comp: Comp, seam: int, to: int, lengths: Mapping[str, int]) -> Comp:
    """A comp with one of its seams elsewhere: the segment before it ends later or earlier, and the next begins there.

    Both stay where they are, so what is said on either side keeps its place. Stretched segments keep their seams.

    Args:
        seam: index, as in `seams`.
        to: sample of the comp where the seam is wanted.
        lengths: of the recordings, samples: no segment outlasts its recording.

    Raises:
        ValueError: when the seam can't lie there; the message says why.
    """
    if not 0 <= seam < len(comp.segments) - 1:
        raise ValueError("there is no such seam")
    one, other = comp.segments[seam], comp.segments[seam + 1]
    if one.warp or other.warp:
        raise ValueError("a stretched part keeps its seams")
    by = to - seams(comp)[seam]
    end, start = one.source.end + by, other.source.start + by
    if end > lengths.get(one.recording, one.source.end) or start < 0:
        raise ValueError("the recording has no more sound there")
    if end - one.source.start < SHORTEST or other.source.end - start < SHORTEST:
        raise ValueError(f"a part lasts {SHORTEST / SAMPLE_RATE:g} s at least")
    before = replace(one, source=Span(one.source.start, end))
    after = replace(other, source=Span(start, other.source.end), at=other.at + by)
    return replace(comp, segments=(*comp.segments[:seam], before, after, *comp.segments[seam + 2 :]))


def move_end(comp: Comp, first: bool, to: int, lengths: Mapping[str, int]) -> Comp:
    """A comp that begins or ends elsewhere, inside what was recorded; what is said in it keeps its place.

    Args:
        first: whether it is its beginning that moves; else its end.
        to: sample of the comp where that is wanted; it may lie outside of the comp.
        lengths: of the recordings, samples.

    Raises:
        ValueError: when it can't lie there; the message says why.
    """
    one = comp.segments[0] if first else comp.segments[-1]
    if one.warp:
        raise ValueError("a stretched part keeps its ends")
    start, end = one.source.start, one.source.end
    if first:
        start += to - one.at
    else:
        end += to - one.end
    if start < 0 or end > lengths.get(one.recording, one.source.end):
        raise ValueError("the recording has no more sound there")
    fades = min(EDGE_FADE, end - start)
    if end - start < SHORTEST:
        raise ValueError(f"a part lasts {SHORTEST / SAMPLE_RATE:g} s at least")
    if not first:
        return replace(comp, segments=(*comp.segments[:-1], replace(one, source=Span(start, end), fade_out=fades)))
    others = tuple(each.shifted(-to) for each in comp.segments[1:])
    if others and others[0].at <= 0:
        raise ValueError("a part would begin before the one that it follows")
    made = replace(one, source=Span(start, end), at=0, fade_in=fades)
    return replace(comp, at=ProgrammeSample(comp.at + to), segments=(made, *others))
