"""Lines, slots and pace."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fendo_core.script.lines import EditRefused, Line, add_lines, paragraphs, set_words
from fendo_core.script.pace import expected_length, syllables
from fendo_core.script.slots import SHORTEST, fit, lay_slots, out_of_order, set_end, set_start
from fendo_core.timebase import FRAME_RATES, SAMPLE_RATE, Span

rates = st.sampled_from(FRAME_RATES)
texts = st.text(alphabet="abe io,.?", min_size=1, max_size=60).filter(lambda t: t.strip())


def ids():
    count = iter(range(10_000))
    return lambda: f"new{next(count)}"


@pytest.mark.parametrize(
    ("word", "count"),
    [
        ("tide", 1),
        ("water", 2),
        ("ledger", 2),
        ("asked", 1),
        ("waited", 2),
        ("gates", 1),
        ("table", 2),
        ("1911", 8),
        ("", 0),
    ],
)
def test_syllables_of_known_words(word, count):
    assert syllables(word) == count


@given(texts, texts, st.floats(1.0, 12.0))
def test_more_words_never_take_less_time_and_a_faster_pace_never_more(one, two, pace):
    assert expected_length(f"{one} {two}", pace) >= expected_length(one, pace) - 1
    assert expected_length(one, pace) >= expected_length(one, pace * 1.1)


def test_fit_says_by_how_much():
    text = "Eleven tonnes of elm, moving no faster than a person walks."
    needed = expected_length(text, 4.3)
    assert fit(text, Span(0, needed + SAMPLE_RATE), 4.3).text == "fits, 1.0 s spare"
    assert fit(text, Span(0, needed - SAMPLE_RATE), 4.3).text == "1.0 s over"
    assert fit(text, Span(0, needed - SAMPLE_RATE), 4.3).words_over == 3
    assert fit(text, Span(0, needed), 4.3).words_over == 0
    assert fit(text, Span(0, needed), 4.3).state == "tight"
    assert fit(text, None, 4.3).state == "no slot"
    assert fit("  ", Span(0, 9), 4.3).state == "no words"


@given(st.text(max_size=300))
def test_pasted_text_loses_no_visible_character(text):
    kept = "".join(paragraphs(text))
    visible = [c for c in text if c.isprintable() and not c.isspace()]
    assert [c for c in kept if not c.isspace()] == visible


def test_an_inserted_line_gets_a_letter_and_nobody_is_renumbered():
    new_id = ids()
    lines = add_lines((), None, ["one", "two", "three"], new_id)
    more = add_lines(lines, lines[0].id, ["between", "again"], new_id)
    assert [line.number for line in more] == ["1", "1a", "1b", "2", "3"]
    assert [line.number for line in add_lines(more, None, ["end"], new_id)][-1] == "4"
    again = add_lines(more, more[1].id, ["x"], new_id)
    assert [line.number for line in again] == ["1", "1a", "1c", "1b", "2", "3"]


@given(st.integers(1, 60))
def test_numbers_stay_unique_however_often_lines_are_inserted(count):
    lines = add_lines((), None, ["a", "b"], ids())
    new_id = ids()
    for _ in range(count):
        lines = add_lines(lines, lines[0].id, ["x"], new_id)
    numbers = [line.number for line in lines]
    assert len(set(numbers)) == len(numbers)


@given(rates, st.integers(0, 10**7), st.integers(0, 10**7), texts)
def test_marks_lie_on_frames_and_a_slot_never_runs_backwards(rate, start, end, text):
    lines = (Line("a", "1", text),)
    lines = set_start(lines, "a", start, rate, 4.3)
    assert lines[0].slot.start == rate.snap(start)
    try:
        lines = set_end(lines, "a", end, rate, 4.3)
        assert lines[0].slot.end == rate.snap(end)
    except EditRefused:
        assert rate.snap(end) - lines[0].slot.start < SHORTEST
    moved = set_start(lines, "a", end, rate, 4.3)
    assert moved[0].slot.length >= SHORTEST


@given(rates, st.lists(texts, min_size=1, max_size=20), st.lists(st.integers(20, 400), min_size=1, max_size=8))
def test_laid_slots_follow_one_another_inside_the_picture(rate, words, lengths):
    edges = [0]
    for frames in lengths:
        edges.append(edges[-1] + frames)
    shots = [Span(rate.first_sample(a), rate.first_sample(b)) for a, b in zip(edges, edges[1:], strict=False)]
    lines = add_lines((), None, words, ids())
    laid = lay_slots(lines, shots, rate, 4.3)
    assert all(line.slot is not None for line in laid)
    starts = [line.slot.start for line in laid]
    assert starts == sorted(starts)
    assert all(rate.snap(start) == start for start in starts)
    assert starts[0] >= 0
    assert all(line.slot.start < shots[-1].end for line in laid)
    if sum(max(expected_length(w), SHORTEST) for w in words) < 0.5 * min(s.length for s in shots):
        assert out_of_order(laid) == []


def test_what_cannot_be_laid_says_why():
    rate = FRAME_RATES[2]
    with pytest.raises(EditRefused, match="no picture"):
        lay_slots((Line("a", "1", "words"),), [], rate, 4.3)
    with pytest.raises(EditRefused, match="no words"):
        lay_slots((Line("a", "1", ""),), [Span(0, 99999)], rate, 4.3)
    with pytest.raises(EditRefused, match="no longer in the script"):
        set_words((Line("a", "1", "x", dropped=True),), "a", "y")
    with pytest.raises(EditRefused, match="at most 4000"):
        set_words((Line("a", "1", "x"),), "a", "y" * 4001)
