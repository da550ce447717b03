"""Comps made out of what was read: words of one reading put into another, and a reading fitted to an old one."""

from collections.abc import Callable, Collection, Iterable, Mapping
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np

from fendo_core.audio.levels import gain
from fendo_core.audio.speech import hear
from fendo_core.picture.film import read_sound as read_source
from fendo_core.picture.laid import LaidSound, one_channel, own_sounds
from fendo_core.production import edits
from fendo_core.production.state import State
from fendo_core.script.lines import Line as CoreLine
from fendo_core.script.lines import tokens
from fendo_core.takes.fitting import Fitted, Words, fitted, proposed
from fendo_core.takes.standing import comp_of, name_of, take_of
from fendo_core.takes.weaving import CantWeave, weave, words_in
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.voice import Comp, Place, Read
from fendo_core.voice.assembly import room_tone
from fendo_core.voice.comp import RoomTone
from fendo_server.problems import Problem
from fendo_server.productions import changes, state
from fendo_server.productions.models import Change, Production
from fendo_server.script.models import Line
from fendo_server.takes.description import spoken_in
from fendo_server.takes.models import Take
from fendo_server.takes.words import LineWords, words_of
from fendo_server.voice.reading import reader_for

FILM = "film"
"""The guide that is the film's own sound."""
AROUND = SAMPLE_RATE
"""So much of the film's sound around a slot is listened to as well: an old line may begin before it, or end after it."""
MOST_LIFT = 6.0
"""dB by which words are lifted or lowered at most to be as loud as the reading that they are put into."""


@dataclass(frozen=True)
class Reading:
    """A take or a comp of a line, with what is known of its words."""

    id: str
    name: str
    reader: str
    comp: Comp
    phrases: tuple[Span, ...]
    words: Words
    loudness: float | None


class LineReadings:
    """The readings of one line: what they all need is read once."""

    def __init__(self, line: Line, present: State | None = None) -> None:
        self.production: Production = line.production
        self.present: State = present or state.load(self.production, spoken=False)
        found = next((one for one in self.present.lines if one.id == str(line.pk) and not one.dropped), None)
        if found is None:
            raise Problem(422, "Not possible", "This line was dropped. Undo may bring it back.")
        self.line: CoreLine = found
        self.heard = words_of([line.pk]).get(found.id, LineWords())

    def reading(self, voice: str) -> Reading:
        """One of them, where it lies now.

        Raises:
            Problem: when it is not one of this line's, or nobody speaks in it.
        """
        one = next((one for one in self.present.comps if one.id == voice and one.line == self.line.id), None)
        take = next((each for each in self.present.takes.get(self.line.id, ()) if each.id == voice), None)
        comp = comp_of(self.present, voice) if one or take else None
        if comp is None:
            raise Problem(422, "Not possible", "This reading is not one of this line’s finished ones. Nothing was changed.")
        name = one.name if one else f"take {take.number}" if take else ""
        reader = one.reader if one else take.reader if take else ""
        phrases = Place(comp).all_in_programme(spoken_in(self.production, [comp]))
        if not phrases:
            raise Problem(422, "Not possible", f"Nobody is heard in {name}. Nothing was changed.")
        levels = Take.objects.filter(line_id=self.line.id, recording__in=list(comp.recordings), loudness__isnull=False)
        known = [loudness for loudness in levels.values_list("loudness", flat=True) if loudness is not None]
        loudness = float(np.mean(known)) if known else None
        return Reading(voice, name, reader, comp, phrases, words_in(comp, self.heard.checks), loudness)

    def read(self, *comps: Comp) -> Read:
        """The samples of some comps."""
        return reader_for(self.production, {recording for comp in comps for recording in comp.recordings})

    def tone(self, reading: Reading) -> RoomTone | None:
        """The quiet of the recording that a reading begins with."""
        if reading.comp.tone:
            return reading.comp.tone
        recording = reading.comp.segments[0].recording
        takes = [take for take in self.present.takes.get(self.line.id, ()) if take.recording == recording and take.last]
        if not takes:
            return None
        span = Span(min(take.first for take in takes), max(take.last for take in takes))
        spoken = spoken_in(self.production, [reading.comp]).get(recording, [])
        inside = [phrase for phrase in spoken if span.start <= phrase.start and phrase.end <= span.end]
        return room_tone(recording, span, inside, self.read(reading.comp))


def weave_words(line: Line, onto: str, source: str, first: int, last: int, author: Any) -> Change | None:
    """Put the words `first` to `last` (ordinals) of one reading into another, as an edit.

    Raises:
        Problem: when the words are not known in both, or there is no room for a seam.
    """
    readings = LineReadings(line)
    base, other = readings.reading(onto), readings.reading(source)
    if not base.words or not other.words:
        raise Problem(422, "Not possible", "The words of both readings must be known. Nothing was changed.")
    lift = 0.0
    if base.loudness is not None and other.loudness is not None:
        lift = round(float(np.clip(base.loudness - other.loudness, -MOST_LIFT, MOST_LIFT)), 1)
    read = readings.read(base.comp, other.comp)
    try:
        made = weave(base.comp, base.words, other.comp, other.words, first, last, read, lift)
    except CantWeave as error:
        raise Problem(422, "Not possible", f"{error}. Both readings are as they were.") from error
    name = name_of(readings.present, readings.line.id, made.comp)
    edit = edits.AddComp(readings.line.id, base.reader, name, made.comp, onto, "woven")
    return changes.perform(line.production, author, line.production.revision, edit)


