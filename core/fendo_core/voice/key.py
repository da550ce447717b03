"""The name of a sound: two comps with the same key sound the same, wherever they lie."""

import hashlib
import json
from collections.abc import Iterable

from fendo_core.voice.comp import Comp
from fendo_core.voice.repair import Repair

VERSION = 1
"""Counts up when `render` makes another sound of the same comp."""


def key(comp: Comp, repairs: Iterable[Repair] = ()) -> str:
    """SHA-256 of everything that the sound of a comp depends on, as 64 hexadecimal digits.

    Its place in the programme is left out: a comp that is moved sounds the same. A recording never changes and its
    identity is never used twice, so the identity stands for its samples.
    """
    row = comp.as_row()
    del row["at"]
    mended = sorted(
        json.dumps(repair.as_row(), sort_keys=True)
        for repair in repairs
        if repair.sounds and any(repair.recording == s.recording and repair.span.meets(s.source) for s in comp.segments)
    )
    stages = [stage.as_row() for stage in comp.treatment.working] if comp.treatment else []
    said = {"version": VERSION, "comp": row, "repairs": mended, "stages": stages}
    return hashlib.sha256(json.dumps(said, sort_keys=True, separators=(",", ":")).encode()).hexdigest()
