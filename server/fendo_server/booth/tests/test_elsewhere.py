"""A reading from elsewhere becomes a take: its samples, its channel, its place, its line."""

import hashlib
import io
import os
import time

import numpy as np
import pytest
import soundfile
from django.conf import settings

from fendo_core.audio import pcm, wav
from fendo_core.production import edits
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_server.booth import elsewhere, outside
from fendo_server.booth.models import Outside
from fendo_server.picture.models import Arrival
from fendo_server.productions import services, state
from fendo_server.productions.models import Production
from fendo_server.takes.description import comp_of_take
from fendo_server.takes.models import Take
from fendo_server.voice.models import Recording
from fendo_server.voice.reading import packed
from fendo_server.work import running
from fendo_server.work.models import Job
from testing import edit, record, send, voice

SLOT = Span(4 * SAMPLE_RATE, 8 * SAMPLE_RATE)


@pytest.fixture
def lines(ada):
    production = services.make_production(ada, "Weir")
    edit(production, ada, edits.AddLines("The heron waits.\nNobody paid him."))
    found = list(production.lines.all())
    edit(production, ada, edits.SetSlot(str(found[0].id), SLOT))
    return found


def arrive(client, line, name: str, data: bytes) -> str:
    body = {"name": name, "size": len(data), "digest": hashlib.sha256(data).hexdigest(), "reading": True}
    arrival = send(client, "POST", f"/api/productions/{line.production_id}/arrivals/", body).json()["id"]
    address = f"/api/arrivals/{arrival}/?at=0"
    answer = client.generic("PUT", address, data, content_type="application/octet-stream")
    assert answer.status_code == 200, answer.content
    return arrival


def bring_in(client, line, name: str, data: bytes, **more) -> Job:
    arrival = arrive(client, line, name, data)
    answer = send(client, "POST", f"/api/arrivals/{arrival}/reading/", {"line": str(line.pk), **more})
    assert answer.status_code == 201, answer.content
    running.run(answer.json()["id"])
    return Job.objects.get(pk=answer.json()["id"])


def own_file(line, sound: np.ndarray, begins: int) -> bytes:
    production = line.production
    reference = production.rate.first_sample(production.start_frame) + begins
    tags = wav.Tags("Weir", "", "1", 1, "", "", reference, "2026-01-02 10:00:00")
    return wav.header(tags, len(sound)) + pcm.from_integers(sound)


def test_a_file_that_knows_its_time_lies_there_with_the_samples_that_it_has(client, lines):
    sound, begins = voice(5.0, 3), SLOT.start - 54_321
    job = bring_in(client, lines[0], "take from the studio.wav", own_file(lines[0], sound, begins))
    assert job.state == Job.State.DONE, job.error
    take = Take.objects.get(pk=job.result["take"])
    assert packed(take.recording.path, 0, len(sound)) == pcm.from_integers(sound)
    assert (take.placed, take.line_id, take.number) == (begins, lines[0].pk, 1)
    assert job.result | {"timed": True, "channel": 0} == job.result
    assert take.peak is not None and take.recording.within == 0 and not take.recording.doubts
    assert not Arrival.objects.exists()
    row = send(client, "GET", f"/api/lines/{lines[0].pk}/takes/").json()[0]
    assert row["latency_source"] == "file" and row["state"] == "finished"


def test_of_two_channels_the_voice_is_taken_and_without_a_time_its_first_word_begins_the_slot(client, lines):
    mono = pcm.to_floats(voice(5.0, 4))[: 48_000 * 5]
    out = io.BytesIO()
    soundfile.write(out, np.stack([0.01 * mono, mono], axis=1), 44_100, format="FLAC", subtype="PCM_16")
    job = bring_in(client, lines[0], "phone.flac", out.getvalue())
    assert job.state == Job.State.DONE, job.error
    assert job.result | {"timed": False, "channel": 2} == job.result
    take = Take.objects.get(pk=job.result["take"])
    assert abs(take.recording.length - len(mono) * 48_000 / 44_100) < 50
    assert take.placed + take.speech_start == SLOT.start
    assert take.loudness is not None and take.peak > -20


def test_the_sound_of_a_film_can_be_a_reading(client, lines, film_file):
    job = bring_in(client, lines[0], "cottage.mp4", film_file.read_bytes())
    assert job.state == Job.State.DONE, job.error
    take = Take.objects.get(pk=job.result["take"])
    assert abs(take.recording.length - 8 * SAMPLE_RATE) < 3_000 and take.peak < 0


def test_of_a_clock_that_is_another_programmes_nothing_is_believed(client, lines):
    data = own_file(lines[0], voice(4.0, 5), 5 * 3600 * SAMPLE_RATE)
    job = bring_in(client, lines[0], "afternoon.wav", data)
    assert not job.result["timed"]
    take = Take.objects.get(pk=job.result["take"])
    assert take.placed + take.speech_start == SLOT.start


