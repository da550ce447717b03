"""The recordings alone bring back what the database knew of them."""

import io
import json
import shutil
import uuid
from dataclasses import replace

import numpy as np
import pytest
from django.core.management import call_command
from django.core.management.base import CommandError
from PIL import Image

from fendo_core.audio import pcm, wav
from fendo_core.production import edits
from fendo_core.production.state import rows
from fendo_core.takes.sync_points import SetSyncPoint
from fendo_core.timebase import SAMPLE_RATE
from fendo_server.booth import capture
from fendo_server.booth.rescue import rescue
from fendo_server.productions import description, services, state
from fendo_server.productions import record as record_of
from fendo_server.productions.models import Production
from fendo_server.takes.description import take_rows
from fendo_server.takes.models import Take
from fendo_server.voice.models import Recording
from fendo_server.voice.reading import read_sound
from fendo_server.work import running
from fendo_server.work.models import Job
from testing import bring, clock_of, edit, forget_everything, record, voice

FIELDS = (
    "id", "line_id", "line__number", "line__text", "line__slot_start", "line__slot_end", "line__production_id", "number",
    "cue", "speech_start", "speech_end", "peak", "loudness", "clipped", "first", "last", "place", "recording_id",
    *(f"recording__{name}" for name in (
        "file_name", "folder__path", "reader__name", "cut_off", "input", "start", "length", "clock", "within", "doubts",
        "state", "production_id",
    )),
)  # fmt: skip


def known():
    return list(Take.objects.order_by("id").values(*FIELDS))


@pytest.fixture
def recorded(production):
    """Four takes of two lines, one of them past a change of the slot, one a cut-off pick-up, one never finished."""
    first, second, _ = production.lines.all()
    record(first, voice(3.0, 1))
    record(first, voice(4.0, 2), cut_off=True)
    take = capture.begin(second, "Größter “Mikrofon” <1>", cue=7 * SAMPLE_RATE)
    capture.append(take, 0, pcm.from_integers(voice(2.5, 3)))
    log = {**clock_of(6 * SAMPLE_RATE), "source": "measured", "latency": 1987, "gaps": [[5, 128]]}
    capture.finish(take, int(2.5 * SAMPLE_RATE), [log], cut_off=False)
    growing = capture.begin(second, "mic")
    capture.append(
        growing, 0, pcm.from_integers(voice(2.0, 4)), '{"capture": [[0, 0]], "transport": [[0, 240000]], "source": "none"}'
    )
    return growing


def test_everything_that_stands_in_the_headers_is_there_again(production, recorded, ada, own_data):
    before = {row["id"]: row for row in known()}
    name, rate, start = production.name, production.rate, production.start_frame
    files = {path: path.read_bytes() for path in own_data.glob("media/*/*/*.wav")}
    forget_everything()
    report = rescue(ada, own_data / "media")
    assert (report.productions, report.lines, report.takes, report.unfinished) == ([name], 2, 4, 1)
    again = Production.objects.get()
    assert (again.id, again.name, again.rate, again.start_frame) == (production.id, name, rate, start)
    assert again.landing.path == "Narration" and again.reader.name == "Narrator"
    for row in known():
        if row["id"] == recorded.id:
            assert (
                row["recording__state"] == "finished" and row["recording__cut_off"] and row["recording__start"] == 240_000
            )
            assert row["recording__length"] == 2 * SAMPLE_RATE
        else:
            assert row == before[row["id"]]
    assert {path: path.read_bytes() for path in files} == files, "a recording was changed"
    assert rescue(ada, own_data / "media").known == 4
    assert Take.objects.count() == 4
    # The browser of the one that was never finished comes back with the rest of it.
    rest, again = voice(2.5, 5), Take.objects.get(pk=recorded.pk)
    assert capture.append(again, 2 * SAMPLE_RATE, pcm.from_integers(rest)) == 2 * SAMPLE_RATE + len(rest)
    capture.finish(again, 2 * SAMPLE_RATE + len(rest), [], cut_off=False)
    grown = Recording.objects.get(pk=again.recording_id)
    assert (grown.length, grown.cut_off, grown.start) == (2 * SAMPLE_RATE + len(rest), False, 240_000)


