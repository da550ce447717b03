"""Two readings of a line made one: a pick-up and what was read before it, or what was read on at its end."""

from dataclasses import replace
from typing import Any

import numpy as np

from fendo_core.production import edits
from fendo_core.production.state import State
from fendo_core.takes.standing import name_of, standing
from fendo_core.voice import Comp, Place, cut, render_whole
from fendo_core.voice import join as joined
from fendo_core.voice.seam import joint_window, quietest
from fendo_server.problems import Problem
from fendo_server.productions import changes, state
from fendo_server.productions.models import Change, Production
from fendo_server.script.models import Line
from fendo_server.takes.description import comp_of_take, spoken_in
from fendo_server.takes.models import Take
from fendo_server.voice.reading import reader_for


def join_pickup(take: Take) -> Change | None:
    """Join a pick-up to what stood for its line when it was read; None when there is nothing to join, or nobody spoke."""
    if take.cue is None or take.speech_start is None:
        return None
    present = state.load(take.line.production)
    line = next((each for each in present.lines if each.id == str(take.line_id)), None)
    if line is None or line.settled:
        return None
    others = tuple(each for each in present.takes.get(line.id, ()) if each.id != str(take.id))
    before = standing(replace(present, takes={**present.takes, line.id: others}), line)
    if before is None:
        return None
    return join(take.line, str(take.id), before.voice, None, take.line.production.owner)


def join(line: Line, later: str, onto: str, at: int | None, author: Any) -> Change | None:
    """Make a comp of what comes before and a take that goes on from it, as an edit.

    Args:
        at: programme sample of the joint; None: where it is heard least, at or before the place where the later one speaks.

    Raises:
        Problem: when the two are not of this line, or can't be joined there.
    """
    production = line.production
    take = Take.objects.filter(pk=later, line=line).select_related("recording").first()
    present = state.load(production)
    earlier = _earlier(present, line, onto)
    if take is None or earlier is None or take.speech_start is None:
        raise Problem(422, "Not possible", "Two readings of this line are needed, in both of which somebody speaks.")
    after = comp_of_take(take)
    joint = _joint(production, earlier, after, take) if at is None else at
    try:
        comp = joined(earlier, after, joint)
    except ValueError as error:
        raise Problem(422, "Not possible", f"They can’t be joined there: {error}. Both are as they were.") from error
    name = name_of(present, str(line.pk), comp)
    edit = edits.AddComp(str(line.id), str(take.recording.reader_id), name, comp, onto)
    return changes.perform(production, author, production.revision, edit)


def _earlier(present: State, line: Line, voice: str) -> Comp | None:
    for one in present.comps:
        if one.id == voice and one.line == str(line.id):
            return one.comp
    take = Take.objects.filter(pk=voice, line=line).first()
    return comp_of_take(take) if take and take.last else None


def _joint(production: Production, earlier: Comp, later: Comp, take: Take) -> int:
    """Where the joint of two comps is heard least."""
    assert take.speech_start is not None
    speaks = later.at + take.speech_start - later.segments[0].source.start
    phrases = Place(earlier).all_in_programme(spoken_in(production, [earlier]))
    window = joint_window(earlier.span, later.span, phrases, speaks)
    read = reader_for(production, earlier.recordings | later.recordings)

    def sound_of(comp: Comp) -> np.ndarray:
        sound, part = np.zeros(window.length, np.float32), cut(comp, window)
        if part:
            sound[part.at - window.start : part.at - window.start + part.length] = render_whole(part, read)
        return sound

    return window.start + quietest(sound_of(earlier), sound_of(later))
