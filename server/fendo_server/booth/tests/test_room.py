"""The room check over HTTP: what it tells, what it keeps, what it refuses."""

import numpy as np
import soundfile
from django.conf import settings

from fendo_core.audio import pcm
from fendo_core.reader import noises
from fendo_core.timebase import SAMPLE_RATE


def address(production):
    return f"/api/productions/{production.id}/room-check/"


def send(client, production, sound):
    body = pcm.from_integers(pcm.from_floats(sound.astype(np.float32)))
    return client.post(f"{address(production)}?input=a microphone", body, content_type="application/octet-stream")


def test_a_room_is_told_kept_and_compared_with_the_last_time(client, production):
    assert client.get(address(production)).json() == {"room": None}
    rng = np.random.default_rng(2)
    quiet = noises.room_noise(4 * SAMPLE_RATE, -66, rng)
    told = send(client, production, quiet).json()["room"]
    assert abs(told["noise"] + 66) < 0.5 and told["mains"] == 0 and told["input"] == "a microphone"
    assert [one["found"] for one in told["advice"]] == ["quiet"]
    kept = settings.MEDIA / production.directory / told["file"]
    assert np.array_equal(soundfile.read(kept, dtype="int32")[0] >> 8, pcm.from_floats(quiet))
    hums = send(client, production, quiet + noises.hum(len(quiet), -52, rng)).json()["room"]
    found = " / ".join(one["found"] for one in hums["advice"])
    assert hums["mains"] == 50 and "hum at 50 Hz" in found and "louder than the last time" in found
    assert client.get(address(production)).json()["room"] == hums


def test_what_is_no_recording_of_a_room_is_refused(client, production):
    assert send(client, production, np.zeros(1000)).status_code == 422
    assert send(client, production, np.zeros(8 * SAMPLE_RATE)).status_code in (413, 422)
    answer = client.post(address(production), b"12345", content_type="application/octet-stream")
    assert answer.status_code == 422 and answer.json()["detail"]
    assert not production.room_checks.exists()
