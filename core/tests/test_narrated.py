"""Words laid over slides: each in the time of the slide that it names."""

from fractions import Fraction

import pytest

from fendo_core.picture.narrated import narrated, over_slides
from fendo_core.picture.reel import Clip, Source, spans
from fendo_core.production import edits
from fendo_core.production.state import State
from fendo_core.script.intake import read_script
from fendo_core.script.lines import Draft
from fendo_core.timebase import SAMPLE_RATE, FrameRate, Span

PAL = FrameRate(Fraction(25))
DECK = Source("deck", "Knots.pdf", "slides", pages=4)
OTHER = Source("other", "All knots.pdf", "slides", pages=9)
FILM = Source("film", "walk.mp4", frames=100)
REEL = (
    Clip("a", 100, "film"),
    Clip("b", 100, "deck", page=0),
    Clip("c", 100, "deck", page=1),
    Clip("d", 100, "deck", page=3),
    Clip("e", 100, "deck", page=0),
)
LESSON = State(clips=REEL, sources={"deck": DECK, "film": FILM, "other": OTHER}, rate=PAL)
COME = [
    Draft("Good morning."),
    Draft("The bowline holds.", notes="slowly", page=1),
    Draft("It never jams, however hard it was pulled."),
    Draft("Pull the long end.", page=2),
    Draft("Nobody sees this page.", page=3),
    Draft("And it is made.", page=4),
]


def ids(prefix="n"):
    count = iter(range(100))
    return lambda: f"{prefix}{next(count)}"


def made(world, drafts, fit):
    after, said = edits.perform(world, edits.BringInLines(tuple(drafts), over="fit" if fit else "keep"), ids())
    assert said == f"{len(drafts)} lines brought in over slides"
    return after


def test_lines_lie_in_the_time_of_the_slides_that_they_name_one_after_another():
    after = made(LESSON, COME, fit=False)
    assert after.clips == REEL
    assert [line.text for line in after.lines] == [draft.text for draft in COME]
    none, one, more, two, unseen, last = (line.slot for line in after.lines)
    assert none is None and unseen is None
    half = SAMPLE_RATE // 2
    _, first, second, fourth, _ = spans(REEL, PAL)
    lead = PAL.snap(first.start + half)
    assert (one.start, more.end) == (lead, PAL.snap(first.end - half)) and one.end == more.start
    # Each has of the slide what its words are to take.
    needs = [LESSON.expected(draft.text) for draft in COME[1:3]]
    assert one.length / more.length == pytest.approx(needs[0] / needs[1], rel=0.05)
    assert two == Span(PAL.snap(second.start + half), PAL.snap(second.end - half))
    assert last == Span(PAL.snap(fourth.start + half), PAL.snap(fourth.end - half))


def test_slides_stand_as_long_as_their_words_and_everything_after_moves():
    before, _ = edits.perform(LESSON, edits.NewLine(slot=Span(16 * SAMPLE_RATE, 18 * SAMPLE_RATE)), ids("old"))
    after = made(before, COME, fit=True)
    was, now = spans(REEL, PAL), spans(after.clips, PAL)
    assert [clip.length for clip in after.clips if clip.id in "ae"] == [100, 100]
    for line, draft in zip(after.lines[1:], COME, strict=True):
        if line.slot:
            assert line.slot.length >= LESSON.expected(draft.text) - SAMPLE_RATE // 25
    # The line over the page that comes once more goes with it.
    assert after.lines[0].slot.start - before.lines[0].slot.start == now[4].start - was[4].start


@pytest.mark.parametrize(
    "drafts",
    [
        [Draft("No slide is named.", notes="quietly")],
        [Draft("Later.", page=2), Draft("Earlier.", page=1)],
        [Draft("There are only four.", page=5)],
        [Draft("Nobody sees this page.", page=3)],
        [Draft("This one has a slot.", Span(0, 9600), page=1)],
    ],
)
def test_words_that_name_no_slide_of_the_reel_are_laid_over_none(drafts):
    assert narrated(LESSON, drafts) is None


def test_of_several_slides_those_with_the_nearest_number_of_pages_are_meant():
    both = State(clips=(*REEL, Clip("f", 50, "other", page=4)), sources=LESSON.sources, rate=PAL)
    assert narrated(both, COME).slides == DECK
    assert narrated(both, [Draft("Four.", page=5)]).slides == OTHER
    assert narrated(State(clips=REEL[:1], sources=LESSON.sources, rate=PAL), COME) is None


def test_what_a_file_says_slide_by_slide_is_laid_over_them_unless_it_is_refused():
    text = "Slide 1: Bowline\n\nThe bowline holds.\n\nIt never jams.\n\nSlide 2\n\nPull the long end.\n"
    found = read_script("lesson.txt", text.encode(), PAL)
    words = narrated(LESSON, found.drafts)
    assert [page for page, _ in words.words] == [0, 0, 1]
    assert over_slides(LESSON, words, {}).chosen == "fit"
    assert over_slides(LESSON, words, {"over": "no"}).chosen == "no"
    assert "Knots.pdf" in over_slides(LESSON, words, {}).label
    # Where lines lie over the slides already, these do not change under them.
    before, _ = edits.perform(LESSON, edits.NewLine(slot=Span(9 * SAMPLE_RATE, 10 * SAMPLE_RATE)), ids("old"))
    assert over_slides(before, narrated(before, found.drafts), {}).chosen == "keep"
    film, _ = edits.perform(LESSON, edits.NewLine(slot=Span(SAMPLE_RATE, 2 * SAMPLE_RATE)), ids("old"))
    assert over_slides(film, narrated(film, found.drafts), {}).chosen == "fit"
