"""The forms in which a voice leaves: WAV of several shapes, FLAC, and what is made small by a codec."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Literal, TypeAlias, get_args

import numpy as np
import soxr
from numpy.typing import NDArray

from fendo_core.audio import pcm
from fendo_core.audio.wav import Shape
from fendo_core.timebase import SAMPLE_RATE

FormKey: TypeAlias = Literal["wav 48/24", "wav 44.1/16", "wav 96/24", "flac", "mp3", "mp3 128", "mp3 320", "aac", "opus"]


@dataclass(frozen=True, slots=True)
class Form:
    """How a file of sound is written: its ending, its shape if it is a WAV, else the codec's options for ffmpeg."""

    name: str
    ending: str
    shape: Shape | None = None
    codec: tuple[str, ...] = ()
    bytes_a_second: int = 0

    def bytes_of(self, samples: int, channels: int) -> int:
        """About how large a file of so many samples at 48 kHz gets."""
        second = self.shape.rate * self.shape.bits // 8 * channels if self.shape else self.bytes_a_second
        return 10_000 + samples * second // SAMPLE_RATE


def _mp3(kilobits: int) -> Form:
    codec = ("-c:a", "libmp3lame", "-b:a", f"{kilobits}k", "-f", "mp3")
    return Form(f"MP3, {kilobits} kbit/s", ".mp3", None, codec, kilobits * 125)


_MP4 = ("-movflags", "+faststart", "-f", "mp4")
FORMS: dict[FormKey, Form] = {
    "wav 48/24": Form("WAV, 48 kHz 24 bit", ".wav", Shape()),
    "wav 44.1/16": Form("WAV, 44.1 kHz 16 bit", ".wav", Shape(44_100, 16)),
    "wav 96/24": Form("WAV, 96 kHz 24 bit", ".wav", Shape(96_000, 24)),
    "flac": Form("FLAC, 48 kHz 24 bit", ".flac", None, ("-c:a", "flac", "-sample_fmt", "s32", "-f", "flac"), 90_000),
    "mp3 128": _mp3(128),
    "mp3": _mp3(192),
    "mp3 320": _mp3(320),
    "aac": Form("AAC, 160 kbit/s", ".m4a", None, ("-c:a", "aac", "-b:a", "160k", *_MP4), 20_000),
    "opus": Form("Opus, 96 kbit/s", ".opus", None, ("-c:a", "libopus", "-b:a", "96k", "-f", "ogg"), 12_000),
}
FORM_KEYS: tuple[FormKey, ...] = get_args(FormKey)

FilmKey: TypeAlias = Literal["mp4", "webm"]
FILM_KEYS: tuple[FilmKey, ...] = get_args(FilmKey)


@dataclass(frozen=True, slots=True)
class FilmForm:
    """How a film is written: ffmpeg's options for its picture and its sound, and what it lies in.

    Attributes:
        still: what else helps a picture that never changes.
        copies: codecs of a picture that may lie in it as they are; None: whatever a source says can be copied.
        kind: as what it is read back.
    """

    picture: tuple[str, ...]
    sound: tuple[str, ...]
    still: tuple[str, ...]
    copies: frozenset[str] | None
    kind: str


_H264 = ("-c:v", "libx264", "-preset", "veryfast", "-crf", "18", "-pix_fmt", "yuv420p", "-bf", "0")
_VP9 = ("-c:v", "libvpx-vp9", "-deadline", "realtime", "-cpu-used", "7", "-row-mt", "1", "-b:v", "0", "-crf", "30")
FILM_FORMS: dict[FilmKey, FilmForm] = {
    "mp4": FilmForm(_H264, ("-c:a", "aac", "-b:a", "192k", *_MP4), ("-tune", "stillimage"), None, "mov"),
    "webm": FilmForm(
        (*_VP9, "-pix_fmt", "yuv420p"),
        ("-c:a", "libopus", "-b:a", "160k", "-f", "webm"),
        (),
        frozenset({"vp8", "vp9", "av1"}),
        "matroska",
    ),
}


def packed(blocks: Iterable[NDArray[np.float32]], length: int, shape: Shape) -> Iterator[bytes]:
    """Sound as the packed samples of a WAV.

    Args:
        blocks: at 48 kHz, full scale 1.0, mono of shape (n,) or stereo of shape (n, 2).
        length: samples of all blocks together.
        shape: rate, bits and channels of the file: one voice on two channels is the same on both. To 16 bit it is dithered
            (triangular, two steps wide: Lipshitz, Wannamaker and Vanderkooy, JAES 40, 1992), always by the same numbers.
    """
    left, noise = shape.of_programme(length), np.random.default_rng(16)
    for block in _at_rate(blocks, shape.rate):
        fitted = block[:left]
        left -= len(fitted)
        yield _integers(fitted, shape, noise)
    # The resampler's last samples may be one short of what was asked for.
    if left > 0:
        yield bytes(left * shape.frame)


def _at_rate(blocks: Iterable[NDArray[np.float32]], rate: int) -> Iterator[NDArray[np.float32]]:
    if rate == SAMPLE_RATE:
        yield from blocks
        return
    stream = None
    for block in blocks:
        stream = stream or soxr.ResampleStream(SAMPLE_RATE, rate, block.ndim, dtype="float32", quality="VHQ")
        yield stream.resample_chunk(np.ascontiguousarray(block, np.float32))
    if stream:
        shape = (0,) if block.ndim == 1 else (0, 2)
        yield stream.resample_chunk(np.zeros(shape, np.float32), last=True)


def _integers(block: NDArray[np.float32], shape: Shape, noise: np.random.Generator) -> bytes:
    sound = block if block.ndim == 1 else block.reshape(-1)
    if shape.bits == 16:
        dither = noise.random(len(sound)) - noise.random(len(sound))
        steps = np.clip(np.rint(sound.astype(np.float64) * 32_768.0 + dither), -32_768, 32_767).astype("<i2")
        told = np.repeat(steps, 2) if block.ndim == 1 and shape.channels == 2 else steps
        return told.tobytes()
    wide = pcm.from_floats(sound)
    return pcm.from_integers(np.repeat(wide, 2) if block.ndim == 1 and shape.channels == 2 else wide)


def edged(blocks: Iterable[NDArray[np.float32]], first: int, length: int, fade: int) -> Iterator[NDArray[np.float32]]:
    """Sound cut to a span of itself: `length` samples from its sample `first` on, silence where it has none (`first` may
    lie before it), going in and out within `fade` samples where sound was cut off.
    """
    at, done = 0, 0
    if first < 0:
        silence = min(-first, length)
        yield np.zeros(silence, np.float32)
        done = silence
    for block in blocks:
        inside = block[max(0, first - at) :][: length - done]
        if len(inside):
            cut = inside.copy()
            if first > 0 and done < fade:
                head = min(fade - done, len(cut))
                cut[:head] *= (np.arange(done, done + head) / fade).astype(np.float32)
            if done + len(cut) > length - fade:
                # Whether more comes is not known yet; silence behind sound needs no fade, and takes no harm by it.
                positions = np.arange(done, done + len(cut))
                cut *= np.clip((length - positions) / fade, 0.0, 1.0).astype(np.float32)
            yield cut
            done += len(cut)
        at += len(block)
        if done >= length:
            return
    if done < length:
        yield np.zeros(length - done, np.float32)
