"""A take in numbers, and the few words that matter when choosing."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from fendo_core.audio import levels, speech
from fendo_core.audio.bleed import BleedMeter, Played, leaked_at
from fendo_core.booth.levelwindow import LevelWindow
from fendo_core.takes.character import Character, character
from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds, seconds_text

MOST_DOUBTS = 3
"""Doubts about its place that are said with a take; all of them stand in its clock map."""
ON_CUE = milliseconds(80)
"""A start this near to the slot's is on cue: two frames at 25, less than a listener notices against picture."""

PAST_END = milliseconds(50)
"""An end this little after the slot's is not noticed."""


@dataclass(frozen=True, slots=True)
class Measures:
    """Of a recording alone: `speech` in samples of the recording (None: nobody speaks), levels in dBFS, dBTP and LUFS,
    `clipped` stretches of flat tops, `noise` floor in dBFS, `character` None where too little is heard of the voice,
    `bleed` in dB below the voice (None: nothing that was played is heard)."""

    length: int
    speech: Span | None
    phrases: tuple[Span, ...]
    peak: float
    true_peak: float
    loudness: float | None
    noise: float
    clipped: tuple[Span, ...]
    character: Character | None = None
    bleed: float | None = None


def shifted(found: Measures, by: int) -> Measures:
    """Measures of a stretch, counted in the recording that it begins `by` samples after."""
    return replace(
        found,
        speech=found.speech.shifted(by) if found.speech else None,
        phrases=tuple(span.shifted(by) for span in found.phrases),
        clipped=tuple(span.shifted(by) for span in found.clipped),
    )


BLOCK = 30 * SAMPLE_RATE
"""Samples of a long recording that are looked at together; a whole number of 10 ms."""


def measure(samples: NDArray[np.float32]) -> Measures:
    """Measure a take's recording: mono float samples at 48 kHz, shape (n,)."""
    return measure_blocks([samples])[0]


def measure_blocks(
    blocks: Iterable[NDArray[np.float32]], played: Played | None = None
) -> tuple[Measures, NDArray[np.uint8]]:
    """Measure a recording that comes in blocks of `BLOCK` samples (the last may be shorter); its measures, and its waveform
    as `levels.overview` draws it. Memory does not grow with the length but for a few numbers each 10 ms.

    Args:
        played: what was in the reader's headphones: where it leaked, the ear listens to the take without it.
    """
    meter, length = levels.Meter(), 0
    ear, waves, leaks = speech.Ear(), [], BleedMeter()
    for block in blocks:
        leak = leaked_at(block, length, played) if played else None
        leaks.add(block, leak)
        meter.add(block)
        ear.add(block if leak is None else block - leak)
        waves.append(levels.overview(block))
        length += len(block)
    level = meter.read()
    heard = ear.hear()
    found = Measures(
        length=length,
        speech=heard.speech,
        phrases=heard.phrases,
        peak=round(level.peak, 2),
        true_peak=round(level.true_peak, 2),
        loudness=None if level.loudness is None else round(level.loudness, 2),
        noise=round(heard.noise, 1),
        clipped=level.clipped,
        character=character(ear.frames()) if heard.speech else None,
        bleed=leaks.read(heard.phrases),
    )
    return found, np.concatenate(waves) if waves else np.zeros((0, 2), np.uint8)


@dataclass(frozen=True, slots=True)
class Judgement:
    """A take against its slot. Positive `late` and `past_end` are samples after the slot's start and end, or beyond the
    length that is wanted; `faults` are in the order in which they matter."""

    late: int | None
    past_end: int | None
    faults: tuple[str, ...]
    remarks: tuple[str, ...]

    @property
    def too_long(self) -> bool:
        """It ends so long after its slot that it is heard."""
        return self.past_end is not None and self.past_end >= PAST_END


NEAREST_NOISE = 30.0
"""dB between the voice and the noise of the room below which the noise is heard with every word."""
LOUDEST_OVER = 1.0
QUIETEST_UNDER = 3.0
"""dB by which peaks may lie beside the level window before it is said."""


@dataclass(frozen=True, slots=True)
class _Level:
    """dB by which a reading is over and under its level window, and from its noise; None: not so."""

    over: float | None
    under: float | None
    near: float | None


def _level(peak: float | None, loudness: float | None, noise: float | None, window: LevelWindow) -> _Level:
    apart = None if loudness is None or noise is None else loudness - levels.DUAL_MONO - noise
    return _Level(
        over=peak - window.high if peak is not None and peak > window.high + LOUDEST_OVER else None,
        under=window.low - peak if peak is not None and peak < window.low - QUIETEST_UNDER else None,
        near=max(0.0, apart) if apart is not None and apart < NEAREST_NOISE else None,
    )


