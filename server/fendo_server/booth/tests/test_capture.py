"""Pieces of sound become a take: every way in which they can arrive, and what is safe when."""

import errno
import io
import os
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest
import soundfile
from django.db import connections
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fendo_core.audio import pcm, wav
from fendo_core.production import edits
from fendo_core.reader import narrator
from fendo_core.takes import measures
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_server.booth import capture, following, recording_now
from fendo_server.picture import services
from fendo_server.problems import Problem
from fendo_server.productions import state
from fendo_server.productions.models import Production
from fendo_server.takes import headphones
from fendo_server.takes.making import film_sound
from fendo_server.takes.models import Take
from fendo_server.voice.models import Recording
from fendo_server.voice.reading import read_sound
from fendo_server.work import running
from fendo_server.work.models import Job
from testing import bring, clock_of, edit, order, record, send, takes_of, voice


def recording_of(take):
    return Take.objects.get(pk=take["id"]).recording


CLOCK = {"capture": [[0, 1000]], "transport": [[500, -200]], "source": "none"}


@pytest.fixture
def booth(client, production):
    """Speaks to the server as the outbox does."""

    browser = client

    class Booth:
        line = production.lines.first()
        client = browser

        def begin(self):
            return send(client, "POST", f"/api/lines/{self.line.id}/takes/", {"input": "mic"}).json()

        def put(self, take, offset, sound):
            address = f"/api/takes/{take['id']}/sound/?offset={offset}"
            return client.put(address, pcm.from_integers(sound), content_type="application/octet-stream")

        def finish(self, take, total, **more):
            return send(client, "POST", f"/api/takes/{take['id']}/finish/", {"total": total, "clock": CLOCK, **more})

    return Booth()


def test_a_take_has_its_name_before_its_first_sample_and_lands_where_it_was_said(booth, own_data):
    take = booth.begin()
    assert take["file"] == "The Tide Mill 001 Nobody at Orsey needs a t01.wav"
    folder = own_data / "media" / "The Tide Mill" / "Narration"
    assert [p.name for p in folder.iterdir()] == [f"{take['file']}.part"]
    sound = voice()
    booth.put(take, 0, sound)
    described = booth.finish(take, len(sound)).json()
    assert [p.name for p in folder.iterdir()] == [take["file"]]
    assert described["start"] == -200 + 500
    assert described["state"] == "finished"
    info = wav.describe((folder / take["file"]).read_bytes()[: wav.HEADER_BYTES])
    assert info.tags.words == "Nobody at Orsey needs a clock."
    assert info.tags.time_reference == 10 * 3600 * SAMPLE_RATE + 300
    assert info.tags.notes["FENDO_TAKE"] == take["id"]


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.lists(st.integers(1, 5000), min_size=1, max_size=8),
    st.lists(st.tuples(st.integers(0, 7), st.integers(0, 7)), max_size=8),
)
def test_pieces_sent_again_or_out_of_turn_never_change_what_is_there(booth, sizes, disturbances):
    sound = np.random.default_rng(sum(sizes)).integers(-(2**23), 2**23, sum(sizes), dtype=np.int32)
    starts = np.cumsum([0, *sizes])[:-1]
    take = booth.begin()
    for n, (start, size) in enumerate(zip(starts, sizes, strict=True)):
        for when, which in disturbances:
            if when == n and which < len(sizes):
                other = slice(starts[which], starts[which] + sizes[which])
                booth.put(take, int(starts[which]), sound[other])
        answer = booth.put(take, int(start), sound[start : start + size])
        assert answer.status_code == 200
        assert answer.json()["have"] >= start + size
    assert booth.finish(take, len(sound)).status_code == 200
    found, _ = soundfile.read(Take.objects.get(pk=take["id"]).path, dtype="int32")
    assert np.array_equal(found >> 8, sound)


