"""A reading that was recorded elsewhere: which channel of its file is the voice, where it lies, and of which line it is."""

import re
from collections.abc import Callable, Container
from pathlib import Path

import numpy as np

from fendo_core.audio import pcm
from fendo_core.picture import codec
from fendo_core.picture.film import Film
from fendo_core.timebase import SAMPLE_RATE, Span

BESIDE = 600 * SAMPLE_RATE
"""A file's own time is believed where it lies no further beside the programme than this: else it is another clock's."""
_BLOCK = 10 * SAMPLE_RATE


def voice_of(path: Path, film: Film, target: Path, progress: Callable[[float], None]) -> tuple[int, int]:
    """The voice in a file, written to `target` as packed 24-bit samples: mono, 48 kHz.

    A voice is one channel: of several the loudest is taken, for microphones that are mixed comb one another. At 48 kHz and
    up to 24 bits its samples stay as they are, bit for bit.

    Returns:
        The samples that were written, and the channel, counted from 1.

    Raises:
        CodecFailed: when the file can't be read to its end.
        Exception: what `progress` raises.
    """
    given = [*codec.input_of(path, film.kind), "-map", "0:a:0", "-vn"]
    seconds = 300 + film.length // SAMPLE_RATE
    channel = 0
    if film.channels > 1:
        energy = np.zeros(film.channels)
        arguments = [*given, "-ac", str(film.channels), "-f", "f32le"]
        for done, data in enumerate(codec.read_raw(arguments, 4 * film.channels * _BLOCK, seconds, codec.SOUND_MEMORY)):
            block = np.frombuffer(data, "<f4")
            block = block[: len(block) // film.channels * film.channels].reshape(-1, film.channels)
            energy += np.nan_to_num(np.sum(block.astype(np.float64) ** 2, axis=0))
            progress(min(0.5, 0.5 * done * _BLOCK / film.length))
        channel = int(np.argmax(energy))
    alone = f"pan=mono|c0=c{channel}," if film.channels > 1 else ""
    arguments = [*given, "-af", f"{alone}aresample={SAMPLE_RATE}:resampler=soxr:precision=28", "-f", "s24le"]
    written = 0
    with target.open("wb") as file:
        for data in codec.read_raw(arguments, pcm.BYTES_A_SAMPLE * _BLOCK, seconds, codec.SOUND_MEMORY):
            file.write(data)
            written += len(data) // pcm.BYTES_A_SAMPLE
            progress(min(1.0, 0.5 + 0.5 * written / film.length))
    return written, channel + 1


def lies_at(reference: int | None, midnight: int, length: int, programme: int) -> int | None:
    """The programme sample at which a file begins by its own time; None where it does not say it, or not of this programme.

    Args:
        reference: samples since midnight. None and 0 (what is written where no clock was set) say nothing.
        midnight: samples since midnight at which the programme begins.
        length: samples of the file.
        programme: samples of the programme.
    """
    if not reference:
        return None
    start = reference - midnight
    return start if Span(start, start + length).meets(Span(-BESIDE, programme + BESIDE)) else None


def line_named(name: str, numbers: Container[str]) -> str | None:
    """The line that a file's name speaks of: the first number in it that is a line's, zeros before it or not.

    `numbers` are the lines' own, `7` or `7a`.
    """
    stem = name.rsplit(".", 1)[0]
    for found in re.findall(r"(?<![0-9])0*([1-9][0-9]*[a-z]?)(?![0-9a-z])", stem.lower()):
        if found in numbers:
            return str(found)
    return None
