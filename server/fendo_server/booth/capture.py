"""A take from its first sample to a finished file.

The growing file is the WAV itself, header first, under the name `….wav.part`. Its size says how much is safe: a piece is
acknowledged only after it was appended and synced. Finishing corrects the header in place and renames the file.
"""

import errno
import fcntl
import json
import logging
import os
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager, suppress
from dataclasses import replace
from datetime import datetime
from pathlib import Path
from typing import Any

from django.db import transaction

from fendo_core.audio import pcm, wav
from fendo_core.booth.clocklog import ClockLog, read_lines
from fendo_core.booth.clockmap import make_map
from fendo_core.booth.naming import NameParts, file_name
from fendo_core.production import edits
from fendo_core.production.state import SCRATCH
from fendo_core.takes.measures import BLOCK, measure_blocks, shifted
from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds
from fendo_server.booth import behind
from fendo_server.booth.recording_now import on_disk
from fendo_server.problems import Problem
from fendo_server.productions import changes, quotas
from fendo_server.productions.models import Folder
from fendo_server.script import pace
from fendo_server.script.models import Line
from fendo_server.takes import headphones, joining, listening
from fendo_server.takes.models import Take
from fendo_server.voice.models import Recording
from fendo_server.voice.reading import blocks_of
from fendo_server.work import running

log = logging.getLogger("fendo")

LARGEST_PIECE = 10 * SAMPLE_RATE * pcm.BYTES_A_SAMPLE
_MEETINGS = 5
"""So often a piece is tried that meets the end of its take."""
FORGOTTEN_AFTER = 30 * 60
LONGEST_CLOCK = 8_000
PLACED = ("start", "clock", "doubts", "within", "length", "cut_off", "forgotten")
MEASURED = (
    "speech_start", "speech_end", "phrases", "clipped", "peak", "true_peak", "loudness", "noise", "character", "bleed",
)  # fmt: skip
"""What closing and measuring find out. Nothing else is written then: meanwhile a take may have been set aside or moved."""
WITH = ("line__production", "recording__production", "recording__folder", "recording__reader__production")
"""What belongs to a take that is closed or measured."""
MEASURED_AT_ONCE = 20 * SAMPLE_RATE
"""A take as short as this is measured before the answer; a longer one is there at once and measured by a job."""


@transaction.atomic
def begin(line: Line, input_label: str, cue: int | None = None, scratch: bool = False) -> Take:
    """A new take of the line: its number, its file name, and its file with a header on the disk.

    `cue` is the programme sample at which a pick-up is to begin; None for a take that begins with the slot. A `scratch`
    reading only holds a place until the real one is there.
    """
    line = (
        Line.objects.select_for_update(of=("self",))
        .select_related("production__landing", "production__reader", "reader")
        .get(pk=line.pk)
    )
    production = line.production
    quotas.check_takes(production.owner)
    quotas.check_disk(production.owner)
    folder, reader = production.landing, line.reader or production.reader
    if line.dropped:
        raise Problem(
            422, "Not possible", "This line is no longer in the script. Undo brings it back; nothing was recorded."
        )
    if folder is None or reader is None:
        raise Problem(
            422, "Not possible", "No folder is chosen where takes land. Choose one at the top; nothing was recorded."
        )
    # Nobody renames the folder meanwhile.
    folder = Folder.objects.select_for_update().get(pk=folder.pk)
    number = (Take.objects.filter(line=line).order_by("-number").values_list("number", flat=True).first() or 0) + 1
    taken = {name.lower() for name in folder.recordings.values_list("file_name", flat=True)}
    parts = NameParts(
        production=production.name,
        folder=folder.name,
        line=line.number,
        words=line.text,
        reader=reader.name,
        date=datetime.now().date().isoformat(),
        take=number,
    )
    recording = Recording(production=production, reader=reader, folder=folder, input=input_label[:200])
    recording.file_name = file_name(production.name_pattern, parts, taken)
    while recording.path.exists() or recording.part.exists():
        # A file that the database does not know (a restored folder): it is kept, the new take steps aside.
        taken.add(recording.file_name.lower())
        recording.file_name = file_name(production.name_pattern, parts, taken)
    recording.save()
    mark = SCRATCH if scratch else ""
    take = Take.objects.create(line=line, recording=recording, number=number, words=line.text, cue=cue, mark=mark)
    recording.path.parent.mkdir(parents=True, exist_ok=True)
    try:
        with recording.part.open("xb") as file:
            file.write(wav.header(_tags(take), 0))
            _sync(file.fileno())
        _sync_folder(recording.path.parent)
    except OSError:
        recording.part.unlink(missing_ok=True)
        raise
    return take


