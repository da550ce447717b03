"""Takes are listened to once, soon after they were read: to the words, in languages that are listened for, and to what a
mouth and a room add to them."""

import logging

from django.db.models import QuerySet

from fendo_core.polish.heard import heard_in
from fendo_core.polish.scan import scan
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.words import LISTENS, read_check
from fendo_server.polish import scans
from fendo_server.takes.headphones import voice_alone
from fendo_server.takes.models import Take
from fendo_server.voice.models import Recording

log = logging.getLogger("fendo")

LONGEST = 180 * SAMPLE_RATE
"""Longer takes are not listened to: they are no lines."""
AT_ONCE = 40
"""So many takes are looked through before the queue goes on."""


def _spoken() -> QuerySet[Take]:
    """Takes in which somebody speaks."""
    takes = Take.objects.select_related("line", "recording__folder", "recording__production")
    return takes.filter(
        recording__state=Recording.State.FINISHED, peak__isnull=False, speech_start__isnull=False, last__gt=0
    )


def _unread() -> QuerySet[Take]:
    """Those whose words nobody listened to."""
    return _spoken().filter(line__production__language__in=LISTENS, read__isnull=True).exclude(words="")


def _unheard() -> QuerySet[Take]:
    """Those in which nobody listened for anything else."""
    return _spoken().filter(heard__isnull=True)


def ask(take: Take) -> None:
    """Have a take listened to."""
    from fendo_server.takes.tasks import check_words

    if take.speech_start is not None:
        # One at a time of an account: a pass that was cut may have a hundred.
        check_words.configure(lock=f"words:{take.line.production.owner_id}").defer(take_id=str(take.pk))


def _phrases(take: Take) -> list[Span]:
    """Where somebody speaks, in samples of the take."""
    return [Span(*pair).shifted(-take.first) for pair in take.phrases]


def check(take: Take) -> None:
    """Listen to a take. What it finds is kept with it; what can't be heard is not tried again."""
    found: dict = {"failed": True}
    if take.last - take.first <= LONGEST:
        try:
            found = read_check(take.words, voice_alone(take), _phrases(take)).shifted(take.first).as_row()
        except Exception:
            # The take is as good as before; only nobody says whether it is the text.
            log.exception("the words of take %s can't be checked", take.pk)
    if Take.objects.filter(pk=take.pk, read__isnull=True).update(read=found) and "words" in found:
        scans.words_are_known(take.recording)


def hear(take: Take) -> None:
    """Listen for clicks and the like in a take. What can't be listened to is not tried again."""
    found: dict[str, float] = {}
    if take.last - take.first <= LONGEST:
        try:
            sound = voice_alone(take)
            found = heard_in(sound, _phrases(take), scan(sound))
        except Exception:
            log.exception("clicks and the like can't be listened for in take %s", take.pk)
    Take.objects.filter(pk=take.pk, heard__isnull=True).update(heard=found)


def check_one(take_id: str) -> None:
    """Listen to a take, unless that was done: to its words first, which are waited for."""
    for take in _unread().filter(pk=take_id):
        check(take)
    for take in _unheard().filter(pk=take_id):
        hear(take)


def check_missing() -> int:
    """Listen to some of those takes that nobody listened to yet: read by an earlier version, or brought back."""
    found = list(_unread()[:AT_ONCE])
    for take in found:
        check(take)
    for take in _unheard()[: AT_ONCE - len(found)]:
        hear(take)
    return len(found)
