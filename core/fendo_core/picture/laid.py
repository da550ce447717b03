"""Sound laid under the picture: music under a stretch, or the original that an interpreter hears."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray

from fendo_core.picture.reel import BED_MODES, BedMode, Reel, Sources, spans
from fendo_core.production.refusal import EditRefused
from fendo_core.timebase import SAMPLE_RATE, FrameRate, Span, uncovered

Channel: TypeAlias = Literal["both", "left", "right", "mix"]
CHANNELS: tuple[Channel, ...] = ("both", "left", "right", "mix")
SHORTEST = 4_800
QUIETEST, LOUDEST = -40.0, 24.0


@dataclass(frozen=True, slots=True)
class LaidSound:
    """A stretch of sound at a place of the programme.

    Attributes:
        span: of the programme, samples.
        source: where the sound comes from.
        first: sample of the source that lies at the start of `span`.
        channel: both channels as they are, one of them on both sides, or both mixed on both sides.
        level: dB that it is louder.
        bed: whether it gives way to the voice.
        original: it is what is listened to while reading, such as the speaker who is interpreted.
    """

    id: str
    source: str
    span: Span
    first: int = 0
    channel: Channel = "both"
    level: float = 0.0
    bed: BedMode = "ducked"
    original: bool = False


def find(laid: Sequence[LaidSound], sound_id: str) -> int:
    """Index of a laid sound.

    Raises:
        EditRefused: when it is no longer there.
    """
    for index, sound in enumerate(laid):
        if sound.id == sound_id:
            return index
    raise EditRefused("This sound is no longer laid here. Nothing was changed; undo may bring it back.")


def checked_level(level: float) -> float:
    """A level in dB, to a tenth.

    Raises:
        EditRefused: outside of what makes sense.
    """
    if not QUIETEST <= level <= LOUDEST:
        raise EditRefused(f"A sound can be between {QUIETEST:.0f} and +{LOUDEST:.0f} dB louder, not {level:g} dB.")
    return round(level, 1)


def change(
    laid: Sequence[LaidSound],
    sound_id: str,
    lengths: Mapping[str, int],
    span: Span | None = None,
    channel: Channel | None = None,
    level: float | None = None,
    bed: BedMode | None = None,
    original: bool | None = None,
) -> tuple[LaidSound, ...]:
    """A laid sound moved, made longer or shorter, or heard another way; what is None stays.

    A span of the same length is a move; otherwise the end that differs is trimmed.

    Args:
        lengths: of the sources, samples.

    Raises:
        EditRefused: when it would be too short, begin before the programme, or outlast its source.
    """
    index = find(laid, sound_id)
    sound = laid[index]
    if span is not None:
        moved = span.length == sound.span.length
        first = sound.first if moved else sound.first + span.start - sound.span.start
        if span.start < 0 or span.length < SHORTEST:
            raise EditRefused("A laid sound begins in the programme and lasts at least a tenth of a second.")
        if first < 0 or first + span.length > lengths.get(sound.source, 0):
            raise EditRefused("The sound has no more there: it can't begin earlier or end later than its file does.")
        sound = replace(sound, span=span, first=first)
    sound = replace(
        sound,
        channel=channel or sound.channel,
        level=sound.level if level is None else checked_level(level),
        bed=bed or sound.bed,
        original=sound.original if original is None else original,
    )
    if sound.bed not in BED_MODES or sound.channel not in CHANNELS:
        raise EditRefused("A sound is ducked, full or muted, and has both channels, left, right or a mix.")
    others = (replace(each, original=False) if sound.original else each for each in laid)
    return tuple(sound if each.id == sound_id else each for each in others)


def own_sounds(clips: Reel, sources: Sources, rate: FrameRate) -> tuple[LaidSound, ...]:
    """The own sounds of the clips that show a film, where they lie; each has the identity of its clip."""
    return tuple(
        LaidSound(clip.id, clip.source, span, rate.first_sample(clip.first), "both", clip.level, clip.bed)
        for clip, span in zip(clips, spans(clips, rate), strict=True)
        if clip.source and sources[clip.source].kind == "film"
    )


def parted(sounds: Sequence[LaidSound], silences: Sequence[Span]) -> tuple[LaidSound, ...]:
    """Sounds without some stretches of the programme; what is left of one keeps its identity."""
    left = []
    for sound in sounds:
        for span in uncovered([sound.span], silences, 1):
            left.append(replace(sound, span=span, first=sound.first + span.start - sound.span.start))
    return tuple(left)


CUT_FADE = SAMPLE_RATE // 200
"""A sound that was cut comes in and goes out within 5 ms: long enough not to click."""
NEAR = 20 * SAMPLE_RATE
"""A room is taken from no further away: beyond it, it is another scene's."""
_WORTH = 3 * SAMPLE_RATE
"""What is longer is worth no detour: it is long enough not to be heard coming again."""


def room_under(sound: LaidSound, silence: Span, quiet: Sequence[Span], fade: int = CUT_FADE) -> tuple[LaidSound, ...]:
    """What a sound is replaced by where it is silent: its own room from beside it, as often as it takes.

    Args:
        silence: of the programme.
        quiet: where the source is nothing but room, in its samples.
        fade: samples in which a cut sound comes and goes; so far the parts lie over one another.

    Returns:
        Parts with the sound's identity, none where no room is known nearby.
    """
    start, end = max(sound.span.start, silence.start), min(sound.span.end, silence.end)
    first = sound.first + start - sound.span.start
    away = {one: max(0, first - one.end, one.start - (first + end - start)) for one in quiet if one.length > 4 * fade}
    near = [one for one, far in away.items() if far <= NEAR]
    if end <= start or not near:
        return ()
    best = min(near, key=lambda one: (away[one] - min(one.length, _WORTH), one.start))
    at, last, parts = max(0, start - fade), end + fade, list[LaidSound]()
    while last - at > 2 * fade:
        span = Span(at, min(last, at + best.length))
        parts.append(replace(sound, span=span, first=best.start))
        at = span.end - fade
        if span.end == last:
            break
    return tuple(parts)


def cut_ends(sound: LaidSound, length: int) -> tuple[bool, bool]:
    """Whether its source goes on before its start, and after its end: there it comes in, and goes out, softly.

    Args:
        length: of the source, samples. At fractional rates a span may be a sample shorter than what it shows.
    """
    return sound.first > 0, sound.first + sound.span.length + 1 < length


def one_channel(samples: NDArray[np.float32], channel: Channel) -> NDArray[np.float32]:
    """Stereo samples, shape (n, 2), as a channel is taken of them: one on both sides, or both mixed on both sides."""
    if channel == "both":
        return samples
    taken = samples.mean(axis=1) if channel == "mix" else samples[:, 0 if channel == "left" else 1]
    return np.repeat(taken[:, None], 2, axis=1).astype(np.float32)
