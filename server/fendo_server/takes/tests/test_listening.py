"""The read check of takes: heard once, kept in samples of the recording, told with the take."""

import numpy as np
import pytest

from fendo_core.audio import pcm
from fendo_core.production import edits
from fendo_core.reader import narrator, noises
from fendo_core.timebase import SAMPLE_RATE
from fendo_core.words import ReadCheck
from fendo_server.takes import listening
from fendo_server.takes.models import Take
from testing import edit, record, takes_of

TEXT = "The heron waits below the weir until the water turns."


@pytest.fixture
def line(production, ada):
    found = production.lines.first()
    edit(production, ada, edits.SetWords(str(found.id), TEXT))
    found.refresh_from_db()
    return found


def read(line, seed: int, fault: str = "none", silence: int = 0):
    """A take of the simulated reader, with some quiet before it."""
    sound = narrator.read(TEXT, seed, fault=fault).samples
    return record(line, pcm.from_floats(np.pad(sound, (silence, 0))))


def test_a_take_says_which_words_were_read_and_the_whole_one_is_tried_first(client, production, line):
    whole, short = read(line, 1), read(line, 2, "word left out")
    assert [take["read"]["state"] for take in takes_of(client, production)] == ["waiting", "waiting"]
    base = f"/api/productions/{production.id}/"
    before = client.get(f"{base}now/").json()["others"]
    assert client.get(base).json()["lines"][0]["voice"]["id"] == str(short.id), "nobody has listened yet"
    assert listening.check_missing() == 2 and listening.check_missing() == 0
    first, second = takes_of(client, production)
    assert [word["text"] for word in first["read"]["words"]] == TEXT.split()
    assert {word["mark"] for word in first["read"]["words"]} <= {"read", "doubtful"}
    assert any("leaves out" in fault for fault in second["faults"]) and "every word" in first["suggested"]
    assert second["suggested"] == []
    # It sounds from now on, and windows are told to look again.
    assert client.get(base).json()["lines"][0]["voice"]["id"] == str(whole.id)
    assert client.get(f"{base}now/").json()["others"] != before
    assert [take.amiss for take in Take.objects.order_by("number")] == [
        ReadCheck.from_row(take.read).amiss for take in Take.objects.order_by("number")
    ]
    # Words lie in the programme where the take does, and go with it.
    start = first["read"]["words"][0]["span"][0]
    assert abs(start - first["voice"]["speech"][0]) < SAMPLE_RATE // 10
    assert whole.number < short.number


def test_words_of_a_stretch_are_counted_in_its_recording(client, production, line):
    take = read(line, 3, silence=2 * SAMPLE_RATE)
    Take.objects.filter(pk=take.pk).update(first=SAMPLE_RATE)
    listening.check_one(str(take.pk))
    take.refresh_from_db()
    assert abs(take.read["words"][0][2] - take.speech_start) < SAMPLE_RATE // 10


def test_what_nobody_listens_for_says_so_and_what_cannot_be_heard_is_asked_once(client, production, line, monkeypatch):
    read(line, 4)
    production.language = "fr-fr"
    production.save()
    assert takes_of(client, production)[0]["read"]["state"] == "not checked" and listening.check_missing() == 0
    production.language = "en-gb"
    production.save()

    def fall(*_):
        raise RuntimeError("the decoder fell")

    monkeypatch.setattr(listening, "read_check", fall)
    assert listening.check_missing() == 1 and listening.check_missing() == 0
    (take,) = takes_of(client, production)
    assert take["read"]["state"] == "not checked"


@pytest.mark.parametrize("language", ["en-gb", "fr-fr"])
def test_clicks_and_plosives_are_told_of_a_take_in_any_language(client, production, line, language):
    production.language = language
    production.save()
    reading, rng = narrator.read(TEXT, 5), np.random.default_rng(5)
    ends = reading.speech_end
    clicks = [(ends + gap * SAMPLE_RATE // 1000, noises.mouth_click(-26.0, rng)) for gap in (250, 600)]
    worn = noises.sprinkle(reading.samples, [*clicks, (reading.speech_start, noises.pop(-8.0, rng))])
    take, clean = record(line, pcm.from_floats(worn)), read(line, 6)
    base = f"/api/productions/{production.id}/"
    before = client.get(f"{base}now/").json()["others"]
    for one in (take, clean):
        listening.check_one(str(one.pk))
    said = [[one for one in row["remarks"] if "click" in one or "plosive" in one] for row in takes_of(client, production)]
    assert said == [["2 clicks", "a plosive"], []]
    assert client.get(f"{base}now/").json()["others"] != before
    take.refresh_from_db()
    assert take.heard == {"click": 2, "plosive": 1}


def test_a_take_that_cannot_be_scanned_is_as_good_as_before_and_is_asked_once(client, production, line, monkeypatch):
    def fall(*_):
        raise RuntimeError("the scan fell")

    monkeypatch.setattr(listening, "scan", fall)
    take = read(line, 7)
    listening.check_missing()
    take.refresh_from_db()
    assert take.heard == {} and takes_of(client, production)[0]["read"]["state"] == "checked"
