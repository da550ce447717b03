"""Time: exact frames, timecode against an independent count and against opentime."""

import json
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from opentimelineio import opentime

from fendo_core.timebase import FRAME_RATES, SAMPLE_RATE, FrameRate, Span, TimecodeError, format_timecode, parse_timecode
from fendo_core.timebase.rates import nearest_rate

rates = st.sampled_from(FRAME_RATES)


@given(st.sampled_from(FRAME_RATES), st.lists(st.integers(-(10**10), 10**10), max_size=8))
def test_many_first_samples_are_those_of_each(rate, frames):
    assert rate.first_samples(np.array(frames, np.int64)).tolist() == [rate.first_sample(frame) for frame in frames]


@given(rates, st.integers(-10_000, 60 * 3600 * 24))
def test_every_frame_owns_its_first_sample_and_not_the_one_before(rate, frame):
    first = rate.first_sample(frame)
    assert rate.frame_at(first) == frame
    assert rate.frame_at(first - 1) == frame - 1
    # The exact moment of the frame lies within the sample before its first one.
    moment = Fraction(frame) / rate.fps * SAMPLE_RATE
    assert moment <= first < moment + 1


@pytest.mark.parametrize("rate", FRAME_RATES, ids=lambda r: r.text)
def test_a_day_of_timecode_counts_as_a_clock_would(rate):
    """An independent count: hours, minutes, seconds and frames turned on by hand, numbers skipped as the standard says."""
    frame, skip = 0, rate.nominal // 15 if rate.drop else 0
    day = []
    for hour in range(24):
        for minute in range(60):
            for second in range(60):
                first = skip if skip and second == 0 and minute % 10 else 0
                # Every frame of the minutes around a skip, the edges of all others.
                shown = (
                    range(first, rate.nominal) if second in (0, 59) and minute in (0, 1, 10) else (first, rate.nominal - 1)
                )
                day += [(frame + f - first, hour, minute, second, f) for f in shown]
                frame += rate.nominal - first
    mark = ";" if rate.drop else ":"
    for count, hour, minute, second, f in day:
        text = f"{hour:02}:{minute:02}:{second:02}{mark}{f:02}"
        assert format_timecode(count, rate) == text
        assert parse_timecode(text, rate) == count
    assert format_timecode(frame, rate) == f"00:00:00{mark}00"


@given(st.sampled_from([r for r in FRAME_RATES if r.fps != Fraction(60000, 1001)]), st.integers(0, 24 * 3600 * 24 - 1))
def test_timecode_agrees_with_opentime(rate, frame):
    other = opentime.RationalTime(frame, float(rate.fps))
    assert format_timecode(frame, rate) == opentime.to_timecode(other, float(rate.fps), rate.drop)


@pytest.mark.parametrize("text", ["10:00:00", "24:00:00:00", "00:60:00:00", "00:00:00:25", "ten", "", "00:00:00:-1"])
def test_what_is_no_timecode_is_refused_with_a_reason(text):
    with pytest.raises(TimecodeError, match="“"):
        parse_timecode(text, FrameRate(Fraction(25)))


def test_numbers_that_drop_frame_leaves_out_do_not_exist():
    rate = FrameRate(Fraction(30000, 1001), drop=True)
    with pytest.raises(TimecodeError, match="does not exist"):
        parse_timecode("00:01:00;01", rate)
    assert parse_timecode("00:10:00;00", rate) == 17982


def test_spans_do_not_run_backwards_and_know_what_they_hold():
    with pytest.raises(ValueError, match="must end after"):
        Span(5, 5)
    assert Span(2, 4).holds(3)
    assert not Span(2, 4).holds(4)
    assert not Span(2, 4).meets(Span(4, 6))


def test_drop_counting_and_odd_rates_are_only_what_exists():
    with pytest.raises(ValueError, match=r"29\.97"):
        FrameRate(Fraction(25), drop=True)
    assert nearest_rate(Fraction(2997, 100)).fps == Fraction(30000, 1001)
    assert nearest_rate(Fraction(15)).fps == Fraction(24000, 1001)


def test_the_table_that_the_web_application_is_tested_against_is_ours():
    """web/src/engine/time.ts shows timecode sixty times a second; it must count as the core does."""
    table = Path(__file__).parents[2] / "web" / "src" / "engine" / "timecode.cases.json"
    for above, below, drop, frame, text, first in json.loads(table.read_text()):
        rate = FrameRate(Fraction(above, below), drop)
        assert format_timecode(frame, rate) == text
        assert rate.first_sample(frame) == first
