"""What is handed over: the film with the voice in it, and the voice files with their list."""

import errno
import os
import re
import shutil
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
from django.conf import settings

from fendo_core.audio import wav
from fendo_core.booth.naming import safe_name, unused
from fendo_core.handover.listing import Listed, csv_list
from fendo_core.handover.mix import CUT_FADE, Bed, Ducking, Placed, mixdown
from fendo_core.picture import codec
from fendo_core.picture.film import read_sound as read_source
from fendo_core.picture.laid import LaidSound, cut_ends, one_channel, own_sounds
from fendo_core.production.state import State
from fendo_core.takes.measures import heard
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_server.booth.capture import read_sound
from fendo_server.handover import reel_out
from fendo_server.picture.models import Source
from fendo_server.productions import state
from fendo_server.productions.models import Production
from fendo_server.takes.models import STANDS, Pick, Take
from fendo_server.work import running
from fendo_server.work.models import Job


def picked(production: Production) -> list[Take]:
    """The picked takes, each line's of its own reader, in order of the lines."""
    picks = Pick.objects.filter(STANDS, line__production=production, line__dropped=False)
    rows = picks.select_related("take__line__production", "take__folder", "take__reader").order_by("line__position")
    return [pick.take for pick in rows]


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


def placed(take: Take) -> Placed:
    """A take at its place in the programme."""
    spoken = Span(take.speech_start, take.speech_end) if take.speech_start is not None else None
    path, first = take.path, take.placed

    def load(start: int, end: int) -> np.ndarray:
        return read_sound(path, start - first, end - first)

    return Placed(heard(spoken, first, take.length), load)


def _bed(stored: Source, sound: LaidSound) -> Bed:
    """A stretch of a source's sound at its place."""
    folder, pieces, offset = stored.derived, stored.sound_pieces, sound.first - sound.span.start

    def load(start: int, end: int) -> np.ndarray:
        return one_channel(read_source(folder, pieces, start + offset, end + offset), sound.channel)

    fade_in, fade_out = (CUT_FADE if cut else 0 for cut in cut_ends(sound, stored.length))
    return Bed(sound.span, load, sound.heard == "lowered", sound.level, (fade_in, fade_out))


def beds(present: State, sources: dict[str, Source]) -> list[Bed]:
    """What sounds under the voice: the pieces' own sound, and what is laid under them."""
    sounds = [*own_sounds(present.pieces, present.sources, present.rate), *present.laid]
    heard = [(sources[sound.source], sound) for sound in sounds if sound.heard != "silent"]
    return [_bed(stored, sound) for stored, sound in heard if stored.sound_pieces]


@running.handles("film with the voice")
def film_out(progress: running.Progress) -> dict[str, Any]:
    """The picture with the picked takes in place, and its own sound lowered under them."""
    production = progress.job.production
    present, takes = state.load(production), picked(production)
    if not present.pieces:
        raise running.JobFailed("There is no picture yet: bring in a film first, or hand over the voice files.")
    if not takes:
        raise running.JobFailed("No take is picked yet, so there is no voice to put in. Pick at least one take first.")
    sources = {str(source.id): source for source in production.sources.all()}
    speaking = [Span(t.placed + a, t.placed + b) for t in takes for a, b in t.phrases]
    ducking = Ducking(depth=production.duck_depth, rise=production.duck_rise)
    under, length = beds(present, sources), present.length

    def sound() -> Iterator[bytes]:
        for block in mixdown(length, [placed(t) for t in takes], speaking, under, ducking):
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
    return {"file": target.name, "bytes": target.stat().st_size}


def _pack(archive: zipfile.ZipFile, take: Take, name: str) -> None:
    """A take's WAV; where it was moved with its picture since, its header's time reference says where it lies now."""
    if not take.moved:
        archive.write(take.path, name)
        return
    with take.path.open("rb") as file, archive.open(name, "w", force_zip64=True) as packed:
        start = file.read(1 << 20)
        packed.write(wav.moved_header(start, take.moved))
        shutil.copyfileobj(file, packed, 1 << 20)


@running.handles("voice files")
def voice_files(progress: running.Progress) -> dict[str, Any]:
    """Every picked line's WAV as it was recorded, and the list of what lies where, in one archive."""
    production = progress.job.production
    takes = picked(production)
    if not takes:
        raise running.JobFailed("No take is picked yet, so there is nothing to hand over. Pick at least one take first.")
    making, listed, names = _making(progress.job), [], set()
    progress(0.0, "packing the voice files")
    try:
        with zipfile.ZipFile(making, "w", zipfile.ZIP_STORED, allowZip64=True) as archive:
            for count, take in enumerate(takes):
                name = take.file_name
                while name.lower() in names:
                    name = re.sub(r"\.wav$", "_.wav", name)
                names.add(name.lower())
                _pack(archive, take, name)
                listed.append(Listed(name, take.line.number, take.number, take.line.text, take.placed, take.length))
                progress((count + 1) / len(takes))
            rows = csv_list(listed, production.rate, production.start_frame)
            archive.writestr("list.csv", rows.encode("utf-8-sig"))
        target = _target(production, f"{production.name} voice", ".zip")
        _publish(making, target)
    finally:
        making.unlink(missing_ok=True)
    return {"file": target.name, "bytes": target.stat().st_size, "files": len(takes)}
