"""What is handed over, measured by other means than those that made it."""

import errno
import json
import os
import subprocess
import zipfile
from pathlib import Path

import numpy as np
import pytest

from fendo_core.production import edits
from fendo_core.timebase import SAMPLE_RATE
from fendo_server.picture import services
from fendo_server.productions import services as services_of
from fendo_server.takes.models import Take
from fendo_server.work import running
from fendo_server.work.models import Job
from testing import edit, record, send, voice


@pytest.fixture
def read(production, ada, film_file, tmp_path):
    """A production with a film, and two picked takes."""
    arrived = tmp_path / "arrived"
    arrived.write_bytes(film_file.read_bytes())
    services.bring_in(production, ada, "mill.mp4", arrived)
    running.run(str(Job.objects.get().pk))
    for n, line in enumerate(production.lines.all()[:2]):
        take = record(line, voice(3.0 + n, seed=n + 1))
        edit(production, ada, edits.Pick(str(line.id), str(take.id)))
    production.refresh_from_db()
    return production


def ask(client, production, kind) -> Job:
    made = send(client, "POST", f"/api/productions/{production.id}/handover/", {"kind": kind}).json()
    running.run(made["id"])
    return Job.objects.get(pk=made["id"])


def test_the_film_has_the_picture_untouched_and_the_voice_where_the_take_lay(client, read, tmp_path, film_file):
    job = ask(client, read, "film with the voice")
    assert job.state == "done", job.error
    path = tmp_path / "out.mp4"
    path.write_bytes(client.get(f"/api/jobs/{job.pk}/file/").getvalue())
    shown = subprocess.run(
        ["ffprobe", "-v", "error", "-show_streams", "-of", "json", path], capture_output=True, check=True
    )
    streams = json.loads(shown.stdout)["streams"]
    assert [s["codec_name"] for s in streams] == ["h264", "aac"]

    def picture_of(file):
        command = ["ffmpeg", "-v", "error", "-i", file, "-map", "0:v", "-c", "copy", "-f", "md5", "-"]
        return subprocess.run(command, capture_output=True, check=True).stdout

    assert picture_of(path) == picture_of(film_file)
    command = ["ffmpeg", "-v", "error", "-i", path, "-ac", "1", "-ar", "48000", "-f", "f32le", "-"]
    mixed = np.frombuffer(subprocess.run(command, capture_output=True, check=True).stdout, np.float32)
    for take in Take.objects.all():
        # Where the buzz begins and ends, by its energy against the much quieter ducked tone.
        start, length = take.recording.start, take.recording.length
        a, b = start + SAMPLE_RATE, start + length - SAMPLE_RATE
        near = np.abs(mixed[a - 4800 : b + 4800])
        loud = np.flatnonzero(near > 0.1)
        assert abs(loud[0] - 4800) < 0.010 * SAMPLE_RATE
        assert abs(loud[-1] - (4800 + b - a)) < 0.010 * SAMPLE_RATE


def test_the_voice_files_are_the_takes_as_recorded_with_a_list(client, read, tmp_path):
    job = ask(client, read, "voice files")
    path = tmp_path / "voice.zip"
    path.write_bytes(client.get(f"/api/jobs/{job.pk}/file/").getvalue())
    with zipfile.ZipFile(path) as archive:
        for take in Take.objects.all():
            assert archive.read(take.recording.file_name) == take.path.read_bytes()
        rows = archive.read("list.csv").decode("utf-8-sig").splitlines()
    assert len(rows) == 3
    assert rows[1].split(",")[-4:] == ["10:00:01:00", "48000", "3.000", "yes"]


def test_every_picked_line_is_handed_over_whoever_reads_it(client, read, ada, tmp_path):
    """A line that another reader reads is among the files; a dropped one, and the pick of its earlier reader, are not."""
    first, second, third = read.lines.all()
    other = services_of.make_reader(read, "Second voice")
    edit(read, ada, edits.SetReader((str(second.id),), str(other.id)))
    second.refresh_from_db()
    theirs = record(second, voice(2.5, seed=7))
    edit(read, ada, edits.Pick(str(second.id), str(theirs.id)))
    gone = record(third, voice(2.5, seed=8))
    edit(read, ada, edits.Pick(str(third.id), str(gone.id)))
    edit(read, ada, edits.DropLine(str(third.id)))
    job = ask(client, read, "voice files")
    path = tmp_path / "voice.zip"
    path.write_bytes(client.get(f"/api/jobs/{job.pk}/file/").getvalue())
    mine = Take.objects.get(line=first)
    with zipfile.ZipFile(path) as archive:
        assert set(archive.namelist()) == {mine.recording.file_name, theirs.recording.file_name, "list.csv"}
    whole = client.get(f"/api/productions/{read.id}/").json()
    assert [line["pick"] for line in whole["lines"]] == [str(mine.id), str(theirs.id)]
    assert whole["to_do"]["handover"] == 2
    assert client.get("/api/productions/").json()[0]["picked"] == 2


def test_a_production_on_another_disk_gets_its_files_too(client, read, own_data, monkeypatch):
    real = os.replace

    def replace(source, target):
        if Path(source).parent != Path(target).parent:
            raise OSError(errno.EXDEV, "Invalid cross-device link")
        real(source, target)

    monkeypatch.setattr(os, "replace", replace)
    job = ask(client, read, "voice files")
    assert job.state == "done", job.error
    (made,) = (own_data / "media" / read.directory / "Handover").iterdir()
    assert made.name == job.result["file"] and zipfile.is_zipfile(made)
    assert not list((own_data / "making").iterdir())


def test_a_cancelled_film_leaves_no_file_anywhere(client, read, own_data, monkeypatch):
    made = send(client, "POST", f"/api/productions/{read.id}/handover/", {"kind": "film with the voice"}).json()
    beginning = running.Progress.part

    def cancelled_midway(self, first, last, step):
        client.post(f"/api/jobs/{made['id']}/cancel/")
        return beginning(self, first, last, "cancelled by then")

    monkeypatch.setattr(running.Progress, "part", cancelled_midway)
    running.run(made["id"])
    assert Job.objects.get(pk=made["id"]).state == "cancelled"
    assert not list((own_data / "making").glob("*"))
    assert not (own_data / "media" / "The Tide Mill" / "Handover").exists()
    assert client.get(f"/api/jobs/{made['id']}/file/").status_code == 404


def test_without_a_take_or_a_picture_the_reason_is_said(client, production):
    assert "Nothing was read yet" in ask(client, production, "voice files").error
    assert "no picture" in ask(client, production, "film with the voice").error
