"""The pace of a production's readers: what they start from, and what their takes have taught."""

from dataclasses import asdict

from django.db.models import F

from fendo_core.script.pace import Pace, learned
from fendo_server.productions.models import Production, Reader
from fendo_server.takes.models import Take

LATEST = 80
"""Takes of a reader that count: the newest ones, as voices and habits change."""


def starting(production: Production) -> Pace:
    """Where every reader of the production starts."""
    return Pace.starting(production.pace, production.language)


def paces(production: Production) -> dict[str, Pace]:
    """The pace of every reader by identity: learned if there are takes and the production wants it, else the start."""
    start = starting(production)
    found = {}
    for reader, known in production.readers.values_list("id", "learned"):
        usable = production.learns_pace and known.get("language") == production.language
        found[str(reader)] = Pace(**known) if usable else start
    return found


def learn(reader: Reader) -> None:
    """Learn the reader's pace anew from the newest takes: whole ones, with speech, not set aside."""
    production = reader.production
    told = (
        Take.objects.filter(recording__reader=reader, recording__state=Take.State.FINISHED, recording__cut_off=False)
        .filter(aside=False, cue=None)
        .exclude(words="")
        .filter(speech_end__gt=F("speech_start"))
        .order_by("-recording__made")
        .values_list("words", "speech_start", "speech_end")[:LATEST]
    )
    readings = [(words, end - start) for words, start, end in told if start is not None and end is not None]
    found = learned(readings, starting(production))
    reader.learned = asdict(found) if found.takes else {}
    reader.save(update_fields=["learned"])
