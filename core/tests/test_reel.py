"""The reel against a second, dull account of it: a list of what every single frame shows."""

from dataclasses import replace
from fractions import Fraction

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fendo_core.picture import laid, reel
from fendo_core.picture.laid import LaidSound
from fendo_core.picture.reel import Clip, Source
from fendo_core.picture.shots import Shot
from fendo_core.production import edits
from fendo_core.production.following import carrying, consequence
from fendo_core.production.refusal import EditRefused
from fendo_core.production.state import LineComp, State, TakeRef, difference
from fendo_core.script.lines import Line
from fendo_core.takes.sync_points import DropSyncPoint, MoveSyncPoint, PutWord, SetSyncPoint
from fendo_core.timebase import FRAME_RATES, FrameRate, Span
from fendo_core.voice import Comp, Segment

PAL = FrameRate(Fraction(25))
SOURCES = {
    "a": Source("a", "a.mp4", frames=60, shots=(Shot(Span(0, 38_400), "mud"), Shot(Span(38_400, 115_200), "gate"))),
    "b": Source("b", "b.mp4", frames=40, shots=(Shot(Span(0, 76_800)),)),
    "s": Source("s", "s.png", "still"),
}


def ids(prefix="n"):
    count = iter(range(10_000))
    return lambda: f"{prefix}{next(count)}"


def shown(clips):
    """What each frame of a reel shows: (source, its frame), (still, page), or a card."""
    seen = []
    for clip in clips:
        film = clip.source and SOURCES[clip.source].kind == "film"
        seen += [(clip.source, clip.first + n if film else clip.page) for n in range(clip.length)]
    return seen


REEL = (Clip("p", 50, "a", 5), Clip("h", 20), Clip("q", 30, "b", 10), Clip("t", 25, "s"))
names = st.sampled_from([clip.id for clip in REEL])
frames = st.integers(-10, 160)


@given(names, st.sampled_from(["start", "end"]), frames, st.booleans())
def test_a_trim_shows_the_same_frames_but_for_what_it_takes_or_gives(name, edge, frame, close):
    index = reel.find(REEL, name)
    begin, end = reel.starts(REEL)[index], reel.starts(REEL)[index + 1]
    try:
        after = reel.trim(REEL, name, edge, frame, close, ids(), SOURCES)
    except EditRefused:
        return
    old, new = shown(REEL), shown(after)
    if not close:
        assert len(new) == (max(len(old), frame) if edge == "end" and name == "t" else len(old))
        # What is outside of both the old and the new clip stays where it was.
        low, high = (min(end, frame), max(end, frame)) if edge == "end" else (min(begin, frame), max(begin, frame))
        assert new[:low] == old[:low]
        assert new[high:] == old[high:]
    else:
        grown = frame - end if edge == "end" else begin - frame
        assert len(new) == len(old) + grown
        assert new[:begin] == old[:begin]
        assert new[end + grown :] == old[end:]
        kept = new[begin : end + grown]
        inside = old[begin:end]
        shorter = min(len(kept), len(inside))
        assert (kept[:shorter] == inside[:shorter]) if edge == "end" else (kept[-shorter:] == inside[-shorter:])


@given(st.integers(0, 124))
def test_a_split_shows_what_was_shown(frame):
    try:
        after = reel.split(REEL, frame, ids())
    except EditRefused:
        assert frame in reel.starts(REEL)
        return
    assert shown(after) == shown(REEL)
    assert len(after) == len(REEL) + 1


@given(names, st.booleans())
def test_a_dropped_clip_is_closed_up_or_leaves_a_hole_of_its_length(name, close):
    index = reel.find(REEL, name)
    begin, end = reel.starts(REEL)[index], reel.starts(REEL)[index + 1]
    old, new = shown(REEL), shown(reel.drop(REEL, name, close, ids()))
    assert new == (old[:begin] + old[end:] if close else old[:begin] + [(None, 0)] * (end - begin) + old[end:])


