"""Polish through its addresses: scan, mend, treat, take back; and what everybody else hears then."""

import io
import json
import re
import subprocess
import uuid

import numpy as np
import pytest
import soundfile

from fendo_core.audio import pcm
from fendo_core.audio.ceiling import Ceiling
from fendo_core.audio.levels import measure
from fendo_core.polish.scan import scan as core_scan
from fendo_core.production import edits
from fendo_core.reader import narrator, noises
from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds
from fendo_core.voice import Comp, Segment, render_whole, seams
from fendo_core.voice.chain import STARTS, Chain
from fendo_core.voice.repair import Repair
from fendo_core.voice.treatment import treated
from fendo_server.handover.programme import programme_sound, spoken
from fendo_server.polish.api import PolishSerializer
from fendo_server.polish.jobs import SCAN
from fendo_server.productions import record as production_record
from fendo_server.productions import services, state
from fendo_server.takes import listening
from fendo_server.voice.sounding import MAKE_ALL
from fendo_server.work import running
from fendo_server.work.models import Job
from testing import edit, forget_everything, record, send

WORDS = "Then the keeper lifts one oak board, and the wheel remembers what to do."


def raw(seed: int = 4) -> np.ndarray:
    """A reading with a breath, a click behind it and a plosive on it."""
    reading, rng = narrator.read(WORDS, seed), np.random.default_rng(seed)
    worn = [
        (reading.speech_end + milliseconds(150), noises.mouth_click(-28.0, rng)),
        (reading.speech_start + milliseconds(20), noises.pop(-8.0, rng)),
    ]
    return pcm.from_floats(noises.sprinkle(reading.samples, worn))


@pytest.fixture
def desk(client, production):
    """The room of a production in which one line was read."""
    line = production.lines.first()
    take = record(line, raw())

    class Desk:
        def look(self):
            return client.get(f"/api/productions/{production.id}/polish/").json()

        def line(self):
            return client.get(f"/api/productions/{production.id}/").json()["lines"][0]

        def edit(self, **what):
            revision = client.get(f"/api/productions/{production.id}/").json()["revision"]
            return send(client, "POST", f"/api/productions/{production.id}/edits/", {**what, "revision": revision})

        def scan(self, again=False):
            job = send(client, "POST", f"/api/productions/{production.id}/polish/scan/", {"again": again}).json()
            running.run(job["id"])
            assert Job.objects.get(pk=job["id"]).state == "done"

        def heard(self, key):
            answer = client.get(f"/api/voices/{take.id}/{key}/sound/")
            assert answer.status_code == 200, answer.content
            return soundfile.read(io.BytesIO(answer.content), dtype="float32")[0]

    desk = Desk()
    desk.take, desk.production, desk.text = take, production, line
    return desk


def accept(place, on=True):
    wanted = {name: place[name] for name in ("recording", "kind", "decibel")} | {"span": place["source"]}
    return {"kind": "mend", "places": [wanted], "on": on}


def test_what_was_read_is_scanned_mended_and_taken_back(desk, client):
    assert desk.look()["unscanned"] == 1
    assert client.get(f"/api/productions/{desk.production.id}/").json()["to_do"]["polish"] == 1
    desk.scan()
    told = desk.look()
    promised = PolishSerializer(told | {"stages": []}).data | {"stages": told["stages"]}
    assert promised == told, "what is answered is what is promised"
    kinds = [place["kind"] for place in told["places"]]
    assert {"breath", "click", "plosive"} <= set(kinds) and told["unscanned"] == 0
    assert client.get(f"/api/productions/{desk.production.id}/").json()["to_do"]["polish"] == len(kinds)
    before = desk.line()["voice"]
    assert before["bare"] == before["key"]
    click = next(place for place in told["places"] if place["kind"] == "click")
    answer = desk.edit(**accept(click))
    assert answer.status_code == 200 and answer.json()["label"] == "click taken out"
    assert answer.json()["to_do"]["polish"] == len(kinds) - 1
    after = desk.line()["voice"]
    assert after["key"] != before["key"] == after["bare"], "it has another sound, and what was read can be heard still"
    mended, read = desk.heard(after["key"]), desk.heard(after["bare"])
    first = click["source"][0] - (after["span"][0] - desk.take.placed)
    inside = slice(first, first + click["source"][1] - click["source"][0])
    outside = np.ones(len(read), bool)
    outside[inside] = False
    assert np.array_equal(mended[outside], read[outside]) and not np.array_equal(mended[inside], read[inside])
    assert np.abs(mended[inside]).max() < 0.3 * np.abs(read[inside]).max()
    # The recording itself is what it was.
    assert client.get(f"/api/takes/{desk.take.id}/recording/").status_code == 200
    send(client, "POST", f"/api/productions/{desk.production.id}/undo/")
    assert desk.line()["voice"]["key"] == before["key"] and len(desk.look()["places"]) == len(kinds)


