"""What is brought in: judged, kept in the production's folder, put into the reel, prepared by a job."""

import hashlib
import os
import shutil
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
from django.conf import settings
from django.db import transaction

from fendo_core.booth.naming import safe_name, unused
from fendo_core.picture import codec, film, pages
from fendo_core.picture.cuts import find_cuts_in, shots
from fendo_core.picture.edits import AddClips, LaySound, Shown
from fendo_core.picture.quiet import quiet_stretches
from fendo_core.production.edit import Edit
from fendo_core.timebase import SAMPLE_RATE, FrameRate, format_timecode, parse_timecode
from fendo_server.picture.models import Source
from fendo_server.productions import changes
from fendo_server.productions.models import Production
from fendo_server.work import running
from fendo_server.work.models import Job

LARGEST_FILE = 64 << 30
LARGEST_STILL = 200 << 20
STRIP_ROW = 20
STRIP_MOST = 240
DIGEST_PIECE = 1 << 20


@dataclass(frozen=True)
class Brought:
    """What an arrived file is: a film or a sound with its facts, or pictures with their number."""

    kind: str
    facts: film.Film | None = None
    pages: int = 1
    width: int = 0
    height: int = 0
    what: str = ""


def judge(arrived: Path) -> Brought:
    """What a file is, by what is in it.

    Raises:
        FilmRefused: when it is nothing that can be brought in, or is broken.
    """
    what = film.kind_of(arrived)
    if what in codec.DEMUXERS:
        facts = film.inspect(arrived)
        return Brought("film" if facts.frames else "sound", facts, what=facts.kind)
    if what is None:
        raise film.FilmRefused(film.NOT_READ)
    if arrived.stat().st_size > LARGEST_STILL:
        raise film.FilmRefused("A still or a PDF of more than 200 MB can't be shown here. Save a smaller copy.")
    row = _rows("look", what, arrived)[0]
    kind = "slides" if what == "pdf" else "still"
    return Brought(kind, None, int(row["pages"]), int(row["width"]), int(row["height"]), what)


def _rows(verb: str, what: str, path: Path, folder: Path | None = None, most: int = 1) -> list[dict[str, Any]]:
    """The rows of the program that looks at pictures and draws them, none of them an error."""
    rows = []
    try:
        for row in codec.pages(verb, what, path, folder, most):
            if "error" in row:
                raise film.FilmRefused(str(row["error"]))
            rows.append(row)
    except codec.CodecFailed as error:
        raise film.FilmRefused(
            "This file can't be drawn: it is damaged, or asks for more than is reasonable. Nothing was changed."
        ) from error
    if not rows:
        raise film.FilmRefused("There is no picture in this file. Nothing was changed; export it again.")
    return rows


