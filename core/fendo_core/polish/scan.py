"""Suspicious places of a reading, each with how sure it is and one mend. Nothing is decided here: a person hears each.

Figures: docs/polish.md.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from statistics import median
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import binary_closing, maximum_filter1d, uniform_filter1d
from scipy.signal import butter, sosfilt

from fendo_core.audio import levels
from fendo_core.audio.room import SHORTEST, listen
from fendo_core.audio.speech import HOP, Ear, Frames, Heard, runs
from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds
from fendo_core.voice.clicks import HIGH, RELEASE, SHARP_HOP, around, standing_out
from fendo_core.voice.repair import BESIDE_TOPS, CONTEXT, LONGEST_CLIPPED, LONGEST_RUMBLE, RepairKind, with_tops

Sound: TypeAlias = NDArray[np.float32]
PlaceKind: TypeAlias = RepairKind
"""`gain` is marked by hand only; `level` and `dull` are found beside other lines (`polish.neighbours`), `seam` in what is
joined (`polish.joined`)."""
STAGED: dict[PlaceKind, str] = {"hum": "hum", "dull": "tone"}
"""Kinds that are mended by a stage of the line's treatment: they are of the whole reading."""
UNLIKE: frozenset[PlaceKind] = frozenset({"level", "dull"})
"""Kinds that are found beside other lines."""
WHOLE: frozenset[PlaceKind] = UNLIKE | STAGED.keys()
"""Kinds of places that are of a whole reading."""
CUTS: frozenset[PlaceKind] = frozenset({"gap", "false start", "put in"})
"""Kinds of which a stretch is taken out."""

BREATH_LOWERED = -12.0
"""dB to start with: a breath that is taken out whole sounds as if the reader had none."""
LONGEST_GAP = milliseconds(900)
"""A gap between two phrases that lasts longer asks to be heard."""
NATURAL_GAP = milliseconds(500)
"""What a gap is shortened to when it is not known how long this reader's own gaps are."""


@dataclass(frozen=True, slots=True)
class Place:
    """A suspicious place: `span` in samples of what was scanned, `sure` from 0 to 1, `settings` of the mend.

    A breath or another noise is lowered by `decibel`, a click drawn anew, a plosive and rumble lose what is low, clipped
    tops are drawn anew unless one lasts longer than `LONGEST_TOP`, a gap is shortened to `keep` samples, a false start and
    words that were put in are taken out, hum of `mains` Hz is filtered out.
    """

    kind: PlaceKind
    span: Span
    sure: float
    settings: dict[str, float] = field(default_factory=dict)


def scan(samples: Sound, natural: int | None = None) -> tuple[Place, ...]:
    """The suspicious places of a reading, in order.

    Args:
        samples: mono at 48 kHz, shape (n,); some minutes at most.
        natural: samples of this reader's natural gaps; None: not known.
    """
    ear = Ear()
    ear.add(samples)
    heard = ear.hear()
    if not heard.phrases:
        return ()
    hums, clipped = _hum(samples, heard), _clipped(samples)
    frames = ear.frames()
    breaths, lows = _breaths(frames, heard.phrases), _lows(samples, heard)
    clicks = _clicks(samples, frames, heard.phrases, [place.span for place in breaths])
    spans = ([place.span for place in places] for places in (breaths, clicks, lows))
    others = _noises(samples, heard, *spans)
    # A voice whose tops are cut off is lower than it was: that is no rumble.
    lows = [one for one in lows if one.kind != "rumble" or not any(each.span.meets(one.span) for each in clipped)]
    found = [
        *(place for place in (*breaths, *clicks) if not any(one.span.meets(place.span) for one in others)),
        *lows,
        *others,
        *_gaps(heard, natural or NATURAL_GAP),
        *clipped,
        *hums,
    ]
    return tuple(sorted(found, key=lambda place: (place.span, place.kind)))


def how_sure(*evidence: float) -> float:
    """How sure something is, from pieces of evidence that are each 0 at the limit and 1 when there is no doubt."""
    return round(float(np.clip(0.5 + 0.5 * min(evidence), 0.5, 0.99)), 2)


TOGETHER = milliseconds(300)
"""Flat tops that are no further apart are one place: nobody judges each by itself."""


def _clipped(samples: Sound) -> list[Place]:
    """Stretches with flat tops, with how many there are and how long the longest lasts."""
    found: list[Place] = []
    for top in levels.flat_tops(samples):
        wide = Span(max(0, top.start - BESIDE_TOPS), min(len(samples), top.end + BESIDE_TOPS))
        before = found[-1] if found and wide.start - found[-1].span.end < TOGETHER else None
        if before and wide.end - before.span.start <= LONGEST_CLIPPED:
            settings = {"tops": before.settings["tops"] + 1, "longest": max(before.settings["longest"], top.length)}
            found[-1] = Place("clipped", Span(before.span.start, wide.end), 1.0, settings)
        else:
            found.append(Place("clipped", wide, 1.0, {"tops": 1.0, "longest": float(top.length)}))
    return [replace(one, settings={**one.settings, "over": _over(samples, one.span)}) for one in found]


