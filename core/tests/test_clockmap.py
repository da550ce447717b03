"""Clock maps from made logs: known steps, jitter, drift and rasters, and what the map says of them."""

import json
from dataclasses import replace
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from fendo_core.booth.clocklog import PAIRS, ClockLog, pairs, read_lines
from fendo_core.booth.clockmap import OTHER_CONTEXT, TRUSTED, UNMEASURED, ClockMap, make_map
from fendo_core.timebase import FRAME_RATES, SAMPLE_RATE, FrameRate

RATE = FrameRate(Fraction(25))
MS = SAMPLE_RATE // 1000


class World:
    """An audio context whose frames run against a page clock with drift and stops, and a screen that draws a film."""

    def __init__(self, seconds=6.0, drift=0.0, stops=(), jitter=0.0, seed=1, every=0.02, start_frame=100_000):
        self.rng = np.random.default_rng(seed)
        self.start, self.seconds, self.drift = start_frame, seconds, drift
        self.stops = sorted(stops)  # (seconds after the start, length in seconds)
        self.jitter, self.every = jitter, every

    def frame(self, t):
        """Context frame heard at second t of the page's clock; the start of the take is heard at t = 10."""
        run = np.asarray(t, float) - 10.0
        frames = run * SAMPLE_RATE * (1 + self.drift * 1e-6)
        for at, length in self.stops:
            frames = frames - np.clip(run - at, 0, length) * SAMPLE_RATE
        return self.start + frames

    def output(self):
        t = np.arange(9.0, 10.6 + self.seconds + sum(length for _, length in self.stops), self.every)
        heard = self.frame(t) + self.rng.normal(0, self.jitter * MS, len(t))
        return tuple((round(f), round(x * 1e6)) for f, x in zip(heard, t, strict=True))

    def seen(self, rate, late=0.0, hertz=60.0, phase=0.3, position_at_start=0, stall=None):
        """Each frame when it is first drawn: at the ticks of a screen, `late` seconds after it was due."""
        drawn, last = [], None
        for n in range(round((self.seconds + 1) * hertz)):
            t = 9.5 + (n + phase) / hertz
            if stall and stall[0] <= t - 10 < stall[1]:
                continue
            position = position_at_start + float(self.frame(t - late)) - self.start
            number = rate.frame_at(max(0, int(position)))
            if number != last:
                drawn.append((number, round(t * 1e6)))
                last = number
        return pairs(drawn)

    def log(self, position=5 * SAMPLE_RATE, **more):
        more = {"source": "measured", "fresh": True} | more
        return ClockLog(
            capture=((0, self.start),),
            transport=((self.start - 4800, position - 4800),),
            output=pairs(self.output()),
            **more,
        )

    @property
    def length(self):
        return round(self.seconds * SAMPLE_RATE)


frames = st.integers(1_000_000, 10**10)
latency = st.integers(0, 48_000)


@given(frames, frames, st.integers(-(10**6), 10**10), latency, st.integers(0, 10**8))
def test_what_answers_the_cue_lies_on_the_cue(capture, anchor, position, round_trip, reaction):
    """Scheduled at frame f, answered `reaction` later, labelled after the whole way round: it lies at cue + reaction."""
    log = ClockLog(((0, capture),), ((anchor, position),), latency=round_trip, source="measured", fresh=True)
    cue, scheduled = position + 1000, anchor + 1000
    labelled = scheduled + round_trip + reaction
    assert make_map(log, 480_000, RATE).programme_position(labelled - capture) == cue + reaction


