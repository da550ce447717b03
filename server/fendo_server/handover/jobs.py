"""What is handed over: the film with the voice in it, and the voice files with their list."""

import errno
import os
import re
import shutil
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path
from typing import Any
from uuid import UUID

import numpy as np
from django.conf import settings

from fendo_core.audio import pcm, wav
from fendo_core.audio.ceiling import Ceiling
from fendo_core.booth.naming import safe_name, unused
from fendo_core.handover import mix
from fendo_core.handover.listing import Listed, csv_list
from fendo_core.handover.mix import CUT_FADE, Bed, Ducking, Placed, mixdown
from fendo_core.picture import codec
from fendo_core.picture.film import read_sound as read_source
from fendo_core.picture.laid import LaidSound, cut_ends, one_channel, own_sounds
from fendo_core.production.state import State
from fendo_core.script.lines import Line
from fendo_core.takes.standing import standing
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.voice import Comp, Read
from fendo_server.handover import reel_out
from fendo_server.picture.models import Source
from fendo_server.productions import state
from fendo_server.productions.models import Production
from fendo_server.takes.description import comp_of_take, voices
from fendo_server.takes.levels import Ducks
from fendo_server.takes.models import Take
from fendo_server.voice.models import Recording
from fendo_server.voice.polish import Polish
from fendo_server.voice.reading import reader_for
from fendo_server.voice.sounding import Sounding
from fendo_server.work import running
from fendo_server.work.models import Job


@dataclass(frozen=True)
class Spoken:
    """What sounds for a line, and what is told of it."""

    line: Line
    number: str
    words: str
    comp: Comp
    phrases: tuple[Span, ...]
    provisional: bool
    file: str
    takes: str
    gain: float
    sounding: Sounding


def spoken(production: Production, present: State) -> list[Spoken]:
    """What sounds for each line that was read, in order of the lines: picks, and what is provisional."""
    found = {line.id: one for line in present.lines if not line.dropped and (one := standing(present, line))}
    told = voices(production, found, present.comps)
    comps = {one.id: one.comp for one in present.comps}
    takes = {take.pk: take for take in Take.objects.filter(pk__in=[one.voice for one in found.values()])}
    polish, made = Polish(production, present), []
    for line in present.lines:
        said = told.get(line.id)
        if said is None:
            continue
        key = found[line.id].voice
        comp = comps[key] if key in comps else comp_of_take(takes[UUID(key)])
        phrases = tuple(Span(*pair) for pair in said["phrases"])
        name = said["name"].removeprefix("take ").removeprefix("takes ")
        sounding = polish.sounding(comp, line.id)
        provisional = found[line.id].provisional
        made.append(
            Spoken(line, line.number, line.text, comp, phrases, provisional, said["file"], name, said["gain"], sounding)
        )
    return made


def _target(production: Production, stem: str, ending: str) -> Path:
    folder = settings.MEDIA / production.directory / "Handover"
    folder.mkdir(parents=True, exist_ok=True)
    return folder / unused(safe_name(stem, 100), lambda name: (folder / name).exists(), ending)


def _making(job: Job) -> Path:
    """Where a file grows: outside the production's folder, so that nothing half-finished is ever seen there.

    Each attempt has its own: what a killed worker's codec still writes is not ours.
    """
    folder = settings.DATA / "making"
    folder.mkdir(parents=True, exist_ok=True)
    for left in folder.glob(f"{job.pk}-*"):
        left.unlink(missing_ok=True)
    return folder / f"{job.pk}-{job.attempts}"


def _publish(making: Path, target: Path) -> None:
    with making.open("rb") as file:
        os.fsync(file.fileno())
    making.chmod(0o644)
    try:
        os.replace(making, target)
    except OSError as error:
        if error.errno != errno.EXDEV:
            raise
        # The production lies on another disk: its file comes under a name that nobody takes for the finished one.
        arriving = target.with_name(f".{target.name}.part")
        try:
            shutil.copy2(making, arriving)
            with arriving.open("rb") as file:
                os.fsync(file.fileno())
            os.replace(arriving, target)
        finally:
            arriving.unlink(missing_ok=True)


def placed(one: Spoken, read: Read) -> Placed:
    """What sounds for a line at its place in the programme."""
    at = one.comp.at

    def load(start: int, end: int) -> np.ndarray:
        return np.concatenate(list(one.sounding.blocks(Span(start - at, end - at), mix.BLOCK, read)))

    return Placed(one.comp.span, load, one.gain)


def _all_placed(production: Production, read: list[Spoken]) -> list[Placed]:
    samples = reader_for(production, {recording for one in read for recording in one.comp.recordings})
    return [placed(one, samples) for one in read]


