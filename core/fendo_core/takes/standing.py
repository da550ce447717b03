"""What stands for a line: the pick, or as long as there is none the reading to begin with; and what edits do to it."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from fendo_core.picture.laid import LaidSound, own_sounds, room_under
from fendo_core.production.refusal import EditRefused
from fendo_core.production.state import SCRATCH, LineComp, State, TakeRef
from fendo_core.script.lines import Line
from fendo_core.takes.ranking import Candidate, first_of
from fendo_core.timebase import SAMPLE_RATE, Span, TimecodeError, typed_position
from fendo_core.voice import Comp, Place, move_seam, shifted
from fendo_core.voice.samples import RecordingSample

FURTHEST = 24 * 3600 * SAMPLE_RATE
"""A voice lies within a day of the programme's beginning."""


@dataclass(frozen=True, slots=True)
class Standing:
    """A take or a comp, by identity, that sounds for a line; `provisional` as long as nobody picked it."""

    voice: str
    provisional: bool


def standing(state: State, line: Line) -> Standing | None:
    """What sounds for a line: its pick; else that of its reader's takes which is to be tried first (`takes.ranking`).

    Takes that were set aside, and those in which nobody speaks, never sound unpicked. What was just joined stands: the
    newest comp that the newest take is part of. A take that is part of a comp stands as the newest of these. A pick-up is
    a part of the line: by itself it stands only where there is nothing else. None where nothing was read.
    """
    picked = state.picks.get(line.id)
    if picked:
        return Standing(picked, False)
    reader = state.reader_of(line)
    usable = [
        take
        for take in reversed(state.takes.get(line.id, ()))
        if take.sounds and take.id not in state.aside and (not reader or take.reader == reader)
    ]
    if not usable:
        return None
    newest = next((take for take in usable if not is_scratch(state, take.id)), usable[0])
    joined = _newest_comp(state.comps, line.id, newest)
    if joined:
        return Standing(joined, True)
    whole = [take for take in usable if not take.is_pickup] or usable
    by_id = {take.id: take for take in whole}
    found = by_id[first_of([_candidate(state, line, take) for take in whole]).id]
    return Standing(_newest_comp(state.comps, line.id, found) or found.id, True)


def leading_take(state: State, line: Line) -> TakeRef | None:
    """The take that is heard of a line, or most of it where a comp stands for it; None where nothing was read."""
    found = None if line.dropped else standing(state, line)
    if found is None:
        return None
    comp = next((one.comp for one in state.comps if one.id == found.voice), None)
    longest = max(comp.segments, key=lambda each: each.span.length).recording if comp else None
    taken = state.takes.get(line.id, ())
    return next((take for take in taken if take.id == found.voice or take.recording == longest), None)


def first_suggestions(state: State) -> tuple[int, int]:
    """How often what was picked is the take that would have been suggested first; of how many lines with two takes or more.

    A comp counts for the one take that it is made of: trimmed, moved in phrases, mended it is the same reading.
    """
    found = of = 0
    by_comp = {one.id: one.comp.recordings for one in state.comps}
    for line in state.lines:
        pick, reader = state.picks.get(line.id), state.reader_of(line)
        takes = [
            take
            for take in state.takes.get(line.id, ())
            if take.sounds and not take.is_pickup and (not reader or take.reader == reader)
        ]
        if line.dropped or pick is None or len(takes) < 2:
            continue
        first = first_of([_candidate(state, line, take) for take in takes]).id
        recordings = frozenset(take.recording for take in takes if take.id == first)
        of += 1
        found += pick == first or by_comp.get(pick) == recordings
    return found, of


def _candidate(state: State, line: Line, take: TakeRef) -> Candidate:
    """A take by what is known of it, where it was read: moved, it doesn't give way to another one."""
    slot = line.slot
    return Candidate(
        take.id,
        take.number,
        scratch=is_scratch(state, take.id),
        whole=take.whole,
        amiss=take.amiss,
        clipped=take.clipped,
        late=None if slot is None or take.speaks is None else take.start + take.speaks - slot.start,
        past_end=_past_end(line, take),
        level=take.level,
    )