@settings(max_examples=60, deadline=None)
@given(
    st.integers(0, 10**6),
    st.floats(-300, 300),
    st.floats(0, 0.05),
    st.lists(st.tuples(st.floats(0.6, 5.2), st.floats(0.004, 0.3)), max_size=2),
)
def test_every_stop_of_the_sound_is_found_and_drift_and_jitter_are_none(seed, drift, jitter, stops):
    stops = [s for n, s in enumerate(sorted(stops)) if n == 0 or s[0] - sorted(stops)[n - 1][0] > 1.0]
    world = World(seconds=12.0, drift=drift, jitter=jitter, stops=stops, seed=seed)
    log = world.log()
    made = make_map(log, world.length, RATE)
    assert made.start == 5 * SAMPLE_RATE, "no reading of the page's clock moves a take that followed the sound"
    assert len(made.breaks) == len(stops)
    for (at, by), (second, long) in zip(made.breaks, stops, strict=True):
        lost_before = sum(length for when, length in stops if when < second)
        assert abs(by + long * SAMPLE_RATE) < 0.3 * MS + abs(drift) * 1e-6 * SAMPLE_RATE * 0.5
        assert abs(at - (second - lost_before) * SAMPLE_RATE) < 0.08 * SAMPLE_RATE + long * SAMPLE_RATE
    if not stops:
        assert made.trusted
        assert abs(made.drift - drift) < 8 + jitter * 60
        assert made.residual < (0.05 + 3 * jitter) * MS + 1
    else:
        assert not made.trusted
        assert made.within >= 0.9 * sum(length for _, length in stops) * SAMPLE_RATE
        assert all("stood still" in words for _, words in made.doubts)


def test_one_wrong_reading_is_no_break_and_thin_readings_are_said():
    world = World()
    log = world.log()
    wrong = list(log.output)
    wrong[150] = (wrong[150][0] + 9000, wrong[150][1])
    assert make_map(replace(log, output=pairs(wrong)), world.length, RATE).trusted
    at = (log.output[:, 0] - world.start) / SAMPLE_RATE
    thin = log.output[(at < 1.0) | (at > 4.5)]
    made = make_map(replace(log, output=thin), world.length, RATE)
    assert not made.trusted and "no clock reading for 3.5 s" in made.doubts[0][1]
    assert abs(made.doubts[0][0] - SAMPLE_RATE) < 2000


def test_a_throttled_tab_reads_once_a_second_and_that_is_enough():
    world = World(seconds=40, every=1.0, stops=[(20.3, 0.5)])
    made = make_map(world.log(), world.length, RATE)
    assert len(made.breaks) == 1 and abs(made.breaks[0][1] + SAMPLE_RATE / 2) < MS
    assert make_map(World(seconds=40, every=1.0).log(), 40 * SAMPLE_RATE, RATE).trusted


@settings(max_examples=40, deadline=None)
@example(FrameRate(Fraction(30)), 0.0, 0.015625, -35.0)
@given(st.sampled_from(FRAME_RATES), st.floats(0, 0.06), st.floats(0, 0.99), st.floats(-100, 100))
def test_a_reader_who_follows_the_picture_is_placed_by_what_was_seen(rate, late, phase, drift):
    """The answer to a frame lies, on average, on that frame, whatever the picture's lateness and the screen's phase."""
    world = World(seconds=8, drift=drift)
    start = 2 * SAMPLE_RATE
    seen = world.seen(rate, late=late, phase=phase, position_at_start=start)
    made = make_map(world.log(position=start, guide="eye", seen=seen), world.length, rate)
    answers = []
    for number, t in seen:
        sample = round(float(world.frame(t / 1e6))) - world.start
        if 0 <= sample < world.length:
            answers.append(made.programme_position(sample) - rate.first_sample(number))
    # The mean leaves out a twentieth at either end: of frames that lie a tick apart so many may be the others.
    assert abs(np.mean(answers)) <= SAMPLE_RATE / 60 / 20 + 0.1 * MS
    assert made.guide == "eye" and made.picture_late is not None
    assert late * SAMPLE_RATE - MS <= made.picture_late <= late * SAMPLE_RATE + SAMPLE_RATE / 60 + MS
    ear = make_map(world.log(position=start, seen=seen), world.length, rate)
    assert ear.start == start and ear.picture_late == made.picture_late