def test_a_folder_from_elsewhere_is_copied_and_made_anew(production, recorded, ada, stranger, own_data, tmp_path_factory):
    elsewhere = tmp_path_factory.mktemp("backup") / "an old disk"
    shutil.copytree(own_data / "media" / production.directory, elsewhere)
    forget_everything()
    (elsewhere / "Narration" / "notes.wav").write_bytes(b"RIFFxxxxWAVEfmt nothing")
    (elsewhere / "Handover").mkdir(exist_ok=True)
    shutil.copy(next(elsewhere.glob("Narration/*t01.wav")), elsewhere / "Handover" / "copy.wav")
    report = rescue(stranger, elsewhere)
    assert report.takes == 4 and report.refused[0].startswith("notes.wav")
    made = Production.objects.get()
    assert made.owner == stranger and made.directory == "The Tide Mill (2)"
    assert all(take.path.exists() and "(2)" in str(take.path) for take in Take.objects.all())
    sound = read_sound(Take.objects.get(number=1, line__number="1").path)
    assert np.array_equal(pcm.from_floats(sound), voice(3.0, 1))


def changed(packed: bytes, **more) -> bytes:
    """A recording whose header says something else."""
    found = wav.describe(packed[: wav.HEADER_BYTES])
    notes = {**found.tags.notes, **more.pop("notes", {})}
    return wav.header(replace(found.tags, **more, notes=notes), found.samples) + packed[wav.HEADER_BYTES :]


UNBELIEVABLE = {
    "torn text": lambda packed: packed[:900] + b"\xff" * 40 + packed[940:],
    "no text": lambda packed: packed[:700] + bytes(7000) + packed[7700:],
    "a header cut short": lambda packed: packed[:650],
    "take -5": lambda packed: changed(packed, take=-5),
    "take 10^12": lambda packed: changed(packed, take=10**12),
    "a place beyond all": lambda packed: changed(packed, notes={"FENDO_PROGRAMME_START": "9" * 30}),
    "a slot beyond all": lambda packed: changed(
        packed, notes={"FENDO_LINE": str(uuid.uuid4()), "FENDO_SLOT": f"1 {9**30}"}
    ),
    "another production at no rate": lambda packed: changed(
        packed,
        notes={"FENDO_PRODUCTION": str(uuid.uuid4()), "FENDO_LINE": "", "FENDO_TAKE": ""},
        timecode_rate="999999999999999/1",
        time_reference=2**63,
    ),
}


@pytest.mark.parametrize("how", UNBELIEVABLE)
def test_a_recording_that_tells_nonsense_takes_none_of_the_others_with_it(production, recorded, ada, own_data, how):
    one, *others = sorted(own_data.glob("media/*/*/*.wav"))
    one.chmod(0o644)
    one.write_bytes(UNBELIEVABLE[how](one.read_bytes()))
    files = {path: path.read_bytes() for path in (one, *others)}
    forget_everything()
    report = rescue(ada, own_data / "media")
    assert report.takes == 3 and [text for text in report.refused if text.startswith(one.name)]
    assert {one.file_name for one in Recording.objects.all()} > {path.name for path in others}
    assert all(take.path.exists() for take in Take.objects.all())
    assert {path: path.read_bytes() for path in files} == files, "a file was changed"
    assert Production.objects.count() == 1


def test_a_clock_that_is_none_costs_the_clock_alone(production, recorded, ada, own_data):
    one = next(own_data.glob("media/*/*/*t01.wav"))
    one.chmod(0o644)
    clock = json.dumps({"pieces": 7, "within": "far", "doubts": [[0]]})
    one.write_bytes(changed(one.read_bytes(), notes={"FENDO_CLOCK": clock}, origination="0000-99-99 ab:cd:ef"))
    forget_everything()
    report = rescue(ada, own_data / "media")
    assert report.takes == 4 and not report.refused
    take = Recording.objects.get(file_name=one.name)
    assert (take.clock, take.within, take.doubts) == ({}, None, [])


