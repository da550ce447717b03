"""Nobody sees what is somebody else's: every address is walked, as a stranger and as nobody."""

import uuid

import pytest
from django.test import Client

from fendo_core.voice.chain import STARTS
from fendo_server.handover.models import Handover, Preset
from fendo_server.picture.models import Arrival, Source
from fendo_server.polish.models import KeptTreatment
from fendo_server.takes.description import comp_of_take
from fendo_server.urls import api
from fendo_server.voice.sounding import Sounding
from fendo_server.work.models import Job
from testing import order, record, send, voice

OPEN_TO_ALL_SIGNED_IN = {
    "session/",
    "productions/",
    "round-trip/",
    "round-trip/sound/",
    "handover-presets/",
    "treatments/",
    "treatments/file/",
    "archives/",
}


@pytest.fixture
def ids(production, ada):
    """One of everything that Ada owns, by the name it has in addresses."""
    line = production.lines.first()
    source = Source.objects.create(production=production, name="f", file="Picture/f.mp4", state="ready", length=48_000)
    arrival = Arrival.objects.create(production=production, name="g", size=9, digest="0" * 64)
    job = Job.objects.create(production=production, kind="hand over", state="done")
    kept = Handover.objects.create(production=production, folder="x", order=order(), files=[{"path": "y"}], lines={})
    take = record(line, voice())
    return {
        "production_id": production.id,
        "source_id": source.id,
        "arrival_id": arrival.id,
        "line_id": line.id,
        "take_id": take.id,
        "folder_id": production.landing_id,
        "voice_id": take.id,
        "recording_id": take.recording_id,
        "key": Sounding(production, comp_of_take(take)).key,
        "job_id": job.id,
        "handover_id": kept.id,
        "preset_id": Preset.objects.create(owner=ada, name="Mine", order=order()).id,
        "treatment_id": KeptTreatment.objects.create(owner=ada, name="Mine", chain=STARTS[0].as_row()).id,
        "kind": "rumble",
        "piece": 0,
        "number": 0,
        "form": "srt",
    }


def address_of(route: str, ids: dict) -> str:
    for name, value in ids.items():
        for kind in ("uuid", "int", "str"):
            route = route.replace(f"<{kind}:{name}>", str(value))
    assert "<" not in route, f"the walk does not know how to fill {route}"
    return f"/api/{route}"


def test_every_address_is_closed_to_strangers_and_to_nobody(ids, stranger, client):
    other, nobody = Client(), Client()
    other.force_login(stranger, backend="django.contrib.auth.backends.ModelBackend")
    unknown = {name: uuid.uuid4() if isinstance(value, uuid.UUID) else value for name, value in ids.items()}
    for pattern in api:
        route = str(pattern.pattern)
        for method in ("GET", "POST", "PUT", "PATCH", "DELETE"):
            address = address_of(route, ids)
            assert send(nobody, method, address).status_code == 403, (method, address)
            answer = send(other, method, address)
            if route in OPEN_TO_ALL_SIGNED_IN:
                continue
            assert answer.status_code in (404, 405, 415), (method, address, answer.status_code)
            missing = send(other, method, address_of(route, unknown))
            assert missing.status_code == answer.status_code, "what exists and what does not must look the same"
            if answer.status_code == 404:
                assert missing.content == answer.content
    assert other.get("/api/productions/").json() == []
    assert len(client.get("/api/productions/").json()) == 1


def test_ids_of_another_production_do_not_slip_in_through_the_body(ids, stranger, production):
    from fendo_server.productions import services

    own = services.make_production(stranger, "Mine")
    browser = Client()
    browser.force_login(stranger, backend="django.contrib.auth.backends.ModelBackend")
    base = f"/api/productions/{own.id}"
    for body in (
        {"kind": "pick", "line": str(ids["line_id"]), "voice": str(ids["take_id"])},
        {"kind": "move_voice", "voice": str(ids["take_id"]), "by": 480},
        {"kind": "add_clips", "clips": [{"source": str(ids["source_id"])}]},
        {"kind": "lay_sound", "source": str(ids["source_id"]), "at": 0},
        {"kind": "set_words", "line": str(ids["line_id"]), "text": "x"},
        {"kind": "set_aside", "take": str(ids["take_id"]), "aside": True},
    ):
        assert send(browser, "POST", f"{base}/edits/", {**body, "revision": 0}).status_code == 422
    assert send(browser, "PATCH", f"{base}/", {"landing": str(production.landing_id)}).status_code == 422
    assert send(browser, "POST", f"{base}/folders/", {"name": "x", "parent": str(production.landing_id)}).status_code == 422
