"""Edits are taken back exactly, whatever they were and in whatever order."""

from dataclasses import replace
from fractions import Fraction

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fendo_core.picture.laid import LaidSound, parted
from fendo_core.picture.reel import Clip, Source
from fendo_core.picture.shots import Shot
from fendo_core.production import edits
from fendo_core.production.refusal import EditRefused
from fendo_core.production.state import (
    SCRATCH,
    Difference,
    LineComp,
    State,
    TakeNote,
    TakeRef,
    conflicts,
    difference,
    rows,
)
from fendo_core.script.lines import Line
from fendo_core.takes.edits import MARKS
from fendo_core.takes.standing import silenced, standing
from fendo_core.timebase import FrameRate, Span
from fendo_core.voice import Comp, Segment

COMP = Comp(4_000, (Segment("r1", Span(0, 9_000)), Segment("r2", Span(0, 9_000), 9_000)))
START = State(
    lines=(
        Line("a", "1", "first words", Span(0, 96_000)),
        Line("b", "2", "second"),
        Line("c", "3", "third", Span(10**5, 10**6)),
    ),
    picks={"a": "t1"},
    aside=frozenset({"t3"}),
    clips=(Clip("p", 300, "film", 100), Clip("q", 50), Clip("r", 75, "still", name="gate")),
    laid=(LaidSound("m", "film", Span(48_000, 96_000), 5_000),),
    sources={
        "film": Source(
            "film", "mill.mp4", frames=500, shots=(Shot(Span(0, 480_000)), Shot(Span(480_000, 960_000), "gates"))
        ),
        "still": Source("still", "gate.png", "still"),
        "slides": Source("slides", "knots.pdf", "slides", pages=4),
    },
    sounds={"film": 960_000},
    rate=FrameRate(Fraction(25)),
    takes={
        "a": (TakeRef("t1", "r1", "", 1, 4_000), TakeRef("t2", "r2", "", 2, 9_000, True, True)),
        "c": (TakeRef("t3", "r3", "", 1, 90_000),),
    },
    places={"t3": 95_000},
    comps=(
        LineComp(
            "k1", "a", "", "takes 1 + 2", Comp(4_000, (Segment("r1", Span(0, 9_000)), Segment("r2", Span(0, 9_000), 9_000)))
        ),
    ),
    lengths={"r1": 20_000, "r2": 20_000},
    readers={"r1": "Anne"},
)
clips = st.sampled_from(["p", "q", "r", "gone"])
line_ids = st.sampled_from(["a", "b", "c", "gone"])
takes = st.sampled_from(["t1", "t2", "t3"])
voices = st.sampled_from(["t1", "t2", "t3", "k1", "gone"])
positions = st.integers(0, 900_000)
shown = st.builds(edits.Shown, st.none() | st.sampled_from(["film", "still", "slides"]), st.integers(0, 4), positions)
any_edit = st.one_of(
    st.builds(edits.SetWords, line_ids, st.text(max_size=30)),
    st.builds(edits.AddLines, st.text(alphabet="xy\n ", min_size=1, max_size=20), st.none() | line_ids),
    st.builds(edits.NewLine, st.none() | line_ids, st.none() | st.just(Span(4_800, 99_999))),
    st.builds(edits.DropLine, line_ids),
    st.builds(edits.MoveLine, line_ids, st.none() | line_ids),
    st.builds(edits.SetSlotStart, line_ids, positions),
    st.builds(edits.SetSlotEnd, line_ids, positions),
    st.builds(edits.SetSlot, line_ids, st.none() | st.just(Span(4800, 99_999))),
    st.builds(edits.LaySlots, st.booleans()),
    st.builds(edits.Pick, line_ids, st.none() | takes),
    st.builds(edits.PickProvisional, st.none() | st.just(("a", "c"))),
    st.builds(edits.MoveVoice, voices, st.integers(-90_000, 90_000)),
    st.builds(edits.MoveEnd, voices, st.sampled_from(["first", "last"]), positions),
    st.builds(edits.MoveVoices, st.lists(st.tuples(voices, st.integers(-9_000, 9_000)), max_size=3).map(tuple)),
    st.builds(edits.PlaceVoice, voices, st.none() | st.just("00:00:02:05")),
    st.builds(
        edits.AddComp,
        st.just("a"),
        st.just(""),
        st.just("takes 1 + 2"),
        st.just(COMP),
        st.just("t1"),
        silences=st.booleans(),
    ),
    st.builds(edits.MoveSeam, voices, st.integers(0, 1), st.integers(0, 30_000)),
    st.builds(edits.TakeApart, voices),
    st.builds(edits.SetAside, takes, st.booleans()),
    st.builds(edits.NoteTake, takes, st.none() | st.sampled_from([*MARKS, "fine"]), st.none() | st.text(max_size=20)),
    st.builds(edits.AddClips, st.tuples(shown), st.none() | positions, st.booleans()),
    st.builds(edits.SplitClip, positions),
    st.builds(edits.TrimClip, clips, st.sampled_from(["start", "end"]), positions, st.booleans(), st.booleans()),
    st.builds(edits.DropClip, clips, st.booleans(), st.booleans()),
    st.builds(edits.MoveClip, clips, st.none() | clips, st.booleans()),
    st.builds(edits.FillClip, clips, shown, st.integers(0, 960_000)),
    st.builds(edits.SetClip, clips, st.none() | st.text(max_size=9), st.none() | st.just("sea"), st.just("full")),
    st.builds(edits.LaySound, st.sampled_from(["film", "still"]), positions, st.booleans()),
    st.builds(edits.SetSound, st.just("m"), st.none() | st.just(Span(50_000, 96_000)), st.just("left"), st.floats(-9, 30)),
    st.builds(edits.DropSound, st.just("m")),
    st.builds(edits.SplitLine, line_ids, st.integers(0, 14)),
    st.builds(edits.SplitLong, st.integers(18, 40)),
    st.builds(edits.JoinLines, line_ids),
    st.just(edits.Renumber()),
    st.builds(edits.ReplaceWords, st.sampled_from(["s", "words", "nowhere"]), st.text(max_size=4)),
    st.builds(edits.SetNotes, line_ids, st.text(max_size=20)),
    st.builds(edits.SetStress, line_ids, st.tuples(st.integers(0, 4))),
    st.builds(edits.SetReader, st.tuples(line_ids), st.none() | st.sampled_from(["r1", "nobody"])),
    st.builds(edits.SetWild, line_ids, st.booleans()),
    st.builds(edits.SetSilences, line_ids, st.booleans()),
    st.builds(edits.SetSaying, st.sampled_from(["third", " ", "Second"]), st.text(max_size=5)),
    st.just(edits.SpreadSlots()),
    st.just(edits.MendSlots()),
    st.builds(edits.PartShot, positions),
    st.builds(edits.JoinShots, positions),
    st.builds(edits.NameShot, positions, st.text(max_size=90)),
)