def test_the_command_says_what_it_did_and_what_it_can_not_do(production, recorded, own_data, capsys):
    forget_everything()
    call_command("rescue", str(own_data / "media" / production.directory), account="ada")
    said = capsys.readouterr().out
    assert (
        "Rebuilt “The Tide Mill”: 2 lines, 4 takes, 1 of them cut off, 0 picks, for ada." in said and "Pick again" in said
    )
    call_command("rescue", str(own_data / "media"), account="ada")
    assert "known already and left alone: 4 takes" in capsys.readouterr().out
    with pytest.raises(CommandError, match="no folder"):
        call_command("rescue", "/nowhere/at/all")


@pytest.fixture
def worked_on(production, recorded, client, film_file, ada):
    """The same with a reel that was changed, a sound, sayings, notes, two readers, picks, and a take set aside."""
    bring(client, production, film_file.read_bytes(), "mill.mp4")
    gate = io.BytesIO()
    Image.new("RGB", (64, 36), "teal").save(gate, "PNG")
    bring(client, production, gate.getvalue(), "gate.png")
    run_jobs()
    first, second, third = production.lines.all()
    other = services.make_reader(production, "Second voice")
    clip = production.clips.first()
    takes = list(Take.objects.filter(line=first).order_by("number"))
    film = production.sources.get(kind="film")
    for what in (
        edits.SetReader((str(third.id),), str(other.id)),
        edits.SetNotes(str(third.id), "softly"),
        edits.SetStress(str(first.id), (1,)),
        edits.SetSaying("Orsey", "OR-zee"),
        edits.Pick(str(first.id), str(takes[0].id)),
        edits.SetAside(str(takes[1].id), True),
        edits.NoteTake(str(takes[0].id), "maybe", "the end is warmer"),
        edits.SetSilences(str(takes[0].line_id), True),
        edits.TrimClip(str(clip.id), "start", 24_000),
        edits.SplitClip(96_000),
        edits.NameShot(0, "the gates"),
        SetSyncPoint(120_000, "the gates open"),
        edits.LaySound(str(film.id), 48_000, False),
        edits.DropLine(str(second.id)),
    ):
        edit(production, ada, what)
    spoken = record(third, voice(2.5, 9), start=0)
    edit(production, ada, edits.Pick(str(third.id), str(spoken.id)))
    Production.objects.filter(pk=production.pk).update(
        speech_level=-20.0, duck_distance=6.0, level_window="roomy", language="de"
    )
    production.refresh_from_db()
    assert record_of.write_changed() == [production.name] and not record_of.write_changed()
    services.make_reader(production, "Third voice")
    assert record_of.write_changed() == [production.name] and not record_of.write_changed()
    return production


def run_jobs():
    for job in Job.objects.filter(state="waiting"):
        running.run(str(job.pk))


def the_whole(production):
    found = description.whole(Production.objects.get(pk=production.pk))
    lines = {str(line.id): line for line in production.lines.filter(dropped=False)}
    found["takes"] = sorted(take_rows(production, Take.objects.filter(line__in=lines), lines), key=lambda take: take["id"])
    return {key: value for key, value in found.items() if key not in ("revision", "undo", "redo")}


def test_with_its_own_record_a_production_is_there_again_whole(worked_on, ada, own_data):
    before, rows_before = the_whole(worked_on), rows(state.load(worked_on))
    forget_everything()
    shutil.rmtree(own_data / "derived")
    report = rescue(ada, own_data / "media")
    assert (report.whole, report.takes, report.picks, report.refused) == ([worked_on.name], 5, 2, [])
    run_jobs()
    again = Production.objects.get()
    # What was never finished before is a cut-off take now; all else is as it was.
    assert rows(state.load(again)) == rows_before
    after = the_whole(again)
    finished = [take for take in after["takes"] if take["id"] in {str(row["id"]) for row in before["takes"]}]
    same = [row for row in before["takes"] if row["state"] == "finished"]
    assert [take for take in finished if take["id"] in {row["id"] for row in same}] == same
    assert after["picture"] == before["picture"]
    assert [folder["path"] for folder in after["folders"]] == [folder["path"] for folder in before["folders"]]
    assert [reader["name"] for reader in after["readers"]] == [reader["name"] for reader in before["readers"]]
    # How fast somebody reads is learned from the takes; the text is looked at with that.
    for key in before.keys() - {"takes", "to_do", "picture", "folders", "landing", "readers", "pace", "lines"}:
        assert after[key] == before[key], key
    assert rescue(ada, own_data / "media").known == 5


