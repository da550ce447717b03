"""The mix: independent of how it is cut into blocks, with the voice where it belongs."""

import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fendo_core.audio import levels
from fendo_core.audio.ceiling import LATENCY, Ceiling
from fendo_core.handover import mix
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.voice import level

spans = st.lists(
    st.tuples(st.integers(0, 300_000), st.integers(1000, 80_000)).map(lambda p: Span(p[0], p[0] + p[1])), max_size=4
)


ENGINE = Path(__file__).parents[2] / "web" / "src" / "engine"


@settings(max_examples=30, deadline=None)
@given(spans, st.lists(st.integers(1, 399_999), max_size=5), st.integers(0, 90_000), st.integers(0, 240_000))
def test_beds_give_way_the_same_wherever_blocks_are_cut_and_never_jump(voice, cuts, fall, rise):
    points = mix.duck_points(voice, mix.Ducking(fall, rise))
    whole = mix.ducked(Span(0, 400_000), points)
    edges = sorted({0, 400_000, *cuts})
    pieces = [mix.ducked(Span(a, b), points) for a, b in zip(edges, edges[1:], strict=False)]
    assert np.array_equal(np.concatenate(pieces), whole)
    for span in voice:
        assert np.all(whole[span.start : min(span.end, 400_000)] == 1.0)
    assert np.all((whole >= 0) & (whole <= 1))
    steepest = 1.0 / max(1, min(fall, rise))
    assert np.all(np.abs(np.diff(whole)) <= steepest * 1.001 + 1e-6)
    assert [at for at, _ in points] == sorted(at for at, _ in points)


@pytest.mark.parametrize("case", json.loads((ENGINE / "ducking.cases.json").read_text()), ids=lambda case: case["name"])
def test_beds_give_way_as_in_the_player(case):
    ducking = mix.Ducking(case["fall"], case["rise"], case["hold"])
    found = mix.duck_points([Span(*span) for span in case["spans"]], ducking)
    assert [at for at, _ in found] == [at for at, _ in case["points"]]
    assert [amount for _, amount in found] == pytest.approx([amount for _, amount in case["points"]], abs=1e-6)


def toned(case):
    """The sound of a case of the ceiling, shape (n, 2)."""
    made, n = np.zeros((case["length"], 2)), np.arange(case["length"])
    for tone in case["tones"]:
        here = n[tone["from"] : tone["to"]]
        wave = tone["amplitude"] * np.sin(2 * np.pi * tone["hertz"] * here / SAMPLE_RATE)
        made[here, 0] += wave * tone["left"]
        made[here, 1] += wave * tone["right"]
    return made.astype(np.float32)


CEILING = json.loads((ENGINE / "ceiling.cases.json").read_text())


@pytest.mark.parametrize("case", CEILING["cases"], ids=lambda case: case["name"])
def test_the_ceiling_is_the_players(case):
    assert CEILING["latency"] == LATENCY
    found = Ceiling(case["ceiling"])(toned(case))
    for at, left, right in case["out"]:
        assert found[at] == pytest.approx([left, right], abs=2e-6)


@pytest.mark.parametrize("hertz", [300.0, 997.0, 5_000.0, 11_990.0])
def test_no_true_peak_passes_the_ceiling_and_what_is_below_is_untouched(hertz):
    """Measured by the loudness library's own interpolation, not by that of the ceiling."""
    t = np.arange(3 * SAMPLE_RATE) / SAMPLE_RATE
    swell = np.clip(np.sin(2 * np.pi * 0.7 * t), 0, 1)
    sound = np.repeat((1.7 * swell * np.sin(2 * np.pi * hertz * t)).astype(np.float32)[:, None], 2, axis=1)
    ceiling = Ceiling(-1.0)
    out = ceiling(np.concatenate([sound, np.zeros((LATENCY, 2), np.float32)]))[LATENCY:]
    assert levels.measure(np.ascontiguousarray(out[:, 0])).true_peak <= -1.0
    assert ceiling.worked.deepest < -5 and 0.1 < ceiling.worked.share < 0.9
    quiet, untouched = sound * np.float32(0.39), Ceiling(-1.0)
    assert np.array_equal(untouched(quiet)[LATENCY:], quiet[:-LATENCY]) and untouched.worked.share == 0