def test_what_was_left_as_it_is_does_not_come_back_with_another_scan(desk):
    desk.scan()
    places = desk.look()["places"]
    breath = next(place for place in places if place["kind"] == "breath")
    assert desk.edit(**accept(breath, on=False)).status_code == 200
    assert desk.line()["voice"]["key"] == desk.line()["voice"]["bare"]
    desk.scan(again=True)
    told = desk.look()
    assert len(told["places"]) == len(places) - 1
    (settled,) = told["repairs"]
    assert not settled["on"]
    desk.edit(kind="drop_repairs", repairs=[settled["id"]])
    assert len(desk.look()["places"]) == len(places)


def test_a_false_start_joins_the_places_when_it_is_heard_and_is_taken_out(client, production, ada):
    line = production.lines.first()
    edit(production, ada, edits.SetWords(str(line.id), WORDS))
    line.refresh_from_db()
    take = record(line, pcm.from_floats(narrator.read(WORDS, 8, fault="false start").samples))

    def look():
        return client.get(f"/api/productions/{production.id}/polish/").json()["places"]

    def scan():
        job = send(client, "POST", f"/api/productions/{production.id}/polish/scan/", {"again": True}).json()
        running.run(job["id"])

    scan()
    before = [place["kind"] for place in look()]
    assert "false start" not in before
    listening.check_one(str(take.pk))
    place = next(place for place in look() if place["kind"] == "false start")
    assert place["text"].startswith("false start") and place["mend"] == "take it out"
    scan()
    assert [one["kind"] for one in look()].count("false start") == 1
    first, last = place["source"]
    address = f"/api/recordings/{place['recording']}/stretch/?first={first}&last={last}"
    read, mended = (client.get(address + how) for how in ("", f"&mend=false+start&keep={place['keep']}"))
    assert len(read.content) - len(mended.content) == 3 * (last - first - place["keep"])
    cut = {"kind": "close_gap", "line": place["line"], "voice": place["voice"], "gap": place["span"], "keep": place["keep"]}
    revision = client.get(f"/api/productions/{production.id}/").json()["revision"]
    answer = send(client, "POST", f"/api/productions/{production.id}/edits/", {**cut, "revision": revision})
    assert answer.status_code == 200, answer.content
    assert "false start" not in [one["kind"] for one in look()]
    made = client.get(f"/api/productions/{production.id}/").json()["lines"][0]["voice"]
    assert made["kind"] == "comp" and made["length"] < take.recording.length - (last - first) + SAMPLE_RATE


def test_a_place_is_heard_as_it_was_read_and_mended(desk, client):
    desk.scan()
    for place in desk.look()["places"]:
        first, last = place["source"]
        address = f"/api/recordings/{place['recording']}/stretch/?first={first}&last={last}"
        read = soundfile.read(io.BytesIO(client.get(address).content), dtype="float32")[0]
        how = f"&mend={place['kind']}&decibel={place['decibel']}&keep={place['keep']}"
        mended = soundfile.read(io.BytesIO(client.get(address + how).content), dtype="float32")[0]
        assert len(read) == len(mended) == last - first + SAMPLE_RATE
        assert not np.array_equal(read, mended)
    assert client.get(address.replace(f"last={last}", f"last={first}")).status_code == 422
    assert client.get(address + "&mend=echo").status_code in (400, 422)


