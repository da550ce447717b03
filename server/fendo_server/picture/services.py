"""Bringing in a film: received piece by piece, judged, kept in the production's folder, prepared by a job."""

import os
import shutil
import tempfile
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any, BinaryIO

from django.conf import settings
from django.db import transaction

from fendo_core.booth.naming import safe_name
from fendo_core.picture import codec, film
from fendo_core.picture.cuts import find_cuts, shots
from fendo_core.production.edits import SetPicture
from fendo_core.timebase import SAMPLE_RATE, FrameRate, format_timecode, parse_timecode
from fendo_server.picture.models import Film
from fendo_server.productions import changes
from fendo_server.productions.models import Production
from fendo_server.work import running

LARGEST_FILE = 64 << 30
STRIP_ROW = 20
STRIP_MOST = 240


def receive(stream: BinaryIO, length: int | None) -> Path:
    """The body of a request into a file of its own; the caller moves or deletes it.

    Raises:
        FilmRefused: for what is no film by its first bytes (nothing more is read then), too large, or cut short.
    """
    folder = settings.DATA / "arriving"
    folder.mkdir(parents=True, exist_ok=True)
    handle, name = tempfile.mkstemp(dir=folder)
    path, received = Path(name), 0
    try:
        with os.fdopen(handle, "wb") as file:
            for piece in _pieces(stream):
                if not received and film.sniff(piece) is None:
                    raise film.FilmRefused(
                        "This file is no film that Fendo can read. MP4, MOV, MKV, WebM, AVI and MPEG files are read; "
                        "nothing was changed. Export the picture as one of these and bring it in again."
                    )
                received += len(piece)
                if received > LARGEST_FILE:
                    raise film.FilmRefused("This file is larger than 64 GB. Nothing was kept; bring in a smaller copy.")
                file.write(piece)
        if received == 0:
            raise film.FilmRefused("This file is empty. Nothing was changed; check that its copy was finished.")
        if length is not None and received < length:
            raise film.FilmRefused("The connection broke off before the whole film had arrived. Bring it in again.")
    except BaseException:
        path.unlink(missing_ok=True)
        raise
    return path


def _pieces(stream: BinaryIO) -> Iterator[bytes]:
    while piece := stream.read(1 << 20):
        yield piece


def bring_in(production: Production, author: Any, name: str, arrived: Path) -> Film:
    """An arrived file becomes the production's picture (an edit that can be undone) and is prepared by a job.

    Raises:
        FilmRefused: when it can't be the picture. The arrived file is deleted.
    """
    try:
        facts = film.inspect(arrived)
        folder = settings.MEDIA / production.directory / "Picture"
        folder.mkdir(parents=True, exist_ok=True)
        stem, ending = os.path.splitext(safe_name(name, 100))
        target, copy = folder / f"{stem}{ending}", 1
        while target.exists():
            copy += 1
            target = folder / f"{stem} ({copy}){ending}"
        shutil.move(arrived, target)
        target.chmod(0o644)
    finally:
        arrived.unlink(missing_ok=True)
    with transaction.atomic():
        made = Film.objects.create(
            production=production,
            name=target.name,
            file=f"Picture/{target.name}",
            state=Film.State.PREPARING,
            remarks=list(facts.remarks),
            facts=_stored(facts),
            fps_above=facts.rate.fps.numerator,
            fps_below=facts.rate.fps.denominator,
            frames=facts.frames,
            length=facts.length,
            shots=[[0, facts.length]],
        )
        _take_rate(production, facts.rate)
        changes.perform(production, author, production.revision, SetPicture(str(made.id)))
        running.start(production, "prepare film", film=str(made.id))
    return made


def _take_rate(production: Production, rate: FrameRate) -> None:
    """The first film gives the production its frame rate; its start timecode keeps its reading."""
    if production.films.count() > 1 or production.rate.fps == rate.fps:
        return
    start = format_timecode(production.start_frame, production.rate)
    production.fps_above, production.fps_below, production.drop_frame = rate.fps.numerator, rate.fps.denominator, False
    production.start_frame = parse_timecode(start.replace(";", ":"), production.rate)
    production.save(update_fields=["fps_above", "fps_below", "drop_frame", "start_frame"])


def _stored(facts: film.Film) -> dict[str, Any]:
    names = ("kind", "codec", "width", "height", "has_sound", "ready_as_is", "plays_in_browser", "copyable")
    return {name: getattr(facts, name) for name in names}


def facts_of(stored: Film) -> film.Film:
    """The core's film from its row."""
    rate = FrameRate(Fraction(stored.fps_above, stored.fps_below))
    return film.Film(rate=rate, frames=stored.frames, length=stored.length, remarks=(), **stored.facts)


@running.handles("prepare film")
def prepare(progress: running.Progress) -> dict[str, Any]:
    """Sound in pieces, the film strip, the cuts, and a proxy where the film itself does not step well."""
    stored = Film.objects.select_related("production").get(pk=progress.job.arguments["film"])
    facts, folder = facts_of(stored), stored.derived
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(parents=True)
    try:
        if facts.has_sound:
            pieces = film.cut_sound(stored.original, facts, folder, progress.part(0.0, 0.15, "preparing the sound"))
            Film.objects.filter(pk=stored.pk).update(sound_pieces=pieces)
        progress(0.15, "drawing the strip")
        columns = min(STRIP_MOST, max(1, facts.length // (2 * SAMPLE_RATE)))
        draw_strip(stored, facts, columns)
        Film.objects.filter(pk=stored.pk).update(strip_columns=columns)
        frames = film.small_frames(stored.original, facts, progress.part(0.2, 0.45, "finding the cuts"))
        found = shots(find_cuts(frames), facts.frames, facts.rate)
        # Shots that somebody corrected while they were looked for stay as they are.
        untouched = Film.objects.filter(pk=stored.pk, shots=[[0, facts.length]], shot_names=[])
        untouched.update(shots=[[shot.start, shot.end] for shot in found])
        if not facts.ready_as_is:
            making = folder / f"making-{progress.job.attempts}.mp4"
            film.make_proxy(stored.original, facts, making, progress.part(0.45, 1.0, "making it quick to step through"))
            making.replace(folder / "proxy.mp4")
            Film.objects.filter(pk=stored.pk).update(has_proxy=True)
        Film.objects.filter(pk=stored.pk).update(state=Film.State.READY, error="")
    except (codec.CodecFailed, film.FilmRefused) as error:
        said = (
            "This film can't be read to its end: it is damaged or not complete. The words and takes are safe. "
            "Copy or export it again and bring it in once more."
        )
        Film.objects.filter(pk=stored.pk).update(state=Film.State.FAILED, error=said)
        raise running.JobFailed(said) from error
    return {}


def draw_strip(stored: Film, facts: film.Film, columns: int) -> None:
    """The film strip: `columns` small pictures at even distances, in rows of `STRIP_ROW`, one JPEG."""
    rows = -(-columns // STRIP_ROW)
    picture = "scale=96:54:force_original_aspect_ratio=increase,crop=96:54"
    filters = f"fps={columns * SAMPLE_RATE}/{facts.length},{picture},tile={STRIP_ROW}x{rows}"
    arguments = ["-skip_frame", "nokey", *codec.input_of(stored.original, facts.kind), "-map", "0:v:0", "-an"]
    arguments += ["-vf", filters, "-frames:v", "1", "-q:v", "4", "-f", "image2", "-update", "1"]
    codec.transcode(
        arguments, stored.derived / "strip.jpg", 1, lambda _share: None, seconds=300 + facts.length // SAMPLE_RATE
    )