def write(store: dict, change: Difference) -> dict:
    """What the database does with a difference, on a plain dict."""
    after = {**store, **change.after}
    return {key: row for key, row in after.items() if row is not None}


@settings(max_examples=200)
@given(st.lists(any_edit, max_size=12))
def test_undoing_every_edit_brings_back_every_row(wanted):
    count = iter(range(1000))
    state, store, done = START, rows(START), []
    for edit in wanted:
        try:
            after, label = edits.perform(state, edit, lambda: f"n{next(count)}")
        except EditRefused:
            continue
        assert label
        change = difference(state, after)
        store = write(store, change)
        assert store == rows(after)
        done.append(change)
        state = after
    for change in reversed(done):
        store = write(store, change.reversed)
    assert store == rows(START)
    for change in done:
        store = write(store, change)
    assert store == rows(state)


def test_a_refused_edit_says_why_and_picks_are_not_set_aside():
    with pytest.raises(EditRefused, match="picked take can't be set aside"):
        edits.perform(START, edits.SetAside("t1", True), str)
    with pytest.raises(EditRefused, match="no longer in the script"):
        edits.perform(START, edits.Pick("gone", "t1"), str)


def test_picking_a_take_that_was_set_aside_brings_it_back():
    after, _ = edits.perform(START, edits.Pick("c", "t3"), str)
    assert after.picks["c"] == "t3"
    assert "t3" not in after.aside


def test_two_people_collide_only_on_the_same_rows():
    mine = difference(START, edits.perform(START, edits.SetWords("a", "mine"), str)[0]).touched
    theirs = difference(START, edits.perform(START, edits.SetWords("b", "theirs"), str)[0]).touched
    assert conflicts(mine, [theirs]) == frozenset()
    assert conflicts(mine, [theirs, mine]) == {"line:a"}
    added = difference(START, edits.perform(START, edits.AddLines("x"), lambda: "n")[0]).touched
    assert conflicts(added, [{"order", "line:m"}]) == frozenset()


def sounds(state, line):
    found = standing(state, next(each for each in state.lines if each.id == line))
    return found and (found.voice, found.provisional)