def digest_of(path: Path) -> str:
    """Tells the same file when it comes again: SHA-256 of its size and of its first, middle and last MiB.

    A page can compute it of a file of any size before anything is sent.
    """
    size = path.stat().st_size
    told = hashlib.sha256(str(size).encode())
    with path.open("rb") as file:
        for at in (0, max(0, size // 2 - DIGEST_PIECE // 2), max(0, size - DIGEST_PIECE)):
            file.seek(at)
            told.update(file.read(DIGEST_PIECE))
    return told.hexdigest()


def bring_in(production: Production, author: Any, name: str, arrived: Path, laid: bool = True) -> Source:
    """An arrived file is kept and prepared by a job; with `laid` it goes to the end of the reel (an edit).

    Raises:
        FilmRefused: when it can't be brought in. The arrived file is deleted.
        OSError: when it can't be kept, as on a full disk. The arrived file stays where it is.
    """
    try:
        found, digest = judge(arrived), digest_of(arrived)
    except film.FilmRefused:
        arrived.unlink(missing_ok=True)
        raise
    folder = settings.MEDIA / production.directory / "Picture"
    folder.mkdir(parents=True, exist_ok=True)
    stem, ending = os.path.splitext(safe_name(name, 100))
    target = folder / unused(stem, lambda other: (folder / other).exists(), ending)
    try:
        shutil.move(arrived, target)
    except OSError:
        target.unlink(missing_ok=True)
        raise
    target.chmod(0o644)
    facts = found.facts
    with transaction.atomic():
        made = _source(production, target.name, found, digest=digest)
        production.touch()
        if found.kind == "film" and facts:
            _take_rate(production, facts.rate)
        for edit in laying(made) if laid else ():
            production.refresh_from_db()
            changes.perform(production, author, production.revision, edit)
        running.start(production, "prepare source", source=str(made.id))
    return made


def _source(production: Production, name: str, found: Brought, **more: Any) -> Source:
    """The row of a file that lies in the production's folder."""
    facts = found.facts
    values = {
        "kind": found.kind,
        "state": Source.State.PREPARING,
        "remarks": list(facts.remarks) if facts else [],
        "facts": _stored(facts) if facts else {"kind": found.what, "width": found.width, "height": found.height},
        "fps_above": facts.rate.fps.numerator if facts else 25,
        "fps_below": facts.rate.fps.denominator if facts else 1,
        "frames": facts.frames if facts else 0,
        "length": facts.length if facts else 0,
        "shots": [[0, facts.length]] if found.kind == "film" and facts else [],
        "pages": found.pages,
    }
    return Source.objects.create(production=production, name=name, file=f"Picture/{name}", **{**values, **more})


def bring_back(production: Production, folder: Path, name: str, kind: str, **more: Any) -> Source:
    """A source of a production that is restored: its file, copied if it lies elsewhere, is judged anew, prepared by a job.

    Without its file it is there all the same, and says what is missing.
    """
    name = safe_name(name, 140)
    kept, there = settings.MEDIA / production.directory / "Picture" / name, folder / "Picture" / name
    if there.is_file() and not there.is_symlink() and not kept.exists():
        kept.parent.mkdir(parents=True, exist_ok=True)
        shutil.copy2(there, kept)
    try:
        found = judge(kept)
        if found.kind != kind:
            raise film.FilmRefused("")
    except (OSError, film.FilmRefused):
        said = f"“{name}” is not in the folder “Picture”, or is damaged. Words and takes are safe; bring it in again."
        return _source(production, name, Brought(kind, pages=0), state=Source.State.FAILED, error=said, **more)
    made = _source(production, name, found, digest=digest_of(kept), **more)
    running.start(production, "prepare source", source=str(made.id))
    return made


def laying(source: Source) -> Sequence[Edit]:
    """How a source just brought in is laid: picture at the end of the reel, sound from the beginning."""
    key, production = str(source.id), source.production
    if source.kind == Source.Kind.SOUND:
        return (LaySound(key, 0, original=not production.clips.exists() and not production.laid.exists()),)
    return (AddClips((Shown(key),), follow=False),)


def _take_rate(production: Production, rate: FrameRate) -> None:
    """The first film gives the production its frame rate, unless something lies in the reel already; its start timecode
    keeps its reading.
    """
    others = production.sources.filter(kind=Source.Kind.FILM).count() > 1
    if others or production.clips.exists() or production.rate.fps == rate.fps:
        return
    start = format_timecode(production.start_frame, production.rate)
    production.fps_above, production.fps_below, production.drop_frame = rate.fps.numerator, rate.fps.denominator, False
    production.start_frame = parse_timecode(start.replace(";", ":"), production.rate)
    production.save(update_fields=["fps_above", "fps_below", "drop_frame", "start_frame"])


_FACTS = (
    "kind",
    "codec",
    "width",
    "height",
    "has_sound",
    "ready_as_is",
    "plays_in_browser",
    "copyable",
    "interlaced",
    "timecode",
)


def _stored(facts: film.Film) -> dict[str, Any]:
    return {name: getattr(facts, name) for name in _FACTS}


def facts_of(stored: Source) -> film.Film:
    """The core's film from its row."""
    rate = FrameRate(Fraction(stored.fps_above, stored.fps_below))
    return film.Film(rate=rate, frames=stored.frames, length=stored.length, remarks=(), **stored.facts)


def _lane(job: Job) -> running.Lane:
    pictures = Source.objects.filter(pk=job.arguments["source"], kind__in=(Source.Kind.STILL, Source.Kind.SLIDES))
    return "short" if pictures.exists() else "long"


@running.handles("prepare source", _lane)
def prepare(progress: running.Progress) -> dict[str, Any]:
    """What the browser needs of a source: sound in pieces, the strip, the cuts, a proxy; of pictures, their pages."""
    stored = Source.objects.select_related("production").get(pk=progress.job.arguments["source"])
    shutil.rmtree(stored.derived, ignore_errors=True)
    stored.derived.mkdir(parents=True, exist_ok=True)  # two attempts may begin at the same moment
    Source.objects.filter(pk=stored.pk).update(segments=0, has_proxy=False)
    try:
        if stored.kind in (Source.Kind.STILL, Source.Kind.SLIDES):
            _prepare_pages(stored, progress)
        else:
            _prepare_film(stored, progress)
        Source.objects.filter(pk=stored.pk).update(state=Source.State.READY, error="")
        stored.production.touch()
    except (codec.CodecFailed, film.FilmRefused, OSError) as error:
        progress.still_wanted()  # a later attempt takes away the files under an earlier one
        if isinstance(error, OSError):
            raise
        said = (
            f"“{stored.name}” can't be read to its end: it is damaged or not complete. The words and takes are safe. "
            "Copy or export it again and bring it in once more."
        )
        Source.objects.filter(pk=stored.pk).update(state=Source.State.FAILED, error=said)
        raise running.JobFailed(said) from error
    return {}


def _prepare_pages(stored: Source, progress: running.Progress) -> None:
    progress(0.0, "drawing the pages" if stored.pages > 1 else "drawing the still")
    rows = _rows("draw", stored.facts["kind"], stored.original, stored.derived, stored.pages)
    sheet = pages.strip(stored.derived, len(rows), STRIP_ROW)
    sheet.save(stored.derived / "strip.jpg", quality=80)
    notes = [row["notes"] for row in rows] if stored.kind == Source.Kind.SLIDES else []
    Source.objects.filter(pk=stored.pk).update(notes=notes, strip_columns=len(rows))


def listen_to_room(source: Source) -> None:
    """Find out where a source's own sound is nothing but its room."""
    length = source.sound_pieces * film.SOUND_PIECE

    def read(start: int, end: int) -> np.ndarray:
        return film.read_sound(source.derived, source.sound_pieces, start, end)

    # The last piece is shorter; what lies behind its end reads as silence, which is no room.
    found = quiet_stretches(read, min(length, source.length or length))
    Source.objects.filter(pk=source.pk).update(quiet=[[span.start, span.end] for span in found])


def listen_to_missing() -> None:
    """The same for one source that was prepared before rooms were listened to."""
    source = Source.objects.filter(quiet__isnull=True, sound_pieces__gt=0, state=Source.State.READY).first()
    if source:
        listen_to_room(source)


def _prepare_film(stored: Source, progress: running.Progress) -> None:
    facts, folder = facts_of(stored), stored.derived
    own = Source.objects.filter(pk=stored.pk)
    if facts.has_sound:
        report = progress.part(0.0, 0.15, "preparing the sound")
        sound = film.cut_sound(stored.original, facts, folder, report)
        own.update(sound_pieces=sound.pieces, loudness=sound.loudness)
        listen_to_room(Source.objects.get(pk=stored.pk))
        if not facts.frames:
            _remark(stored, film.breaks_off(facts, sound.samples))
    if not facts.frames:
        return
    progress(0.15, "drawing the strip")
    columns = min(STRIP_MOST, max(1, facts.length // (2 * SAMPLE_RATE)))
    draw_strip(stored, facts, columns)
    own.update(strip_columns=columns)
    if not facts.ready_as_is:
        # Each attempt has a folder of its own: what a killed worker's codec still writes is not ours.
        name = f"proxy-{progress.job.attempts}"
        (folder / name).mkdir()
        own.update(segment_folder=name, segment_frames=film.segment_frames(facts.rate))
        report = progress.part(0.2, 0.7, "making it quick to step through")
        count = film.make_proxy(stored.original, facts, folder / name, report, lambda ready: own.update(segments=ready))
        own.update(segments=count, has_proxy=True)
    frames = film.small_frames(stored.original, facts, progress.part(0.7, 1.0, "finding the cuts"))
    cuts, came = find_cuts_in(frames, fps=float(facts.rate.fps))
    _remark(stored, film.breaks_off(facts, facts.rate.first_sample(came)))
    found = shots(cuts, facts.frames, facts.rate)
    # Shots that somebody corrected while they were looked for stay as they are.
    untouched = own.filter(shots=[[0, facts.length]], shot_names=[])
    untouched.update(shots=[[shot.start, shot.end] for shot in found])


def _remark(stored: Source, said: str | None) -> None:
    """That a file breaks off, or no longer."""
    remarks = [remark for remark in stored.remarks if not remark.startswith(film.BREAKS_OFF)]
    Source.objects.filter(pk=stored.pk).update(remarks=[*remarks, *([said] if said else [])])


def draw_strip(stored: Source, facts: film.Film, columns: int) -> None:
    """The film strip: `columns` small pictures at even distances, in rows of `STRIP_ROW`, one JPEG."""
    rows = -(-columns // STRIP_ROW)
    picture = "scale=96:54:force_original_aspect_ratio=increase,crop=96:54"
    filters = f"fps={columns * SAMPLE_RATE}/{facts.length},{picture},tile={STRIP_ROW}x{rows}"
    arguments = ["-skip_frame", "nokey", *codec.input_of(stored.original, facts.kind), "-map", "0:v:0", "-an"]
    arguments += ["-vf", filters, "-frames:v", "1", "-q:v", "4", "-f", "image2", "-update", "1"]
    codec.transcode(
        arguments, stored.derived / "strip.jpg", 1, lambda _share: None, seconds=300 + facts.length // SAMPLE_RATE
    )
