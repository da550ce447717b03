"""Rebuild productions from recordings alone, when the database is gone.

Every recording says in its own header what it is: production, folder, line with words and slot, take, reader, where it lies
in the programme and how that is known. The rest (settings, lines that nobody read, picks, the reel and its files) stands in
the production's own record beside them; without that it is lost.
"""

import json
import shutil
import uuid
from collections import Counter, defaultdict
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from datetime import datetime
from fractions import Fraction
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import DatabaseError, transaction
from django.utils import timezone

from fendo_core.audio import pcm, wav
from fendo_core.booth.clockmap import ClockMap
from fendo_core.booth.naming import unused
from fendo_core.timebase import FrameRate
from fendo_core.timebase.rates import nearest_rate
from fendo_server.booth import capture
from fendo_server.problems import Problem
from fendo_server.productions import record, services
from fendo_server.productions.models import Folder, Production, Reader
from fendo_server.script.models import Line
from fendo_server.takes.models import Take
from fendo_server.voice.models import Recording

UNUSABLE = (DatabaseError, ValueError, TypeError, OverflowError, OSError, Problem)
"""What a recording brings about that says things of itself which can't be, or can't be read."""
NOT_STORED = "what it says of itself can't be used; the file is left as it is"
NOT_TAKES = {"picture", "handover"}


@dataclass
class Report:
    """What was found and what was made of it."""

    productions: list[str] = field(default_factory=list)
    made: list[Production] = field(default_factory=list)
    lines: int = 0
    takes: int = 0
    picks: int = 0
    whole: list[str] = field(default_factory=list)
    known: int = 0
    unfinished: int = 0
    refused: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class Found:
    """One recording on the disk."""

    path: Path
    folder: str
    tags: wav.Tags
    samples: int
    unfinished: bool

    def note(self, name: str) -> str:
        """One of Fendo's own notes in the header."""
        return self.tags.notes.get(name, "")


def _recordings(top: Path, report: Report) -> Iterator[Found]:
    for path in sorted(top.rglob("*.wav")) + sorted(top.rglob("*.wav.part")):
        inside = path.relative_to(top).parent
        if path.is_symlink() or not path.is_file() or (inside.parts and inside.parts[0].lower() in NOT_TAKES):
            continue
        try:
            with path.open("rb") as file:
                described = wav.describe(file.read(wav.MOST_HEADER_BYTES))
        except (ValueError, OSError) as error:
            report.refused.append(f"{path.name}: {error}")
            continue
        there = (path.stat().st_size - described.data_offset) // pcm.BYTES_A_SAMPLE
        unfinished = path.suffix == ".part"
        samples = there if unfinished else min(described.samples, there)
        if samples <= 0:
            report.refused.append(f"{path.name}: there is no sound in it")
            continue
        yield Found(path, inside.as_posix() if inside.parts else "Narration", described.tags, samples, unfinished)


def rescue(owner: Any, top: Path, say: Callable[[str], None] = lambda text: None) -> Report:
    """Make productions, folders, lines and takes of the recordings below a folder; what the database knows is left alone.

    A folder of the media folder is used where it lies, any other one is copied.

    Raises:
        ValueError: when there is no such folder.
    """
    if not top.is_dir():
        raise ValueError(f"There is no folder {top}.")
    report = Report()
    tops = [top]
    if top.resolve() == settings.MEDIA.resolve():
        tops = sorted(path for path in top.iterdir() if path.is_dir())
    for one in tops:
        by_production: dict[str, list[Found]] = defaultdict(list)
        for found in _recordings(one, report):
            there = _id(found.note("FENDO_TAKE"))
            if there and Take.objects.filter(pk=there).exists():
                report.known += 1
                continue
            by_production[found.note("FENDO_PRODUCTION") or found.tags.production].append(found)
        restored, known = _restored(owner, one, report)
        for recordings in by_production.values():
            try:
                _rebuild(owner, one, recordings, len(by_production) == 1, report, say)
            except UNUSABLE:
                report.refused += [f"{found.path.name}: {NOT_STORED}" for found in recordings]
        if restored and known:
            for take in record.stretches(restored, known):
                capture.measure(take)
                take.save()
            report.picks += record.restore_takes(restored, known)
    return report


