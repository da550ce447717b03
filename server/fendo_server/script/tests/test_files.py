"""Scripts in and out over HTTP."""

from urllib.parse import quote

import pytest

from fendo_core.timebase import SAMPLE_RATE
from testing import send

SRT = "1\n00:00:01,000 --> 00:00:02,000\nOne.\n\n2\n00:00:03,000 --> 00:00:02,000\nTwo.\n"


@pytest.fixture
def ask(client, production):
    def read(name, data, more=""):
        address = f"/api/productions/{production.id}/script-file/?name={name}{more}"
        return client.post(address, data, content_type="application/octet-stream")

    return read


def test_a_file_is_read_and_nothing_changes_until_its_lines_are_made(ask, client, production):
    before = client.get(f"/api/productions/{production.id}/").json()
    found = ask("a.srt", SRT.encode()).json()
    assert found["lines"] == [
        {"text": "One.", "slot": [48_000, 96_000], "notes": "", "reader": ""},
        {"text": "Two.", "slot": None, "notes": "", "reader": ""},
    ]
    assert found["doubts"] == ["cue 2 ends before it begins, so it gets no slot"]
    assert client.get(f"/api/productions/{production.id}/").json() == before
    body = {"kind": "bring_in_lines", "lines": found["lines"], "revision": before["revision"]}
    patch = send(client, "POST", f"/api/productions/{production.id}/edits/", body).json()
    assert patch["undo"] == "2 lines brought in"
    lines = client.get(f"/api/productions/{production.id}/").json()["lines"]
    assert [(line["number"], line["text"], line["slot"]) for line in lines[3:]] == [
        ("4", "One.", [SAMPLE_RATE, 2 * SAMPLE_RATE]),
        ("5", "Two.", None),
    ]
    client.post(f"/api/productions/{production.id}/undo/")
    assert len(client.get(f"/api/productions/{production.id}/").json()["lines"]) == 3


def test_columns_of_a_table_can_be_chosen(ask):
    table = b"shot,words,note\n1,hello,there\n2,big,world\n"
    assert ask("t.csv", table).json()["columns"] == [None, None, None, 1, 2, None]
    assert [line["text"] for line in ask("t.csv", table, "&words=2&start=-1&end=-1").json()["lines"]] == ["there", "world"]
    assert ask("t.csv", table, "&words=9").status_code == 422


def test_what_was_guessed_is_asked_and_another_answer_is_kept(ask, client, production):
    timed = b"[00:01] MAREN: The tide turns.\n[00:04] OSKAR: And the wheel with it.\n"
    found = ask("a.txt", timed).json()
    assert {each["key"]: each["chosen"] for each in found["questions"]} == {
        "times": "slots", "clock-two": "m:s", "readers": "readers",
    }  # fmt: skip
    assert found["readers"] == ["MAREN", "OSKAR"] and found["placed"] == 2
    refused = quote('{"readers": "words"}')
    assert ask("a.txt", timed, f"&choices={refused}").json()["lines"][0]["text"] == "MAREN: The tide turns."
    address = f"/api/productions/{production.id}/script-lines/?name=a.txt&choices={refused}"
    assert client.post(address, timed, content_type="application/octet-stream").status_code == 200
    lines = client.get(f"/api/productions/{production.id}/").json()["lines"]
    assert [line["text"] for line in lines[-2:]] == ["MAREN: The tide turns.", "OSKAR: And the wheel with it."]
    for wrong in ("{", "[]", '{"readers": 3}', "9" * 3000):
        assert ask("a.txt", timed, f"&choices={quote(wrong)}").status_code in (400, 422)


@pytest.mark.parametrize(
    ("name", "data"), [("x.txt", b""), ("x.docx", b"PK\x03\x04junk"), ("x.txt", bytes(2000) + b"\x01")]
)
def test_what_is_no_script_is_refused_in_words(ask, name, data):
    answer = ask(name, data)
    assert answer.status_code == 422 and len(answer.json()["detail"]) > 15


@pytest.mark.parametrize("form", ["srt", "vtt", "csv", "txt"])
def test_the_words_go_out_and_come_back(ask, client, production, form):
    out = client.get(f"/api/productions/{production.id}/script/{form}/")
    assert out.status_code == 200 and f".{form}" in out.headers["Content-Disposition"]
    back = ask(f"x.{form}", out.content).json()["lines"]
    lines = client.get(f"/api/productions/{production.id}/").json()["lines"]
    wanted = [(line["text"], line["slot"]) for line in lines if form in ("csv", "txt") or line["slot"]]
    assert [(line["text"], line["slot"] if form != "txt" else None) for line in back] == [
        (text, slot if form != "txt" else None) for text, slot in wanted
    ]
    assert client.get(f"/api/productions/{production.id}/script/exe/").status_code == 404


def test_a_long_file_is_looked_at_by_its_beginning_and_brought_in_whole(ask, client, production):
    told = "start,end,words,reader\n" + "".join(f",,Line {n} of many.,{'Osk' if n % 2 else ''}\n" for n in range(1_000))
    found = ask("long.csv", told.encode()).json()
    assert (len(found["lines"]), found["count"], found["placed"], found["readers"]) == (300, 1_000, 0, ["Osk"])
    address = f"/api/productions/{production.id}/script-lines/?name=long.csv&longest=2000"
    answer = client.post(address, told.encode(), content_type="application/octet-stream")
    assert answer.status_code == 200 and answer.json()["undo"] == "1000 lines brought in"
    lines = client.get(f"/api/productions/{production.id}/").json()["lines"]
    assert len(lines) == 1_003 and lines[-1]["text"] == "Line 999 of many."
    client.post(f"/api/productions/{production.id}/undo/")
    assert len(client.get(f"/api/productions/{production.id}/").json()["lines"]) == 3
    nothing = client.post(address, b"", content_type="application/octet-stream")
    assert nothing.status_code == 422


def test_of_words_in_two_languages_those_of_the_production_become_lines(ask, production):
    rows = (
        ("Left", "Right"),
        ("The ferry is on the quay.", "Die Fähre ist an der Mole."),
        ("It leaves in the morning.", "Sie fährt am Morgen und mit der Flut."),
    )
    table = "\n".join(map("\t".join, rows))
    for language, first in (("en-gb", "The ferry is on the quay."), ("de", "Die Fähre ist an der Mole.")):
        production.language = language
        production.save()
        assert ask("a.tsv", table.encode()).json()["lines"][0]["text"] == first
