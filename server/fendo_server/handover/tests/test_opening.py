"""An archive sent by a page and opened: the same production, or a reason in words; hostile zips cost nothing."""

import io
import zipfile

import pytest
from django.conf import settings
from django.utils import timezone

from fendo_core.handover import unpacking
from fendo_core.production import edits
from fendo_core.production.state import rows
from fendo_server.handover import opening
from fendo_server.picture import arriving
from fendo_server.picture.models import Arrival
from fendo_server.productions import state
from fendo_server.productions.models import Production
from fendo_server.takes.models import Take
from fendo_server.work import running
from fendo_server.work.models import Job
from testing import digest, edit, forget_everything, handed, record, send, voice


def bring(client, body: bytes, name: str = "mill.zip") -> dict:
    """An archive sent in two pieces and opened: the job as the page asks for it."""
    told = send(client, "POST", "/api/archives/", {"name": name, "size": len(body), "digest": digest(body)})
    address = f"/api/arrivals/{told.json()['id']}/"
    half = len(body) // 2
    for at, piece in ((0, body[:half]), (half, body[half:])):
        sent = client.generic("PUT", f"{address}?at={at}", piece, content_type="application/octet-stream")
        assert sent.status_code == 200, sent.content
    job = send(client, "POST", f"{address}archive/").json()["id"]
    running.run(job)
    return client.get(f"/api/jobs/{job}/").json()


@pytest.fixture
def archive(client, production, ada) -> bytes:
    """All takes of the production as one zip, as they leave."""
    first, second, _ = production.lines.all()
    take = record(first, voice())
    record(first, voice(2.5, 2))
    record(second, voice(2.5, 3))
    edit(production, ada, edits.Pick(str(first.id), str(take.id)))
    kept = handed(client, production, parts=["takes", "script"])
    return b"".join(client.get(f"/api/handovers/{kept.id}/zip/").streaming_content)


def zipped(files: dict[str, bytes], method=zipfile.ZIP_STORED) -> bytes:
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w", method) as archive:
        for name, data in files.items():
            archive.writestr(zipfile.ZipInfo(name), data, method)
    return made.getvalue()


def entries(data: bytes) -> dict[str, bytes]:
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        return {name: archive.read(name) for name in archive.namelist()}


def test_what_was_handed_over_opens_elsewhere_and_is_the_same(client, production, archive):
    before, name = rows(state.load(production)), production.name
    forget_everything()
    job = bring(client, archive)
    assert job["state"] == "done", job["error"]
    made = Production.objects.get()
    assert job["result"]["productions"] == [{"id": str(production.id), "name": name}] and job["result"]["takes"] == 3
    assert job["result"]["remarks"] == [] and made.binned is None
    assert rows(state.load(made)) == before
    assert client.get(f"/api/productions/{made.id}/").status_code == 200
    for take in Take.objects.select_related("recording"):
        assert take.recording.path.is_file() and (settings.MEDIA / made.directory) in take.recording.path.parents
    assert not list((settings.DATA / "arriving").iterdir()) and not Arrival.objects.exists()
    # Once more it is here already, and nothing is made twice.
    again = bring(client, archive)
    assert again["state"] == "failed" and "is here already" in again["error"]
    assert Take.objects.count() == 3 and Production.objects.filter(binned=None).count() == 1


def test_what_lacks_or_was_changed_is_said_and_the_rest_is_opened(client, production, archive):
    forget_everything()
    files = entries(archive)
    wavs = sorted(name for name in files if "/Production/" in name and name.endswith(".wav"))
    del files[wavs[0]]
    files[wavs[1]] = files[wavs[1]][:-1] + b"\x01"
    job = bring(client, zipped(files, zipfile.ZIP_DEFLATED))
    assert job["state"] == "done" and job["result"]["takes"] == 2
    said = " ".join(job["result"]["remarks"])
    assert "is missing" in said and "is not what it was" in said


def test_recordings_without_a_record_make_a_production_by_what_they_say(client, production, archive):
    forget_everything()
    files = {name: data for name, data in entries(archive).items() if not name.endswith(("production.json", "sha256"))}
    job = bring(client, zipped(files))
    assert job["state"] == "done" and Take.objects.count() >= 3
    assert Production.objects.get().lines.count() == 2


@pytest.mark.parametrize(
    "names", [["../out.wav"], ["/etc/x.wav"], ["a/../../x"], ["a\\..\\x"], ["c:x"], ["a\nb"], ["d/" * 40 + "x"], ["a", "a"]]
)
def test_an_archive_that_reaches_outside_of_itself_is_refused(tmp_path, names):
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w") as archive:
        for name in names:
            archive.writestr(name, b"x")
    (tmp_path / "a.zip").write_bytes(made.getvalue())
    into = tmp_path / "into"
    into.mkdir()
    with pytest.raises(unpacking.ArchiveRefused):
        unpacking.unpack(tmp_path / "a.zip", into, 1 << 30, lambda share: None)
    assert {path.name for path in tmp_path.iterdir()} == {"a.zip", "into"}


def test_links_bombs_and_lies_are_refused_before_they_cost_anything(tmp_path, monkeypatch):
    into, path = tmp_path / "into", tmp_path / "a.zip"
    into.mkdir()

    def refused(data: bytes, most: int = 1 << 20) -> bool:
        path.write_bytes(data)
        with pytest.raises(unpacking.ArchiveRefused):
            unpacking.unpack(path, into, most, lambda share: None)
        return sum(one.stat().st_size for one in into.rglob("*") if one.is_file()) <= most

    link = zipfile.ZipInfo("a")
    link.external_attr = 0o120777 << 16
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w") as archive:
        archive.writestr(link, "/etc/passwd")
    assert refused(made.getvalue())
    bomb = zipped({"a": bytes(50 << 20)}, zipfile.ZIP_DEFLATED)
    assert refused(bomb)
    # The same bomb says that it is small.
    lying = bomb.replace((50 << 20).to_bytes(4, "little"), (1 << 10).to_bytes(4, "little"))
    assert refused(lying)
    for cut in (b"", b"PK", bomb[:-30], bomb[: len(bomb) // 2], b"\0" * 5_000, bomb[:-10] + b"\xff" * 10):
        assert refused(cut)
    monkeypatch.setattr(unpacking, "LARGEST_DIRECTORY", 1_000)
    assert refused(zipped({f"{n}": b"" for n in range(100)}))


def test_an_archive_that_stops_coming_leaves_nothing_and_a_film_is_none(client, production):
    told = send(client, "POST", "/api/archives/", {"name": "x.zip", "size": 900, "digest": "0" * 64}).json()
    again = send(client, "POST", "/api/archives/", {"name": "x.zip", "size": 900, "digest": "0" * 64}).json()
    assert again["id"] == told["id"] and Production.objects.exclude(binned=None).count() == 1
    assert send(client, "POST", f"/api/arrivals/{told['id']}/archive/").status_code == 409
    assert client.delete(f"/api/arrivals/{told['id']}/").status_code == 204
    assert Production.objects.get() == production
    film = arriving.announce(production, "f.mp4", 9, "1" * 64)
    assert send(client, "POST", f"/api/arrivals/{film.pk}/archive/").status_code == 422
    empty = bring(client, zipped({"readme.txt": b"nothing"}))
    assert empty["state"] == "failed" and "no production" in empty["error"]
    opening.forget_failed()
    assert Job.objects.filter(kind="open an archive").count() == 1, "it was said just now"
    Job.objects.update(ended=timezone.now() - opening.FAILED_FOR)
    opening.forget_failed()
    assert Production.objects.get() == production and not Job.objects.exists()
