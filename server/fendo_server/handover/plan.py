"""An order worked out for a production as it is now: the lines, the files with their names, and what is to be known."""

import hashlib
import shutil
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date

from django.conf import settings
from django.db.models import Sum

from fendo_core.booth.naming import NameParts, safe_name, unused
from fendo_core.handover.checks import Finding, Read, check
from fendo_core.handover.forms import FORMS
from fendo_core.handover.names import LineParts, Named, names_of
from fendo_core.handover.order import STEMS, Order, OrderRefused, Stems
from fendo_core.handover.returning import Handed
from fendo_core.handover.slides import slides_of
from fendo_core.picture.reel import ReelShot, spans
from fendo_core.production.state import State
from fendo_core.script.lines import Line
from fendo_core.takes.standing import is_scratch
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.voice import Comp, Segment, key
from fendo_core.voice.samples import ProgrammeSample
from fendo_server.handover.programme import Spoken, spoken
from fendo_server.picture.models import Source
from fendo_server.productions import state
from fendo_server.productions.models import Production
from fendo_server.voice.models import Recording

FILM_BYTES_A_SECOND = 600_000
SLIDE_BYTES_A_SECOND = 60_000
PCM_BYTES_A_SECOND = SAMPLE_RATE * 3


@dataclass(frozen=True)
class Leaving:
    """A line that leaves: what sounds, the programme span of its file, and the file's name."""

    spoken: Spoken
    span: Span
    named: Named

    @property
    def path(self) -> str:
        """Its file in the folder."""
        return f"Lines/{self.named.name}"

    @property
    def handed(self) -> Handed:
        """What is remembered of where it was."""
        one = self.spoken
        return Handed(one.line.id, one.line.number, one.voice, one.comp.at, self.span.start, self.span.length)

    def state(self, order: Order) -> str:
        """Tells whether it would be the same file again."""
        one = self.spoken
        # As recorded neither treatment nor level matters.
        sound = (one.sounding.key, one.gain) if order.sound == "treated" else (key(one.comp), 0.0)
        said = (*sound, self.span, self.path, one.provisional, order.sound, order.form, order.channels)
        return hashlib.sha256(repr(said).encode()).hexdigest()[:32]


@dataclass(frozen=True)
class Plan:
    """What an order means.

    Attributes:
        others: the files besides those of the lines, by part: path and about how many bytes.
        stems: the lines of each file of a part that is the whole voice in several, in the order of its `others`.
        lift: dB by which everything is louder than in the production; the voices have it in their gain.
    """

    order: Order
    present: State
    leaving: tuple[Leaving, ...]
    others: dict[str, list[tuple[str, int]]]
    findings: tuple[Finding, ...]
    length: int
    size: int
    lift: float
    stems: dict[Stems, dict[str, list[Leaving]]]

    @property
    def stops(self) -> str:
        """Why nothing can be written; empty when it can."""
        return next((one.says for one in self.findings if one.stops), "")


def plan(production: Production, order: Order) -> Plan:
    """Work out an order.

    Raises:
        OrderRefused: when it chooses something that is not there.
        PatternError: for a pattern of names that can't make any.
    """
    present = state.load(production, spoken=False)
    # What leaves at a level of its own is lifted, voices and all else alike; the ceiling holds it.
    level = production.speech_level if order.level is None else order.level
    lift = level - production.speech_level if level is not None and production.speech_level is not None else 0.0
    read = [replace(one, gain=one.gain + lift) for one in spoken(production, present)]
    chosen = _chosen(order, present, read)
    leaving = _leaving(production, order, present, [one for one in read if one.line.id in chosen])
    if order.which == "changed":
        left = _left(production, order)
        leaving = [one for one in leaving if one.state(order) != left.get(one.spoken.line.id)]
    lines = [line for line in present.lines if line.id in chosen and not line.dropped]
    # Without a picture the programme is as long as what is read in it.
    ends = [one.comp.span.end for one in read] if not present.clips else []
    length = max([present.length, *ends], default=0)
    apart = _stems(order, present, leaving)
    others = _others(production, order, present, length, apart)
    size = sum(bytes_ for files in others.values() for _, bytes_ in files)
    if "lines" in order.parts:
        size += sum(FORMS[order.form].bytes_of(one.span.length, order.channels) for one in leaving)
    findings = _findings(production, order, present, lines, leaving, others, size)
    return Plan(order, present, tuple(leaving), others, tuple(findings), length, size, lift, apart)


def _left(production: Production, order: Order) -> dict[str, str]:
    """How each line left the last time under the order's name, by line."""
    left: dict[str, str] = {}
    for one in production.handovers.filter(order__name=order.name).order_by("made"):
        left |= one.lines
    if not left:
        raise OrderRefused(f"Nothing was handed over as “{order.name}” yet, so nothing can have changed since.")
    return left