def test_a_missing_piece_is_asked_for_and_an_unfinished_take_is_not_closed(booth):
    take = booth.begin()
    booth.put(take, 0, voice()[:1000])
    ahead = booth.put(take, 2000, voice()[:10])
    assert (ahead.status_code, ahead.json()["have"]) == (409, 1000)
    early = booth.finish(take, 5000)
    assert (early.status_code, early.json()["have"]) == (409, 1000)
    assert booth.finish(booth.begin(), 0).json()["title"] == "Nothing was recorded"


def test_a_torn_write_is_cut_back_to_whole_samples(booth):
    take = booth.begin()
    sound = voice()
    booth.put(take, 0, sound[:1000])
    part = recording_of(take).part
    with part.open("ab") as file:
        file.write(b"\x01\x02")
    assert booth.put(take, 1000, sound[1000:]).json()["have"] == len(sound)
    booth.finish(take, len(sound))
    found, _ = soundfile.read(Take.objects.get(pk=take["id"]).path, dtype="int32")
    assert np.array_equal(found >> 8, sound)


def test_a_full_disk_acknowledges_nothing_and_loses_nothing(booth, monkeypatch):
    take, sound = booth.begin(), voice()
    booth.put(take, 0, sound[:1000])

    def full(_descriptor):
        raise OSError(errno.ENOSPC, "no space")

    monkeypatch.setattr(capture, "_sync", full)
    answer = booth.put(take, 1000, sound[1000:])
    assert answer.status_code == 507
    assert "is safe" in answer.json()["detail"]
    assert recording_now.on_disk(recording_of(take)) == 1000
    monkeypatch.setattr(capture, "_sync", os.fsync)
    assert booth.put(take, 1000, sound[1000:]).json()["have"] == len(sound)


def test_a_finished_take_never_changes(booth):
    take, sound = booth.begin(), voice()
    booth.put(take, 0, sound)
    booth.finish(take, len(sound))
    path = Take.objects.get(pk=take["id"]).path
    before = path.read_bytes()
    assert booth.put(take, 0, np.zeros(500, np.int32)).json()["have"] == len(sound)
    assert booth.put(take, len(sound), np.zeros(500, np.int32)).status_code == 409
    assert booth.finish(take, 7, cut_off=True).json()["length"] == len(sound)
    assert path.read_bytes() == before
    assert path.stat().st_mode & 0o222 == 0


def test_a_second_take_never_overwrites_the_first_even_when_the_database_forgot_it(booth, own_data):
    one, two = booth.begin(), booth.begin()
    assert (one["number"], two["number"]) == (1, 2)
    folder = own_data / "media" / "The Tide Mill" / "Narration"
    (folder / "The Tide Mill 001 Nobody at Orsey needs a t03.wav").write_bytes(b"from a backup")
    three = booth.begin()
    assert three["file"] == "The Tide Mill 001 Nobody at Orsey needs a t03 (2).wav"


def test_a_forgotten_take_becomes_a_take_marked_as_cut_off(booth):
    take, sound = booth.begin(), voice()
    empty = booth.begin()
    booth.put(take, 0, sound)
    assert capture.close_forgotten() == 0
    assert capture.close_forgotten(older_than=-1) == 1
    closed = recording_of(take)
    assert (closed.state, closed.cut_off, closed.length) == ("finished", True, len(sound))
    assert not Take.objects.filter(pk=empty["id"]).exists()


def test_what_a_browser_brings_after_its_take_was_closed_without_it_goes_on_the_take(booth):
    take, sound = booth.begin(), voice()
    address = f"/api/takes/{take['id']}/sound/?offset=0"
    log = '{"capture": [[0, 700]], "transport": [[500, 48000]], "source": "none"}'
    body = pcm.from_integers(sound[:96_000])
    booth.client.put(address, body, content_type="application/octet-stream", headers={"X-Clock": log})
    assert capture.close_forgotten(older_than=-1) == 1
    closed = recording_of(take)
    assert (closed.length, closed.start, closed.cut_off) == (96_000, 48_200, True)
    # The browser is back: first a piece that is known, then the rest.
    assert booth.put(take, 0, sound[:48_000]).json()["have"] == 96_000
    assert booth.put(take, 96_000, sound[96_000:]).json()["have"] == len(sound)
    answer = send(booth.client, "POST", f"/api/takes/{take['id']}/finish/", {"total": len(sound), "clock": {}})
    assert (answer.status_code, answer.json()["length"]) == (200, len(sound))
    again = recording_of(take)
    assert (again.start, again.cut_off, again.forgotten) == (48_200, False, False)
    found, _ = soundfile.read(again.path, dtype="int32")
    assert np.array_equal(found >> 8, sound)
    assert not again.clock_log.exists()


