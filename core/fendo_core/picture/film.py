"""What a brought-in film is: sniffed, probed, judged; and how it becomes playable."""

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import soundfile
from numpy.typing import NDArray

from fendo_core.picture import codec
from fendo_core.picture.cuts import HEIGHT, WIDTH
from fendo_core.timebase import SAMPLE_RATE, FrameRate
from fendo_core.timebase.rates import nearest_rate

LONGEST_SECONDS = 8 * 3600
SOUND_PIECE = 10 * SAMPLE_RATE
"""Samples in one piece of a film's sound: FLAC pieces join exactly to the sample."""

BROWSER_PLAYS = {"h264", "vp8", "vp9", "av1"}


class FilmRefused(ValueError):
    """A file that can't be the picture; the message says why and what to do."""


@dataclass(frozen=True, slots=True)
class Film:
    """`length` in samples, `rate` of the production it fits, `remarks` for people about what is odd."""

    kind: str
    codec: str
    width: int
    height: int
    rate: FrameRate
    frames: int
    length: int
    has_sound: bool
    ready_as_is: bool
    plays_in_browser: bool
    copyable: bool
    remarks: tuple[str, ...]


def sniff(start: bytes) -> str | None:
    """The kind of film by its first bytes (at least 400 are looked at), whatever its name says; None for no film."""
    if start[4:8] in (b"ftyp", b"moov", b"mdat", b"wide", b"free", b"skip", b"pnot"):
        return "mov"
    if start[:4] == b"\x1a\x45\xdf\xa3":
        return "matroska"
    if start[:4] == b"RIFF" and start[8:12] == b"AVI ":
        return "avi"
    if start[:3] == b"FLV":
        return "flv"
    if start[:4] == b"\x30\x26\xb2\x75":
        return "asf"
    if start[:4] == b"\x00\x00\x01\xba":
        return "mpeg"
    if len(start) > 376 and start[0] == start[188] == start[376] == 0x47:
        return "mpegts"
    return None


def inspect(path: Path) -> Film:
    """What the file is.

    Raises:
        FilmRefused: when it is no film, is broken, or asks for more than is reasonable.
    """
    with path.open("rb") as file:
        kind = sniff(file.read(400))
    if kind is None:
        raise FilmRefused(
            "This file is no film that Fendo can read. MP4, MOV, MKV, WebM, AVI and MPEG files are read; "
            "nothing was changed. Export the picture as one of these and bring it in again."
        )
    try:
        found = codec.probe(path, kind)
    except codec.CodecFailed as error:
        raise FilmRefused(
            "This file begins like a film but can't be read: it is damaged or not complete. "
            "Nothing was changed. Copy or export it again, and check that the copy was finished."
        ) from error
    return _judged(kind, found)


def _judged(kind: str, found: dict[str, Any]) -> Film:
    videos = [s for s in found["streams"] if s.get("codec_type") == "video" and not s["disposition"].get("attached_pic")]
    sounds = [s for s in found["streams"] if s.get("codec_type") == "audio"]
    if not videos:
        raise FilmRefused("There is no picture in this file, only sound. Bring in a film that has pictures.")
    video, remarks = videos[0], []
    seconds = Fraction(video.get("duration") or found["format"].get("duration") or 0)
    if seconds <= 0:
        raise FilmRefused("This file does not say how long it is: it was probably never finished. Export it again.")
    if seconds > LONGEST_SECONDS:
        raise FilmRefused("By its header this film is longer than eight hours. Cut it into parts and bring in one of them.")
    width, height = int(video.get("width") or 0), int(video.get("height") or 0)
    if not (16 <= width <= 8192 and 16 <= height <= 8192):
        raise FilmRefused(f"A picture of {width} × {height} points can't be shown here: 16 to 8192 a side are possible.")
    average, real = (_fraction(video.get(name, "0/1")) for name in ("avg_frame_rate", "r_frame_rate"))
    rate = nearest_rate(average or real or Fraction(25))
    varying = bool(average and real and abs(average - real) > Fraction(1, 50))
    if varying or abs((average or rate.fps) - rate.fps) > Fraction(1, 50):
        remarks.append(f"its frame rate varies or is unusual: it is treated as {rate.text} frames a second")
    if len(sounds) > 1:
        remarks.append(f"it has {len(sounds)} sounds: the first one is used")
    turned = any(side.get("rotation") for side in video.get("side_data_list", ()))
    frames = max(1, round(seconds * rate.fps))
    name = str(video.get("codec_name"))
    small = name == "h264" and video.get("pix_fmt") == "yuv420p" and width <= 960 and not video.get("has_b_frames")
    return Film(
        kind=kind,
        codec=name,
        width=width,
        height=height,
        rate=rate,
        frames=frames,
        length=rate.first_sample(frames),
        has_sound=bool(sounds),
        ready_as_is=small and kind == "mov" and not varying and not turned,
        plays_in_browser=name in BROWSER_PLAYS and kind in ("mov", "matroska"),
        copyable=name == "h264" and kind in ("mov", "matroska") and not varying,
        remarks=tuple(remarks),
    )


