"""Edits over HTTP: recorded, undone across anything, and never silently overwritten."""

import json
import uuid
from concurrent.futures import ThreadPoolExecutor

import pytest
from django.db import IntegrityError, connection, connections, transaction
from django.test.utils import CaptureQueriesContext

from fendo_core.production import edits
from fendo_core.takes.standing import comp_of
from fendo_server.productions import changes, description, state
from fendo_server.productions.models import Production, Reader
from fendo_server.script.models import Line
from fendo_server.takes.models import Pick, Take
from fendo_server.voice.models import Recording
from testing import edit, handed, record, send, takes_of, voice


@pytest.fixture
def desk(client, production):
    """Send edits, read the production."""

    class Desk:
        base = f"/api/productions/{production.id}/"

        def read(self):
            return client.get(self.base).json()

        def edit(self, revision=None, **body):
            now = self.read()["revision"] if revision is None else revision
            return send(client, "POST", f"{self.base}edits/", {**body, "revision": now})

        def undo(self):
            return send(client, "POST", f"{self.base}undo/").json()

        def redo(self):
            return send(client, "POST", f"{self.base}redo/").json()

    return Desk()


def test_an_edit_can_be_undone_and_redone_after_any_reload(desk):
    line = desk.read()["lines"][0]
    desk.edit(kind="set_words", line=line["id"], text="Other words")
    desk.edit(kind="drop_line", line=desk.read()["lines"][1]["id"])
    assert [x["text"] for x in desk.read()["lines"]] == ["Other words", "The flour falls."]
    assert desk.undo()["label"] == "line 2 dropped"
    assert desk.undo()["label"] == "words of line 1"
    assert desk.read()["lines"][0]["text"] == line["text"]
    assert desk.redo()["label"] == "words of line 1"
    assert desk.redo()["label"] == "line 2 dropped"
    assert desk.redo()["label"] is None
    assert [x["text"] for x in desk.read()["lines"]] == ["Other words", "The flour falls."]


def test_undo_takes_back_the_pick_of_the_reader_it_was_made_for(desk, client, production):
    line, first = production.lines.first(), production.reader
    take = record(line, voice(seed=1))
    desk.edit(kind="pick", line=str(line.id), voice=str(take.id))
    other = Reader.objects.create(production=production, name="Second voice")
    assert send(client, "PATCH", desk.base, {"reader": str(other.id)}).status_code == 200
    production.refresh_from_db()
    theirs = record(line, voice(seed=2))
    Pick.objects.create(line=line, reader=other, take=theirs)

    def picks():
        return {pick.reader_id: pick.take_id for pick in Pick.objects.filter(line=line)}

    desk.undo()
    assert picks() == {other.id: theirs.id}
    desk.redo()
    assert picks() == {first.id: take.id, other.id: theirs.id}


def test_a_new_edit_after_an_undo_leaves_no_way_to_the_undone_one(desk):
    line = desk.read()["lines"][0]["id"]
    desk.edit(kind="set_words", line=line, text="one")
    desk.undo()
    desk.edit(kind="set_words", line=line, text="two")
    assert desk.read()["redo"] is None
    desk.undo()
    assert desk.read()["lines"][0]["text"] == "Nobody at Orsey needs a clock."


def test_two_windows_on_one_line_the_second_is_told_and_nothing_is_lost(desk):
    start = desk.read()
    line, other = start["lines"][0]["id"], start["lines"][1]["id"]
    assert desk.edit(start["revision"], kind="set_words", line=line, text="theirs").status_code == 200
    refused = desk.edit(start["revision"], kind="set_words", line=line, text="mine")
    assert refused.status_code == 409
    assert refused.json()["changes"] == ["words of line 1 (edit)"]
    assert desk.read()["lines"][0]["text"] == "theirs"
    assert desk.edit(start["revision"], kind="set_words", line=other, text="elsewhere").status_code == 200


