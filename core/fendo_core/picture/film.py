"""What a brought-in file is: sniffed, probed, judged; and how a film becomes playable."""

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import soundfile
from numpy.typing import NDArray

from fendo_core.audio.levels import StereoLoudness
from fendo_core.picture import codec
from fendo_core.picture.cuts import HEIGHT, WIDTH
from fendo_core.timebase import SAMPLE_RATE, FrameRate
from fendo_core.timebase.rates import nearest_rate

LONGEST_SECONDS = 8 * 3600
SLOWEST = Fraction(1, 60)
"""Frames a second on average: a recorded screen on which nothing happens has few."""
SOUND_PIECE = 10 * SAMPLE_RATE
"""Samples in one piece of a film's sound: FLAC pieces join exactly to the sample."""

BROWSER_PLAYS = {"h264", "vp8", "vp9", "av1"}


SEGMENT_SECONDS = 60
"""A proxy is made in segments of about this length, so that the beginning can be played while the rest is made."""

GOP = 12


class FilmRefused(ValueError):
    """A file that can't be brought in; the message says why and what to do."""


NOT_READ = (
    "This file is nothing that Fendo can read. Films (MP4, MOV, MKV, WebM, AVI, MPEG), stills (PNG, JPEG, WebP, HEIC), "
    "slides (PDF) and sound (WAV, AIFF, CAF, FLAC, MP3, AAC, Opus) are read; nothing was changed. "
    "Export it as one of these."
)


@dataclass(frozen=True, slots=True)
class Film:
    """A film, or sound alone (`frames` is 0 then): `length` in samples, `rate` of the production it fits, `remarks` for
    people about what is odd.
    """

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
    interlaced: bool = False
    timecode: str = ""
    """Of its first frame, as its file says it; "" where it does not."""
    channels: int = 0
    """Of its sound."""
    time_reference: int | None = None
    """48 kHz samples since midnight of the first sample (`bext`, EBU Tech 3285); None where its file does not say it."""


_STARTS = {
    b"\x89PNG\r\n\x1a\n": "png",
    b"\xff\xd8\xff": "jpeg",
    b"%PDF-": "pdf",
    b"fLaC": "flac",
    b"OggS": "ogg",
    b"ID3": "mp3",
    b"caff": "caf",
    b"riff\x2e\x91\xcf\x11\xa5\xd6\x28\xdb": "w64",
}


def sniff(start: bytes) -> str | None:
    """The kind of file by its first bytes (at least 400 are looked at), whatever its name says; None for none known."""
    for sign, kind in _STARTS.items():
        if start.startswith(sign):
            return kind
    if start[:4] in (b"RIFF", b"RF64", b"BW64") and start[8:12] == b"WAVE":
        return "wav"
    if start[:4] == b"RIFF" and start[8:12] == b"WEBP":
        return "webp"
    if start[:4] == b"FORM" and start[8:12] in (b"AIFF", b"AIFC"):
        return "aiff"
    if start[4:8] == b"ftyp" and start[8:12] in (b"heic", b"heix", b"heim", b"heis", b"mif1", b"msf1"):
        return "heic"
    if b"%PDF-" in start[:400]:
        return "pdf"
    if len(start) > 2 and start[0] == 0xFF and start[1] & 0xF6 == 0xF0:
        return "aac"
    if len(start) > 2 and start[0] == 0xFF and start[1] & 0xE0 == 0xE0 and start[1] & 0x06:
        return "mp3"
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
    """What a film or a sound is.

    Raises:
        FilmRefused: when it is neither, is broken, or asks for more than is reasonable.
    """
    kind = kind_of(path)
    if kind not in codec.DEMUXERS:
        raise FilmRefused(NOT_READ)
    try:
        found = codec.probe(path, kind)
    except codec.CodecFailed as error:
        raise FilmRefused(
            "This file begins like a film or a sound but can't be read: it is damaged or not complete. "
            "Nothing was changed. Copy or export it again, and check that the copy was finished."
        ) from error
    return _judged(kind, found)


def kind_of(path: Path) -> str | None:
    """The kind of a file by its first bytes."""
    with path.open("rb") as file:
        return sniff(file.read(400))


