"""One long pass becomes the takes of its lines, and comes back from a record."""

import shutil

import numpy as np
import pytest

from fendo_core.audio import pcm
from fendo_core.production import edits
from fendo_core.production.state import rows
from fendo_core.reader import narrator
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_server.booth import capture
from fendo_server.booth.cutting import LOOSE_NOTE
from fendo_server.booth.rescue import rescue
from fendo_server.productions import record as records
from fendo_server.productions import services, state
from fendo_server.productions.models import Production
from fendo_server.takes.models import Take
from fendo_server.work import running
from fendo_server.work.models import Job
from testing import edit, forget_everything, record, send, takes_of

LINES = (
    "The heron waits below the weir until the water turns.",
    "Each spring the carpenter replaced three paddles.",
    "Nobody ever paid him for the nails.",
    "In the evening the boats came up with barley.",
)
QUIET = np.zeros(SAMPLE_RATE, np.float32)


def said(text: str) -> np.ndarray:
    sound = narrator._spoken(text, narrator.VOICES[1], 1.0)
    return sound * 0.08 / np.sqrt(np.mean(sound**2))


@pytest.fixture
def read(ada):
    """Four lines, and a pass over them: the second is broken off and said again, the third is left out."""
    production = services.make_production(ada, "Weir")
    edit(production, ada, edits.AddLines("\n".join(LINES)))
    for n, line in enumerate(production.lines.all()):
        edit(production, ada, edits.SetSlot(str(line.id), Span(n * 6 * SAMPLE_RATE, (n * 6 + 5) * SAMPLE_RATE)))
    parts = [QUIET, said(LINES[0]), QUIET, said("Each spring the carpenter"), QUIET, said(LINES[1]), QUIET]
    sound = np.concatenate([*parts, said(LINES[3]), QUIET])
    sound = sound + np.random.default_rng(1).standard_normal(len(sound)) * 0.0008
    take = record(production.lines.first(), pcm.from_floats(sound), start=0)
    production.refresh_from_db()
    return production, take, parts


def cut(client, take) -> Job:
    answer = send(client, "POST", f"/api/takes/{take.pk}/cut/")
    assert answer.status_code == 201
    running.run(answer.json()["id"])
    return Job.objects.get(pk=answer.json()["id"])


def test_a_pass_becomes_takes_that_lie_in_their_slots_and_no_file_is_touched(client, read, ada):
    production, whole, parts = read
    before = whole.recording.path.read_bytes()
    job = cut(client, whole)
    assert job.state == "done", job.error
    assert job.result == {"lines": 3, "takes": 4, "loose": []}
    first, second, third, fourth = (list(line.takes.order_by("number")) for line in production.lines.all())
    assert [len(takes) for takes in (first, second, third, fourth)] == [2, 2, 0, 1]
    assert [take.aside for take in (*first, *second, *fourth)] == [True, False, True, False, False]
    at = sum(map(len, parts[:5]))
    assert abs(second[1].speech_start - at) < 0.08 * SAMPLE_RATE
    assert {take.recording_id for take in (*first, *second, *fourth)} == {whole.recording_id}
    assert whole.recording.path.read_bytes() == before
    told = {take["id"]: take for take in takes_of(client, production)}
    for line, takes in zip(production.lines.all(), (first, second, [], fourth), strict=True):
        for take in takes:
            if take.pk != whole.pk:
                assert abs(told[str(take.pk)]["voice"]["speech"][0] - line.slot_start) <= 1
    send(client, "POST", f"/api/productions/{production.id}/undo/")
    assert [take.aside for take in Take.objects.order_by("line__position", "number")] == [False, True, True, True, True]
    send(client, "POST", f"/api/productions/{production.id}/redo/")
    assert Take.objects.filter(aside=False).count() == 3


def test_what_fits_no_line_is_kept_aside_with_the_line_before_it(client, read):
    production, _, _ = read
    remark = said("Could somebody please open that large window.")
    sound = np.concatenate([QUIET, said(LINES[0]), QUIET, remark, QUIET, QUIET, said(LINES[1]), QUIET])
    sound = sound + np.random.default_rng(2).standard_normal(len(sound)) * 0.0008
    take = record(production.lines.first(), pcm.from_floats(sound), start=0)
    job = cut(client, take)
    assert job.state == "done" and job.result["takes"] == 2 and len(job.result["loose"]) == 1, job.result
    kept = Take.objects.get(note=LOOSE_NOTE)
    at = 2 * SAMPLE_RATE + len(said(LINES[0]))
    assert (kept.line, kept.aside) == (production.lines.first(), True)
    assert kept.first < at + SAMPLE_RATE // 5 and kept.last > at + len(remark) - SAMPLE_RATE // 5