def _bed(stored: Source, sound: LaidSound, depth: float) -> Bed:
    """A stretch of a source's sound at its place."""
    folder, pieces, offset = stored.derived, stored.sound_pieces, sound.first - sound.span.start

    def load(start: int, end: int) -> np.ndarray:
        return one_channel(read_source(folder, pieces, start + offset, end + offset), sound.channel)

    fade_in, fade_out = (CUT_FADE if cut else 0 for cut in cut_ends(sound, stored.length))
    return Bed(sound.span, load, depth, sound.level, (fade_in, fade_out))


def beds(production: Production, present: State, sources: dict[str, Source]) -> list[Bed]:
    """What sounds under the voice: the pieces' own sound, and what is laid under them."""
    ducks = Ducks(production)
    sounds = [*own_sounds(present.pieces, present.sources, present.rate), *present.laid]
    heard = [(sources[sound.source], sound) for sound in sounds if sound.heard != "silent"]
    return [_bed(stored, sound, ducks.of(sound)) for stored, sound in heard if stored.sound_pieces]


def programme_sound(production: Production, present: State, read: list[Spoken], ceiling: Ceiling) -> Iterator[np.ndarray]:
    """The whole programme's sound in blocks, stereo: voices at their places, all else ducked under them."""
    sources = {str(source.id): source for source in production.sources.all()}
    speaking = [span for one in read for span in one.phrases]
    placed_voices, under = _all_placed(production, read), beds(production, present, sources)
    return mixdown(present.length, placed_voices, speaking, under, Ducking(rise=production.duck_rise), ceiling)


@running.handles("film with the voice")
def film_out(progress: running.Progress) -> dict[str, Any]:
    """The picture with the picked takes in place, and its own sound lowered under them."""
    production = progress.job.production
    present = state.load(production, spoken=False)
    read = spoken(production, present)
    if not present.pieces:
        raise running.JobFailed("There is no picture yet: bring in a film first, or hand over the voice files.")
    if not read:
        raise running.JobFailed("Nothing was read yet, so there is no voice to put in. Record a take first.")
    sources = {str(source.id): source for source in production.sources.all()}
    ceiling, length = Ceiling(), present.length
    blocks = programme_sound(production, present, read, ceiling)

    def sound() -> Iterator[bytes]:
        for block in blocks:
            yield block.astype("<f4").tobytes()

    making = _making(progress.job)
    seconds = length // SAMPLE_RATE
    try:
        picture = reel_out.picture(present, sources, making, progress)
        arguments = [*picture.inputs, "-protocol_whitelist", "pipe", "-f", "f32le", "-ar", str(SAMPLE_RATE)]
        arguments += ["-ac", "2", "-i", "pipe:0", "-map", "0:v:0", "-map", "1:a:0", *picture.options]
        arguments += ["-c:a", "aac", "-b:a", "192k", "-movflags", "+faststart", "-f", "mp4"]
        report = progress.part(picture.share, 0.97, "mixing the voice into the film")
        codec.transcode(arguments, making, seconds * 1_000_000, report, 300 + seconds * 6, feed=sound())
        progress(0.98, "checking the file")
        found = codec.probe(making, "mov")
        came, wanted = float(found["format"]["duration"]), length / SAMPLE_RATE
        if abs(came - wanted) > 0.2:
            raise running.JobFailed(
                f"The film came out {came:.1f} s long instead of {wanted:.1f} s, so it was not kept. Try again."
            )
        target = _target(production, f"{production.name} with narration", ".mp4")
        _publish(making, target)
    except codec.CodecFailed as error:
        running.log.error("film out: %s", error)
        raise running.JobFailed(
            "The film could not be written: the codec gave up on it. Takes and picture are safe."
        ) from error
    finally:
        making.unlink(missing_ok=True)
        shutil.rmtree(reel_out.folder_of(making), ignore_errors=True)
    return {"file": target.name, "bytes": target.stat().st_size, "limited": _limited(ceiling)}


def _limited(ceiling: Ceiling) -> dict[str, float]:
    """How hard the ceiling had to work, to be told with the file."""
    return {"share": round(ceiling.worked.share, 5), "deepest": ceiling.worked.deepest}


