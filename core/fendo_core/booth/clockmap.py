"""A take's clock map: where the samples of the microphone lie against the samples of the programme.

What the reader answered to was heard some time after it was scheduled, and the answer was labelled some time after it was
said; both together are the round trip R. So the sample labelled with context frame c answers the programme of frame c - R.
If the film was silent the reader followed the picture, and what counts is the frame that was seen: the picture's mean
lateness against the sound that was due is taken off too.

Everything is made from logged pairs (`ClockLog`), so that a recorded log tests it without a browser. The frames of the
audio context are the one clock; the page's clock serves to find where the sound stood still, and when a frame was seen.
"""

from collections.abc import Iterator, Mapping
from dataclasses import asdict, dataclass
from typing import Any, cast

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import median_filter
from scipy.stats import trim_mean

from fendo_core.booth.clocklog import ClockLog, Guide, Pair, Source
from fendo_core.timebase import SAMPLE_RATE, FrameRate, milliseconds, seconds_text

WINDOW = 9
"""Readings in a running median."""
BREAK = milliseconds(2)
"""A step of the median by more than this is a clock break: the sound really stood still, or jumped."""
TRUSTED = milliseconds(5)
"""A take that may lie further off than this says so."""
UNMEASURED = milliseconds(20)
"""How far the browser's own latency figures may be off: buffers of the driver and of the device are not in them."""
OTHER_CONTEXT = 448
"""A loop test of an earlier visit: the way of the microphone into the browser differed by up to so many samples a visit."""
MOST_DRIFT = 300e-6
"""How far two clocks run apart at most; more is many small stops."""
SURE = 6.0
"""Standard deviations by which a step must stand above what the jitter of the readings makes."""
WIDEST = 121
"""Readings in a running median where they jitter much."""
LONGEST_SILENCE = 2.5
"""Seconds without a reading of the output after which a break can't be excluded."""
LARGEST_DOUBT = 2**31 - 1
"""Twelve hours: who lies further off than that need not know by how much."""
STALLED = milliseconds(120)
"""A frame drawn so much later than it was due: the picture stood still."""
SEEN_AT_LEAST = 20
FRAMES_AT_MOST = 10**10
MICROSECONDS = 1_000_000

Offsets = NDArray[np.float64]


MOST_MARKS = 500
"""Of a take: more are no marks but a key that got stuck."""


@dataclass(frozen=True, slots=True)
class Piece:
    """From take sample `sample` on, sample s lies at programme sample `programme` + (s - `sample`)."""

    sample: int
    programme: int


