"""What is handed over, measured by other means than those that made it."""

import csv
import errno
import hashlib
import io
import json
import os
import shutil
import subprocess
import zipfile
from pathlib import Path

import numpy as np
import opentimelineio
import pytest
import soundfile
from wavinfo import WavInfoReader

from fendo_core.audio.ceiling import Ceiling
from fendo_core.handover.order import PRESETS
from fendo_core.production import edits
from fendo_core.production.state import rows
from fendo_core.timebase import SAMPLE_RATE
from fendo_core.voice import treatment
from fendo_core.voice.chain import STARTS
from fendo_server.booth.rescue import rescue
from fendo_server.handover import jobs as handover_jobs
from fendo_server.handover.models import Handover, Preset
from fendo_server.handover.programme import programme_sound, spoken
from fendo_server.picture import services
from fendo_server.picture.models import Source
from fendo_server.productions import services as services_of
from fendo_server.productions import state
from fendo_server.productions.models import Production
from fendo_server.takes.models import Take
from fendo_server.work import running
from fendo_server.work.models import Job
from testing import edit, forget_everything, hand_over, handed, order, record, send, voice


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


def plan(client, production, **more) -> dict:
    answer = send(client, "POST", f"/api/productions/{production.id}/handover/plan/", order(**more))
    assert answer.status_code == 200, answer.content
    return answer.json()


def decoded(path: Path, channels: int = 1) -> np.ndarray:
    command = ["ffmpeg", "-v", "error", "-i", path, "-ac", str(channels), "-ar", "48000", "-f", "f32le", "-"]
    return np.frombuffer(subprocess.run(command, capture_output=True, check=True).stdout, np.float32)


def test_the_film_has_the_picture_untouched_and_the_voice_where_the_take_lay(client, read, film_file):
    kept = handed(client, read, parts=["film"])
    (path,) = kept.path.glob("*.mp4")
    shown = subprocess.run(
        ["ffprobe", "-v", "error", "-show_streams", "-of", "json", path], capture_output=True, check=True
    )
    assert [s["codec_name"] for s in json.loads(shown.stdout)["streams"]] == ["h264", "aac"]

    def picture_of(file):
        command = ["ffmpeg", "-v", "error", "-i", file, "-map", "0:v", "-c", "copy", "-f", "md5", "-"]
        return subprocess.run(command, capture_output=True, check=True).stdout

    assert picture_of(path) == picture_of(film_file)
    mixed = decoded(path)
    for take in Take.objects.all():
        # Where the buzz begins and ends, by its energy against the much quieter ducked tone.
        start, length = take.recording.start, take.recording.length
        a, b = start + SAMPLE_RATE, start + length - SAMPLE_RATE
        near = np.abs(mixed[a - 4800 : b + 4800])
        loud = np.flatnonzero(near > 0.1)
        assert abs(loud[0] - 4800) < 0.010 * SAMPLE_RATE
        assert abs(loud[-1] - (4800 + b - a)) < 0.010 * SAMPLE_RATE


def test_as_recorded_with_handles_every_sample_is_the_takes_and_the_lists_tell_where(client, read):
    kept = handed(client, read, parts=["lines", "timeline"], sound="recorded", edges="handles", names="{line}")
    rows = list(csv.DictReader(io.StringIO((kept.path / "Files.csv").read_text("utf-8-sig"))))
    assert [row["file"] for row in rows] == ["Lines/001.wav", "Lines/002.wav"]
    midnight = read.rate.first_sample(read.start_frame)
    whole = opentimelineio.adapters.read_from_file(str(next(kept.path.glob("*.otio"))))
    clips = {clip.media_reference.target_url: clip for clip in whole.find_clips()}
    for row, take in zip(rows, Take.objects.order_by("line__position"), strict=True):
        path = kept.path / row["file"]
        assert soundfile.read(path, dtype="int32")[0].tolist() == soundfile.read(take.path, dtype="int32")[0].tolist()
        assert int(row["first sample"]) == take.recording.start
        assert WavInfoReader(str(path)).bext.time_reference == midnight + take.recording.start
        assert clips[row["file"]].range_in_parent().start_time.value == take.recording.start
    for kind, program in (("sha256", "sha256sum"), ("md5", "md5sum")):
        subprocess.run([program, "-c", "--quiet", f"checksums.{kind}"], cwd=kept.path, check=True)
    assert {one["path"] for one in kept.files} == {
        p.relative_to(kept.path).as_posix() for p in kept.path.rglob("*") if p.is_file()
    }
    assert not list((kept.path.parents[2].parent / "making").iterdir())