def _chosen(order: Order, present: State, read: Sequence[Spoken]) -> set[str]:
    """Identities of the lines that an order speaks of, read or not."""
    match order.which:
        case "picked":
            return {one.line.id for one in read if not one.provisional}
        case "folder":
            return {one.line.id for one in read if one.folder in order.of}
        case "marked":
            return {one.line.id for one in read if _mark(present, one) in order.of}
        case "shots":
            return _in_shots(present, read, order.of)
        case "reader":
            return {line.id for line in present.lines if present.reader_of(line) in order.of}
        case "chosen":
            return set(order.of)
        case _:
            return {line.id for line in present.lines}


def _mark(present: State, one: Spoken) -> str:
    noted = present.notes.get(one.voice)
    return noted.mark if noted else ""


def _shot_at(shots: Sequence[ReelShot], at: int) -> int | None:
    """Which shot holds a programme sample, from 0."""
    return next((n for n, shot in enumerate(shots) if shot.span.holds(at)), None)


def _in_shots(present: State, read: Sequence[Spoken], wanted: Collection[str]) -> set[str]:
    """The lines that begin in some shots, by their slots or, without one, by where they are read; shots count from 1."""
    starts: dict[str, int] = {one.line.id: one.comp.at for one in read}
    starts |= {line.id: line.slot.start for line in present.lines if line.slot}
    shots = present.reel_shots
    found = {line: _shot_at(shots, at) for line, at in starts.items()}
    return {line for line, shot in found.items() if shot is not None and str(shot + 1) in wanted}


def _with_handles(one: Spoken) -> Comp:
    """All that was recorded for a take; of a comp that somebody made, the comp."""
    if one.take is None:
        return one.comp
    whole = Span(one.take.first, one.take.last)
    return Comp(
        segments=(Segment(str(one.take.recording_id), whole),), at=ProgrammeSample(one.take.placed + one.take.first)
    )


def comp_that_leaves(one: Spoken, order: Order) -> Comp:
    """What of a line goes into its file, untreated."""
    return _with_handles(one) if order.edges == "handles" else one.comp


def _leaving(production: Production, order: Order, present: State, read: Sequence[Spoken]) -> list[Leaving]:
    edges = spans(present.clips, present.rate) if present.clips else []
    shots, today = present.reel_shots, date.today().isoformat()
    parts = []
    for one in read:
        at = one.line.slot.start if one.line.slot else one.comp.at
        shot = _shot_at(shots, at)
        parts.append(
            LineParts(
                take=one.takes,
                common=NameParts(
                    production=production.name,
                    folder=one.folder,
                    line=one.line.number,
                    words=one.line.text,
                    reader=present.reader_name(one.line),
                    date=today,
                    take=1,
                ),
                shot="no shot" if shot is None else shots[shot].name or f"shot {shot + 1:03}",
                slide=next((n for n, span in enumerate(edges, start=1) if span.holds(at)), 0),
            )
        )
    names = names_of(order.names, parts, FORMS[order.form].ending)
    made = []
    for one, named in zip(read, names, strict=True):
        slot = one.line.slot if order.edges == "slot" else None
        made.append(Leaving(one, slot or comp_that_leaves(one, order).span, named))
    return made


def _stems(order: Order, present: State, leaving: Sequence[Leaving]) -> dict[Stems, dict[str, list[Leaving]]]:
    """Lines by who reads them, and by the folder of their takes, as far as an order wants them apart."""
    found: dict[Stems, dict[str, list[Leaving]]] = {}
    for part in STEMS:
        if part not in order.parts:
            continue
        groups: dict[str, list[Leaving]] = {}
        for one in leaving:
            name = present.reader_name(one.spoken.line) if part == "readers" else one.spoken.folder
            groups.setdefault(name or "no reader", []).append(one)
        found[part] = groups
    return found