def test_undoing_a_new_line_keeps_its_takes_and_redoing_brings_them_back(desk, client, production):
    desk.edit(kind="add_lines", text="A forgotten line", after=desk.read()["lines"][0]["id"])
    made = desk.read()["lines"][1]
    assert made["number"] == "1a"
    take = record(Line.objects.get(pk=made["id"]), voice())
    desk.undo()
    assert len(desk.read()["lines"]) == 3
    assert take.path.exists()
    desk.redo()
    found = desk.read()
    assert found["lines"][1]["text"] == "A forgotten line"
    assert found["lines"][1]["tally"] == [{"number": 1, "aside": False}]
    assert [t["id"] for t in takes_of(client, production)] == [str(take.id)]


def test_a_line_tells_its_takes_as_strokes_and_the_picked_one_whole(desk, client, production, django_assert_num_queries):
    line = production.lines.first()
    first, second, third = (record(line, voice(seed=seed)) for seed in (1, 2, 3))
    desk.edit(kind="set_aside", take=str(first.id), aside=True)
    answer = desk.edit(kind="pick", line=str(line.id), voice=str(third.id)).json()
    told = desk.read()["lines"][0]
    assert told["tally"] == [{"number": n, "aside": n == 1} for n in (1, 2, 3)]
    rows = client.get(f"/api/lines/{line.id}/takes/").json()
    assert [row["id"] for row in rows] == [str(take.id) for take in (first, second, third)]
    assert (told["pick"], told["voice"]["provisional"]) == (rows[2]["id"], False)
    assert {**rows[2]["voice"], **told["voice"]} == told["voice"] and answer["takes"] == rows and answer["lines"] == [told]
    # However many lines and takes there are: the database is asked as often.
    with CaptureQueriesContext(connection) as asked:
        desk.read()
        few = len(asked)
    for each in production.lines.all()[1:]:
        record(each, voice())
    desk.edit(kind="add_lines", text="\n".join(f"One more, {n}" for n in range(30)))
    with django_assert_num_queries(few):
        desk.read()


def test_a_change_of_many_lines_leaves_their_takes_to_be_asked_for(desk, production):
    record(production.lines.first(), voice())
    few = desk.edit(kind="add_lines", text="\n".join(f"Line {n}" for n in range(description.MOST_LINES))).json()
    assert few["takes"] == []
    many = desk.edit(kind="add_lines", text="\n".join(f"Line {n}" for n in range(description.MOST_LINES + 1))).json()
    assert many["takes"] is None and len(many["lines"]) == description.MOST_LINES + 1


def test_a_setting_and_an_edit_of_the_same_moment_both_stand(desk, client, production, monkeypatch):
    """An edit comes between the reading of the production and the writing of its setting."""
    start, real = desk.read(), Production.save
    line, first = start["lines"][0]["id"], start["revision"]

    def save(self, *given, **more):
        monkeypatch.setattr(Production, "save", real)
        assert desk.edit(kind="set_words", line=line, text="in between").status_code == 200
        real(self, *given, **more)

    monkeypatch.setattr(Production, "save", save)
    answer = send(client, "PATCH", desk.base, {"headphones": True, "start_timecode": "10:00:00:00"}).json()
    assert answer["headphones"] and answer["lines"][0]["text"] == "in between"
    assert answer["revision"] == desk.read()["revision"] == first + 1
    assert desk.edit(kind="set_words", line=line, text="and after it").status_code == 200
    assert (desk.read()["revision"], desk.undo()["lines"][0]["text"]) == (first + 2, "in between")


def test_lines_come_in_the_order_in_which_they_were_pasted(desk):
    desk.edit(kind="add_lines", text="\n".join(f"Line number {n}" for n in range(40)))
    assert [x["text"] for x in desk.read()["lines"]][3:] == [f"Line number {n}" for n in range(40)]


def test_what_a_patch_says_is_what_the_whole_says(desk):
    before = desk.read()
    line = before["lines"][1]["id"]
    patch = desk.edit(kind="set_slot_start", line=line, at=6 * 48_000 + 24_001).json()
    after = desk.read()
    assert patch["lines"] == [after["lines"][1]]
    assert patch["lines"][0]["slot"][0] == 6 * 48_000 + 23_040
    assert {k: patch[k] for k in ("revision", "undo", "redo", "to_do", "crossing")} == {
        k: after[k] for k in ("revision", "undo", "redo", "to_do", "crossing")
    }