def _tags(take: Take) -> wav.Tags:
    """What the file says of itself."""
    production, recording = take.line.production, take.recording
    rate = production.rate
    midnight = rate.first_sample(production.start_frame)
    made = recording.made or datetime.now()
    return wav.Tags(
        production=production.name,
        folder=recording.folder.path,
        line=take.line.number,
        take=take.number,
        reader=recording.reader.name,
        words=take.words,
        time_reference=max(0, midnight + recording.start),
        origination=made.strftime("%Y-%m-%d %H:%M:%S"),
        timecode_rate=f"{rate.fps.numerator}/{rate.fps.denominator}",
        drop=rate.drop,
        notes={
            "FENDO_PRODUCTION": str(production.id),
            "FENDO_LINE": str(take.line_id),
            "FENDO_POSITION": str(take.line.position),
            "FENDO_TAKE": str(take.id),
            "FENDO_RECORDING": str(recording.id),
            "FENDO_PROGRAMME_START": str(recording.start),
            "FENDO_SLOT": f"{take.line.slot_start} {take.line.slot_end}" if take.line.slot_start is not None else "",
            "FENDO_CUE": "" if take.cue is None else str(take.cue),
            "FENDO_CUT_OFF": "yes" if recording.cut_off else "no",
            "FENDO_INPUT": recording.input,
            "FENDO_CLOCK": _short(recording.clock),
        },
    )


def _short(clock: Mapping[str, Any]) -> str:
    """A clock map small enough for the file's header; of long lists the beginning."""
    short = {key: value[:12] if isinstance(value, list | tuple) else value for key, value in clock.items()}
    return json.dumps(short, separators=(",", ":")) if clock else ""


def _sync(descriptor: int) -> None:
    os.fsync(descriptor)


@contextmanager
def _open_part(recording: Recording) -> Iterator[Any]:
    """The growing file, locked against a second sender, cut to whole samples.

    It is not buffered: what a full disk did not take must not be written once more, behind a hole, when it is closed.
    """
    with recording.part.open("r+b", buffering=0) as file:
        fcntl.flock(file, fcntl.LOCK_EX)
        if os.stat(recording.part).st_ino != os.fstat(file.fileno()).st_ino:
            raise FileNotFoundError(errno.ENOENT, "the take was closed meanwhile", str(recording.part))
        size = os.fstat(file.fileno()).st_size
        torn = (size - wav.HEADER_BYTES) % pcm.BYTES_A_SAMPLE
        if torn:
            file.truncate(size - torn)
        yield file


def _write(file: Any, data: bytes) -> None:
    """All of the data; an unbuffered file takes as much as it likes at a time."""
    rest = memoryview(data)
    while rest:
        rest = rest[file.write(rest) :]


def append(take: Take, offset: int, sound: bytes, clock: str = "") -> int:
    """Put a piece at sample `offset`; the samples that are on disk afterwards. The same piece twice is no error.

    `clock` is what the browser read of its clocks meanwhile (JSON, a part of a `ClockLog`); it is kept beside the sound.

    Raises:
        Problem: when samples before the piece are missing, or it is no whole number of samples.
    """
    if len(sound) % pcm.BYTES_A_SAMPLE or len(sound) > LARGEST_PIECE:
        raise Problem(422, "Not understood", "A piece of sound must be whole 24-bit samples, ten seconds at the most.")
    for _ in range(_MEETINGS):
        with suppress(FileNotFoundError):
            return _append(take, offset, sound, clock)
        # It was closed or called off while this piece came: by now it is told what became of it.
        _know(take)
    raise _gone()


def _gone() -> Problem:
    return Problem(
        410,
        "The file is gone",
        "The file of this take is no longer on the server's disk. What was not sent stays in this browser.",
    )


def _know(take: Take) -> None:
    """What others have made of the take by now."""
    recording = take.recording
    try:
        recording.refresh_from_db(fields=["state", "forgotten", *PLACED])
        take.refresh_from_db(fields=["last"])
    except (Recording.DoesNotExist, Take.DoesNotExist) as error:
        raise _gone() from error


@contextmanager
def _alone_with(take: Take) -> Iterator[None]:
    """Nobody else ends the take, calls it off or closes it meanwhile."""
    with transaction.atomic():
        Recording.objects.select_for_update().filter(pk=take.recording_id).first()
        _know(take)
        yield