def test_a_picture_that_stood_still_is_said_with_its_place():
    world = World(seconds=6)
    seen = world.seen(RATE, stall=(2.0, 2.6))
    # After a stall the frames that were due meanwhile are drawn late, all at once.
    due = [(RATE.frame_at(int((2.0 + k / 25) * SAMPLE_RATE)), round(12.6e6)) for k in range(1, 14)]
    made = make_map(world.log(position=0, guide="eye", seen=pairs([*seen.tolist(), *due])), world.length, RATE)
    assert [words for _, words in made.doubts] == ["the picture stood still"]
    assert abs(made.doubts[0][0] - 2.6 * SAMPLE_RATE) < 0.1 * SAMPLE_RATE
    assert not made.trusted


def test_gaps_notes_and_the_source_decide_what_is_said():
    world = World()
    simulated = make_map(replace(world.log(), source="none"), world.length, RATE)
    assert simulated.trusted and simulated.within == 0
    by_browser = make_map(replace(world.log(), source="browser"), world.length, RATE)
    assert by_browser.within == UNMEASURED > TRUSTED and not by_browser.trusted
    old = make_map(replace(world.log(), fresh=False, spread=10), world.length, RATE)
    assert old.within == OTHER_CONTEXT + 10
    assert "known to 10 ms only" in old.doubts[0][1]
    holed = make_map(
        replace(world.log(), gaps=((96_000, 256),), notes=((4800, "the microphone was muted"),)), world.length, RATE
    )
    assert [at for at, _ in holed.doubts] == [4800, 96_000] and "5 ms of sound are missing" in holed.doubts[1][1]
    assert holed.start == 5 * SAMPLE_RATE, "a gap is filled and shifts nothing"


def test_a_pause_makes_a_second_piece_that_goes_on_where_the_first_stopped():
    log = ClockLog(
        capture=((0, 100_000), (48_000, 400_000)),
        transport=((90_000, 0), (300_000, -42_000)),
        latency=2000,
        source="none",
    )
    made = make_map(log, 96_000, RATE)
    assert made.start == 100_000 - 2000 - 90_000
    # The transport's second run: frame 400000 - 2000 is at programme -42000 + 98000 = 56000 = 8000 + 48000.
    assert [made.programme_position(s) for s in (0, 47_999, 48_000)] == [8000, 55_999, 56_000]
    assert not made.doubts
    off = replace(log, transport=((90_000, 0), (300_000, -40_000)))
    assert "after the pause" in make_map(off, 96_000, RATE).doubts[0][1]


@given(st.lists(st.sampled_from(["output", "seen", "gaps"]), max_size=6), st.randoms())
def test_parts_may_come_twice_and_in_any_order(names, random):
    first = {"capture": [[0, 5]], "transport": [[0, 0]], "source": "measured", "spread": 3, "fresh": True}
    rest = [{name: [[n, n + 1], [n + 2, n]]} for n, name in enumerate(names)]
    again = rest + rest
    random.shuffle(again)
    log = ClockLog.from_parts([first, *again, first])
    for name, found in (("output", log.output.tolist()), ("seen", log.seen.tolist()), ("gaps", log.gaps)):
        assert [tuple(pair) for pair in found] == sorted({tuple(pair) for part in rest for pair in part.get(name, ())})
    assert (log.capture, log.transport, log.spread) == (((0, 5),), ((0, 0),), 3)


