"""What a second screen is told."""

import pytest

from fendo_server.booth import screen

pytestmark = pytest.mark.django_db


def test_a_second_screen_shows_what_the_booth_told_last_and_nothing_when_that_is_closed(client, production, monkeypatch):
    clock = [1_000.0]
    monkeypatch.setattr(screen.time, "monotonic", lambda: clock[0])
    address, line = f"/api/productions/{production.id}/screen/", str(production.lines.first().id)

    def tell(**said):
        answer = client.post(
            address, {"line": line, "state": "ready", "take": None, "word": None, **said}, content_type="application/json"
        )
        assert answer.status_code == 200, answer.content
        return answer.json()["watched"]

    assert not tell(), "nobody has looked yet"
    assert client.get(address).json() == {
        "open": True, "line": line, "state": "ready", "take": None, "word": None, "seconds": 0.0
    }  # fmt: skip
    tell(state="recording", take=3)
    clock[0] += 2.5
    assert tell(state="recording", take=3, word=4), "somebody looks: words are worth telling"
    shown = client.get(address).json()
    assert (shown["state"], shown["take"], shown["word"], shown["seconds"]) == ("recording", 3, 4, 2.5)
    clock[0] += screen.WATCHED + 0.1
    assert not tell(state="recording", take=3)
    clock[0] += screen.FORGOTTEN + 0.1
    assert not client.get(address).json()["open"], "a Booth that says nothing any more is closed"
    for wrong in ({"state": "flying"}, {"take": -1}, {"word": 10**9}, {"line": "x"}):
        said = {"line": line, "state": "ready", "take": None, "word": None, **wrong}
        assert client.post(address, said, content_type="application/json").status_code == 400