def _append(take: Take, offset: int, sound: bytes, clock: str) -> int:
    end, recording = offset + len(sound) // pcm.BYTES_A_SAMPLE, take.recording
    if recording.state == Recording.State.FINISHED:
        if end <= recording.length:
            return recording.length
        if recording.forgotten and offset <= recording.length:
            _reopen(take)
            return _append(take, offset, sound, clock)
        raise Problem(
            409,
            "The take is closed",
            "This take was closed before this piece arrived. It stays in the browser.",
            have=recording.length,
        )
    with _open_part(recording) as file:
        have = (os.fstat(file.fileno()).st_size - wav.HEADER_BYTES) // pcm.BYTES_A_SAMPLE
        if offset > have:
            raise Problem(
                409, "A piece is missing", "Sound before this piece has not arrived yet; it is sent again.", have=have
            )
        if end > wav.LARGEST_SAMPLES:
            raise Problem(
                422, "Not possible", "A take can be about eight hours long. Stop and begin another one.", have=have
            )
        if end <= have:
            return have
        if clock and len(clock) <= LONGEST_CLOCK and "\n" not in clock:
            with recording.clock_log.open("a") as log_file:
                log_file.write(clock + "\n")
        start = file.seek(0, os.SEEK_END)
        try:
            _write(file, sound[(have - offset) * pcm.BYTES_A_SAMPLE :])
            _sync(file.fileno())
        except OSError:
            # A disk that is full takes a part of a piece: what was acknowledged stays, the rest is cut off again.
            os.ftruncate(file.fileno(), start)
            raise
        return end


def finish(take: Take, total: int, clock: Sequence[Mapping[str, Any]], cut_off: bool, forgotten: bool = False) -> Take:
    """Make the growing file the take's immutable WAV, make its clock map, measure it. Finishing twice is no error.

    `clock` are parts of the clock log that did not come with the sound; `forgotten`: its browser was not heard of.

    Raises:
        Problem: when the server has not all of it yet, or nothing was recorded.
    """
    with _alone_with(take):
        closed, short = _close(take, total, clock, cut_off, forgotten)
    if closed:
        if short:
            _measured(take)
        if not take.recording.forgotten:
            take.recording.clock_log.unlink(missing_ok=True)
    return take


def _close(take: Take, total: int, clock: Sequence[Mapping[str, Any]], cut_off: bool, forgotten: bool) -> tuple[bool, bool]:
    """Close the file and keep the rows: whether it was open, and whether it was measured."""
    recording = take.recording
    if recording.state == Recording.State.FINISHED:
        return False, False
    recording.forgotten = forgotten
    with ExitStack() as held:
        # Nothing more comes in from here on.
        file = held.enter_context(_open_part(recording)) if recording.part.exists() else None
        have = on_disk(recording)
        if have < total:
            raise Problem(
                409, "Not all has arrived", "The end of this take is still on its way; it is not saved yet.", have=have
            )
        if have == 0:
            raise Problem(422, "Nothing was recorded", "No sound arrived from the microphone, so there is no take.")
        _place(take, have, clock)
        recording.length, recording.cut_off, take.last = have, cut_off, have
        if file is not None:
            file.seek(0)
            _write(file, wav.header(_tags(take), have))
            if have * pcm.BYTES_A_SAMPLE & 1:
                file.seek(0, os.SEEK_END)
                _write(file, b"\0")
            _sync(file.fileno())
            recording.part.rename(recording.path)
            _sync_folder(recording.path.parent)
            recording.path.chmod(0o444)
    short = have <= MEASURED_AT_ONCE
    if short:
        try:
            measure(take)
        except Exception:
            # The recording is safe, and is a take without its measures too; a job tries once more and says why it can't.
            log.exception("take %s could not be measured", take.id)
            short = False
    recording.state = Recording.State.FINISHED
    recording.save(update_fields=[*PLACED, "state"])
    take.save(update_fields=["last", *MEASURED])
    if not short:
        running.start(take.line.production, "measure take", take=str(take.id))
    return True, short


def _measured(take: Take) -> None:
    """What follows when a take is known: its reader's pace, and a pick-up joins what was read before it."""
    pace.learn(take.recording.reader)
    listening.ask(take)
    try:
        if found := behind.of_take(take):
            Take.objects.filter(pk=take.pk).update(behind=[found.median, found.most])
    except Exception:
        log.exception("it can't be told how far take %s is behind the original", take.id)
    try:
        _leave_a_slot(take)
    except Exception:
        log.exception("the line of scratch take %s got no slot", take.id)
    try:
        joining.join_pickup(take)
    except Exception:
        # Both recordings are there, and can be joined by hand.
        log.exception("take %s could not be joined to what was read before it", take.id)


def _leave_a_slot(take: Take) -> None:
    """Where a line without a slot was read as a scratch, the real reading will find one: just where that was spoken."""
    line = take.line
    if take.mark != SCRATCH or line.slot is not None or line.wild or take.speech_start is None:
        return
    production = line.production
    if not production.clips.exists():
        return
    spoken = Span(take.placed + take.speech_start, take.placed + (take.speech_end or 0))
    changes.perform(production, production.owner, production.revision, edits.SetSlot(str(line.pk), spoken))


