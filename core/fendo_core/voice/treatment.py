"""A chain at work: block after block, with what each stage remembers of the sound so far.

Filters after the Audio EQ Cookbook (Bristow-Johnson). The dynamics work sample by sample with memories that are handed on,
which no library was found to do independently of the blocks.
"""

from collections import deque
from collections.abc import Callable, Iterable, Iterator, Mapping
from itertools import chain as chain_of
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray
from scipy.signal import butter, iirnotch, lfilter, sosfilt, sosfreqz, tf2sos

from fendo_core.timebase import SAMPLE_RATE, milliseconds
from fendo_core.voice import clicks, levelling, steady
from fendo_core.voice.chain import Chain

Sound: TypeAlias = NDArray[np.float32]
Worker: TypeAlias = Callable[[Sound], Sound]

_HARMONICS = 8
_SHARP = 5_500.0
"""Hz above which sibilance lies."""


class Treatment:
    """Treats a sound that comes block by block, from its first sample on; where it is cut does not matter.

    What comes out lags `ahead_of(chain)` samples behind what comes in; `treated_blocks` gives it where it belongs.
    """

    def __init__(self, chain: Chain) -> None:
        self._workers = [_MAKERS[stage.kind](stage.settings) for stage in chain.working]

    def __call__(self, block: Sound) -> Sound:
        """The next block, mono at 48 kHz, shape (n,); as long as it came."""
        for work in self._workers:
            block = work(block) if len(block) else block
        return block


def ahead_of(chain: Chain) -> int:
    """Samples that a chain must hear before it gives the first one."""
    return sum(_AHEAD.get(stage.kind, 0) for stage in chain.working)


def treated_blocks(blocks: Iterable[Sound], chain: Chain) -> Iterator[Sound]:
    """A sound that comes in blocks, treated, in blocks of their lengths: the first one is its beginning."""
    treatment, ahead, lengths = Treatment(chain), ahead_of(chain), deque[int]()
    made, skipped = np.zeros(0, np.float32), ahead
    for block in chain_of(blocks, [np.zeros(ahead, np.float32)] if ahead else []):
        lengths.append(len(block))
        out = treatment(block)
        dropped = min(skipped, len(out))
        skipped -= dropped
        made = np.concatenate((made, out[dropped:]))
        while lengths and lengths[0] <= len(made):
            length = lengths.popleft()
            if length:
                yield made[:length]
            made = made[length:]


def treated(samples: Sound, chain: Chain) -> Sound:
    """A whole sound treated."""
    return next(treated_blocks([samples], chain), samples)


def through(samples: Sound, chain: Chain) -> Iterator[tuple[str, Sound, Sound]]:
    """A whole sound on its way: the kind of each stage that is on, what comes into it, and what goes out."""
    for stage in chain.working:
        before, samples = samples, treated(samples, Chain(stage.kind, (stage,)))
        yield stage.kind, before, samples


def response(chain: Chain, hertz: NDArray[np.float64]) -> NDArray[np.float64]:
    """What the filters of a chain (rumble, hum, tone) do at some frequencies, in dB, shape of `hertz`."""
    decibel = np.zeros(hertz.shape)
    for stage in chain.working:
        if stage.kind in _FILTERS:
            _, found = sosfreqz(_FILTERS[stage.kind](stage.settings), hertz, fs=SAMPLE_RATE)
            decibel += 20.0 * np.log10(np.maximum(np.abs(found), 1e-6))
    return decibel


def _filtered(sections: NDArray[np.float64]) -> Worker:
    memory = np.zeros((len(sections), 2))

    def work(block: Sound) -> Sound:
        nonlocal memory
        out, memory = sosfilt(sections, block.astype(np.float64), zi=memory)
        treated_block: Sound = out.astype(np.float32)
        return treated_block

    return work


def _rumble(settings: Mapping[str, float]) -> NDArray[np.float64]:
    sections: NDArray[np.float64] = butter(4, settings["below"], "high", fs=SAMPLE_RATE, output="sos")
    return sections


