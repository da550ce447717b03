"""Comps made over HTTP: words woven in, readings fitted to another or to the film, exact lengths; each is one edit."""

import io

import numpy as np
import pytest
import soundfile

from fendo_core.audio import pcm
from fendo_core.audio.speech import hear
from fendo_core.production import edits
from fendo_core.reader import narrator
from fendo_core.takes.settled import Settle
from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds
from fendo_server.picture.models import Source
from fendo_server.productions import state
from fendo_server.takes import listening
from fendo_server.work import running
from fendo_server.work.models import Job
from testing import bring, edit, handed, record, send, takes_of

TEXT = "The heron waits below the weir, and the whole valley waits with it."
SLOT = Span(2 * SAMPLE_RATE, 8 * SAMPLE_RATE)


@pytest.fixture
def line(production, ada):
    """A line with a slot of six seconds; the next ones are out of its way."""
    found, second, _ = production.lines.all()
    edit(production, ada, edits.SetWords(str(found.id), TEXT))
    edit(production, ada, edits.SetSlot(str(second.id), None))
    edit(production, ada, edits.SetSlot(str(found.id), SLOT))
    found.refresh_from_db()
    return found


def read(line, seed: int, text: str = TEXT, voice: str = narrator.VOICES[0]):
    take = record(line, pcm.from_floats(narrator.read(text, seed, voice).samples))
    listening.check_one(str(take.pk))
    return str(take.pk)


@pytest.fixture
def desk(client, production, line):
    class Desk:
        def rows(self):
            return {row["id"]: row for row in takes_of(client, production)}

        def line(self):
            return client.get(f"/api/productions/{production.id}/").json()["lines"][0]

        def ask(self, what, method="POST", **body):
            address = f"/api/lines/{line.id}/{what}/"
            return client.get(address, body) if method == "GET" else send(client, "POST", address, body)

        def undo(self):
            return send(client, "POST", f"/api/productions/{production.id}/undo/")

        def seams(self, row):
            answer = client.get(f"/api/voices/{row['id']}/seams/")
            assert answer.status_code == 200, answer.content
            return answer.json()

        def sound(self, voice):
            answer = client.get(f"/api/voices/{voice['id']}/{voice['key']}/sound/")
            return soundfile.read(io.BytesIO(answer.content), dtype="float32")[0]

    return Desk()


def made(before, answer):
    """The comp that an answer tells of, and that was not there before."""
    assert answer.status_code == 200, answer.content
    (new,) = [row for row in answer.json()["takes"] if row["kind"] == "comp" and row["id"] not in before]
    return new


def test_words_of_another_take_make_a_take_whole_and_it_is_picked_where_that_was(desk, line, production, ada):
    words = TEXT.split()
    lacks, good = read(line, 3, " ".join([*words[:8], *words[10:]])), read(line, 4)
    edit(production, ada, edits.Pick(str(line.id), lacks))
    rows = desk.rows()
    assert any("leaves out" in fault for fault in rows[lacks]["faults"])
    new = made(rows, desk.ask("weave", onto=lacks, source=good, first=7, last=10))
    assert new["name"] == "takes 1 + 2 + 1" and desk.line()["pick"] == new["id"] and len(new["seams"]) == 2
    # Both seams are listened to. They join readings of one voice: nothing of it jumps far.
    seams = desk.seams(new)
    assert [seam["at"] for seam in seams] == new["seams"]
    assert not any("room" in word or "tone" in word for seam in seams for word in seam["heard"])
    told = [word["text"] for word in new["read"]["words"]]
    assert told == [word for word in words if word in told] and {"whole", "valley"} <= set(told)
    spans = [word["span"] for word in new["read"]["words"]]
    assert spans == sorted(spans)
    assert desk.undo().status_code == 200 and desk.line()["pick"] == lacks
    for wrong in (
        {"onto": lacks, "source": lacks, "first": 1, "last": 2},
        {"onto": lacks, "source": good, "first": 5, "last": 4},
        {"onto": lacks, "source": good, "first": 500, "last": 501},
        {"onto": lacks, "source": str(line.pk), "first": 0, "last": 1},
    ):
        assert desk.ask("weave", **wrong).status_code in (400, 422)
    assert set(desk.rows()) == {lacks, good}


