"""A recording's WAV file: mono 48 kHz 24-bit with a header that tells on its own what it is.

Layout: RIFF/WAVE with `fmt `, `bext` (EBU Tech 3285, version 2), `iXML` padded to a fixed size, then `data`. The header
has one size whatever it says, so that it can be written before the first sample and corrected in place when the length
is known; a file that was cut off is readable up to its last whole sample. What leaves may be larger than 4 GB: it is then
RF64 (EBU Tech 3306), the same with its sizes in `ds64`.
"""

import struct
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from xml.etree.ElementTree import ParseError
from xml.sax.saxutils import escape

from defusedxml.ElementTree import fromstring

from fendo_core.audio.pcm import BYTES_A_SAMPLE
from fendo_core.timebase import SAMPLE_RATE

BEXT_BYTES = 602
IXML_BYTES = 8192
HEADER_BYTES = 12 + (8 + 16) + (8 + BEXT_BYTES) + (8 + IXML_BYTES) + 8
MOST_HEADER_BYTES = HEADER_BYTES + 512
"""With a coding history, as a file has that was handed over."""
LARGEST_SAMPLES = (0xFFFF_FFFF - HEADER_BYTES) // BYTES_A_SAMPLE
"""Of a recording, which is plain RIFF with a size of 32 bits: about 8 hours 16 minutes."""
_ELSEWHERE = 0xFFFF_FFFF
"""A size that stands in `ds64`."""