def test_a_line_without_a_pick_sounds_with_the_take_to_try_first_and_a_joined_pick_up_stands_joined():
    bare = replace(START, picks={}, aside=frozenset())
    assert (sounds(bare, "a"), sounds(bare, "b"), sounds(bare, "c")) == (("k1", True), None, ("t3", True))
    assert sounds(replace(bare, aside=frozenset({"t2"})), "a") == ("k1", True)
    assert sounds(replace(bare, comps=()), "a") == ("t1", True), "a pick-up alone is a part of the line"
    silent = tuple(take._replace(sounds=take.id != "t2") for take in bare.takes["a"])
    assert sounds(replace(bare, comps=(), takes={"a": silent}), "a") == ("t1", True)
    assert sounds(START, "c") is None, "its only take was set aside"
    picked, label = edits.perform(bare, edits.PickProvisional(), str)
    assert (picked.picks, label) == ({"a": "k1", "c": "t3"}, "2 picks")
    assert edits.perform(bare, edits.Pick("a", "t2"), str)[0].picks == {"a": "k1"}
    with pytest.raises(EditRefused, match="nothing to pick"):
        edits.perform(picked, edits.PickProvisional(), str)


@given(
    st.lists(
        st.builds(
            lambda **known: TakeRef("", "", "", start=48_000, last=96_000, **known),
            sounds=st.sampled_from([True, True, False]),
            speaks=st.integers(0, 30_000),
            ends=st.integers(40_000, 96_000),
            whole=st.booleans(),
            amiss=st.sampled_from([None, 0, 2]),
            clipped=st.integers(0, 1),
            level=st.integers(0, 1),
        ),
        max_size=5,
    ),
    st.sets(st.integers(0, 4)),
    st.sets(st.integers(0, 4)),
)
def test_what_sounds_unpicked_is_the_best_of_what_may_sound(found, aside, scratch):
    takes = tuple(take._replace(id=f"n{n}", recording=f"r{n}", number=n + 1) for n, take in enumerate(found))
    line = replace(START.lines[0], id="n", slot=Span(48_000, 130_000))
    notes = {f"n{n}": TakeNote(SCRATCH) for n in scratch}
    state = State(lines=(line,), takes={"n": takes}, aside=frozenset(f"n{n}" for n in aside), notes=notes)
    stands = sounds(state, "n")
    usable = [take for n, take in enumerate(takes) if take.sounds and n not in aside]
    assert (stands is None) == (not usable)
    if stands:
        chosen = next(take for take in usable if take.id == stands[0])
        real = [take for n, take in enumerate(takes) if take in usable and n not in scratch]
        assert chosen in (real or usable)
        for other in real or usable:
            worse = (not chosen.whole, chosen.amiss or 0, chosen.clipped) > (
                not other.whole,
                other.amiss or 0,
                other.clipped,
            )
            assert not worse, (chosen, other)
        # Wherever it is put, it goes on sounding.
        for by in (-24_000, 96_000):
            assert sounds(edits.perform(state, edits.MoveVoice(chosen.id, by), str)[0], "n") == stands
        # To hear another take, one picks it.
        assert sounds(replace(state, picks={"n": usable[-1].id}), "n") == (usable[-1].id, False)


def test_what_mends_the_pick_is_picked_and_taken_apart_it_is_none():
    joined, _ = edits.perform(START, edits.AddComp("a", "", "takes 1 + 2", START.comps[0].comp, "t1"), lambda: "k2")
    assert joined.picks["a"] == "k2" and sounds(joined, "a") == ("k2", False)
    apart, label = edits.perform(joined, edits.TakeApart("k2"), str)
    assert (apart.comps, apart.picks, label) == (START.comps, {}, "takes 1 + 2 separated")
    kept, _ = edits.perform(START, edits.AddComp("a", "", "takes 1 + 2", START.comps[0].comp, "t2"), lambda: "k2")
    assert kept.picks["a"] == "t1", "what was picked by hand stays picked"


def test_moving_one_reading_moves_no_other():
    moved, _ = edits.perform(START, edits.MoveVoice("t1", 480), str)
    assert moved.places == {**START.places, "t1": 4_480} and moved.comps == START.comps
    back, _ = edits.perform(moved, edits.MoveVoice("t1", -480), str)
    assert back == START
    comp, _ = edits.perform(START, edits.MoveVoice("k1", -960), str)
    assert comp.comps[0].comp.at == 3_040 and comp.places == START.places
    with pytest.raises(EditRefused, match="more than a day"):
        edits.perform(START, edits.MoveVoice("k1", 10**12), str)
    with pytest.raises(EditRefused, match="no longer there"):
        edits.perform(START, edits.MoveVoice("gone", 1), str)


def test_a_seam_is_moved_within_what_was_recorded():
    moved, _ = edits.perform(START, edits.MoveSeam("k1", 0, 10_000), str)
    one, other = moved.comps[0].comp.segments
    assert (one.source, other.source, other.at) == (Span(0, 10_000), Span(1_000, 9_000), 10_000)
    with pytest.raises(EditRefused, match="no more sound"):
        edits.perform(START, edits.MoveSeam("k1", 0, 8_000), str)