def _over(samples: Sound, span: Span) -> float:
    """dB by which a stretch would lie above full scale with its tops drawn anew."""
    first, last = max(0, span.start - CONTEXT), min(len(samples), span.end + CONTEXT)
    drawn = with_tops(samples[first:last], span.start - first, span.length)
    return round(max(0.0, levels.decibels(float(np.max(np.abs(drawn))))), 1)


HUM_HEARD = 50.0
"""dB below the voice: hum that lies deeper is not heard with it."""
_AWAY = milliseconds(120)


def _hum(samples: Sound, heard: Heard) -> list[Place]:
    """Hum of the mains in the quiet between the phrases: of the whole reading."""
    free = np.ones(len(samples), dtype=bool)
    for span in heard.phrases:
        free[max(0, span.start - _AWAY) : span.end + _AWAY] = False
    quiet = samples[free]
    if len(quiet) < SHORTEST:
        return []
    spoken = np.concatenate([samples[max(0, span.start) : span.end] for span in heard.phrases])
    found, voice = listen(quiet), levels.decibels(float(np.sqrt(np.mean(spoken.astype(np.float64) ** 2))))
    below = voice - found.hum
    if not found.mains or below > HUM_HEARD:
        return []
    settings = {"mains": float(found.mains), "below": round(below, 1)}
    return [Place("hum", Span(0, len(samples)), how_sure((HUM_HEARD - below) / 15.0), settings)]


SHORTEST_BREATH, LONGEST_BREATH, LONGEST_CONSONANT, _CLEAR = 32, 200, 56, 22
"""Frames of 5 ms; so many of a breath stand clear of the room."""
_FADES = 2.5
"""dB by which the beginning and the end of a breath may lie lower than what stands clear."""
_SAME_END = milliseconds(60)