def _place(take: Take, length: int, clock: Sequence[Mapping[str, Any]]) -> None:
    """Give the take its clock map, from what arrived with the sound and what came at its end."""
    recording = take.recording
    try:
        kept = read_lines(recording.clock_log.read_text(errors="replace").splitlines())
    except FileNotFoundError:
        kept = []
    try:
        placed = make_map(ClockLog.from_parts([*kept, *clock]), length, take.line.production.rate)
    except Exception as error:
        # Whatever is wrong with the readings of clocks: the sound counts more than its place.
        log.warning("take %s has no clock log that can be used: %r", take.id, error)
        placed = replace(
            make_map(ClockLog.simple(expected_start(take)), length, take.line.production.rate),
            source="browser",
            doubts=((0, "its clock readings were lost: it lies where its line begins"),),
        )
    recording.start, recording.clock = placed.start, placed.as_dict()
    recording.doubts, recording.within = [list(doubt) for doubt in placed.doubts], placed.within


def _reopen(take: Take) -> None:
    """A recording that housekeeping closed and whose browser is back with more of it grows on."""
    recording = take.recording
    with _alone_with(take):
        if recording.state != Recording.State.FINISHED:
            return
        recording.path.chmod(0o644)
        recording.path.rename(recording.part)
        with recording.part.open("r+b") as file:
            file.truncate(wav.HEADER_BYTES + recording.length * pcm.BYTES_A_SAMPLE)
        recording.state, recording.forgotten, recording.cut_off = Recording.State.RECORDING, False, False
        recording.save(update_fields=["state", "forgotten", "cut_off"])


def measure(take: Take, progress: Callable[[float], None] = lambda share: None) -> None:
    """Measure a take, and draw the waveform of its recording."""
    recording = take.recording
    whole = (take.first, take.last or recording.length) == (0, recording.length)
    blocks = blocks_of(recording.path, BLOCK, None if whole else (take.first, take.last), progress)
    found, wave = measure_blocks(blocks, headphones.played(take))
    if not whole:
        found = shifted(found, take.first)
    take.speech_start = found.speech.start if found.speech else None
    take.speech_end = found.speech.end if found.speech else None
    take.phrases = [[span.start, span.end] for span in found.phrases]
    take.clipped = [[span.start, span.end] for span in found.clipped]
    take.character, take.bleed = list(found.character or ()), found.bleed
    take.peak, take.true_peak, take.loudness, take.noise = found.peak, found.true_peak, found.loudness, found.noise
    if whole:
        recording.wave.parent.mkdir(parents=True, exist_ok=True)
        recording.wave.write_bytes(wave.tobytes())


@running.handles("measure take", "quick")
def measure_take(progress: running.Progress) -> dict[str, Any]:
    """Measure a long take after it was saved."""
    take = Take.objects.select_related(*WITH).get(pk=progress.job.arguments["take"])
    measure(take, progress.part(0.0, 1.0, "measuring the take"))
    take.save(update_fields=MEASURED)
    _measured(take)
    return {"take": str(take.id)}


def _sync_folder(folder: Path) -> None:
    descriptor = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)


def abandon(take: Take) -> None:
    """Forget a take that was called off in its count-in, before its line began.

    Raises:
        Problem: when it is a take already: what was recorded is never thrown away here.
    """
    with _alone_with(take):
        recording = take.recording
        if recording.state == Recording.State.FINISHED or on_disk(recording) > 2 * SAMPLE_RATE:
            raise Problem(422, "Not possible", "This take has sound in it and is kept. Set it aside if it is not wanted.")
        forget(take)


def forget(take: Take) -> None:
    """An unfinished take that is no more."""
    recording = take.recording
    recording.part.unlink(missing_ok=True)
    recording.clock_log.unlink(missing_ok=True)
    take.delete()
    recording.delete()


def close_forgotten(older_than: float = FORGOTTEN_AFTER) -> int:
    """Close the takes whose browser has not been heard of; how many were closed."""
    closed = 0
    going = Take.objects.filter(recording__state=Recording.State.RECORDING).select_related(*WITH)
    for take in going:
        recording = take.recording
        last = recording.part.stat().st_mtime if recording.part.exists() else recording.made.timestamp()
        if time.time() - last < older_than:
            continue
        try:
            if on_disk(recording) == 0:
                with _alone_with(take):
                    if on_disk(recording) == 0:
                        forget(take)
                continue
            finish(take, 0, [], cut_off=True, forgotten=True)
        except (OSError, ValueError, Problem):
            log.exception("take %s can't be closed now", take.id)
            continue
        log.warning("take %s was never finished by its browser: closed with what is there", take.id)
        closed += 1
    return closed


def expected_start(take: Take) -> int:
    """Where a take begins if its clock map was lost: where the Booth begins: 0.85 s before its slot."""
    return (take.line.slot_start or 0) - milliseconds(850)