def _judged_sound(kind: str, found: dict[str, Any], sound: dict[str, Any]) -> Film:
    seconds = Fraction(sound.get("duration") or found["format"].get("duration") or 0)
    if seconds <= 0:
        raise FilmRefused("This sound does not say how long it is, or is empty: it was probably never finished.")
    if seconds > LONGEST_SECONDS:
        raise FilmRefused(
            "By its header this sound is longer than eight hours. Cut it into parts and bring in one of them."
        )
    count = int(sound.get("channels") or 1)
    return Film(
        kind=kind,
        codec=str(sound.get("codec_name")),
        width=0,
        height=0,
        rate=nearest_rate(Fraction(25)),
        frames=0,
        length=max(1, round(seconds * SAMPLE_RATE)),
        has_sound=True,
        ready_as_is=True,
        plays_in_browser=False,
        copyable=False,
        remarks=(f"it has {count} channels: they are mixed to two",) if count > 2 else (),
        channels=count,
        time_reference=_time_reference(found["format"].get("tags", {}), sound),
    )


def _time_reference(tags: dict[str, Any], sound: dict[str, Any]) -> int | None:
    said, rate = str(tags.get("time_reference", "")), str(sound.get("sample_rate", ""))
    if not (said.isdecimal() and rate.isdecimal() and int(rate) > 0 and len(said) < 16):
        return None
    return round(Fraction(int(said) * SAMPLE_RATE, int(rate)))


def _judged(kind: str, found: dict[str, Any]) -> Film:
    videos = [s for s in found["streams"] if s.get("codec_type") == "video" and not s["disposition"].get("attached_pic")]
    sounds = [s for s in found["streams"] if s.get("codec_type") == "audio"]
    if not videos and not sounds:
        raise FilmRefused("There is neither picture nor sound in this file. Nothing was changed; check what was exported.")
    if not videos:
        return _judged_sound(kind, found, sounds[0])
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
    if average and average < SLOWEST:
        raise FilmRefused(
            "By its header this film shows a frame only every few minutes. Bring in its frames as stills instead."
        )
    if average and real and abs(average - real) * seconds <= 2:
        # Counted over a length that begins with the sound, a frame or two are missing.
        average = real
    rate = nearest_rate(average or real or Fraction(25))
    varying = bool(average and real and abs(average - real) > Fraction(1, 50))
    if varying or abs((average or rate.fps) - rate.fps) > Fraction(1, 50):
        remarks.append(f"its frame rate varies or is unusual: it is treated as {rate.text} frames a second")
    if len(sounds) > 1:
        remarks.append(f"it has {len(sounds)} sounds: the first one is used")
    turned = any(side.get("rotation") for side in video.get("side_data_list", ()))
    interlaced = video.get("field_order", "progressive") not in ("progressive", "unknown")
    if interlaced:
        remarks.append("it is interlaced: whole frames are made of its fields")
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
        ready_as_is=small and kind == "mov" and not varying and not turned and not interlaced,
        plays_in_browser=name in BROWSER_PLAYS and kind in ("mov", "matroska"),
        copyable=name == "h264" and kind in ("mov", "matroska") and not varying,
        remarks=tuple(remarks),
        interlaced=interlaced,
        timecode=_timecode(found),
        channels=int(sounds[0].get("channels") or 1) if sounds else 0,
    )


def _timecode(found: dict[str, Any]) -> str:
    """The timecode of the first frame, from the picture's own tag, a track of timecode, or the file's."""
    of_streams = [stream.get("tags", {}) for stream in found["streams"]]
    for tags in (*of_streams, found["format"].get("tags", {})):
        code = next((str(said) for name, said in tags.items() if name.lower() == "timecode"), "")
        if re.fullmatch(r"\d\d:\d\d:\d\d[:;.]\d\d", code):
            return code.replace(".", ";")
    return ""


def _fraction(text: str) -> Fraction | None:
    above, _, below = text.partition("/")
    return Fraction(int(above), int(below)) if above.isdigit() and below.isdigit() and int(below) and int(above) else None


def segment_frames(rate: FrameRate) -> int:
    """Frames in one segment of a proxy: whole groups of pictures, about `SEGMENT_SECONDS`."""
    return round(SEGMENT_SECONDS * rate.fps / GOP) * GOP


