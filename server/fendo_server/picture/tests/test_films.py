"""Films over HTTP: brought in, prepared, refused."""

import pytest

from fendo_server.picture.models import Film
from fendo_server.work import running
from fendo_server.work.models import Job
from testing import send


@pytest.fixture
def bring(client, production):
    def send(body: bytes, name: str = "mill.mp4"):
        address = f"/api/productions/{production.id}/films/?name={name}"
        return client.generic("POST", address, body, content_type="application/octet-stream")

    return send


def test_a_film_becomes_the_picture_and_its_cut_is_found(bring, client, production, film_file, own_data):
    answer = bring(film_file.read_bytes())
    assert answer.status_code == 201
    assert answer.json()["state"] == "preparing"
    assert answer.json()["plays_at_once"]
    running.run(str(Job.objects.get().pk))
    film = client.get(f"/api/productions/{production.id}/").json()["film"]
    assert film["state"] == "ready"
    assert film["shots"] == [[0, 4 * 48_000], [4 * 48_000, 8 * 48_000]]
    assert client.get(f"/api/films/{film['id']}/sound/0/").status_code == 200
    assert client.get(f"/api/films/{film['id']}/sound/1/").status_code == 404
    assert client.get(f"/api/films/{film['id']}/strip/").headers["Content-Type"] == "image/jpeg"
    assert (own_data / "media" / "The Tide Mill" / "Picture" / "mill.mp4").read_bytes() == film_file.read_bytes()
    lines = client.get(f"/api/productions/{production.id}/").json()
    assert lines["undo"] == "picture"


def test_the_same_name_twice_makes_two_files(bring, film_file, own_data):
    for _ in range(2):
        assert bring(film_file.read_bytes()).status_code == 201
    assert len(list((own_data / "media" / "The Tide Mill" / "Picture").iterdir())) == 2


@pytest.mark.parametrize(
    ("body", "name", "said"),
    [
        (b"", "a.mp4", "is empty"),
        (b"just words " * 100, "a.mp4", "no film"),
        (b"#EXTM3U\nfile:///etc/passwd\n" * 30, "a.mp4", "no film"),
        (b"\x1a\x45\xdf\xa3" + b"\0" * 4000, "../../evil.mkv", "damaged"),
        (b"\0\0\0\x20ftypisom" + b"\xff" * 4000, "a.mp4", "damaged"),
    ],
)
def test_what_is_no_film_leaves_a_clear_text_and_no_trace(bring, own_data, body, name, said):
    answer = bring(body, name)
    assert answer.status_code == 422
    assert said in answer.json()["detail"]
    assert not Film.objects.exists()
    assert not list((own_data / "arriving").iterdir())


def test_a_film_that_breaks_off_fails_in_words_and_can_be_tried_again(bring, client, production, film_file, own_data):
    bring(film_file.read_bytes())
    film = Film.objects.get()
    whole = film.original.read_bytes()
    film.original.write_bytes(whole[:100])
    job = Job.objects.get()
    running.run(str(job.pk))
    assert "damaged" in client.get(f"/api/productions/{production.id}/jobs/").json()[0]["error"]
    film.original.write_bytes(whole)
    client.post(f"/api/jobs/{job.pk}/retry/")
    running.run(str(job.pk))
    assert Film.objects.get().state == "ready"


def test_shots_are_corrected_by_hand_and_preparing_again_leaves_them(bring, client, production, film_file):
    bring(film_file.read_bytes())
    job = str(Job.objects.get().pk)
    running.run(job)
    address = f"/api/productions/{production.id}/"

    def change(kind, **values):
        body = {"kind": kind, "revision": client.get(address).json()["revision"], **values}
        return send(client, "POST", f"{address}edits/", body)

    assert change("part_shot", at=2 * 48_000 + 5).json()["film"]["shots"][0] == [0, 2 * 48_000]
    assert change("name_shot", at=0, called=" the   creek ").json()["film"]["shot_names"] == ["the creek", "", ""]
    assert "begins here" in change("part_shot", at=0).json()["detail"]
    before = client.get(address).json()["film"]
    Job.objects.filter(pk=job).update(state="waiting")
    running.run(job)
    after = client.get(address).json()["film"]
    assert (after["shots"], after["shot_names"]) == (before["shots"], before["shot_names"])
    assert change("join_shots", at=2 * 48_000).json()["undo"] == "shots 1 and 2 joined"
    for _ in range(3):
        assert client.post(f"{address}undo/").status_code == 200
    film = client.get(address).json()["film"]
    assert (film["shots"], film["shot_names"]) == ([[0, 4 * 48_000], [4 * 48_000, 8 * 48_000]], ["", ""])
    lines = client.get(address).json()["lines"]
    assert change("lay_slots").status_code == 200 and len(lines) == 3
