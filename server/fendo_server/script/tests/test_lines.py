"""Lines parted, joined, numbered and given to readers, as the database keeps them; and a pace learned from takes."""

import pytest

from fendo_core.production import edits
from fendo_core.timebase import SAMPLE_RATE
from fendo_server.script.models import Line
from fendo_server.takes.models import Take
from testing import edit, record, send, voice


@pytest.fixture
def desk(client, production):
    """Sends edits and gives the lines as the interface sees them."""

    class Desk:
        address = f"/api/productions/{production.id}/"

        def whole(self):
            return client.get(self.address).json()

        def lines(self):
            return self.whole()["lines"]

        def edit(self, kind, **values):
            body = {"kind": kind, "revision": self.whole()["revision"], **values}
            return send(client, "POST", f"{self.address}edits/", body)

        def undo(self):
            return client.post(f"{self.address}undo/")

        def numbers(self):
            return [line["number"] for line in self.lines()]

    return Desk()


def test_a_parted_line_shares_its_slot_and_one_undo_makes_it_whole(desk):
    before = desk.lines()
    first = before[0]
    at = first["text"].index(" ") + 1
    patch = desk.edit("split_line", line=first["id"], at=at).json()
    one, two = desk.lines()[:2]
    assert (one["text"], two["text"]) == (first["text"][: at - 1], first["text"][at:]) and two["number"] == "1a"
    assert patch["undo"] == "line 1 parted" and two["id"] in [line["id"] for line in patch["lines"]]
    if first["slot"]:
        assert one["slot"][1] == two["slot"][0] and two["slot"][1] == first["slot"][1]
    desk.undo()
    assert desk.lines() == before
    # The number of a line that is no more is free again, and undoing all the way down breaks nothing.
    desk.edit("new_line", after=first["id"])
    assert desk.numbers()[:2] == ["1", "1a"]
    desk.edit("join_lines", line=first["id"])
    desk.edit("new_line", after=first["id"])
    assert desk.numbers()[:2] == ["1", "1a"]
    for _ in range(3):
        assert desk.undo().status_code == 200
    assert desk.lines() == before


def test_numbers_change_places_without_a_clash_and_recorded_lines_keep_theirs(desk, production):
    for _ in range(3):
        desk.edit("new_line", after=desk.lines()[0]["id"])
    assert desk.numbers() == ["1", "1c", "1b", "1a", "2", "3"]
    record(Line.objects.get(pk=desk.lines()[4]["id"]), voice())
    assert desk.edit("renumber").status_code == 200
    assert desk.numbers() == ["1", "1a", "1b", "1c", "2", "3"]
    desk.undo()
    assert desk.numbers() == ["1", "1c", "1b", "1a", "2", "3"]
    refused = desk.edit("join_lines", line=desk.lines()[3]["id"])
    assert refused.status_code == 422 and "has takes" in refused.json()["detail"]


def test_each_reader_has_picks_and_a_pace_of_their_own(desk, client, production, ada):
    line = production.lines.first()
    mine = record(line, voice())
    desk.edit("pick", line=str(line.id), voice=str(mine.id))
    made = send(client, "POST", f"{desk.address}readers/", {"name": "  Second   Voice "})
    assert made.status_code == 201 and made.json()["name"] == "Second Voice"
    assert send(client, "POST", f"{desk.address}readers/", {"name": "second voice"}).status_code == 422
    assert desk.edit("set_reader", only=[str(line.id)], reader=made.json()["id"]).status_code == 200
    assert desk.lines()[0]["pick"] is None
    line.refresh_from_db()
    theirs = record(line, voice(seed=2))
    assert theirs.recording.reader.name == "Second Voice"
    desk.edit("pick", line=str(line.id), voice=str(theirs.id))
    assert desk.lines()[0]["pick"] == str(theirs.id)
    for _ in range(2):
        desk.undo()
    assert desk.lines()[0]["pick"] == str(mine.id)
    assert {reader["name"]: reader["takes"] for reader in desk.whole()["readers"]}["Second Voice"] == 1
    stranger = send(client, "PATCH", desk.address, {"reader": "00000000-0000-0000-0000-000000000000"})
    assert stranger.status_code == 422