@dataclass(frozen=True, slots=True)
class Shape:
    """How samples lie in a file. Recordings have the one shape that stands here."""

    rate: int = SAMPLE_RATE
    bits: int = 24
    channels: int = 1

    @property
    def frame(self) -> int:
        """Bytes of one sample of all channels."""
        return self.bits // 8 * self.channels

    def of_programme(self, samples: int) -> int:
        """Samples at 48 kHz, counted at this rate, to the nearest."""
        return (samples * self.rate + SAMPLE_RATE // 2) // SAMPLE_RATE


@dataclass(frozen=True, slots=True)
class Loud:
    """Loudness as `bext` keeps it (EBU Tech 3285 version 2): LUFS and dBTP of the file as it is; None: not known."""

    integrated: float | None = None
    true_peak: float | None = None


@dataclass(frozen=True, slots=True)
class Tags:
    """What a recording says of itself.

    `time_reference` is the sample (48 kHz) since midnight of the first sample of the file (EBU Tech 3285); `origination` is
    local date and time, `YYYY-MM-DD HH:MM:SS`. `notes` are further iXML elements of Fendo's own block, `coding` a line of
    the coding history.
    """

    production: str
    folder: str
    line: str
    take: int
    reader: str
    words: str
    time_reference: int
    origination: str
    timecode_rate: str = "25/1"
    drop: bool = False
    notes: Mapping[str, str] = field(default_factory=dict)
    loud: Loud = Loud()
    coding: str = ""


@dataclass(frozen=True, slots=True)
class Described:
    """A header read back: the tags, samples in the data chunk, and where its bytes begin."""

    tags: Tags
    samples: int
    data_offset: int


def _fixed(text: str, size: int) -> bytes:
    """ASCII text in `size` bytes, zero filled; what ASCII lacks becomes `?` (the iXML keeps it whole)."""
    return text.encode("ascii", "replace")[:size].ljust(size, b"\0")


_UNSET = 0x7FFF
"""A loudness field that is not used (EBU Tech 3285 v2)."""


def _hundredths(value: float | None) -> int:
    return _UNSET if value is None else max(-32_768, min(_UNSET - 1, round(value * 100)))


def _bext(tags: Tags, shape: Shape) -> bytes:
    date, _, clock = tags.origination.partition(" ")
    reference, loud = shape.of_programme(tags.time_reference), tags.loud
    low, high = reference & 0xFFFF_FFFF, reference >> 32
    told = (loud.integrated, None, loud.true_peak, None, None)
    fixed = (
        _fixed(f"{tags.production}, line {tags.line}, take {tags.take}: {tags.words}", 256)
        + _fixed(tags.reader, 32)
        + _fixed(f"FENDO {tags.line} {tags.take}", 32)
        + _fixed(date, 10)
        + _fixed(clock, 8)
        + struct.pack("<IIH", low, high, 2)
        + bytes(64)
        + struct.pack("<5h", *map(_hundredths, told))
    )
    history = tags.coding.encode("ascii", "replace")
    return fixed.ljust(BEXT_BYTES, b"\0") + history + b"\0" * (len(history) & 1)


def _ixml(tags: Tags, shape: Shape) -> bytes:
    def el(name: str, text: str) -> str:
        kept = "".join(c for c in text if c in "\t\n" or ord(c) >= 32)
        return f"<{name}>{escape(kept)}</{name}>"

    def body(words: str) -> bytes:
        reference = shape.of_programme(tags.time_reference)
        low, high = reference & 0xFFFF_FFFF, reference >> 32
        own = "".join(el(name, text) for name, text in tags.notes.items())
        text = (
            '<?xml version="1.0" encoding="UTF-8"?><BWFXML><IXML_VERSION>2.10</IXML_VERSION>'
            + el("PROJECT", tags.production)
            + el("SCENE", tags.line)
            + el("TAKE", str(tags.take))
            + el("TAPE", tags.folder)
            + el("NOTE", words)
            + "<SPEED>"
            + el("TIMECODE_RATE", tags.timecode_rate)
            + el("TIMECODE_FLAG", "DF" if tags.drop else "NDF")
            + el("FILE_SAMPLE_RATE", str(shape.rate))
            + el("AUDIO_BIT_DEPTH", str(shape.bits))
            + el("TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI", str(high))
            + el("TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO", str(low))
            + el("TIMESTAMP_SAMPLE_RATE", str(shape.rate))
            + "</SPEED>"
            + "<USER>"
            + el("READER", tags.reader)
            + own
            + "</USER></BWFXML>"
        )
        return text.encode()

    words = tags.words
    packed = body(words)
    while len(packed) > IXML_BYTES and words:
        words = words[: len(words) * 3 // 4]
        packed = body(words + "…")
    if len(packed) > IXML_BYTES:
        raise ValueError(f"the header's texts need {len(packed)} bytes, {IXML_BYTES} are there: shorten the names")
    return packed.ljust(IXML_BYTES, b" ")


RECORDED = Shape()


def header(tags: Tags, samples: int, shape: Shape = RECORDED, after: int = 0) -> bytes:
    """What stands before `samples` packed samples; of a recording the same `HEADER_BYTES` bytes whatever it says. Of a
    file beyond 4 GB it is that of an RF64.

    Args:
        samples: of one channel, at the rate of `shape`.
        after: bytes of chunks that follow the samples (`marks`).

    Raises:
        ValueError: when there are fewer samples than none, or the names are too long for the header.
    """
    size, bext = samples * shape.frame, _bext(tags, shape)
    if samples < 0:
        raise ValueError(f"a sound has no {samples} samples")
    first = 12 + (8 + 16) + (8 + len(bext)) + (8 + IXML_BYTES) + 8
    whole = first - 8 + size + (size & 1) + after
    large, sizes = whole >= _ELSEWHERE, b""
    if large:
        first, whole = first + 36, whole + 36
        sizes = struct.pack("<4sIQQQI", b"ds64", 28, whole, size, samples, 0)
    packed = (
        (b"RF64" if large else b"RIFF")
        + struct.pack("<I", _ELSEWHERE if large else whole)
        + b"WAVE"
        + sizes
        + struct.pack(
            "<4sIHHIIHH", b"fmt ", 16, 1, shape.channels, shape.rate, shape.rate * shape.frame, shape.frame, shape.bits
        )
        + struct.pack("<4sI", b"bext", len(bext))
        + bext
        + struct.pack("<4sI", b"iXML", IXML_BYTES)
        + _ixml(tags, shape)
        + struct.pack("<4sI", b"data", _ELSEWHERE if large else size)
    )
    assert len(packed) == first and (tags.coding or large or first == HEADER_BYTES)
    return packed


def marks(labels: Sequence[tuple[int, str]]) -> bytes:
    """The chunks `cue ` and `LIST adtl` (Multimedia Programming Interface and Data Specifications 1.0), which stand after
    the samples: a mark with its label at each sample of the file. Nothing without marks; a sample beyond 32 bits (24 hours
    at 48 kHz) can't be marked.
    """
    labels = [(sample, text) for sample, text in labels if sample < 1 << 32]
    if not labels:
        return b""
    points, texts = b"", b"adtl"
    for number, (sample, text) in enumerate(labels, start=1):
        points += struct.pack("<II4sIII", number, sample, b"data", 0, 0, sample)
        told = text.encode() + b"\0"
        texts += struct.pack("<4sII", b"labl", 4 + len(told), number) + told + b"\0" * (len(told) & 1)
    cue = struct.pack("<4sII", b"cue ", 4 + len(points), len(labels)) + points
    return cue + struct.pack("<4sI", b"LIST", len(texts)) + texts


def describe(start_of_file: bytes) -> Described:
    """Read back a header that `header` wrote (from the first `HEADER_BYTES` bytes of the file).

    Raises:
        ValueError: when it is no such file, or a damaged one.
    """
    if start_of_file[:4] != b"RIFF" or start_of_file[8:12] != b"WAVE":
        raise ValueError("this is no WAV file")
    at, chunks = 12, {}
    while at + 8 <= len(start_of_file):
        name, size = struct.unpack_from("<4sI", start_of_file, at)
        chunks[name] = (at + 8, size)
        if name == b"data":
            break
        at += 8 + size + (size & 1)
    if not {b"bext", b"iXML", b"data"} <= set(chunks):
        raise ValueError("this WAV file has no header of a Fendo recording")
    at, size = chunks[b"iXML"]
    try:
        tags = _tags(start_of_file[at : at + size], start_of_file[chunks[b"bext"][0] :])
    except (ParseError, struct.error, ValueError) as error:
        raise ValueError(f"this recording's header is damaged ({error})") from error
    return Described(tags, chunks[b"data"][1] // BYTES_A_SAMPLE, chunks[b"data"][0])


def _tags(ixml: bytes, bext: bytes) -> Tags:
    root = fromstring(ixml.rstrip(b" \0").decode())
    speed, user = root.find("SPEED"), root.find("USER")
    if speed is None or user is None:
        raise ValueError("its iXML says nothing of a Fendo recording")
    low, high = struct.unpack_from("<II", bext, 338)
    return Tags(
        production=root.findtext("PROJECT", ""),
        folder=root.findtext("TAPE", ""),
        line=root.findtext("SCENE", ""),
        take=int(root.findtext("TAKE", "0")),
        reader=user.findtext("READER", ""),
        words=root.findtext("NOTE", ""),
        time_reference=low | high << 32,
        origination=f"{bext[320:330].decode('ascii')} {bext[330:338].decode('ascii')}",
        timecode_rate=speed.findtext("TIMECODE_RATE", "25/1"),
        drop=speed.findtext("TIMECODE_FLAG") == "DF",
        notes={element.tag: element.text or "" for element in user if element.tag != "READER"},
    )


def moved_header(start_of_file: bytes, by: int) -> bytes:
    """The start of a recording's file as it is when the recording lies `by` samples later than where it was recorded.

    Raises:
        ValueError: when it is no such file.
    """
    found = describe(start_of_file)
    notes = dict(found.tags.notes)
    if "FENDO_PROGRAMME_START" in notes:
        notes["FENDO_PROGRAMME_START"] = str(int(notes["FENDO_PROGRAMME_START"]) + by)
    tags = replace(found.tags, time_reference=max(0, found.tags.time_reference + by), notes=notes)
    return header(tags, found.samples) + start_of_file[HEADER_BYTES:]
