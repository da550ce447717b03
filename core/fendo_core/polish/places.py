"""Which of the places that a scan found are still open in what sounds, and what they are called."""

from collections.abc import Iterable, Mapping, Sequence

from fendo_core.polish.scan import Place
from fendo_core.production.state import State
from fendo_core.takes.standing import sounding
from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds
from fendo_core.voice import Comp
from fendo_core.voice import Place as Map
from fendo_core.voice.repair import Repair

CLOSED_BY = milliseconds(60)


def open_places(comp: Comp, recording: str, places: Iterable[Place], repairs: Sequence[Repair]) -> list[tuple[Place, Span]]:
    """Places of a recording that sound in the comp and of which nothing was said yet, with where they lie in the programme.

    Args:
        places: found in the recording, spans in its samples.
        repairs: of that recording; one of the same kind that meets a place has settled it, whether it is on or off.
    """
    found = []
    for place in places:
        if any(one.kind == place.kind and one.recording == recording and one.span.meets(place.span) for one in repairs):
            continue
        heard = Map(comp).spans_in_programme(recording, [place.span])
        if not heard:
            continue
        at = Span(heard[0].start, max(span.end for span in heard))
        # A gap of which a part was taken out, or that is at the edge of what sounds, is none any more.
        if place.kind == "gap" and (len(heard) > 1 or at.length < place.span.length - CLOSED_BY):
            continue
        found.append((place, at))
    return found


def left(state: State, scans: Mapping[str, Sequence[Place]]) -> int:
    """What is left to do: open places in what sounds for the lines, and one for each line that was not scanned.

    Args:
        scans: places by recording, for those that were scanned.
    """
    count = 0
    by_recording: dict[str, list[Repair]] = {}
    for one in state.repairs.values():
        by_recording.setdefault(one.recording, []).append(one)
    for _, comp in sounding(state).values():
        if comp.recordings - scans.keys():
            count += 1
            continue
        for name in comp.recordings:
            count += len(open_places(comp, name, scans[name], by_recording.get(name, ())))
    return count


def said(place: Place) -> tuple[str, str]:
    """What a place is, and its mend, in words."""
    length = f"{place.span.length / SAMPLE_RATE:.2f} s"
    match place.kind:
        case "breath":
            return f"breath, {length}", f"lower it by {-place.settings.get('decibel', 0.0):g} dB"
        case "click":
            return f"click, {place.span.length * 1000 // SAMPLE_RATE} ms", "draw it anew from what lies beside it"
        case "plosive":
            return f"plosive, {length}", "take away its thump"
        case "gap":
            return f"gap, {length}", f"leave {place.settings.get('keep', 0.0) / SAMPLE_RATE:.2f} s of it"
        case "clipped":
            return f"clipped, {place.span.length * 1000 // SAMPLE_RATE} ms", "read it again"