@dataclass(frozen=True, slots=True)
class ClockMap:
    """Where a take lies, how well that is known, and why not better. All lengths in samples.

    Attributes:
        pieces: in order; the first begins at sample 0.
        latency, source, guide: as in the log.
        readings: how many readings of the output stand behind it.
        residual: 95 % of the readings lie within this of their running median.
        drift: parts per million by which the audio clock runs faster than the page's (0.0 when the take is too short).
        breaks: (sample of the take, by how much the sound stood still there).
        gaps, repeats: as in the log.
        picture_late: mean lateness of the frames drawn against the sound due then; None: no moving picture was seen.
        picture_spread: how far the mean of a second lay from it at most, beyond what the screen's raster explains.
        within: no sample that the map places is further off than this, as far as the readings can tell.
        doubts: (sample, words) what of it can't be trusted, and from where on.
        marks: samples at which the reader marked a mistake while reading.
    """

    pieces: tuple[Piece, ...]
    latency: int = 0
    source: Source = "none"
    guide: Guide = "ear"
    readings: int = 0
    residual: int = 0
    drift: float = 0.0
    breaks: tuple[Pair, ...] = ()
    gaps: tuple[Pair, ...] = ()
    repeats: tuple[Pair, ...] = ()
    picture_late: int | None = None
    picture_spread: int = 0
    within: int = 0
    doubts: tuple[tuple[int, str], ...] = ()
    marks: tuple[int, ...] = ()

    @property
    def start(self) -> int:
        """Programme sample of the take's first sample."""
        return self.pieces[0].programme

    @property
    def trusted(self) -> bool:
        """Nothing speaks against its lying within 5 ms."""
        return self.within <= TRUSTED and not self.doubts

    def programme_position(self, sample: int) -> int:
        """Programme sample of the take's sample `sample`."""
        piece = max((p for p in self.pieces if p.sample <= sample), key=lambda p: p.sample, default=self.pieces[0])
        return piece.programme + (sample - piece.sample)

    def as_dict(self) -> dict[str, Any]:
        """For keeping as JSON."""
        return asdict(self)

    @classmethod
    def from_dict(cls, kept: Mapping[str, Any]) -> "ClockMap":
        """What `as_dict` gave.

        Raises:
            ValueError: when it is no such thing.
        """

        def pairs(name: str) -> tuple[Pair, ...]:
            return tuple((int(a), int(b)) for a, b in kept.get(name, ()))

        try:
            late = kept.get("picture_late")
            return cls(
                pieces=tuple(Piece(int(p["sample"]), int(p["programme"])) for p in kept["pieces"]),
                latency=int(kept.get("latency", 0)),
                source=cast(Source, str(kept.get("source", "browser"))),
                guide=cast(Guide, str(kept.get("guide", "ear"))),
                readings=int(kept.get("readings", 0)),
                residual=int(kept.get("residual", 0)),
                drift=float(kept.get("drift", 0.0)),
                breaks=pairs("breaks"),
                gaps=pairs("gaps"),
                repeats=pairs("repeats"),
                picture_late=None if late is None else int(late),
                picture_spread=int(kept.get("picture_spread", 0)),
                within=int(kept.get("within", 0)),
                doubts=tuple((int(at), str(text)) for at, text in kept.get("doubts", ())),
                marks=tuple(int(at) for at in kept.get("marks", ())),
            )
        except (KeyError, TypeError, AttributeError, OverflowError, ValueError) as error:
            raise ValueError(f"this is no clock map: {error}") from error


def _running_median(values: Offsets, width: int = WINDOW) -> Offsets:
    """Median of so many neighbours of each value, shape kept; beyond the ends the values go on as they end."""
    return np.asarray(median_filter(values, width, mode="nearest"))


def _jitter(offsets: Offsets) -> float:
    """Standard deviation of single readings, by the differences of neighbours: neither drift nor a step is in it."""
    if len(offsets) < WINDOW:
        return 0.0
    return 1.4826 * float(np.median(np.abs(np.diff(offsets)))) / float(np.sqrt(2))


def _doubt_of_a_step(jitter: float, width: int) -> float:
    """By how much the medians of so many readings before and after may differ by jitter alone, samples.

    The median of n values of a normal distribution has 1.2533 times the standard error of their mean.
    """
    return SURE * float(np.sqrt(2)) * 1.2533 * jitter / float(np.sqrt(width))