def test_a_take_is_fitted_to_another_phrase_by_phrase_and_stays_where_a_phrase_is_to_stay(desk, line, production):
    old, new = read(line, 3), read(line, 9, voice=narrator.VOICES[1])
    rows = desk.rows()
    told = desk.ask("fit", "GET", voice=new, guide=old, most=0.3).json()
    assert told["guide"] == "take 1" and " ".join(one["words"] for one in told["phrases"]) == TEXT
    comp = made(rows, desk.ask("fit", voice=new, guide=old, most=0.3))
    assert comp["name"] == "take 2, fitted to take 1" and comp["remarks"] is not None
    speech, wanted = comp["voice"]["speech"], rows[old]["voice"]["speech"]
    assert abs(speech[0] - wanted[0]) < 10 and abs(speech[1] - wanted[1]) < milliseconds(5)
    heard = hear(desk.sound(comp["voice"])).speech.shifted(comp["voice"]["span"][0])
    assert abs(heard.start - wanted[0]) < milliseconds(60) and abs(heard.end - wanted[1]) < milliseconds(80)
    assert desk.line()["voice"]["id"] == comp["id"], "the newest reading stands, fitted"
    desk.undo()
    every = list(range(len(told["phrases"])))
    same = made(rows, desk.ask("fit", voice=new, guide=old, stay=every))
    assert same["voice"]["speech"] == rows[new]["voice"]["speech"]
    assert desk.ask("fit", voice=new, guide=new).status_code == 400
    assert desk.ask("fit", voice=new, guide="film").json()["detail"].startswith("Nobody is heard in the film")


def test_a_line_of_the_film_is_replaced_where_it_sat_and_the_film_is_silent_there(
    desk, line, production, client, film_file, tmp_path
):
    bring(client, production, film_file.read_bytes(), "mill.mp4")
    old = narrator.read(TEXT, 21).samples
    at = SLOT.start + SAMPLE_RATE // 3
    spoken = tmp_path / "old.wav"
    soundfile.write(spoken, old * 0.7, SAMPLE_RATE)
    bring(client, production, spoken.read_bytes(), "old.wav", laid=False)
    for job in Job.objects.filter(state="waiting"):
        running.run(str(job.pk))
    sources = {one.name: str(one.id) for one in Source.objects.all()}
    edit(production, production.owner, edits.LaySound(sources["old.wav"], at, original=True))
    new = read(line, 30, voice=narrator.VOICES[1])
    comp = made(desk.rows(), desk.ask("fit", voice=new, guide="film", most=0.3, silence=True))
    truth = hear(old).speech.shifted(at)
    assert comp["name"] == "take 1, fitted to the film"
    # The film's own tone covers the soft consonant with which the old line begins.
    assert abs(comp["voice"]["speech"][0] - truth.start) < milliseconds(60)
    assert abs(comp["voice"]["speech"][1] - truth.end) < milliseconds(80)
    found = desk.line()
    assert found["silences"] and found["silence"] == [SLOT.start, SLOT.end]
    production.refresh_from_db()
    edit(production, production.owner, edits.DropSound(str(state.load(production).laid[0].id)))
    # This film's tone never changes, so it would be taken for its room; that has a test of its own.
    Source.objects.update(quiet=[])
    bed = handed(client, production, parts=["bed"])
    sound = soundfile.read(next(bed.path.glob("*without the voice.wav")))[0]
    inside, outside = sound[SLOT.start + 960 : 8 * SAMPLE_RATE - 960], sound[: SLOT.start - 2 * 14_400]
    assert np.max(np.abs(inside), initial=0) < 1e-3 < 0.01 < np.max(np.abs(outside))
    edit(production, production.owner, edits.SetSilences(str(line.id), False))
    again = handed(client, production, parts=["bed"])
    sound = soundfile.read(next(again.path.glob("*without the voice.wav")))[0]
    assert np.max(np.abs(sound[SLOT.start + 960 : 8 * SAMPLE_RATE - 960])) > 1e-3