def bleed_faults(below: float | None) -> tuple[str, ...]:
    """What is said of a take in which the programme is heard, so many dB below the voice; None: it is not."""
    return () if below is None else (f"the programme is heard in it, {below:.0f} dB below the voice",)


def sound_faults(
    peak: float | None, loudness: float | None, noise: float | None, bleed: float | None, window: LevelWindow
) -> tuple[str, ...]:
    """What is wrong with how a reading sounds: its level, and what leaks into it; arguments as in the two it joins."""
    return (*level_faults(peak, loudness, noise, window), *bleed_faults(bleed))


def level_faults(peak: float | None, loudness: float | None, noise: float | None, window: LevelWindow) -> tuple[str, ...]:
    """What is wrong with the level of a reading in which somebody speaks, and by how much.

    Args:
        peak: dBFS.
        loudness: LUFS, as dual mono; None when it was too short to be measured.
        noise: dBFS between the words.
        window: where the production wants its peaks.
    """
    said, found = [], _level(peak, loudness, noise, window)
    if found.over is not None:
        said.append(f"{found.over:.0f} dB too hot")
    if found.under is not None:
        said.append(f"{found.under:.0f} dB too quiet")
    if found.near is not None:
        said.append(f"noise only {found.near:.0f} dB under the voice")
    return tuple(said)


def level_advice(peak: float | None, loudness: float | None, noise: float | None, window: LevelWindow) -> tuple[str, ...]:
    """What to do about the level of a reading; nothing where nothing is wrong. Arguments as for `level_faults`."""
    said, found, half = [], _level(peak, loudness, noise, window), (window.high - window.low) / 2
    if found.over is not None:
        said.append(f"turn the gain down by about {found.over + half:.0f} dB")
    if found.near is not None:
        said.append("come nearer to the microphone: the noise is too close")
    elif found.under is not None:
        said.append(f"turn the gain up by about {found.under + half:.0f} dB")
    return tuple(said)


def judge(
    speech_span: Span | None,
    start: int,
    slot: Span | None,
    clipped: int,
    cut_off: bool = False,
    doubts: Sequence[tuple[int, str]] = (),
    measured: bool = True,
    cue: int | None = None,
    level: Sequence[str] = (),
    words: Sequence[str] = (),
    doubtful: Sequence[str] = (),
    wanted: int | None = None,
) -> Judgement:
    """Say what is wrong and what is right with a take.

    Args:
        speech_span: spoken part, in samples of the recording.
        start: programme sample of the recording's first sample.
        slot: the line's slot, or None (wild).
        clipped: number of clipped places.
        cut_off: the recording ended by a fault, not by the reader.
        doubts: what its clock map says of itself, (sample of the recording, words).
        cue: programme sample inside the slot at which a pick-up was to begin (None: with the slot).
        level: what is wrong with its level, from `level_faults`.
        words: what is amiss with its words, from the read check; `doubtful` what may be.
        measured: its sound was looked at; until then nothing is said of it.
        wanted: samples that a line without a slot is to last; None: as long as it takes.
    """
    faults, remarks = list[str](), list[str]()
    if cut_off:
        faults.append("cut off")
    faults += [
        f"{words} ({seconds_text(at)} s)" if at >= SAMPLE_RATE // 10 else words for at, words in doubts[:MOST_DOUBTS]
    ]
    if len(doubts) > MOST_DOUBTS:
        faults.append(f"and {len(doubts) - MOST_DOUBTS} more doubts about its place")
    if not measured:
        return Judgement(None, None, tuple(faults), ("being measured",))
    if speech_span is None:
        return Judgement(None, None, (*faults, "silent: nobody speaks"), ())
    faults += words
    remarks += doubtful
    if clipped:
        faults.append(f"clipped at {clipped} place{'s' if clipped != 1 else ''}")
    faults += level
    late = past_end = None
    if cue is not None:
        into = "" if slot is None else f", {seconds_text(cue - slot.start)} s into the slot"
        remarks.append(f"pick-up{into}")
    if slot is not None:
        late = speech_span.start + start - (slot.start if cue is None else cue)
        past_end = speech_span.end + start - slot.end
        if abs(late) <= ON_CUE:
            remarks.append("on cue")
        else:
            faults.append(f"{seconds_text(abs(late), 2)} s {'late' if late > 0 else 'early'}")
        if past_end > 0:
            faults.append(
                f"{seconds_text(past_end)} s past the end of the slot" if past_end >= PAST_END else "ends with the slot"
            )
        else:
            remarks.append("inside its slot")
    elif wanted is not None and cue is None:
        past_end = speech_span.length - wanted
        if past_end >= PAST_END:
            faults.append(f"{seconds_text(past_end)} s longer than wanted")
        else:
            as_wanted = -past_end < PAST_END
            remarks.append("as long as wanted" if as_wanted else f"{seconds_text(-past_end)} s shorter than wanted")
    return Judgement(late, past_end, tuple(faults), tuple(remarks))
