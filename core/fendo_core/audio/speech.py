"""Where somebody speaks in a recording, and how quiet the room is.

What is looked at is kept for each 5 ms as levels of 13 bands, and for each 10 ms as a pitch. A stretch is speech if it
holds a voice: a pitch that goes on over 50 ms and stands out in several bands above the quiet. From there it reaches as
far as anything stands out of the background, whose own unrest (a film in the headphones, keys) sets how much that must be.
A breath before the first word, a knock and a rumble are left out. Without a voice, what changes its colour as words do is
taken for a whisper. Figures: docs/ear.md.
"""

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray
from scipy.ndimage import binary_closing, maximum_filter1d, median_filter, uniform_filter1d
from scipy.signal import resample_poly

from fendo_core.audio.levels import decibels, hop_levels
from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds

Levels = NDArray[np.float64]
Mask = NDArray[np.bool_]

HOP = SAMPLE_RATE // 200
"""Samples of a frame: 5 ms."""
_TEN_MS = 2 * HOP
_WINDOW = 512
_CONTEXT = 10 * _TEN_MS
_EDGES = np.array([140, 250, 400, 600, 850, 1150, 1500, 2000, 2700, 3600, 4800, 6500, 9000, 12000])
_STEP = SAMPLE_RATE / _WINDOW
_BANDS = [
    np.arange(int(np.ceil(low / _STEP)), max(int(np.ceil(low / _STEP)) + 1, int(np.ceil(high / _STEP))))
    for low, high in zip(_EDGES[:-1], _EDGES[1:], strict=True)
]
_LOWER = _EDGES[:-1]
_BODY = np.flatnonzero(_LOWER >= 250)
_FORMANTS = np.flatnonzero((_LOWER >= 600) & (_LOWER < 4800))
_LOW = np.flatnonzero(_LOWER < 1000)
_DARK = np.flatnonzero((_LOWER >= 400) & (_LOWER < 2000))
_BRIGHT = np.flatnonzero((_LOWER >= 2700) & (_LOWER < 9000))

