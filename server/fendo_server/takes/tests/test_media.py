"""A take's file by ranges after RFC 9110, and many of them found and taken along."""

import io
import zipfile

import pytest

from fendo_core.production import edits
from testing import edit, record, voice


@pytest.fixture
def sound(client, production):
    take = record(production.lines.first(), voice())
    whole = take.path.read_bytes()
    ask = lambda **headers: client.get(f"/api/takes/{take.id}/recording/", headers=headers)  # noqa: E731
    return ask, whole


@pytest.mark.parametrize(
    ("asked", "part"),
    [
        ("bytes=0-9", slice(0, 10)),
        ("bytes=100-", slice(100, None)),
        ("bytes=-7", slice(-7, None)),
        ("bytes=5-5", slice(5, 6)),
    ],
)
def test_a_range_is_just_that_range(sound, asked, part):
    ask, whole = sound
    answer = ask(range=asked)
    assert answer.status_code == 206
    assert answer.getvalue() == whole[part]
    assert answer.headers["Content-Range"].endswith(f"/{len(whole)}")


@pytest.mark.parametrize("asked", ["bytes=99999999-", "bytes=9-3", "bytes=-0"])
def test_a_range_outside_the_file_is_refused(sound, asked):
    ask, whole = sound
    answer = ask(range=asked)
    assert answer.status_code == 416
    assert answer.headers["Content-Range"] == f"bytes */{len(whole)}"


def test_what_is_not_understood_or_stale_gets_the_whole(sound):
    ask, whole = sound
    for headers in ({}, {"range": "lines=1-2"}, {"range": "bytes=0-1,5-6"}, {"range": "bytes=0-9", "if-range": '"old"'}):
        answer = ask(**headers)
        assert (answer.status_code, answer.getvalue()) == (200, whole)
    etag = ask().headers["ETag"]
    assert ask(range="bytes=0-9", **{"if-range": etag}).status_code == 206
    assert ask(**{"if-none-match": etag}).status_code == 304


def test_a_download_has_the_takes_name(client, production):
    take = record(production.lines.first(), voice(2.0))
    answer = client.get(f"/api/takes/{take.id}/recording/?download=1")
    assert "attachment" in answer.headers["Content-Disposition"]
    assert "t01.wav" in answer.headers["Content-Disposition"]


def test_takes_are_found_also_of_lines_that_were_dropped_and_leave_as_one_file(client, production, ada):
    first, second, _ = production.lines.all()
    takes = [record(first, voice(3.0, 1)), record(first, voice(3.0, 2)), record(second, voice(3.0, 3))]
    edit(production, ada, edits.NoteTake(str(takes[1].pk), mark="keep", note="warm"))
    edit(production, ada, edits.DropLine(str(second.pk)))
    base = f"/api/productions/{production.id}/takes/found"
    everything = client.get(f"{base}/").json()
    assert everything["count"] == 3 and [one["id"] for one in everything["takes"]] == [str(t.pk) for t in takes[::-1]]
    assert [one["dropped"] for one in everything["takes"]] == [True, False, False]
    (kept,) = client.get(f"{base}/", {"text": "keep warm"}).json()["takes"]
    assert kept["id"] == str(takes[1].pk)
    answer = client.get(f"{base}.zip", {"text": "orsey"})
    with zipfile.ZipFile(io.BytesIO(b"".join(answer.streaming_content))) as parcel:
        names = parcel.namelist()
        assert len(names) == 2 and all("/Narration/" in name for name in names)
        assert parcel.read(names[0]) in {take.recording.path.read_bytes() for take in takes[:2]}
    assert client.get(f"{base}.zip", {"text": "nobody said this"}).status_code == 422
