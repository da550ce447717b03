"""Foreign code on foreign text: whatever kills the phoneme library costs that text alone, and never its caller."""

import os
import signal
import time

import pytest

from fendo_core import helper
from fendo_core.script import phonemes, syllables
from fendo_core.script.phonemes import Phonemes

BAD = "the line that ends it"


@pytest.fixture
def library():
    made = Phonemes()
    yield made
    made.close()


def dying(monkeypatch, library, how):
    """The process dies, or stands still, as soon as it is asked for the bad line; how often it was begun anew."""
    real, begun = Phonemes._ask, []

    def ask(self, rows, language):
        helper = self._helpers[0]
        if helper._process is None:
            begun.append(len(rows))
        if any(BAD in row for row in rows):
            helper._process = helper._process or helper._begin()
            os.kill(int(helper._process.pid), how)
        return real(self, rows, language)

    monkeypatch.setattr(Phonemes, "_ask", ask)
    return begun


@pytest.mark.parametrize("how", [signal.SIGABRT, signal.SIGSTOP])
def test_a_text_that_kills_the_library_or_keeps_it_costs_itself_alone(library, monkeypatch, how):
    monkeypatch.setattr(phonemes, "_PATIENCE", 0.5)
    monkeypatch.setattr(helper, "_STARTING", 5.0 if how == signal.SIGABRT else 0.2)
    rows = [f"the tide comes in {n} times" for n in range(7)]
    rows[4] = BAD
    if how == signal.SIGABRT:
        dying(monkeypatch, library, how)
        found = library.of(rows, "en-gb")
        assert [spoken is None for spoken in found] == [n == 4 for n in range(7)]
        assert library.of(["the tide"], "en-gb") == ["ð_ə t_aɪ_d"]
    else:
        dying(monkeypatch, library, how)
        begun = time.monotonic()
        assert library.of([BAD], "en-gb") == [None]
        assert time.monotonic() - begun < 10


def test_many_texts_are_said_by_two_processes_in_their_order(library, monkeypatch):
    monkeypatch.setattr(phonemes, "_BATCH", 10)
    rows = [f"the tide comes in {n} times and {'leaves ' * (n % 7)}" for n in range(205)]
    found = library.of(iter(rows), "en-gb")
    assert [helper._process is not None for helper in library._helpers] == [True, True]
    assert found == [library.of([row], "en-gb")[0] for row in rows]


def test_a_batch_made_of_nothing_else_is_given_up(library, monkeypatch):
    begun = dying(monkeypatch, library, signal.SIGKILL)
    assert library.of([f"{BAD} {n}" for n in range(64)], "da") == [None] * 64
    assert len(begun) <= phonemes._MOST_DEATHS + 1


def test_what_can_not_be_spoken_out_is_counted_by_its_letters_and_not_asked_for_again(library, monkeypatch):
    monkeypatch.setattr(syllables, "_library", library)
    monkeypatch.setattr(syllables, "_memory", {})
    asked = dying(monkeypatch, library, signal.SIGKILL)
    text = f"{BAD} of the harbour"
    found = syllables.speech_of(text, "da")
    assert found.syllables == syllables.syllables(text) and found.sounds > 10
    count = len(asked)
    assert syllables.speech_of(text, "da") == found and len(asked) == count


def test_no_text_of_vowels_or_consonants_ends_or_keeps_anything():
    texts = ["æøå" * 400, "aeiouyæøå" * 200, "strchprst" * 300, "ʔ" * 500, "\x00\x07", "a" * 20_000, "🜁" * 99]
    begun = time.monotonic()
    for language in syllables.LANGUAGES:
        assert len(syllables.speech_of_all([f"{language} {text}" for text in texts], language)) == len(texts)
    assert time.monotonic() - begun < 120