def make_proxy(
    source: Path, film: Film, folder: Path, progress: Callable[[float], None], ready: Callable[[int], object]
) -> int:
    """A small constant-rate H.264 of the picture with a key frame every 12, for exact stepping in the browser.

    It is made in segments `0000.mp4`, ... of `segment_frames`; `ready` hears how many can be played already. Returns how
    many there are.
    """
    fit = "scale=w=960:h=540:force_original_aspect_ratio=decrease:force_divisible_by=2,setsar=1"
    smooth = "bwdif=mode=send_frame," if film.interlaced else ""
    each, group = segment_frames(film.rate), GOP
    edges = ",".join(str(frame) for frame in range(each, film.frames + each, each))
    arguments = [*codec.input_of(source, film.kind), "-map", "0:v:0", "-an"]
    arguments += ["-vf", f"{smooth}{fit},fps={film.rate.fps.numerator}/{film.rate.fps.denominator}"]
    arguments += ["-c:v", "libx264", "-preset", "veryfast", "-crf", "27", "-pix_fmt", "yuv420p", "-g", str(group)]
    arguments += ["-keyint_min", str(group), "-sc_threshold", "0", "-bf", "0", "-f", "segment", "-segment_frames", edges]
    arguments += ["-segment_format", "mp4", "-segment_format_options", "movflags=+faststart", "-reset_timestamps", "1"]
    seconds, told = film.length // SAMPLE_RATE, 0

    def report(share: float) -> None:
        nonlocal told
        # The newest segment is still being written.
        done = len(list(folder.glob("*.mp4"))) - 1
        if done > told:
            told = done
            ready(done)
        progress(share)

    codec.transcode(arguments, folder / "%04d.mp4", seconds * 1_000_000, report, seconds=300 + seconds * 6)
    return len(list(folder.glob("*.mp4")))


@dataclass(frozen=True, slots=True)
class OwnSound:
    """A film's own sound, cut: how many pieces, its loudness in LUFS (EBU R 128; None when it is too quiet or too short),
    and how many samples there really were.
    """

    pieces: int
    loudness: float | None
    samples: int


def cut_sound(source: Path, film: Film, folder: Path, progress: Callable[[float], None]) -> OwnSound:
    """A film's own sound as stereo 48 kHz 24-bit FLAC pieces `0000.flac`, ... of `SOUND_PIECE` samples.

    The pieces cover the picture's length: what is missing is silence, what is longer is left out.
    """
    arguments = [*codec.input_of(source, film.kind), "-map", "0:a:0", "-vn", "-af", "aresample=async=1:first_pts=0"]
    arguments += ["-ac", "2", "-ar", str(SAMPLE_RATE), "-f", "s32le"]
    count = -(-film.length // SOUND_PIECE)
    seconds = 300 + film.length // SAMPLE_RATE
    raw = codec.read_raw(arguments, SOUND_PIECE * 8, seconds, codec.SOUND_MEMORY)
    meter, real = StereoLoudness(), 0
    for piece in range(count):
        wanted = min(SOUND_PIECE, film.length - piece * SOUND_PIECE)
        heard = np.frombuffer(next(raw, b""), dtype="<i4").reshape(-1, 2)[:wanted]
        samples = np.zeros((wanted, 2), dtype=np.int32)
        samples[: len(heard)] = heard
        real += len(heard)
        meter.add((samples / 2.0**31).astype(np.float32))
        soundfile.write(folder / f"{piece:04}.flac", samples, SAMPLE_RATE, subtype="PCM_24")
        progress((piece + 1) / count)
    return OwnSound(count, meter.read(), real)


BREAKS_OFF = "it breaks off after"


def breaks_off(film: Film, samples: int) -> str | None:
    """What is to be said of a film or sound of which only so many samples (of its picture, if it has one) can be read.

    Half a second and a fiftieth are let pass: headers are often rough.
    """
    if film.length - samples <= SAMPLE_RATE // 2 + film.length // 50:
        return None
    real, told = (f"{count / SAMPLE_RATE:.1f} s" for count in (samples, film.length))
    return f"{BREAKS_OFF} {real}, and says that it lasts {told}: the copy was probably not finished"


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


def small_frames(source: Path, film: Film, progress: Callable[[float], None]) -> Iterator[NDArray[np.uint8]]:
    """Every frame at the production's rate, tiny and grey, in blocks of shape (n, HEIGHT, WIDTH): what cuts are found in.

    Raises:
        FilmRefused: when not one can be read.
    """
    arguments = [*codec.input_of(source, film.kind), "-map", "0:v:0", "-an"]
    fps = f"{film.rate.fps.numerator}/{film.rate.fps.denominator}"
    arguments += ["-vf", f"fps={fps},scale={WIDTH}:{HEIGHT}:flags=area", "-pix_fmt", "gray", "-f", "rawvideo"]
    size, came = WIDTH * HEIGHT, 0
    for count, raw in enumerate(codec.read_raw(arguments, size * 64, seconds=300 + film.length // SAMPLE_RATE * 2)):
        rows = np.frombuffer(raw[: len(raw) // size * size], dtype=np.uint8).reshape(-1, HEIGHT, WIDTH)
        came += len(rows)
        progress(min(1.0, count * 64 / film.frames))
        yield rows
    if not came:
        raise FilmRefused("No picture could be read from this film: it is damaged. Nothing was changed.")
