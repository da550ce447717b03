"""Names of takes, and where their samples lie."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fendo_core.booth.levelwindow import LEVEL_WINDOWS, LevelWindow, level_window
from fendo_core.booth.naming import LONGEST_NAME, NameParts, PatternError, check_pattern, file_name, safe_name, unused

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


@pytest.mark.parametrize(
    ("name", "safe"),
    [("con", "con_"), ("NUL", "NUL_"), ("Lpt9", "Lpt9_"), ("aux.take", "aux_.take"), ("aux .a.b", "aux _.a.b")],
)
def test_device_names_are_not_names_with_an_ending_or_without(name, safe):
    assert safe_name(name) == safe == safe_name(safe)


@given(st.integers(1, 12), st.text(max_size=200))
def test_a_second_take_never_gets_the_name_of_the_first(count, words):
    taken: set[str] = set()
    parts = NameParts("p", "f", "1", words, "r", "2026-01-01", 1)
    for _ in range(count):
        name = file_name("{words} {line} {take}", parts, taken)
        assert name.lower() not in taken
        taken.add(name.lower())


@given(st.integers(1, 12), st.text(max_size=60), st.sampled_from(["", ".mp4"]))
def test_what_is_not_taken_is_never_longer_than_it_may_be(count, stem, ending):
    taken: list[str] = []
    for _ in range(count):
        taken.append(unused(stem, taken.__contains__, ending, longest=20))
    assert taken[0] == stem[:20] + ending
    assert len(set(taken)) == count
    assert all(name.endswith(ending) and len(name) <= 20 + len(ending) for name in taken)


@pytest.mark.parametrize(
    ("pattern", "said"),
    [("{line}", "must hold"), ("{line} {take} {mood}", "no field {mood}"), ("{line} {take} {", "stands alone")],
)
def test_a_pattern_that_cannot_name_files_is_refused_with_the_reason(pattern, said):
    with pytest.raises(PatternError, match=said):
        check_pattern(pattern)


def test_every_level_window_lies_below_full_scale_and_is_wide_enough_to_hit():
    for window in LEVEL_WINDOWS.values():
        assert window.low + 6.0 <= window.high < -1.0
    assert level_window("-15..-8") == LevelWindow("Own: peaks from −15 to −8", -15.0, -8.0)
    assert level_window("roomy") is LEVEL_WINDOWS["roomy"]


@pytest.mark.parametrize("key", ["", "loud", "-8..-15", "-10..-8", "-9..0", "-41..-6", "-15..-8 ", "-15.5..-8", "-١٥..-8"])
def test_what_is_no_level_window_is_refused_in_words(key):
    with pytest.raises(ValueError, match="level window"):
        level_window(key)