@given(st.lists(st.integers(1, 30_000), max_size=6))
@settings(max_examples=10, deadline=None)
def test_the_ceiling_does_not_depend_on_where_blocks_are_cut(cuts):
    sound = (np.random.default_rng(4).standard_normal((30_000, 2)) * 0.5).astype(np.float32)
    whole, pieces = Ceiling(-1.0)(sound), Ceiling(-1.0)
    edges = sorted({0, 30_000, *cuts})
    parts = [pieces(sound[a:b]) for a, b in zip(edges, edges[1:], strict=False)]
    assert np.concatenate(parts) == pytest.approx(whole, abs=1e-6)


def test_a_voice_lies_in_the_mix_to_the_sample_across_a_block_border():
    rng = np.random.default_rng(2)
    reading = (rng.standard_normal(SAMPLE_RATE) * 0.1).astype(np.float32)
    start = mix.BLOCK - 20_001
    placed = mix.Placed(Span(start, start + len(reading)), lambda a, b: reading[a - start : b - start])
    mixed = np.concatenate(list(mix.mixdown(mix.BLOCK + SAMPLE_RATE, [placed], [])))
    assert len(mixed) == mix.BLOCK + SAMPLE_RATE
    edge = mix.CUT_FADE
    assert np.array_equal(mixed[start + edge : start + len(reading) - edge, 0], reading[edge:-edge])
    assert np.all(mixed[:start] == 0)
    assert abs(mixed[start + 1, 0]) < abs(reading[1]) + 1e-9


def test_a_voice_has_its_gain_and_one_past_the_end_goes_out_softly():
    placed = mix.Placed(Span(0, 2 * SAMPLE_RATE), lambda a, b: np.full(b - a, 0.1, np.float32), 6.0)
    mixed = np.concatenate(list(mix.mixdown(SAMPLE_RATE, [placed], [])))
    assert mixed[SAMPLE_RATE // 2, 0] == pytest.approx(0.1 * 10 ** (6 / 20), rel=1e-5)
    assert mixed[-1, 0] < 0.01


def test_beds_are_cut_softly_levelled_and_ducked_only_where_they_are_to_be():
    def tone(a, b):
        return np.full((b - a, 2), 0.25, np.float32)

    span, voice = Span(100_000, 300_000), Span(180_000, 250_000)
    soft = mix.Bed(span, tone, depth=-12.0, level=-6.0, fades=(mix.CUT_FADE, 0))
    kept = mix.Bed(span, tone)
    low = np.concatenate(list(mix.mixdown(mix.BLOCK, [], [voice], [soft])))
    same = np.concatenate(list(mix.mixdown(mix.BLOCK, [], [voice], [kept])))
    half = 0.25 * 10 ** (-6 / 20)
    assert not np.any(low[:100_000]) and not np.any(low[300_000:])
    assert low[100_001, 0] < 0.01 * half < half * 0.99 < low[100_000 + mix.CUT_FADE, 0]
    np.testing.assert_allclose(low[200_000], half * 10 ** (-12 / 20), rtol=1e-4)
    np.testing.assert_allclose(same[100_000:300_000], 0.25, rtol=1e-6)


def test_a_voice_is_levelled_and_beds_lie_under_it():
    assert level.gain_for(-31.0, -16.0) == 15.0
    assert (level.gain_for(-31.0, None), level.gain_for(None, -16.0), level.gain_for(-70.0, -16.0)) == (0.0, 0.0, 30.0)
    assert level.give_way(-16.0, 0.0, -16.0, 10.0) == -10.0
    assert level.give_way(-40.0, 6.0, -16.0, 10.0) == 0.0, "it lies low enough already"
    assert level.give_way(None, 0.0, -16.0, 10.0) == level.UNKNOWN_BED
    assert level.voice_level(None, [-30.0, -20.0, -24.0]) == -24.0
