"""What is brought in over HTTP: sent in pieces, laid, prepared, refused."""

import errno
import io
import json
from urllib.parse import quote

import pytest
from PIL import Image

from fendo_core.picture import film
from fendo_server.picture import services
from fendo_server.picture.models import Arrival, Source
from fendo_server.productions import state
from fendo_server.work import running
from fendo_server.work.models import Job
from testing import bring, digest, record, send, takes_of, voice


@pytest.fixture
def bring_in(client, production):
    def send_it(body: bytes, name: str = "mill.mp4", laid: bool = True):
        return bring(client, production, body, name, laid)

    return send_it


@pytest.fixture
def whole(client, production):
    return lambda: client.get(f"/api/productions/{production.id}/").json()


@pytest.fixture
def change(client, production, whole):
    def do(kind, **values):
        body = {"kind": kind, "revision": whole()["revision"], **values}
        return send(client, "POST", f"/api/productions/{production.id}/edits/", body)

    return do


def test_a_film_becomes_the_picture_and_its_cut_is_found(bring_in, client, whole, film_file, own_data):
    answer = bring_in(film_file.read_bytes())
    assert answer.status_code == 201
    assert answer.json()["state"] == "preparing"
    assert answer.json()["plays_at_once"]
    running.run(str(Job.objects.get().pk))
    found = whole()
    picture, source = found["picture"], found["picture"]["sources"][0]
    assert source["state"] == "ready"
    assert picture["shots"] == [[0, 4 * 48_000], [4 * 48_000, 8 * 48_000]]
    assert [clip["span"] for clip in picture["clips"]] == [[0, 8 * 48_000]]
    base = f"/api/sources/{source['id']}"
    assert client.get(f"{base}/sound/0/").status_code == 200
    assert client.get(f"{base}/sound/1/").status_code == 404
    assert client.get(f"{base}/strip/").headers["Content-Type"] == "image/jpeg"
    assert (own_data / "media" / "The Tide Mill" / "Picture" / "mill.mp4").read_bytes() == film_file.read_bytes()
    assert found["undo"] == "picture"


def test_a_source_that_gets_ready_between_two_reads_is_not_told_as_ready_with_its_old_shots(
    bring_in, whole, film_file, monkeypatch
):
    bring_in(film_file.read_bytes())
    job, load = str(Job.objects.get().pk), state.load

    def overtaken(production, **more):
        found = load(production, **more)
        monkeypatch.undo()
        running.run(job)
        return found

    monkeypatch.setattr(state, "load", overtaken)
    picture = whole()["picture"]
    assert (len(picture["shots"]), picture["sources"][0]["state"]) == (1, "preparing")
    picture = whole()["picture"]
    assert (len(picture["shots"]), picture["sources"][0]["state"]) == (2, "ready")


def test_the_same_name_twice_makes_two_files_and_the_same_file_twice_is_noticed(bring_in, film_file, own_data):
    body = film_file.read_bytes()
    assert bring_in(body).status_code == 201
    assert bring_in(body + b"\0" * 64).status_code == 201
    again = bring_in(body, "other.mp4").json()
    assert again["known"]["name"] == "mill.mp4"
    assert len(list((own_data / "media" / "The Tide Mill" / "Picture").iterdir())) == 2
    assert not Arrival.objects.exists()


