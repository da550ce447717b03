"""Places as people type them."""

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fendo_core.timebase import FRAME_RATES, SAMPLE_RATE, FrameRate, TimecodeError, format_timecode, typed_position

PAL = FrameRate(Fraction(25))
DROP = FrameRate(Fraction(30000, 1001), True)
TEN = 10 * 3600 * 25
HOUR = 3600 * SAMPLE_RATE


def at(text: str, now: float = 0.0) -> float:
    """Seconds of an hour-long programme at 25 that begins at 10:00:00:00."""
    return typed_position(text, PAL, TEN, HOUR, int(now * SAMPLE_RATE)) / SAMPLE_RATE


@given(st.sampled_from([*FRAME_RATES, DROP]), st.integers(0, 3_600 * 20), st.sampled_from(":. "))
def test_a_whole_timecode_is_its_frame_however_it_is_parted(rate, frame, mark):
    start = round(3600 * rate.fps)
    text = format_timecode(start + frame, rate).replace(";", ":")
    length = rate.first_sample(3_600 * 70)
    for told in (text.replace(":", mark), text.replace(":", "")):
        assert typed_position(told, rate, start, length, 0) == rate.first_sample(frame)


def test_parts_of_a_timecode_running_time_and_so_much_on_or_back():
    assert at("10:00:12") == at("10.00.12.00") == at("100012") == at("10000000") + 12 == 12.0
    assert at("0:01:30") == at("1:30") == at("130") == at("90") == 90.0, "no timecode of this programme"
    assert at("+10", 5.0) == 15.0 and at("-2:00", 150.0) == 30.0 and at("- 1:00:00", 12.0) == 0.0
    assert at("+5f", 1.0) == 1.2 and at("50f") == 2.0 and at("-1f", 1.0) == 0.96
    assert at("7") == 7.0 and at("2:00:00") == 7200.0, "behind the end is a place too"
    assert typed_position("+1", DROP, 0, HOUR, 0) == DROP.snap(SAMPLE_RATE)


@pytest.mark.parametrize(
    "text", ["", "noon", "1:2:3:4:5", "10:00:61", "1:75", "+", "f", "1:30f", "09:59:59:00", "123456789"]
)
def test_all_else_is_refused_in_words(text):
    with pytest.raises(TimecodeError) as error:
        at(text)
    assert len(str(error.value)) < 250


def test_numbers_that_drop_frame_leaves_out_are_told():
    with pytest.raises(TimecodeError, match="does not exist"):
        typed_position("10:01:00:00", DROP, 0, 24 * HOUR, 0)