@pytest.mark.parametrize(
    ("body", "status", "said"),
    [
        ({"kind": "paint"}, 422, "no edit of this kind"),
        ({"kind": "set_words", "line": "no-id", "text": "x"}, 400, "UUID"),
        ({"kind": "set_words", "line": str(uuid.uuid4()), "text": "x"}, 422, "no longer in the script"),
        ({"kind": "lay_slots"}, 422, "no picture"),
        ({"kind": "add_lines", "text": " \n "}, 422, "no words"),
    ],
)
def test_bad_edits_are_refused_in_words_and_change_nothing(desk, body, status, said):
    before = desk.read()
    answer = desk.edit(**body)
    assert answer.status_code == status
    assert answer.headers["Content-Type"] == "application/problem+json"
    assert said in answer.json()["detail"]
    assert desk.read() == before


def test_the_database_itself_refuses_what_must_not_be(production, ada):
    line, other = production.lines.all()[:2]
    take = record(line, voice())
    Pick.objects.create(line=line, reader=production.reader, take=take)
    refused = [
        lambda: Pick.objects.create(line=line, reader=production.reader, take=take),
        lambda: Take.objects.create(line=line, recording=take.recording, number=1),
        lambda: Recording.objects.create(
            production=production,
            reader=production.reader,
            folder=production.landing,
            file_name=take.recording.file_name,
        ),
        lambda: Pick.objects.create(line=other, reader=production.reader),
        lambda: Line.objects.create(production=production, position=9, number="9", slot_start=10, slot_end=10),
        lambda: Line.objects.create(production=production, position=9, number="9", slot_start=10),
        lambda: Line.objects.create(production=production, position=9, number=line.number),
        lambda: Reader.objects.create(production=production, name=production.reader.name),
        lambda: Production.objects.filter(pk=production.pk).update(fps_below=0),
        lambda: Recording.objects.filter(pk=take.recording_id).update(length=0),
    ]
    for make in refused:
        with pytest.raises(IntegrityError), transaction.atomic():
            make()


def test_folders_names_and_settings(client, production, own_data):
    base = f"/api/productions/{production.id}/"
    made = send(client, "POST", f"{base}folders/", {"name": "Reel 1: the creek"})
    assert made.json()["path"] == "Reel 1 the creek"
    inner = send(client, "POST", f"{base}folders/", {"name": "Pick-ups", "parent": made.json()["id"]}).json()
    assert (own_data / "media" / "The Tide Mill" / "Reel 1 the creek" / "Pick-ups").is_dir()
    assert client.get(base).json()["landing"] == inner["id"]
    assert "already" in send(client, "POST", f"{base}folders/", {"name": "reel 1 THE creek"}).json()["detail"]
    assert "Fendo's own" in send(client, "POST", f"{base}folders/", {"name": "Picture"}).json()["detail"]
    shown = send(client, "POST", f"{base}name-example/", {"pattern": "{line}-{take} {words}"}).json()
    assert shown["example"] == "001-01 Nobody at Orsey needs a.wav"
    assert "must hold" in send(client, "PATCH", base, {"name_pattern": "{words}"}).json()["detail"]
    assert send(client, "PATCH", base, {"start_timecode": "10:00:00:99"}).status_code == 422
    assert send(client, "PATCH", base, {"start_timecode": "01:00:00:00"}).json()["start_frame"] == 90_000
    assert send(client, "PATCH", base, {"pace": 0.1}).status_code == 400


def test_two_productions_of_one_name_have_two_folders_on_the_disk(client, own_data):
    for _ in range(2):
        assert send(client, "POST", "/api/productions/", {"name": "A / B?"}).status_code == 201
    assert sorted(p.name for p in (own_data / "media").iterdir()) == ["A B", "A B (2)"]
    assert send(client, "POST", "/api/productions/", {"name": "  "}).status_code == 400


