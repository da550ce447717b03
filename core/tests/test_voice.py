"""What sounds for a line: values and one renderer, held by properties."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fendo_core.audio import pcm
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.voice import Comp, Place, Segment, cut, join, key, move_end, move_seam, render, render_whole, seams, shifted
from fendo_core.voice.chain import Chain, Stage
from fendo_core.voice.comp import AFTER_SPEECH, BEFORE_SPEECH, EDGE_FADE, SHORTEST, RoomTone
from fendo_core.voice.repair import Repair
from fendo_core.voice.samples import ProgrammeSample
from fendo_core.voice.seam import REACH, joint_window, quietest

LENGTH = 4_000
RECORDINGS = {
    name: pcm.to_floats(np.random.default_rng(seed).integers(-(2**23), 2**23, LENGTH).astype(np.int32))
    for seed, name in enumerate("abc")
}


def read(recording, start, end):
    return RECORDINGS[recording][start:end]


@st.composite
def segments(draw, at=0):
    source = draw(st.tuples(st.integers(0, LENGTH - 2), st.integers(1, LENGTH)).map(sorted))
    source = Span(source[0], max(source[1], source[0] + 1))
    fades = [draw(st.integers(0, source.length)) for _ in range(2)]
    return Segment(draw(st.sampled_from("abc")), source, at, draw(st.sampled_from([0.0, -6.0, 3.5])), *fades)


@st.composite
def comps(draw):
    made, at = [], 0
    for _ in range(draw(st.integers(1, 4))):
        made.append(draw(segments(at)))
        at = max(at, made[-1].end + draw(st.integers(-300, 200)))
    tone = draw(st.none() | st.just(RoomTone("a", Span(100, 900))))
    return Comp(ProgrammeSample(draw(st.integers(-500, 5_000))), tuple(made), tone)


@st.composite
def repairs(draw):
    start = draw(st.integers(0, LENGTH - 20))
    span = Span(start, start + draw(st.integers(1, 900)))
    settings_ = {"decibel": draw(st.sampled_from([-12.0, -3.0, 6.0]))}
    return Repair("r", draw(st.sampled_from("abc")), "gain", span, settings_, draw(st.booleans()))


@given(comps(), st.lists(repairs(), max_size=2), st.integers(1, 2_500))
@settings(deadline=None)
def test_the_sound_does_not_depend_on_where_blocks_are_cut(comp, mends, block):
    whole = render_whole(comp, read, mends)
    assert len(whole) == comp.length
    pieces = list(render(comp, read, repairs=mends, block=block))
    assert np.array_equal(np.concatenate(pieces), whole)
    middle = Span(comp.length // 3, comp.length // 3 + 1 + comp.length // 3)
    assert np.array_equal(np.concatenate(list(render(comp, read, middle, mends, block))), whole[middle.start : middle.end])


@given(comps())
def test_a_sample_of_a_recording_is_found_again_through_the_comp(comp):
    place = Place(comp)
    for sample in range(0, comp.length, max(1, comp.length // 40)):
        there = place.in_recording(sample)
        if there is None:
            assert not any(segment.span.holds(sample) for segment in comp.segments)
            continue
        ways = [s.comp_at(there[1]) for s in comp.segments if s.recording == there[0] and s.source.holds(there[1])]
        assert sample in ways
        assert place.in_comp(*there) == ways[0]
        assert place.in_programme(*there) == comp.at + ways[0]


@given(st.lists(st.tuples(st.integers(1, 900), st.integers(1, 900)), min_size=1, max_size=6), st.integers(0, 500))
def test_a_stretched_place_is_found_again_within_a_step(steps, first):
    knots = [(first, 0)]
    for a, b in steps:
        knots.append((knots[-1][0] + a, knots[-1][1] + b))
    one = Segment("a", Span(first, knots[-1][0]), warp=tuple(knots))
    for (a, x), (b, y) in zip(knots, knots[1:], strict=False):
        assert (one.comp_at(a), one.source_at(x)) == (x, a)
        steepest = max(1, -(-(b - a) // (y - x)))
        for sample in range(x, y):
            assert abs(one.comp_at(one.source_at(sample)) - sample) <= 1 + (y - x) // (b - a)
        for sample in range(a, b):
            assert abs(one.source_at(one.comp_at(sample)) - sample) <= steepest


def test_an_untouched_take_sounds_bit_for_bit_as_it_was_recorded():
    comp = Comp.of_take("a", Span(0, LENGTH), Span(20_000, 20_001), 96_000)
    assert comp.segments[0].source.end == LENGTH
    comp = Comp.of_take("b", Span(10, 3_000), None, 96_000)
    assert comp.is_plain and comp.span == Span(96_010, 99_000)
    written = pcm.from_floats(render_whole(comp, read))
    assert np.array_equal(written, pcm.from_floats(RECORDINGS["b"][10:3_000]))


def test_a_take_sounds_with_its_breath_and_its_tail_and_no_more():
    speech = Span(3 * SAMPLE_RATE, 5 * SAMPLE_RATE)
    comp = Comp.of_take("a", Span(0, 9 * SAMPLE_RATE), speech, 1_000)
    assert comp.span == Span(1_000 + speech.start - BEFORE_SPEECH, 1_000 + speech.end + AFTER_SPEECH)
    assert Place(comp).spans_in_programme("a", [speech]) == (Span(1_000 + speech.start, 1_000 + speech.end),)
    assert Comp.of_take("a", Span(0, 9 * SAMPLE_RATE), Span(100, 9 * SAMPLE_RATE - 100), 0).length == 9 * SAMPLE_RATE


@given(comps(), comps(), st.integers(-3_000, 3_000))
def test_moving_a_comp_changes_neither_its_sound_nor_its_key(one, other, by):
    assert key(shifted(one, by)) == key(one)
    assert np.array_equal(render_whole(shifted(one, by), read), render_whole(one, read))
    if key(one) == key(other):
        assert np.array_equal(render_whole(one, read), render_whole(other, read))
    assert Comp.from_row(one.as_row()) == one


def test_the_key_tells_what_is_heard_and_nothing_else():
    comp = Comp.of_take("a", Span(0, 1_000), None, 0)
    treated = replace(comp, treatment=Chain("warm", (Stage("rumble", True, {"hertz": 80.0}),)))
    off = replace(comp, treatment=Chain("warm", (Stage("rumble", False, {"hertz": 80.0}),)))
    renamed = replace(treated, treatment=Chain("other name", treated.treatment.stages))
    assert key(treated) != key(comp) == key(off) and key(renamed) == key(treated)
    inside, outside = (Repair("r", "a", "gain", Span(at, at + 50), {"decibel": -6.0}) for at in (500, 1_500))
    assert key(comp, [inside]) != key(comp) == key(comp, [outside]) == key(comp, [replace(inside, on=False)])


def test_a_repair_touches_nothing_outside_its_span():
    comp = Comp.of_take("a", Span(0, LENGTH), None, 0)
    mend = Repair("r", "a", "gain", Span(1_000, 2_000), {"decibel": -12.0})
    before, after = render_whole(comp, read), render_whole(comp, read, [mend])
    assert np.array_equal(before[:1_000], after[:1_000]) and np.array_equal(before[2_000:], after[2_000:])
    assert np.allclose(after[1_500] / before[1_500], 10 ** (-12 / 20), atol=1e-6)


@given(st.integers(1_200, 2_800), st.integers(0, 400))
def test_a_pick_up_takes_over_at_the_joint(joint, crossfade):
    earlier, later = Comp.of_take("a", Span(0, 3_000), None, 0), Comp.of_take("b", Span(0, 4_000), None, 1_000)
    joined = join(earlier, later, joint, crossfade)
    half = crossfade // 2
    half = min(half, 3_000 - joint, joint - 1_000)
    sound = render_whole(joined, read)
    assert joined.span == Span(0, 5_000)
    assert np.array_equal(sound[: joint - half], RECORDINGS["a"][: joint - half])
    assert np.array_equal(sound[joint + half :], RECORDINGS["b"][joint + half - 1_000 :])
    assert seams(joined) == (joint,)
    # Moved there and back it is the same, and nothing that is said moves.
    moved = move_seam(joined, 0, joint - 200, {"a": LENGTH, "b": LENGTH}) if joint - half - 200 >= 1_000 else joined
    assert render_whole(moved, read)[joint + half :] == pytest.approx(sound[joint + half :], abs=0)
    assert move_seam(moved, 0, joint, {"a": LENGTH, "b": LENGTH}) == joined


def test_reading_on_at_the_end_keeps_both_readings_whole():
    earlier, later = Comp.of_take("a", Span(0, 2_000), None, 0), Comp.of_take("b", Span(0, 1_000), None, 2_500)
    joined = join(earlier, later, 2_200)
    sound = render_whole(joined, read)
    assert np.array_equal(sound[:2_000], RECORDINGS["a"][:2_000]) and not sound[2_000:2_500].any()
    assert np.array_equal(sound[2_500:], RECORDINGS["b"][:1_000])
    with pytest.raises(ValueError, match="no sound on its side"):
        join(earlier, later, -10)


def test_a_crossfade_of_one_sound_with_itself_is_not_heard():
    """Alike sides add up to one; unlike ones to the same power."""
    one = Comp.of_take("a", Span(0, 3_000), None, 0)
    same = Comp.of_take("a", Span(500, LENGTH), None, 0)
    assert render_whole(join(one, same, 2_000, 400), read) == pytest.approx(RECORDINGS["a"], abs=1e-6)
    other = Comp.of_take("b", Span(500, LENGTH), None, 0)
    around = render_whole(join(one, other, 2_000, 1_600), read)[1_300:2_700]
    assert np.sqrt(np.mean(around**2)) == pytest.approx(np.sqrt(np.mean(RECORDINGS["a"] ** 2)), rel=0.08)


@given(comps(), st.integers(-500, 9_000), st.integers(1, 6_000))
def test_a_part_of_a_comp_sounds_as_it_did_in_the_whole(comp, start, length):
    # Fades reach over a cut only where they did before; without them every sample is the same.
    bare = replace(comp, tone=None, segments=tuple(replace(s, fade_in=0, fade_out=0) for s in comp.segments))
    part = cut(bare, Span(start, start + length))
    if part is None:
        assert not any(Span(start, start + length).meets(Span(bare.at + s.at, bare.at + s.end)) for s in bare.segments)
        return
    whole = render_whole(bare, read)
    here = whole[part.at - bare.at : part.at - bare.at + part.length]
    assert np.array_equal(render_whole(part, read), here)


@given(st.integers(0, 2_500), st.integers(1_000, 1_500), st.booleans(), st.integers(-2_000, 3_500), st.booleans())
@settings(deadline=None)
def test_an_end_that_is_moved_leaves_the_rest_as_it_sounds_where_it_lies(start, length, joined, at, first):
    comp = Comp(ProgrammeSample(5_000), (Segment("a", Span(start, start + length)),))
    if joined:
        later = Comp(ProgrammeSample(5_400), (Segment("b", Span(700, 2_600)),))
        comp = join(comp, later, 5_700)
    recordings = {"a": LENGTH, "b": LENGTH}
    try:
        made = move_end(comp, first, at, recordings)
    except ValueError:
        # Refused only where nothing would be left of the part, or nothing was recorded.
        one = comp.segments[0] if first else comp.segments[-1]
        left = one.end - at if first else at - one.at
        more = one.source.start + at - one.at < 0 if first else one.source.end + at - one.end > LENGTH
        assert more or left < SHORTEST + (one.fade_out if first else one.fade_in)
        return
    assert (made.at if first else made.span.end) == comp.at + at
    assert (made.span.end if first else made.at) == (comp.span.end if first else comp.at)
    before, after = render_whole(comp, read), render_whole(made, read)
    a = max(comp.at, made.at) + (EDGE_FADE if first else 0)
    b = min(comp.span.end, made.span.end) - (0 if first else EDGE_FADE)
    if a < b:
        assert np.array_equal(before[a - comp.at : b - comp.at], after[a - made.at : b - made.at])
    back = move_end(made, first, comp.at - made.at if first else comp.length, recordings)
    assert [one.source for one in back.segments] == [one.source for one in comp.segments] and back.span == comp.span


def test_holes_are_filled_with_the_room_without_a_seam():
    quiet = np.random.default_rng(5).standard_normal(SAMPLE_RATE).astype(np.float32) * 0.001
    tone = RoomTone("room", Span(0, SAMPLE_RATE // 2))
    comp = Comp(ProgrammeSample(0), (Segment("room", Span(0, 10)), Segment("room", Span(0, 10), 3 * SAMPLE_RATE)), tone)
    sound = render_whole(comp, lambda _, start, end: quiet[start:end])
    levels = np.sqrt(np.mean(sound[: 3 * SAMPLE_RATE].reshape(-1, 4_800).astype(float) ** 2, axis=1))
    assert np.all(np.abs(20 * np.log10(levels / 0.001)) < 1.0)


def test_a_stretch_puts_each_knot_where_it_belongs():
    """Clicks in a tone, at knots and between them, found again where the map says, within 5 ms."""
    count = 3 * SAMPLE_RATE
    t = np.arange(count) / SAMPLE_RATE
    sound = (0.05 * np.sin(2 * np.pi * 220 * t)).astype(np.float32)
    clicks = [SAMPLE_RATE // 2, SAMPLE_RATE, 2 * SAMPLE_RATE]
    for click in clicks:
        sound[click : click + 96] += 0.8 * np.hanning(96).astype(np.float32)
    knots = ((0, 0), (SAMPLE_RATE, SAMPLE_RATE + 2_400), (count, count + 2_400))
    comp = Comp(ProgrammeSample(0), (Segment("x", Span(0, count), warp=knots),))
    out = render_whole(comp, lambda _, start, end: sound[start:end])
    assert len(out) == count + 2_400
    for click in clicks:
        wanted = comp.segments[0].comp_at(click + 48)
        around = np.abs(out[wanted - 2_400 : wanted + 2_400])
        assert abs(int(np.argmax(around)) - 2_400) < 240


def test_a_joint_is_put_where_both_are_quietest():
    rng = np.random.default_rng(3)
    earlier, later = rng.standard_normal((2, SAMPLE_RATE)).astype(np.float32) * 0.1
    earlier[20_000:30_000] *= 0.01
    later[:24_500] *= 0.01
    assert 20_500 < quietest(earlier, later) < 24_500


def test_a_joint_is_looked_for_before_the_pick_up_speaks_and_behind_the_last_word_of_what_it_continues():
    read, again = Span(0, 200_000), Span(90_000, 400_000)
    assert joint_window(read, again, [Span(10_000, 190_000)], 110_000) == Span(110_000 - REACH, 110_000)
    assert joint_window(read, again, [Span(10_000, 100_000)], 110_000) == Span(100_000, 110_000)
    # Nothing of the earlier one is left: the later one keeps its breath.
    assert joint_window(read, Span(254_000, 400_000), [Span(10_000, 190_000)], 270_000) == Span(254_000, 254_001)
