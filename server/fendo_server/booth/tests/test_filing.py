"""Files of takes moved and renamed, folders renamed: the disk and the rooms say the same, and what is heard stays."""

from concurrent.futures import ThreadPoolExecutor

import pytest
from django.conf import settings
from django.db import connections

from fendo_core.audio import pcm
from fendo_server.booth import capture, filing
from fendo_server.problems import Problem
from fendo_server.productions import services
from fendo_server.productions.models import Folder
from fendo_server.takes.models import Take
from testing import clock_of, record, send, takes_of, voice


def file(client, take, **wanted):
    return send(client, "POST", f"/api/takes/{take.id}/file/", wanted)


def test_a_file_moves_and_is_renamed_and_sounds_as_before(client, production):
    line = production.lines.first()
    first, second = record(line, voice()), record(line, voice(2.5, 2))
    before = {take["id"]: take["voice"]["key"] for take in takes_of(client, production)}
    sound = first.recording.path.read_bytes()
    kept = services.make_folder(production, None, "Kept")
    moved = file(client, first, folder=str(kept.id), name="Tide: the first?.wav").json()
    assert (moved["folder"], moved["file"]) == ("Kept", "Tide the first.wav")
    path = settings.MEDIA / production.directory / "Kept" / "Tide the first.wav"
    assert path.read_bytes() == sound and not first.recording.path.exists()
    # A name that is taken there is counted on, in capitals or not.
    again = file(client, second, folder=str(kept.id), name="TIDE THE FIRST").json()
    assert again["file"] == "TIDE THE FIRST (2).wav"
    assert {take["id"]: take["voice"]["key"] for take in takes_of(client, production)} == before
    assert client.get(f"/api/takes/{first.id}/recording/").status_code == 200
    assert file(client, first).json()["file"] == "Tide the first.wav"
    (settings.MEDIA / production.directory / "Kept" / "other.wav").write_bytes(b"not ours")
    assert file(client, first, name="other").json()["file"] == "other (2).wav"


def test_a_take_that_is_recorded_or_whose_file_is_gone_stays_where_it_is(client, production, stranger):
    line = production.lines.first()
    going, done = capture.begin(line, "a microphone"), record(line, voice())
    assert file(client, going, name="x").status_code == 422
    other = services.make_production(stranger, "Other")
    assert file(client, done, folder=str(other.landing_id)).status_code == 422
    done.recording.path.unlink()
    assert file(client, done, name="y").status_code == 409
    assert Take.objects.get(pk=done.pk).recording.file_name == done.recording.file_name


def test_a_folder_is_renamed_with_all_that_lies_in_it(client, production):
    line = production.lines.first()
    landing = production.landing
    inner = services.make_folder(production, landing, "Inner")
    production.landing = inner
    production.save()
    take = record(line, voice())

    def rename(folder, name):
        return send(client, "PATCH", f"/api/folders/{folder.id}/", {"name": name})

    assert rename(landing, "Main voice").json()["path"] == "Main voice"
    top = settings.MEDIA / production.directory
    assert (top / "Main voice" / "Inner" / take.recording.file_name).is_file() and not (top / "Narration").exists()
    assert takes_of(client, production)[0]["folder"] == "Main voice/Inner"
    assert rename(landing, "main voice").json()["path"] == "main voice"
    services.make_folder(production, None, "Other")
    for name in ("other", "Outside"):
        assert rename(landing, name).status_code == 422, name
    (top / "There").mkdir()
    assert rename(landing, "There").status_code == 422
    assert Folder.objects.get(pk=inner.pk).path == "main voice/Inner"
    going = capture.begin(line, "a microphone")
    refused = rename(landing, "Now")
    assert refused.status_code == 422 and "recording into this folder" in refused.json()["detail"]
    sound = voice()
    capture.append(going, 0, pcm.from_integers(sound))
    assert capture.finish(going, len(sound), [clock_of(0)], False).recording.path.is_file()
    assert rename(landing, "Now").json()["path"] == "Now"


@pytest.mark.django_db(transaction=True)
def test_takes_that_begin_while_their_folder_is_renamed_lie_where_the_rooms_say(production):
    line, sound = production.lines.first(), pcm.from_integers(voice(0.5))

    def work(n: int) -> None:
        try:
            if n % 3:
                take = capture.begin(line, "mic")
                capture.append(Take.objects.get(pk=take.pk), 0, sound)
                capture.finish(Take.objects.get(pk=take.pk), len(sound) // 3, [clock_of(0)], False)
            else:
                try:
                    filing.renamed(Folder.objects.get(pk=production.landing_id), f"Name {n}")
                except Problem as problem:
                    assert "recording into" in str(problem)
        finally:
            connections.close_all()

    with ThreadPoolExecutor(6) as pool:
        list(pool.map(work, range(24)))
    takes = list(Take.objects.filter(line=line))
    assert len(takes) == 16 and all(take.recording.path.is_file() for take in takes)
    there = set((settings.MEDIA / production.directory).rglob("*.wav*"))
    assert there == {take.recording.path for take in takes}