def _pack(archive: zipfile.ZipFile, production: Production, one: Spoken, name: str) -> tuple[int, int]:
    """What sounds for a line as a WAV that says where it lies: (first sample in the programme, samples).

    An untouched take goes out whole, with its handles, as it was recorded.
    """
    recordings = Recording.objects.select_related("production", "folder")
    if one.sounding.is_plain:
        recording = recordings.get(pk=one.comp.segments[0].recording)
        start = one.comp.at - one.comp.segments[0].source.start
        if start == recording.start:
            archive.write(recording.path, name)
            return start, recording.length
        with recording.path.open("rb") as file, archive.open(name, "w", force_zip64=True) as packed:
            packed.write(wav.moved_header(file.read(1 << 20), start - recording.start))
            shutil.copyfileobj(file, packed, 1 << 20)
        return start, recording.length
    first = recordings.get(pk=one.comp.segments[0].recording)
    with first.path.open("rb") as file:
        tags = wav.describe(file.read(wav.HEADER_BYTES)).tags
    midnight = production.rate.first_sample(production.start_frame)
    notes = {"FENDO_PRODUCTION": str(production.id), "FENDO_LINE": one.line.id, "FENDO_TAKES": one.takes}
    tags = replace(tags, take=0, words=one.words, time_reference=max(0, midnight + one.comp.at), notes=notes)
    with archive.open(name, "w", force_zip64=True) as packed:
        packed.write(wav.header(tags, one.comp.length))
        for block in one.sounding.blocks():
            packed.write(pcm.from_integers(pcm.from_floats(block)))
    return one.comp.at, one.comp.length


@running.handles("voice files")
def voice_files(progress: running.Progress) -> dict[str, Any]:
    """A WAV for each line that was read, and the list of what lies where, in one archive."""
    production = progress.job.production
    read = spoken(production, state.load(production, spoken=False))
    if not read:
        raise running.JobFailed("Nothing was read yet, so there is nothing to hand over. Record a take first.")
    making, listed, names = _making(progress.job), [], set()
    progress(0.0, "packing the voice files")
    try:
        with zipfile.ZipFile(making, "w", zipfile.ZIP_STORED, allowZip64=True) as archive:
            for count, one in enumerate(read):
                name = one.file
                while name.lower() in names:
                    name = re.sub(r"\.wav$", "_.wav", name)
                names.add(name.lower())
                start, length = _pack(archive, production, one, name)
                listed.append(Listed(name, one.number, one.takes, one.words, start, length, one.provisional))
                progress((count + 1) / len(read))
            rows = csv_list(listed, production.rate, production.start_frame)
            archive.writestr("list.csv", rows.encode("utf-8-sig"))
        target = _target(production, f"{production.name} voice", ".zip")
        _publish(making, target)
    finally:
        making.unlink(missing_ok=True)
    return {"file": target.name, "bytes": target.stat().st_size, "files": len(read)}


@running.handles("whole voice")
def whole_voice(progress: running.Progress) -> dict[str, Any]:
    """The whole voice as one WAV of the programme's length, at the wanted level; it begins with the programme."""
    production = progress.job.production
    present = state.load(production, spoken=False)
    read = spoken(production, present)
    if not read:
        raise running.JobFailed("Nothing was read yet, so there is nothing to hand over. Record a take first.")
    # Without a picture the programme is as long as what is read in it.
    length = present.length if present.pieces else max(present.length, *(one.comp.span.end for one in read))
    if length > wav.LARGEST_SAMPLES:
        raise running.JobFailed("The programme is longer than a WAV file can be (8 hours). Hand over the voice files.")
    making = _making(progress.job)
    rate = production.rate
    tags = wav.Tags(
        production=production.name,
        folder="Handover",
        line="",
        take=0,
        reader=production.reader.name if production.reader else "",
        words=f"The whole voice, {len(read)} lines",
        time_reference=rate.first_sample(production.start_frame),
        origination=datetime.now().strftime("%Y-%m-%d %H:%M:%S"),
        timecode_rate=f"{rate.fps.numerator}/{rate.fps.denominator}",
        drop=rate.drop,
        notes={"FENDO_PRODUCTION": str(production.id)},
    )
    progress(0.0, "writing the whole voice")
    voices_placed, ceiling = _all_placed(production, read), Ceiling()
    try:
        with making.open("wb") as file:
            file.write(wav.header(tags, length))
            written = 0
            for block in mix.mixdown(length, voices_placed, [], ceiling=ceiling):
                file.write(pcm.from_integers(pcm.from_floats(block[:, 0])))
                written += len(block)
                progress(written / length)
            if length * pcm.BYTES_A_SAMPLE & 1:
                file.write(b"\0")
        target = _target(production, f"{production.name} whole voice", ".wav")
        _publish(making, target)
    finally:
        making.unlink(missing_ok=True)
    return {"file": target.name, "bytes": target.stat().st_size, "limited": _limited(ceiling)}