def _others(
    production: Production,
    order: Order,
    present: State,
    length: int,
    apart: Mapping[Stems, Mapping[str, Sequence[Leaving]]],
) -> dict[str, list[tuple[str, int]]]:
    """The files besides those of the lines, by part."""
    stem, seconds, form = safe_name(production.name, 90), length // SAMPLE_RATE, FORMS[order.form]
    stereo = 2 * seconds * PCM_BYTES_A_SECOND
    known = {
        "voice": [(f"{stem} voice{form.ending}", form.bytes_of(length, order.channels))],
        "film": [(f"{stem} with narration.{order.film}", seconds * FILM_BYTES_A_SECOND)],
        "slides": [
            (f"Slides/{one.name}", one.span.length * SLIDE_BYTES_A_SECOND // SAMPLE_RATE)
            for one in slides_of(present.clips, present.sources, present.rate, f".{order.film}")
        ],
        "mix": [(f"{stem} mix.wav", stereo)],
        "bed": [(f"{stem} without the voice.wav", stereo)],
        "subtitles": [(f"{stem}.srt", 0), (f"{stem}.vtt", 0)],
        "script": [(f"{stem} script.csv", 0), (f"{stem} script.txt", 0)],
        "timeline": [(f"{stem}.otio", 0), (f"{stem}.edl", 0)],
    }
    found: dict[str, list[tuple[str, int]]] = {part: files for part, files in known.items() if part in order.parts}
    taken: set[str] = set()
    for part, groups in apart.items():
        for name in groups:
            # Two readers whose names differ by what no file system keeps have a file each.
            file = unused(f"{stem} voice {safe_name(name, 60)}", lambda each: each.lower() in taken, form.ending)
            taken.add(file.lower())
            found.setdefault(part, []).append((file, form.bytes_of(length, order.channels)))
    if "takes" in order.parts:
        rows = Recording.objects.filter(production=production, state=Recording.State.FINISHED)
        whole = rows.aggregate(samples=Sum("length"))["samples"] or 0
        found["takes"] = [("Production/", whole * 3), ("Production/production.json", 0)]
    if "sources" in order.parts:
        there = [one.original for one in production.sources.all() if one.original.is_file()]
        found["sources"] = [(f"Production/Picture/{path.name}", path.stat().st_size) for path in there]
    return found


def _findings(
    production: Production,
    order: Order,
    present: State,
    lines: list[Line],
    leaving: Sequence[Leaving],
    others: Mapping[str, list[tuple[str, int]]],
    size: int,
) -> list[Finding]:
    found: list[Finding] = []
    if order.level is not None and production.speech_level is None:
        says = "Lines keep the level at which they were recorded. Choose a level of speech first."
        found.append(Finding("level", says, "polish", stops=True))
    needs_voice = {"lines", "voice", *STEMS, "film", "slides", "mix", "subtitles", "timeline"} & set(order.parts)
    if needs_voice and not leaving:
        says = "Nothing has changed since." if order.which == "changed" else "None of these lines has been read yet."
        found.append(Finding("no take", says, "booth", stops=True))
    if {"film", "slides", "mix", "bed"} & set(order.parts) and not present.clips:
        says = "There is no picture, so there is no film, mix or bed. Leave them out, or bring a picture in."
        found.append(Finding("hole", says, "picture", stops=True))
    elif "slides" in order.parts and not others["slides"]:
        says = "There are no slides, stills or cards in the picture. Leave them out."
        found.append(Finding("hole", says, "picture", stops=True))
    lost = Source.objects.filter(production=production, state=Source.State.FAILED).values_list("name", flat=True)
    if lost:
        found.append(Finding("missing", f"“{lost[0]}” is missing or damaged.", "picture"))
    holes = sum(1 for clip in present.clips if clip.is_hole)
    if "film" in order.parts and holes:
        cards = "one card" if holes == 1 else f"{holes} cards"
        found.append(Finding("hole", f"The film has {cards} where picture is missing.", "picture"))
    reads = []
    for one in leaving:
        take, chain = one.spoken.take, one.spoken.sounding.comp.treatment
        reads.append(
            Read(
                one.spoken.line,
                one.spoken.speech,
                one.spoken.provisional,
                clipped=len(take.clipped) if take else 0,
                doubts=tuple(words for _, words in take.recording.doubts) if take else (),
                cut_off=bool(take and take.recording.cut_off),
                words=(take.words or None) if take else None,
                treated=bool(chain and chain.working),
                scratch=is_scratch(present, one.spoken.voice),
            )
        )
    wanted = [line for line in lines if order.which != "changed" or line.id in {one.line.id for one in reads}]
    found += check(wanted, reads, bool(present.clips), order.sound == "treated")
    told = [one for one in leaving if one.named.clash]
    if "lines" in order.parts and told:
        count = len(told)
        says = f"{count} name{'s' if count > 1 else ''} would be the same as another’s and got a number in brackets."
        found.append(Finding("name", says, "", tuple(one.spoken.line.id for one in told)))
    if "lines" in order.parts and any(one.named.changed for one in leaving):
        found.append(Finding("name", "Some names hold what file systems refuse; it was left out.", ""))
    free = shutil.disk_usage(settings.MEDIA).free
    if size > free * 0.95:
        needed = f"About {size / 1e9:.1f} GB would be written, but the disk has {free / 1e9:.1f} GB left."
        found.append(Finding("disk", f"{needed} Make room, or choose less.", "", stops=True))
    return found