def _fraction(text: str) -> Fraction | None:
    above, _, below = text.partition("/")
    return Fraction(int(above), int(below)) if above.isdigit() and below.isdigit() and int(below) and int(above) else None


def make_proxy(source: Path, film: Film, target: Path, progress: Callable[[float], None]) -> None:
    """A small constant-rate H.264 of the picture with a key frame every 12, for exact stepping in the browser."""
    fit = "scale=w=960:h=540:force_original_aspect_ratio=decrease:force_divisible_by=2,setsar=1"
    arguments = [*codec.input_of(source, film.kind), "-map", "0:v:0", "-an"]
    arguments += ["-vf", f"{fit},fps={film.rate.fps.numerator}/{film.rate.fps.denominator}"]
    arguments += ["-c:v", "libx264", "-preset", "veryfast", "-crf", "27", "-pix_fmt", "yuv420p", "-g", "12"]
    arguments += ["-keyint_min", "12", "-sc_threshold", "0", "-bf", "0", "-movflags", "+faststart", "-f", "mp4"]
    seconds = film.length // SAMPLE_RATE
    codec.transcode(arguments, target, seconds * 1_000_000, progress, seconds=300 + seconds * 6)


def cut_sound(source: Path, film: Film, folder: Path, progress: Callable[[float], None]) -> int:
    """The film's own sound as stereo 48 kHz FLAC pieces `0000.flac`, ... of `SOUND_PIECE` samples; returns how many.

    The pieces cover the picture's length: what is missing is silence, what is longer is left out.
    """
    arguments = [*codec.input_of(source, film.kind), "-map", "0:a:0", "-vn", "-af", "aresample=async=1:first_pts=0"]
    arguments += ["-ac", "2", "-ar", str(SAMPLE_RATE), "-f", "s16le"]
    count = -(-film.length // SOUND_PIECE)
    raw = codec.read_raw(arguments, SOUND_PIECE * 4, seconds=300 + film.length // SAMPLE_RATE)
    for piece in range(count):
        wanted = min(SOUND_PIECE, film.length - piece * SOUND_PIECE)
        heard = np.frombuffer(next(raw, b""), dtype="<i2").reshape(-1, 2)[:wanted]
        samples = np.zeros((wanted, 2), dtype=np.int16)
        samples[: len(heard)] = heard
        soundfile.write(folder / f"{piece:04}.flac", samples, SAMPLE_RATE, subtype="PCM_16")
        progress((piece + 1) / count)
    return count


def read_sound(folder: Path, pieces: int, start: int, end: int) -> NDArray[np.float32]:
    """The film's own sound for samples start..end, shape (end - start, 2); silence where there is none."""
    out = np.zeros((end - start, 2), dtype=np.float32)
    for piece in range(max(0, start // SOUND_PIECE), min(pieces, -(-end // SOUND_PIECE))):
        first = piece * SOUND_PIECE
        a, b = max(start, first), min(end, first + SOUND_PIECE)
        samples, _ = soundfile.read(
            folder / f"{piece:04}.flac", start=a - first, stop=b - first, dtype="float32", always_2d=True
        )
        out[a - start : a - start + len(samples)] = samples
    return out


def small_frames(source: Path, film: Film, progress: Callable[[float], None]) -> NDArray[np.uint8]:
    """Every frame at the production's rate, tiny and grey, shape (frames, HEIGHT, WIDTH): what cuts are found in."""
    arguments = [*codec.input_of(source, film.kind), "-map", "0:v:0", "-an"]
    fps = f"{film.rate.fps.numerator}/{film.rate.fps.denominator}"
    arguments += ["-vf", f"fps={fps},scale={WIDTH}:{HEIGHT}:flags=area", "-pix_fmt", "gray", "-f", "rawvideo"]
    size = WIDTH * HEIGHT
    rows = []
    for count, raw in enumerate(codec.read_raw(arguments, size * 64, seconds=300 + film.length // SAMPLE_RATE * 2)):
        rows.append(np.frombuffer(raw[: len(raw) // size * size], dtype=np.uint8).reshape(-1, HEIGHT, WIDTH))
        progress(min(1.0, count * 64 / film.frames))
    if not rows:
        raise FilmRefused("No picture could be read from this film: it is damaged. Nothing was changed.")
    return np.concatenate(rows)
