"""The page that carries the application, one-time links, sign-in and sign-out."""

import json
import re
from functools import lru_cache
from pathlib import Path

from django.conf import settings
from django.contrib.auth import login, logout
from django.contrib.auth.views import LoginView
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_GET, require_POST
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from fendo_server.accounts.models import EntryLink


def _assets() -> dict[str, list[str]]:
    """Entry script and styles of the web application that is served."""
    manifest = settings.WEB_SERVED / "manifest.json"
    return _entry(manifest, manifest.stat().st_mtime_ns)


@lru_cache(maxsize=1)
def _entry(path: Path, _stamp: int) -> dict[str, list[str]]:
    manifest = json.loads(path.read_text())
    entry = manifest["index.html"]
    return {"scripts": [entry["file"]], "styles": entry.get("css", [])}


_PRODUCTION = re.compile(r"/productions/([0-9a-f-]{36})(?:/|$)")
"""Its first question is known before its scripts are there: the browser asks it meanwhile."""


@require_GET
@ensure_csrf_cookie
def application(request: HttpRequest) -> HttpResponse:
    """The application's page at every address that is not another's."""
    if not request.user.is_authenticated:
        return HttpResponseRedirect(f"{settings.LOGIN_URL}?next={request.path}")
    asked = _PRODUCTION.match(request.path)
    return render(request, "application.html", {**_assets(), "production": asked[1] if asked else ""})


@require_GET
def enter(request: HttpRequest, token: str) -> HttpResponse:
    """Sign in by a one-time link."""
    user = EntryLink.use(token)
    if user is None:
        return render(request, "sign_in.html", {"used": True}, status=410)
    login(request, user, backend="django.contrib.auth.backends.ModelBackend")
    return HttpResponseRedirect("/")


class SignIn(LoginView):
    """Sign in with name and password (django-axes counts the failures)."""

    template_name = "sign_in.html"


@require_POST
def sign_out(request: HttpRequest) -> HttpResponse:
    """End the session."""
    logout(request)
    return HttpResponseRedirect(settings.LOGIN_URL)


class SessionSerializer(serializers.Serializer):
    """Who is signed in."""

    name = serializers.CharField()


@extend_schema(operation_id="session", responses=SessionSerializer)
@api_view(["GET"])
def session(request: Request) -> Response:
    """Who is signed in."""
    return Response({"name": request.user.get_username()})