def test_a_treated_line_sounds_so_everywhere(desk, client):
    chain = STARTS[1].as_row()
    assert desk.edit(kind="set_treatment", scope="production", chain=chain).status_code == 200
    told = desk.line()["voice"]
    assert not told["measured"], "a job is making it"
    # Stopped, it is not begun again by looking.
    job = Job.objects.get(kind=MAKE_ALL)
    running.cancel(job)
    Job.objects.update(made="2020-01-01T00:00:00Z")
    assert not desk.line()["voice"]["measured"] and Job.objects.filter(kind=MAKE_ALL).count() == 1
    running.retry(job)
    running.run(str(job.pk))
    told = desk.line()["voice"]
    assert told["measured"] and told["key"] != told["bare"]
    expected = treated(desk.heard(told["bare"]), STARTS[1])
    assert np.max(np.abs(desk.heard(told["key"]) - expected)) < 2**-22
    # The film and the files have it from the same place, in any stretches.
    (one,) = spoken(desk.production, state.load(desk.production))
    blocks = [
        block
        for a in range(0, one.comp.length, 50_000)
        for block in one.sounding.blocks(Span(a, min(a + 50_000, one.comp.length)))
    ]
    assert np.max(np.abs(np.concatenate(blocks) - expected)) < 2**-22
    # Its own treatment is nearer than that of all lines; without it the line is as all are.
    line = f"line:{desk.text.id}"
    desk.edit(kind="set_treatment", scope=line, chain={"name": "Own", "stages": []})
    assert desk.line()["voice"]["key"] == told["bare"]
    desk.edit(kind="set_treatment", scope=line, chain=None)
    assert desk.line()["voice"]["key"] == told["key"]


def test_what_lies_in_a_folder_is_treated_as_the_folder_is_here_and_where_it_is_opened_again(desk, client, ada, settings):
    production = desk.production
    landing, other = production.landing, services.folder_at(production, "Pick-ups")
    bare = desk.line()["voice"]["key"]
    chain = {"name": "Own", "stages": [{"kind": "rumble", "on": True, "settings": {"below": 120.0}}]}
    assert desk.edit(kind="set_treatment", scope=f"folder:{other.id}", chain=chain).status_code == 200
    assert desk.line()["voice"]["key"] == bare, "it lies in another folder"
    desk.edit(kind="set_treatment", scope=f"folder:{landing.id}", chain=chain)
    treated_so = desk.line()["voice"]["key"]
    assert treated_so != bare
    drawn = client.get(f"/api/lines/{desk.text.id}/treatment/drawing/").json()
    assert min(drawn["response"]) < -3.0, "the drawing is of the folder's chain"
    # Moved into the other folder it is treated as that is; both are told by their paths in the record.
    moved = send(client, "POST", f"/api/takes/{desk.take.pk}/file/", {"folder": str(other.id)})
    assert moved.status_code == 200, moved.content
    desk.edit(kind="set_treatment", scope=f"folder:{other.id}", chain=None)
    assert desk.line()["voice"]["key"] == bare
    kept = json.loads(production_record.packed(production))["rows"]
    assert kept[f"chain:folder:{landing.path}"]["name"] == "Own"
    assert desk.edit(kind="set_treatment", scope=f"folder:{uuid.uuid4()}", chain=chain).status_code == 422
    folder = settings.MEDIA / production.directory
    (folder / production_record.NAME).write_bytes(production_record.packed(production))
    forget_everything()
    again = production_record.restore(ada, production_record.read(folder), folder, production.directory)
    assert [one.scope for one in again.treatments.all()] == [f"folder:{again.landing_id}"] != [f"folder:{landing.id}"]


def test_a_gap_is_closed_and_the_line_stands_with_its_comp(desk):
    voice = desk.line()["voice"]
    start = voice["speech"][0]
    gap = [start + 40_000, start + 60_000]
    answer = desk.edit(kind="close_gap", line=str(desk.text.id), voice=voice["id"], gap=gap, keep=5_000, close_up=True)
    assert answer.status_code == 200
    after = desk.line()["voice"]
    assert after["kind"] == "comp" and after["length"] == voice["length"] - 15_000
    assert after["name"] == "take 1, tightened"
    assert desk.edit(kind="close_gap", line=str(desk.text.id), voice=after["id"], gap=gap, keep=50_000).status_code == 422