def _past_end(line: Line, take: TakeRef) -> int | None:
    if take.speaks is None or take.ends is None:
        return None
    if line.slot is not None:
        return take.start + take.ends - line.slot.end
    return take.ends - take.speaks - line.wanted_length if line.wanted_length else None


def is_scratch(state: State, take: str) -> bool:
    """Whether a take only holds a place until the real reading is there."""
    noted = state.notes.get(take)
    return noted is not None and noted.mark == SCRATCH


def name_of(state: State, line: str, comp: Comp) -> str:
    """What a comp of a line is called: the takes that it is made of, by their numbers, in order: takes 1 + 3."""
    numbers = {take.recording: take.number for take in state.takes.get(line, ())}
    used: list[str] = []
    for segment in comp.segments:
        number = str(numbers.get(segment.recording, "?"))
        if not used or used[-1] != number:
            used.append(number)
    return f"takes {' + '.join(used)}"[:80]


def _newest_comp(comps: Sequence[LineComp], line: str, take: TakeRef) -> str | None:
    return next((one.id for one in reversed(comps) if one.line == line and take.recording in one.comp.recordings), None)


def comp_of(state: State, voice: str) -> Comp | None:
    """How a take or a comp sounds where it lies now, untreated; None when it is not there, or is recorded still."""
    for one in state.comps:
        if one.id == voice:
            return one.comp
    return _of_take(state, take_of(state, voice))


def _of_take(state: State, take: TakeRef | None) -> Comp | None:
    """How a take sounds where it lies now, untreated."""
    if take is None or not take.last:
        return None
    spoken = Span(take.speaks, take.ends) if take.speaks is not None and take.ends is not None else None
    return Comp.of_take(take.recording, Span(take.first, take.last), spoken, state.places.get(take.id, take.start))


def take_of(state: State, voice: str) -> TakeRef | None:
    """A take by its identity."""
    return next((take for taken in state.takes.values() for take in taken if take.id == voice), None)


def sounding(state: State) -> dict[str, tuple[str, Comp]]:
    """What sounds for each line that was read, by line: its identity, and the comp, untreated."""
    found, comps = {}, {one.id: one.comp for one in state.comps}
    for line in state.lines:
        one = None if line.dropped else standing(state, line)
        if one is None:
            continue
        # Looked for among the line's own takes: a production may have thousands.
        own = (take for take in state.takes.get(line.id, ()) if take.id == one.voice)
        comp = comps.get(one.voice) or _of_take(state, next(own, None))
        if comp:
            found[line.id] = (one.voice, comp)
    return found


def as_joined(state: State, line: str, voice: str) -> str:
    """A pick-up that was joined to what was read before it stands as that comp: by itself it is a part of the line."""
    take = next((take for take in state.takes.get(line, ()) if take.id == voice), None)
    if take is None or not take.is_pickup:
        return voice
    return _newest_comp(state.comps, line, take) or voice


def moved(state: State, voice: str, by: int) -> tuple[State, str]:
    """A take or a comp that begins `by` samples later; nothing else moves.

    Raises:
        EditRefused: when it is not there, or would leave the programme by more than a day.
    """
    for index, one in enumerate(state.comps):
        if one.id == voice:
            _checked(one.comp.at + by)
            new = replace(one, comp=shifted(one.comp, by))
            return replace(state, comps=(*state.comps[:index], new, *state.comps[index + 1 :])), f"{one.name} moved"
    for take in (each for taken in state.takes.values() for each in taken):
        if take.id == voice:
            place = _checked(state.places.get(voice, take.start) + by)
            places = {key: at for key, at in state.places.items() if key != voice}
            if place != take.start:
                places[voice] = place
            return replace(state, places=places), f"take {take.number} moved"
    raise EditRefused("This take is no longer there. Nothing was moved; undo may bring it back.")


