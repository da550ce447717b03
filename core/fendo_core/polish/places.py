"""Which of the places that a scan found are still open in what sounds, and what they are called."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from typing import TypeAlias

from fendo_core.polish.joined import seam_of, unheard
from fendo_core.polish.scan import CUTS, STAGED, WHOLE, Place, PlaceKind
from fendo_core.production.refusal import EditRefused
from fendo_core.production.state import State
from fendo_core.takes.standing import sounding
from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds
from fendo_core.voice import Comp
from fendo_core.voice import Place as Map
from fendo_core.voice.chain import PRODUCTION, Chain, made
from fendo_core.voice.comp import CROSSFADE
from fendo_core.voice.repair import LONGEST_TOP, MOST_LOWERED, Repair
from fendo_core.words import ReadCheck

CLOSED_BY = milliseconds(60)


def open_places(
    comp: Comp, recording: str, places: Iterable[Place], repairs: Sequence[Repair], chain: Chain | None = None
) -> list[tuple[Place, Span]]:
    """Places of a recording that sound in the comp and of which nothing was said yet, with where they lie in the programme.

    Args:
        places: found in the recording, spans in its samples.
        repairs: of that recording; one of the same kind that meets a place has settled it, whether it is on or off.
        chain: how the line is treated: a stage of it may have settled a place.
    """
    found, working = [], {stage.kind for stage in chain.working} if chain else set[str]()
    for place in places:
        if STAGED.get(place.kind) in working:
            continue
        if any(one.kind == place.kind and one.recording == recording and one.span.meets(place.span) for one in repairs):
            continue
        if place.kind == "seam":
            around = seam_of(comp, recording, place)
            found += [(place, around)] if around else []
            continue
        sounding = Map(comp).spans_in_programme(recording, [place.span])
        if not sounding:
            continue
        at = Span(sounding[0].start, max(span.end for span in sounding))
        # Of which a part was taken out, or what is at the edge of what sounds, is none any more.
        if place.kind in CUTS and (len(sounding) > 1 or at.length < place.span.length - CLOSED_BY):
            continue
        found.append((place, at))
    return found


LEAD = milliseconds(40)
"""So long before a word's first sound it is cut: the crossfade lies in what is not said yet."""
SURE_AGAIN, SURE_PUT_IN = 0.85, 0.7
"""How often what the read check says is right, on readings that it was not tuned on (docs/takes.md), rounded down."""


def of_words(check: ReadCheck) -> tuple[Place, ...]:
    """What the read check found to be taken out: false starts from their first word to the one that counts, and what was
    put in; spans in samples of the recording. A gap keeps 20 ms of its crossfade on either side."""
    said = sorted((word for word in check.words if word.span), key=lambda word: word.span or Span(0, 1))
    spans = [word.span for word in said if word.span]
    found, settings = list[Place](), {"keep": float(CROSSFADE)}
    n = 0
    while n < len(said):
        last = n
        while last < len(said) and said[last].mark == "again":
            last += 1
        # Broken off at the very end there is nothing that counts: the take itself is amiss then.
        if n < last < len(said):
            start = max(spans[n].start - LEAD, spans[n - 1].end if n else 0, 0)
            found.append(Place("false start", Span(start, max(spans[last].start - LEAD, start + 1)), SURE_AGAIN, settings))
        n = max(last, n + 1)
    for span in check.put_in:
        before = max((one.end for one in spans if one.end <= span.start), default=0)
        behind = min((one.start for one in spans if one.start >= span.end), default=span.end + LEAD)
        wide = Span(max(before, span.start - LEAD), max(span.end, min(behind, span.end + LEAD)))
        found.append(Place("put in", wide, SURE_PUT_IN, settings))
    return tuple(sorted((one for one in found if one.span.length > 2 * CROSSFADE), key=lambda place: place.span))


BY_HAND: dict[PlaceKind, dict[str, float]] = {
    "gain": {"decibel": -6.0},
    "click": {},
    "plosive": {},
    "put in": {"keep": float(CROSSFADE)},
}
"""What can be marked by hand, with the settings that its mend starts with."""
MARKED = tuple(BY_HAND)


def marked(comp: Comp, span: Span, kind: PlaceKind) -> tuple[str, Place]:
    """A place marked by hand in what sounds, with its recording.

    Args:
        span: programme samples.

    Raises:
        EditRefused: when it lies outside of what sounds, or over a seam.
    """
    inside = Span(span.start - comp.at, span.end - comp.at) if span.start >= comp.at else None
    if inside is None or inside.end > comp.length:
        raise EditRefused("A place is marked inside what sounds. Nothing was changed.")
    for segment in comp.segments:
        if segment.span.start <= inside.start and inside.end <= segment.span.end:
            start, end = segment.source_at(inside.start), segment.source_at(inside.end - 1) + 1
            return segment.recording, Place(kind, Span(start, max(end, start + 1)), 1.0, BY_HAND[kind])
    raise EditRefused("This place reaches over a seam. Mark its two sides one by one; nothing was changed.")


def all_known(comp: Comp, scans: Mapping[str, Sequence[Place]]) -> bool:
    """Whether all of a comp was scanned: its recordings, and where they join.

    Args:
        scans: places by recording, for those that were scanned.
    """
    if comp.recordings - scans.keys():
        return False
    return not unheard(comp, ((name, place) for name in comp.recordings for place in scans[name]))


Treated: TypeAlias = Callable[[Comp, str], Chain | None]


