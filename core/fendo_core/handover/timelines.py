"""Timelines for the next program: voice files and picture where they lie, as EDL (CMX3600) and as OTIO."""

import re
from collections.abc import Sequence
from dataclasses import dataclass

from fendo_core.picture.reel import Reel, Sources, starts
from fendo_core.timebase import SAMPLE_RATE, FrameRate, format_timecode


@dataclass(frozen=True, slots=True)
class VoiceClip:
    """A voice file at its place.

    Attributes:
        name: what it is called on the timeline.
        file: its path beside the timeline.
        start: programme sample of the file's first sample (it may lie before the programme).
        length: samples at 48 kHz.
        words: what is said.
    """

    name: str
    file: str
    start: int
    length: int
    words: str = ""


def tracks(clips: Sequence[VoiceClip]) -> list[list[VoiceClip]]:
    """The clips on as few tracks as can be, none over another; what begins before the programme is cut there."""
    made: list[list[VoiceClip]] = []
    for clip in sorted(clips, key=lambda one: (one.start, one.name)):
        if clip.start + clip.length <= 0:
            continue
        for track in made:
            if track[-1].start + track[-1].length <= clip.start:
                track.append(clip)
                break
        else:
            made.append([clip])
    return made


def edl(title: str, voices: Sequence[VoiceClip], reel: Reel, sources: Sources, rate: FrameRate, start: int) -> str:
    """An EDL: the picture's events, then the voices on A, A2 and so on. It counts frames: a voice that begins between two
    is told with the nearest. The time of a voice's source is the time code that its file says it begins at.

    Args:
        start: frame count since midnight of the programme's first frame.
    """
    rows = [f"TITLE: {_told(title)}", f"FCM: {'DROP FRAME' if rate.drop else 'NON-DROP FRAME'}", ""]
    number = 0

    def event(source: str, track: str, taken: int, first: int, length: int, notes: Sequence[str]) -> None:
        nonlocal number
        number += 1
        codes = (taken, taken + length, first, first + length)
        told = " ".join(format_timecode(frame, rate) for frame in codes)
        rows.append(f"{number:03}  {source:<8} {track:<5} C        {told}")
        rows.extend(f"* {note}" for note in notes)

    for clip, first in zip(reel, starts(reel), strict=False):
        source = sources.get(clip.source or "")
        if source is None:
            event("BL", "V", 0, start + first, clip.length, [f"COMMENT: {_told(clip.name or 'a card')}"])
        else:
            event("AX", "V", clip.first, start + first, clip.length, [f"FROM CLIP NAME: {_told(source.name)}"])
    for lane, track in enumerate(tracks(voices), start=1):
        for voice in track:
            first, last = (rate.nearest_frame(max(0, at)) for at in (voice.start, voice.start + voice.length))
            notes = [f"FROM CLIP NAME: {_told(voice.file.rpartition('/')[2])}", f"COMMENT: {_told(voice.name)}"]
            event("AX", "A" if lane == 1 else f"A{lane}", start + first, start + first, max(1, last - first), notes)
    return "\r\n".join((*rows, ""))


def _told(text: str) -> str:
    """One line of ASCII: what an EDL may hold."""
    return re.sub(r"\s+", " ", text).strip().encode("ascii", "replace").decode()


def otio(title: str, voices: Sequence[VoiceClip], reel: Reel, sources: Sources, rate: FrameRate, start: int) -> str:
    """An OpenTimelineIO file: one track of pictures, and tracks of voices placed to the sample, each with its words as
    a marker.

    Args:
        start: frame count since midnight of the programme's first frame.
    """
    import opentimelineio as library

    schema, fps = library.schema, float(rate.fps)
    time, span = library.opentime.RationalTime, library.opentime.TimeRange
    whole = schema.Timeline(name=title, global_start_time=time(start, fps))
    if reel:
        pictures = schema.Track(name="Picture", kind=schema.TrackKind.Video)
        for clip in reel:
            source, shown = sources.get(clip.source or ""), span(time(clip.first, fps), time(clip.length, fps))
            if source is None:
                pictures.append(schema.Gap(name=clip.name, source_range=span(time(0, fps), time(clip.length, fps))))
                continue
            there = span(time(0, fps), time(source.frames, fps)) if source.frames else None
            medium = schema.ExternalReference(target_url=source.name, available_range=there)
            pictures.append(schema.Clip(name=source.name, media_reference=medium, source_range=shown))
        whole.tracks.append(pictures)
    for lane, track in enumerate(tracks(voices), start=1):
        row, at = schema.Track(name=f"Voice {lane}", kind=schema.TrackKind.Audio), 0
        for voice in track:
            cut = max(0, -voice.start)
            first, length = voice.start + cut, voice.length - cut
            if first > at:
                row.append(schema.Gap(source_range=_samples(span, time, 0, first - at)))
            medium = schema.ExternalReference(target_url=voice.file, available_range=_samples(span, time, 0, voice.length))
            shown = _samples(span, time, cut, length)
            made = schema.Clip(name=voice.name, media_reference=medium, source_range=shown)
            if voice.words:
                made.markers.append(schema.Marker(name=voice.words, marked_range=_samples(span, time, cut, 0)))
            row.append(made)
            at = first + length
        whole.tracks.append(row)
    written: str = library.adapters.write_to_string(whole, "otio_json")
    return written


def _samples(span, time, first: int, length: int):  # type: ignore[no-untyped-def]
    return span(time(first, SAMPLE_RATE), time(length, SAMPLE_RATE))