def test_a_take_whose_clock_readings_were_lost_lies_where_its_line_begins_and_says_so(booth):
    take, sound = booth.begin(), voice()
    booth.put(take, 0, sound)
    answer = send(
        booth.client, "POST", f"/api/takes/{take['id']}/finish/", {"total": len(sound), "clock": {"source": "measured"}}
    )
    body = answer.json()
    assert body["start"] == booth.line.slot_start - round(0.85 * SAMPLE_RATE)
    assert any("clock readings were lost" in fault for fault in body["faults"])


def test_a_take_is_found_again_that_was_closed_on_the_disk_but_not_in_the_database(booth, monkeypatch):
    take, sound = booth.begin(), voice()
    booth.put(take, 0, sound)

    def gone(_take, *_given, **_more):
        raise OSError("the database went away")

    monkeypatch.setattr(Recording, "save", gone)
    answer = booth.finish(take, len(sound))
    assert answer.status_code == 500 and "takes are safe" in answer.json()["detail"]
    monkeypatch.undo()
    assert recording_of(take).state == "recording"
    assert booth.finish(take, len(sound)).json()["length"] == len(sound)


def test_a_long_take_is_there_at_once_and_measured_by_a_job(booth, client, production):
    take, sound = booth.begin(), np.concatenate([voice(5.0, seed) for seed in range(13)])
    for at in range(0, len(sound), 240_000):
        booth.put(take, at, sound[at : at + 240_000])
    body = booth.finish(take, len(sound)).json()
    assert (body["state"], body["measured"], body["peak"], body["remarks"]) == ("finished", False, None, ["being measured"])
    job = Job.objects.get(kind="measure take")
    running.run(str(job.pk))
    (row,) = takes_of(client, production)
    whole = measures.measure(read_sound(Take.objects.get(pk=take["id"]).path))
    assert row["measured"] and row["peak"] == whole.peak
    spoken = [at - row["start"] for at in row["voice"]["speech"]]
    assert abs(spoken[0] - whole.speech.start) <= 480 and abs(spoken[1] - whole.speech.end) <= 480
    assert abs(row["loudness"] - whole.loudness) < 0.05
    first = row["voice"]["span"][0] - row["start"]
    address = f"/api/voices/{take['id']}/{row['voice']['key']}"
    assert len(client.get(f"{address}/wave/").content) == 2 * -(-row["voice"]["length"] // 480)
    # It is heard in pieces, bit for bit.
    piece = client.get(f"{address}/sound/?start=1000&end=49000")
    heard, _ = soundfile.read(io.BytesIO(piece.content), dtype="int32")
    assert np.array_equal(heard >> 8, sound[first + 1000 : first + 49_000])
    for bad in ("start=5&end=5", "end=99999999999", "start=-1&end=4", "start=x&end=5"):
        assert client.get(f"{address}/sound/?{bad}").status_code in (400, 422)
    assert client.get(f"{address}/sound/?start=0&end={61 * SAMPLE_RATE}").status_code == 422


def test_the_clock_map_is_there_for_whoever_asks(booth, client):
    take, sound = booth.begin(), voice()
    booth.put(take, 0, sound)
    log = {"capture": [[0, 9000]], "transport": [[1000, 0]], "source": "browser", "latency": 2000, "gaps": [[48_000, 128]]}
    send(client, "POST", f"/api/takes/{take['id']}/finish/", {"total": len(sound), "clock": log})
    found = client.get(f"/api/takes/{take['id']}/clock/").json()
    assert (found["pieces"][0]["programme"], found["source"], found["latency"]) == (6000, "browser", 2000)
    assert found["gaps"] == [[48_000, 128]] and found["within"] >= 960
    assert any("missing" in words for _, words in found["doubts"])


def test_the_loop_test_finds_the_way_and_remembers_it_for_its_devices(client, stranger):
    sound = client.get("/api/round-trip/sound/")
    train, rate = soundfile.read(io.BytesIO(sound.content), dtype="float32")
    assert rate == SAMPLE_RATE
    ways = "input=Mic&output=Headphones&browser=Chrome"
    assert client.get(f"/api/round-trip/?{ways}").json()["latency"] is None
    looped = np.concatenate([np.zeros(1987, np.float32), train])[: len(train)]
    post = lambda what: client.post(f"/api/round-trip/?{ways}", what, content_type="application/octet-stream")  # noqa: E731
    assert post(pcm.from_integers(pcm.from_floats(looped))).json()["latency"] == 1987
    assert client.get(f"/api/round-trip/?{ways}").json()["latency"] == 1987
    assert client.get("/api/round-trip/?input=Mic&output=Speaker&browser=Chrome").json()["latency"] is None
    silent = post(bytes(3 * len(train)))
    assert silent.status_code == 422 and "no sound at all" in silent.json()["detail"]
    assert post(b"1234").status_code == 422
    assert client.get("/api/round-trip/").status_code == 400
    client.force_login(stranger, backend="django.contrib.auth.backends.ModelBackend")
    assert client.get(f"/api/round-trip/?{ways}").json()["latency"] is None


def test_a_count_in_that_is_called_off_leaves_no_take_but_a_reading_is_kept(booth, client):
    take = booth.begin()
    booth.put(take, 0, voice()[: SAMPLE_RATE // 2])
    assert client.post(f"/api/takes/{take['id']}/abandon/").status_code == 204
    assert not Take.objects.exists()
    kept = booth.begin()
    booth.put(kept, 0, voice())
    assert client.post(f"/api/takes/{kept['id']}/abandon/").status_code == 422
    assert Take.objects.filter(pk=kept["id"]).exists()


@pytest.mark.parametrize("bad", ["?offset=-1", "?offset=x", ""])
def test_a_piece_without_a_place_is_refused(booth, client, bad):
    take = booth.begin()
    answer = client.put(f"/api/takes/{take['id']}/sound/{bad}", b"abc", content_type="application/octet-stream")
    assert answer.status_code == 422


def test_the_simulated_reader_reads_the_line(client, production):
    line = production.lines.first()
    answer = client.get(f"/api/lines/{line.id}/simulated-reading/?seed=4&fault=late")
    assert answer.status_code == 200
    assert answer.headers["X-Cue"] == str(SAMPLE_RATE)
    assert client.get(f"/api/lines/{line.id}/simulated-reading/?fault=sneeze").status_code == 400


def test_what_is_done_to_a_take_while_it_is_measured_stands(booth, client, production, monkeypatch):
    take, sound = booth.begin(), np.concatenate([voice(5.0, seed) for seed in range(5)])
    for at in range(0, len(sound), 240_000):
        booth.put(take, at, sound[at : at + 240_000])
    booth.finish(take, len(sound))
    real = capture.measure_blocks

    def meanwhile(blocks, played):
        answer = send(
            client,
            "POST",
            f"/api/productions/{production.id}/edits/",
            {"kind": "set_aside", "take": take["id"], "aside": True, "revision": 99},
        )
        assert answer.status_code == 200
        Take.objects.filter(pk=take["id"]).update(place=4800)
        return real(blocks, played)

    monkeypatch.setattr(capture, "measure_blocks", meanwhile)
    running.run(str(Job.objects.get(kind="measure take").pk))
    kept = Take.objects.get(pk=take["id"])
    assert (kept.aside, kept.place) == (True, 4800) and kept.peak is not None


def test_a_take_that_can_not_be_measured_or_placed_is_saved_all_the_same(booth, monkeypatch):
    def broken(*given):
        raise ZeroDivisionError("a fault of Fendo's own")

    take, sound = booth.begin(), voice(3.0)
    booth.put(take, 0, sound)
    with monkeypatch.context() as patched:
        patched.setattr(capture, "measure_blocks", broken)
        patched.setattr(capture.ClockLog, "from_parts", broken)
        body = booth.finish(take, len(sound)).json()
    assert (body["state"], body["length"], body["measured"]) == ("finished", len(sound), False)
    kept = Take.objects.get(pk=take["id"])
    assert kept.path.exists() and "readings were lost" in kept.recording.doubts[0][1]
    running.run(str(Job.objects.get(kind="measure take").pk))
    kept.refresh_from_db()
    assert kept.peak is not None


def test_a_file_that_is_gone_is_said_and_a_full_disk_leaves_no_stub(booth, production, own_data, monkeypatch):
    take = booth.begin()
    recording_of(take).part.unlink()
    answer = booth.put(take, 0, voice(1.0))
    assert answer.status_code == 410 and "stays in this browser" in answer.json()["detail"]
    before = set(own_data.glob("media/*/*/*"))

    def full(descriptor):
        raise OSError(errno.ENOSPC, "no space")

    monkeypatch.setattr(capture, "_sync", full)
    refused = send(booth.client, "POST", f"/api/lines/{booth.line.id}/takes/", {"input": "mic"})
    assert refused.status_code == 507
    assert set(own_data.glob("media/*/*/*")) == before and Take.objects.count() == 1


def test_a_take_is_judged_against_the_slot_of_today(client, production):
    line = production.lines.first()
    record(line, voice(4.0))
    read = lambda: takes_of(client, production)[0]  # noqa: E731
    assert read()["remarks"] == ["on cue", "inside its slot"]
    body = {"kind": "set_slot", "line": str(line.id), "slot": [SAMPLE_RATE, 3 * SAMPLE_RATE], "revision": 99}
    send(client, "POST", f"/api/productions/{production.id}/edits/", body)
    assert [fault.split(" ", 1)[1] for fault in read()["faults"]] == ["s late", "s past the end of the slot"]


@pytest.mark.django_db(transaction=True)
def test_two_senders_of_one_take_at_once_leave_one_whole_recording(production):
    """A recovered page and a slow old request may send the same pieces at the same moment."""
    line = production.lines.first()
    take = capture.begin(line, "mic")
    sound = np.random.default_rng(3).integers(-(2**23), 2**23, 60_000, dtype=np.int32)
    pieces = [(at, pcm.from_integers(sound[at : at + 1500])) for at in range(0, len(sound), 1500)]

    def send_all(seed: int) -> None:
        try:
            own = Take.objects.get(pk=take.pk)
            waiting = list(pieces)
            rng = np.random.default_rng(seed)
            while waiting:
                at = int(rng.integers(0, min(4, len(waiting))))
                try:
                    capture.append(own, *waiting[at])
                    waiting.pop(at)
                except Problem as problem:
                    assert problem.status_code == 409
        finally:
            connections.close_all()

    with ThreadPoolExecutor(4) as pool:
        list(pool.map(send_all, range(4)))
    assert recording_now.on_disk(take.recording) == len(sound)
    with take.recording.part.open("rb") as file:
        file.seek(wav.HEADER_BYTES)
        assert np.array_equal(pcm.to_integers(file.read()), sound)


@pytest.mark.django_db(transaction=True)
def test_takes_begun_at_the_same_moment_get_different_numbers_and_files(production):
    line = production.lines.first()

    def begin(_n: int) -> tuple[int, str]:
        try:
            take = capture.begin(line, "mic")
            return take.number, take.recording.file_name
        finally:
            connections.close_all()

    with ThreadPoolExecutor(6) as pool:
        begun = list(pool.map(begin, range(12)))
    assert sorted(number for number, _ in begun) == list(range(1, 13))
    assert len({name.lower() for _, name in begun}) == 12


def test_while_a_line_is_read_it_is_told_when_it_is_over_and_afterwards_what_comes_next(client, production):
    line = production.lines.first()
    reading = narrator.read(line.text, 5, tail=3 * SAMPLE_RATE)
    sound, take = pcm.from_floats(reading.samples), capture.begin(line, "a microphone")
    address = f"/api/takes/{take.id}/so-far/?cue={reading.cue}"
    told = []
    for first in range(0, len(sound), SAMPLE_RATE // 2):
        capture.append(take, first, pcm.from_integers(sound[first : first + SAMPLE_RATE // 2]))
        told.append(client.get(address).json())
    over = [one["heard"] for one in told if one["over"]]
    assert over and reading.speech_end + SAMPLE_RATE < over[0] < reading.speech_end + 3 * SAMPLE_RATE
    assert not told[0]["speaks"] and told[-1]["speaks"]
    assert client.get(f"/api/takes/{take.id}/so-far/?cue=-1").status_code == 400
    capture.finish(take, len(sound), [clock_of(line.slot_start - reading.cue)], False)
    after = client.get(f"/api/takes/{take.id}/after/?readings=1").json()
    assert after == {"next": "on", "faults": []}
    late = record(line, sound, start=line.slot_start)
    found = client.get(f"/api/takes/{late.id}/after/?readings=2").json()
    assert found["next"] == "again" and "late" in found["faults"][0]
    assert client.get(f"/api/takes/{late.id}/after/?readings=3").json()["next"] == "on"


def test_a_film_that_leaks_out_of_the_headphones_is_said_with_the_take(production, ada, film_file, tmp_path, client):
    arrived = tmp_path / "arrived"
    arrived.write_bytes(film_file.read_bytes())
    services.bring_in(production, ada, "mill.mp4", arrived)
    running.run(str(Job.objects.get().pk))
    line = production.lines.first()
    leak = film_sound(production, state.load(production), Span(0, 8 * SAMPLE_RATE))

    def read(leaks: float, headphones: bool, source: str = "measured") -> Take:
        production.headphones = headphones
        production.save(update_fields=["headphones"])
        sound = pcm.to_floats(voice(8.0, 5)) + leaks * np.roll(leak, 300)
        take = capture.begin(line, "a microphone")
        capture.append(take, 0, pcm.from_integers(pcm.from_floats(sound)))
        clock = {"capture": [[0, 0]], "transport": [[0, 0]], "source": source, "fresh": True}
        return capture.finish(Take.objects.select_related(*capture.WITH).get(pk=take.pk), 8 * SAMPLE_RATE, [clock], False)

    leaking, dry = read(0.02, True), read(0.0, True)
    unheard, simulated = read(0.02, False), read(0.02, True, "none")
    # Loud as it is, what the film says is taken for no word of the reader's.
    loud = read(0.1, True)
    assert abs(loud.speech_start - dry.speech_start) < 3840 and abs(loud.speech_end - dry.speech_end) < 3840
    bare, heard = (read_sound(one.recording.path, 0, one.last) for one in (dry, loud))
    assert np.mean((headphones.voice_alone(loud) - bare) ** 2) < 0.2 * np.mean((heard - bare) ** 2)
    assert np.array_equal(headphones.voice_alone(dry), bare)
    rows = {row["id"]: row for row in send(client, "GET", f"/api/lines/{line.pk}/takes/").json()}
    assert any("the programme is heard in it" in fault for fault in rows[str(leaking.pk)]["faults"])
    assert "turn the headphones down, or wear closed ones" in rows[str(leaking.pk)]["advice"]
    # Music that is laid under the picture is heard too, unless the original alone is.
    music = np.random.default_rng(8).standard_normal(8 * SAMPLE_RATE) * 0.1 * (np.arange(8 * SAMPLE_RATE) % 24_000 < 12_000)
    soundfile.write(arrived, music, SAMPLE_RATE, format="WAV")
    laid = services.bring_in(production, ada, "music.wav", arrived, laid=False)
    running.run(str(Job.objects.first().pk))
    production.refresh_from_db()
    edit(production, ada, edits.LaySound(str(laid.pk), 0))
    leak = music.astype(np.float32)
    with_music = read(0.1, True)
    production.monitor = "original"
    production.save(update_fields=["monitor"])
    without = read(0.1, True)
    rows = {row["id"]: row for row in send(client, "GET", f"/api/lines/{line.pk}/takes/").json()}
    assert any("the programme is heard in it" in fault for fault in rows[str(with_music.pk)]["faults"])
    for other in (dry, unheard, simulated, without):
        assert not any("the programme is heard" in fault for fault in rows[str(other.pk)]["faults"])


def test_a_reading_is_followed_in_its_words_while_it_is_recorded_and_on_into_the_next_line(client, production, monkeypatch):
    monkeypatch.setattr(following, "SLOW", 60.0)
    one, two = production.lines.order_by("position")[:2]
    reading = narrator.read_on([one.text, two.text], 3, "slt")
    sound, take = pcm.from_floats(reading.samples), capture.begin(one, "a microphone")
    told = []
    for first in range(0, len(sound), SAMPLE_RATE // 4):
        capture.append(take, first, pcm.from_integers(sound[first : first + SAMPLE_RATE // 4]))
        answer = client.get(f"/api/takes/{take.id}/followed/?cue={reading.cue}").json()
        told.append((answer["line"], answer["word"]))
        assert answer["how"] == "words"
    assert told[0] == (str(one.id), 0) and told[-1] == (str(two.id), len(two.text.split()))
    # Page by page: through the first line to its end, then through the second.
    own = [word for line, word in told if line == str(one.id)]
    assert own[-1] == len(one.text.split()) and len({*own}) >= 5
    assert [line for line, _ in told] == sorted((line for line, _ in told), key=str(two.id).__eq__)
    assert client.get(f"/api/takes/{take.id}/followed/?cue=-1").status_code == 400


def test_a_machine_too_slow_to_listen_goes_on_by_pace_and_so_does_another_language(client, production, monkeypatch):
    line = production.lines.first()
    reading = narrator.read(line.text, 5, tail=SAMPLE_RATE)
    sound = pcm.from_floats(reading.samples)

    def read() -> list[dict]:
        take, told = capture.begin(line, "a microphone"), []
        for first in range(0, len(sound), SAMPLE_RATE // 2):
            capture.append(take, first, pcm.from_integers(sound[first : first + SAMPLE_RATE // 2]))
            told.append(client.get(f"/api/takes/{take.id}/followed/?cue={reading.cue}").json())
        return told

    monkeypatch.setattr(following._process, "feed", lambda key, packed: None)
    slow = read()
    assert [one["how"] for one in slow[:2]] == ["pace", "slow"] and slow[-1]["how"] == "slow"
    Production.objects.filter(pk=production.pk).update(language="de")
    other = read()
    assert {one["how"] for one in other} == {"pace"}
    for told in (slow, other):
        words = [one["word"] for one in told]
        assert words == sorted(words) and words[0] == 0 and words[-1] >= 0.7 * len(line.text.split())


def test_a_scratch_holds_a_place_until_the_real_reading_is_there(client, production, ada, film_file):
    bring(client, production, film_file.read_bytes(), "mill.mp4")
    third = production.lines.all()[2]
    begun = send(client, "POST", f"/api/lines/{third.id}/takes/", {"input": "mic", "scratch": True})
    take = Take.objects.get(pk=begun.json()["id"])
    sound = voice(3.0)
    capture.append(take, 0, pcm.from_integers(sound))
    capture.finish(take, len(sound), [clock_of(4 * SAMPLE_RATE)], False)
    take.refresh_from_db()
    third.refresh_from_db()
    assert take.mark == "scratch"
    # It has left its line a slot, just where it was spoken, to the frame.
    assert abs(third.slot.start - (take.placed + take.speech_start)) < 1_920
    assert abs(third.slot.end - (take.placed + take.speech_end)) < 1_920

    def line():
        return client.get(f"/api/productions/{production.id}/").json()["lines"][2]

    assert line()["voice"]["id"] == str(take.id)
    found = send(client, "POST", f"/api/productions/{production.id}/handover/plan/", order()).json()["findings"]
    assert "Line 3 is a scratch reading." in {one["says"] for one in found}
    real = record(third, voice(3.0, seed=4))
    later = record(third, voice(3.0, seed=5))
    edit(production, ada, edits.NoteTake(str(later.id), "scratch"))
    assert line()["voice"]["id"] == str(real.id), "a scratch never stands before a reading"
    slot = line()["slot"]
    edit(production, ada, edits.SetSlot(str(third.id), None))
    again = capture.begin(third, "mic", scratch=True)
    capture.append(again, 0, bytes(3 * len(sound)))
    capture.finish(again, len(sound), [clock_of(0)], False)
    assert line()["slot"] is None and slot, "nobody spoke: there is nothing to leave"


def test_how_far_an_interpreter_is_behind_the_original_is_told_while_reading_and_of_the_take(
    booth, client, production, ada, tmp_path
):
    by, length = round(2.4 * SAMPLE_RATE), 55 * SAMPLE_RATE
    chance = np.random.default_rng(11)
    sentence = narrator.read("The keeper opens the sluice a hand’s breadth.", 7).samples
    spoken, at = np.zeros(length, np.float32), SAMPLE_RATE
    while at < length:
        said = sentence[: int(chance.uniform(1.0, 3.0) * SAMPLE_RATE)][: length - at]
        spoken[at : at + len(said)] = said
        at += len(said) + int(chance.uniform(0.4, 1.6) * SAMPLE_RATE)
    soundfile.write(tmp_path / "speaker.wav", spoken, SAMPLE_RATE)
    bring(client, production, (tmp_path / "speaker.wav").read_bytes(), "speaker.wav", laid=False)
    for job in Job.objects.filter(state="waiting"):
        running.run(str(job.pk))
    key = str(production.sources.get().pk)
    start = booth.line.slot_start - round(0.85 * SAMPLE_RATE)

    def read_behind():
        take = booth.begin()
        read = np.round(np.concatenate([np.zeros(by), spoken[:-by]]) * 2**23).astype(np.int32)
        for offset in range(0, length, 5 * SAMPLE_RATE):
            assert booth.put(take, offset, read[offset : offset + 5 * SAMPLE_RATE]).status_code == 200
        return take, client.get(f"/api/takes/{take['id']}/behind/?cue={round(0.85 * SAMPLE_RATE)}").json()["behind"]

    def remarks_of(take):
        assert booth.finish(take, length).status_code == 200
        for job in Job.objects.filter(state="waiting"):
            running.run(str(job.pk))
        (row,) = [row for row in takes_of(client, production) if row["id"] == take["id"]]
        return " ".join(row["remarks"])

    take, told = read_behind()
    assert told is None, "nothing is laid as an original"
    assert "behind" not in remarks_of(take)
    production.refresh_from_db()
    edit(production, ada, edits.LaySound(key, max(0, start), original=True))
    take, told = read_behind()
    assert abs(told - by) <= SAMPLE_RATE // 5
    assert "behind the original" in remarks_of(take)
    kept = Take.objects.get(pk=take["id"])
    # The clock of this take lets it begin where `CLOCK` says, not at its line.
    due = by + kept.recording.start - start
    assert abs(kept.behind[0] - due) <= SAMPLE_RATE // 5 if 0 <= due < 10 * SAMPLE_RATE else kept.behind is None