def test_the_first_word_is_put_on_the_slot_or_at_a_timecode():
    world = replace(START, takes={"a": tuple(take._replace(speaks=1_500) for take in START.takes["a"])}, start_frame=90_000)
    at = lambda state: state.places.get("t1", 4_000) + 1_500  # noqa: E731
    assert at(edits.perform(world, edits.PlaceVoice("t1"), str)[0]) == 0
    assert at(edits.perform(world, edits.PlaceVoice("t1", "01:00:02:05"), str)[0]) == 2 * 48_000 + 5 * 1_920
    moved, _ = edits.perform(world, edits.PlaceVoice("k1", "01:00:00:00"), str)
    assert moved.comps[0].comp.at == -1_500
    for voice, timecode, said in (("t1", "x", "no place in time"), ("t3", None, "not known"), ("gone", None, "not known")):
        with pytest.raises(EditRefused, match=said):
            edits.perform(replace(START, takes=world.takes), edits.PlaceVoice(voice, timecode), str)


def test_the_film_is_silent_in_the_slot_of_a_line_that_replaces_it_as_long_as_that_sounds():
    one, label = edits.perform(START, edits.SetSilences("a", True), str)
    assert silenced(one) == (Span(0, 96_000),) and label == "the film silent under line 1"
    assert silenced(edits.perform(one, edits.SetSilences("a", False), str)[0]) == ()
    # A line without a slot, one that was not read, one that was dropped: nothing of the film goes.
    for line in ("b", "c"):
        assert silenced(edits.perform(START, edits.SetSilences(line, True), str)[0]) == ()
    assert silenced(edits.perform(one, edits.DropLine("a"), str)[0]) == ()
    made, _ = edits.perform(START, edits.AddComp("a", "", "take 1, fitted", COMP, "t1", "made", True), lambda: "k9")
    assert made.lines[0].silences and made.picks["a"] == "k9"
    split, _ = edits.perform(replace(one, takes={}, comps=(), picks={}), edits.SplitLine("a", 5), lambda: "n")
    assert [line.silences for line in split.lines[:2]] == [True, True]


@given(
    st.lists(st.tuples(st.integers(0, 900), st.integers(1, 300)), max_size=6),
    st.integers(0, 500),
    st.integers(1, 900),
)
def test_a_sound_is_parted_around_silences_and_what_is_left_stays_in_its_place(stretches, start, length):
    sound = LaidSound("m", "film", Span(start, start + length), 5_000)
    silences = [Span(a, a + n) for a, n in stretches]
    left = parted([sound], silences)
    heard = {n for one in left for n in range(one.span.start, one.span.end)}
    wanted = {n for n in range(start, start + length) if not any(span.holds(n) for span in silences)}
    assert heard == wanted and sum(one.span.length for one in left) == len(wanted)
    assert all(one.first - one.span.start == 5_000 - start and one.id == "m" for one in left)


def test_a_take_is_marked_and_noted_each_without_the_other():
    one, label = edits.perform(START, edits.NoteTake("t1", mark="keep"), str)
    assert one.notes["t1"] == ("keep", "") and label == "mark of take 1"
    two, label = edits.perform(one, edits.NoteTake("t1", note="  the end\nis warmer "), str)
    assert two.notes["t1"] == ("keep", "the end is warmer") and label == "note on take 1"
    # Nothing said is no row, as if nobody had ever said anything.
    bare, _ = edits.perform(edits.perform(two, edits.NoteTake("t1", mark=""), str)[0], edits.NoteTake("t1", note=""), str)
    assert rows(bare) == rows(START)
    for wrong in (edits.NoteTake("t9", "no"), edits.NoteTake("t1", "fine"), edits.NoteTake("t1", note="x" * 501)):
        with pytest.raises(EditRefused):
            edits.perform(START, wrong, str)


@given(st.lists(st.tuples(st.integers(0, 900), st.booleans()), max_size=6), st.integers(0, 900))
def test_a_line_made_for_a_slot_lies_before_the_first_that_begins_later(places, at):
    """Whatever has no slot stays where it was among the others."""
    starts = sorted(start for start, _ in places)
    lines = tuple(
        Line(f"l{n}", str(n + 1), "words", Span(start * 1_920, start * 1_920 + 19_200) if slotted else None)
        for n, (start, (_, slotted)) in enumerate(zip(starts, places, strict=True))
    )
    state = State(lines=lines, rate=FrameRate(Fraction(25)))
    slot = Span(at * 1_920, at * 1_920 + 48_000)
    after, _ = edits.perform(state, edits.NewLine(None, slot), iter(["new"]).__next__)
    ids = [line.id for line in after.lines]
    assert [one for one in ids if one != "new"] == [line.id for line in lines]
    begins = [line.slot.start for line in after.lines if line.slot]
    assert begins == sorted(begins) and after.lines[ids.index("new")].slot == slot