def test_the_number_in_a_name_tells_the_line_and_a_name_without_one_is_refused(client, lines):
    data = own_file(lines[0], voice(4.0, 6), SLOT.start)
    job = bring_in(client, lines[0], "Weir 002 - nobody.wav", data, by_name=True)
    assert job.result["line"] == str(lines[1].pk)
    arrival = arrive(client, lines[0], "the good one.wav", data)
    answer = send(client, "POST", f"/api/arrivals/{arrival}/reading/", {"line": str(lines[0].pk), "by_name": True})
    assert answer.status_code == 422 and "the good one.wav" in answer.json()["detail"]
    assert Take.objects.count() == 1 and not Arrival.objects.exists()


def test_a_damaged_file_leaves_no_take_and_says_why(client, lines, ada):
    data = b"RIFF\x24\x00\x00\x00WAVEfmt " + bytes(600)
    job = bring_in(client, lines[0], "broken.wav", data)
    assert job.state == Job.State.FAILED and "damaged" in job.error
    assert not Take.objects.exists() and not Recording.objects.exists() and not Arrival.objects.exists()


def test_what_a_killed_attempt_left_is_gone_when_it_is_made_again(client, lines, monkeypatch):
    data = own_file(lines[0], voice(5.0, 7), SLOT.start)
    arrival = arrive(client, lines[0], "again.wav", data)
    answer = send(client, "POST", f"/api/arrivals/{arrival}/reading/", {"line": str(lines[0].pk)})

    class Killed(BaseException):
        pass

    def killed(*args, **more):
        raise Killed

    with monkeypatch.context() as broken:
        # A kill runs no handler: neither the take nor the file is tidied away.
        broken.setattr(elsewhere.capture, "finish", killed)
        broken.setattr(elsewhere, "_forget_attempt", lambda take_id: None)
        with pytest.raises(Killed):
            running.run(answer.json()["id"])
    assert Take.objects.count() == 1
    running.run(answer.json()["id"])
    (take,) = Take.objects.all()
    assert take.recording.state == Recording.State.FINISHED and take.number == 1
    assert [path.name for path in take.recording.path.parent.iterdir()] == [take.recording.path.name]


def test_what_is_sent_outside_comes_back_when_it_is_saved_again_and_stands_for_what_was_sent(client, lines, ada):
    line = lines[0]
    first = record(line, voice(4.0, 8))
    edit(line.production, ada, edits.Pick(str(line.pk), str(first.pk)))
    answer = send(client, "POST", f"/api/lines/{line.pk}/outside/{first.pk}/")
    assert answer.status_code == 201
    path = settings.DATA / answer.json()["file"]
    assert path.name == "1 take 1.wav"
    sent = wav.describe(path.read_bytes()[: wav.HEADER_BYTES])
    comp = comp_of_take(first)
    assert sent.samples == comp.length
    sounds = comp.segments[0].source
    assert path.read_bytes()[sent.data_offset :] == packed(first.recording.path, sounds.start, sounds.end)
    assert outside.come_back() == 0
    # Another editor writes it plain, without its header, and halves it.
    samples, _ = soundfile.read(path)
    soundfile.write(path, samples / 2, SAMPLE_RATE, subtype="PCM_24")
    assert outside.come_back() == 0, "it may still be written"
    long_ago = time.time() - 60
    os.utime(path, (long_ago, long_ago))
    assert outside.come_back() == 1 and outside.come_back() == 0
    job = Job.objects.get(kind=elsewhere.KIND)
    running.run(str(job.pk))
    job.refresh_from_db()
    assert job.state == Job.State.DONE, job.error
    take = Take.objects.get(number=2)
    assert (take.placed, take.note) == (comp.at, "take 1, edited outside")
    assert take.peak == pytest.approx(first.peak - 6.02, abs=0.05)
    assert str(state.load(line.production).picks[str(line.pk)]) == str(take.pk)
    assert send(client, "POST", f"/api/productions/{line.production_id}/undo/").status_code == 200
    assert state.load(Production.objects.get()).picks[str(line.pk)] == str(first.pk)
    # What is taken away is forgotten; a link to something else is never followed.
    path.unlink()
    path.symlink_to(first.recording.path)
    assert outside.come_back() == 0 and Outside.objects.count() == 1
    path.unlink()
    assert outside.come_back() == 0 and not Outside.objects.exists()


def test_nobody_brings_a_reading_to_a_line_of_another(client, lines, stranger):
    arrival = arrive(client, lines[0], "mine.wav", own_file(lines[0], voice(4.0), SLOT.start))
    client.force_login(stranger, backend="django.contrib.auth.backends.ModelBackend")
    answer = send(client, "POST", f"/api/arrivals/{arrival}/reading/", {"line": str(lines[0].pk)})
    assert answer.status_code == 404
