"""Lines beside one another over HTTP, and lines that are settled."""

from datetime import UTC, datetime

import pytest

from fendo_core.audio import pcm
from fendo_core.audio.levels import gain
from fendo_core.production import edits
from fendo_core.reader import narrator
from fendo_server.takes import comparison
from fendo_server.takes.models import Take
from fendo_server.voice.models import Recording
from testing import edit, record, send

TEXTS = (
    "The ferry left at six with nobody on board.",
    "On the other bank a boy was counting herons.",
    "We carried the ladders up to the loft.",
    "Nothing in the account book explains the key.",
    "A carpenter looked at the roof for a week.",
)


@pytest.fixture
def lines(production, ada):
    """Five lines that were read, the fourth of them farther from the microphone and higher, the first twice."""
    for each in production.lines.all():
        edit(production, ada, edits.DropLine(str(each.id)))
    edit(production, ada, edits.AddLines("\n".join(TEXTS), None))
    lines = list(production.lines.filter(dropped=False).order_by("position"))
    for n, line in enumerate(lines):
        voice = narrator.VOICES[1] if n == 3 else narrator.VOICES[0]
        sound = narrator.read(TEXTS[n], 40 + n, voice=voice).samples
        record(line, pcm.from_floats(sound * gain(-9) if n == 3 else sound))
    record(lines[0], pcm.from_floats(narrator.read(TEXTS[0], 60).samples))
    production.refresh_from_db()
    return lines


def asked(client, production):
    answer = client.get(f"/api/productions/{production.id}/takes/compared/")
    assert answer.status_code == 200
    return answer.json()


def test_the_line_that_was_read_on_another_day_stands_out_and_the_rest_does_not(client, production, ada, lines):
    found = asked(client, production)
    assert [row["line"] for row in found["lines"]] == [str(line.id) for line in lines]
    said = [row["unlike"] for row in found["lines"]]
    assert said[3][0] == "sounds like another day" and said[3][1].endswith("dB quieter")
    assert said[3][2].endswith("semitones higher") and not any(said[:3]) and not said[4]
    assert found["first_of"] == 0
    first, second = Take.objects.filter(line=lines[0]).order_by("number")
    edit(production, ada, edits.Pick(str(lines[0].id), str(second.pk)))
    assert (asked(client, production)["first_picked"], asked(client, production)["first_of"]) == (1, 1)
    edit(production, ada, edits.Pick(str(lines[0].id), str(first.pk)))
    assert (asked(client, production)["first_picked"], asked(client, production)["first_of"]) == (0, 1)


def test_lines_of_two_days_are_told_apart_by_their_days(client, production, lines):
    assert asked(client, production)["days"] == []
    first = Recording.objects.filter(takes__line__in=[line.pk for line in lines[:3]])
    Recording.objects.filter(pk__in=[one.pk for one in first]).update(made=datetime(2026, 5, 3, 9, tzinfo=UTC))
    days = asked(client, production)["days"]
    assert [(day["lines"], day["unlike"]) for day in days] == [(3, []), (2, [])] and days[0]["day"] == "2026-05-03"


def test_what_was_read_before_it_was_asked_is_looked_at_later(client, production, lines):
    before = asked(client, production)
    Take.objects.update(character=None)
    assert all(row["by"][1] is None for row in asked(client, production)["lines"])
    assert comparison.fill_missing() == 6 and comparison.fill_missing() == 0
    assert asked(client, production) == before


def test_a_settled_line_keeps_its_pick_until_it_is_opened_and_says_so_in_words(client, production, ada, lines):
    first, second = (str(take.pk) for take in Take.objects.filter(line=lines[0]).order_by("number"))

    def send_edit(**body):
        production.refresh_from_db()
        address = f"/api/productions/{production.id}/edits/"
        return send(client, "POST", address, {**body, "revision": production.revision})

    key = str(lines[0].id)
    assert "no pick" in send_edit(kind="settle", only=[key]).json()["detail"]
    edit(production, ada, edits.Pick(key, first))
    answer = send_edit(kind="settle", only=[key])
    assert answer.status_code == 200
    row = next(line for line in client.get(f"/api/productions/{production.id}/").json()["lines"] if line["id"] == key)
    assert row["settled"] and row["pick"] == first
    for refused in (
        {"kind": "pick", "line": key, "voice": second},
        {"kind": "move_voice", "voice": first, "by": 480},
        {"kind": "drop_line", "line": key},
    ):
        answer = send_edit(**refused)
        assert answer.status_code == 422 and "is settled" in answer.json()["detail"], answer.content
    assert send_edit(kind="move_voice", voice=second, by=480).status_code == 200
    assert send_edit(kind="settle", only=[key], settled=False).status_code == 200
    assert send_edit(kind="pick", line=key, voice=second).status_code == 200
