"""Files on their way in: sent in pieces, going on where a cut connection left off."""

from datetime import timedelta
from typing import Any

from django.conf import settings
from django.db import transaction
from django.utils import timezone

from fendo_core.picture import film
from fendo_server.picture import services
from fendo_server.picture.models import Arrival, Source
from fendo_server.problems import Problem
from fendo_server.productions import quotas
from fendo_server.productions import services as productions
from fendo_server.productions.models import Production

LARGEST_PIECE = 8 << 20
FORGOTTEN_AFTER = timedelta(days=3)


def announce(production: Production, name: str, size: int, digest: str, archive: bool = False) -> Arrival:
    """A file that is to come; one that began to come before goes on.

    Raises:
        FilmRefused: when it is empty or too large.
    """
    if size == 0:
        raise film.FilmRefused("This file is empty. Nothing was changed; check that its copy was finished.")
    if size > services.LARGEST_FILE:
        raise film.FilmRefused("This file is larger than 64 GB. Nothing was sent; bring in a smaller copy.")
    quotas.check_disk(production.owner, size)
    (settings.DATA / "arriving").mkdir(parents=True, exist_ok=True)
    arrival, made = Arrival.objects.get_or_create(
        production=production, digest=digest, size=size, defaults={"name": name[:200], "archive": archive}
    )
    if made:
        arrival.path.touch()
    return arrival


def append(arrival: Arrival, at: int, body: bytes) -> int:
    """The next bytes of a file; returns how many have arrived. Bytes sent twice are taken once.

    Raises:
        Problem: 409 for a hole, 422 for what can't be the file.
        FilmRefused: for what is nothing that can be brought in, by its first bytes. It is forgotten then.
    """
    if not arrival.archive and at == 0 and len(body) >= min(400, arrival.size) and film.sniff(body[:400]) is None:
        forget(arrival)
        raise film.FilmRefused(film.NOT_READ)
    with transaction.atomic():
        return _append(Arrival.objects.select_for_update().get(pk=arrival.pk), at, body)


def _append(arrival: Arrival, at: int, body: bytes) -> int:
    here = arrival.received
    if at > here:
        raise Problem(409, "A hole", f"The file has arrived up to byte {here}. Go on from there.")
    if at + len(body) > arrival.size or len(body) > LARGEST_PIECE:
        raise Problem(422, "Too much", "More was sent than the file has. Bring it in again.")
    with arrival.path.open("ab") as file:
        file.write(body[here - at :])
    return arrival.received


def check_whole(arrival: Arrival) -> None:
    """See that all of a file is there.

    Raises:
        Problem: 409 when something is missing.
    """
    if arrival.received < arrival.size:
        raise Problem(409, "Not whole", f"{arrival.size - arrival.received} bytes of the file are missing still.")


def finish(arrival: Arrival, author: Any, laid: bool) -> Source:
    """A file that has arrived whole is brought in.

    Raises:
        Problem: 409 when something is missing.
        FilmRefused: when it can't be brought in.
    """
    check_whole(arrival)
    try:
        made = services.bring_in(arrival.production, author, arrival.name, arrival.path, laid)
    except film.FilmRefused:
        forget(arrival)
        raise
    forget(arrival)
    return made


def forget(arrival: Arrival) -> None:
    """What came of a file is thrown away."""
    arrival.path.unlink(missing_ok=True)
    Arrival.objects.filter(pk=arrival.pk).delete()


def stop(arrival: Arrival) -> None:
    """A file that is to come no more; with an archive goes what stood in for its production."""
    forget(arrival)
    if arrival.archive:
        productions.remove_stand_in(arrival.production)


def forget_old() -> None:
    """Files that stopped coming days ago."""
    for arrival in Arrival.objects.filter(made__lt=timezone.now() - FORGOTTEN_AFTER).select_related("production"):
        stop(arrival)