def _width(jitter: float, count: int) -> int:
    """How many readings a median needs so that a step of `BREAK` stands out; odd, and half of them at most."""
    wanted = (_doubt_of_a_step(jitter, 1) / BREAK) ** 2
    width = int(np.clip(np.ceil(wanted), WINDOW, WIDEST)) // 2 * 2 + 1
    return max(WINDOW, min(width, count // 2 // 2 * 2 - 1))


def _breaks(offsets: Offsets, smooth: Offsets, width: int, least: float) -> list[tuple[int, float]]:
    """Steps of the output's offset by more than `least`: (index of the first reading after it, by how much).

    `smooth` is their running median over `width`. The median of the readings before is compared with that of those after,
    so one wrong reading is no step.
    """
    count = len(offsets)
    if count < 4:
        return []
    if count // 2 >= width:
        windows = smooth[width // 2 : count - width // 2]
    else:
        width = min(width, count // 2)
        windows = np.median(np.lib.stride_tricks.sliding_window_view(offsets, width), axis=1)
    jump = windows[width:] - windows[:-width]
    over = np.abs(jump) > least
    found, end = [], 0
    for at in map(int, np.flatnonzero(over)):
        if at < end:
            continue
        end = at
        while end < len(jump) and over[end] and np.sign(jump[end]) == np.sign(jump[at]):
            end += 1
        # The run begins when the median ahead has moved and ends when the one behind has: its ends lie clear of the step,
        # also of one that takes a while (readings in which the frames stand and the time goes on).
        before, behind = float(windows[at]), float(windows[end - 1 + width])
        near = offsets[at : end - 1 + 2 * width]
        moved = np.flatnonzero(np.abs(_running_median(near) - before) > abs(behind - before) / 2)
        if len(moved) and abs(behind - before) > least:
            found.append((at + int(moved[0]), behind - before))
    return found


def _drift(frames: Offsets, offsets: Offsets, steps: list[tuple[int, float]]) -> float:
    """Slope of the offsets in parts per million, steps taken out; 0.0 below ten seconds."""
    if len(frames) < 4 * WINDOW or frames[-1] - frames[0] < 10 * SAMPLE_RATE:
        return 0.0
    level = offsets.copy()
    for index, by in steps:
        level[index:] -= by
    edge = max(WINDOW, len(level) // 10)
    rise = float(np.median(level[-edge:]) - np.median(level[:edge]))
    run = float(np.median(frames[-edge:]) - np.median(frames[:edge]))
    return round(rise / run * 1e6, 2)


def _crept(frames: Offsets, smooth: Offsets, steps: list[tuple[int, float]], captured: "_Stretches", chance: float) -> int:
    """Samples by which the offset moved besides its steps and more than two clocks drift apart: many stops, each too small
    to be told."""
    first, last = captured.frames[0], max(end for _, end, _ in captured)
    inside = np.flatnonzero((frames >= first) & (frames <= last))
    if len(inside) < 2 * WINDOW:
        return 0
    level = smooth.copy()
    for index, by in steps:
        level[index:] -= by
    edge = max(WINDOW, len(inside) // 10)
    head, tail = inside[:edge], inside[-edge:]
    moved = abs(float(np.median(level[tail]) - np.median(level[head])))
    run = float(np.median(frames[tail]) - np.median(frames[head]))
    # What the steps were taken to be may be off by chance each.
    unexplained = moved - MOST_DRIFT * run - chance * (1 + len(steps))
    return round(moved) if unexplained > milliseconds(1) else 0


class _Stretches:
    """The stretches of context frames in which the take was captured: one, and one more after each pause."""

    def __init__(self, log: ClockLog, length: int) -> None:
        self.samples = np.array([sample for sample, _ in log.capture] + [length], np.float64)
        self.frames = np.array([frame for _, frame in log.capture], np.float64)

    def sample_of(self, frames: Offsets) -> Offsets:
        """Sample of the take at each frame; a frame in a pause gives the sample at which it went on."""
        which = np.clip(np.searchsorted(self.frames, frames, side="right") - 1, 0, None)
        at = self.samples[which] + np.maximum(0, frames - self.frames[which])
        return np.asarray(np.clip(at, 0, self.samples[which + 1]))

    def holds(self, frames: Offsets) -> NDArray[np.bool_]:
        """Whether each frame was captured."""
        which = np.searchsorted(self.frames, frames, side="right") - 1
        inside = np.clip(which, 0, None)
        end = self.frames[inside] + self.samples[inside + 1] - self.samples[inside]
        return np.asarray((which >= 0) & (frames < end))

    def __iter__(self) -> Iterator[tuple[int, int, int]]:
        """(first frame, frame after the last, first sample) of each."""
        for at, frame in enumerate(self.frames):
            first = int(self.samples[at])
            yield int(frame), int(frame) + max(0, int(self.samples[at + 1]) - first), first


@dataclass(frozen=True, slots=True)
class _Seen:
    late: int
    spread: int
    stalls: tuple[int, ...]


def _seen(log: ClockLog, rate: FrameRate, frames: Offsets, smooth: Offsets, captured: _Stretches) -> _Seen | None:
    """How late the picture was: at each drawing, the sound that was due then minus the frame's own first sample."""
    if len(log.seen) < SEEN_AT_LEAST or len(frames) < WINDOW:
        return None
    number, time = log.seen[np.argsort(log.seen[:, 1], kind="stable")].T
    reading_times = (frames - smooth) * (MICROSECONDS / SAMPLE_RATE)
    heard = time * (SAMPLE_RATE / MICROSECONDS) + np.interp(time, reading_times, smooth)
    anchors = np.array(log.transport, np.float64)
    which = np.clip(np.searchsorted(anchors[:, 0], heard, side="right") - 1, 0, None)
    due = anchors[which, 1] + heard - anchors[which, 0]
    own = rate.first_samples(number.clip(-FRAMES_AT_MOST, FRAMES_AT_MOST))
    inside = captured.holds(heard)
    if np.count_nonzero(inside) < SEEN_AT_LEAST:
        return None
    late, at = (due - own)[inside], captured.sample_of(heard[inside])
    stalls = [int(at[i]) for i in np.flatnonzero(late > STALLED)]
    calm = late <= STALLED
    if np.count_nonzero(calm) < SEEN_AT_LEAST:
        return _Seen(0, STALLED, tuple(stalls))
    # The mean, not the median: a film of 24 frames on a screen of 60 ticks is late by two values in turn.
    middle = float(trim_mean(late[calm], 0.05))
    seconds, off = (at[calm] // SAMPLE_RATE).astype(int), late[calm] - middle
    frames_in = np.bincount(seconds)
    many = frames_in > 8
    mean, square = (np.bincount(seconds, values)[many] / frames_in[many] for values in (off, off**2))
    # The raster alone lets the mean of so few frames wander by this much.
    chance = 2 * np.sqrt(np.maximum(0, square - mean**2) / frames_in[many])
    spread = np.max(np.abs(mean) - chance, initial=0.0)
    return _Seen(round(middle), round(float(spread)), tuple(stalls))


def _apart(places: tuple[int, ...]) -> list[int]:
    """The first of each run of places that lie closer than a second."""
    kept: list[int] = []
    last = -SAMPLE_RATE
    for place in sorted(places):
        if place - last >= SAMPLE_RATE:
            kept.append(place)
        last = place
    return kept


def _ms(samples: float) -> str:
    return f"{abs(samples) / 48:.0f} ms"


def make_map(log: ClockLog, length: int, rate: FrameRate) -> ClockMap:
    """The clock map of a take of `length` samples from its log, for a picture of `rate`.

    The pieces are exact in frames of the audio context: nothing that the page's clock says moves a sample of a take that
    followed the sound. What the page's clock adds is doubt (the sound stood still here), and the picture's lateness.
    """
    readings = log.output[np.argsort(log.output[:, 1], kind="stable")].astype(np.float64)
    frames, offsets = readings[:, 0], readings[:, 0] - readings[:, 1] * (SAMPLE_RATE / MICROSECONDS)
    jitter = _jitter(offsets)
    width = _width(jitter, len(offsets))
    # Jitter alone makes no break, however much of it there is.
    chance = _doubt_of_a_step(jitter, width)
    smooth = _running_median(offsets, width)
    steps = _breaks(offsets, smooth, width, max(BREAK, chance))
    captured = _Stretches(log, length)
    last = max(end for _, end, _ in captured)
    # A step before the take is none of it; one in a pause counts where it goes on, for the way in may have changed.
    inside = [(frames[index], by) for index, by in steps if log.capture[0][1] <= frames[index] <= last]
    breaks = tuple((int(captured.sample_of(np.array([frame]))[0]), round(by)) for frame, by in inside)
    residual = round(float(np.percentile(np.abs(offsets - smooth), 95))) if len(offsets) else 0

    seen = _seen(log, rate, frames, smooth, captured)
    guide: Guide = "eye" if log.guide == "eye" and seen is not None else "ear"
    taken_off = log.latency + (seen.late if guide == "eye" and seen else 0)

    def programme(frame: int) -> int:
        held = [pair for pair in log.transport if pair[0] <= frame - log.latency] or [log.transport[0]]
        return held[-1][1] + (frame - held[-1][0]) - taken_off

    captures = [pair for pair in log.capture if pair[0] <= length] or log.capture[:1]
    pieces = [Piece(sample, programme(frame)) for sample, frame in captures]
    if pieces[0].sample:
        pieces.insert(0, Piece(0, pieces[0].programme - pieces[0].sample))

    doubts: list[tuple[int, str]] = list(log.notes)
    known = {"none": 0, "file": 0, "browser": UNMEASURED, "measured": log.spread + (0 if log.fresh else OTHER_CONTEXT)}
    within = known[log.source]
    if guide == "eye" and seen:
        within += round(chance / np.sqrt(2)) + seen.spread
    if log.source in ("browser", "measured"):
        for at, by in breaks:
            # Whether the microphone's queue grew by the pause or was emptied can't be seen from here.
            doubts.append((at, f"the sound stood still for {_ms(by)}: what follows may lie that much off"))
        within += sum(abs(by) + round(chance) for _, by in breaks)
        crept = _crept(frames, smooth, steps, captured, chance)
        if crept:
            doubts.append((0, f"the sound stood still in small steps, {_ms(crept)} in all: what lies behind may lie off"))
        within += crept
        within += sum(missing for _, missing in log.gaps)
        doubts += _thin(frames, captured)
    for at, missing in log.gaps:
        doubts.append((at, f"{_ms(max(48, missing))} of sound are missing"))
    for place in _apart(seen.stalls if seen else ()):
        doubts.append((place, "the picture stood still"))
    for earlier, later in zip(pieces, pieces[1:], strict=False):
        if abs(later.programme - earlier.programme - (later.sample - earlier.sample)) > BREAK:
            doubts.append((later.sample, "after the pause it does not go on where it stopped"))
    if log.source == "measured" and within > TRUSTED and not doubts:
        doubts.append((0, f"its place is known to {_ms(within)} only"))
    return ClockMap(
        pieces=tuple(pieces),
        latency=log.latency,
        source=log.source,
        guide=guide,
        readings=len(offsets),
        residual=residual,
        drift=_drift(frames, offsets, steps),
        breaks=breaks,
        gaps=log.gaps,
        repeats=log.repeats,
        picture_late=seen.late if seen else None,
        picture_spread=seen.spread if seen else 0,
        within=min(within, LARGEST_DOUBT),
        doubts=tuple(sorted(doubts)),
        marks=tuple(sorted({at for at, _ in log.marks if 0 <= at < length})[:MOST_MARKS]),
    )


def _thin(frames: Offsets, captured: _Stretches) -> list[tuple[int, str]]:
    """Where the readings of the output are too few to exclude a break."""
    found = []
    for begin, end, sample in captured:
        if end - begin < SAMPLE_RATE // 2:
            continue
        edges = np.concatenate(([begin], frames[(frames > begin) & (frames < end)], [end]))
        for i in np.flatnonzero(np.diff(edges) > LONGEST_SILENCE * SAMPLE_RATE):
            wide = seconds_text(int(edges[i + 1] - edges[i]))
            found.append((sample + int(edges[i]) - begin, f"no clock reading for {wide} s: it may lie off from there"))
    return found
