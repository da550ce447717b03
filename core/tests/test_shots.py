"""Shots corrected by hand."""

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fendo_core.picture.shots import Shot, join, name, part, shot_at
from fendo_core.production.refusal import EditRefused
from fendo_core.timebase import FRAME_RATES, FrameRate, Span

RATE = FrameRate(Fraction(25))
TWO = (Shot(Span(0, 48_000)), Shot(Span(48_000, 96_000), "gates"))


@given(st.sampled_from(FRAME_RATES), st.lists(st.tuples(st.booleans(), st.integers(0, 500)), max_size=30))
def test_however_they_are_parted_and_joined_the_shots_cover_the_film(rate, steps):
    end = rate.first_sample(400)
    shots = (Shot(Span(0, end)),)
    for parted, frame in steps:
        at = rate.first_sample(frame) + 7
        try:
            shots = part(shots, at, rate) if parted else join(shots, at)
        except EditRefused:
            continue
        assert [shot.span.start for shot in shots] == [0, *(shot.span.end for shot in shots[:-1])]
        assert shots[-1].span.end == end
        assert all(shot.span.length > 0 and rate.snap(shot.span.start) == shot.span.start for shot in shots)


def test_a_new_shot_begins_on_the_frame_that_is_shown_and_the_name_stays_with_the_first_part():
    parted = part(TWO, 72_960 + 500, RATE)
    assert [(shot.span.start, shot.name) for shot in parted] == [(0, ""), (48_000, "gates"), (72_960, "")]
    assert join(parted, 72_960) == TWO
    assert join(TWO, 50_000) == (Shot(Span(0, 96_000), "gates"),)
    assert name(TWO, 0, "  the   creek ")[0].name == "the creek" and name(TWO, 50_000, "")[1].name == ""
    assert shot_at(TWO, 10**9) == 1


def test_what_cannot_be_done_says_why():
    with pytest.raises(EditRefused, match="begins here already"):
        part(TWO, 48_000 + 100, RATE)
    with pytest.raises(EditRefused, match="first shot"):
        join(TWO, 5)
    with pytest.raises(EditRefused, match="80 letters"):
        name(TWO, 5, "x" * 81)
    with pytest.raises(EditRefused, match="no picture"):
        part((), 5, RATE)
