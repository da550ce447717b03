"""Where a sample of a recording lies in a comp and in the programme, and the other way round, through stretches.

Words, phrases, clipped places and repairs are stored in samples of the recording and mapped here: nothing is analysed
twice because something was moved.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from fendo_core.timebase import Span
from fendo_core.voice.comp import Comp
from fendo_core.voice.samples import CompSample, ProgrammeSample, RecordingSample


@dataclass(frozen=True, slots=True)
class Place:
    """The map of one comp."""

    comp: Comp

    def in_comp(self, recording: str, sample: RecordingSample) -> CompSample | None:
        """Where a sample of a recording sounds in the comp; None where it does not. In a crossfade the first side tells."""
        for segment in self.comp.segments:
            if segment.recording == recording and segment.source.holds(sample):
                return CompSample(segment.comp_at(sample))
        return None

    def in_programme(self, recording: str, sample: RecordingSample) -> ProgrammeSample | None:
        """Where a sample of a recording sounds in the programme; None where it does not."""
        found = self.in_comp(recording, sample)
        return None if found is None else ProgrammeSample(self.comp.at + found)

    def in_recording(self, sample: CompSample) -> tuple[str, RecordingSample] | None:
        """The recording and its sample that sound at a sample of the comp; None in a hole."""
        for segment in self.comp.segments:
            if segment.span.holds(sample):
                return segment.recording, RecordingSample(segment.source_at(sample))
        return None

    def all_in_programme(self, spans: Mapping[str, Iterable[Span]]) -> tuple[Span, ...]:
        """Stretches of several recordings, by recording, where they sound in the programme, in order."""
        found = (self.spans_in_programme(name, spans.get(name, ())) for name in self.comp.recordings)
        return tuple(sorted(span for each in found for span in each))

    def spans_in_programme(self, recording: str, spans: Iterable[Span]) -> tuple[Span, ...]:
        """Stretches of a recording where they sound in the programme, in order; what does not sound is left out."""
        found = []
        for segment in self.comp.segments:
            if segment.recording != recording:
                continue
            for span in spans:
                start, end = max(span.start, segment.source.start), min(span.end, segment.source.end)
                if start < end:
                    a, b = segment.comp_at(start), segment.comp_at(end)
                    found.append(Span(self.comp.at + a, self.comp.at + max(b, a + 1)))
        return tuple(sorted(found))
