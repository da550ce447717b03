"""Long work of Polish: scanning what sounds, and making treated voices."""

from dataclasses import replace
from typing import Any

import numpy as np

from fendo_core.polish.joined import joins, seam_places
from fendo_core.polish.neighbours import unlike_places
from fendo_core.polish.places import all_known, stage_for
from fendo_core.polish.scan import CUTS, STAGED, Place, natural_gap, scan
from fendo_core.takes.standing import sounding
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.voice import Comp, render_whole, seams, tighten
from fendo_core.voice.chain import made
from fendo_core.voice.repair import Repair
from fendo_core.voice.treatment import treated
from fendo_server.polish import scans
from fendo_server.productions import state
from fendo_server.productions.models import Production
from fendo_server.takes.comparison import leading_readings
from fendo_server.takes.models import Take
from fendo_server.voice import reading
from fendo_server.voice.models import Recording
from fendo_server.voice.polish import Polish
from fendo_server.voice.seams import jumps_in
from fendo_server.voice.sounding import MAKE_ALL
from fendo_server.work import running

SCAN = "scan the voices"
STRETCH = 60 * SAMPLE_RATE
"""A long recording is scanned in stretches of a minute, which overlap by two seconds."""
_OVERLAP = 2 * SAMPLE_RATE


@running.handles(SCAN)
def scan_voices(progress: running.Progress) -> dict[str, Any]:
    """Scan the recordings of what sounds; `again` those too that were scanned before."""
    production = progress.job.production
    present = state.load(production, spoken=False)
    comps = [comp for _, comp in sounding(present).values()]
    wanted = {name for comp in comps for name in comp.recordings}
    polish, again = Polish(production, present), bool(progress.job.arguments.get("again"))
    recordings = Recording.objects.filter(pk__in=list(wanted), production=production, state=Recording.State.FINISHED)
    if not again:
        recordings = recordings.filter(scan=None)
    found = list(recordings.select_related("production", "folder"))
    usual, joined = natural(production), [comp for comp in comps if joins(comp)]
    steps = len(found) + len(joined)
    for number, recording in enumerate(found):
        progress(number / steps, f"listening to {number + 1} of {len(found)}")
        places = scanned(recording, usual)
        scans.keep(recording, places)
    beside = [(one.take, one.like) for one in leading_readings(present, paced=False)]
    scans.keep_unlike(production, unlike_places(beside, as_recorded=production.speech_level is None))
    known, heard = scans.scans(production), list[tuple[str, Place]]()
    for number, comp in enumerate(joined):
        progress((len(found) + number) / steps, f"listening to the seams of {number + 1} of {len(joined)}")
        if again or not all_known(comp, known):
            heard += _heard_of_seams(comp, polish)
    scans.keep_seams(production, heard, comps)
    production.touch()
    return {"recordings": len(found)}


def _heard_of_seams(comp: Comp, polish: Polish) -> list[tuple[str, Place]]:
    """What is heard of a comp's joins: mended, and untreated."""
    at = seams(comp)
    return seam_places(comp, jumps_in(polish.untreated(comp), [at[seam] for seam in joins(comp)]))


def scanned(recording: Recording, natural: int | None) -> list[Place]:
    """The suspicious places of a recording, in its samples."""
    length = reading.samples_of(recording.path)
    found: dict[tuple[str, int], Place] = {}
    for start in range(0, max(1, length - _OVERLAP), STRETCH - _OVERLAP):
        end = min(length, start + STRETCH)
        for place in scan(reading.read_sound(recording.path, start, end), natural):
            at = Span(place.span.start + start, place.span.end + start)
            before = next((one for one in found.values() if one.kind == place.kind and one.kind in STAGED), None)
            if before:
                found[place.kind, before.span.start] = replace(before, span=Span(before.span.start, at.end))
            elif not any(kind == place.kind and other.span.meets(at) for (kind, _), other in found.items()):
                found[place.kind, at.start] = Place(place.kind, at, place.sure, place.settings)
    return sorted(found.values(), key=lambda place: place.span)


def natural(production: Production) -> int | None:
    """This reader's own gaps between phrases."""
    rows = Take.objects.filter(line__production=production, aside=False).values_list("phrases", flat=True)[:2000]
    return natural_gap([Span(*pair) for pair in phrases] for phrases in rows)


@running.handles(MAKE_ALL)
def make_all(progress: running.Progress) -> dict[str, Any]:
    """Make what sounds for all lines, treated as it is now."""
    production = progress.job.production
    present = state.load(production, spoken=False)
    comps, polish = sounding(present), Polish(production, present)
    for number, (line, (_, comp)) in enumerate(comps.items()):
        progress(number / len(comps), f"treating {number + 1} of {len(comps)}")
        voice = polish.sounding(comp, line)
        if not voice.is_plain:
            voice.make()
    production.touch()
    return {"voices": len(comps)}


def around_seam(production: Production, comp: Comp, span: Span, mend: Repair) -> np.ndarray:
    """A stretch of a comp, programme samples, untreated, with what was mended and one mend more."""
    return np.concatenate(list(Polish(production).untreated(comp, mend).blocks(span.shifted(-comp.at))))


def auditioned(recording: Recording, place: Place, mended: bool) -> np.ndarray:
    """A place with half a second around it: as it was read, or with its mend.

    Raises:
        ValueError: when it can't be mended so.
    """
    first = max(0, place.span.start - SAMPLE_RATE // 2)
    last = min(reading.samples_of(recording.path), place.span.end + SAMPLE_RATE // 2)
    comp, repairs = Comp.of_take(str(recording.pk), Span(first, last), None, 0), tuple[Repair, ...]()
    if mended and place.kind in CUTS:
        comp = tighten(comp, place.span.shifted(-first), int(place.settings["keep"]))
    elif mended:
        repairs = (Repair("", str(recording.pk), place.kind, place.span, place.settings),)
    sound = render_whole(comp, reading.reader_for(recording.production, comp.recordings), repairs)
    if not mended or place.kind not in STAGED:
        return sound
    kind, settings = stage_for(place)
    return treated(sound, made(kind, **{kind: settings}))