def test_a_take_that_holds_only_its_line_is_left_alone(client, read):
    production, _, _ = read
    line = production.lines.all()[2]
    take = record(line, pcm.from_floats(np.concatenate([QUIET, said(LINES[2]), QUIET])))
    job = cut(client, take)
    assert job.state == "failed" and "nothing to cut" in job.error
    assert line.takes.count() == 1


def test_the_takes_of_a_pass_come_back_with_the_productions_record(client, read, ada, own_data, tmp_path_factory):
    production, whole, _ = read
    cut(client, whole)
    edit(production, ada, edits.Pick(str(production.lines.all()[1].id), str(production.lines.all()[1].takes.last().pk)))
    records.write(production)
    before, away = rows(state.load(production)), tmp_path_factory.mktemp("away") / "Weir"
    counted = sorted(Take.objects.values_list("pk", "first", "last", "number", "speech_start"))
    shutil.copytree(own_data / "media" / production.directory, away)
    forget_everything()
    shutil.rmtree(own_data / "media")
    report = rescue(ada, away)
    assert (report.whole, report.takes, report.picks) == (["Weir"], 1, 1)
    assert rows(state.load(Production.objects.get())) == before
    assert sorted(Take.objects.values_list("pk", "first", "last", "number", "speech_start")) == counted


def test_what_is_spoken_freely_becomes_lines_that_lie_where_it_was_said(client, ada):
    production = services.make_production(ada, "Comment")
    edit(production, ada, edits.NewLine())
    (line,) = production.lines.all()
    parts = [said(text) for text in LINES[:3]]
    quiet = np.zeros(SAMPLE_RATE, np.float32)
    sound = np.concatenate([quiet, parts[0], quiet, parts[1], quiet, parts[2], quiet])
    sound = sound + np.random.default_rng(5).standard_normal(len(sound)) * 0.0008
    start = 12 * SAMPLE_RATE
    take = record(line, pcm.from_floats(sound), start=start)
    before = take.recording.path.read_bytes()
    job = cut(client, take)
    assert job.state == Job.State.DONE, job.error
    lines = list(production.lines.filter(dropped=False).order_by("position"))
    assert [one.text for one in lines] == ["", "", ""] and lines[0].pk == line.pk
    at = start + SAMPLE_RATE
    for one, part in zip(lines, parts, strict=True):
        assert abs(one.slot_start - at) < 0.08 * SAMPLE_RATE
        made = Take.objects.get(line=one, aside=False)
        assert abs(made.placed + made.speech_start - at) < 0.08 * SAMPLE_RATE
        at += len(part) + SAMPLE_RATE
    take.refresh_from_db()
    assert take.aside and take.recording.path.read_bytes() == before
    present = state.load(production)
    assert len(present.takes) == 3
    send(client, "POST", f"/api/productions/{production.id}/undo/")
    send(client, "POST", f"/api/productions/{production.id}/undo/")
    (left,) = production.lines.filter(dropped=False)
    take.refresh_from_db()
    assert left.pk == line.pk and not take.aside


def test_a_mistake_that_was_marked_goes_with_the_take_and_with_what_is_cut_out_of_it(client, read, ada):
    production, _, _ = read
    line = production.lines.first()
    take = capture.begin(line, "a microphone")
    sound = pcm.from_integers(pcm.from_floats(np.concatenate([QUIET, said(LINES[0]), QUIET])))
    clock = '{"capture": [[0, 0]], "transport": [[0, 4800]], "source": "none", "marks": [[60000, 60000]]}'
    capture.append(take, 0, sound, clock)
    capture.finish(take, len(sound) // 3, [{"marks": [[60000, 60000], [72000, 72000], [10**9, 1]]}], False)
    row = next(row for row in send(client, "GET", f"/api/lines/{line.pk}/takes/").json() if row["id"] == str(take.pk))
    assert row["marks"] == [64_800, 76_800]
