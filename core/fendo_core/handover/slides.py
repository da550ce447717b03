"""The slides of a reel as films of their own: what a course shows step by step."""

from dataclasses import dataclass
from pathlib import PurePosixPath

from fendo_core.booth.naming import safe_name
from fendo_core.picture.reel import Clip, Reel, Sources, spans
from fendo_core.timebase import FrameRate, Span


@dataclass(frozen=True, slots=True)
class Slide:
    """A clip that shows one picture: its number in the reel (from 1), its span in programme samples, its film's name."""

    clip: Clip
    number: int
    span: Span
    name: str


def slides_of(reel: Reel, sources: Sources, rate: FrameRate, ending: str) -> list[Slide]:
    """Every slide, still and card with words, in order, under the number that `{slide}` has in the names of lines."""
    made, width = [], max(2, len(str(len(reel))))
    for number, (clip, span) in enumerate(zip(reel, spans(reel, rate), strict=True), start=1):
        source = sources.get(clip.source or "")
        if clip.is_hole or (source and source.kind == "film"):
            continue
        called = clip.name or (PurePosixPath(source.name).stem if source else "")
        name = safe_name(f"{number:0{width}} {called}".strip(), 90)
        made.append(Slide(clip, number, span, f"{name}{ending}"))
    return made
