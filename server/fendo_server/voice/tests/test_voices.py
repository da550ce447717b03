"""What sounds for a line: the same for whoever asks, at an address that tells its sound."""

import io
import os

import numpy as np
import pytest
import soundfile
from wavinfo import WavInfoReader

from fendo_core.audio import pcm
from fendo_core.production import edits
from fendo_core.timebase import SAMPLE_RATE
from fendo_core.voice.comp import BEFORE_SPEECH
from fendo_server.booth import capture
from fendo_server.productions import changes, state
from fendo_server.takes.models import Take
from fendo_server.voice import sounding
from fendo_server.voice.models import Comp
from fendo_server.work import running
from fendo_server.work.models import Job
from testing import clock_of, edit, handed, record, send, voice


def lines(client, production):
    return client.get(f"/api/productions/{production.id}/").json()["lines"]


def rows(client, line):
    return client.get(f"/api/lines/{line.id}/takes/").json()


def heard(client, told):
    """The samples of a voice, as integers."""
    answer = client.get(f"/api/voices/{told['id']}/{told['key']}/sound/")
    assert answer.status_code == 200 and "immutable" in answer.headers["Cache-Control"]
    return soundfile.read(io.BytesIO(answer.content), dtype="int32")[0] >> 8


def pick_up(line, cue, sound, start):
    take = capture.begin(line, "a microphone", cue=cue)
    capture.append(take, 0, pcm.from_integers(sound))
    return capture.finish(take, len(sound), [clock_of(start)], cut_off=False)


@pytest.fixture
def line(production):
    return production.lines.first()


def test_a_line_sounds_with_what_was_read_last_until_something_is_picked(client, production, ada, line):
    first, second = (record(line, voice(seed=seed)) for seed in (1, 2))
    told = lines(client, production)[0]
    assert (told["pick"], told["voice"]["id"], told["voice"]["provisional"]) == (None, str(second.id), True)
    whole = client.get(f"/api/productions/{production.id}/").json()
    assert whole["to_do"]["takes"] == 1, "it counts as to pick"
    edit(production, ada, edits.SetAside(str(second.id), True))
    assert lines(client, production)[0]["voice"]["id"] == str(first.id)
    record(line, np.zeros(SAMPLE_RATE, np.int32))
    assert lines(client, production)[0]["voice"]["id"] == str(first.id), "a silent take stands for nothing"
    edit(production, ada, edits.PickProvisional())
    told = lines(client, production)[0]
    assert (told["pick"], told["voice"]["provisional"]) == (str(first.id), False)
    assert changes.undo(production, ada).label == "1 pick"
    assert lines(client, production)[0]["voice"]["provisional"]