def distance(state: State, voice: str, timecode: str | None) -> int:
    """Samples from the first word of a take or a comp to a place as it is typed; to its line's slot when none is given.

    Raises:
        EditRefused: when it is not known where somebody speaks, the line has no slot, or the timecode is none.
    """
    line, speaks = _first_word(state, voice)
    if timecode is not None:
        try:
            return typed_position(timecode, state.rate, state.start_frame, state.length, max(0, speaks)) - speaks
        except TimecodeError as error:
            raise EditRefused(f"{error}. Nothing was moved.") from error
    slot = next((each.slot for each in state.lines if each.id == line), None)
    if slot is None:
        raise EditRefused("This line has no slot to begin with. Set its start in Script, or type a place.")
    return slot.start - speaks


def _first_word(state: State, voice: str) -> tuple[str, int]:
    """The line of a take or a comp, and the programme sample at which somebody begins to speak in it."""
    refs = {take.recording: take for taken in state.takes.values() for take in taken if take.speaks is not None}
    for one in state.comps:
        if one.id == voice:
            place = Place(one.comp)
            for segment in one.comp.segments:
                speaks = refs[segment.recording].speaks if segment.recording in refs else None
                at = None if speaks is None else place.in_programme(segment.recording, RecordingSample(speaks))
                if at is not None:
                    return one.line, at
            return one.line, one.comp.at
    for line, taken in state.takes.items():
        for take in taken:
            if take.id == voice and take.speaks is not None:
                return line, state.places.get(voice, take.start) + take.speaks
    raise EditRefused("It is not known where somebody speaks in this take. Nothing was moved.")


def _checked(at: int) -> int:
    if not -FURTHEST <= at <= FURTHEST:
        raise EditRefused("A take can’t lie more than a day from the programme’s beginning. Nothing was moved.")
    return at


def with_comp(state: State, made: LineComp, replaces: str | None) -> State:
    """A comp made for a line. Where what it `replaces` was picked, the comp is now: it was made to mend that."""
    picks = dict(state.picks)
    if replaces is not None and picks.get(made.line) == replaces:
        picks[made.line] = made.id
    return replace(state, comps=(*state.comps, made), picks=picks)


def silence(line: Line, found: Standing | None) -> Span | None:
    """Where the film's own sound is silent for a line: in its slot, if it replaces what the film says and sounds itself."""
    return line.slot if line.silences and found and not line.dropped else None


def silenced(state: State) -> tuple[Span, ...]:
    """All stretches of the programme in which the film's own sound is silent."""
    asked = (silence(line, standing(state, line)) for line in state.lines if line.silences)
    return tuple(span for span in asked if span)


def rooms_under(state: State, silences: Sequence[Span]) -> list[tuple[LaidSound, ...]]:
    """The film's own room under stretches of the programme in which its sound is silent: for each of them parts of its
    clips' sounds."""
    owned = own_sounds(state.clips, state.sources, state.rate) if silences else ()
    own = [sound for sound in owned if sound.bed != "muted"]
    return [
        tuple(
            part
            for sound in own
            if sound.span.meets(silent)
            for part in room_under(sound, silent, state.sources[sound.source].quiet)
        )
        for silent in silences
    ]


def _found(state: State, comp: str) -> int:
    for index, one in enumerate(state.comps):
        if one.id == comp:
            return index
    raise EditRefused("This comp is no longer there. Nothing was changed; undo may bring it back.")


def with_seam(state: State, comp: str, seam: int, to: int) -> tuple[State, str]:
    """A comp with one of its seams at sample `to` of it.

    Raises:
        EditRefused: when the seam can't lie there.
    """
    index = _found(state, comp)
    one = state.comps[index]
    try:
        new = replace(one, comp=move_seam(one.comp, seam, to, state.lengths))
    except ValueError as error:
        raise EditRefused(f"The seam can’t lie there: {error}. It stays where it was.") from error
    return replace(state, comps=(*state.comps[:index], new, *state.comps[index + 1 :])), f"seam of {one.name}"


def apart(state: State, comp: str) -> tuple[State, str]:
    """A comp taken apart: it is gone, and a pick of it with it. The takes stay, and so does how they sound alone."""
    index = _found(state, comp)
    picks = {line: voice for line, voice in state.picks.items() if voice != comp}
    comps = (*state.comps[:index], *state.comps[index + 1 :])
    return replace(state, comps=comps, picks=picks), f"{state.comps[index].name} separated"
