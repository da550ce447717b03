"""What was in the headphones while a take was read, and the take without what of it leaked."""

import logging

import numpy as np

from fendo_core.audio.bleed import Played, without_programme
from fendo_core.timebase import Span
from fendo_server.takes.making import heard_while_reading
from fendo_server.takes.models import Take
from fendo_server.voice.reading import read_sound

log = logging.getLogger("fendo")


def played(take: Take) -> Played | None:
    """What was played, at stretches of the take from its first sample on; None: nothing was. The simulated reader wears no
    headphones."""
    production, recording = take.line.production, take.recording
    if not production.headphones or production.monitor == "silent":
        return None
    if recording.clock.get("source") not in ("browser", "measured"):
        return None
    heard, start = heard_while_reading(production), recording.start + take.first

    def at(span: Span) -> np.ndarray | None:
        before = max(0, -(start + span.start))
        if span.length <= before:
            return None
        try:
            programme = heard(Span(start + span.start + before, start + span.end))
        except Exception:
            log.exception("it can't be told whether the programme is heard in take %s", take.id)
            return None
        return None if programme is None else np.concatenate((np.zeros(before, np.float32), programme))

    return at


def voice_alone(take: Take) -> np.ndarray:
    """The sound of a take for an ear that listens to its words: without the programme, where that is heard in it."""
    sound = read_sound(take.recording.path, take.first, take.last)
    programme = played(take) if take.bleed is not None else None
    return without_programme(sound, programme) if programme else sound
