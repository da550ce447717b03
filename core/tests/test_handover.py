"""The mix: independent of how it is cut into blocks, with the voice where it belongs."""

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fendo_core.handover import mix
from fendo_core.handover.listing import Listed, csv_list
from fendo_core.timebase import SAMPLE_RATE, FrameRate, Span

spans = st.lists(
    st.tuples(st.integers(0, 300_000), st.integers(1000, 80_000)).map(lambda p: Span(p[0], p[0] + p[1])), max_size=4
)


@settings(max_examples=30, deadline=None)
@given(spans, st.lists(st.integers(1, 399_999), max_size=5))
def test_the_bed_gives_way_the_same_wherever_the_blocks_are_cut(voice, cuts):
    ducking = mix.Ducking()
    whole = mix.duck_envelope(Span(0, 400_000), voice, ducking)
    edges = sorted({0, 400_000, *cuts})
    pieces = [mix.duck_envelope(Span(a, b), voice, ducking) for a, b in zip(edges, edges[1:], strict=False)]
    assert np.array_equal(np.concatenate(pieces), whole)
    for span in voice:
        assert whole[span.start : min(span.end, 400_000)] == pytest.approx(10 ** (-12 / 20), abs=1e-6)
    assert np.all(whole <= 1.0)


def test_a_reading_lies_in_the_mix_to_the_sample_across_a_block_border():
    rng = np.random.default_rng(2)
    reading = (rng.standard_normal(SAMPLE_RATE) * 0.1).astype(np.float32)
    start = mix.BLOCK - 20_001
    placed = mix.Placed(Span(start, start + len(reading)), lambda a, b: reading[a - start : b - start])
    mixed = np.concatenate(list(mix.mixdown(mix.BLOCK + SAMPLE_RATE, [placed], [], None)))
    edge = placed.fade
    assert np.array_equal(mixed[start + edge : start + len(reading) - edge, 0], reading[edge:-edge])
    assert np.all(mixed[:start] == 0)
    assert mixed[start + 1, 0] < abs(reading[1]) + 1e-9


def test_the_sum_never_passes_the_ceiling():
    loud = np.full((mix.BLOCK, 2), 0.95, np.float32)
    placed = mix.Placed(Span(0, mix.BLOCK), lambda a, b: np.full(b - a, 0.9, np.float32))
    (block,) = mix.mixdown(mix.BLOCK, [placed], [], [mix.Bed(Span(0, mix.BLOCK), lambda a, b: loud[: b - a])])
    assert float(np.max(np.abs(block))) <= 10 ** (-1 / 20) + 1e-6


def test_beds_are_cut_softly_levelled_and_lowered_only_where_they_are_to_be():
    def tone(a, b):
        return np.full((b - a, 2), 0.25, np.float32)

    span, voice = Span(100_000, 300_000), Span(180_000, 250_000)
    soft = mix.Bed(span, tone, lowered=True, level=-6.0, fades=(mix.CUT_FADE, 0))
    kept = mix.Bed(span, tone, lowered=False)
    (low,) = mix.mixdown(mix.BLOCK, [], [voice], [soft])
    (same,) = mix.mixdown(mix.BLOCK, [], [voice], [kept])
    half = 0.25 * 10 ** (-6 / 20)
    assert not np.any(low[:100_000]) and not np.any(low[300_000:])
    assert low[100_000, 0] < 0.01 * half < half * 0.99 < low[100_000 + mix.CUT_FADE, 0]
    np.testing.assert_allclose(low[200_000], half * 10 ** (-12 / 20), rtol=1e-4)
    np.testing.assert_allclose(same[100_000:300_000], 0.25, rtol=1e-6)


def test_the_list_tells_where_each_file_begins_and_holds_no_formula():
    rate = FrameRate(Fraction(25))
    rows = csv_list(
        [
            Listed("b.wav", "2", "1", '=HYPERLINK("x")', 96_000, 48_000),
            Listed("a.wav", "1", "3", "Plain, words", 48_000, 24_000, True),
        ],
        rate,
        10 * 3600 * 25,
    ).splitlines()
    assert rows[1] == 'a.wav,1,3,"Plain, words",10:00:01:00,48000,0.500,no'
    assert rows[2].startswith("b.wav,2,1,\"'=HYPERLINK")
