"""The read check of takes: every take of a language that is listened for is heard once, soon after it was read."""

import logging

from django.db.models import Q, QuerySet

from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.words import LISTENS, read_check
from fendo_server.polish import scans
from fendo_server.takes.models import Take
from fendo_server.voice.models import Recording
from fendo_server.voice.reading import read_sound

log = logging.getLogger("fendo")

LONGEST = 180 * SAMPLE_RATE
"""Longer takes are not listened to: they are no lines."""
AT_ONCE = 40
"""So many takes are looked through before the queue goes on."""
_UNREAD = Q(read__isnull=True, recording__state=Recording.State.FINISHED, peak__isnull=False)
_HEARD = Q(line__production__language__in=LISTENS, speech_start__isnull=False, last__gt=0) & ~Q(words="")


def _unread() -> QuerySet[Take]:
    """Takes in which somebody speaks, and that nobody listened to."""
    return Take.objects.select_related("line", "recording__folder", "recording__production").filter(_UNREAD & _HEARD)


def ask(take: Take) -> None:
    """Have a take listened to."""
    from fendo_server.takes.tasks import check_words

    if take.line.production.language in LISTENS and take.words and take.speech_start is not None:
        # One at a time of an account: a pass that was cut may have a hundred.
        check_words.configure(lock=f"words:{take.line.production.owner_id}").defer(take_id=str(take.pk))


def check(take: Take) -> None:
    """Listen to a take. What it finds is kept with it; what can't be heard is not tried again."""
    found: dict = {"failed": True}
    if take.last - take.first <= LONGEST:
        try:
            sound = read_sound(take.recording.path, take.first, take.last)
            phrases = [Span(*pair).shifted(-take.first) for pair in take.phrases]
            found = read_check(take.words, sound, phrases).shifted(take.first).as_row()
        except Exception:
            # The take is as good as before; only nobody says whether it is the text.
            log.exception("the words of take %s can't be checked", take.pk)
    if Take.objects.filter(pk=take.pk, read__isnull=True).update(read=found) and "words" in found:
        scans.words_are_known(take.recording)


def check_one(take_id: str) -> None:
    """Listen to a take, unless that was done."""
    for take in _unread().filter(pk=take_id):
        check(take)


def check_missing() -> int:
    """Listen to some of those takes that nobody listened to yet: read before there was a read check, or brought back."""
    found = list(_unread()[:AT_ONCE])
    for take in found:
        check(take)
    return len(found)
