"""A film's own room: found where it is, and laid under a silence without a hole."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fendo_core.picture.laid import NEAR, LaidSound, room_under
from fendo_core.picture.quiet import LEAST, MOST, quiet_stretches
from fendo_core.reader import narrator
from fendo_core.timebase import SAMPLE_RATE, Span

FADE = SAMPLE_RATE // 200


@pytest.mark.parametrize("seed", range(4))
@pytest.mark.parametrize("room", [-66.0, -48.0, -38.0])
def test_the_room_is_found_between_the_words_and_nowhere_else(seed, room):
    rng = np.random.default_rng([seed, 8])
    gaps = [int(rng.uniform(0.3, 2.5) * SAMPLE_RATE) for _ in range(7)]
    texts = ("Nobody paid him for the nails.", "Listen.", "In the evening the boats came up with barley.") * 2
    parts, spoken, at = [np.zeros(gaps[0])], [], gaps[0]
    for text, gap in zip(texts, gaps[1:], strict=True):
        sound = narrator._spoken(text, narrator.VOICES[seed % 3], 1.0) * 0.4
        spoken.append(Span(at, at + len(sound)))
        parts += [sound, np.zeros(gap)]
        at += len(sound) + gap
    sound = np.concatenate(parts) + rng.standard_normal(at) * 10 ** (room / 20)
    # A stretch that was muted is no room.
    muted = Span(len(sound), len(sound) + 2 * SAMPLE_RATE)
    sound = np.concatenate([sound, np.zeros(muted.length), rng.standard_normal(3 * SAMPLE_RATE) * 10 ** (room / 20)])
    stereo = np.stack([sound, sound], axis=1).astype(np.float32)
    found = quiet_stretches(lambda start, end: stereo[start:end], len(stereo))
    assert found and all(LEAST <= one.length <= MOST for one in found)
    for one in found:
        inside = stereo[one.start : one.end, 0]
        assert not one.meets(muted)
        assert 20 * np.log10(np.sqrt(np.mean(inside.astype(np.float64) ** 2))) == pytest.approx(room, abs=1.5)


def test_a_sound_without_a_pause_and_no_sound_at_all_have_no_room():
    steady = narrator._spoken("Listen, listen, listen, listen.", narrator.VOICES[0], 1.0)
    voiced = steady[np.abs(steady) > 0.02][: 2 * SAMPLE_RATE]
    for sound in (np.tile(voiced, 3), np.zeros(8 * SAMPLE_RATE), np.zeros(100)):
        stereo = np.stack([sound, sound], axis=1).astype(np.float32)
        found = quiet_stretches(lambda start, end, stereo=stereo: stereo[start:end], len(stereo))
        assert sum(one.length for one in found) <= 0.3 * len(sound)


@given(
    st.integers(0, 400_000),
    st.integers(4_000, 900_000),
    st.integers(0, 300_000),
    st.lists(st.tuples(st.integers(0, 3_000_000), st.integers(1, 400_000)), max_size=6),
)
def test_a_room_covers_all_of_a_silence_out_of_stretches_that_are_quiet(start, length, offset, stretches):
    sound = LaidSound("p", "s", Span(start, start + 2_000_000), offset)
    silence = Span(start + 50_000, start + 50_000 + length)
    quiet = [Span(a, a + n) for a, n in stretches]
    parts = room_under(sound, silence, quiet, FADE)
    far = lambda one: max(0, offset + 50_000 - one.end, one.start - (offset + 50_000 + length))  # noqa: E731
    if not any(one.length > 4 * FADE and far(one) <= NEAR for one in quiet):
        assert parts == ()
        return
    assert parts[0].span.start == max(0, silence.start - FADE)
    assert silence.end <= parts[-1].span.end + 2 * FADE and parts[-1].span.end <= silence.end + FADE
    for one, other in zip(parts, parts[1:], strict=False):
        assert one.span.end - other.span.start == FADE, "each comes while the one before it goes"
    for one in parts:
        assert one.id == "p" and any(q.start <= one.first and one.first + one.span.length <= q.end for q in quiet)