def test_what_is_no_log_is_refused_and_a_torn_line_is_left_out():
    for bad in (
        {},
        {"capture": [[0, 1]]},
        {"capture": [[0]], "transport": [[0, 0]]},
        {"capture": 7, "transport": [[0, 0]]},
        {"capture": [[0, 1]], "transport": [[0, 2**60]]},
        {"capture": [[0, 1]], "transport": [[0, 0]], "output": [[0, float("nan")]]},
        {"capture": [[0, 1]], "transport": [[0, 0]], "output": [[0, 1], [2]]},
        {"capture": [[0, 1]], "transport": [[0, 0]], "seen": [["0", 1]]},
    ):
        with pytest.raises(ValueError, match="the clock log of the take is"):
            ClockLog.from_parts([bad])
    whole = {"capture": [[0, 1]], "transport": [[0, 0]]}
    for name, value in (("source", "guessed"), ("guide", "nose"), ("latency", -1), ("latency", float("inf"))):
        with pytest.raises(ValueError, match="the clock log of the take is"):
            ClockLog.from_parts([whole, {name: value}])
    assert read_lines(['{"output": [[1, 2]]}', '{"outp', "[]", ""]) == [{"output": [[1, 2]]}]


wild = st.lists(st.tuples(st.integers(-(2**53), 2**53), st.integers(-(2**53), 2**53)), min_size=1, max_size=30)


@settings(max_examples=150, deadline=None)
@given(st.fixed_dictionaries(dict.fromkeys(PAIRS, wild)), st.integers(0, 2**60), st.integers(1, 10**9))
def test_a_log_of_nonsense_makes_a_map_that_can_be_kept_or_none(pairs, latency, length):
    """Whatever a browser says: it is refused, or gives a map whose numbers the database takes."""
    part = {name: [list(pair) for pair in found] for name, found in pairs.items()}
    try:
        log = ClockLog.from_parts([part | {"latency": latency, "spread": 5, "source": "measured", "guide": "eye"}])
    except ValueError:
        return
    made = make_map(log, length, RATE)
    assert 0 <= made.within < 2**31 and abs(made.start) < 2**63
    assert ClockMap.from_dict(json.loads(json.dumps(made.as_dict()))) == made


def test_a_map_is_kept_as_it_was_and_a_broken_one_is_refused():
    world = World(stops=[(2.0, 0.1)])
    made = make_map(world.log(seen=world.seen(RATE), guide="eye", gaps=((7, 128),)), world.length, RATE)
    assert ClockMap.from_dict(made.as_dict()) == made
    with pytest.raises(ValueError, match="no clock map"):
        ClockMap.from_dict({"pieces": [{}]})


@settings(max_examples=60, deadline=None)
@example(960, 2.078125, 43.0, 82.0)
@given(st.integers(0, 10**6), st.floats(1.0, 3.0), st.floats(-200, 200), st.floats(6, 120))
def test_jitter_alone_makes_no_break_and_no_doubt(seed, jitter, drift, seconds):
    world = World(seconds=seconds, drift=drift, jitter=jitter, seed=seed)
    made = make_map(world.log(), world.length, RATE)
    assert made.breaks == () and made.doubts == () and made.within == 0


def test_what_is_said_covers_the_truth_when_the_clock_breaks_once():
    covered = told = 0
    for seed in range(150):
        rng = np.random.default_rng(seed)
        long, at = float(rng.uniform(0.003, 0.2)), float(rng.uniform(1.0, 10.0))
        jitter = float(rng.uniform(0, 2.0))
        world = World(seconds=12.0, drift=float(rng.uniform(-150, 150)), jitter=jitter, stops=[(at, long)], seed=seed)
        made = make_map(world.log(), world.length, RATE)
        # Behind the break it may lie off by all of it.
        covered += made.within >= long * SAMPLE_RATE
        told += bool(made.breaks)
    assert told >= 0.97 * 150 and covered >= 0.97 * 150, (told, covered)


def test_many_stops_too_small_to_be_told_are_said_together():
    for jitter in (0.0, 0.5):
        stops = [(1.0 + n, 0.0017) for n in range(6)]
        made = make_map(World(seconds=8.0, jitter=jitter, stops=stops).log(), 8 * SAMPLE_RATE, RATE)
        assert not made.trusted and made.within >= 0.8 * 6 * 1.7 * MS, (made.within, made.breaks)
