"""Wrong values are refused in words: none of them is an error that nobody foresaw, and none changes anything."""

import json
import random

import pytest

from fendo_server.productions import state
from fendo_server.productions.serializers import EDITS
from testing import order, record, send, voice

WRONG = (
    2**31, 2**53, 2**63, 10**30, -1, -(2**63), 0, 1.5, 1e308, True, None, "", "x" * 5_000, "a\0b", "../..", "NaN", [],
    [0, 0], [5, 1], [2**62, 2**63], [[]], {}, {"a": 1}, "00:00:00:00", ["\0"], [None], [{}],
)  # fmt: skip
KNOWN = ("line", "take", "voice")
REQUESTS = 400


@pytest.fixture
def post(client, production):
    """Sends to an address of the production; what came back must not be an error of ours."""
    client.raise_request_exception = False

    def do(path: str, body) -> int:
        text = body if isinstance(body, str) else json.dumps(body)
        answer = client.post(f"/api/productions/{production.id}/{path}", text, content_type="application/json")
        assert answer.status_code < 500, (path, text[:400])
        if answer.status_code >= 400:
            assert answer.headers["Content-Type"] == "application/problem+json"
            assert len(answer.content) < 4_000, "what was sent is not sent back at length"
        return answer.status_code

    return do


def test_edits_with_values_of_every_kind_are_done_or_refused(post, client, production):
    """Each field of each edit in turn, and all of them at once; seeded, so that what is found can be found again."""
    line = production.lines.first()
    take = record(line, voice())
    good = {"line": str(line.id), "take": str(take.id), "voice": str(take.id)}
    dice = random.Random(18)
    for _ in range(REQUESTS):
        kind = dice.choice(list(EDITS))
        fields = [name for name in EDITS[kind]().fields if name not in ("kind", "revision")]
        values = {name: good.get(name, 48_000) for name in fields}
        for name in fields if dice.random() < 0.3 else dice.sample(fields, min(1, len(fields))):
            values[name] = dice.choice(WRONG)
        production.refresh_from_db()
        post("edits/", {"kind": kind, "revision": production.revision, **values})
    assert client.get(f"/api/productions/{production.id}/").status_code == 200
    assert state.load(production).lines, "and it can still be opened"


def test_what_is_no_json_or_no_edit_is_refused(post):
    for text in ("[" * 100_000, '"\\ud800"', '{"kind": "\\ud800", "revision": 0}', "NaN", "{", "", "\0", '{"kind": NaN}'):
        assert post("edits/", text) in (400, 422)
    for kind in WRONG:
        assert post("edits/", {"kind": kind, "revision": 0}) == 422
    for revision in WRONG:
        post("edits/", {"kind": "renumber", "revision": revision})


def test_orders_places_and_settings_are_bounded_too(post, client, production):
    dice = random.Random(12)
    for _ in range(150):
        values = order()
        for name in dice.sample(list(values), 2):
            values[name] = dice.choice(WRONG)
        post("handover/plan/", values)
        post("typed-position/", {"typed": dice.choice(WRONG), "now": dice.choice(WRONG)})
    names = [
        "name",
        "pace",
        "wanted_length",
        "language",
        "reader",
        "speech_level",
        "duck_rise",
        "input",
        "landing",
        "binned",
    ]
    client.raise_request_exception = False
    for name in (*names, "binned"):
        for value in WRONG:
            answer = send(client, "PATCH", f"/api/productions/{production.id}/", {name: value})
            assert answer.status_code < 500, (name, value)
