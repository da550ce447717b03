"""The room that each line was read in, as it sounds there."""

from collections.abc import Sequence
from functools import lru_cache, partial

import numpy as np

from fendo_core.handover.between import Around
from fendo_core.timebase import Span
from fendo_core.voice import Comp, Segment
from fendo_core.voice.assembly import room_tone
from fendo_core.voice.comp import RoomTone
from fendo_core.voice.samples import ProgrammeSample
from fendo_core.voice.tone import Lasting
from fendo_server.handover.programme import Spoken
from fendo_server.productions.models import Production
from fendo_server.takes.description import spoken_in
from fendo_server.takes.models import Take
from fendo_server.voice.polish import Polish
from fendo_server.voice.reading import reader_for

_KEPT = 8
"""So many rooms are kept rendered: a programme goes from line to line."""


class RoomsAround:
    """Finds room tone in the recordings of lines.

    Args:
        recorded: as it was recorded; else it goes through what its line goes through.
    """

    def __init__(self, production: Production, polish: Polish, recorded: bool) -> None:
        self._production, self._polish, self._recorded = production, polish, recorded
        self._rendered = lru_cache(_KEPT)(self._render)

    def of(self, read: Sequence[Spoken]) -> list[Around]:
        """Each line with its room, if a calm stretch was recorded with it."""
        spans = self._spans(read)
        made = []
        for one in read:
            tone = one.comp.tone or self._tone(one, spans)
            room = partial(self._rendered, tone, one.line.id) if tone else None
            made.append(Around(one.comp.span, room, one.gain))
        return made

    def _spans(self, read: Sequence[Spoken]) -> dict[tuple[str, str], Span]:
        """What was recorded for a line in a recording, by both."""
        takes = Take.objects.filter(line__in=[one.line.id for one in read], last__isnull=False)
        found: dict[tuple[str, str], Span] = {}
        for line, recording, first, last in takes.values_list("line_id", "recording_id", "first", "last"):
            key, known = (str(line), str(recording)), found.get((str(line), str(recording)), Span(first, last))
            found[key] = Span(min(known.start, first), max(known.end, last))
        return found

    def _tone(self, one: Spoken, spans: dict[tuple[str, str], Span]) -> RoomTone | None:
        recording = one.comp.segments[0].recording
        span = spans.get((one.line.id, recording))
        if span is None:
            return None
        spoken = spoken_in(self._production, [one.comp]).get(recording, [])
        inside = [phrase for phrase in spoken if span.start <= phrase.start and phrase.end <= span.end]
        return room_tone(recording, span, inside, reader_for(self._production, {recording}))

    def _render(self, tone: RoomTone, line: str) -> Lasting:
        comp = Comp(at=ProgrammeSample(0), segments=(Segment(tone.recording, tone.span),))
        sounding = self._polish.bare(comp) if self._recorded else self._polish.sounding(comp, line)
        read = reader_for(self._production, comp.recordings)
        return Lasting(np.concatenate(list(sounding.blocks(read=read))))
