"""The original of the interpreted talk: a made speaker on the left channel, the hall on the right."""

import subprocess
import tempfile
from pathlib import Path

import numpy as np
import soundfile
import soxr
from scipy.signal import butter, sosfilt

from fendo_core.reader.narrator import room
from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds
from fendo_demo.scenario import SENTENCES, TALK_LANGUAGE

LEAD = 2 * SAMPLE_RATE
PAUSE = milliseconds(2_200)


def _said(text: str) -> np.ndarray:
    with tempfile.TemporaryDirectory() as folder:
        wav = Path(folder, "said.wav")
        command = ["espeak-ng", "-v", TALK_LANGUAGE, "-s", "120", "-p", "38", "-w", str(wav), text]
        subprocess.run(command, check=True, capture_output=True, timeout=60, stdin=subprocess.DEVNULL)
        samples, rate = soundfile.read(wav, dtype="float32")
    heard = np.asarray(soxr.resample(samples, rate, SAMPLE_RATE), dtype=np.float32)
    loud = np.flatnonzero(np.abs(heard) > 0.02 * np.max(np.abs(heard)))
    return heard[loud[0] : loud[-1] + 1] / np.max(np.abs(heard)) * 0.3


def make_talk(path: Path) -> list[Span]:
    """Write the stereo WAV; where each sentence is spoken."""
    said = [_said(sentence.original) for sentence in SENTENCES]
    length = LEAD + sum(len(one) + PAUSE for one in said)
    speaker, spans, at = np.zeros(length, np.float32), list[Span](), LEAD
    for one in said:
        speaker[at : at + len(one)] = one
        spans.append(Span(at, at + len(one)))
        at += len(one) + PAUSE
    # The hall hears the speaker late, dull and soft, with people in it.
    dull = sosfilt(butter(2, 1_500, fs=SAMPLE_RATE, output="sos"), np.roll(speaker, milliseconds(35))) * 0.35
    hall = dull + room(length, 5) * 12
    soundfile.write(path, np.stack([speaker + room(length, 4) * 2, hall], axis=1), SAMPLE_RATE, subtype="PCM_16")
    return spans