def _restored(owner: Any, top: Path, report: Report) -> tuple[Production | None, dict[str, Any] | None]:
    """The production of the record in a folder, without its takes, and the record; None where there is none to use."""
    try:
        known = record.read(top)
        if known is None or Production.objects.filter(pk=known["id"], owner=owner).exists():
            return None, None
        made = record.restore(owner, known, top, top.name if _may_stay(top) else services.free_directory(known["name"]))
    except record.RecordRefused as error:
        report.refused.append(f"{record.NAME}: {error}")
        return None, None
    report.productions.append(made.name)
    report.made.append(made)
    report.whole.append(made.name)
    report.lines += made.lines.filter(dropped=False).count()
    return made, known


def _may_stay(top: Path) -> bool:
    """Whether a folder is one of the media folder that no production has."""
    in_place = top.resolve().parent == settings.MEDIA.resolve()
    return in_place and not Production.objects.filter(directory__iexact=top.name).exists()


def _id(text: str) -> uuid.UUID | None:
    try:
        return uuid.UUID(text)
    except ValueError:
        return None


def _rate(tags: wav.Tags) -> FrameRate:
    try:
        return FrameRate(Fraction(tags.timecode_rate), tags.drop)
    except (ValueError, ZeroDivisionError):
        return nearest_rate(Fraction(25))


def _production(owner: Any, top: Path, recordings: list[Found], alone: bool) -> tuple[Production, bool]:
    """The production of these recordings, and whether their files lie in its folder already."""
    newest = max(recordings, key=lambda found: found.tags.origination)
    own = _id(newest.note("FENDO_PRODUCTION"))
    known = Production.objects.filter(pk=own, owner=owner).first() if own else None
    in_place = top.resolve().parent == settings.MEDIA.resolve()
    if known:
        return known, in_place and known.directory == top.name
    in_place = alone and _may_stay(top)
    name = newest.tags.production or top.name
    rate = _rate(newest.tags)
    start = _number(newest.note("FENDO_PROGRAMME_START"))
    fields: dict[str, Any] = {
        "owner": owner,
        "name": name[:120],
        "fps_above": rate.fps.numerator,
        "fps_below": rate.fps.denominator,
        "drop_frame": rate.drop,
        "start_frame": max(0, rate.frame_at(newest.tags.time_reference - (start or 0))),
        "directory": top.name if in_place else services.free_directory(name),
    }
    if own and not Production.objects.filter(pk=own).exists():
        fields["id"] = own
    return Production.objects.create(**fields), in_place


def _number(text: str) -> int | None:
    try:
        return int(text)
    except ValueError:
        return None


@transaction.atomic
def _rebuild(
    owner: Any, top: Path, recordings: list[Found], alone: bool, report: Report, say: Callable[[str], None]
) -> None:
    production, in_place = _production(owner, top, recordings, alone)
    lines, new_lines = _lines(production, recordings)
    refused, unfinished = [], 0
    folders: Counter[str] = Counter()
    for count, found in enumerate(recordings, start=1):
        try:
            if _key(found) not in lines:
                raise ValueError("its line could not be made")
            with transaction.atomic():
                take = _bring_back(production, found, lines[_key(found)], in_place)
        except UNUSABLE:
            refused.append(f"{found.path.name}: {NOT_STORED}")
            continue
        folders[str(take.recording.folder_id)] += 1
        unfinished += found.unfinished
        say(f"{count} of {len(recordings)}: {take.recording.file_name}")
    if not folders:
        raise ValueError("none of its recordings can be used")
    if production.landing is None:
        production.landing = production.folders.get(pk=folders.most_common(1)[0][0])
    if production.reader is None:
        production.reader = production.readers.first()
    production.save(update_fields=["landing", "reader", "changed"])
    if production.name not in report.productions:
        report.productions.append(production.name)
    if production not in report.made:
        report.made.append(production)
    report.lines += new_lines
    report.takes += folders.total()
    report.unfinished += unfinished
    report.refused += refused