def test_a_reading_is_made_as_long_as_its_slot_or_says_what_lacks(desk, line):
    take = read(line, 3)
    rows = desk.rows()
    speech = rows[take]["voice"]["speech"]
    now = speech[1] - speech[0]
    wanted = round(now * 1.04)
    told = desk.ask("length", "GET", voice=take, wanted=wanted).json()
    assert told["now"] == now and told["wanted"] == wanted and not told["refused"]
    comp = made(rows, desk.ask("length", voice=take, wanted=wanted))
    speech = comp["voice"]["speech"]
    assert abs(speech[1] - speech[0] - wanted) <= 1 and comp["name"].endswith(" s long")
    far = desk.ask("length", "GET", voice=take, wanted=now * 2).json()
    assert "slower" in far["refused"] and "6 % are allowed" in far["refused"]
    refused = desk.ask("length", voice=take, wanted=now * 2)
    assert refused.status_code == 422 and "It is as it was" in refused.json()["detail"]
    to_slot = desk.ask("length", "GET", voice=take).json()
    assert to_slot["wanted"] == SLOT.length


def test_all_lines_are_made_as_long_as_their_slots_or_together_as_long_as_wanted_in_one_edit(client, production, ada, line):
    second = production.lines.all()[1]
    edit(production, ada, edits.SetWords(str(second.id), TEXT))
    edit(production, ada, edits.SetSlot(str(second.id), Span(12 * SAMPLE_RATE, 20 * SAMPLE_RATE)))
    second.refresh_from_db()
    first, other = read(line, 3), read(second, 4)
    for one, take in ((line, first), (second, other)):
        edit(production, ada, edits.Pick(str(one.id), take))
    address = f"/api/productions/{production.id}/lengths/"

    def speech():
        lines = client.get(f"/api/productions/{production.id}/").json()["lines"]
        return [one["voice"]["speech"] for one in lines[:2]]

    def done(**body):
        answer = send(client, "POST", address, body)
        assert answer.status_code == 201, answer.content
        running.run(answer.json()["id"])
        return Job.objects.get(pk=answer.json()["id"])

    (a, b), (c, d) = before = speech()
    told = client.get(address, {"way": "whole"}).json()
    assert (told["now"], told["read"], told["lines"]) == (d - a, 2, [])
    assert send(client, "POST", address, {"way": "whole"}).status_code == 422
    # A little shorter is done by the pause between them: the second is moved, and nothing is made.
    near = d - a - SAMPLE_RATE // 2
    assert done(way="whole", wanted=near).state == "done"
    assert speech() == [[a, b], [c - SAMPLE_RATE // 2, d - SAMPLE_RATE // 2]]
    send(client, "POST", f"/api/productions/{production.id}/undo/")
    wanted = round(0.97 * (b - a + d - c)) + SAMPLE_RATE // 2
    plan = client.get(address, {"way": "whole", "wanted": wanted}).json()
    assert not plan["refused"] and len(plan["lines"]) == 2 and plan["pauses"] < 0
    assert done(way="whole", wanted=wanted).state == "done"
    (e, f), (g, h) = speech()
    assert (e, h - e) == (a, pytest.approx(wanted, abs=1)) and g < c
    send(client, "POST", f"/api/productions/{production.id}/undo/")
    assert speech() == before
    # Slots a little shorter than what was read: one is fitted, one lies too far, and one that is settled stays.
    edit(production, ada, edits.SetSlot(str(line.id), Span(a, a + round((b - a) * 0.97))))
    edit(production, ada, edits.SetSlot(str(second.id), Span(c, c + round((d - c) * 0.5))))
    plan = client.get(address, {"way": "slots"}).json()["lines"]
    assert [one["refused"] != "" for one in plan] == [False, True] and "faster" in plan[1]["refused"]
    assert done(way="slots").state == "done"
    (e, f), unchanged = speech()
    assert f - e == pytest.approx(plan[0]["wanted"], abs=1) and unchanged == [c, d]
    edit(production, ada, Settle((str(second.id),)))
    assert client.get(address, {"way": "slots"}).json()["lines"][0]["refused"] == "It is settled"
    far = done(way="whole", wanted=wanted)
    assert far.state == "failed" and "is settled" in far.error


def test_what_somebody_thinks_of_a_take_is_told_kept_and_taken_back(client, desk, line, production):
    take = read(line, 3)

    def note(**more):
        revision = client.get(f"/api/productions/{production.id}/").json()["revision"]
        body = {"kind": "note_take", "take": take, "revision": revision, **more}
        return send(client, "POST", f"/api/productions/{production.id}/edits/", body)

    answer = note(mark="maybe")
    assert answer.status_code == 200 and [row["mark"] for row in answer.json()["takes"]] == ["maybe"]
    assert note(note="breath before “weir”").status_code == 200
    row = desk.rows()[take]
    assert (row["mark"], row["note"]) == ("maybe", "breath before “weir”")
    desk.undo()
    assert (desk.rows()[take]["mark"], desk.rows()[take]["note"]) == ("maybe", "")
    for wrong in ({"mark": "fine"}, {"note": "x" * 600}, {"note": 5_000 * "long"}):
        assert note(**wrong).status_code in (400, 422)
    assert desk.rows()[take]["mark"] == "maybe"


def test_the_ends_of_a_reading_are_moved_and_its_recording_stays(desk, line, production, ada, client):
    take = read(line, 3)
    edit(production, ada, edits.Pick(str(line.id), take))
    row = desk.rows()[take]
    begins, ends = row["voice"]["span"]
    whole = desk.sound(row["voice"])

    def move(voice, end, at):
        production.refresh_from_db()
        body = {"kind": "move_end", "voice": voice, "end": end, "at": at, "revision": production.revision}
        return send(client, "POST", f"/api/productions/{production.id}/edits/", body)

    new = made(desk.rows(), move(take, "last", ends - 24_000))
    assert (new["name"], new["voice"]["span"]) == (f"take {row['number']}, trimmed", [begins, ends - 24_000])
    assert desk.line()["pick"] == new["id"] and take in desk.rows()
    sound = desk.sound(new["voice"])
    assert np.array_equal(sound[:-240], whole[: len(sound) - 240])
    # What was trimmed is trimmed on; outwards there is all that was recorded.
    assert move(new["id"], "first", begins - 12_000).status_code == 200
    (grown,) = [one for one in desk.rows().values() if one["kind"] == "comp"]
    assert grown["voice"]["span"] == [begins - 12_000, ends - 24_000]
    assert np.array_equal(desk.sound(grown["voice"])[12_000:-240], sound[:-240])
    wave = np.frombuffer(client.get(f"/api/voices/{new['id']}/around/").content, np.uint8).reshape(-1, 2)
    assert len(wave) == 600
    # Behind its end lies what was cut off; before its beginning silence, where nothing was recorded.
    assert wave[300:350].max() > 120 and wave[:100].max() == 0
    refused = move(new["id"], "first", begins - 10 * SAMPLE_RATE)
    assert refused.status_code == 422 and "no more sound there" in refused.json()["detail"]
    assert move(new["id"], "last", begins - 12_000).status_code == 422
    assert [desk.undo().status_code for _ in range(2)] == [200, 200]
    assert desk.line()["pick"] == take and [one["kind"] for one in desk.rows().values()] == ["take"]
