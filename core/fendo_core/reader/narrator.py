"""Readings by a made voice: speech from flite (or espeak-ng), breaths, room noise, performance level.

Every reading is a function of text, voice and seed. The faults are options, so that tests know what is wrong with a take.
"""

import shutil
import subprocess
import tempfile
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Literal, TypeAlias, get_args

import numpy as np
import soundfile
import soxr
from numpy.typing import NDArray

from fendo_core.audio.levels import gain
from fendo_core.reader import noises
from fendo_core.timebase import SAMPLE_RATE, milliseconds

Fault: TypeAlias = Literal["none", "late", "early", "long", "loud", "word left out", "silent", "reads on", "false start"]
FAULTS: tuple[Fault, ...] = get_args(Fault)

VOICES = ("rms", "slt", "awb")
ROOM_NOISE = -62.0
BREATH = -33.0
"""Peak of the breath before the first word, in dBFS."""
PEAK = -9.0
LONGEST_TEXT = 1_000


@dataclass(frozen=True, slots=True)
class Reading:
    """`samples` mono float32; the first spoken sample is at `speech_start`, the sample after the last at `speech_end`.

    `cue` is the sample that the reader means to lie on the slot's first frame.
    """

    samples: NDArray[np.float32]
    cue: int
    speech_start: int
    speech_end: int


class NoVoice(RuntimeError):
    """Neither of the two programs that make voices is installed."""


def _spoken(text: str, voice: str, stretch: float) -> NDArray[np.float32]:
    """The bare voice at 48 kHz, trimmed to speech."""
    with tempfile.TemporaryDirectory() as folder:
        words, wav = Path(folder, "words.txt"), Path(folder, "voice.wav")
        words.write_text(text[:LONGEST_TEXT], encoding="utf-8")
        if flite := shutil.which("flite"):
            command = [
                flite,
                "-voice",
                voice,
                "--setf",
                f"duration_stretch={stretch:.3f}",
                "-f",
                str(words),
                "-o",
                str(wav),
            ]
        elif espeak := shutil.which("espeak-ng"):
            command = [espeak, "-s", str(round(160 / stretch)), "-f", str(words), "-w", str(wav)]
        else:
            raise NoVoice("no program that makes voices is installed: install flite or espeak-ng")
        subprocess.run(command, check=True, capture_output=True, timeout=60, stdin=subprocess.DEVNULL)
        raw, rate = soundfile.read(wav, dtype="float32", always_2d=True)
    voice_samples = np.asarray(soxr.resample(raw[:, 0], rate, SAMPLE_RATE), dtype=np.float32)
    edge = np.flatnonzero(np.abs(voice_samples) > 0.02 * float(np.max(np.abs(voice_samples), initial=1e-9)))
    return voice_samples[edge[0] : edge[-1] + 1] if len(edge) else np.zeros(1, dtype=np.float32)


def room(length: int, seed: int) -> NDArray[np.float32]:
    """The quiet of a booth, at `ROOM_NOISE` dBFS RMS."""
    return noises.room_noise(length, ROOM_NOISE, np.random.default_rng([seed, 7]))


def read(text: str, seed: int, voice: str = VOICES[0], fault: Fault = "none", tail: int = SAMPLE_RATE) -> Reading:
    """Read a text once, a little different for each seed.

    The reading begins with a second of room and a breath; its cue lies one second in, and the first word comes 10-45 ms
    after the cue (a person's reaction to a count-in).

    Args:
        text: the words; an empty one is read as silence.
        seed: which reading; equal seeds give equal samples.
        voice: one of `VOICES`.
        fault: what goes wrong: "late" by 0.45 s, "early" by 0.3 s, "long" at 1.35 times the length, "loud" into clipping,
            "word left out" in the middle, "false start" that is broken off and said again, "silent" with the room only;
            "reads on" is one of `read_on`.
        tail: samples of room after the last word.
    """
    if voice not in VOICES or fault not in FAULTS:
        raise ValueError(f"voices are {VOICES}, faults {FAULTS}; asked for {voice!r} and {fault!r}")
    rng = np.random.default_rng([seed, 3])
    said = _with_fault(text.split(), fault, rng)
    stretch = float(rng.uniform(0.96, 1.04)) * (1.35 if fault == "long" else 1.0)
    cue = SAMPLE_RATE
    if not said or fault == "silent":
        return Reading(room(2 * SAMPLE_RATE + tail, seed), cue, cue, cue)
    spoken = _spoken(" ".join(said), voice, stretch)
    level = gain(PEAK + float(rng.uniform(-1.5, 1.0)) + (14.0 if fault == "loud" else 0.0))
    spoken = spoken / float(np.max(np.abs(spoken))) * level
    late = milliseconds(int(rng.integers(10, 45)) + {"late": 450, "early": -300}.get(fault, 0))
    start = cue + late
    samples = room(start + len(spoken) + tail, seed)
    samples[start : start + len(spoken)] += spoken
    breath = noises.breath(BREATH, np.random.default_rng([seed, 11]))
    before = start - milliseconds(60) - len(breath)
    samples[max(0, before) : before + len(breath)] += breath[max(0, -before) :]
    return Reading(np.clip(samples, -1.0, 1.0).astype(np.float32), cue, start, start + len(spoken))


def read_on(texts: Sequence[str], seed: int, voice: str = VOICES[0]) -> Reading:
    """One long pass over several texts: the second is broken off in its middle and said again.

    Raises:
        NoVoice: when none is installed.
    """
    first, rng = read(texts[0], seed, voice, tail=0), np.random.default_rng([seed, 5])
    words = texts[1].split() if len(texts) > 1 else []
    broken = [" ".join(words[: max(2, len(words) // 2)])] if len(words) > 3 else []
    parts, level = [first.samples], gain(PEAK)
    for text in [*broken, *texts[1:]]:
        said = _spoken(text, voice, 1.0)
        said *= level / max(1e-6, float(np.max(np.abs(said))))
        parts += [np.zeros(milliseconds(int(rng.integers(800, 1300))), np.float32), said]
    end = sum(len(part) for part in parts)
    parts.append(np.zeros(SAMPLE_RATE, np.float32))
    samples = np.concatenate(parts)
    samples[len(first.samples) :] += room(len(samples) - len(first.samples), seed)
    return Reading(np.clip(samples, -1.0, 1.0).astype(np.float32), first.cue, first.speech_start, end)


def _with_fault(words: Sequence[str], fault: Fault, rng: np.random.Generator) -> list[str]:
    if fault == "word left out" and len(words) > 2:
        inner = range(1, len(words) - 1)
        # A word that is missed: of the small ones nobody could say later whether they were swallowed.
        out = int(rng.choice([at for at in inner if len(words[at]) > 3] or list(inner)))
        return [word for at, word in enumerate(words) if at != out]
    if fault == "false start" and len(words) > 4:
        return [*words[:2], f"{words[2].strip('.,;:')},", *words]
    return list(words)