_LOW_RATE = 8000
_PITCHES = np.arange(_LOW_RATE // 400, _LOW_RATE // 65)
"""Lags of 65 to 400 Hz."""
_NOTES = np.round(_PITCHES[0] * 2 ** (np.arange(62) / 24)).astype(int) - _PITCHES[0]
"""Which of these lags lie a quarter of a tone apart."""
_GOES_ON = 0.3
"""Clarity of a pitch in two times 10 ms of which the second goes on from the first."""
_RANGE = 48.0
"""dB of a voice's loud part above the weakest that is counted among its words."""
QUIETEST_VOICE = -75.0
"""dB of a voice in the bands that are looked at below which nobody speaks."""


def _power_to_db(power: NDArray[np.floating]) -> Levels:
    return 10.0 * np.log10(np.maximum(np.asarray(power, np.float64), 1e-12))


@dataclass(frozen=True, slots=True)
class Frames:
    """What was looked at, for each 5 ms: `voiced` whether somebody has a voice, `level` in dB above 250 Hz, `bright` dB of
    what is bright (2.7 to 9 kHz) over what is dark (0.4 to 2 kHz), `pitch` in Hz (of a voice alone it means anything)."""

    voiced: Mask
    level: Levels
    bright: Levels
    pitch: Levels


@dataclass(frozen=True, slots=True)
class Heard:
    """What was heard: `phrases` in samples, in order; `noise`, RMS of the quiet between them in dBFS; and whether it was
    whispered."""

    phrases: tuple[Span, ...]
    noise: float
    whispered: bool = False

    @property
    def speech(self) -> Span | None:
        """From the first word to the last; None if nobody speaks."""
        return Span(self.phrases[0].start, self.phrases[-1].end) if self.phrases else None


class Ear:
    """Listens to mono samples at 48 kHz that come block by block; keeps about 30 numbers for each 10 ms.

    All blocks but the last hold a whole number of 10 ms; the pitch is looked for block by block, so they should last some
    seconds.
    """

    def __init__(self) -> None:
        self._held = np.zeros(_CONTEXT, np.float32)
        self._bands: list[NDArray[np.float32]] = []
        self._pitch: list[Levels] = []
        self._levels: list[Levels] = []
        self._quiet: Levels | None = None
        self._before = np.zeros((1, len(_NOTES)))

    def add(self, block: NDArray[np.float32]) -> None:
        """The next block, shape (n,), full scale 1.0."""
        self._levels.append(hop_levels(block, _TEN_MS))
        self._look(block, closing=False)

    def _look(self, block: NDArray[np.float32], closing: bool) -> None:
        """Look at what lies whole between the held samples before it and behind it."""
        sound = np.concatenate((self._held, block.astype(np.float32, copy=False)))
        if closing:
            sound = np.concatenate((sound, np.zeros(_CONTEXT, np.float32)))
        count = max(0, (len(sound) - 2 * _CONTEXT) // _TEN_MS)
        self._bands.append(_bands(sound, _CONTEXT, 2 * count))
        self._pitch.append(self._pitches(sound, count))
        self._held = sound[count * _TEN_MS :]

    def _pitches(self, sound: NDArray[np.float32], count: int) -> Levels:
        """Clarity (0..1) and lag (samples at 8 kHz) of the pitch of each 10 ms, and how clearly one goes on from the 10 ms
        before, which may not be the clearest there; shape (count, 3).

        Autocorrelation of the spectrum that stands out of the quiet, compressed, with the window's own taken out (Boersma,
        1993). The floor in each bin keeps hum and rumble from being a voice.
        """
        if not count:
            return np.zeros((0, 3))
        low = resample_poly(sound.astype(np.float32), 1, SAMPLE_RATE // _LOW_RATE)
        hop, width = _LOW_RATE // 100, _LOW_RATE // 20
        first = _CONTEXT // (SAMPLE_RATE // _LOW_RATE) + hop // 2 - width // 2
        window = np.hanning(width)
        frames = sliding_window_view(low[first:], width)[: count * hop : hop] * window
        power = np.abs(np.fft.rfft(frames, 1024, axis=1)) ** 2
        smooth = uniform_filter1d(uniform_filter1d(power, 5, axis=0, mode="nearest"), 3, axis=1, mode="nearest")
        if count >= 300 or self._quiet is None:
            self._quiet = 1.6 * np.quantile(smooth, 0.12, axis=0) + 1e-10
        hertz = np.fft.rfftfreq(1024, 1 / _LOW_RATE)
        above = np.where((hertz > 170) & (hertz < 3200), np.maximum(power - 4.0 * self._quiet, 0.0), 0.0)
        correlation = np.fft.irfft(above**0.6, axis=1)
        own = np.fft.irfft(np.abs(np.fft.rfft(window, 1024)) ** 2)
        clarity = correlation[:, _PITCHES] / np.maximum(correlation[:, :1], 1e-12) / (own[_PITCHES] / own[0]) ** 0.8
        best = np.argmax(clarity, axis=1)
        notes = np.concatenate((self._before, clarity[:, _NOTES]))
        self._before = notes[-1:]
        steady = np.minimum(notes[:-1], maximum_filter1d(notes[1:], 9, axis=1)).max(axis=1)
        return np.stack((clarity[np.arange(count), best], _PITCHES[best].astype(np.float64), steady), axis=1)

    def frames(self) -> Frames:
        """What was looked at so far; all of it after `hear`."""
        bands = np.concatenate(self._bands) if self._bands else np.zeros((0, len(_BANDS)), np.float32)
        pitch = np.concatenate(self._pitch) if self._pitch else np.zeros((0, 3))
        return Frames(
            voiced=_pitched(pitch, len(bands)),
            level=_power_to_db(bands[:, _BODY].sum(axis=1)),
            bright=_brightness(bands),
            pitch=np.repeat(_LOW_RATE / np.maximum(pitch[:, 1], 1.0), 2)[: len(bands)],
        )

    def hear(self) -> Heard:
        """What was heard in all blocks; nothing can be added after it."""
        self._look(np.zeros(0, np.float32), closing=True)
        bands = np.concatenate(self._bands) if self._bands else np.zeros((0, len(_BANDS)), np.float32)
        levels = np.concatenate(self._levels) if self._levels else np.zeros(0)
        if len(bands) < 20:
            return Heard((), floor_of(levels))
        phrases, whispered = _phrases(bands, np.concatenate(self._pitch))
        return Heard(phrases, _noise(levels, bands, phrases), whispered)


def hear(samples: NDArray[np.float32]) -> Heard:
    """What is heard in mono samples at 48 kHz, shape (n,)."""
    return hear_blocks([samples])


def hear_blocks(blocks: Iterable[NDArray[np.float32]]) -> Heard:
    """The same of a sound that comes in blocks."""
    ear = Ear()
    for block in blocks:
        ear.add(block)
    return ear.hear()


def floor_of(levels: Levels) -> float:
    """The level below which the quietest tenth of a sound lies, from the levels of each 10 ms.

    Digital silence (gaps that were filled) is left out, for it says nothing of the room.
    """
    heard = levels[levels > -119.0]
    return float(np.percentile(heard, 10)) if len(heard) else decibels(0.0)


def _noise(levels: Levels, bands: NDArray[np.float32], phrases: tuple[Span, ...]) -> float:
    """RMS in dBFS of what lies 0.1 s and more away from speech, without single knocks; of a sound without pauses, of its
    quietest instants.

    Quiet is what does not stand out above 250 Hz: rumble comes and goes below it, and is noise all the same.
    """
    body = _power_to_db(bands[: len(levels) * 2, _BODY].sum(axis=1).reshape(-1, 2).max(axis=1))
    heard = levels > -119.0
    if not heard.any():
        return decibels(0.0)
    quiet = heard & (body < np.percentile(body[heard], 2) + 6.0)
    away = quiet.copy()
    for phrase in phrases:
        away[max(0, phrase.start // _TEN_MS - 10) : phrase.end // _TEN_MS + 11] = False
    calm = levels[away if np.count_nonzero(away) >= 50 else quiet]
    calm = calm[calm <= np.median(calm) + 12.0]
    return float(10.0 * np.log10(np.mean(10.0 ** (calm / 10.0))))


def _bands(sound: NDArray[np.float32], first: int, count: int) -> NDArray[np.float32]:
    """Power of `count` frames from sample `first` on in each band, shape (count, 13)."""
    made = np.empty((count, len(_BANDS)), np.float32)
    window = np.hanning(_WINDOW).astype(np.float32)
    begin = first + HOP // 2 - _WINDOW // 2
    for at in range(0, count, 2000):
        some = min(2000, count - at)
        part = sound[begin + at * HOP : begin + (at + some - 1) * HOP + _WINDOW]
        power = np.abs(np.fft.rfft(sliding_window_view(part, _WINDOW)[::HOP] * window, axis=1)) ** 2
        made[at : at + some] = np.stack([power[:, band].mean(axis=1) for band in _BANDS], axis=1)
    return made / float(np.sum(window**2))


def _brightness(bands: NDArray[np.float32]) -> Levels:
    return _power_to_db(bands[:, _BRIGHT].sum(axis=1)) - _power_to_db(bands[:, _DARK].sum(axis=1))


def runs(mask: Mask) -> list[tuple[int, int]]:
    """First and last + 1 of each stretch in which a mask is set, shape (n,)."""
    edges = np.flatnonzero(np.diff(np.concatenate(([0], mask.view(np.int8), [0]))))
    return list(zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True))


def _closed(mask: Mask, frames: int) -> Mask:
    """The mask with gaps of up to twice `frames` closed."""
    closed: Mask = binary_closing(np.pad(mask, 10), iterations=frames)[10:-10]
    return closed


def _near(mask: Mask, frames: int) -> Mask:
    counted = np.concatenate(([0], np.cumsum(mask)))
    at = np.arange(len(mask))
    near: Mask = counted[np.minimum(len(mask), at + frames + 1)] > counted[np.maximum(0, at - frames)]
    return near


def _voiced(pitch: Levels, count: int, least: int = 5, clear: float = 0.42) -> Mask:
    """Which of `count` frames have a pitch that goes on, also where its octave is the clearest for a moment."""
    steady = pitch[:, 2]
    return _pitched(pitch, count, least, clear) | _going_on(steady > _GOES_ON, steady, count, least, clear)


def _pitched(pitch: Levels, count: int, least: int = 5, clear: float = 0.42) -> Mask:
    """Which of `count` frames have a pitch that is the clearest and goes on, so that it means anything."""
    clarity, lag, _ = pitch.T
    linked = np.zeros(len(lag), bool)
    linked[1:] = (np.minimum(clarity[1:], clarity[:-1]) > _GOES_ON) & (np.abs(np.log2(lag[1:] / lag[:-1])) < 0.17)
    return _going_on(linked, clarity, count, least, clear)


def _going_on(linked: Mask, clarity: Levels, count: int, least: int, clear: float) -> Mask:
    """Which of `count` frames lie where each 10 ms is linked to the next, `least` times, and as `clear` in the mean."""
    found = np.zeros(len(linked), bool)
    for first, last in runs(linked):
        first = max(0, first - 1)
        found[first:last] = last - first > least and float(np.mean(clarity[first:last])) > clear
    return np.repeat(found, 2)[:count]


def _phrases(bands: NDArray[np.float32], pitch: Levels) -> tuple[tuple[Span, ...], bool]:
    """The spoken stretches, and whether they are whispered."""
    count = len(bands)
    body = _power_to_db(bands[:, _BODY].sum(axis=1))
    # The median over 35 ms lets clicks and keys go by and keeps the edges of words.
    calm = uniform_filter1d(median_filter(_power_to_db(bands), size=(7, 1), mode="nearest"), 3, axis=0, mode="nearest")
    alive = calm.max(axis=1) > -115.0
    if np.count_nonzero(alive) < 10:
        return (), False
    quiet = np.quantile(calm[alive], 0.15, axis=0)
    # In a reading without pauses the quieter sixth of it is words.
    above = calm - np.minimum(quiet, np.quantile(calm[alive], 0.05, axis=0) + 2.5)
    broad = np.count_nonzero(above[:, _FORMANTS] > 7.0, axis=1)
    strong = _voiced(pitch, count) & (broad >= 3)
    # A vowel like the o of “so” is dull, and clear.
    strong |= _voiced(pitch, count, 6, 0.6) & (np.count_nonzero(above[:, _LOW] > 12.0, axis=1) >= 4)
    if strong.any():
        strong &= body > np.percentile(body[strong], 85) - 26.0
    strong = _lasting(strong, 8)
    if np.count_nonzero(strong) < 12:
        # One word of one short vowel: that, and far above the quiet.
        short = _voiced(pitch, count, 3, 0.33) & (np.count_nonzero(above[:, _FORMANTS] > 12.0, axis=1) >= 5)
        strong |= _lasting(short, 6)
    whispered = _whispered(calm, quiet, bands, strong)
    length = sum(last - first for first, last in whispered)
    voice = int(np.count_nonzero(strong))
    if voice < 10 or voice < 0.25 * length:
        return _joined(whispered), bool(whispered)
    loudness = float(np.percentile(body[strong], 85))
    if loudness < QUIETEST_VOICE:
        return (), False
    weak = _voiced(pitch, count, 3, 0.36) & (broad >= 3) & (body > loudness - 18.0)
    strong = _with_weak(strong, _lasting(weak, 5))
    return _joined(_reached(bands, calm, quiet, strong, alive, loudness - _RANGE)), False


def _lasting(mask: Mask, frames: int) -> Mask:
    """The mask without stretches that are shorter."""
    lasting = mask.copy()
    for first, last in runs(mask):
        lasting[first:last] = last - first >= frames
    return lasting


def _with_weak(strong: Mask, weak: Mask) -> Mask:
    """The voice, and within 0.4 s of it, again and again, what is nearly as loud and has a pitch for a moment.

    So sound the ends of sentences of a low voice, which creaks there, and the short vowels of unstressed words.
    """
    both = strong | weak
    for first, last in runs(_near(both, 40)):
        if not strong[first:last].any():
            both[first:last] = False
    return both


def _reached(
    bands: NDArray[np.float32], calm: Levels, quiet: Levels, strong: Mask, alive: Mask, least: float
) -> list[tuple[int, int]]:
    """How far each stretch of voice reaches, in frames; what is quieter than `least` dB is none of it."""
    count = len(bands)
    apart = ~_near(strong, 60) & alive
    if known := np.count_nonzero(apart) >= max(60, 0.05 * count):
        usual = _usual(calm, apart, np.minimum(np.median(calm[apart], axis=0), quiet + 10.0))
        unrest = np.clip(np.percentile(calm[apart] - usual[apart], 84, axis=0), 1.0, 6.0)
    else:
        usual, unrest = np.broadcast_to(quiet, calm.shape), np.full(len(quiet), 2.0)

    def standing_out(level: Levels) -> Levels:
        out: Levels = np.maximum((level - usual) / unrest - 1.0, 0.0).mean(axis=1)
        return out

    out = standing_out(calm)
    threshold = float(np.clip(np.percentile(out[apart], 75) * 1.5, 0.45, 3.0)) if known else 0.55
    # Quieter than any word is, say, the room while a gate closes behind one.
    active = (out > threshold) & (_power_to_db((10.0 ** (calm / 10.0)).sum(axis=1)) > least)
    brief = uniform_filter1d(bands.astype(np.float64), 5, axis=0, mode="nearest")
    short = standing_out(_power_to_db(brief))
    knocks = sum(last - first < 24 for first, last in runs((short > 2.0) & apart))
    loud = _power_to_db(brief.sum(axis=1)) > least
    # Where something knocks anyway, a short burst after a word is not taken for its last consonant.
    burst = active if known and knocks >= 2 else active | (short > max(threshold, 2.0)) & loud
    bright = _brightness(bands)
    level = _power_to_db(uniform_filter1d(bands[:, _BODY].sum(axis=1).astype(np.float64), 3, mode="nearest"))
    loose = [(a, b) for a, b in runs(_closed(burst, 2)) if not strong[a:b].any()]
    reached = []
    for first, last in runs(_closed(active, 3) | strong):
        if not strong[first:last].any():
            continue
        begin = first + int(np.argmax(strong[first:last]))
        end = last - int(np.argmax(strong[first:last][::-1]))
        a, b = _without_background(out, first, begin, end, last)
        a = _without_breath(a, begin, level, bright)
        if a == first:
            a = _with_consonant_before(a, loose, bright)
        reached.append((a, _with_consonant_behind(b, loose, bright)))
    return [(max(0, a), min(count, b)) for a, b in reached]


_EVEN = 1.5
"""dB by which the level of a room changes within 0.3 s; that of a whisper changes by more."""
_AROUND, _LOOK = 200, 50
"""Frames before and behind that say what is usual at a place, and from one such place to the next."""


def _usual(calm: Levels, apart: Mask, everywhere: Levels) -> Levels:
    """The background beside each frame, in dB of each band: a car goes by, and a recorder that levels by itself turns up.

    Args:
        calm: levels of each band, shape (n, 13).
        apart: which frames hold background alone.
        everywhere: its usual levels in the whole of the sound, which hold where too little of it is near.
    """
    at = np.arange(0, len(calm) + _LOOK, _LOOK)
    known, levels = [], []
    for place in at:
        first, last = max(0, place - _AROUND), place + _AROUND
        near = calm[first:last][apart[first:last]]
        if len(near) < 60:
            continue
        middle = np.median(near, axis=0)
        # A film in the headphones pauses and goes on.
        restless = float(np.mean(np.percentile(near, 84, axis=0) - middle)) > 2.2
        alike = abs(float(np.mean(middle - everywhere))) < 3.0
        known.append(place)
        levels.append(everywhere if restless or alike else np.clip(middle, everywhere - 20.0, everywhere + 10.0))
    if not known:
        return np.broadcast_to(everywhere, calm.shape)
    frames = np.arange(len(calm))
    return np.stack([np.interp(frames, known, band) for band in np.array(levels).T], axis=1)


def _without_background(out: Levels, first: int, begin: int, end: int, last: int) -> tuple[int, int]:
    """What stands out far less than the voice beside it and goes on for long is background."""
    if begin - first > 24:
        voice = float(np.median(out[begin : begin + 30]))
        clear = first + int(np.argmax(np.append(out[first : begin - 20] > 0.2 * voice, True)))
        weak = np.flatnonzero(out[first:clear] < 0.07 * voice)
        first += int(weak[-1]) + 1 if len(weak) else 0
    if last - end > 30:
        voice = float(np.median(out[max(begin, end - 30) : end]))
        clear = last - int(np.argmax(np.append(out[end + 26 : last][::-1] > 0.2 * voice, True)))
        weak = np.flatnonzero(out[clear:last] < 0.05 * voice)
        last = clear + int(weak[0]) if len(weak) else last
    return first, last


def _without_breath(first: int, begin: int, level: Levels, bright: Levels) -> int:
    """Where the word begins whose voice begins at `begin`: behind the dip after a breath that leads to it."""
    dips: list[tuple[float, int]] = []
    for at in range(begin - 2, max(first + 36, begin - 90), -1):
        before = level[max(first, at - 70) : at]
        dip = level[at] <= level[max(first, at - 3) : min(begin, at + 4)].min()
        deep = min(float(np.percentile(before, 75)), float(level[at : begin + 4].max())) - level[at] > 7.0
        if dip and deep and float(np.median(bright[max(first, at - 70) : at])) < 2.0:
            dips.append((float(level[at]), at))
    if dips:
        # A weak consonant may have a dip behind it that is as deep.
        deepest = min(dips)[0]
        return min(at for depth, at in dips if depth <= deepest + 4.0)
    dull = np.count_nonzero(bright[first:begin] < 2.0)
    return begin - 40 if begin - first > 60 and dull > 0.6 * (begin - first) else first


def _with_consonant_before(first: int, loose: list[tuple[int, int]], bright: Levels) -> int:
    """The s of “stop” stands apart from its vowel."""
    for a, b in reversed(loose):
        if b <= first:
            hissing = float(np.median(bright[a:b])) > 3.0 and b - a <= 44
            return a if first - b <= 16 and (hissing or (b - a <= 10 and first - a <= 12)) else first
    return first


def _with_consonant_behind(last: int, loose: list[tuple[int, int]], bright: Levels) -> int:
    """So does the t of “night”, and a last vowel that is only breathed."""
    for a, b in loose:
        if last <= a <= last + 30:
            hissing = float(np.median(bright[a:b])) > 2.0 and b - a <= 70
            if hissing or (b - a <= 36 and a - last <= 24):
                return b
    return last


def _whispered(calm: Levels, quiet: Levels, bands: NDArray[np.float32], strong: Mask) -> list[tuple[int, int]]:
    """Stretches without a voice that are broad, last, and change their colour as words do and breath does not.

    Neither a voice is one, nor what goes on evenly: the room where a recorder turned up by itself.
    """
    level = calm[:, 2:].mean(axis=1)
    even = uniform_filter1d(level**2, 60) - uniform_filter1d(level, 60) ** 2 < _EVEN**2
    out = np.clip(calm[:, 2:] - quiet[2:] - 5.0, 0.0, 15.0).mean(axis=1)
    out[_near(even, 30)] = 0.0
    cores = [(a, b) for a, b in runs(out > 2.5) if b - a >= 14]
    found = [(a, b) for a, b in runs(_closed(out > 0.8, 2)) if any(c < b and d > a for c, d in cores)]
    voiceless = ~_near(strong, 20)
    heard = np.concatenate([bands[a:b][voiceless[a:b]] for a, b in found] or [bands[:0]])
    if len(heard) < 120:
        return []
    return found if float(np.std(_brightness(heard))) >= 4.0 else []


def _joined(stretches: list[tuple[int, int]], join: int = milliseconds(250)) -> tuple[Span, ...]:
    """Stretches closer than `join` samples are one phrase."""
    joined: list[Span] = []
    for a, b in sorted(stretches):
        if joined and a * HOP - joined[-1].end < join:
            joined[-1] = Span(joined[-1].start, max(joined[-1].end, b * HOP))
        else:
            joined.append(Span(a * HOP, b * HOP))
    return tuple(joined)
