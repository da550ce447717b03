"""What was said: a text found in readings of it, and in readings that are not quite it."""

import random
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fendo_core.audio import pcm
from fendo_core.audio.levels import gain
from fendo_core.audio.speech import hear
from fendo_core.reader import narrator
from fendo_core.script.lines import tokens
from fendo_core.script.pace import Pace, expected_length
from fendo_core.takes.ranking import Candidate, suggest
from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds
from fendo_core.words import ReadCheck, Spoken, faults, following, read_check, remarks, spoken_words
from fendo_core.words.check import checked, with_others
from fendo_core.words.following import Follower, following_scores, word_by_pace
from fendo_core.words.grammar import SpokenWord, arcs_of, placed
from fendo_core.words.listener import listener
from fendo_core.words.text import pronounced

TEXTS = (
    "The heron waits below the weir until the water turns.",
    "Each spring the carpenter replaced three paddles of the wheel.",
    "Orsey kept its own clock, and the clock kept the tide.",
)


def read(text: str, voice: str) -> np.ndarray:
    """A reading in a quiet room, half a second of it before and after."""
    sound = np.pad(narrator._spoken(text, voice, 1.0), SAMPLE_RATE // 2)
    rms = np.sqrt(np.mean(sound[sound != 0] ** 2))
    noise = np.random.default_rng(len(text)).standard_normal(len(sound)) * gain(-62)
    return (sound * gain(-22) / rms + noise).astype(np.float32)


def check(text: str, said: str, voice: str) -> ReadCheck:
    sound = read(said, voice)
    return read_check(text, sound, hear(sound).phrases)


@pytest.mark.parametrize("voice", narrator.VOICES)
def test_what_was_read_is_told_word_by_word_and_what_was_not_is_told_too(voice):
    dice = random.Random(voice)
    found = {"clean": 0, "out": 0, "twice": 0, "in": 0}
    for text in TEXTS:
        page = tokens(text)
        clean = check(text, text, voice)
        found["clean"] += clean.fine
        spans = [word.span for word in clean.of("read")]
        assert len(spans) >= len(page) - 1 and spans == sorted(spans)
        inner = [n for n in range(1, len(page) - 1) if len(page[n]) > 3]
        out = dice.choice(inner)
        short = check(text, " ".join(page[:out] + page[out + 1 :]), voice)
        found["out"] += any(word.ordinal == out for word in short.of("left out"))
        back = dice.choice(range(3, 6))
        twice = check(text, f"{' '.join(page[:back])}, {text}", voice)
        found["twice"] += {word.ordinal for word in twice.of("again")} >= set(range(1, back - 1))
        more = check(text, " ".join([*page[:back], "twenty seven elephants", *page[back:]]), voice)
        found["in"] += not more.fine
    assert min(found.values()) >= 2 and sum(found.values()) >= 11, found


def test_one_word_too_many_is_told_as_such_and_where():
    right = 0
    for text in TEXTS:
        for voice in narrator.VOICES:
            page = tokens(text)
            more = check(text, " ".join([*page[:-2], "elephants", *page[-2:]]), voice)
            before, behind = (word.span for word in more.words if word.ordinal in {len(page) - 3, len(page) - 2})
            right += not more.of("left out") and any(before < span < behind for span in more.put_in)
    assert right >= 7


def test_other_words_explain_what_seems_left_out_and_never_take_a_word_away():
    page, spans = (
        [Spoken(word, n) for n, word in enumerate(["one", "ferry", "left"])],
        [Span(n, n + 9_000) for n in range(3)],
    )
    heard = [SpokenWord(n, span) for n, span in enumerate(spans)]
    whole, less = checked(page, heard, ()), checked(page, heard[1:], ())
    short, long = Span(0, milliseconds(150)), Span(50_000, 50_000 + milliseconds(300))
    assert with_others(whole, whole, [short]) == whole and with_others(whole, less, [long]) == whole
    assert with_others(whole, whole, [short, long]).put_in == (long,)
    assert with_others(less, whole, [short]) == replace(whole, put_in=(short,)) and with_others(less, less, [long]) == less


def test_another_text_is_not_taken_for_the_line():
    other = check(TEXTS[0], "My uncle sells bicycles and radios behind the station.", narrator.VOICES[0])
    assert other.lost and faults(other, TEXTS[0]) == ("reads other words than the line’s",)


def test_where_words_were_said_is_near_where_they_were():
    """A reading of two halves with a second of quiet between them: the words know on which side they are."""
    voice = narrator.VOICES[1]
    first, second = "The heron waits below the weir", "until the water turns."
    a, b = read(first, voice), read(second, voice)
    sound = np.concatenate([a, np.zeros(SAMPLE_RATE, np.float32), b])
    found = read_check(f"{first} {second}", sound, hear(sound).phrases)
    spans = {word.ordinal: word.span for word in found.of("read")}
    assert abs(spans[0].start - hear(a).speech.start) < milliseconds(80)
    assert abs(spans[5].end - hear(a).speech.end) < milliseconds(120)
    assert abs(spans[6].start - len(a) - SAMPLE_RATE - hear(b).speech.start) < milliseconds(80)


def test_numbers_are_spoken_out_and_belong_to_their_word_on_the_page():
    words = spoken_words("In 1847 Mr. O’Dell’s mill ground 312 sacks.")
    assert [(one.text, one.ordinal) for one in words if one.ordinal in (1, 6)] == [
        ("eighteen", 1), ("forty", 1), ("seven", 1), ("three", 6), ("hundred", 6), ("and", 6), ("twelve", 6),
    ]  # fmt: skip
    assert [one.text for one in words if one.ordinal in (2, 3)] == ["mister", "o'dell's"]
    assert pronounced(["sluice", "quay"]) == ["S L UW S", "K IY"]
    assert listener().listen(np.zeros(0, np.float32), ["a"]) == [] == listener().listen(np.zeros(4800, np.float32), [])


@settings(max_examples=80, deadline=None)
@given(st.data())
def test_any_way_through_the_grammar_is_found_again_from_what_is_heard_of_it(data):
    words = data.draw(st.lists(st.sampled_from(["the", "a", "mill", "wheel", "tide"]), min_size=1, max_size=12))
    arcs = arcs_of(list(range(len(words))), len(words), ())
    state, said = 0, []
    for n in range(data.draw(st.integers(1, 15))):
        steps = [(b, w) for (a, b), (_, w) in arcs.items() if a == state and w >= 0]
        if not steps:
            break
        state, word = data.draw(st.sampled_from(steps))
        said.append((words[word], Span(n * 10, n * 10 + 9)))
    found = placed(said, words, arcs)
    assert [words[one.index] for one in found] == [text for text, _ in said]
    assert [one.span for one in found] == [span for _, span in said]
    row = checked([Spoken(text, n) for n, text in enumerate(words)], found, ()).as_row()
    assert ReadCheck.from_row(row).as_row() == row


def test_faults_and_remarks_are_said_as_a_colleague_would():
    text = "Then the keeper lifts one oak board, and waits."
    words = [Spoken(word.text, word.ordinal) for word in spoken_words(text)]
    spans = [Span(n * 20_000, n * 20_000 + 15_000) for n in range(20)]

    def told(*order: int, phrases=()):
        return checked(words, [SpokenWord(n, span) for n, span in zip(order, spans, strict=False)], phrases)

    assert told(*range(9)).fine
    gone = told(0, 1, 2, 3, 7, 8)
    assert faults(gone, text) == ("leaves out “one oak board”",)
    assert faults(told(0, 1, 2, 0, 1, 2, *range(3, 9)), text) == ("says “Then the keeper” twice",)
    small = told(0, 2, 3, 4, 5, 6, 7, 8)
    assert faults(small, text) == () and remarks(small, text) == ("“the” was not heard",)
    more = told(*range(9), phrases=[Span(0, 9 * 20_000 + 30_000)])
    assert faults(more, text) == ("adds something",)


def test_what_to_try_first_is_what_cannot_be_mended_and_says_why():
    fine = Candidate("a", 1, amiss=0, late=0, past_end=-4_800)
    assert suggest([fine]) is None
    assert suggest([fine, Candidate("b", 2, amiss=0, late=0, past_end=-4_800)]) == ("b", ("the newest of equals",))
    assert suggest([fine, Candidate("b", 2, amiss=2, late=0, past_end=-4_800)]) == ("a", ("every word",))
    late = Candidate("c", 3, amiss=0, late=24_000, past_end=-100)
    clipped = Candidate("d", 4, amiss=0, clipped=3, late=0, past_end=-100)
    assert suggest([late, clipped]) == ("c", ("not clipped",)), "a place can be mended, a peak can't"
    assert suggest([Candidate("e", 5, usable=False), fine, late]) == ("a", ("on cue",))


def followed(text: str, sound: np.ndarray, look: int = SAMPLE_RATE // 5, starts=()) -> tuple[Follower, list]:
    follower, looks = Follower([word.text for word in spoken_words(text)], starts), []
    for start in range(0, len(sound), look):
        follower.feed(sound[start : start + look])
        looks.append((min(len(sound), start + look), follower.place))
    return follower, looks


@pytest.mark.parametrize(("voice", "level"), [("rms", 0.2), ("slt", 1.0), ("awb", 2.5)])
def test_a_reading_is_followed_word_by_word_as_it_comes(voice, level):
    delays, right, of = [], 0, 0
    for text in TEXTS:
        sound = read(text, voice)
        last = {one.index: one for one in listener().listen(sound, [word.text for word in spoken_words(text)])}
        follower, looks = followed(text, sound * np.float32(level))
        assert follower.place == len(spoken_words(text))
        found = following_scores(list(last.values()), looks)
        delays += [len(sound) if delay is None else delay for delay in found.delays]
        right, of = right + found.looks, of + found.of
    assert np.percentile(delays, 90) <= SAMPLE_RATE / 2
    assert right >= 0.85 * of


def test_who_goes_back_or_leaves_something_out_is_followed_there():
    text = f"{TEXTS[0]} {TEXTS[1]} {TEXTS[2]}"
    one, two = (len(spoken_words(part)) for part in TEXTS[:2])
    sound = np.concatenate([read(part, "slt") for part in (TEXTS[0], TEXTS[1], TEXTS[1], TEXTS[2])])
    follower, looks = followed(text, sound, starts=(0, one, one + two))
    places = [place for _, place in looks]
    peak = places.index(one + two)
    back = next(n for n in range(peak, len(places)) if places[n] < one + two - 2)
    assert min(places[back:]) >= one and places[-1] == len(spoken_words(text))
    again = checked(spoken_words(text), follower.said, ()).of("again")
    assert {word.ordinal for word in again} >= set(range(one + 1, one + two - 1))
    short = " ".join(["Each spring the carpenter", *TEXTS[1].split()[7:]])
    follower, looks = followed(TEXTS[1], read(short, "slt"))
    assert looks[-1][1] == two
    gone = {word.ordinal for word in checked(spoken_words(TEXTS[1]), follower.said, ()).of("left out")}
    assert gone and gone <= {3, 4, 5, 6, 7}


def test_a_long_reading_is_followed_with_a_decoder_that_begins_anew(monkeypatch):
    monkeypatch.setattr(following, "RENEWED", 3 * SAMPLE_RATE)
    text = " ".join(TEXTS * 3)
    sound = np.concatenate([read(part, "rms") for part in TEXTS * 3])
    follower, looks = followed(text, sound)
    assert looks[-1][1] == len(spoken_words(text))
    spans = [one.span for one in follower.said]
    assert all(a.start < b.start for a, b in zip(spans, spans[1:], strict=False)) and spans[-1].end <= len(sound)
    assert len(follower._said) < 25


def test_followers_live_in_a_process_that_may_die():
    text, sound = TEXTS[0], read(TEXTS[0], "slt")
    words = [word.text for word in spoken_words(text)]
    packed = pcm.from_integers(pcm.from_floats(sound))
    process = following.Following()

    def feed(key: str):
        return [process.feed(key, packed[at : at + 28_800]) for at in range(0, len(packed), 28_800)][-1]

    try:
        assert feed("a") is None
        assert process.begin("a", words, [0]) and process.begin("b", words, [0])
        place, said = feed("a")
        assert place == len(words) and [one.index for one in said] == list(range(len(words)))
        assert process.feed("b", packed[: 48_000 * 3])[0] < place
        for n in range(following.AT_ONCE):
            assert process.begin(str(n), words, [])
        assert feed("a") is None
        process._helper._process.kill()
        assert feed("1") is None
        assert process.begin("1", words, []) and feed("1")[0] == len(words)
    finally:
        process.close()


def test_without_a_decoder_the_place_goes_by_pace():
    text, pace = TEXTS[2], Pace.starting()
    whole = expected_length(text, pace)
    places = [word_by_pace(text, pace, whole * n // 20) for n in range(23)]
    assert places[0] == 0 and places == sorted(places) and places[-1] == len(text.split())
    assert abs(places[10] - len(text.split()) // 2) <= 1