def _hum(settings: Mapping[str, float]) -> NDArray[np.float64]:
    """Notches 2 Hz wide: wide enough for mains that wander, too narrow to hollow a voice that passes over them."""
    centres = [settings["mains"] * number for number in range(1, _HARMONICS + 1)]
    sections = [tf2sos(*iirnotch(centre, centre / 2.0, fs=SAMPLE_RATE)) for centre in centres]
    return np.concatenate(sections)


class _Level:
    """Power of a sound as a compressor sees it: quick to rise (5 ms), slow to fall (100 ms)."""

    def __init__(self) -> None:
        self._pulls = [float(np.exp(-1.0 / (seconds * SAMPLE_RATE))) for seconds in (0.005, 0.1)]
        self._memories = [np.zeros(1), np.zeros(1)]

    def __call__(self, block: NDArray[np.floating]) -> NDArray[np.float64]:
        power = block.astype(np.float64) ** 2
        found = []
        for number, pull in enumerate(self._pulls):
            smooth, self._memories[number] = lfilter([1.0 - pull], [1.0, -pull], power, zi=self._memories[number])
            found.append(smooth)
        return np.maximum(*found)


def _over(power: NDArray[np.float64], threshold: float) -> NDArray[np.float64]:
    """By how much it lies above a threshold, in dB; 0 where it does not."""
    over, loud = np.zeros(len(power)), power > 10.0 ** (threshold / 10.0)
    over[loud] = 10.0 * np.log10(power[loud]) - threshold
    return over


def _under(power: NDArray[np.float64], threshold: float) -> NDArray[np.float64]:
    """By how much it lies below a threshold, in dB; 0 where it does not."""
    under, low = np.zeros(len(power)), power < 10.0 ** (threshold / 10.0)
    under[low] = threshold - 10.0 * np.log10(np.maximum(power[low], 1e-12))
    return under


def _lowered(sound: NDArray[np.floating], decibel: NDArray[np.float64]) -> NDArray[np.float64]:
    """A sound lowered sample by sample; most of them by nothing."""
    lowered, where = sound.astype(np.float64), decibel > 0.0
    lowered[where] *= 10.0 ** (-decibel[where] / 20.0)
    return lowered


def _noise(settings: Mapping[str, float]) -> Worker:
    """A downward expander of 2 : 1 that takes 18 dB at most: what is not heard at all sounds like a fault."""
    level = _Level()

    def work(block: Sound) -> Sound:
        below = np.minimum(_under(level(block), settings["threshold"]), 18.0)
        return _lowered(block, below).astype(np.float32)

    return work


def _compressor(settings: Mapping[str, float]) -> Worker:
    level, share = _Level(), 1.0 - 1.0 / settings["ratio"]

    def work(block: Sound) -> Sound:
        return _lowered(block, _over(level(block), settings["threshold"]) * share).astype(np.float32)

    return work


_THUMP, _NO_VOICE = 140.0, 55.0
"""Hz below which a thump lies, and below which no voice has its pitch."""
_THUMP_AHEAD = milliseconds(25)
"""Samples by which a thump is known before it is held back: what is so low is heard late."""


def _plosives(settings: Mapping[str, float]) -> Worker:
    """The part below 140 Hz is held back by as much as the level below 55 Hz lies above the threshold."""
    low = butter(6, _NO_VOICE, "low", fs=SAMPLE_RATE, output="sos")
    memory, level, split = np.zeros((len(low), 2)), _Level(), _Crossover(_THUMP)
    waiting = np.zeros(_THUMP_AHEAD, np.float32)

    def work(block: Sound) -> Sound:
        nonlocal memory, waiting
        thump, memory = sosfilt(low, block.astype(np.float64), zi=memory)
        held = np.minimum(_over(level(thump), settings["threshold"]), settings["most"])
        sound = np.concatenate((waiting, block))
        waiting = sound[len(block) :]
        below, above = split(sound[: len(block)])
        treated_block: Sound = (_lowered(below, held) + above).astype(np.float32)
        return treated_block

    return work


