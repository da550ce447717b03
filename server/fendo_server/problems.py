"""Errors in one form: problem details (RFC 9457) with a text that a person can act on."""

import errno
import logging
from collections.abc import Mapping
from typing import Any

from django.db import DataError, IntegrityError, InterfaceError, OperationalError
from django.http import Http404
from psycopg.errors import DeadlockDetected, SerializationFailure
from rest_framework import exceptions, serializers
from rest_framework.response import Response
from rest_framework.views import exception_handler

from fendo_core.booth.naming import PatternError
from fendo_core.handover.order import OrderRefused
from fendo_core.picture.film import FilmRefused
from fendo_core.picture.timeline import TimelineRefused
from fendo_core.production.refusal import EditRefused
from fendo_core.script.intake import ScriptRefused
from fendo_core.timebase import TimecodeError

log = logging.getLogger("fendo")


class Problem(exceptions.APIException):
    """Something that can't be done: what happened, what is safe, what to do next."""

    def __init__(self, status: int, title: str, detail: str, **more: Any) -> None:
        self.status_code, self.title, self.more = status, title, more
        super().__init__(detail)


class ProblemSerializer(serializers.Serializer):
    """The one form of every error."""

    title = serializers.CharField()
    status = serializers.IntegerField()
    detail = serializers.CharField()
    fields = serializers.DictField(required=False, help_text="what is wrong, by field")  # type: ignore[assignment]
    changes = serializers.ListField(
        child=serializers.CharField(), required=False, help_text="with status 409: what others changed meanwhile"
    )
    have = serializers.IntegerField(required=False, help_text="samples of a take that are on disk")


REFUSALS = (EditRefused, OrderRefused, PatternError, FilmRefused, ScriptRefused, TimecodeError, TimelineRefused)


def _said(detail: Any) -> str:
    """The first sentence in a validation error, wherever it lies."""
    while isinstance(detail, Mapping | list):
        detail = next(iter(detail.values() if isinstance(detail, Mapping) else detail), "")
    return str(detail)


def _short(detail: Any, longest: int = 200) -> Any:
    """What is wrong, without what was sent at length."""
    if isinstance(detail, Mapping):
        return {str(name)[:60]: _short(one) for name, one in list(detail.items())[:20]}
    if isinstance(detail, list):
        return [_short(one) for one in detail[:10]]
    text = str(detail)
    return text if len(text) <= longest else f"{text[: longest // 2]} … {text[-longest // 2 :]}"


def handle(error: Exception, context: Mapping[str, Any]) -> Response:
    """Any error of a view as a problem."""
    if isinstance(error, REFUSALS):
        error = Problem(422, "Refused", str(error))
    elif isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT):
        error = Problem(
            507,
            "The disk is full",
            "The server's disk is full, so this could not be stored. What was stored before is safe. "
            "Make room on the disk; what was recorded waits in this browser and is sent again by itself.",
        )
    elif isinstance(error, IntegrityError) or isinstance(error.__cause__, DeadlockDetected | SerializationFailure):
        log.warning("two writes met: %s", str(error)[:300])
        error = Problem(
            409,
            "At the same moment",
            "Another window or reader wrote at the same moment. Nothing of this was changed: do it once more.",
        )
    elif isinstance(error, OperationalError | InterfaceError):
        log.error("the database: %s", str(error)[:300])
        said = (
            "The server has lost its database for now. What was recorded is kept in this browser and sent when it is back."
        )
        error = Problem(503, "No database", said)
    elif isinstance(error, DataError):
        # What no field's own bounds have caught the database does.
        error = Problem(422, "Not understood", "A number or a text is out of all bounds. Nothing was changed.")
    elif isinstance(error, Http404):
        error = Problem(404, "Not here", "There is nothing at this address, or it belongs to somebody else.")
    elif isinstance(error, exceptions.NotAuthenticated | exceptions.AuthenticationFailed):
        error = Problem(
            403,
            "Signed out",
            "You are signed out. Open a new sign-in link (./fendo link prints one) and go on where you were.",
        )
    elif isinstance(error, exceptions.PermissionDenied) and "CSRF" in str(error.detail):
        error = Problem(
            403,
            "Signed in anew",
            "You have signed in again since this page was opened. Nothing was changed. Do it once more; if it is refused "
            "again, load the page anew: what was recorded is kept in this browser and is sent then.",
        )
    response = exception_handler(error, dict(context))
    if response is None:
        log.exception("not foreseen")
        said = "Fendo did not foresee this; the server’s log says more. Nothing was changed, and takes are safe: try again."
        response = Response({"title": "Something went wrong", "status": 500, "detail": said}, status=500)
        response.content_type = "application/problem+json"
        return response
    body = {
        "title": getattr(error, "title", "Not possible"),
        "status": response.status_code,
        "detail": _short(_said(response.data), 1_000),
    }
    if isinstance(error, exceptions.ValidationError):
        body |= {"title": "Not understood", "fields": _short(response.data)}
    body |= getattr(error, "more", {})
    response.data = body
    response.content_type = "application/problem+json"
    return response