def test_a_production_put_away_is_opened_elsewhere_with_its_films(worked_on, stranger, own_data, tmp_path_factory):
    away = tmp_path_factory.mktemp("archive") / "The Tide Mill"
    shutil.copytree(own_data / "media" / worked_on.directory, away)
    rows_before = rows(state.load(worked_on))
    forget_everything()
    shutil.rmtree(own_data / "media")
    (away / "Picture" / "gate.png").unlink()
    report = rescue(stranger, away)
    assert report.whole == ["The Tide Mill"] and report.picks == 2
    run_jobs()
    made = Production.objects.get()
    assert made.owner == stranger and rows(state.load(made)) == rows_before
    states = {source.name: (source.state, source.error) for source in made.sources.all()}
    assert states["mill.mp4"] == ("ready", "") and made.sources.get(name="mill.mp4").original.exists()
    assert states["gate.png"][0] == "failed" and "bring it in again" in states["gate.png"][1]


def spoilt(found: dict, how: str) -> str:
    """A record that somebody changed."""
    key = next(key for key in found["rows"] if key.startswith("clip:"))
    match how:
        case "another form":
            found["form"] = 99
        case "a number that is none":
            found["rows"][key]["level"] = float("nan")
        case "a row of nothing":
            found["rows"]["user:1"] = {"is_superuser": True}
        case "a colour that is none":
            found["rows"][key]["colour"] = "url(x)"
        case "a clip of nothing":
            found["rows"][key]["source"] = str(uuid.uuid4())
        case "a frame rate of nothing":
            found["settings"]["fps_above"] = 0
        case "a drop of frames where there is none":
            found["settings"] |= {"drop_frame": True, "fps_above": 25}
        case "a pattern of nothing":
            found["settings"]["name_pattern"] = "{__class__}"
        case "a list":
            return json.dumps([found])
        case "half of it":
            return json.dumps(found)[: len(json.dumps(found)) // 2]
        case "deep":
            return "[" * 100_000
    return json.dumps(found)


HOWS = (
    "another form", "a number that is none", "a row of nothing", "a colour that is none", "a clip of nothing",
    "a frame rate of nothing", "a drop of frames where there is none", "a pattern of nothing", "a list", "half of it",
    "deep",
)  # fmt: skip


@pytest.mark.parametrize("how", HOWS)
def test_a_spoilt_record_is_left_alone_and_the_recordings_speak_for_themselves(production, recorded, ada, own_data, how):
    edit(production, ada, edits.AddClips((edits.Shown(words="wait"),)))
    record_of.write(production)
    path = own_data / "media" / production.directory / record_of.NAME
    path.write_text(spoilt(json.loads(path.read_text()), how))
    forget_everything()
    report = rescue(ada, own_data / "media")
    assert report.refused and report.refused[0].startswith("production.json: ")
    assert (report.lines, report.takes, report.whole) == (2, 4, [])
    assert not Production.objects.get().clips.exists()


def test_a_record_reaches_nothing_outside_of_its_folder(worked_on, ada, own_data):
    secret = own_data / "secret.mp4"
    shutil.copy(own_data / "media" / worked_on.directory / "Picture" / "mill.mp4", secret)
    path = own_data / "media" / worked_on.directory / record_of.NAME
    found = json.loads(path.read_text())
    found["sources"][0]["name"] = "../../../secret.mp4"
    found["folders"] = ["../../elsewhere", "Narration"]
    path.write_text(json.dumps(found))
    forget_everything()
    rescue(ada, own_data / "media")
    made = Production.objects.get()
    assert made.sources.get(kind="film").state == "failed"
    assert all(".." not in folder.path for folder in made.folders.all())
    assert {one.name for one in own_data.iterdir()} <= {"media", "derived", "secret.mp4", "arriving"}


def test_a_record_of_somebody_elses_production_makes_nothing_of_it(worked_on, stranger, own_data):
    report = rescue(stranger, own_data / "media" / worked_on.directory)
    assert report.whole == [] and "here already" in report.refused[0]
    assert Production.objects.get().owner != stranger
