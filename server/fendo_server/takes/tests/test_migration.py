"""A production that the version before made opens unchanged."""

import json
import uuid

import pytest
from django.contrib.auth import get_user_model
from django.db import connection
from django.db.migrations.executor import MigrationExecutor

from fendo_core.production.state import rows
from fendo_server.productions import record as record_of
from fendo_server.productions import state
from fendo_server.productions.models import Production
from fendo_server.takes.models import Pick, Take
from testing import edit, record, voice

BEFORE = [("takes", "0005_reel"), ("productions", "0005_recorded"), ("script", "0003_numbers_of_dropped_lines")]


@pytest.mark.django_db(transaction=True)
def test_every_take_pick_move_number_and_file_of_before_is_kept():
    executor = MigrationExecutor(connection)
    newest = executor.loader.graph.leaf_nodes()
    executor.migrate([*BEFORE, ("voice", None)])
    try:
        old = MigrationExecutor(connection).loader.project_state(BEFORE).apps
        user = get_user_model().objects.create_user("grace")
        made = {}
        production = old.get_model("productions", "Production").objects.create(
            owner_id=user.pk, name="Old", directory="Old"
        )
        reader = old.get_model("productions", "Reader").objects.create(production=production, name="Maren")
        folder = old.get_model("productions", "Folder").objects.create(production=production, name="N", path="N")
        line = old.get_model("script", "Line").objects.create(production=production, position=0, number="7", text="Listen.")
        OldTake, Change = old.get_model("takes", "Take"), old.get_model("productions", "Change")
        for number, moved, state in ((1, 0, "finished"), (2, 4_800, "finished"), (3, 0, "recording")):
            made[number] = OldTake.objects.create(
                line=line, reader=reader, folder=folder, number=number, file_name=f"7-{number}.wav", state=state,
                start=-100 * number, length=48_000 if state == "finished" else 0, moved=moved, aside=number == 1,
                cue=900 if number == 2 else None, clock={"source": "measured"}, within=48, doubts=[[0, "late"]],
                speech_start=10, speech_end=40_000, phrases=[[10, 40_000]], words="Listen.", input="mic",
            )  # fmt: skip
        old.get_model("takes", "Pick").objects.create(line=line, reader=reader, take=made[2])
        key = f"take:{made[2].pk}"
        Change.objects.create(
            production=production, revision=1, kind="edit", label="piece",
            before={key: {"aside": False, "moved": 0}}, after={key: {"aside": False, "moved": 4_800}},
        )  # fmt: skip
    finally:
        MigrationExecutor(connection).migrate(newest)
    takes = {take.number: take for take in Take.objects.select_related("recording")}
    for number, was in made.items():
        now = takes[number]
        assert (now.id, now.line_id, now.aside, now.cue, now.words) == (was.id, was.line_id, was.aside, was.cue, was.words)
        assert (now.speech_start, now.speech_end, now.phrases) == (10, 40_000, [[10, 40_000]])
        kept = now.recording
        told = (
            "file_name",
            "state",
            "start",
            "length",
            "clock",
            "within",
            "doubts",
            "input",
            "made",
            "reader_id",
            "folder_id",
        )
        assert [getattr(kept, name) for name in told] == [getattr(was, name) for name in told]
        assert (now.first, now.last, now.placed) == (0, was.length, was.start + was.moved)
        assert kept.path.name == f"7-{number}.wav" and kept.path.parent.name == "N"
    assert Pick.objects.get().take_id == made[2].pk
    from fendo_server.productions.models import Change

    change = Change.objects.get()
    assert change.before == {key: {"aside": False, "place": None}}
    assert change.after == {key: {"aside": False, "place": -200 + 4_800}}


@pytest.mark.django_db(transaction=True)
def test_pieces_of_a_reel_are_clips_and_their_changes_can_still_be_undone():
    executor = MigrationExecutor(connection)
    newest, then = executor.loader.graph.leaf_nodes(), [("picture", "0009_sync_points"), ("productions", "0007_bin")]
    executor.migrate(then)
    try:
        old = MigrationExecutor(connection).loader.project_state(then).apps
        user = get_user_model().objects.create_user("grace")
        production = old.get_model("productions", "Production").objects.create(
            owner_id=user.pk, name="Old", directory="Old"
        )
        card = old.get_model("picture", "Piece").objects.create(
            production=production, length=50, name="wait", colour="slate", heard="kept"
        )
        row = {"length": 50, "first": 0, "page": 0, "name": "wait", "colour": "slate", "level": 0.0, "opens": True}
        row |= {"source": None, "heard": "kept"}
        old.get_model("productions", "Change").objects.create(
            production=production, revision=1, kind="edit", label="card",
            before={f"piece:{card.pk}": None, "reel": {"pieces": []}},
            after={f"piece:{card.pk}": row, "reel": {"pieces": [str(card.pk)]}},
        )  # fmt: skip
    finally:
        MigrationExecutor(connection).migrate(newest)
    now = Production.objects.get()
    assert [(clip.id, clip.name, clip.bed) for clip in now.clips.all()] == [(card.pk, "wait", "full")]
    change = now.changes.get()
    assert change.after == {key: row for key, row in rows(state.load(now)).items() if key in change.after}
    assert change.before == {f"clip:{card.pk}": None, "reel": {"clips": []}}


def _said_as_before(row):
    return {"heard" if name == "bed" else name: "lowered" if name == "bed" else value for name, value in row.items()}


def test_the_record_of_the_version_before_is_read(production, ada):
    from fendo_core.production import edits

    line = production.lines.first()
    take = record(line, voice())
    edit(production, ada, edits.Pick(str(line.id), str(take.id)))
    edit(production, ada, edits.AddClips((edits.Shown(words="wait"),), follow=False))
    found = json.loads(json.dumps(record_of.of(production)))
    found["form"] = 1
    found["rows"][f"take:{take.id}"] = {"aside": True, "moved": 960}
    found["rows"] = {
        key.replace("clip:", "piece:"): ({"pieces": row["clips"]} if key == "reel" else _said_as_before(row))
        for key, row in found["rows"].items()
    }
    assert any(key.startswith("piece:") for key in found["rows"])
    Pick.objects.all().delete()
    checked = record_of._Record(data=found)
    assert checked.is_valid(), checked.errors
    reel = rows(state.load(production))
    assert {key: checked.validated_data["rows"][key] for key in reel if key.startswith(("clip:", "reel"))} == {
        key: row for key, row in reel.items() if key.startswith(("clip:", "reel"))
    }
    assert record_of.restore_takes(production, checked.validated_data) == 1
    take.refresh_from_db()
    assert (take.aside, take.placed) == (True, take.recording.start + 960)
    found["rows"][f"comp:{uuid.uuid4()}"] = {
        "line": str(line.id),
        "reader": str(production.reader_id),
        "name": "x",
        "comp": {},
    }
    with pytest.raises(ValueError, match="no comp"):
        record_of._Record(data=found).is_valid()