def test_the_record_tells_mends_and_treatments(desk):
    desk.scan()
    place = desk.look()["places"][0]
    desk.edit(**accept(place))
    desk.edit(kind="set_treatment", scope="production", chain=STARTS[2].as_row())
    desk.production.refresh_from_db()
    production_record.write(desk.production)
    found = production_record.read(desk.take.path.parents[1])
    repair = next(row for key, row in found["rows"].items() if key.startswith("repair:"))
    assert (repair["kind"], list(repair["span"])) == (place["kind"], place["source"])
    assert Chain.from_row(found["rows"]["chain:production"]) == STARTS[2]
    present = state.load(desk.production)
    for scope in ("repair", "chain"):
        state.store(desk.production, {key: None for key in found["rows"] if key.startswith(scope)})
    production_record.restore_takes(desk.production, found)
    again = state.load(desk.production)
    assert dict(again.repairs) == dict(present.repairs)
    assert json.dumps(found["rows"]["chain:production"]) and not again.chains


@pytest.mark.parametrize(
    "wrong",
    [
        {"kind": "mend", "places": []},
        {
            "kind": "mend",
            "places": [{"recording": "00000000-0000-0000-0000-000000000000", "kind": "click", "span": [0, 9]}],
        },
        {"kind": "mend", "places": [{"recording": "no", "kind": "click", "span": [0, 9]}]},
        {"kind": "mend", "places": [{"recording": "OWN", "kind": "echo", "span": [0, 9]}]},
        {"kind": "mend", "places": [{"recording": "OWN", "kind": "click", "span": [9, 9]}]},
        {"kind": "mend", "places": [{"recording": "OWN", "kind": "click", "span": [0, 48000]}]},
        {
            "kind": "set_treatment",
            "scope": "production",
            "chain": {"name": "x", "stages": [{"kind": "echo", "on": True, "settings": {}}]},
        },
        {"kind": "set_treatment", "scope": "everything", "chain": None},
        {"kind": "drop_repairs", "repairs": []},
    ],
)
def test_what_can_not_be_done_is_refused_in_words_and_changes_nothing(desk, wrong):
    text = json.dumps(wrong).replace("OWN", str(desk.take.recording_id))
    before = desk.line()["voice"]["key"]
    answer = desk.edit(**json.loads(text))
    assert answer.status_code in (400, 422), answer.content
    assert answer.json()["detail"]
    assert desk.line()["voice"]["key"] == before


def test_a_long_recording_is_scanned_in_stretches_without_a_place_twice(desk, production):
    """Two minutes: what lies where two stretches overlap is told once, as if it were scanned whole."""
    sound = pcm.to_floats(raw(7))
    long = np.concatenate([sound] * 14)
    assert len(long) > 70 * SAMPLE_RATE
    take = record(production.lines.all()[1], pcm.from_floats(long))
    job = running.start(production, SCAN, again=False)
    running.run(str(job.pk))
    places = take.recording.scan.places
    breaths = [place for place in places if place[0] == "breath"]
    once = [place for place in core_scan(sound) if place.kind == "breath"]
    assert abs(len(breaths) - 14 * len(once)) <= 2
    assert all(a[2] <= b[1] for a, b in zip(breaths, breaths[1:], strict=False))


def test_a_repair_of_the_core_and_of_the_server_are_one_sound(desk):
    desk.scan()
    place = next(one for one in desk.look()["places"] if one["kind"] == "plosive")
    desk.edit(**accept(place))
    voice = desk.line()["voice"]
    samples = soundfile.read(desk.take.path, dtype="float32")[0]
    source = Span(voice["span"][0] - desk.take.placed, voice["span"][1] - desk.take.placed)
    comp = Comp.of_take("r", source, None, 0)
    mend = Repair("1", "r", "plosive", Span(*place["source"]))
    own = render_whole(comp, lambda _name, a, b: samples[a:b], [mend])
    assert np.max(np.abs(desk.heard(voice["key"]) - own)) < 2**-22


