"""What is handed over: the film with the voice in it, and the voice files with their list."""

import os
import re
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
from django.conf import settings

from fendo_core.booth.naming import safe_name
from fendo_core.handover.listing import Listed, csv_list
from fendo_core.handover.mix import Placed, mixdown
from fendo_core.picture import codec, film
from fendo_core.takes.measures import heard
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_server.booth.capture import read_sound
from fendo_server.picture.services import facts_of
from fendo_server.productions.models import Production
from fendo_server.takes.models import Pick, Take
from fendo_server.work import running
from fendo_server.work.models import Job


def picked(production: Production) -> list[Take]:
    """The picked takes of the present reader, in order of their lines."""
    picks = Pick.objects.filter(line__production=production, reader=production.reader, line__dropped=False)
    rows = picks.select_related("take__line__production", "take__folder", "take__reader").order_by("line__position")
    return [pick.take for pick in rows]


def _target(production: Production, stem: str, ending: str) -> Path:
    folder = settings.MEDIA / production.directory / "Handover"
    folder.mkdir(parents=True, exist_ok=True)
    name, copy = safe_name(stem, 100), 1
    target = folder / f"{name}{ending}"
    while target.exists():
        copy += 1
        target = folder / f"{name} ({copy}){ending}"
    return target


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
    os.replace(making, target)


def placed(take: Take) -> Placed:
    """A take at its place in the programme."""
    spoken = Span(take.speech_start, take.speech_end) if take.speech_start is not None else None
    path, first = take.path, take.start

    def load(start: int, end: int) -> np.ndarray:
        return read_sound(path, start - first, end - first)

    return Placed(heard(spoken, take.start, take.length), load)


@running.handles("film with the voice")
def film_out(progress: running.Progress) -> dict[str, Any]:
    """The picture untouched, with the picked takes in place and its own sound lowered under them."""
    production = progress.job.production
    stored, takes = production.picture, picked(production)
    if stored is None:
        raise running.JobFailed("There is no picture yet: bring in a film first, or hand over the voice files.")
    if not takes:
        raise running.JobFailed("No take is picked yet, so there is no voice to put in. Pick at least one take first.")
    facts = facts_of(stored)
    speaking = [Span(t.start + a, t.start + b) for t in takes for a, b in t.phrases]

    def bed(start: int, end: int) -> np.ndarray:
        return film.read_sound(stored.derived, stored.sound_pieces, start, end)

    def sound() -> Iterator[bytes]:
        for block in mixdown(stored.length, [placed(t) for t in takes], speaking, bed if stored.sound_pieces else None):
            yield block.astype("<f4").tobytes()

    making = _making(progress.job)
    arguments = [*codec.input_of(stored.original, facts.kind)]
    arguments += ["-protocol_whitelist", "pipe", "-f", "f32le", "-ar", str(SAMPLE_RATE), "-ac", "2", "-i", "pipe:0"]
    arguments += ["-map", "0:v:0", "-map", "1:a:0"]
    if facts.copyable:
        arguments += ["-c:v", "copy"]
    else:
        fps = f"{facts.rate.fps.numerator}/{facts.rate.fps.denominator}"
        arguments += ["-vf", f"fps={fps}", "-c:v", "libx264", "-preset", "veryfast", "-crf", "18", "-pix_fmt", "yuv420p"]
    arguments += ["-c:a", "aac", "-b:a", "192k", "-movflags", "+faststart", "-f", "mp4"]
    seconds = stored.length // SAMPLE_RATE
    report = progress.part(0.0, 0.97, "mixing the voice into the film")
    try:
        codec.transcode(arguments, making, seconds * 1_000_000, report, 300 + seconds * 6, feed=sound())
        progress(0.98, "checking the file")
        found = codec.probe(making, "mov")
        length, wanted = float(found["format"]["duration"]), stored.length / SAMPLE_RATE
        if abs(length - wanted) > 0.2:
            raise running.JobFailed(
                f"The film came out {length:.1f} s long instead of {wanted:.1f} s, so it was not kept. Try again."
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
    return {"file": target.name, "bytes": target.stat().st_size}


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
                archive.write(take.path, name)
                listed.append(Listed(name, take.line.number, take.number, take.line.text, take.start, take.length))
                progress((count + 1) / len(takes))
            rows = csv_list(listed, production.rate, production.start_frame)
            archive.writestr("list.csv", rows.encode("utf-8-sig"))
        target = _target(production, f"{production.name} voice", ".zip")
        _publish(making, target)
    finally:
        making.unlink(missing_ok=True)
    return {"file": target.name, "bytes": target.stat().st_size, "files": len(takes)}
