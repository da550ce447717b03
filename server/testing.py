"""What server tests make and send."""

import hashlib
import json

import numpy as np
from django.test import Client

from fendo_core.audio import pcm
from fendo_core.handover.order import Order
from fendo_core.timebase import SAMPLE_RATE
from fendo_server.booth import capture
from fendo_server.handover.models import Handover
from fendo_server.picture.models import Clip, LaidSound
from fendo_server.productions import changes
from fendo_server.productions.models import Production
from fendo_server.takes.models import Pick, Take
from fendo_server.voice.models import Comp, Recording
from fendo_server.work import running
from fendo_server.work.models import Job


def edit(production, author, what):
    production.refresh_from_db()
    return changes.perform(production, author, production.revision, what)


def voice(seconds: float = 3.0, seed: int = 1) -> np.ndarray:
    """A buzz with a voice's pitch between two stretches of quiet, as 24-bit integers."""
    rng = np.random.default_rng(seed)
    count = int(seconds * SAMPLE_RATE)
    t = np.arange(count) / SAMPLE_RATE
    buzz = sum(np.sin(2 * np.pi * 130 * k * t) / k for k in range(1, 12)) * 0.12
    shape = ((t > 1.0) & (t < seconds - 1.0)).astype(float)
    return pcm.from_floats(buzz * shape + rng.standard_normal(count) * 0.0008)


def clock_of(start: int) -> dict:
    """The clock log of a take of the simulated reader that begins at a programme sample."""
    return {"capture": [[0, 0]], "transport": [[0, start]], "source": "none"}


def record(line, sound: np.ndarray, start: int | None = None, cut_off: bool = False):
    """A finished take of a line; its sound begins one second before the slot unless told."""
    take = capture.begin(line, "a microphone")
    for first in range(0, len(sound), 9 * SAMPLE_RATE):
        capture.append(take, first, pcm.from_integers(sound[first : first + 9 * SAMPLE_RATE]))
    at = (line.slot_start or 0) - SAMPLE_RATE if start is None else start
    return capture.finish(take, len(sound), [clock_of(at)], cut_off)


def send(client: Client, method: str, address: str, body=None, **more):
    """A JSON request, and what came back."""
    answer = client.generic(
        method, address, json.dumps(body if body is not None else {}), content_type="application/json", **more
    )
    return answer


def forget_everything():
    """As if the database were gone."""
    Pick.objects.all().delete()
    Comp.objects.all().delete()
    Take.objects.all().delete()
    Recording.objects.all().delete()
    Clip.objects.all().delete()
    LaidSound.objects.all().delete()
    Production.objects.all().delete()


def order(**more) -> dict:
    """An order as a page sends it."""
    return {name: value for name, value in (Order().as_row() | more).items() if name != "version"}


def hand_over(client: Client, production, **more) -> Job:
    """Something handed over; the job, as it ended."""
    made = send(client, "POST", f"/api/productions/{production.id}/handover/", order(**more))
    assert made.status_code == 201, made.content
    running.run(made.json()["id"])
    return Job.objects.get(pk=made.json()["id"])


def handed(client: Client, production, **more) -> Handover:
    """What was handed over."""
    job = hand_over(client, production, **more)
    assert job.state == "done", job.error
    return Handover.objects.get(pk=job.result["handover"])


def takes_of(client: Client, production) -> list[dict]:
    """All takes of a production, asked for line by line as the interface does."""
    lines = client.get(f"/api/productions/{production.id}/").json()["lines"]
    return [take for line in lines for take in client.get(f"/api/lines/{line['id']}/takes/").json()]


def bring(client: Client, production, body: bytes, name: str, laid: bool = True):
    """A file brought in as the page does it: announced, sent in two pieces, finished. The last answer that came."""
    half = max(400, len(body) // 2)
    announced = {"name": name, "size": len(body), "digest": digest(body)}
    answer = send(client, "POST", f"/api/productions/{production.id}/arrivals/", announced)
    if answer.status_code != 201 or answer.json()["known"]:
        return answer
    address = f"/api/arrivals/{answer.json()['id']}/"
    for at, piece in ((0, body[:half]), *([(half, body[half:])] if body[half:] else [])):
        answer = client.generic("PUT", f"{address}?at={at}", piece, content_type="application/octet-stream")
        if answer.status_code != 200:
            return answer
    return send(client, "POST", f"{address}finish/", {"laid": laid})


def digest(body: bytes) -> str:
    """The second account of how a file is known again: the one that pages compute."""
    mib, size = 1 << 20, len(body)
    middle = max(0, size // 2 - mib // 2)
    told = str(size).encode() + body[:mib] + body[middle : middle + mib] + body[max(0, size - mib) :]
    return hashlib.sha256(told).hexdigest()