def test_a_place_is_marked_by_hand_and_mended_as_if_it_was_found(desk, client):
    voice = desk.line()["voice"]
    first = voice["speech"][0] + 10_000
    address = f"/api/lines/{desk.text.pk}/marked-place/"
    place = client.get(address, {"first": first, "last": first + 9_600, "kind": "gain"}).json()
    assert place["span"] == [first, first + 9_600] and place["decibel"] == -6.0
    assert place["source"][0] == first - desk.take.placed and place["mend"] == "lower it by 6 dB"
    assert desk.edit(**accept(place)).status_code == 200
    after = desk.line()["voice"]
    drop = desk.heard(after["key"]) / np.where(desk.heard(after["bare"]) == 0, 1, desk.heard(after["bare"]))
    inside = drop[first - voice["span"][0] :][2_000:7_000]
    assert 20 * np.log10(np.median(inside)) == pytest.approx(-6.0, abs=0.1)
    outside = {"first": voice["span"][1] - 10, "last": voice["span"][1] + 10, "kind": "click"}
    assert client.get(address, outside).status_code == 422


def test_a_part_that_sounds_louder_at_its_seams_is_a_place_heard_in_the_comp_and_mended(desk, client, ada):
    """The middle of a reading is that of another take, 9 dB louder."""
    desk.scan()
    take, reading = desk.take, soundfile.read(desk.take.path, dtype="float32")[0]
    other = record(desk.text, pcm.from_floats(reading * np.float32(10 ** (9 / 20))))
    first, last = take.speech_start, take.speech_end
    length = last - first
    parts = [
        Span(first, first + length // 3),
        Span(first + length // 3, first + length * 3 // 5),
        Span(first + length * 3 // 5, last),
    ]
    names = (str(take.recording_id), str(other.recording_id), str(take.recording_id))
    segments = tuple(Segment(name, part, part.start - first) for name, part in zip(names, parts, strict=True))
    comp = Comp(take.placed + first, segments)
    edit(desk.production, ada, edits.AddComp(str(desk.text.pk), str(take.recording.reader_id), "woven", comp, None))
    desk.production.refresh_from_db()
    woven = state.load(desk.production, spoken=False).comps[0].id
    edit(desk.production, ada, edits.Pick(str(desk.text.pk), woven))
    assert desk.look()["unscanned"] == 1, "nobody has listened to its seams"
    desk.scan()
    told = desk.look()
    (place,) = [one for one in told["places"] if one["kind"] == "seam"]
    assert told["unscanned"] == 0 and place["mends"] and place["source"] == [parts[1].start, parts[1].end]
    assert place["decibel"] == pytest.approx(-9.0, abs=2.0) and place["at"] - comp.at in seams(comp)
    query = {"first": place["span"][0], "last": place["span"][1], "recording": place["recording"]}
    query |= {"source_first": place["source"][0], "source_last": place["source"][1]}
    address = f"/api/lines/{desk.text.pk}/seam/"
    read = soundfile.read(io.BytesIO(client.get(address, query).content))[0]
    lowered = soundfile.read(io.BytesIO(client.get(address, query | {"decibel": -9.0}).content))[0]
    assert len(read) == len(lowered) == place["span"][1] - place["span"][0]
    # The part is 9 dB lower, what lies beside it as it was.
    inside, outside = (comp.at + at - place["span"][0] for at in (seams(comp)[0] + 2_000, seams(comp)[1] + 2_000))
    part = slice(max(0, inside), outside - 4_000)
    level = np.sqrt(np.mean(lowered[part] ** 2) / np.mean(read[part] ** 2))
    assert 20 * np.log10(level) == pytest.approx(-9.0, abs=0.1) and np.array_equal(read[outside:], lowered[outside:])
    assert client.get(address, query | {"last": place["span"][1] + SAMPLE_RATE * 60}).status_code == 422
    answer = desk.edit(**accept(place))
    assert answer.json()["label"] == "seam levelled"
    assert not [one for one in desk.look()["places"] if one["kind"] == "seam"]
    desk.scan(again=True)
    assert not [one for one in desk.look()["places"] if one["kind"] == "seam"], "mended, it is heard no more"


def test_what_a_treatment_does_is_drawn_heard_suggested_kept_and_comes_back_from_a_file(desk, client, stranger):
    base = f"/api/lines/{desk.text.pk}/treatment"
    flat = client.get(f"{base}/drawing/").json()
    assert set(flat["response"]) == {0.0} and flat["before"] == flat["after"] and not flat["held"]
    told = client.get(f"{base}/suggestion/").json()
    assert told["reasons"] and told["chain"]["name"] == "Suggested"
    chain = told["chain"] | {"name": "Mine, for the mill"}
    assert desk.edit(kind="set_treatment", scope="production", chain=chain).status_code == 200
    drawn = client.get(f"{base}/drawing/").json()
    below = [level for hertz, level in zip(drawn["hertz"], drawn["response"], strict=True) if hertz < 25]
    assert max(below) < -20
    answer = client.get(f"{base}/taken-away/rumble/")
    sound, rate = soundfile.read(io.BytesIO(answer.content))
    assert rate == SAMPLE_RATE and 0 < np.abs(sound).max() < 1
    assert client.get(f"{base}/taken-away/hum/").status_code == 422
    assert client.get(f"{base}/taken-away/echo/").status_code == 404
    kept = send(client, "POST", "/api/treatments/", chain)
    assert kept.status_code == 201 and desk.look()["kept"][0]["chain"]["name"] == "Mine, for the mill"
    assert send(client, "POST", "/api/treatments/", chain | {"name": "Plain"}).status_code == 422
    # Two treatments compared: what is heard is as loud each way, and something else.
    pairs = (("now", "read"), ("read", "now"), ("chain:Mine, for the mill", "read"))
    answers = [client.get(f"{base}/compared/", {"of": of, "beside": beside}) for of, beside in pairs]
    one, other, same = (soundfile.read(io.BytesIO(answer.content), dtype="float32")[0] for answer in answers)
    assert abs(measure(one).loudness - measure(other).loudness) < 0.1
    assert np.array_equal(one, same) and not np.allclose(one, other, atol=1e-3)
    assert client.get(f"{base}/compared/", {"of": "chain:Gone", "beside": "read"}).status_code == 422
    file = client.get(f"/api/treatments/{kept.json()['id']}/")
    assert "Mine%2C%20for%20the%20mill.treatment.json" in file["Content-Disposition"]
    client.force_login(stranger, backend="django.contrib.auth.backends.ModelBackend")
    assert client.get(f"/api/treatments/{kept.json()['id']}/").status_code == 404
    back = client.generic("POST", "/api/treatments/file/", file.content, content_type="application/octet-stream")
    assert back.status_code == 201 and back.json()["chain"] == kept.json()["chain"]
    assert client.delete(f"/api/treatments/{back.json()['id']}/").status_code == 204
    broken = client.generic("POST", "/api/treatments/file/", b"{", content_type="application/octet-stream")
    assert broken.status_code == 422 and "treatment" in broken.json()["detail"]


def test_the_programme_is_measured_as_it_would_be_handed_over(desk, client, tmp_path):
    address = f"/api/productions/{desk.production.id}/loudness/"
    assert client.get(address).json() == {"loudness": None}
    job = send(client, "POST", address).json()
    running.run(job["id"])
    assert Job.objects.get(pk=job["id"]).state == "done"
    found = client.get(address).json()["loudness"]
    assert found["now"] and found["true_peak"] <= -1.0 and found["held"] >= 0
    present = state.load(desk.production)
    assert len(found["curve"]) == present.length // SAMPLE_RATE
    sound = np.concatenate(list(programme_sound(desk.production, present, spoken(desk.production, present), Ceiling())))
    path = tmp_path / "programme.wav"
    soundfile.write(path, sound, SAMPLE_RATE, subtype="FLOAT")
    told = subprocess.run(
        ["ffmpeg", "-nostats", "-i", path, "-af", "ebur128=peak=true", "-f", "null", "-"], capture_output=True, check=True
    ).stderr.decode()
    summary = told[told.rindex("Summary") :]
    assert float(re.search(r"I:\s+(-?[\d.]+)", summary)[1]) == pytest.approx(found["integrated"], abs=0.11)
    assert float(re.search(r"Peak:\s+(-?[\d.]+)", summary)[1]) == pytest.approx(found["true_peak"], abs=0.2)
    desk.edit(kind="set_notes", line=str(desk.text.pk), notes="slower")
    assert not client.get(address).json()["loudness"]["now"]
