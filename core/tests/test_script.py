"""Lines, slots and pace."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fendo_core.script.lines import (
    EditRefused,
    Line,
    Wanted,
    add_lines,
    drop_line,
    join,
    paragraphs,
    renumber,
    replace_words,
    search,
    set_notes,
    set_reader,
    set_stress,
    set_wanted_length,
    set_wild,
    set_words,
    split_at,
    split_long,
    tokens,
)
from fendo_core.script.pace import Pace, expected_length
from fendo_core.script.pronunciation import hints, set_saying
from fendo_core.script.slots import SHORTEST, fit, lay_slots, mend, out_of_order, set_end, set_start, spread
from fendo_core.script.syllables import syllables
from fendo_core.timebase import FRAME_RATES, SAMPLE_RATE, Span

rates = st.sampled_from(FRAME_RATES)
texts = st.text(alphabet="abe io,.?", min_size=1, max_size=60).filter(lambda t: t.strip())


CALM = Pace.starting()


def need(line):
    return expected_length(line.text, CALM)


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
    slow, quick = Pace.starting(pace), Pace.starting(pace * 1.1)
    assert expected_length(f"{one} and {two}", slow) >= max(expected_length(one, slow), expected_length(two, slow))
    assert expected_length(one, slow) >= expected_length(one, quick)


def test_fit_says_by_how_much():
    text = "Eleven tonnes of elm, moving no faster than a person walks."
    needed = expected_length(text, CALM)
    assert fit(text, Span(0, needed + SAMPLE_RATE), CALM).text == "fits, 1.0 s spare"
    assert fit(text, Span(0, needed - SAMPLE_RATE), CALM).text == "1.0 s over"
    assert fit(text, Span(0, needed - SAMPLE_RATE), CALM).words_over == 3
    assert fit(text, Span(0, needed), CALM).words_over == 0
    assert fit(text, Span(0, needed), CALM).state == "tight"
    assert fit(text, None, CALM).state == "no slot"
    assert fit("  ", Span(0, 9), CALM).state == "no words"


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
    lines = set_start(lines, "a", start, rate, need)
    assert lines[0].slot.start == rate.snap(start) and lines[0].slot.end == rate.snap(lines[0].slot.end)
    try:
        lines = set_end(lines, "a", end, rate, need)
        assert lines[0].slot.end == rate.snap(end)
    except EditRefused:
        assert rate.snap(end) - lines[0].slot.start < SHORTEST
    moved = set_start(lines, "a", end, rate, need)
    assert moved[0].slot.length >= SHORTEST


@given(rates, st.lists(texts, min_size=1, max_size=20), st.lists(st.integers(20, 400), min_size=1, max_size=8))
def test_laid_slots_follow_one_another_inside_the_picture(rate, words, lengths):
    edges = [0]
    for frames in lengths:
        edges.append(edges[-1] + frames)
    shots = [Span(rate.first_sample(a), rate.first_sample(b)) for a, b in zip(edges, edges[1:], strict=False)]
    lines = add_lines((), None, words, ids())
    laid = lay_slots(lines, shots, rate, need)
    assert all(line.slot is not None for line in laid)
    starts = [line.slot.start for line in laid]
    assert starts == sorted(starts)
    assert all(rate.snap(start) == start for start in starts)
    assert starts[0] >= 0
    assert all(line.slot.start < shots[-1].end for line in laid)
    if sum(max(expected_length(w, CALM), SHORTEST) for w in words) < 0.5 * min(s.length for s in shots):
        assert out_of_order(laid) == []


def test_what_cannot_be_laid_says_why():
    rate = FRAME_RATES[2]
    with pytest.raises(EditRefused, match="no picture"):
        lay_slots((Line("a", "1", "words"),), [], rate, need)
    with pytest.raises(EditRefused, match="no words"):
        lay_slots((Line("a", "1", ""),), [Span(0, 99999)], rate, need)
    with pytest.raises(EditRefused, match="no longer in the script"):
        set_words((Line("a", "1", "x", dropped=True),), "a", "y")
    with pytest.raises(EditRefused, match="at most 4000"):
        set_words((Line("a", "1", "x"),), "a", "y" * 4001)


RATE = FRAME_RATES[2]


def length_of(text):
    return max(1, expected_length(text, CALM))


def numbers(lines):
    return [line.number for line in lines if not line.dropped]


@given(rates, st.lists(texts, min_size=2, max_size=6), st.integers(0, 300), st.integers(0, 10**6), st.integers(1, 200))
def test_parting_and_joining_give_the_same_line_again(rate, words, at, start, frames):
    text = " ".join(" ".join(words).split())
    first = rate.frame_at(start)
    slot = Span(rate.first_sample(first), rate.first_sample(first + frames))
    lines = (Line("a", "7", text, slot, stress=(0, len(tokens(text)) - 1)), Line("b", "8", "More."))
    try:
        parted = split_at(lines, "a", at, (), rate, length_of, ids())
    except EditRefused:
        assert not text[:at].strip() or not text[at:].strip()
        return
    assert numbers(parted) == ["7", "7a", "8"]
    one, two = parted[0], parted[1]
    assert one.slot.start == slot.start and (two.slot.end if two.slot else one.slot.end) == slot.end
    if two.slot:
        assert one.slot.end == two.slot.start == rate.snap(two.slot.start)
    again = join(parted, "a", ())
    assert again[0].slot == slot
    if text[at - 1 : at].isspace() or text[at : at + 1].isspace():
        assert (again[0].text, again[0].stress) == (text, lines[0].stress)
    assert "".join(again[0].text.split()) == "".join(text.split())
    wild = replace(lines[0], slot=None, wild=True, wanted_length=SAMPLE_RATE + start)
    parts = split_at((wild,), "a", at, (), rate, length_of, ids())
    assert join(parts, "a", ())[0].wanted_length == SAMPLE_RATE + start


def test_long_lines_are_parted_but_not_recorded_ones():
    text = "The sea comes up the creek. It fills the pond behind the wall, and waits there for the keeper to come."
    lines = (Line("a", "1", text, Span(0, 480_000), reader="r"), Line("b", "2", text), Line("c", "3", "Short."))
    made = split_long(lines, 60, {"b"}, RATE, length_of, ids())
    assert numbers(made) == ["1", "1a", "1b", "2", "3"]
    assert [line.reader for line in made[:3]] == ["r"] * 3 and made[2].slot.end == 480_000
    assert " ".join(line.text for line in made[:3]) == text
    with pytest.raises(EditRefused, match="nothing to part"):
        split_long(made, 200, (), RATE, length_of, ids())
    assert numbers(split_long((Line("a", "4", text),), 60, (), RATE, length_of, ids())) == ["4", "5", "6"]


def test_lines_that_cannot_be_joined_say_why():
    lines = (Line("a", "1", "One."), Line("b", "2", "Two.", reader="r"), Line("c", "3", "Three."))
    with pytest.raises(EditRefused, match="two readers"):
        join(lines, "a", ())
    with pytest.raises(EditRefused, match="has takes"):
        join(lines, "b", {"c"})
    with pytest.raises(EditRefused, match="last one"):
        join(lines, "c", ())
    noted = (Line("a", "1", "One.", notes="calm"), Line("x", "9", "", dropped=True), Line("b", "2", "Two.", notes="quick"))
    joined = join(noted, "a", ())
    assert (joined[0].text, joined[0].notes, numbers(joined)) == ("One. Two.", "calm\nquick", ["1"])


@given(st.lists(st.tuples(st.booleans(), st.booleans()), min_size=1, max_size=40), st.integers(1, 5))
def test_numbering_keeps_what_is_recorded_and_counts_the_rest(rows, step):
    lines = tuple(Line(f"l{n}", str(step * (n + 1)), "x", dropped=drop) for n, (drop, _) in enumerate(rows))
    recorded = {f"l{n}" for n, (_, taken) in enumerate(rows) if taken}
    try:
        made = renumber(lines, recorded)
    except EditRefused:
        assert all(drop for drop, _ in rows)
        return
    kept = [line.number for line in made if not line.dropped or line.id in recorded]
    assert len(set(kept)) == len(kept)
    for old, new in zip(lines, made, strict=True):
        if old.id in recorded:
            assert old.number == new.number
    whole = [int(line.number) for line in made if line.number.isdigit() and not line.dropped]
    assert whole == sorted(whole)
    if not recorded:
        assert numbers(made) == [str(n + 1) for n in range(len(numbers(made)))]


def test_a_line_forgotten_gets_a_letter_and_numbering_leaves_the_recorded_ones():
    lines = (Line("a", "7", "x"), Line("n", "7a", "new"), Line("b", "8", "y"), Line("c", "12", "z"))
    assert numbers(renumber(lines, {"a", "b"})) == ["7", "7a", "8", "9"]
    assert numbers(renumber(lines, {"a"})) == ["7", "8", "9", "10"]
    assert numbers(renumber(lines, ())) == ["1", "2", "3", "4"]


def test_words_are_found_and_replaced_as_they_stand():
    lines = (Line("a", "1", "The mill’s Mill, milling."), Line("b", "2", "A  wheel."), Line("c", "3", "mill", dropped=True))
    assert search(lines, Wanted("mill")) == {"a": [(4, 8), (11, 15), (17, 21)]}
    assert search(lines, Wanted("mill", whole_words=True)) == {"a": [(4, 8), (11, 15)]}
    assert search(lines, Wanted("Mill", match_case=True)) == {"a": [(11, 15)]}
    assert search(lines, Wanted("mill's")) == {"a": [(4, 10)]}
    made, count = replace_words(lines, Wanted("mill", whole_words=True), r"\1 works")
    assert (made[0].text, count) == (r"The \1 works’s \1 works, milling.", 2)
    with pytest.raises(EditRefused, match="stands nowhere"):
        replace_words(lines, Wanted("sail"), "x")
    with pytest.raises(EditRefused, match="Type what"):
        search(lines, Wanted("  "))
    with pytest.raises(EditRefused, match="at most 4000"):
        replace_words(lines, Wanted("l"), "y" * 4000)


@given(
    st.lists(st.sampled_from(["oak", "elm", "ash"]), min_size=1, max_size=12),
    st.sets(st.integers(0, 15)),
    st.integers(0, 12),
)
def test_stress_stays_on_its_words_when_others_come_or_go(words, stress, at):
    lines = set_stress((Line("a", "1", " ".join(words)),), "a", stress)
    marked = [words[n] for n in lines[0].stress]
    assert set(lines[0].stress) == {n for n in stress if n < len(words)}
    at = min(at, len(words))
    more = set_words(lines, "a", " ".join([*words[:at], "NEW", *words[at:]]))
    assert [tokens(more[0].text)[n] for n in more[0].stress] == marked
    assert set_words(lines, "a", "other words")[0].stress == ()


def test_notes_readers_and_wild_lines():
    lines = (Line("a", "1", "x", Span(0, 9600)), Line("b", "2", "y"))
    assert set_notes(lines, "a", " slow \n\n warm ")[0].notes == "slow\nwarm"
    with pytest.raises(EditRefused, match="at most 2000"):
        set_notes(lines, "a", "z" * 2001)
    assert [line.reader for line in set_reader(lines, ["b"], "r")] == [None, "r"]
    wild = set_wild(lines, "a", True)
    assert wild[0].slot is None and fit("x", None, CALM, wild=True).state == "wild"
    assert not set_start(wild, "a", 0, RATE, need)[0].wild
    with pytest.raises(EditRefused, match="lasts as long as its slot"):
        set_wanted_length(lines, "a", 480_000)
    with pytest.raises(EditRefused, match=r"0\.2 s to four hours"):
        set_wanted_length(lines, "b", 10)
    wanted = set_wanted_length(lines, "b", 480_000)[1]
    assert wanted.wild and set_wanted_length((wanted,), "b", None) == (replace(wanted, wanted_length=None),)
    told = fit("x", None, CALM, wild=True, wanted=480_000)
    assert (told.state, told.spare) == ("fits", 480_000 - told.needed)
    assert fit("x", None, CALM, wild=True, wanted=9_600).words_over == 1
    with pytest.raises(EditRefused, match="or is wild"):
        spread(set_wild(wild, "b", True), 480_000, RATE, need)


@given(rates, st.lists(st.one_of(st.none(), st.tuples(st.integers(0, 900), st.integers(5, 200))), min_size=1, max_size=14))
def test_what_crosses_is_mended_and_nothing_else_is_touched(rate, slots):
    def span(first, frames):
        return Span(rate.first_sample(first), rate.first_sample(first + frames))

    lines = tuple(Line(f"l{n}", str(n), "x", slot and span(*slot)) for n, slot in enumerate(slots))
    try:
        mended = mend(lines, rate)
    except EditRefused:
        assert out_of_order(lines) == []
        return
    assert out_of_order(mended) == [] and sorted(line.id for line in mended) == sorted(line.id for line in lines)
    for line in mended:
        assert (line.slot is None) == (next(old for old in lines if old.id == line.id).slot is None)
        if line.slot:
            assert line.slot.length > 0
            assert all(rate.snap(at) == at for at in (line.slot.start, line.slot.end))
    with pytest.raises(EditRefused, match="in order already"):
        mend(mended, rate)


@given(rates, st.lists(st.booleans(), min_size=1, max_size=12))
def test_lines_without_a_slot_are_spread_over_the_holes(rate, placed):
    second = round(SAMPLE_RATE)
    lines = tuple(
        Line(
            f"l{n}",
            str(n),
            "a few words",
            Span(rate.snap(n * 5 * second), rate.snap(n * 5 * second + second)) if there else None,
        )
        for n, there in enumerate(placed)
    )
    if all(placed):
        with pytest.raises(EditRefused, match="has a slot already"):
            spread(lines, 60 * second, rate, need)
        return
    made = spread(lines, 5 * len(placed) * second + second, rate, need)
    assert out_of_order(made) == []
    assert all(line.slot for line in made)
    assert [new.slot for new, old in zip(made, lines, strict=True) if old.slot] == [old.slot for old in lines if old.slot]
    full = (replace(lines[0], slot=Span(0, 4800)), Line("x", "2", "no room"), Line("y", "3", "z", Span(4800, 9600)))
    with pytest.raises(EditRefused, match="no room"):
        spread(full, 9600, RATE, need)


def test_pronunciations_stand_at_their_words():
    list_ = set_saying(set_saying({}, "Orsey", "OR-zee"), "tide  mill", "one word")
    text = "Orsey's tide mill, the ORSEYS; Orseyville."
    assert [(text[a:b], said) for a, b, said in hints(text, list_)] == [
        ("Orsey", "OR-zee"),
        ("tide mill", "one word"),
        ("ORSEY", "OR-zee"),
    ]
    assert set_saying(list_, "ORSEY", "") == {"tide mill": ("tide mill", "one word")}
    assert hints(text, {}) == []
    with pytest.raises(EditRefused, match="Type the word"):
        set_saying({}, " ", "x")


def test_a_dropped_line_gives_its_number_up_only_while_nobody_read_it():
    lines = drop_line((Line("a", "1", "x"), Line("b", "2", "y"), Line("c", "3", "z")), "a")
    assert numbers(renumber(lines, ())) == ["1", "2"]
    assert numbers(renumber(lines, {"a"})) == ["2", "3"]
    more = (Line("a", "1", "x"), Line("gone", "1a", "y", dropped=True), Line("b", "2", "z"))
    assert numbers(add_lines(more, "a", ["new"], ids())) == ["1", "1a", "2"]
    assert numbers(add_lines(more, "a", ["new"], ids(), {"gone"})) == ["1", "1b", "2"]
