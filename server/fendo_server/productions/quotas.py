"""What the owner of the machine lets each account have: so much on the disk, so many takes an hour, programmes of so many
hours. All are off at first.

A take that goes on is never ended by them, and nothing is deleted: what would go beyond them doesn't begin.
"""

import os
import threading
import time
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path
from typing import Any

from django.conf import settings
from django.utils import timezone

from fendo_core.production.refusal import EditRefused
from fendo_core.production.state import State
from fendo_core.timebase import SAMPLE_RATE
from fendo_server.problems import Problem
from fendo_server.productions.models import Production

KNOWN_FOR = 60.0
"""Seconds after which the files are counted again."""
SOON = 0.9
"""Share of the limit from which on it is said."""
HOUR = timedelta(hours=1)

_counted: dict[Any, tuple[float, int]] = {}
_lock = threading.Lock()


def used(account: Any) -> int:
    """Bytes in the folders of an account's productions, as they were a minute ago at the most."""
    with _lock:
        at, size = _counted.get(account.pk, (float("-inf"), 0))
        if time.monotonic() - at < KNOWN_FOR:
            return size
    size = sum(_sizes(settings.MEDIA / one for one in _directories(account)))
    with _lock:
        _counted[account.pk] = (time.monotonic(), size)
    return size


def _directories(account: Any) -> list[str]:
    return [name for name in Production.objects.filter(owner=account).values_list("directory", flat=True) if name]


def _sizes(folders: Iterator[Path]) -> Iterator[int]:
    waiting = [str(folder) for folder in folders]
    while waiting:
        try:
            with os.scandir(waiting.pop()) as entries:
                for entry in entries:
                    if entry.is_dir(follow_symlinks=False):
                        waiting.append(entry.path)
                    elif entry.is_file(follow_symlinks=False):
                        yield entry.stat(follow_symlinks=False).st_size
        except FileNotFoundError:
            continue  # Moved or renamed meanwhile.


def check_disk(account: Any, more: int = 0) -> None:
    """Refuse what needs `more` bytes than the account may have.

    Raises:
        Problem: 422, in words.
    """
    most = settings.MOST_BYTES
    if most and used(account) + more > most:
        raise Problem(
            422,
            "No room left",
            f"{_full(account, most)} Nothing was begun; all that is here is safe. Ask whoever runs this Fendo for more.",
        )


def check_takes(account: Any) -> None:
    """Refuse to begin a take when the account has begun as many in the last hour as it may.

    Raises:
        Problem: 422, with how long it takes until the next one can begin.
    """
    most = settings.MOST_TAKES_AN_HOUR
    if not most:
        return
    begun = _begun(account)[:most]
    if len(begun) >= most:
        minutes = max(1, round((begun[-1] + HOUR - timezone.now()).total_seconds() / 60))
        raise Problem(
            422,
            "Too many takes",
            f"{most} takes were begun within an hour, and no more are allowed. What was read is safe; the next one can "
            f"begin in about {minutes} minute{'s' if minutes != 1 else ''}.",
        )


def check_length(before: State, after: State) -> None:
    """Refuse to make a programme longer than it may be; one that is too long already may get shorter.

    Raises:
        EditRefused: in words.
    """
    most = settings.MOST_HOURS
    if most and after.length > max(before.length, most * 3600 * SAMPLE_RATE):
        raise EditRefused(
            f"The programme would last {after.length / SAMPLE_RATE / 3600:.1f} h; {most:g} h are allowed here. "
            "Nothing was changed. Make two productions of it, or ask whoever runs this Fendo for more."
        )


def _begun(account: Any) -> list[Any]:
    """When the account's takes of the last hour were begun, newest first."""
    recordings = Production.objects.filter(owner=account, recordings__made__gt=timezone.now() - HOUR)
    return list(recordings.order_by("-recordings__made").values_list("recordings__made", flat=True))


def notice(account: Any) -> str:
    """What is to be said before a limit is hit; "" while there is nothing."""
    most, takes = settings.MOST_BYTES, settings.MOST_TAKES_AN_HOUR
    if most and used(account) >= SOON * most:
        return f"{_full(account, most)} When it is full no take can begin: ask whoever runs this Fendo for more."
    if takes and (begun := len(_begun(account))) >= SOON * takes:
        return f"{begun} of the {takes} takes that are allowed within an hour were begun."
    return ""


def _full(account: Any, most: int) -> str:
    return f"{used(account) / 1e9:.1f} of the {most / 1e9:.1f} GB that your productions may take are used."