def _breaths(frames: Frames, phrases: Sequence[Span]) -> list[Place]:
    """Stretches without a voice that stand out of the room, are dull, and lie apart from the words.

    A breath that is the end of a word (a sighed h) has no dip before it, or ends where its phrase does: it stays.
    """
    level = uniform_filter1d(frames.level, 5, mode="nearest")
    voice = float(np.percentile(level[frames.voiced], 85)) if frames.voiced.any() else float(level.max())
    quiet = float(np.percentile(level, 5))
    floor = max(quiet + 7.0, voice - 62.0)
    # A frame beside a voice belongs to it.
    voiced = maximum_filter1d(frames.voiced.astype(np.int8), 5).astype(bool)
    word = _worded(frames, level, quiet)
    clear = level > floor
    found = []
    for first, last in runs((level > floor - _FADES) & (level < voice - 9.0) & ~voiced):
        length = last - first
        if not SHORTEST_BREATH <= length <= LONGEST_BREATH or np.count_nonzero(clear[first:last]) < _CLEAR:
            continue
        inner = slice(first, last)
        bright, top = float(np.median(frames.bright[inner])), float(np.percentile(level[inner], 90))
        before = level[max(0, first - 6) : first]
        apart = float(top - before.min()) if len(before) else 20.0
        # From the end of a word a sound falls; a breath rises, or stays.
        falls = float(np.mean(level[first : first + length // 3]) - np.mean(level[last - length // 3 : last]))
        after_word = word[max(0, first - 12) : first].any()
        if bright > 4.0 or apart < 6.0 or (after_word and falls > 4.0):
            continue
        # An f or an h between two vowels is a consonant: a breath that short leaves a pause on one side.
        if after_word and word[last : last + 12].any() and length < LONGEST_CONSONANT:
            continue
        sure = how_sure((4.0 - bright) / 6.0, (apart - 6.0) / 8.0, (length - SHORTEST_BREATH) / 24, (top - quiet - 8) / 8)
        span = Span(max(0, first - 1) * HOP, (last + 1) * HOP)
        if any(one.start < span.start < one.end and abs(span.end - one.end) < _SAME_END for one in phrases):
            continue
        found.append(Place("breath", span, sure, {"decibel": BREATH_LOWERED}))
    return found


def _worded(frames: Frames, level: NDArray[np.float64], quiet: float) -> NDArray[np.bool_]:
    """Frames with a voice in them. Hum and steady noise have a pitch too, for a while."""
    return frames.voiced & (level > quiet + 10.0)


UNHEARD = 64.0
"""dB below the voice at which nobody hears a click: the last bits of what a gate lets through."""


def _clicks(samples: Sound, frames: Frames, phrases: Sequence[Span], breaths: Sequence[Span]) -> list[Place]:
    """Peaks of 1 to 8 ms above 1.5 kHz with nothing but the room, or one of the `breaths`, on both sides; none of the
    `phrases`."""
    level = levels.hop_levels(sosfilt(HIGH, samples.astype(np.float64)), SHARP_HOP)
    usual = around(level)
    quiet = float(np.percentile(frames.level, 5))
    voice = float(np.percentile(frames.level[frames.voiced], 85)) if frames.voiced.any() else quiet + 60.0
    calm = max(quiet + 12.0, voice - 38.0)
    loud = levels.hop_levels(samples, HOP)[: len(frames.voiced)][frames.voiced]
    audible = float(np.percentile(loud, 85)) - UNHEARD if len(loud) else -90.0
    found: list[Place] = []
    word = _worded(frames, frames.level, quiet)
    breathed = np.zeros(len(frames.level), dtype=bool)
    for span in breaths:
        breathed[span.start // HOP : span.end // HOP] = True
    for first, last in standing_out(level - usual, 12.0):
        # The burst of a t or a k has breath or voice on one side at least; a click has the room on both, or one breath.
        here, there = first * SHARP_HOP // HOP, -(-last * SHARP_HOP // HOP)
        sides = slice(max(0, here - 12), max(0, here - 2)), slice(there + 2, there + 12)
        beside = [frames.level[side] for side in sides]
        if not all(map(len, beside)) or word[max(0, here - RELEASE // HOP) : here].any():
            continue
        top = float(level[first:last].max())
        if top < audible:
            continue
        # The onset of a cough stands out of what is before it, and of nothing behind it.
        near = level[max(0, first - 12) : max(0, first - 2)], level[last + 2 : last + 12]
        alone = all(len(side) and top - float(np.median(side)) >= 12.0 for side in near)
        room = [side[~breathed[where]] if alone else side for side, where in zip(beside, sides, strict=True)]
        if max(float(np.percentile(side, 80)) if len(side) else quiet for side in room) > calm:
            continue
        start = max(0, (first - 1) * SHARP_HOP)
        span = Span(start, min(len(samples), start + min(milliseconds(10), (last - first + 3) * SHARP_HOP)))
        if any(one.start <= start < one.end - milliseconds(20) for one in phrases):
            continue
        if not found or span.start > found[-1].span.end:
            found.append(Place("click", span, how_sure((top - float(usual[first]) - 12.0) / 12.0)))
    return found


LONGEST_PLOSIVE, SHORTEST_RUMBLE = milliseconds(300), milliseconds(300)


def _lows(samples: Sound, heard: Heard) -> list[Place]:
    """Thumps below 55 Hz, where no voice has its pitch, that stand far out of what else there is so low.

    A short one beside speech is a plosive. What lasts longer, or lies in a pause, is rumble: a stand that was touched, a
    step.
    """
    low = sosfilt(butter(6, 55, "low", fs=SAMPLE_RATE, output="sos"), samples.astype(np.float64))
    hop = milliseconds(10)
    level, loud = levels.hop_levels(low, hop), levels.hop_levels(samples, hop)
    usual, voice = float(np.percentile(level, 75)), float(np.percentile(loud, 90))
    limit, low_limit = max(usual + 18.0, voice - 8.0), max(usual + 15.0, voice - 20.0)
    found = list[Place]()
    # It comes and goes: what is back within a sixth of a second is the same.
    for first, last in runs(binary_closing(np.pad(level > low_limit, 17), np.ones(17, dtype=bool))[17:-17]):
        span = Span(max(0, first - 2) * hop, min(len(samples), (last + 2) * hop))
        if SHORTEST_RUMBLE <= span.length <= LONGEST_RUMBLE:
            found.append(Place("rumble", span, how_sure((float(level[first:last].max()) - low_limit) / 10.0)))
    rumbling = [one.span for one in found]
    for first, last in runs(level > limit):
        span = Span(max(0, first - 2) * hop, min(len(samples), (last + 4) * hop))
        near = any(p.start - milliseconds(150) < span.end and span.start < p.end + milliseconds(150) for p in heard.phrases)
        if not near or (last - first) * hop > LONGEST_PLOSIVE or any(span.meets(one) for one in rumbling):
            continue
        sure = how_sure((float(level[first:last].max()) - limit) / 8.0)
        if found and found[-1].kind == "plosive" and found[-1].span.meets(span):
            span, sure = Span(found[-1].span.start, max(found[-1].span.end, span.end)), max(sure, found.pop().sure)
        found.append(Place("plosive", span, sure))
    return found


APART = milliseconds(70)
"""So far from the words something must lie to be no part of them."""
LONGEST_NOISE, SHORTEST_NOISE = milliseconds(1_200), milliseconds(15)
MOST_LOWERED = -40.0


ONE_COUGH = milliseconds(150)
"""Bursts that are no further apart are one noise."""
ABRUPT = 20.0
"""dB by which a cough rises within 20 ms; a breath takes longer."""
_LONGER_THAN_A_CLICK = 5
"""Frames of 5 ms in which it is loud."""


def _noises(
    samples: Sound, heard: Heard, breaths: Sequence[Span], clicks: Sequence[Span], lows: Sequence[Span]
) -> list[Place]:
    """What stands out of the room between the words and is neither breath nor click: a cough, a knock, a page, a chair."""
    sound = sosfilt(butter(2, 60, "high", fs=SAMPLE_RATE, output="sos"), samples.astype(np.float64))
    level = levels.hop_levels(sound, HOP)
    # A breath in which it clicks is none the less a breath.
    without = level.copy()
    for span in clicks:
        first, last = max(0, span.start // HOP - 1), -(-span.end // HOP) + 1
        without[first:last] = np.minimum(without[first:last], np.median(level[max(0, first - 8) : last + 8]))
    beside = np.ones(len(level), dtype=bool)
    for span in heard.phrases:
        beside[max(0, span.start - APART) // HOP : -(-(span.end + APART) // HOP)] = False
    if beside.sum() < 20 or beside.all():
        return []
    quiet, voice = float(np.percentile(level[beside], 25)), float(np.percentile(level[~beside], 85))
    limit = max(quiet + 14.0, voice - 34.0)
    clear = level > limit
    loud = clear & beside
    # Of one cough several bursts are heard.
    joined = maximum_filter1d(loud.astype(np.int8), milliseconds(90) // HOP).astype(bool) & beside
    found = list[Place]()
    for first, last in runs(joined):
        span = Span(first * HOP, min(len(samples), last * HOP))
        if not SHORTEST_NOISE <= span.length <= LONGEST_NOISE or any(span.meets(one) for one in lows):
            continue
        # What began, or goes on, so near to the words is one of their consonants.
        if any(
            clear[edge].any() and not beside[edge].all()
            for edge in (slice(max(0, first - 3), first), slice(last, last + 3))
        ):
            continue
        if loud[first:last].sum() < _LONGER_THAN_A_CLICK and any(span.meets(one) for one in clicks):
            continue
        if not all(_apart(level, limit, span, phrase) for phrase in heard.phrases):
            continue
        edge = without[max(0, first - 6) : last]
        rise = float((edge[4:] - edge[:-4]).max()) if len(edge) > 4 else 0.0
        abrupt = rise >= min(ABRUPT, 0.85 * (float(np.percentile(edge, 90)) - quiet))
        if not abrupt and any(span.meets(one) for one in breaths):
            continue
        top = float(np.percentile(level[first:last], 90))
        lowered = max(MOST_LOWERED, min(-6.0, round(quiet - top)))
        sure = how_sure((float(level[first:last].max()) - limit) / 10.0)
        if found and span.start - found[-1].span.end <= ONE_COUGH:
            before = found.pop()
            lowered = min(lowered, round(before.settings["decibel"]))
            span, sure = Span(before.span.start, span.end), max(sure, before.sure)
        found.append(Place("noise", span, sure, {"decibel": lowered}))
    return found


_DIP = 4
"""Frames of 5 ms."""


def _apart(level: NDArray[np.float64], limit: float, span: Span, phrase: Span) -> bool:
    """Whether it gets quiet between a noise and a phrase beside it: what does not may be a sound of the words."""
    first, last = (span.end, phrase.start) if span.end <= phrase.start else (phrase.end, span.start)
    if not 0 <= last - first < 2 * APART:
        return last > first
    between = level[first // HOP : last // HOP]
    return int(np.count_nonzero(between < limit)) >= _DIP


def _gaps(heard: Heard, natural: int) -> list[Place]:
    """Gaps between phrases that last longer than is natural."""
    found = []
    longest = max(LONGEST_GAP, round(1.6 * natural))
    for one, other in zip(heard.phrases, heard.phrases[1:], strict=False):
        if other.start - one.end > longest:
            sure = how_sure((other.start - one.end - longest) / longest)
            found.append(Place("gap", Span(one.end, other.start), sure, {"keep": float(natural)}))
    return found


def natural_gap(readings: Iterable[Sequence[Span]]) -> int | None:
    """The middle of the gaps that a reader leaves between phrases, in samples; None while fewer than five are known.

    Args:
        readings: the phrases of each take, in order.
    """
    gaps = [
        other.start - one.end
        for phrases in readings
        for one, other in zip(phrases, phrases[1:], strict=False)
        if milliseconds(150) <= other.start - one.end <= LONGEST_GAP
    ]
    return round(median(gaps)) if len(gaps) >= 5 else None
