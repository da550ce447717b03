"""Names of takes, and where their samples lie."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fendo_core.booth.clockmap import ClockMap
from fendo_core.booth.levelwindow import LEVEL_WINDOWS
from fendo_core.booth.naming import LONGEST_NAME, NameParts, PatternError, check_pattern, file_name, safe_name

PARTS = NameParts("The Tide Mill", "Narration", "7a", "Then the keeper lifts one oak board", "Maren Tull", "2026-11-25", 3)


def test_a_name_tells_what_the_file_is():
    name = file_name("{production} {folder} {line} {words} {reader} {date} t{take}", PARTS, set())
    assert name == "The Tide Mill Narration 007a Then the keeper lifts one Maren Tull 2026-11-25 t03.wav"


@given(st.text(max_size=400))
def test_a_safe_name_is_safe_on_every_file_system(text):
    name = safe_name(text)
    assert 1 <= len(name) <= LONGEST_NAME + 1
    assert len(name.encode()) <= 255
    assert not set(name) & set('\\/:*?"<>|\0\n')
    assert name == name.strip(" .") and name not in (".", "..")
    assert safe_name(name) == name


@pytest.mark.parametrize("name", ["con", "NUL", "com1", "Lpt9", "aux.take"])
def test_device_names_are_not_names(name):
    assert safe_name(name) == f"{name}_"


@given(st.integers(1, 12), st.text(max_size=200))
def test_a_second_take_never_gets_the_name_of_the_first(count, words):
    taken: set[str] = set()
    parts = NameParts("p", "f", "1", words, "r", "2026-01-01", 1)
    for _ in range(count):
        name = file_name("{words} {line} {take}", parts, taken)
        assert name.lower() not in taken
        taken.add(name.lower())


@pytest.mark.parametrize(
    ("pattern", "said"),
    [("{line}", "must hold"), ("{line} {take} {mood}", "no field {mood}"), ("{line} {take} {", "stands alone")],
)
def test_a_pattern_that_cannot_name_files_is_refused_with_the_reason(pattern, said):
    with pytest.raises(PatternError, match=said):
        check_pattern(pattern)


frames = st.integers(0, 10**10)
latency = st.integers(0, 48_000)


@given(frames, frames, st.integers(-(10**6), 10**10), latency, latency, st.integers(0, 10**8))
def test_what_answers_the_cue_lies_on_the_cue(capture, anchor, position, out, back, reaction):
    """Played at frame f, heard `out` later, answered after `reaction`, labelled `back` later: it lies at f + reaction."""
    clock = ClockMap(capture, anchor, position, out, back)
    cue = position + 1000
    scheduled = anchor + 1000
    labelled = scheduled + out + reaction + back
    assert clock.programme_position(labelled - capture) == cue + reaction


def test_an_incomplete_log_is_refused():
    with pytest.raises(ValueError, match="incomplete"):
        ClockMap.from_log({"capture_frame": 1})
    with pytest.raises(ValueError, match="negative"):
        ClockMap(0, 0, 0, output_latency=-1)


def test_every_level_window_lies_below_full_scale_and_is_wide_enough_to_hit():
    for window in LEVEL_WINDOWS.values():
        assert window.low + 6.0 <= window.high < -1.0
