"""Who gets in, and what every page says to the browser."""

from datetime import timedelta

import pytest
from django.test import Client
from django.utils import timezone

from fendo_server.accounts.models import EntryLink


def test_a_link_signs_in_once(ada):
    token = EntryLink.make(ada)
    first, second = Client(), Client()
    assert first.get(f"/enter/{token}").status_code == 302
    assert first.get("/api/session/").json() == {"name": "ada"}
    assert second.get(f"/enter/{token}").status_code == 410
    assert second.get("/api/session/").status_code == 403
    assert token not in str(list(EntryLink.objects.values()))


def test_an_old_link_is_no_link(ada):
    token = EntryLink.make(ada)
    EntryLink.objects.update(made=timezone.now() - timedelta(hours=13))
    assert Client().get(f"/enter/{token}").status_code == 410


def test_password_guessing_is_locked_out(ada):
    guesser = Client()
    codes = [guesser.post("/sign-in", {"username": "ada", "password": f"guess{n}"}).status_code for n in range(9)]
    assert codes[0] == 200
    assert codes[-1] == 429
    right = guesser.post("/sign-in", {"username": "ada", "password": "a-long-pass-phrase"})
    assert right.status_code == 429


def test_signed_out_means_a_text_that_says_what_to_do(db):
    answer = Client().get("/api/productions/")
    assert answer.status_code == 403
    assert "sign-in link" in answer.json()["detail"]
    assert Client().get("/productions/x").headers["Location"].startswith("/sign-in")


@pytest.mark.parametrize("address", ["/", "/sign-in", "/api/session/", "/static/icon.svg"])
def test_every_page_is_isolated_and_allows_no_inline_script(client, address):
    headers = client.get(address).headers
    assert headers["Cross-Origin-Embedder-Policy"] == "require-corp"
    if not address.startswith("/static"):
        policy = headers["Content-Security-Policy"]
        assert "unsafe" not in policy
        assert "default-src 'none'" in policy
        assert headers["X-Frame-Options"] == "DENY"
        assert headers["Cross-Origin-Opener-Policy"] == "same-origin"


def test_a_request_without_the_token_changes_nothing(ada):
    browser = Client(enforce_csrf_checks=True)
    browser.force_login(ada, backend="django.contrib.auth.backends.ModelBackend")
    answer = browser.post("/api/productions/", {"name": "x"}, content_type="application/json")
    assert answer.status_code == 403
    assert browser.get("/api/productions/").json() == []
