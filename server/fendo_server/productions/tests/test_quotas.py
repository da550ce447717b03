"""What the owner of the machine lets each account have."""

from datetime import timedelta

import pytest
from django.utils import timezone

from fendo_core.audio import pcm
from fendo_server.productions import quotas
from fendo_server.voice.models import Recording
from testing import record, send, voice

pytestmark = pytest.mark.django_db
DIGEST = "0" * 64


@pytest.fixture(autouse=True)
def counted_anew(monkeypatch):
    monkeypatch.setattr(quotas, "KNOWN_FOR", 0.0)


def begun(client, production):
    return send(client, "POST", f"/api/lines/{production.lines.first().id}/takes/", {"input": "a microphone"})


def notice(client, production):
    return client.get(f"/api/productions/{production.id}/now/").json()["notice"]


def test_what_goes_beyond_the_disk_of_an_account_does_not_begin_and_nothing_that_goes_on_ends(
    client, production, stranger, settings
):
    record(production.lines.first(), voice(6.0, 1))
    going = begun(client, production).json()["id"]
    have = quotas.used(production.owner)
    settings.MOST_BYTES = have + 10_000
    assert "When it is full no take can begin" in notice(client, production)
    arrival = {"name": "film.mp4", "size": 20_000, "digest": DIGEST}
    refused = send(client, "POST", f"/api/productions/{production.id}/arrivals/", arrival)
    assert refused.status_code == 422 and "GB that your productions may take" in refused.json()["detail"]
    assert send(client, "POST", f"/api/productions/{production.id}/arrivals/", {**arrival, "size": 10}).status_code == 201
    settings.MOST_BYTES = have - 1
    refused = begun(client, production)
    assert refused.status_code == 422 and "Nothing was begun" in refused.json()["detail"]
    # The take that goes on takes its sound, and another account its own.
    sound = pcm.from_integers(voice(1.0, 3))
    sent = client.put(f"/api/takes/{going}/sound/?offset=0", sound, content_type="application/octet-stream")
    assert sent.status_code == 200, sent.content
    quotas.check_disk(stranger)


def test_a_programme_gets_no_longer_than_it_may_be_and_one_that_is_longer_may_get_shorter(client, production, settings):
    line = production.lines.first()

    def slot(start, end):
        revision = client.get(f"/api/productions/{production.id}/now/").json()["revision"]
        edit = {"kind": "set_slot", "revision": revision, "line": str(line.id), "slot": [start, end]}
        return send(client, "POST", f"/api/productions/{production.id}/edits/", edit)

    hour = 3600 * 48_000
    settings.MOST_HOURS = 2.0
    assert slot(0, 2 * hour).status_code == 200
    refused = slot(hour, 3 * hour)
    assert refused.status_code == 422
    assert refused.json()["detail"].startswith("The programme would last 3.0 h; 2 h are allowed here. Nothing was changed.")
    settings.MOST_HOURS = 1.0
    assert slot(0, 2 * hour - 48_000).status_code == 200
    settings.MOST_HOURS = 0.0
    assert slot(hour, 3 * hour).status_code == 200


def test_takes_an_hour_are_counted_and_it_is_said_when_the_next_may_begin(client, production, settings):
    for seed in range(9):
        record(production.lines.first(), voice(1.0, seed))
    settings.MOST_TAKES_AN_HOUR = 10
    assert notice(client, production) == "9 of the 10 takes that are allowed within an hour were begun."
    settings.MOST_TAKES_AN_HOUR = 9
    oldest = Recording.objects.earliest("made")
    Recording.objects.filter(pk=oldest.pk).update(made=timezone.now() - timedelta(minutes=48))
    refused = begun(client, production)
    assert refused.status_code == 422 and "can begin in about 12 minutes" in refused.json()["detail"]
    Recording.objects.filter(pk=oldest.pk).update(made=timezone.now() - timedelta(minutes=61))
    assert begun(client, production).status_code == 201
    settings.MOST_TAKES_AN_HOUR = 0
    assert notice(client, production) == ""