@dataclass(frozen=True)
class Proposal:
    """How a reading would be fitted to a guide."""

    reading: Reading
    guide: str
    phrases: tuple[Fitted, ...]
    text: str

    def words_of(self, one: Fitted) -> str:
        """The words of a phrase, where they are known."""
        page = tokens(self.text)
        words = self.reading.words.items()
        inside = [n for n, span in words if one.own.holds((span.start + span.end) // 2)]
        first, last = one.words or (min(inside, default=0), max(inside, default=-1))
        return " ".join(page[first : last + 1])


def propose(readings: LineReadings, voice: str, guide: str, most: float, stay: Collection[int] = ()) -> Proposal:
    """Where the phrases of a reading would go so that they sit where the guide's do.

    Args:
        guide: another reading of the line, or `FILM`.
        most: by how much a phrase is stretched at most, as a share.
        stay: phrases, by index, that stay as they are.

    Raises:
        Problem: when there is nothing to fit to.
    """
    reading = readings.reading(voice)
    words: Mapping[int, Span] = {}
    if guide == FILM:
        phrases, called = film_phrases(readings), "the film"
    else:
        other = readings.reading(guide)
        phrases, words, called = list(other.phrases), other.words, other.name
    marks = [n for n, word in enumerate(tokens(readings.heard.text)) if not word[-1].isalnum()]
    found = proposed(reading.phrases, phrases, reading.words, words, most, stay, marks)
    return Proposal(reading, called, found, readings.heard.text)


def film_phrases(readings: LineReadings) -> list[Span]:
    """Where somebody speaks in the film's own sound under the line, programme samples.

    Raises:
        Problem: when the line has no slot, the film has no sound there, or nobody is heard in it.
    """
    slot = readings.line.slot
    if slot is None:
        raise Problem(422, "Not possible", "This line has no slot, so it is not known where the old one sits.")
    start = max(0, slot.start - AROUND)
    sound = film_sound(readings.production, readings.present, Span(start, slot.end + AROUND))
    heard = [phrase.shifted(start) for phrase in hear(sound).phrases] if sound is not None else []
    inside = [phrase for phrase in heard if slot.holds((phrase.start + phrase.end) // 2)]
    if not inside:
        raise Problem(422, "Not possible", "Nobody is heard in the film’s own sound under this line.")
    return inside


def film_sound(production: Production, present: State, span: Span) -> np.ndarray | None:
    """The film's own sound at a stretch of the programme and what is laid as its original, mono; None: there is none."""
    own = own_sounds(present.clips, present.sources, present.rate)
    originals = [replace(each, level=0.0) for each in present.laid if each.original]
    return _mixed(production, [*(replace(each, level=0.0) for each in own), *originals], span)


def original_sound(production: Production, laid: Iterable[LaidSound], span: Span) -> np.ndarray | None:
    """What of laid sounds is the original at a stretch of the programme, mono; None: nothing is."""
    return _mixed(production, [replace(each, level=0.0) for each in laid if each.original], span)


def heard_while_reading(production: Production) -> Callable[[Span], np.ndarray | None]:
    """What is in a reader's headphones at stretches of the programme, mono (None: nothing is): the film's own sound and all
    that is laid under it, or the original alone."""
    alone = production.monitor == "original"
    own = () if alone else state.own_sounds_of(production)
    sounds = [*own, *(each for each in state.laid_sounds(production) if each.original or not alone)]
    return partial(_mixed, production, [each for each in sounds if each.bed != "muted"])


def _mixed(production: Production, sounds: Iterable[LaidSound], span: Span) -> np.ndarray | None:
    """Sounds at a stretch of the programme, mono; None: there are none."""
    sources = {str(source.id): source for source in production.sources.all()}
    mixed, any_sound = np.zeros(span.length, np.float32), False
    for sound in sounds:
        source = sources.get(sound.source)
        if source is None or not source.sound_pieces or not sound.span.meets(span):
            continue
        start, end = max(span.start, sound.span.start), min(span.end, sound.span.end)
        by = sound.first - sound.span.start
        samples = one_channel(read_source(source.derived, source.sound_pieces, start + by, end + by), sound.channel)
        mixed[start - span.start : start - span.start + len(samples)] += samples.mean(axis=1) * gain(sound.level)
        any_sound = True
    return mixed if any_sound else None


def fit(line: Line, voice: str, guide: str, most: float, stay: Iterable[int], silence: bool, author: Any) -> Change | None:
    """Make the fitted comp, as an edit.

    Args:
        silence: the line replaces what the film says from now on.
    """
    readings = LineReadings(line)
    found = propose(readings, voice, guide, most, set(stay))
    try:
        made = fitted(found.reading.comp, found.phrases, readings.tone(found.reading))
    except ValueError as error:
        raise Problem(422, "Not possible", f"It can’t be fitted: {error}. It is as it was.") from error
    return add_made(readings, found.reading, made, f"fitted to {found.guide}", author, silence)


def add_made(
    readings: LineReadings, reading: Reading, comp: Comp, how: str, author: Any, silence: bool = False
) -> Change | None:
    """A comp made out of a reading, as an edit; where the reading was picked the comp is."""
    edit = made_edit(readings, reading, comp, how, silence)
    return changes.perform(readings.production, author, readings.production.revision, edit)


def made_edit(readings: LineReadings, reading: Reading, comp: Comp, how: str, silence: bool = False) -> edits.AddComp:
    """The edit that does it."""
    take = take_of(readings.present, reading.id)
    name = f"take {take.number}" if take else reading.name.partition(",")[0]
    return edits.AddComp(
        readings.line.id, reading.reader, f"{name}, {how}"[:80], replace(comp, treatment=None), reading.id, "made", silence
    )