@given(names, st.none() | names)
def test_moving_a_clip_loses_no_frame(name, before):
    after = reel.move(REEL, name, before)
    assert sorted(map(str, shown(after))) == sorted(map(str, shown(REEL)))
    assert before in (None, name) or reel.find(after, before) == reel.find(after, name) + 1


@pytest.mark.parametrize(("first", "filled"), [(0, 20), (45, 15), (59, 1)])
def test_a_hole_is_filled_keeping_its_length(first, filled):
    new = Clip("x", 1, "a", first)
    after = reel.fill(REEL, "h", new, SOURCES, ids())
    assert shown(after)[50:70] == [("a", first + n) for n in range(filled)] + [(None, 0)] * (20 - filled)
    assert shown(after)[:50] + shown(after)[70:] == shown(REEL)[:50] + shown(REEL)[70:]


@pytest.mark.parametrize(
    ("act", "said"),
    [
        (lambda: reel.trim(REEL, "p", "end", 90, True, ids(), SOURCES), "ends here: 35 frames are missing"),
        (lambda: reel.trim(REEL, "p", "start", -6, True, ids(), SOURCES), "no picture before its first frame: 1 frames"),
        (lambda: reel.trim(REEL, "p", "end", 0, True, ids(), SOURCES), "At least one frame"),
        (lambda: reel.trim(REEL, "t", "start", 99, False, ids(), SOURCES), "no hole before"),
        (lambda: reel.fill(REEL, "h", Clip("x", 1, "a", 60), SOURCES, ids()), "no picture there"),
        (lambda: reel.split((), 0, ids()), "no picture yet"),
        (lambda: reel.find(REEL, "gone"), "no longer in the reel"),
        (lambda: reel.whole(Source("m", "m.wav", "sound"), "x"), "sound only"),
    ],
)
def test_what_can_not_be_done_says_why(act, said):
    with pytest.raises(EditRefused, match=said):
        act()


WORLD = State(
    lines=tuple(Line(f"l{n}", str(n), "words", Span(n * 9 * 1920, n * 9 * 1920 + 5_000)) for n in range(14)),
    clips=REEL,
    sources=SOURCES,
    takes={f"l{n}": (TakeRef(f"t{n}", f"r{n}", "", 1, n * 9 * 1920),) for n in range(0, 14, 2)},
    sync_points={n * 7 * 1920: f"point {n}" for n in range(18)},
    comps=(LineComp("k2", "l2", "", "joined", Comp(2 * 9 * 1920, (Segment("r2", Span(0, 900)),))),),
)
positions = st.integers(0, 130 * 1920)
reel_edit = st.one_of(
    st.builds(edits.TrimClip, names, st.sampled_from(["start", "end"]), positions, st.booleans()),
    st.builds(edits.DropClip, names, st.booleans()),
    st.builds(edits.MoveClip, names, st.none() | names),
    st.builds(edits.SplitClip, positions),
    st.builds(edits.AddClips, st.just((edits.Shown("b"),)), st.none() | positions),
)


@settings(max_examples=200)
@given(reel_edit)
def test_words_and_takes_go_with_their_picture_or_stay_as_they_are(edit):
    try:
        after, _ = edits.perform(WORLD, edit, ids())
    except EditRefused:
        return
    told = consequence(WORLD, after)
    old, new = shown(WORLD.clips), shown(after.clips)
    for line, was in zip(after.lines, WORLD.lines, strict=True):
        by = line.slot.start - was.slot.start
        assert line.slot.length == was.slot.length
        if line.id in WORLD.takes:
            assert after.places.get(f"t{line.number}", was.slot.start) == line.slot.start
        if line.id == "l2":
            assert after.comps[0].comp.at == line.slot.start
        frame, now = PAL.frame_at(was.slot.start), PAL.frame_at(line.slot.start)
        assert (line.number in told.moved) == (by != 0)
        if frame < len(old) and line.number not in told.left:
            assert new[now] == old[frame]
    where = {called: at for at, called in after.sync_points.items()}
    for at, called in WORLD.sync_points.items():
        now = where.get(called)
        # Its picture is shown there, or is gone; then it stays, and gives way to one that came along.
        if now is None:
            assert at in after.sync_points
        elif PAL.frame_at(at) < len(old) and now != at:
            assert new[PAL.frame_at(now)] == old[PAL.frame_at(at)]
    assert told.longer == (len(new) - len(old)) * 1920


