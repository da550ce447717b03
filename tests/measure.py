"""Independent measures: where a sound lies in another, by correlation of what ffmpeg decodes."""

import json
import subprocess
from pathlib import Path

import numpy as np
from scipy.signal import correlate

RATE = 48_000


def decoded(path: Path) -> np.ndarray:
    """Mono float samples at 48 kHz, as ffmpeg hears the file."""
    command = ["ffmpeg", "-v", "error", "-i", str(path), "-map", "0:a:0", "-ac", "1", "-ar", str(RATE), "-f", "f32le", "-"]
    return np.frombuffer(subprocess.run(command, capture_output=True, check=True).stdout, np.float32)


def probed(path: Path) -> dict:
    """What ffprobe says."""
    command = ["ffprobe", "-v", "error", "-show_streams", "-show_format", "-of", "json", str(path)]
    return json.loads(subprocess.run(command, capture_output=True, check=True).stdout)


def offset_of(part: np.ndarray, whole: np.ndarray, expected: int, reach: int = RATE) -> tuple[int, float]:
    """Where `part` lies in `whole`, near `expected`: samples off, and how alike both are there (1: the same)."""
    first = max(0, expected - reach)
    window = whole[first : expected + len(part) + reach]
    found = correlate(window, part, mode="valid", method="fft")
    at = int(np.argmax(found))
    match = window[at : at + len(part)]
    alike = float(found[at] / (np.linalg.norm(match) * np.linalg.norm(part) + 1e-12))
    return first + at - expected, alike
