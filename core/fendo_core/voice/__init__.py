"""What sounds for a line: recordings, takes as spans of them, comps put together from segments, and how a comp sounds."""

from fendo_core.voice.comp import Comp, Segment, cut, join, move_end, move_seam, seams, shifted, tighten
from fendo_core.voice.key import key
from fendo_core.voice.place import Place
from fendo_core.voice.render import Read, render, render_whole

__all__ = [
    "Comp",
    "Place",
    "Read",
    "Segment",
    "cut",
    "join",
    "key",
    "move_end",
    "move_seam",
    "render",
    "render_whole",
    "seams",
    "shifted",
    "tighten",
]
