"""The fast forms against slow and plain ones that were written apart from them."""

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from fendo_core.audio import levels
from fendo_core.handover import mix
from fendo_core.timebase import SAMPLE_RATE, Span

loud = st.sampled_from([-1.0, -0.99995, -0.5, 0.0, 0.5, 0.99995, 1.0])
sounds = arrays(np.float32, st.integers(0, 60), elements=loud.map(np.float32))
spans = st.lists(
    st.tuples(st.integers(0, 90_000), st.integers(1, 40_000)).map(lambda p: Span(p[0], p[0] + p[1])), max_size=5
)


def slow_flat_tops(sound) -> list[tuple[int, int]]:
    """Walk the samples one by one: level runs, then those near the peak that stop where another one stops."""
    step, runs, start = np.float32(4e-5), [], 0
    for at in range(1, len(sound) + 1):
        if at == len(sound) or abs(sound[at] - sound[at - 1]) > step:
            level = abs(sound[start])
            before = abs(sound[start] - sound[start - 1]) if start else 0.0
            behind = abs(sound[at] - sound[at - 1]) if at < len(sound) else 0.0
            steep = max(before, behind) >= 12 * step and min(before, behind) >= 4 * step
            if at - start >= 3 and level >= 0.02 and (steep or level >= 0.9999):
                runs.append((start, at, float(level)))
            start = at
    peak = max((abs(float(each)) for each in sound), default=0.0)
    runs = [run for run in runs if run[2] >= 0.8 * peak]
    joined = []
    for start, end, level in runs:
        others = [other for _, _, other in runs if level * 0.997 <= other <= level * 1.003]
        if level < 0.9999 and end - start < 5 and len(others) < 2:
            continue
        if joined and start - joined[-1][1] < SAMPLE_RATE // 100:
            joined[-1] = (joined[-1][0], max(joined[-1][1], end))
        else:
            joined.append((start, end))
    return joined


@settings(max_examples=300)
@given(sounds)
def test_flat_tops_are_those_that_a_walk_over_the_samples_finds(sound):
    assert [(span.start, span.end) for span in levels.clipped_spans(sound)] == slow_flat_tops(sound)


@given(arrays(np.float32, st.integers(1, 90), elements=st.floats(-1, 1, width=32)), st.integers(1, 20))
def test_a_waveform_column_is_the_peak_and_the_average_of_its_block(sound, block):
    drawn = levels.overview(sound, block)
    for column in range(len(drawn)):
        piece = np.zeros(block)
        piece[: len(sound[column * block : (column + 1) * block])] = sound[column * block : (column + 1) * block]
        for value, amplitude in zip(drawn[column], (np.max(np.abs(piece)), np.sqrt(np.mean(piece**2))), strict=True):
            level = max(-60.0, levels.decibels(float(amplitude)))
            assert abs(int(value) - (level + 60) * 4.25) <= 0.51 + 1e-3


@settings(max_examples=40, deadline=None)
@given(spans, st.integers(0, 130_000))
def test_the_bed_at_one_sample_is_what_the_nearest_voice_asks(voice, at):
    """How far a single sample gives way, from the definition: in proportion to how far the slope has come."""
    ducking = mix.Ducking()
    fast = float(mix.ducked(Span(at, at + 1), mix.duck_points(voice, ducking))[0])
    joined: list[list[int]] = []
    for span in sorted(voice):
        if joined and span.start - joined[-1][1] < ducking.hold:
            joined[-1][1] = max(joined[-1][1], span.end)
        else:
            joined.append([span.start, span.end])
    amount = 0.0
    for start, end in joined:
        if start <= at <= end:
            amount = 1.0
        elif at < start:
            amount = max(amount, 1 - (start - at) / ducking.fall)
        else:
            amount = max(amount, 1 - (at - end) / ducking.rise)
    assert abs(fast - max(0.0, amount)) < 1e-3


@given(spans, st.integers(0, 50_000))
def test_joined_spans_are_ordered_apart_and_cover_what_they_came_from(voice, hold):
    joined = mix._joined(voice, hold)
    for before, after in zip(joined, joined[1:], strict=False):
        assert after.start - before.end >= hold
    for span in voice:
        assert any(one.start <= span.start and span.end <= one.end for one in joined)
    assert sum(one.length for one in joined) <= (max((s.end for s in voice), default=0))