@settings(max_examples=50)
@given(reel_edit)
def test_words_stay_where_they_are_if_they_are_to(edit):
    if not isinstance(edit, edits.SplitClip):
        edit = replace(edit, follow=False)
    try:
        after, _ = edits.perform(WORLD, edit, ids())
    except EditRefused:
        return
    assert after.lines == WORLD.lines
    assert not after.places and after.comps == WORLD.comps and after.sync_points == WORLD.sync_points


@settings(max_examples=100)
@given(st.lists(st.tuples(reel_edit, st.none() | st.integers(0, 13)), min_size=1, max_size=6))
def test_a_take_stays_on_its_line_whenever_it_was_recorded_and_whatever_is_taken_back(asked):
    """Edits, each with a take recorded after it on some line; all taken back, all done again."""
    present, done, recordings = WORLD, [], 7

    def taken_over(change):
        rows = carrying(change, present).after
        places = {key[5:]: row["place"] if row else None for key, row in rows.items() if key.startswith("take:")}
        return {key: place for key, place in {**present.places, **places}.items() if place is not None}

    def on_their_lines():
        for line in present.lines:
            for take in present.takes.get(line.id, ()):
                assert present.places.get(take.id, take.start) == line.slot.start

    def record(number):
        nonlocal recordings
        recordings, line = recordings + 1, present.lines[number]
        take = TakeRef(f"later {recordings}", f"r{recordings}", "", 1, line.slot.start)
        return replace(present, takes={**present.takes, line.id: (*present.takes.get(line.id, ()), take)})

    for edit, recorded in asked:
        try:
            after, _ = edits.perform(present, edit, ids(f"n{len(done)} "))
        except EditRefused:
            continue
        done.append((present, after, difference(present, after)))
        present = after
        if recorded is not None:
            present = record(recorded)
        on_their_lines()
    for before, _, change in reversed(done):
        present = replace(before, takes=present.takes, places=taken_over(change.reversed))
        on_their_lines()
        if recordings % 2:
            present = record(3)
    for _, after, change in done:
        present = replace(after, takes=present.takes, places=taken_over(change))
        on_their_lines()


def test_a_word_is_put_to_the_nearest_sync_point_and_each_is_set_named_moved_and_taken_away():
    set_one, said = edits.perform(WORLD, SetSyncPoint(1_000, "  the  door "), ids())
    assert said == "sync point named" and set_one.sync_points[0] == "the door", "a frame has one"
    put, said = edits.perform(WORLD, PutWord("t2", 3 * 7 * 1920 + 900), ids())
    assert said == "take 1 moved" and put.places["t2"] == 2 * 9 * 1920 - 900
    moved, _ = edits.perform(WORLD, MoveSyncPoint(7 * 1920, 10 * 1920 + 5), ids())
    assert moved.sync_points[10 * 1920] == "point 1" and 7 * 1920 not in moved.sync_points
    gone, _ = edits.perform(WORLD, DropSyncPoint(7 * 1920), ids())
    assert set(WORLD.sync_points) - set(gone.sync_points) == {7 * 1920}
    assert difference(WORLD, gone).touched == {f"sync:{7 * 1920}"}
    for refused in (
        SetSyncPoint(-1),
        SetSyncPoint(10**9),
        SetSyncPoint(0, "x" * 61),
        MoveSyncPoint(5, 0),
        MoveSyncPoint(0, 10**9),
        DropSyncPoint(5),
        PutWord("t2", 0),
        PutWord("gone", 5),
    ):
        with pytest.raises(EditRefused):
            edits.perform(WORLD, refused, ids())
    with pytest.raises(EditRefused, match="no sync point yet"):
        edits.perform(replace(WORLD, sync_points={}), PutWord("t2", 5), ids())


