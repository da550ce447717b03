"""Slides as films, films as WebM, room tone between lines, timelines that come back."""

import io
import json
import subprocess

import numpy as np
import opentimelineio
import pytest
import soundfile
from PIL import Image

from fendo_core.audio.ceiling import Ceiling
from fendo_core.picture.reel import spans
from fendo_core.production import edits
from fendo_core.timebase import SAMPLE_RATE
from fendo_server.handover.programme import programme_sound, spoken
from fendo_server.picture import services
from fendo_server.productions import changes, state
from fendo_server.takes.models import Take
from fendo_server.work import running
from fendo_server.work.models import Job
from testing import edit, handed, record, voice


@pytest.fixture
def lesson(production, ada, film_file, tmp_path):
    """A film of eight seconds, a still, a card; each of three readings lies over one of them."""
    still = io.BytesIO()
    Image.new("RGB", (640, 360), "teal").save(still, "PNG")
    for name, content in (("mill.mp4", film_file.read_bytes()), ("The gate.png", still.getvalue())):
        arrived = tmp_path / name
        arrived.write_bytes(content)
        services.bring_in(production, ada, name, arrived)
    for job in Job.objects.all():
        running.run(str(job.pk))
    edit(production, ada, edits.AddClips((edits.Shown(length=3 * SAMPLE_RATE, words="And then?"),)))
    for n, line in enumerate(production.lines.all()):
        take = record(line, voice(3.0, seed=n + 1), start=(n * 11 + 2) * SAMPLE_RATE // 2)
        edit(production, ada, edits.Pick(str(line.id), str(take.id)))
    production.refresh_from_db()
    return production


def streams(path) -> dict:
    command = ["ffprobe", "-v", "error", "-count_frames", "-show_streams", "-of", "json", path]
    found = json.loads(subprocess.run(command, capture_output=True, check=True).stdout)["streams"]
    return {one["codec_type"]: one for one in found}


def sound_of(path) -> np.ndarray:
    command = ["ffmpeg", "-v", "error", "-i", path, "-ac", "2", "-ar", "48000", "-f", "f32le", "-"]
    return np.frombuffer(subprocess.run(command, capture_output=True, check=True).stdout, np.float32).reshape(-1, 2)


@pytest.mark.parametrize(("film", "picture", "sound"), [("mp4", "h264", "aac"), ("webm", "vp9", "opus")])
def test_each_slide_is_a_film_of_its_own_with_its_part_of_the_mix(client, lesson, film, picture, sound):
    kept = handed(client, lesson, parts=["slides", "film"], film=film)
    present = state.load(lesson)
    mixed = np.concatenate(list(programme_sound(lesson, present, spoken(lesson, present), Ceiling())))
    names = sorted(path.name for path in (kept.path / "Slides").iterdir())
    assert names == [f"02 The gate.{film}", f"03 And then.{film}"]
    whole = next(kept.path.glob(f"*narration.{film}"))
    shown = {whole: (200 + present.clips[1].length + 75, 0)}
    edges = spans(present.clips, present.rate)
    for name, clip, span in zip(names, present.clips[1:], edges[1:], strict=True):
        shown[kept.path / "Slides" / name] = (clip.length, span.start)
    for path, (frames, start) in shown.items():
        found = streams(path)
        assert (found["video"]["codec_name"], found["audio"]["codec_name"]) == (picture, sound)
        assert int(found["video"]["nb_read_frames"]) == frames
        heard = sound_of(path)
        length = frames * SAMPLE_RATE // 25
        wanted = mixed[start : start + length, 0]
        assert abs(len(heard) - length) < 0.06 * SAMPLE_RATE
        # A voice whose partials go to 1.4 kHz: late by four samples it would be less alike.
        near = heard[: len(wanted), 0]
        assert np.corrcoef(near[9_600 : len(near) - 9_600], wanted[9_600 : len(near) - 9_600])[0, 1] > 0.99


def test_between_the_lines_lies_silence_or_the_room_that_they_were_read_in(client, lesson):
    levels = {}
    for between in ("silence", "room tone"):
        kept = handed(client, lesson, parts=["voice"], sound="recorded", between=between)
        sound, _ = soundfile.read(next(kept.path.glob("*voice.wav")))
        for name, (a, b) in {"before": (0.1, 0.9), "pause": (4.5, 5.8), "end": (15.0, 15.9)}.items():
            levels[between, name] = float(np.std(sound[int(a * SAMPLE_RATE) : int(b * SAMPLE_RATE)]))
        read = sound[int(2.1 * SAMPLE_RATE) : int(2.9 * SAMPLE_RATE)]
        levels[between, "read"] = float(np.std(read))
    assert levels["silence", "read"] == levels["room tone", "read"]
    for name in ("before", "pause", "end"):
        assert levels["silence", name] == 0.0
        assert levels["room tone", name] == pytest.approx(0.0008, rel=0.1), "as in the reading itself"
    # As it sounds it is as much louder as the lines are.
    kept = handed(client, lesson, parts=["voice", "lines"], between="room tone", names="{line}")
    sound, _ = soundfile.read(next(kept.path.glob("*voice.wav")))
    gain = {one.line.number: one.gain for one in spoken(lesson, state.load(lesson))}["1"]
    found = 20 * np.log10(np.std(sound[4_800:43_200]) / levels["room tone", "before"])
    assert found == pytest.approx(gain, abs=0.3)


def back(client, production, data: bytes):
    address = f"/api/productions/{production.id}/handover/timeline/"
    return client.post(address, data, content_type="application/octet-stream")


def test_a_timeline_that_comes_back_moves_what_was_moved_in_it(client, lesson, ada):
    assert "Nothing was handed over" in back(client, lesson, b"{}").json()["detail"]
    kept = handed(client, lesson, parts=["lines", "timeline"], edges="handles", names="{line}")
    path = next(kept.path.glob("*.otio"))
    untouched = back(client, lesson, path.read_bytes()).json()
    assert (untouched["moved"], untouched["still"], untouched["patch"]) == ([], 3, None)
    untouched = back(client, lesson, next(kept.path.glob("*.edl")).read_bytes()).json()
    assert (untouched["moved"], untouched["still"], untouched["remarks"]) == ([], 3, [])
    # An editor makes the first pause longer: the second reading lies later, and the third with it.
    whole = opentimelineio.adapters.read_from_file(str(path))
    voices = next(track for track in whole.tracks if track.kind == "Audio")
    gap = [child for child in voices if isinstance(child, opentimelineio.schema.Gap)][1]
    time = opentimelineio.opentime
    gap.source_range = time.TimeRange(
        gap.source_range.start_time, gap.source_range.duration + time.RationalTime(1_234, SAMPLE_RATE)
    )
    text = opentimelineio.adapters.write_to_string(whole, "otio_json").encode()
    lines = [str(line.id) for line in lesson.lines.all()]
    # Since then the second was moved here, and the third was read again.
    second = Take.objects.get(line=lines[1])
    edit(lesson, ada, edits.MoveVoice(str(second.id), 500))
    newer = record(lesson.lines.all()[2], voice(3.0, seed=9), start=11 * SAMPLE_RATE)
    edit(lesson, ada, edits.Pick(lines[2], str(newer.id)))
    was = {str(take.id): take.placed for take in Take.objects.all()}
    answer = back(client, lesson, text).json()
    assert answer["moved"] == [{"line": lines[1], "number": "2", "by": 1_234}]
    assert answer["still"] == 1 and "line 3 has another reading now and was left alone" in answer["remarks"]
    now = {str(take.id): take.placed for take in Take.objects.all()}
    assert now == was | {str(second.id): was[str(second.id)] - 500 + 1_234}
    assert answer["patch"]["lines"]
    lesson.refresh_from_db()
    changes.undo(lesson, ada)
    assert {str(take.id): take.placed for take in Take.objects.all()} == was
    for wrong in (b"", b"no timeline at all", b"{" * 50_000):
        assert back(client, lesson, wrong).status_code == 422