def test_the_whole_voice_as_recorded_meets_no_ceiling(client, read):
    loud = record(read.lines.all()[2], voice(3.0, seed=3) * 7, start=3 * SAMPLE_RATE)
    kept = handed(client, read, parts=["voice"], sound="recorded")
    whole, own = (soundfile.read(path, dtype="int32")[0] for path in (next(kept.path.glob("*voice.wav")), loud.path))
    inside = slice(SAMPLE_RATE, 2 * SAMPLE_RATE)
    assert np.abs(own[inside]).max() > 0.9 * 2**31
    assert np.array_equal(whole[4 * SAMPLE_RATE : 5 * SAMPLE_RATE], own[inside])


def test_an_order_has_a_loudness_of_its_own_and_all_keeps_its_distance(client, read):
    here = handed(client, read, parts=["mix", "lines"], names="{line}")
    quiet = handed(client, read, name="Quiet", parts=["mix", "lines"], names="{line}", level=read.speech_level - 7.0)
    for name in ("*mix.wav", "Lines/001.wav"):
        loud, soft = (soundfile.read(next(kept.path.glob(name)))[0] for kept in (here, quiet))
        # Where no ceiling works the one is the other, 7 dB lower, voice and bed alike.
        near = np.abs(loud) < 0.3
        assert np.allclose(soft[near], loud[near] * 10 ** (-7 / 20), atol=2e-3)
    told = [
        float(row["LUFS (dual mono)"])
        for row in csv.DictReader(io.StringIO((quiet.path / "Files.csv").read_text("utf-8-sig")))
    ]
    assert abs(told[0] - (read.speech_level - 7.0)) < 0.6
    read.speech_level = None
    read.save(update_fields=["speech_level"])
    assert "Choose a level of speech first" in plan(client, read, level=-16.0)["stops"]


def test_voices_of_readers_and_of_folders_add_up_to_the_whole(client, read, ada):
    other = read.readers.create(name="Oskar/Ole")
    edit(read, ada, edits.SetReader((str(read.lines.all()[2].id),), str(other.id)))
    record(read.lines.all()[2], voice(2.5, seed=7))
    kept = handed(client, read, parts=["voice", "readers", "folders"], sound="recorded")
    files = {path.name: soundfile.read(path, dtype="int32")[0] for path in kept.path.glob("*voice*.wav")}
    whole = next(sound for name, sound in files.items() if name.endswith("voice.wav"))
    readers = [sound for name, sound in files.items() if "voice Oskar" in name or "voice Narrator" in name]
    assert len(files) == 1 + 2 + 1 and len(readers) == 2
    assert np.array_equal(sum(sound.astype(np.int64) for sound in readers), whole)
    assert all(len(sound) == len(whole) and np.abs(sound).max() > 0 for sound in files.values())
    listed = {one["path"] for one in kept.files}
    assert any("Oskar" in path and "/" not in path for path in listed)


