"""Readings put where old ones sat, made as long as wanted, and put together from words of several."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fendo_core.audio.speech import hear
from fendo_core.polish.length import SHORTEST_PAUSE, Overlap, TooFar, lasting, whole_lasting
from fendo_core.reader import narrator
from fendo_core.script.lines import tokens
from fendo_core.takes.fitting import Fitted, fitted, proposed
from fendo_core.takes.weaving import CantWeave, weave, words_in
from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds
from fendo_core.voice import Comp, Place, Segment, render_whole
from fendo_core.voice.assembly import assembled, retimed, room_tone
from fendo_core.words import read_check

MS = milliseconds(1)


def spans(lengths: list[int], gaps: list[int], start: int) -> list[Span]:
    """Phrases of these lengths with these gaps between them, ms."""
    found, at = [], start
    for length, gap in zip(lengths, [*gaps, 0], strict=True):
        found.append(Span(at, at + length * MS))
        at += (length + gap) * MS
    return found


phrases = st.integers(1, 6).flatmap(
    lambda n: st.tuples(
        st.lists(st.integers(200, 3000), min_size=n, max_size=n),
        st.lists(st.integers(260, 1500), min_size=n - 1, max_size=n - 1),
    )
)


def recorded(own: list[Span], room: float = 1e-4) -> tuple[np.ndarray, Comp]:
    """A recording in which each phrase is a tone of its own pitch, and the comp of its take."""
    sound = np.random.default_rng(1).standard_normal(own[-1].end + SAMPLE_RATE).astype(np.float32) * room
    for n, span in enumerate(own):
        sound[span.start : span.end] += 0.2 * np.sin(np.arange(span.length) * 2 * np.pi * (200 + 40 * n) / SAMPLE_RATE)
    return sound, Comp.of_take("r", Span(0, len(sound)), Span(own[0].start, own[-1].end), 0)


@given(phrases, st.data())
@settings(max_examples=60)
def test_phrases_go_where_the_guides_sit_within_the_bounds_of_stretching_and_nothing_is_lost(made, data):
    lengths, gaps = made
    own = spans(lengths, gaps, SAMPLE_RATE // 2)
    share = data.draw(st.lists(st.floats(0.8, 1.25), min_size=len(own), max_size=len(own)))
    guide = spans([round(a * b) for a, b in zip(lengths, share, strict=True)], [g + 40 for g in gaps], SAMPLE_RATE * 3)
    words = dict(enumerate(own))
    found = proposed(own, guide, words, dict(enumerate(guide)))
    assert [one.own for one in found] == own
    for n, (one, factor) in enumerate(zip(found, share, strict=True)):
        assert abs(one.stretch) <= 0.12 + 1e-3
        # A phrase before it that can't be made short enough may push it on a little.
        pushed = any(before <= 0.885 for before in share[:n])
        if 0.885 < factor < 1.115 and not pushed:
            assert abs(one.over) <= 0.005 * one.own.length + 1 and one.to.start == one.guide.start
    assert all(a.to.end <= b.to.start for a, b in zip(found, found[1:], strict=False))
    comp = fitted(recorded(own)[1], found)
    for one in found:
        place = Place(comp)
        assert place.in_programme("r", one.own.start) == one.to.start
        assert abs(place.in_programme("r", one.own.end - 1) + 1 - one.to.end) <= 1
    stays = proposed(own, guide, words, dict(enumerate(guide)), stay=frozenset({0}))
    assert stays[0].to == own[0] and stays[0].stretch == 0


def test_without_words_phrases_are_matched_by_order_and_length_and_one_may_be_two_of_the_others():
    own = spans([1000, 2600], [300], 0)
    guide = spans([1040, 1200, 1100], [400, 310], SAMPLE_RATE)
    found = proposed(own, guide)
    assert [(one.own, one.guide) for one in found] == [
        (own[0], guide[0]),
        (own[1], Span(guide[1].start, guide[2].end)),
    ]
    # Where the guide has a long pause and the reading none, it is parted at the comma, or else where lengths fit.
    one, words = [Span(0, 3000 * MS)], {n: Span(n * 300 * MS, (n + 1) * 300 * MS) for n in range(10)}
    two = spans([1250, 1750], [1500], SAMPLE_RATE)
    assert [each.own.end for each in proposed(one, two, words, {})] == [1200 * MS, 3000 * MS]
    assert [each.own.end for each in proposed(one, two, words, {}, marks={4})] == [1500 * MS, 3000 * MS]
    with pytest.raises(ValueError, match="nobody is heard"):
        proposed(own, [])


def test_words_that_were_not_recognised_go_with_their_neighbours():
    own, guide = spans([900, 1500, 400], [300, 350], 0), spans([900, 1500, 400], [500, 500], SAMPLE_RATE)
    inner = {n: Span(own[n].start + 200 * MS, own[n].end - 200 * MS) for n in (0, 1)}
    theirs = {n: Span(guide[n].start + 200 * MS, guide[n].end - 200 * MS) for n in (0, 1)}
    found = proposed(own, guide, inner, theirs)
    assert found[0].own.start == own[0].start and found[-1].own.end == own[-1].end
    assert [one.to.start for one in found] == [guide[0].start, guide[1].start]


def test_the_sound_is_where_the_fit_says_and_a_moved_phrase_keeps_every_sample():
    own = spans([700, 900], [300], SAMPLE_RATE // 2)
    sound, comp = recorded(own)
    guide = [own[0].shifted(2 * SAMPLE_RATE), Span(own[1].start + 96_000 + 9600, own[1].start + 96_000 + 9600 + 47_520)]
    found = proposed(own, guide)
    assert found[0].stretch == 0 and found[1].stretch == pytest.approx(0.1)

    def read(name: str, start: int, end: int) -> np.ndarray:
        return sound[start:end]

    tone = room_tone("r", Span(0, len(sound)), own, read)
    assert tone and not any(tone.span.meets(phrase) for phrase in own)
    made = fitted(comp, found, tone)
    out = render_whole(made, read)
    first = found[0].to.start - made.at
    assert np.array_equal(out[first : first + own[0].length], sound[own[0].start : own[0].end])
    heard = [span.shifted(made.at) for span in hear(np.pad(out, SAMPLE_RATE)).phrases]
    loud = np.flatnonzero(np.abs(out) > 0.1) + made.at
    assert abs(loud[-1] - found[1].to.end) < 20 * MS and len(heard) <= 2
    hole = out[found[0].to.end - made.at + 500 * MS : found[1].to.start - made.at - 400 * MS]
    assert not len(hole) or 0.3e-4 < np.sqrt(np.mean(hole**2)) < 3e-4


@given(phrases, st.floats(0.7, 1.5))
@settings(max_examples=150)
def test_a_reading_lasts_as_long_as_wanted_to_the_sample_or_it_is_said_what_lacks(made, factor):
    own = spans(*made, SAMPLE_RATE)
    now = own[-1].end - own[0].start
    wanted = round(now * factor)
    try:
        found = lasting(own, wanted)
    except TooFar as error:
        assert "faster" in str(error) if factor < 1 else "slower" in str(error)
        return
    to = [one.to for one in found.phrases]
    assert to[0].start == own[0].start and to[-1].end - to[0].start == wanted
    assert all(abs(one.stretch) <= 0.0601 + 2 / one.own.length for one in found.phrases)
    for a, b, gap in zip(to, to[1:], made[1], strict=False):
        assert b.start - a.end >= min(gap * MS, SHORTEST_PAUSE) - 2
    comp = fitted(recorded(own)[1], found.phrases)
    place = Place(comp)
    begin, end = place.in_programme("r", own[0].start), place.in_programme("r", own[-1].end - 1)
    assert begin == own[0].start and abs(end + 1 - begin - wanted) <= 1


@given(
    st.lists(phrases, min_size=2, max_size=5),
    st.lists(st.integers(200, 3_000), min_size=5, max_size=5),
    st.floats(0.85, 1.25),
)
@settings(max_examples=100)
def test_all_lines_together_last_as_long_as_wanted_to_the_sample(made, apart, factor):
    readings, at = [], SAMPLE_RATE
    for one, pause in zip(made, apart, strict=False):
        own = spans(*one, at)
        readings.append(own)
        at = own[-1].end + pause * MS
    now = readings[-1][-1].end - readings[0][0].start
    wanted = round(now * factor)
    try:
        found, parts = whole_lasting(readings, wanted)
    except TooFar:
        return
    assert [len(part) for part in parts] == [len(reading) for reading in readings]
    to = [one.to for part in parts for one in part]
    assert to[0].start == readings[0][0].start and to[-1].end - to[0].start == wanted
    assert all(b.start >= a.end for a, b in pairwise(to))
    assert [one.own for part in parts for one in part] == [span for reading in readings for span in reading]
    assert abs(found.stretch) <= 0.0601


def test_lines_that_are_read_at_once_are_named():
    one, other = [Span(0, 48_000)], [Span(40_000, 90_000)]
    with pytest.raises(Overlap) as found:
        whole_lasting([one, other], 80_000)
    assert (found.value.first, found.value.second) == (0, 1)


def test_a_stretch_of_nothing_changes_nothing():
    comp = Comp(480, (Segment("a", Span(100, 9000), fade_out=960), Segment("b", Span(0, 5000), 8000, fade_in=900)))
    assert retimed(comp, [(0, 0), (4000, 4000), (comp.length, comp.length)]) == comp
    longer = retimed(comp, [(0, 0), (4000, 4400), (comp.length, comp.length + 400)])
    assert longer.length == comp.length + 400
    assert longer.segments[0].comp_at(4100) == 4400 and longer.segments[1] == Segment("b", Span(0, 5000), 8400, fade_in=900)
    again = retimed(longer, [(0, 0), (4400, 4000), (longer.length, comp.length)])
    assert again.segments[0].comp_at(4100) == 4000 and again.length == comp.length
    with pytest.raises(ValueError, match="rise"):
        retimed(comp, [(0, 0), (10, 0), (comp.length, 20)])
    with pytest.raises(ValueError, match="hidden"):
        assembled([comp, Comp(480, (Segment("c", Span(0, 99)),))])


TEXTS = (
    "The heron waits below the weir, and the whole valley waits with it.",
    "Each spring, before the first boats came, the carpenter replaced three paddles of the wheel.",
    "Orsey kept its own clock, and nobody in the town could say who wound it.",
)


@pytest.mark.parametrize("voice", narrator.VOICES)
def test_words_out_of_another_reading_make_a_reading_whole_that_lacked_them(voice):
    whole = 0
    for number, text in enumerate(TEXTS):
        page = tokens(text)
        out = 4 + number
        lacks = narrator.read(" ".join(page[:out] + page[out + 1 :]), 5 + number, voice).samples
        good = narrator.read(text, 50 + number, voice).samples
        sounds = {"a": lacks, "b": good}

        def read(name: str, start: int, end: int, sounds=sounds) -> np.ndarray:
            return sounds[name][start:end]

        comps, checks = {}, {}
        for name, sound in sounds.items():
            heard = hear(sound)
            checks[name] = read_check(text, sound, heard.phrases)
            comps[name] = Comp.of_take(name, Span(0, len(sound)), heard.speech, 0 if name == "a" else 7 * SAMPLE_RATE)
        words = {name: words_in(comps[name], checks) for name in comps}
        assert out not in words["a"] and out in words["b"]
        woven = weave(comps["a"], words["a"], comps["b"], words["b"], out - 1, out + 1, read)
        assert [segment.recording for segment in woven.comp.segments] == ["a", "b", "a"]
        # What comes before stays, and what follows moves by what the words last.
        first, last = min(words["a"]), max(words["a"])
        now = words_in(woven.comp, checks)
        assert now[first] == words["a"][first] and now[last].start == words["a"][last].start + woven.later
        assert woven.later > milliseconds(80)
        sound = np.pad(render_whole(woven.comp, read), SAMPLE_RATE // 2)
        whole += read_check(text, sound, hear(sound).phrases).fine
    assert whole >= 2


def test_words_that_are_not_there_are_refused():
    sound, comp = recorded(spans([400, 400], [300], SAMPLE_RATE))
    words = {0: Span(48_000, 60_000), 1: Span(81_600, 90_000)}

    def read(name: str, start: int, end: int) -> np.ndarray:
        return sound[start:end]

    with pytest.raises(CantWeave, match="not heard"):
        weave(comp, words, comp, {0: words[0]}, 1, 1, read)
    with pytest.raises(CantWeave, match="Nothing of the reading"):
        weave(comp, words, comp, words, 0, 1, read)


def test_a_fit_of_a_phrase_that_does_not_sound_is_refused():
    _, comp = recorded(spans([400], [], SAMPLE_RATE))
    far = Span(comp.span.end + 10, comp.span.end + 400)
    with pytest.raises(ValueError, match="outside"):
        fitted(comp, [Fitted(far, far, far)])