class _Crossover:
    """Splits a sound in two, of order 4 after Linkwitz and Riley: together the parts are as loud as the whole."""

    def __init__(self, hertz: float) -> None:
        split = (butter(2, hertz, kind, fs=SAMPLE_RATE, output="sos") for kind in ("low", "high"))
        self._parts = [np.concatenate((sections, sections)) for sections in split]
        self._memories = [np.zeros((2, 2)), np.zeros((2, 2))]

    def __call__(self, block: Sound) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """What of the next block lies below, and above."""
        found = []
        for number, sections in enumerate(self._parts):
            part, self._memories[number] = sosfilt(sections, block.astype(np.float64), zi=self._memories[number])
            found.append(part)
        return found[0], found[1]


def _sibilance(settings: Mapping[str, float]) -> Worker:
    """The part above 5.5 kHz is held back by as much as its level (over about 5 ms) lies above the threshold."""
    split, level = _Crossover(_SHARP), np.zeros(1)
    pull = float(np.exp(-1.0 / (0.005 * SAMPLE_RATE)))

    def work(block: Sound) -> Sound:
        nonlocal level
        below, above = split(block)
        power, level = lfilter([1.0 - pull], [1.0, -pull], above**2, zi=level)
        held = np.minimum(_over(power, settings["threshold"]), settings["most"])
        treated_block: Sound = (below + _lowered(above, held)).astype(np.float32)
        return treated_block

    return work


def _tone(settings: Mapping[str, float]) -> NDArray[np.float64]:
    low = _shelf(160.0, settings["warmth"], high=False)
    body = _bell(350.0, settings.get("body", 0.0), 0.9)
    presence = _bell(3_000.0, settings["presence"], 0.8)
    high = _shelf(8_000.0, settings["air"], high=True)
    return np.concatenate((low, body, presence, high))


def _bell(hertz: float, decibel: float, q: float) -> NDArray[np.float64]:
    """Peaking filter of the cookbook, as one second-order section."""
    a, w = 10.0 ** (decibel / 40.0), 2.0 * np.pi * hertz / SAMPLE_RATE
    alpha = np.sin(w) / (2.0 * q)
    above = [1.0 + alpha * a, -2.0 * np.cos(w), 1.0 - alpha * a]
    below = [1.0 + alpha / a, -2.0 * np.cos(w), 1.0 - alpha / a]
    return _section(above, below)


def _shelf(hertz: float, decibel: float, high: bool) -> NDArray[np.float64]:
    """Low or high shelf of the cookbook, slope 1."""
    a, w = 10.0 ** (decibel / 40.0), 2.0 * np.pi * hertz / SAMPLE_RATE
    c, turn = np.cos(w), -1.0 if high else 1.0
    root = 2.0 * np.sqrt(a) * np.sin(w) / np.sqrt(2.0)
    above = [
        a * ((a + 1) - turn * (a - 1) * c + root),
        turn * 2.0 * a * ((a - 1) - turn * (a + 1) * c),
        a * ((a + 1) - turn * (a - 1) * c - root),
    ]
    below = [
        (a + 1) + turn * (a - 1) * c + root,
        turn * -2.0 * ((a - 1) + turn * (a + 1) * c),
        (a + 1) + turn * (a - 1) * c - root,
    ]
    return _section(above, below)


def _section(above: list[float], below: list[float]) -> NDArray[np.float64]:
    section: NDArray[np.float64] = np.array([[*above, *below]]) / below[0]
    return section


_FILTERS: dict[str, Callable[[Mapping[str, float]], NDArray[np.float64]]] = {"rumble": _rumble, "hum": _hum, "tone": _tone}


def _maker(kind: str) -> Callable[[Mapping[str, float]], Worker]:
    return lambda settings: _filtered(_FILTERS[kind](settings))


_AHEAD = {"clicks": clicks.AHEAD, "plosives": _THUMP_AHEAD, "steady": steady.AHEAD, "levelling": levelling.AHEAD}
_MAKERS: dict[str, Callable[[Mapping[str, float]], Worker]] = {
    "clicks": lambda settings: clicks.Clicks(settings["above"]),
    "plosives": _plosives,
    "steady": lambda settings: steady.SteadyNoise(settings["most"]),
    "levelling": lambda settings: levelling.Levelling(settings["most"]),
    "noise": _noise,
    "sibilance": _sibilance,
    "compressor": _compressor,
    **{kind: _maker(kind) for kind in _FILTERS},
}