def test_takes_of_a_line_that_comes_or_goes_with_an_edit_of_the_reel_stay_where_they_are():
    slides = Source("k", "k.pdf", "slides", pages=1, notes=("Tie it.",))
    world = State(clips=(Clip("k1", 125, "k"),), sources={"k": slides})
    after, _ = edits.perform(world, edits.LinesFromNotes("k", True), ids())
    (line,) = after.lines
    recorded = replace(after, takes={line.id: (TakeRef("t", "r", ""),)})
    made = difference(world, after)
    assert any(key.startswith("clip:") for key in made.touched)
    assert "take:t" not in carrying(made.reversed, recorded).touched | carrying(made, recorded).touched


def test_a_preview_says_in_words_what_moves():
    after, _ = edits.perform(WORLD, edits.TrimClip("h", "end", 60 * 1920), ids())
    said = consequence(WORLD, after).text
    assert "The programme gets 0.40 s shorter." in said
    assert "6 lines (8 to 13) and 3 takes go 0.40 s earlier with the picture." in said
    assert "Line 7 lies over other picture then" in said
    nothing, _ = edits.perform(WORLD, edits.SplitClip(4_800), ids())
    assert consequence(WORLD, nothing).text == "Nothing else moves."


@given(st.sampled_from(FRAME_RATES), st.lists(names, min_size=1, max_size=6))
def test_shots_cover_the_reel_without_a_hole_at_every_rate(rate, order):
    clips = tuple(replace(REEL[reel.find(REEL, name)], id=f"x{n}") for n, name in enumerate(order))
    found = reel.reel_shots(clips, SOURCES, rate)
    assert found[0].span.start == 0
    assert found[-1].span.end == reel.length(clips, rate)
    for one, two in zip(found, found[1:], strict=False):
        assert one.span.end == two.span.start
        assert rate.snap(two.span.start) == two.span.start


def test_cuts_of_a_film_are_shots_where_its_clip_lies():
    found = reel.reel_shots(REEL, SOURCES, PAL)
    # The gate begins at frame 20 of the film, which the first clip shows at 15.
    assert [(shot.span.start // 1920, shot.name) for shot in found] == [
        (0, "mud"),
        (15, "gate"),
        (50, ""),
        (70, ""),
        (100, ""),
    ]


def test_shots_are_parted_joined_and_named_through_the_clips():
    def do(state, edit):
        return edits.perform(state, edit, ids())[0]

    parted = do(WORLD, edits.PartShot(80 * 1920))
    assert parted.sources["b"].shots[1].span.start == 20 * 1920
    joined = do(parted, edits.JoinShots(75 * 1920))
    assert not joined.clips[2].opens
    assert [shot.span.start // 1920 for shot in joined.reel_shots] == [0, 15, 50, 80, 100]
    assert do(joined, edits.PartShot(70 * 1920)).clips[2].opens
    assert do(joined, edits.NameShot(81 * 1920, "wheel")).sources["b"].shots[1].name == "wheel"
    assert do(WORLD, edits.NameShot(101 * 1920, "the keeper")).clips[3].name == "the keeper"
    with pytest.raises(EditRefused, match="Only a film has shots"):
        do(WORLD, edits.PartShot(60 * 1920))


def test_a_laid_sound_moves_whole_and_is_trimmed_into_its_source():
    sounds = (LaidSound("m", "a", Span(48_000, 96_000), 1_000), LaidSound("n", "a", Span(0, 9_600), original=True))
    lengths = {"a": 60_000}
    moved = laid.change(sounds, "m", lengths, span=Span(0, 48_000))
    assert (moved[0].span.start, moved[0].first) == (0, 1_000)
    trimmed = laid.change(sounds, "m", lengths, span=Span(50_000, 96_000))
    assert trimmed[0].first == 3_000
    assert [each.original for each in laid.change(sounds, "m", lengths, original=True)] == [True, False]
    with pytest.raises(EditRefused, match="has no more there"):
        laid.change(sounds, "m", lengths, span=Span(46_000, 96_000))
    with pytest.raises(EditRefused, match="between -40 and"):
        laid.change(sounds, "m", lengths, level=30)