def test_an_untouched_take_sounds_bit_for_bit_and_is_not_made(client, production, line, own_data):
    sound = voice(4.0, 3)
    take = record(line, sound)
    (row,) = rows(client, line)
    first = row["voice"]["span"][0] - row["start"]
    assert first == Take.objects.get(pk=take.pk).speech_start - BEFORE_SPEECH
    assert np.array_equal(heard(client, row["voice"]), sound[first : first + row["voice"]["length"]])
    wave = client.get(f"/api/voices/{take.id}/{row['voice']['key']}/wave/").content
    assert len(wave) == 2 * -(-row["voice"]["length"] // 480) and max(wave) > 100
    assert not (own_data / "derived" / "voice").exists()
    assert client.get(f"/api/voices/{take.id}/{'0' * 64}/sound/").status_code == 404


def test_a_pick_up_is_joined_to_what_stood_before_it_and_stands_with_it(client, production, ada, line):
    """Three seconds of reading, and from its middle on another one."""
    slot = line.slot_start
    before = voice(5.0, 1)
    first = record(line, before)
    cue = slot + 2 * SAMPLE_RATE
    again = voice(4.0, 2)
    second = pick_up(line, cue, again, cue - SAMPLE_RATE)
    told = lines(client, production)[0]
    comp = Comp.objects.get()
    assert (told["voice"]["id"], told["voice"]["kind"], told["voice"]["name"]) == (str(comp.id), "comp", "takes 1 + 2")
    sound, at = heard(client, told["voice"]), told["voice"]["span"][0]
    (seam,) = rows(client, line)[-1]["seams"]
    assert cue - SAMPLE_RATE < seam <= cue
    old, new = at - first.recording.start, at - second.recording.start
    joint = seam - at
    assert np.array_equal(sound[: joint - 480], before[old : old + joint - 480])
    assert np.array_equal(sound[joint + 480 :], again[new + joint + 480 : new + len(sound)])
    # Picking the pick-up picks the whole; the seam moves, and all of it is taken back.
    edit(production, ada, edits.Pick(str(line.id), str(second.id)))
    assert lines(client, production)[0]["pick"] == str(comp.id)
    edit(production, ada, edits.MoveSeam(str(comp.id), 0, joint - 4_800))
    moved = lines(client, production)[0]["voice"]
    assert rows(client, line)[-1]["seams"] == [seam - 4_800] and moved["key"] != told["voice"]["key"]
    edit(production, ada, edits.TakeApart(str(comp.id)))
    assert lines(client, production)[0]["voice"]["id"] == str(first.id), "the whole reading stands, not a part of it"
    for _ in range(4):
        changes.undo(production, ada)
    assert lines(client, production)[0]["voice"]["id"] == str(first.id) and not Comp.objects.exists()
    for _ in range(3):
        changes.redo(production, ada)
    assert lines(client, production)[0]["voice"]["key"] == moved["key"]


def test_a_pick_up_of_the_pick_takes_its_place_and_reading_on_keeps_both_whole(client, production, ada, line):
    first = record(line, voice(4.0, 1))
    edit(production, ada, edits.Pick(str(line.id), str(first.id)))
    end = line.slot_start + 2 * SAMPLE_RATE
    pick_up(line, end + SAMPLE_RATE, voice(3.0, 2), end)
    told = lines(client, production)[0]
    assert (told["voice"]["kind"], told["voice"]["provisional"]) == ("comp", False)
    spoken = told["voice"]["phrases"]
    assert len(spoken) == 2 and abs(spoken[0][1] - end) < 4_800 and abs(spoken[1][0] - end - SAMPLE_RATE) < 4_800
    assert changes.undo(production, ada).label == "takes 1 + 2 joined"
    assert lines(client, production)[0]["pick"] == str(first.id)


def test_takes_are_joined_by_hand_only_where_that_can_be(client, production, line):
    one, other = record(line, voice(4.0, 1)), record(production.lines.last(), voice(4.0, 2))
    join = lambda **body: send(client, "POST", f"/api/lines/{line.id}/join/", body)  # noqa: E731
    assert join(later=str(other.id), onto=str(one.id)).status_code == 422
    later = record(line, voice(4.0, 3), start=line.slot_start)
    assert join(later=str(later.id), onto=str(one.id), at=-SAMPLE_RATE * 60).status_code == 422
    answer = join(later=str(later.id), onto=str(one.id))
    assert answer.status_code == 200 and answer.json()["label"] == "takes 1 + 2 joined"
    assert [row["kind"] for row in answer.json()["takes"]] == ["take", "take", "comp"]


def test_a_voice_is_moved_and_its_files_tell_where_it_lies_now(client, production, ada, line, tmp_path):
    take = record(line, voice(3.0, 1))
    before = rows(client, line)[0]["voice"]
    edit(production, ada, edits.MoveVoice(str(take.id), 480))
    after = rows(client, line)[0]
    assert after["voice"]["key"] == before["key"] and after["start"] == take.recording.start + 480
    assert after["voice"]["span"] == [at + 480 for at in before["span"]]
    kept = handed(client, production, sound="recorded", edges="handles", names="{line} {take}")
    assert (
        soundfile.read(kept.path / "Lines/001 01.wav", dtype="int32")[0].tolist()
        == soundfile.read(take.path, dtype="int32")[0].tolist()
    )
    assert ",no," in (kept.path / "Files.csv").read_text().splitlines()[1], "nobody picked it"
    midnight = production.rate.first_sample(production.start_frame)
    info = WavInfoReader(str(kept.path / "Lines/001 01.wav"))
    assert info.bext.time_reference == midnight + take.recording.start + 480


def test_the_whole_voice_is_one_file_of_the_programmes_length(client, production, ada, line, tmp_path):
    send(client, "PATCH", f"/api/productions/{production.id}/", {"speech_level": None})
    sound = voice(3.0, 1)
    take = record(line, sound)
    second = production.lines.all()[1]
    record(second, voice(3.0, 2))
    kept = handed(client, production, parts=["voice"])
    (path,) = kept.path.glob("*.wav")
    info = WavInfoReader(str(path))
    assert info.bext.time_reference == production.rate.first_sample(production.start_frame)
    whole = soundfile.read(path, dtype="int32")[0] >> 8
    told = lines(client, production)
    assert len(whole) == max(state.load(production).length, told[1]["voice"]["span"][1])
    a, b = told[0]["voice"]["span"]
    inside = slice(a + 240, b - 240)
    assert np.array_equal(whole[inside], sound[a - take.recording.start + 240 : b - take.recording.start - 240])
    assert not whole[:a].any() and not whole[b : told[1]["voice"]["span"][0]].any()


def test_a_long_comp_is_made_by_a_job_and_what_nobody_asks_for_goes(client, production, line, own_data):
    long = np.concatenate([voice(5.0, seed) for seed in range(5)])
    record(line, long)
    cue = line.slot_start + 22 * SAMPLE_RATE
    pick_up(line, cue, voice(4.0, 9), cue - SAMPLE_RATE)
    for job in Job.objects.filter(kind="measure take"):
        running.run(str(job.pk))
    comp = rows(client, line)[-1]
    assert (comp["kind"], comp["measured"]) == ("comp", False)
    address = f"/api/voices/{comp['id']}/{comp['voice']['key']}"
    assert client.get(f"{address}/sound/?end=48000").status_code == 503
    (job,) = Job.objects.filter(kind=sounding.MAKE)
    running.run(str(job.pk))
    assert rows(client, line)[-1]["measured"] and client.get(f"{address}/sound/?end=48000").status_code == 200
    made = list((own_data / "derived" / "voice").glob("*/*"))
    assert {path.suffix for path in made} == {".flac", ".wave", ".json"}
    assert sounding.forget_old() == 0
    for path in made:
        os.utime(path, (1, 1))
    assert sounding.forget_old() == 3
    assert client.get(f"{address}/wave/").status_code == 503, "asked for again it is made again"


def test_a_comp_is_of_recordings_of_its_own_production_alone(client, production, ada, stranger, line):
    """A row that speaks of somebody else's recording, as a rescued record could."""
    from fendo_server.productions import services

    take = record(line, voice(3.0, 1))
    theirs = services.make_production(stranger, "Theirs")
    edit(theirs, stranger, edits.AddLines("A line"))
    other = theirs.lines.first()
    comp = Comp.objects.create(
        production=theirs,
        line=other,
        reader=theirs.reader,
        name="stolen",
        comp={
            "at": 0,
            "tone": None,
            "segments": [
                {
                    "recording": str(take.recording_id),
                    "source": [0, 48_000],
                    "at": 0,
                    "gain": 0.0,
                    "fades": [0, 0],
                    "warp": [],
                }
            ],
        },
    )
    client.force_login(stranger, backend="django.contrib.auth.backends.ModelBackend")
    found = sounding.Sounding(theirs, state.load(theirs).comps[0].comp)
    assert client.get(f"/api/voices/{comp.id}/{found.key}/sound/").status_code == 404


def test_a_voice_is_played_and_mixed_at_the_wanted_level(client, production, ada, line):
    """The same reading, quiet and loud: both are heard at the production's level, whoever asks."""
    quiet, loud = voice(4.0, 1) // 8, voice(4.0, 1)
    gains = []
    for sound in (quiet, loud):
        record(line, sound)
        (told, *_) = lines(client, production)
        assert told["voice"]["gain"] == pytest.approx(-16.0 - told["voice"]["loudness"], abs=0.06)
        gains.append(told["voice"]["gain"])
    assert gains[0] - gains[1] == pytest.approx(18.06, abs=0.2)
    base = f"/api/productions/{production.id}/"
    assert send(client, "PATCH", base, {"speech_level": -23.0}).json()["lines"][0]["voice"]["gain"] < gains[1]
    assert send(client, "PATCH", base, {"speech_level": None}).json()["lines"][0]["voice"]["gain"] == 0.0
    assert send(client, "PATCH", base, {"speech_level": 3.0}).status_code == 400
