"""What sounds in a production: voices at their places, and what lies under them."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from uuid import UUID

import numpy as np

from fendo_core.audio.ceiling import Ceiling
from fendo_core.handover import mix
from fendo_core.handover.mix import Bed, Ducking, Placed, mixdown
from fendo_core.picture.film import read_sound as read_source
from fendo_core.picture.laid import CUT_FADE, LaidSound, cut_ends, one_channel, own_sounds, parted
from fendo_core.production.state import State
from fendo_core.script.lines import Line
from fendo_core.takes.standing import rooms_under, silenced, standing
from fendo_core.timebase import Span
from fendo_core.voice import Comp, Read
from fendo_server.picture.models import Source
from fendo_server.productions.models import Production
from fendo_server.takes.description import comp_of_take, voices
from fendo_server.takes.levels import Ducks
from fendo_server.takes.models import Take
from fendo_server.voice.polish import Polish
from fendo_server.voice.reading import reader_for
from fendo_server.voice.sounding import Sounding


@dataclass(frozen=True)
class Spoken:
    """What sounds for a line, and what is told of it: `voice` is the take or comp, `take` the take, None for a comp that
    was made."""

    line: Line
    voice: str
    comp: Comp
    phrases: tuple[Span, ...]
    provisional: bool
    folder: str
    takes: str
    gain: float
    sounding: Sounding
    take: Take | None

    @property
    def speech(self) -> Span | None:
        """From the first word to the last, programme samples."""
        return Span(self.phrases[0].start, max(span.end for span in self.phrases)) if self.phrases else None


def spoken(production: Production, present: State) -> list[Spoken]:
    """What sounds for each line that was read, in order of the lines: picks, and what is provisional."""
    found = {line.id: one for line in present.lines if not line.dropped and (one := standing(present, line))}
    told = voices(production, found, present.comps)
    comps = {one.id: one.comp for one in present.comps}
    wanted = [one.voice for one in found.values()]
    takes = {take.pk: take for take in Take.objects.select_related("recording").filter(pk__in=wanted)}
    polish, made = Polish(production, present), []
    for line in present.lines:
        said = told.get(line.id)
        if said is None:
            continue
        key = found[line.id].voice
        take = None if key in comps else takes[UUID(key)]
        comp = comps[key] if take is None else comp_of_take(take)
        made.append(
            Spoken(
                line,
                key,
                comp,
                phrases=tuple(Span(*pair) for pair in said["phrases"]),
                provisional=found[line.id].provisional,
                folder=said["folder"],
                takes=said["name"].removeprefix("take ").removeprefix("takes "),
                gain=said["gain"],
                sounding=polish.sounding(comp, line.id),
                take=take,
            )
        )
    return made


def placed(one: Spoken, read: Read) -> Placed:
    """What sounds for a line at its place in the programme."""
    at = one.comp.at

    def load(start: int, end: int) -> np.ndarray:
        return np.concatenate(list(one.sounding.blocks(Span(start - at, end - at), mix.BLOCK, read)))

    return Placed(one.comp.span, load, one.gain)


def all_placed(production: Production, read: list[Spoken]) -> list[Placed]:
    """What sounds for each line at its place; its samples are looked for once."""
    samples = reader_for(production, {recording for one in read for recording in one.comp.recordings})
    return [placed(one, samples) for one in read]


def _bed(stored: Source, sound: LaidSound, depth: float, soft: bool = False) -> Bed:
    """A stretch of a source's sound at its place; `soft`: it comes and goes softly though its source ends there."""
    folder, pieces, offset = stored.derived, stored.sound_pieces, sound.first - sound.span.start

    def load(start: int, end: int) -> np.ndarray:
        return one_channel(read_source(folder, pieces, start + offset, end + offset), sound.channel)

    fade_in, fade_out = (CUT_FADE if cut or soft else 0 for cut in cut_ends(sound, stored.length))
    return Bed(sound.span, load, depth, sound.level, (fade_in, fade_out))


def beds(production: Production, present: State, sources: Mapping[str, Source]) -> list[Bed]:
    """What sounds under the voice: the clips' own sound, and what is laid under them."""
    ducks = Ducks(production)
    own = own_sounds(present.clips, present.sources, present.rate)
    silences = silenced(present)
    sounds = [(sound, False) for sound in (*parted(own, silences), *present.laid)]
    sounds += [(part, True) for parts in rooms_under(present, silences) for part in parts]
    heard = [(sources[sound.source], sound, soft) for sound, soft in sounds if sound.bed != "muted"]
    return [_bed(stored, sound, ducks.of(sound), soft) for stored, sound, soft in heard if stored.sound_pieces]


def programme_sound(
    production: Production,
    present: State,
    read: list[Spoken],
    ceiling: Ceiling,
    voiced: bool = True,
    lift: float = 0.0,
) -> Iterator[np.ndarray]:
    """The whole programme's sound in blocks, stereo: voices at their places, all else ducked under them.

    Args:
        voiced: with the voices; without them it is the bed, which gives way to them all the same.
        lift: dB by which the bed is louder than in the production; the voices have it in their gain.
    """
    sources: Mapping[str, Source] = {str(source.id): source for source in production.sources.all()}
    speaking = [span for one in read for span in one.phrases]
    placed_voices = all_placed(production, read) if voiced else []
    under = [replace(bed, level=bed.level + lift) for bed in beds(production, present, sources)]
    return mixdown(present.length, placed_voices, speaking, under, Ducking(rise=production.duck_rise), ceiling)
