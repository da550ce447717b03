"""Handing over as a job: everything is written into a folder out of sight, which gets its name when it is whole."""

import errno
import hashlib
import logging
import os
import shutil
from dataclasses import asdict
from datetime import date
from pathlib import Path
from typing import Any

from django.conf import settings

from fendo_core.booth.naming import PatternError, safe_name, unused
from fendo_core.handover.order import STEMS, Order, OrderRefused
from fendo_core.picture import codec
from fendo_core.words import LISTENS
from fendo_server.handover.models import Handover
from fendo_server.handover.plan import Plan, plan
from fendo_server.handover.writing import Writer, synced
from fendo_server.productions.models import Production
from fendo_server.work import running
from fendo_server.work.models import Job

log = logging.getLogger("fendo")

KIND = "hand over"
_COST = {"voice": 1.0, "film": 6.0, "slides": 4.0, "mix": 2.0, "bed": 2.0}
"""About how long a part takes, by the length of the programme, against one line of that length."""


def _lane(job: Job) -> running.Lane:
    """What is as long as the programme takes its time; lines are written in seconds."""
    return "long" if _COST.keys() & set(job.arguments["order"].get("parts", ())) else "short"


@running.handles(KIND, _lane)
def hand_over(progress: running.Progress) -> dict[str, Any]:
    """Write what an order asks for."""
    production = progress.job.production
    try:
        order = Order.from_row(progress.job.arguments["order"])
        found = plan(production, order)
    except (OrderRefused, PatternError) as refused:
        raise running.JobFailed(str(refused)) from refused
    if found.stops:
        raise running.JobFailed(found.stops)
    making = _making(progress.job)
    try:
        writer = Writer(production, found, making)
        _write(writer, found, progress)
        progress(0.98, "checking what was written")
        files = _summed(making)
        synced(making)
        progress.still_wanted()
        kept = _publish(production, order, making)
    except codec.CodecFailed as error:
        log.error("handing over: %s", error)
        raise running.JobFailed("The codec gave up on it, so nothing was kept. Takes and picture are safe.") from error
    finally:
        shutil.rmtree(making, ignore_errors=True)
    made = Handover.objects.create(
        production=production,
        folder=kept.name,
        order=order.as_row(),
        files=files,
        lines={one.spoken.line.id: one.state(order) for one in found.leaving},
        placed={one.path: asdict(one.handed) for one in found.leaving},
        findings=[asdict(one) for one in found.findings],
        limited=writer.limited,
    )
    return {"handover": str(made.pk), "folder": kept.name, "files": len(files), "bytes": sum(one["bytes"] for one in files)}


def _making(job: Job) -> Path:
    """Where a handover grows: outside the production's folder, so that nothing half-finished is ever seen there.

    Each attempt has its own: what a killed worker's codec still writes is not ours.
    """
    folder = settings.DATA / "making"
    folder.mkdir(parents=True, exist_ok=True)
    for left in folder.glob(f"{job.pk}-*"):
        shutil.rmtree(left, ignore_errors=True)
    made = folder / f"{job.pk}-{job.attempts}"
    made.mkdir()
    return made


def _write(writer: Writer, found: Plan, progress: running.Progress) -> None:
    """All parts, one after another; each takes its share of the job."""
    parts, lines = found.order.parts, sum(one.span.length for one in found.leaving)
    costs = {"lines": float(lines), **{part: cost * found.length for part, cost in _COST.items()}}
    costs |= {part: float(found.length * len(found.others.get(part, ()))) for part in STEMS}
    costs |= {"takes": lines * 0.2, "sources": found.length * 0.2}
    whole, done = sum(costs.get(part, 0.0) for part in parts) or 1.0, 0.0
    for part in parts:
        first = done / whole * 0.97
        done += costs.get(part, 0.0)
        last = done / whole * 0.97
        names = [name for name, _ in found.others.get(part, ())]
        match part:
            case "lines":
                report = progress.part(first, last, "writing the lines")
                for count, one in enumerate(found.leaving):
                    writer.line(one)
                    report((count + 1) / len(found.leaving))
            case "voice":
                reader = writer.production.reader.name if writer.production.reader else ""
                writer.whole_voice(names[0], found.leaving, reader, progress.part(first, last, "writing the whole voice"))
            case "readers" | "folders":
                groups = found.stems[part]
                for count, (name, (group, leaving)) in enumerate(zip(names, groups.items(), strict=True)):
                    share = (last - first) / len(groups)
                    begin = first + count * share
                    report = progress.part(begin, begin + share, f"writing the voice of {group}")
                    writer.whole_voice(name, leaving, group if part == "readers" else "", report)
            case "film":
                writer.film(names[0], progress, first, last)
            case "slides":
                writer.slides(names, progress, first, last)
            case "mix" | "bed":
                writer.programme(names[0], part == "mix", progress.part(first, last, f"writing the {part}"))
            case "subtitles":
                writer.subtitles(*names)
            case "script":
                writer.script(*names)
            case "timeline":
                writer.timelines(*names)
            case "takes":
                writer.takes(progress.part(first, last, "copying the takes"))
            case "sources":
                writer.sources(progress.part(first, last, "copying the picture"))
    kinds = "as they sound in the programme" if found.order.sound == "treated" else "as they were recorded"
    told = [f"“{found.order.name}”, {date.today().isoformat()}. {len(found.leaving)} lines, {kinds}."]
    if writer.production.language not in LISTENS:
        told.append("Whether the words are the script’s was not checked: that is done in English only.")
    writer.papers(told)


def _summed(folder: Path) -> list[dict[str, Any]]:
    """Every file with its size and checksums; the lists of these are added to the folder, in the form that
    `sha256sum -c` and `md5sum -c` read."""
    found = [_sums(folder, path) for path in sorted(path for path in folder.rglob("*") if path.is_file())]
    lists = []
    for kind in ("sha256", "md5"):
        path = folder / f"checksums.{kind}"
        path.write_text("".join(f"{one[kind]}  {one['path']}\n" for one in found), encoding="utf-8")
        lists.append(_sums(folder, path))
    return [*found, *lists]


def _sums(folder: Path, path: Path) -> dict[str, Any]:
    sha, md5 = hashlib.sha256(), hashlib.md5(usedforsecurity=False)
    with path.open("rb") as file:
        while data := file.read(1 << 20):
            sha.update(data)
            md5.update(data)
    name = path.relative_to(folder).as_posix()
    return {"path": name, "bytes": path.stat().st_size, "sha256": sha.hexdigest(), "md5": md5.hexdigest()}


def _publish(production: Production, order: Order, making: Path) -> Path:
    """The whole folder under its name, in the production's folder."""
    shelf = settings.MEDIA / production.directory / "Handover"
    shelf.mkdir(parents=True, exist_ok=True)
    known = set(production.handovers.values_list("folder", flat=True))
    stem = safe_name(f"{date.today().isoformat()} {order.name}", 100)
    target = shelf / unused(stem, lambda name: name in known or (shelf / name).exists())
    making.chmod(0o755)
    try:
        os.replace(making, target)
    except OSError as error:
        if error.errno != errno.EXDEV:
            raise
        # The production lies on another disk: the folder comes under a name that nobody takes for the finished one.
        arriving = target.with_name(f".{target.name}.part")
        try:
            shutil.copytree(making, arriving)
            synced(arriving)
            os.replace(arriving, target)
        finally:
            shutil.rmtree(arriving, ignore_errors=True)
    return target
