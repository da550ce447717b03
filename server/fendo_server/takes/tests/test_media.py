"""Ranges after RFC 9110, on a take's file."""

import pytest

from testing import record, voice


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