def left(state: State, scans: Mapping[str, Sequence[Place]], treated: Treated) -> int:
    """What is left to do: open places in what sounds for the lines, and one for each line that is not `all_known`.

    Args:
        scans: places by recording, for those that were scanned.
        treated: how a comp of a line is treated.
    """
    count = 0
    by_recording: dict[str, list[Repair]] = {}
    for one in state.repairs.values():
        by_recording.setdefault(one.recording, []).append(one)
    for line, (_, comp) in sounding(state).items():
        if not all_known(comp, scans):
            count += 1
            continue
        chain = treated(comp, line)
        for name in comp.recordings:
            count += len(open_places(comp, name, scans[name], by_recording.get(name, ()), chain))
    return count


def said(place: Place) -> tuple[str, str]:
    """What a place is, and its mend, in words."""
    length = f"{place.span.length / SAMPLE_RATE:.2f} s"
    match place.kind:
        case "breath":
            return f"breath, {length}", f"lower it by {-place.settings.get('decibel', 0.0):g} dB"
        case "noise":
            return f"noise between words, {length}", f"lower it by {-place.settings.get('decibel', 0.0):g} dB, to the room"
        case "click":
            return f"click, {place.span.length * 1000 // SAMPLE_RATE} ms", "draw it anew from what lies beside it"
        case "plosive":
            return f"plosive, {length}", "take away its thump"
        case "gap":
            return f"gap, {length}", f"leave {place.settings.get('keep', 0.0) / SAMPLE_RATE:.2f} s of it"
        case "false start":
            return f"false start, {length}", "take it out"
        case "put in":
            return f"something put in, {length}", "take it out"
        case "gain":
            return f"marked, {length}", f"lower it by {-place.settings.get('decibel', 0.0):g} dB"
        case "rumble":
            return f"rumble, {length}", "take away what lies below 140 Hz"
        case "clipped":
            tops = int(place.settings.get("tops", 1))
            times = "once" if tops == 1 else f"{tops} times in {length}"
            return f"clipped {times}", "draw the cut tops anew" if can_be_mended(place) else "read it again"
        case "hum":
            text = f"hum of {place.settings['mains']:.0f} Hz, {place.settings['below']:.0f} dB below the voice"
            return text, "filter the mains and its harmonics out of this line"
        case "dull":
            by, air = -place.settings["by"], place.settings["decibel"]
            return f"{by:.0f} dB duller than the lines around it", f"lift what is above 8 kHz by {air:g} dB in this line"
        case "seam":
            return _of_seam(place)
        case "level":
            by, lifted = place.settings["by"], place.settings["decibel"]
            text = f"{abs(by):.0f} dB {'louder' if by > 0 else 'quieter'} than the lines around it"
            return text, f"{'lift' if lifted > 0 else 'lower'} it by {abs(lifted):g} dB"


def _of_seam(place: Place) -> tuple[str, str]:
    units = {"level": "dB louder", "pitch": "semitones higher", "tone": "dB brighter", "room": "dB more room"}
    less = {"level": "dB quieter", "pitch": "semitones lower", "tone": "dB duller", "room": "dB less room"}
    found = [f"{abs(by):.0f} {(units if by > 0 else less)[name]}" for name in units if (by := place.settings.get(name))]
    text = f"seam: {place.span.length / SAMPLE_RATE:.1f} s, {', '.join(found)}"
    lifted = place.settings["decibel"]
    return text, f"{'lift' if lifted > 0 else 'lower'} it by {abs(lifted):g} dB" if lifted else "choose another take there"


def can_be_mended(place: Place) -> bool:
    """Whether there is a mend; what is clipped for longer than can be drawn anew, or far too loud, is best read again, and
    where no level jumps at a seam, the seam is best moved or another take chosen."""
    if place.kind == "seam":
        return bool(place.settings["decibel"])
    longest, over = place.settings.get("longest", 0.0), place.settings.get("over", 0.0)
    return place.kind != "clipped" or (longest <= LONGEST_TOP and over <= MOST_LOWERED)


def stage_for(place: Place) -> tuple[str, dict[str, float]]:
    """The stage that mends a place of a whole line, with its settings.

    Raises:
        KeyError: where none does.
    """
    kind = STAGED[place.kind]
    air = place.settings.get("decibel", 0.0)
    return kind, {"mains": place.settings["mains"]} if kind == "hum" else {"air": air, "presence": round(air / 3.0, 1)}


def with_stage(chain: Chain | None, kind: str, settings: Mapping[str, float]) -> Chain:
    """A chain with one stage on; of none a chain is made in which nothing else is on."""
    if chain is None:
        return made(f"Only {kind}", **{kind: settings})
    stages = (
        replace(one, on=True, settings={**one.settings, **settings}) if one.kind == kind else one for one in chain.stages
    )
    return replace(chain, stages=tuple(stages))


def treatments(line: str, place: Place, chain: Chain | None, of_all: Chain | None) -> list[tuple[str, Chain]]:
    """The treatments that would mend a place, by scope: of its line alone, and of all lines where that makes sense.

    Args:
        chain: how the line is treated; `of_all` the production.
    """
    if place.kind not in STAGED:
        return []
    stage, settings = stage_for(place)
    scopes = [(f"line:{line}", chain), *([(PRODUCTION, of_all)] if place.kind == "hum" else [])]
    return [(scope, with_stage(one, stage, settings)) for scope, one in scopes]


def as_shown(comp: Comp, recording: str, place: Place, at: Span, longest: int) -> tuple[Place, Span]:
    """A place of a whole reading as far as it sounds in a comp, and by `longest` samples at most; another one as it is.

    Args:
        at: where it lies in the programme.
    """
    if place.kind not in WHOLE:
        return place, at
    own = next(one for one in comp.segments if one.recording == recording and one.source.meets(place.span))
    first = max(own.source.start, place.span.start)
    last = min(own.source.end, place.span.end, first + longest)
    start = comp.at + own.comp_at(first)
    return replace(place, span=Span(first, last)), Span(start, max(comp.at + own.comp_at(last), start + 1))