def test_as_it_sounds_a_line_is_at_its_level_with_its_treatment_and_cut_to_its_slot(client, read, ada, own_data):
    chain = STARTS[0]
    edit(read, ada, edits.SetTreatment("production", chain))
    kept = handed(client, read, edges="slot", form="wav 44.1/16", channels=2, names="{line}")
    line = read.lines.first()
    sound, rate = soundfile.read(kept.path / "Lines/001.wav")
    assert (rate, sound.shape) == (44_100, ((line.slot_end - line.slot_start) * 147 // 160, 2))
    own = soundfile.read(line.takes.get().path, dtype="float32")[0]
    before = line.slot_start - line.takes.get().recording.start
    wet = treatment.treated(own, chain)[before : before + line.slot_end - line.slot_start]
    # Compared by shape, since its level was set: the treated one is nearer than the one as it was read.
    there = np.interp(np.arange(len(wet)) * 44_100 / SAMPLE_RATE, np.arange(len(sound)), sound[:, 0])
    assert np.corrcoef(there[4_800:-4_800], wet[4_800:-4_800])[0, 1] > 0.99
    loudness = subprocess.run(
        ["ffmpeg", "-hide_banner", "-i", kept.path / "Lines/001.wav", "-af", "ebur128=peak=true", "-f", "null", "-"],
        capture_output=True, text=True, check=True,
    ).stderr.rsplit("Summary:")[1]  # fmt: skip
    told = next(csv.DictReader(io.StringIO((kept.path / "Files.csv").read_text("utf-8-sig"))))
    assert abs(float(loudness.split("I:")[1].split()[0]) - float(told["LUFS (dual mono)"])) <= 0.2
    assert float(told["dBTP"]) <= -0.9
    history = WavInfoReader(str(kept.path / "Lines/001.wav")).bext.coding_history
    assert history.strip() == "A=PCM,F=44100,W=16,M=dual mono,T=Fendo"


CODECS = [
    ("flac", "flac", "flac"),
    ("mp3", "mp3", "mp3"),
    ("mp3 320", "mp3", "mp3"),
    ("aac", "aac", "m4a"),
    ("opus", "opus", "opus"),
]


@pytest.mark.parametrize(("form", "codec", "ending"), CODECS)
def test_what_a_codec_makes_is_the_same_sound_and_says_what_it_is(client, read, form, codec, ending):
    kept = handed(client, read, form=form, sound="recorded", names="{line}")
    path = kept.path / f"Lines/001.{ending}"
    shown = subprocess.run(
        ["ffprobe", "-v", "error", "-show_streams", "-show_format", "-of", "json", path], capture_output=True, check=True
    )
    found = json.loads(shown.stdout)
    assert [one["codec_name"] for one in found["streams"]] == [codec]
    if codec == "mp3":
        assert found["streams"][0]["bit_rate"] == ("320000" if "320" in form else "192000")
    tags = {**found["format"].get("tags", {}), **found["streams"][0].get("tags", {})}
    assert {name.lower(): text for name, text in tags.items()}["title"] == "Nobody at Orsey needs a clock."
    take, sound = Take.objects.order_by("line__position").first(), decoded(path)
    loud = np.flatnonzero(np.abs(sound) > 0.1)
    spoken = np.array([take.speech_start, take.speech_end]) + take.recording.start
    first = client.get(f"/api/productions/{read.id}/").json()["lines"][0]["voice"]["span"][0]
    assert np.all(np.abs(loud[[0, -1]] - (spoken - first)) < 0.03 * SAMPLE_RATE)


def test_mix_is_bed_and_voice_and_the_archive_opens_elsewhere(client, read, stranger, tmp_path):
    kept = handed(client, read, parts=["mix", "bed", "voice", "takes", "sources", "script", "subtitles"])
    names = ("mix", "without the voice", "voice")
    mix, bed, alone = (soundfile.read(next(kept.path.glob(f"The Tide Mill {name}.wav")))[0] for name in names)
    assert mix.shape == bed.shape == (8 * SAMPLE_RATE, 2)
    assert np.max(np.abs(mix - bed - alone[:, None])) < 2e-3, "but where the ceiling worked"
    told = next(kept.path.glob("*.srt")).read_text()
    assert "Nobody at Orsey needs a clock." in told and "-->" in told
    before, away = rows(state.load(read)), tmp_path / "away"
    shutil.copytree(kept.path / "Production", away)
    forget_everything()
    report = rescue(stranger, away)
    assert (report.whole, report.takes, report.picks) == (["The Tide Mill"], 2, 2)
    assert rows(state.load(Production.objects.get())) == before


def test_only_what_has_changed_leaves_again(client, read, ada):
    assert (
        "Nothing was handed over as"
        in send(client, "POST", f"/api/productions/{read.id}/handover/plan/", order(which="changed")).json()["detail"]
    )
    handed(client, read)
    assert plan(client, read, which="changed")["stops"] == "Nothing has changed since."
    line = read.lines.all()[1]
    edit(read, ada, edits.MoveVoice(str(line.takes.get().id), 4_800))
    found = plan(client, read, which="changed")
    assert [one["line"] for one in found["lines"]] == [str(line.id)] and not found["stops"]
    second = handed(client, read, which="changed")
    assert len(second.lines) == 1 and second.folder.endswith("Handover (2)")
    assert plan(client, read, which="changed")["stops"] == "Nothing has changed since."


def test_a_treatment_changes_what_sounds_and_not_what_was_recorded(client, read, ada):
    handed(client, read, name="Dry", sound="recorded")
    handed(client, read, name="Wet")
    edit(read, ada, edits.SetTreatment("production", STARTS[0]))
    assert plan(client, read, name="Dry", sound="recorded", which="changed")["stops"] == "Nothing has changed since."
    assert len(plan(client, read, name="Wet", which="changed")["lines"]) == 2


def test_lines_are_chosen_by_pick_folder_reader_and_hand(client, read, ada):
    third = read.lines.all()[2]
    other = services_of.make_reader(read, "Second voice")
    edit(read, ada, edits.SetReader((str(third.id),), str(other.id)))
    third.refresh_from_db()
    record(third, voice(2.5, seed=8))
    ids = [str(line.id) for line in read.lines.all()]

    def chosen(**more):
        return [one["line"] for one in plan(client, read, **more)["lines"]]

    assert chosen() == ids and chosen(which="picked") == ids[:2]
    assert chosen(which="reader", of=[str(other.id)]) == ids[2:]
    assert chosen(which="folder", of=[read.landing.path]) == ids and chosen(which="folder", of=["elsewhere"]) == []
    assert chosen(which="chosen", of=[ids[1], "nonsense"]) == [ids[1]]
    edit(read, ada, edits.NoteTake(str(Take.objects.get(line=ids[1]).id), "keep"))
    assert chosen(which="marked", of=["keep"]) == [ids[1]] and chosen(which="marked", of=["no"]) == []
    # The picture has a cut in its middle: the first line begins before it, the second behind it.
    assert [chosen(which="shots", of=of) for of in (["1"], ["2"], ["3"])] == [ids[:1], ids[1:2], []]


def test_what_is_open_is_said_and_noted_in_the_sheet(client, read, ada):
    third = read.lines.all()[2]
    edit(read, ada, edits.SetWords(str(read.lines.first().id), "Nobody at Orsey needs a watch."))
    found = plan(client, read)
    said = {one["kind"]: one["says"] for one in found["findings"]}
    assert said["no take"] == "Line 3 has not been read and will be silent."
    assert said["other words"] == "Line 1 was read before its words changed."
    assert said["not treated"] == "2 lines are untreated."
    assert next(one for one in found["findings"] if one["kind"] == "no take")["lines"] == [str(third.id)]
    page = (handed(client, read).path / "Take sheet.html").read_text()
    assert "Written although:" in page and "Line 3 has not been read" in page


def test_what_cannot_be_written_says_why(client, read, production, monkeypatch):
    real = shutil.disk_usage
    monkeypatch.setattr(shutil, "disk_usage", lambda path: real(path)._replace(free=1000))
    assert "Make room, or choose less" in plan(client, read, parts=["voice"])["stops"]
    job = hand_over(client, read, parts=["voice"])
    assert job.state == "failed" and "Make room" in job.error
    monkeypatch.setattr(shutil, "disk_usage", real)
    assert not Handover.objects.exists()


def test_without_a_take_or_a_picture_the_reason_is_said(client, production):
    assert "has been read yet" in hand_over(client, production).error
    record(production.lines.first(), voice())
    assert "no picture" in hand_over(client, production, parts=["film"]).error
    answer = send(client, "POST", f"/api/productions/{production.id}/handover/", order(parts=[]))
    assert answer.status_code == 422 and "Nothing is chosen" in answer.json()["detail"]
    assert send(client, "POST", f"/api/productions/{production.id}/handover/plan/", order(names="{x}")).status_code == 422


def test_a_production_on_another_disk_gets_its_files_too(client, read, own_data, monkeypatch):
    real = os.replace

    def replace(source, target):
        if Path(source).parent != Path(target).parent:
            raise OSError(errno.EXDEV, "Invalid cross-device link")
        real(source, target)

    monkeypatch.setattr(os, "replace", replace)
    kept = handed(client, read)
    assert [path.name for path in kept.path.parent.iterdir()] == [kept.folder]
    assert not list((own_data / "making").iterdir())


def test_a_stopped_or_failed_handover_leaves_no_file_anywhere(client, read, own_data, monkeypatch):
    shelf = own_data / "media" / "The Tide Mill" / "Handover"
    made = send(client, "POST", f"/api/productions/{read.id}/handover/", order(parts=["film", "lines"])).json()
    beginning = running.Progress.part

    def cancelled_midway(self, first, last, step):
        client.post(f"/api/jobs/{made['id']}/cancel/")
        return beginning(self, first, last, "cancelled by then")

    with monkeypatch.context() as patched:
        patched.setattr(running.Progress, "part", cancelled_midway)
        running.run(made["id"])
    assert Job.objects.get(pk=made["id"]).state == "cancelled"

    def full(*_):
        raise OSError(errno.ENOSPC, "No space left on device")

    with monkeypatch.context() as patched:
        patched.setattr(handover_jobs, "_summed", full)
        assert "No space left" in hand_over(client, read).error
    assert not list((own_data / "making").glob("*"))
    assert not shelf.exists() and not Handover.objects.exists()


def test_all_of_it_is_one_download_and_each_alone(client, read, tmp_path):
    kept = handed(client, read)
    (tmp_path / "all.zip").write_bytes(client.get(f"/api/handovers/{kept.pk}/zip/").getvalue())
    with zipfile.ZipFile(tmp_path / "all.zip") as archive:
        assert archive.testzip() is None
        names = {name.split("/", 1)[1] for name in archive.namelist()}
    assert names == {one["path"] for one in kept.files}
    for number, one in enumerate(kept.files):
        body = client.get(f"/api/handovers/{kept.pk}/files/{number}/")
        assert hashlib.sha256(body.getvalue()).hexdigest() == one["sha256"]
        assert body.headers["Content-Disposition"].startswith("attachment")
    assert client.get(f"/api/handovers/{kept.pk}/files/99/").status_code == 404
    (kept.path / kept.files[0]["path"]).unlink()
    assert client.get(f"/api/handovers/{kept.pk}/zip/").status_code == 409


def test_presets_are_kept_under_their_names_by_their_owner(client, read):
    base = f"/api/productions/{read.id}/handover/"
    assert [one["order"]["name"] for one in client.get(base).json()["presets"]] == [one.name for one in PRESETS]
    mine = order(name="Mine", form="mp3", which="chosen", of=[str(read.lines.first().id)])
    kept = send(client, "POST", "/api/handover-presets/", mine).json()
    assert kept["order"]["which"] == "all", "lines of one production mean nothing in another"
    send(client, "POST", "/api/handover-presets/", mine | {"form": "flac"})
    (own,) = Preset.objects.all()
    assert own.order["form"] == "flac"
    refused = send(client, "POST", "/api/handover-presets/", order(name="client"))
    assert refused.status_code == 422 and "ships with Fendo" in refused.json()["detail"]
    assert send(client, "DELETE", f"/api/handover-presets/{own.pk}/").status_code == 204
    assert len(client.get(base).json()["presets"]) == len(PRESETS)


def test_every_picked_line_is_handed_over_whoever_reads_it(client, read, ada):
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
    kept = handed(client, read, sound="recorded", edges="handles", names="{line} {reader} {take}")
    mine = Take.objects.get(line=first)
    left = [soundfile.read(p, dtype="int32")[0].tolist() for p in sorted((kept.path / "Lines").iterdir())]
    assert left == [soundfile.read(take.path, dtype="int32")[0].tolist() for take in (mine, theirs)]
    whole = client.get(f"/api/productions/{read.id}/").json()
    assert [line["pick"] for line in whole["lines"]] == [str(mine.id), str(theirs.id)]
    assert whole["to_do"]["handover"] == 2
    assert client.get("/api/productions/").json()[0]["picked"] == 2


def test_under_a_line_that_replaces_an_old_one_the_films_own_room_goes_on(client, read, ada):
    line = read.lines.first()
    edit(read, ada, edits.SetSilences(str(line.pk), True))
    read.refresh_from_db()

    def bed() -> np.ndarray:
        present = state.load(read)
        blocks = programme_sound(read, present, spoken(read, present), Ceiling(), voiced=False)
        return np.concatenate(list(blocks))[:, 0]

    def level(sound: np.ndarray, start: float, end: float) -> float:
        part = sound[int(start * SAMPLE_RATE) : int(end * SAMPLE_RATE)].astype(np.float64)
        return 10 * np.log10(max(1e-12, np.mean(part**2)))

    (row, *others) = send(client, "GET", f"/api/productions/{read.pk}/").json()["lines"]
    assert row["silence"] == row["slot"] and row["rooms"] and not any(other["rooms"] for other in others)
    # A tone is as quiet as it ever is: it is the room of this film.
    with_room = bed()
    assert level(with_room, 4.4, 4.9) == pytest.approx(level(with_room, 0.2, 1.2), abs=0.5)
    Source.objects.update(quiet=[])
    assert level(bed(), 4.4, 4.9) < -100
    # A film that was prepared before rooms were listened to is listened to when there is time.
    Source.objects.update(quiet=None)
    services.listen_to_missing()
    assert np.array_equal(bed(), with_room)