@pytest.mark.django_db(transaction=True)
def test_many_windows_editing_at_once_lose_no_edit_and_break_no_row(ada, production):
    """Eight threads, each on the real database: every edit is recorded, numbered once, and taken back in turn."""
    lines = [str(line.id) for line in production.lines.all()]
    before = state.load(production)

    def edit(n: int) -> str:
        try:
            what = edits.SetWords(lines[n % 3], f"words {n}") if n % 2 else edits.AddLines(f"line {n}")
            changes.perform(production, ada, 10**6, what)
            return "done"
        finally:
            connections.close_all()

    begun = production.revision
    with ThreadPoolExecutor(8) as pool:
        assert list(pool.map(edit, range(24))) == ["done"] * 24
    production.refresh_from_db()
    assert production.revision == begun + 24
    assert len(set(production.changes.values_list("revision", flat=True))) == production.changes.count()
    numbers = list(production.lines.values_list("number", flat=True))
    assert len(numbers) == len(set(numbers)) == 15
    for _ in range(24):
        changes.undo(production, ada)
    after = state.load(production)
    assert [line for line in after.lines if not line.dropped] == list(before.lines)


@pytest.mark.django_db(transaction=True)
def test_what_is_read_while_somebody_edits_is_of_one_moment(ada, production, monkeypatch):
    """Between two of its questions to the database a line gets a comp, and that is picked."""
    line = production.lines.first()
    take = record(line, voice(seed=1))
    edit(production, ada, edits.Pick(str(line.id), str(take.id)))
    reader, comp, paces = str(production.reader_id), comp_of(state.load(production), str(take.id)), state.pace.paces

    def meanwhile(of):
        def add() -> None:
            try:
                edit(production, ada, edits.AddComp(str(line.id), reader, "two", comp, str(take.id)))
            finally:
                connections.close_all()

        monkeypatch.setattr(state.pace, "paces", paces)
        with ThreadPoolExecutor(1) as pool:
            pool.submit(add).result()
        return paces(of)

    monkeypatch.setattr(state.pace, "paces", meanwhile)
    kinds = [description.whole(Production.objects.get(pk=production.pk))["lines"][0]["voice"]["kind"] for _ in range(2)]
    assert kinds == ["take", "comp"]


def test_old_changes_go_and_a_window_from_before_them_is_told(desk, production, ada, monkeypatch):
    monkeypatch.setattr(changes, "KEPT", 50)
    line = str(production.lines.first().id)
    begun = production.revision
    for n in range(200):
        edit(production, ada, edits.SetWords(line, f"words {n}"))
    assert 50 <= production.changes.count() <= 150
    refused = desk.edit(begun, kind="set_words", line=line, text="from long ago")
    assert refused.status_code == 409 and "Reload" in refused.json()["detail"]
    for _ in range(50):
        assert changes.undo(production, ada) is not None


def test_what_was_done_is_told_newest_first_without_a_word_of_the_script(client, production, ada):
    line = production.lines.first()
    take = record(line, voice())
    edit(production, ada, edits.SetWords(str(line.id), "A secret sentence about the sea."))
    edit(production, ada, edits.Pick(str(line.id), str(take.id)))
    client.post(f"/api/productions/{production.id}/undo/")
    handed(client, production, parts=["lines"])
    found = client.get(f"/api/productions/{production.id}/history/").json()
    told = [one["what"] for one in found]
    assert "handed over" in told[0]
    assert told[1] == "taken back: pick of line 1" and told[2] == "pick of line 1"
    assert "words of line 1" in told and "take 1 of line 1 read" in told
    assert "secret" not in json.dumps(found) and "Orsey" not in json.dumps(found)
    assert {one["who"] for one in found} == {"ada", "Narrator"}
    older = client.get(f"/api/productions/{production.id}/history/", {"before": found[2]["at"]}).json()
    assert older == found[3:]
    for wrong in ("yesterday", "2026-01-01", "x" * 900, "2026-13-41T00:00:00Z"):
        assert client.get(f"/api/productions/{production.id}/history/", {"before": wrong}).status_code == 422