def test_the_digest_is_the_same_for_page_and_server(tmp_path):
    for size in (1, 1 << 20, (5 << 20) + 3):
        body = bytes(range(256)) * (size // 256) + bytes(size % 256)
        (tmp_path / "file").write_bytes(body)
        assert services.digest_of(tmp_path / "file") == digest(body)


def test_a_file_goes_on_where_the_connection_was_cut(client, production, film_file, own_data):
    body = film_file.read_bytes()
    told = {"name": "mill.mp4", "size": len(body), "digest": digest(body)}
    base = f"/api/productions/{production.id}/arrivals/"

    def put(address, at, piece):
        return client.generic("PUT", f"{address}?at={at}", piece, content_type="application/octet-stream")

    address = f"/api/arrivals/{send(client, 'POST', base, told).json()['id']}/"
    assert put(address, 0, body[:10_000]).json()["received"] == 10_000
    again = send(client, "POST", base, told).json()
    assert (f"/api/arrivals/{again['id']}/", again["received"]) == (address, 10_000)
    assert put(address, 20_000, body[20_000:]).status_code == 409
    assert put(address, 5_000, body[5_000:15_000]).json()["received"] == 15_000
    assert send(client, "POST", f"{address}finish/").status_code == 409
    assert put(address, 15_000, body[15_000:] + b"more").status_code == 422
    put(address, 15_000, body[15_000:])
    assert send(client, "POST", f"{address}finish/").status_code == 201
    assert Source.objects.get().original.read_bytes() == body
    other = send(client, "POST", base, {**told, "digest": "0" * 64}).json()
    assert client.delete(f"/api/arrivals/{other['id']}/").status_code == 204
    assert not list((own_data / "arriving").iterdir())


@pytest.mark.parametrize(
    ("body", "name", "said"),
    [
        (b"", "a.mp4", "is empty"),
        (b"just words " * 100, "a.mp4", "nothing that"),
        (b"#EXTM3U\nfile:///etc/passwd\n" * 30, "a.mp4", "nothing that"),
        (b"\x1a\x45\xdf\xa3" + b"\0" * 4000, "../../evil.mkv", "damaged"),
        (b"\0\0\0\x20ftypisom" + b"\xff" * 4000, "a.mp4", "damaged"),
    ],
)
def test_what_is_no_film_leaves_a_clear_text_and_no_trace(bring_in, own_data, body, name, said):
    answer = bring_in(body, name)
    assert answer.status_code == 422
    assert said in answer.json()["detail"]
    assert not Source.objects.exists()
    assert not Arrival.objects.exists()
    assert not list((own_data / "arriving").glob("*"))


def test_a_disk_that_is_full_at_the_end_keeps_what_was_sent(bring_in, client, film_file, monkeypatch):
    def full(*given):
        raise OSError(errno.ENOSPC, "no space")

    with monkeypatch.context() as patched:
        patched.setattr(services.shutil, "move", full)
        assert bring_in(film_file.read_bytes()).status_code == 507
    arrival = Arrival.objects.get()
    assert arrival.received == arrival.size and not Source.objects.exists()
    assert send(client, "POST", f"/api/arrivals/{arrival.id}/finish/", {}).status_code == 201
    assert Source.objects.get().original.read_bytes() == film_file.read_bytes() and not Arrival.objects.exists()


def test_a_film_that_breaks_off_fails_in_words_and_can_be_tried_again(bring_in, client, production, film_file):
    bring_in(film_file.read_bytes())
    source = Source.objects.get()
    body = source.original.read_bytes()
    source.original.write_bytes(body[:100])
    job = Job.objects.get()
    running.run(str(job.pk))
    assert "damaged" in client.get(f"/api/productions/{production.id}/jobs/").json()[0]["error"]
    source.original.write_bytes(body)
    client.post(f"/api/jobs/{job.pk}/retry/")
    running.run(str(job.pk))
    assert Source.objects.get().state == "ready"


def test_shots_corrected_by_hand_stay_when_it_is_prepared_again(bring_in, client, production, film_file, change, whole):
    bring_in(film_file.read_bytes())
    job = str(Job.objects.get().pk)
    running.run(job)

    def shots():
        return whole()["picture"]["shots"], whole()["picture"]["shot_names"]

    assert change("part_shot", at=2 * 48_000 + 5).json()["picture"]["shots"][0] == [0, 2 * 48_000]
    assert change("name_shot", at=0, called=" the   creek ").json()["picture"]["shot_names"] == ["the creek", "", ""]
    assert "begins here" in change("part_shot", at=0).json()["detail"]
    before = shots()
    Job.objects.filter(pk=job).update(state="waiting")
    running.run(job)
    assert shots() == before
    assert change("join_shots", at=2 * 48_000).json()["undo"] == "shots 1 and 2 joined"
    for _ in range(3):
        assert client.post(f"/api/productions/{production.id}/undo/").status_code == 200
    assert shots() == ([[0, 4 * 48_000], [4 * 48_000, 8 * 48_000]], ["", ""])
    assert change("lay_slots").status_code == 200 and len(whole()["lines"]) == 3


def png(size=(320, 200), **more) -> bytes:
    made = io.BytesIO()
    Image.new("RGB", size, "teal").save(made, "PNG", **more)
    return made.getvalue()


def pdf(pages: int) -> bytes:
    made = io.BytesIO()
    sheets = [Image.new("RGB", (160, 90), (n * 40, 90, 90)) for n in range(pages)]
    sheets[0].save(made, "PDF", save_all=True, append_images=sheets[1:])
    return made.getvalue()


def run_jobs():
    for job in Job.objects.filter(state="waiting"):
        running.run(str(job.pk))


def test_a_still_and_slides_become_clips_that_are_shown(bring_in, client, whole, change):
    assert bring_in(png(), "gate.png").json()["kind"] == "still"
    assert bring_in(pdf(3), "knots.pdf").json()["pages"] == 3
    run_jobs()
    picture = whole()["picture"]
    still, slides = picture["sources"]
    assert [(clip["kind"], clip["page"]) for clip in picture["clips"]] == [("still", 0)] + [("slides", n) for n in range(3)]
    assert picture["length"] == 20 * 48_000
    assert len(picture["shots"]) == 4
    shown = Image.open(io.BytesIO(client.get(f"/api/sources/{still['id']}/page/0/").getvalue()))
    assert shown.size == (320, 200)
    assert client.get(f"/api/sources/{slides['id']}/page/2/").status_code == 200
    assert client.get(f"/api/sources/{slides['id']}/page/3/").status_code == 404
    assert change("trim_clip", clip=picture["clips"][1]["id"], edge="end", at=12 * 48_000).status_code == 200
    assert whole()["picture"]["length"] == 22 * 48_000


def test_a_script_that_names_slides_is_laid_over_them_as_its_preview_says(bring_in, client, production, whole):
    bring_in(pdf(2), "knots.pdf")
    run_jobs()
    script = b"Slide 1\n\nThe bowline holds.\n\nIt never jams.\n\nSlide 2\n\nPull the long end.\n"

    def sent(to, **choices):
        address = f"/api/productions/{production.id}/{to}/?name=a.txt&choices={quote(json.dumps(choices))}"
        return client.post(address, script, content_type="application/octet-stream").json()

    before = whole()
    kept = sent("script-file")
    assert [each["chosen"] for each in kept["questions"] if each["key"] == "over"] == ["keep"]
    assert [line["slot"][0] > 5 * 48_000 for line in kept["lines"]] == [False, False, True]
    read = sent("script-file", over="fit")
    assert read["placed"] == 3
    assert sent("script-file", over="no")["placed"] == 0
    assert whole() == before
    patch = sent("script-lines", over="fit")
    assert patch["undo"] == "3 lines brought in over slides"
    after = whole()
    assert [line["slot"] for line in after["lines"][-3:]] == [line["slot"] for line in read["lines"]]
    assert after["picture"]["length"] != before["picture"]["length"]
    client.post(f"/api/productions/{production.id}/undo/")
    assert whole()["picture"] == before["picture"]
    sent("script-lines", over="no")
    assert [line["slot"] for line in whole()["lines"][-3:]] == [None] * 3


@pytest.mark.parametrize(
    ("body", "name", "said"),
    [
        (png()[:60], "a.png", "damaged"),
        (png((20_000, 20_000)), "huge.png", "too large"),
        (pdf(2)[:300], "a.pdf", "damaged"),
        (b"%PDF-1.7\n" + b"\xff" * 500, "a.pdf", "damaged"),
        (b"\xff\xd8\xff\xe0" + b"\0" * 900, "a.jpg", "damaged"),
        (b"RIFF\x10\0\0\0WAVEfmt ", "a.wav", "damaged"),
        (b"#EXTM3U\nhttp://127.0.0.1/x.ts\n" * 40, "a.mp3", "nothing that"),
    ],
    ids=lambda value: value if isinstance(value, str) else "",
)
def test_broken_pictures_and_sounds_leave_a_clear_text_and_no_trace(bring_in, own_data, body, name, said):
    answer = bring_in(body, name)
    assert answer.status_code == 422
    assert said in answer.json()["detail"]
    assert not Source.objects.exists() and not Arrival.objects.exists()
    assert not list((own_data / "arriving").glob("*"))


def test_a_reel_is_changed_taken_back_and_takes_the_lines_along(bring_in, client, production, film_file, change, whole):
    bring_in(film_file.read_bytes())
    line = production.lines.get(number="2")
    take = record(line, voice())
    clip = whole()["picture"]["clips"][0]["id"]
    asked = {"kind": "trim_clip", "clip": clip, "edge": "start", "at": 48_000}
    told = send(client, "POST", f"/api/productions/{production.id}/reel-preview/", {**asked, "revision": 0}).json()
    assert "Lines 1 and 2 and 1 take go 1.00 s earlier" in told["text"]
    answer = change(**asked).json()
    assert answer["picture"]["length"] == 7 * 48_000
    assert {row["id"]: row["start"] for row in answer["takes"]} == {str(take.id): take.recording.start - 48_000}
    now = whole()
    assert [row["slot"] for row in now["lines"]][1] == [5 * 48_000, 7 * 48_000]
    assert answer["takes"] == takes_of(client, production)
    later = record(line, voice(), start=5 * 48_000)
    undone = client.post(f"/api/productions/{production.id}/undo/").json()
    back = whole()
    assert undone["takes"] == takes_of(client, production)
    assert back["picture"]["length"] == 8 * 48_000
    begun = {str(take.id): take.recording.start, str(later.id): 6 * 48_000}
    assert {row["id"]: row["start"] for row in undone["takes"]} == begun
    assert back["lines"][1]["slot"] == [6 * 48_000, 8 * 48_000]
    client.post(f"/api/productions/{production.id}/redo/")
    assert [row["start"] for row in takes_of(client, production)] == [take.recording.start - 48_000, 5 * 48_000]


def test_the_original_is_one_sound_alone(bring_in, change, whole, film_file):
    bring_in(film_file.read_bytes(), laid=False)
    run_jobs()
    key = whole()["picture"]["sources"][0]["id"]
    assert film.SOUND_PIECE == 10 * 48_000
    for at in (0, 48_000):
        assert change("lay_sound", source=key, at=at, original=True).status_code == 200
    laid = whole()["picture"]["laid"]
    assert [sound["original"] for sound in laid] == [False, True]
    assert change("set_sound", sound=laid[0]["id"], original=True, channel="left", level=3).status_code == 200
    laid = whole()["picture"]["laid"]
    assert [(sound["original"], sound["channel"], sound["level"]) for sound in laid] == [
        (True, "left", 3.0),
        (False, "both", 0.0),
    ]


def test_a_timeline_lays_the_reel_and_says_what_is_missing(bring_in, client, production, film_file, whole):
    bring_in(film_file.read_bytes())
    rows = [
        "001 AX V C 00:00:01:00 00:00:03:00 10:00:00:00 10:00:02:00",
        "* FROM CLIP NAME: MILL.mov",
        "002 AX V C 00:00:00:00 00:00:01:00 10:00:02:00 10:00:03:00",
        "* FROM CLIP NAME: gone.mov",
    ]
    address = f"/api/productions/{production.id}/timeline/"

    def lay(body: bytes):
        return client.post(address, body, content_type="application/octet-stream")

    answer = lay("\n".join(rows).encode()).json()
    assert answer["missing"] == ["gone.mov"]
    told = whole()
    clips = told["picture"]["clips"]
    assert [(clip["kind"], clip["span"], clip["first"]) for clip in clips] == [
        ("film", [0, 2 * 48_000], 48_000),
        ("card", [2 * 48_000, 3 * 48_000], 0),
    ]
    assert (told["start_frame"], clips[1]["name"]) == (10 * 3600 * 25, "gone.mov")
    odd = [
        rows[0],
        "M2   AX       012.5                00:00:01:00",
        rows[1],
        "002 AX V C 00:00:0x:00 00:00:01:00 10:00:02:00 x",
    ]
    said = " | ".join(lay("\n".join(odd).encode()).json()["remarks"])
    assert "event 001 plays at 50 %" in said and "row 002 can't be read" in said
    client.post(f"/api/productions/{production.id}/undo/")
    assert "no timeline" in lay(b"words").json()["detail"]
    client.post(f"/api/productions/{production.id}/undo/")
    assert whole()["picture"]["length"] == 8 * 48_000