def _bring_back(production: Production, found: Found, line: Line, in_place: bool) -> Take:
    """The take of a recording, measured; its file is copied unless it lies in the production's folder."""
    folder = services.folder_at(production, found.folder)
    reader, _ = production.readers.get_or_create(name=found.tags.reader or "Narrator")
    take = _take(found, line, folder, reader)
    recording = take.recording
    if not in_place:
        recording.path.parent.mkdir(parents=True, exist_ok=True)
        shutil.copy2(found.path, recording.part if found.unfinished else recording.path)
        log = found.path.with_name(found.path.name.removesuffix(".part") + ".clock")
        if log.exists():
            shutil.copy2(log, recording.clock_log)
    if found.unfinished:
        # When its browser comes back, what it still has goes on it.
        capture.finish(take, 0, [], cut_off=True, forgotten=True)
    else:
        take.last = found.samples
        capture.measure(take)
    recording.state = Recording.State.FINISHED
    recording.save()
    take.save()
    Recording.objects.filter(pk=recording.pk).update(made=_made(found))
    return take


def _made(found: Found) -> datetime:
    try:
        return timezone.make_aware(datetime.strptime(found.tags.origination, "%Y-%m-%d %H:%M:%S"))
    except ValueError:
        return timezone.now()


def _key(found: Found) -> str:
    return found.note("FENDO_LINE") or found.tags.line


def _lines(production: Production, recordings: list[Found]) -> tuple[dict[str, Line], int]:
    """The lines of the recordings, in their old order, with words and slot of the newest take; and how many are new."""
    newest: dict[str, Found] = {}
    for found in sorted(recordings, key=lambda one: one.tags.origination):
        newest[_key(found)] = found
    numbers = set(production.lines.values_list("number", flat=True))
    last = production.lines.order_by("-position").values_list("position", flat=True).first()
    position = 0 if last is None else last + 1
    lines: dict[str, Line] = {}
    new = 0
    order = sorted(newest.items(), key=lambda item: (_number(item[1].note("FENDO_POSITION")) or 0, item[1].tags.line))
    for key, found in order:
        own = _id(found.note("FENDO_LINE"))
        known = production.lines.filter(pk=own).first() if own else None
        if known is None:
            number = unused(found.tags.line[:20] or "1", numbers.__contains__, longest=20)
            numbers.add(number)
            start, end = ([*map(_number, found.note("FENDO_SLOT").split()), None, None])[:2]
            slot = (
                {"slot_start": start, "slot_end": end} if start is not None and end is not None and 0 <= start < end else {}
            )
            ids = {"id": own} if own and not Line.objects.filter(pk=own).exists() else {}
            try:
                with transaction.atomic():
                    known = Line.objects.create(
                        production=production, position=position, number=number, text=found.tags.words, **slot, **ids
                    )
            except UNUSABLE:
                continue
            position += 1
            new += 1
        lines[key] = known
    return lines, new


def _take(found: Found, line: Line, folder: Folder, reader: Reader | None) -> Take:
    number = found.tags.take or 1
    while line.takes.filter(number=number).exists():
        number += 1
    name = found.path.name.removesuffix(".part")
    try:
        clock = json.loads(found.note("FENDO_CLOCK") or "{}")
        placed = ClockMap.from_dict(clock) if clock else None
    except (ValueError, RecursionError):
        clock, placed = {}, None
    own = _id(found.note("FENDO_TAKE"))
    # Recordings of before they had an identity of their own have their take's.
    recording = Recording(
        production=line.production,
        folder=folder,
        reader=reader,
        file_name=name[:140],
        cut_off=found.note("FENDO_CUT_OFF") == "yes",
        input=found.note("FENDO_INPUT")[:200],
        start=_number(found.note("FENDO_PROGRAMME_START")) or 0,
        length=found.samples,
        clock=clock,
        within=placed.within if placed else None,
        doubts=[list(doubt) for doubt in placed.doubts] if placed else [],
    )
    recording.id = _id(found.note("FENDO_RECORDING")) or own or recording.id
    recording.save(force_insert=True)
    take = Take(line=line, recording=recording, number=number, words=found.tags.words, cue=_number(found.note("FENDO_CUE")))
    take.id = own or take.id
    take.save(force_insert=True)
    return take