def test_the_pace_is_learned_from_takes_and_only_used_when_wanted(desk, client, production, ada):
    line = production.lines.first()
    edit(production, ada, edits.SetWords(str(line.id), "The sea comes up the creek twice a day and waits there."))
    line.refresh_from_db()
    start = desk.whole()["pace"]
    assert start["takes"] == 0 and start["used"] == pytest.approx(start["start"], abs=0.05)
    needed = desk.lines()[0]["needed"]
    take = record(line, voice(9.9))
    assert take.words == line.text and take.speech_end - take.speech_start > 7 * SAMPLE_RATE
    whole = desk.whole()
    assert whole["pace"]["takes"] == 1 and whole["pace"]["used"] < start["used"]
    assert whole["lines"][0]["needed"] > 1.3 * needed
    send(client, "PATCH", desk.address, {"learns_pace": False})
    assert desk.lines()[0]["needed"] == needed
    # A take that was cut off teaches nothing, and neither does one set aside.
    send(client, "PATCH", desk.address, {"learns_pace": True})
    record(line, voice(8.0), cut_off=True)
    assert desk.whole()["pace"]["takes"] == 1
    Take.objects.filter(pk=take.pk).update(aside=True)
    assert send(client, "PATCH", desk.address, {"language": "de"}).json()["pace"]["takes"] == 0
    assert send(client, "PATCH", desk.address, {"language": "xx"}).status_code == 400


def test_what_parting_and_finding_would_give_is_told_and_changes_nothing(desk, client, production, ada):
    text = "The sea comes up the creek twice a day. It fills the pond behind the wall, and waits there."
    edit(production, ada, edits.SetWords(str(production.lines.last().id), text))
    before = desk.whole()
    found = client.get(f"{desk.address}script-split/?longest=60").json()
    assert [row["parts"] for row in found["parted"]] == [[text[:39], text[40:]]] and found["kept"] == 0
    assert client.get(f"{desk.address}script-split/?longest=5").status_code == 400
    (places,) = client.get(f"{desk.address}script-search/?text=THE+sea").json()
    assert places == {"line": before["lines"][-1]["id"], "spans": [[0, 7]]}
    assert client.get(f"{desk.address}script-search/?text=+").status_code == 422
    assert desk.whole() == before
    assert desk.edit("replace_words", text="the sea", by="The tide").json()["undo"] == "1 place replaced"
    assert desk.lines()[-1]["text"].startswith("The tide comes")


def test_notes_stress_and_sayings_are_kept_and_come_back_after_undo(desk):
    line = desk.lines()[0]["id"]
    word = desk.lines()[0]["text"].split()[0]
    desk.edit("set_notes", line=line, notes="slowly\nand low")
    desk.edit("set_stress", line=line, stress=[0, 99])
    patch = desk.edit("set_saying", word=word.upper(), said="like this").json()
    assert patch["lines"][0]["sayings"] == [[0, len(word.strip(".,")), "like this"]]
    row = desk.lines()[0]
    assert (row["notes"], row["stress"]) == ("slowly\nand low", [0])
    assert desk.edit("set_saying", word="x" * 80, said="y").status_code == 422
    desk.undo()
    assert desk.lines()[0]["sayings"] == [] and desk.whole()["sayings"] == []
    desk.edit("set_wild", line=line, wild=True)
    assert (desk.lines()[0]["fit"], desk.lines()[0]["slot"]) == ("wild", None)
    assert desk.edit("set_wanted_length", line=line, length=1_440_000).status_code == 200
    assert (desk.lines()[0]["wanted_length"], desk.lines()[0]["fit"]) == (1_440_000, "fits")
    desk.undo()
    assert (desk.lines()[0]["wanted_length"], desk.lines()[0]["fit"]) == (None, "wild")
    assert desk.edit("mend_slots").status_code == 422


def test_without_picture_a_wanted_length_is_what_slots_are_laid_over(desk, client):
    assert desk.edit("lay_slots").status_code == 422
    assert (
        send(client, "PATCH", desk.address, {"wanted_length": 30 * SAMPLE_RATE}).json()["picture"]["length"]
        == 30 * SAMPLE_RATE
    )
    assert desk.edit("lay_slots").status_code == 200
    slots = [line["slot"] for line in desk.lines() if line["text"]]
    assert all(slots) and slots[-1][1] <= 30 * SAMPLE_RATE
    assert send(client, "PATCH", desk.address, {"wanted_length": 5}).status_code == 400
