"""Polish: places against injected truth, mends against the clean sound, treatments against their definitions."""

import json
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.signal import butter, lfilter, sosfilt, sosfiltfilt, sosfreqz

from fendo_core.audio.levels import gain, measure
from fendo_core.audio.speech import hear
from fendo_core.polish.comparing import WANTED, TooShort, as_loud
from fendo_core.polish.drawing import drawing, taken_away
from fendo_core.polish.edits import CloseGap, DropRepairs, Mend, SetTreatment, Wanted, checked
from fendo_core.polish.heard import SHARP_TOLD, heard_in, told
from fendo_core.polish.neighbours import unlike_places
from fendo_core.polish.places import can_be_mended, left, of_words, open_places, said, stage_for, with_stage
from fendo_core.polish.scan import Place, natural_gap, scan
from fendo_core.polish.sibilance import sharpness
from fendo_core.polish.suggestion import suggested
from fendo_core.polish.treatment_file import as_file, of_file
from fendo_core.production.edits import perform
from fendo_core.production.refusal import EditRefused
from fendo_core.production.state import State, TakeRef, difference, rows
from fendo_core.reader import narrator, noises
from fendo_core.script.lines import Line
from fendo_core.takes.character import Sounded
from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds
from fendo_core.voice import Comp, key, render, render_whole, tighten
from fendo_core.voice.chain import STAGE_KINDS, STAGES, STARTS, Chain, Stage, made
from fendo_core.voice.repair import BESIDE_TOPS, Repair, interpolated, mended
from fendo_core.voice.treatment import _bell, _shelf, treated, treated_blocks
from fendo_core.words import ReadCheck, read_check
from fendo_core.words.check import Word

PHRASES = (
    "Fog lies on the estuary before the gates are closed.",
    "Half the flour went to the bakers of the town.",
    "Thick ropes hold the boat against the current.",
    "Nobody could say how old the wheel was.",
)


@pytest.fixture(scope="module")
def phrases():
    return {voice: [narrator._spoken(text, voice, 1.0) for text in PHRASES] for voice in narrator.VOICES}


def reading(voices, seed, faults=True):
    """Phrases half a second apart in a quiet room, with what readings have; the truth as (kind, span); the clean sound."""
    rng, parts, truth, worn, at = np.random.default_rng([seed, 3]), [np.zeros(SAMPLE_RATE, np.float32)], [], [], SAMPLE_RATE
    for voice in voices:
        voice = voice / np.abs(voice).max() * gain(-9)
        start, end = at, at + len(voice)
        pause = int(rng.integers(26_000, 36_000))
        parts += [voice.astype(np.float32), np.zeros(pause, np.float32)]
        at = end + pause
        breath = noises.breath(rng.uniform(-40, -32), rng, int(rng.uniform(0.22, 0.34) * SAMPLE_RATE))
        click, pop = noises.mouth_click(rng.uniform(-38, -26), rng), noises.pop(rng.uniform(-10, -6), rng)
        worn += [
            ("breath", start - len(breath) - milliseconds(50), breath),
            ("click", end + milliseconds(120), click),
            ("plosive", start + milliseconds(20), pop),
        ]
    clean = np.concatenate([*parts, np.zeros(SAMPLE_RATE, np.float32)])
    clean = clean + noises.room_noise(len(clean), -66, rng)
    if not faults:
        return clean, [], clean
    truth = [(kind, Span(at, at + len(sound))) for kind, at, sound in worn]
    return noises.sprinkle(clean, [(at, sound) for _, at, sound in worn]), truth, clean


@pytest.mark.parametrize("voice", narrator.VOICES)
def test_breaths_clicks_and_plosives_are_found_and_clean_readings_are_left_alone(voice, phrases):
    sound, truth, clean = reading(phrases[voice], 5)
    found = scan(sound)
    missed = [one for one in truth if not any(p.kind == one[0] and p.span.meets(one[1]) for p in found)]
    wrong = [p for p in found if not any(p.kind == kind and p.span.meets(span) for kind, span in truth)]
    assert len(missed) <= 1 and len(wrong) <= 1, (missed, wrong)
    assert len(scan(clean)) <= 1, scan(clean)


def test_the_last_bits_that_a_gate_lets_through_are_no_clicks():
    rng = np.random.default_rng(23)
    voice = narrator._spoken("The stones are lifted, and the sluice is shut.", "slt", 1.0)
    gated = np.round(np.concatenate((voice, np.zeros(SAMPLE_RATE, np.float32), voice)) * 32768) / 32768
    at = len(voice) + milliseconds(100) + rng.integers(0, milliseconds(700), 12)
    gated[at] = 1 / 32768
    assert not [place for place in scan(gated.astype(np.float32)) if place.kind == "click"]


@pytest.mark.parametrize("voice", narrator.VOICES)
def test_a_click_in_a_breath_is_both_and_the_release_of_a_t_is_left_alone(voice):
    """The same click, in a breath and where a t is let go: some 80 ms behind the voice, with quiet before and behind."""
    rng = np.random.default_rng(91)
    spoken = narrator._spoken("They led the cattle down to the meadow.", voice, 1.0).astype(np.float32)
    # A stop cuts the voice off.
    loud = np.flatnonzero(np.abs(spoken) > 0.25 * np.max(np.abs(spoken)))
    spoken, pause = spoken[: loud[-1]], np.zeros(SAMPLE_RATE, np.float32)
    spoken[-480:] *= np.linspace(1.0, 0.0, 480, dtype=np.float32)
    clean = np.concatenate([pause, spoken, pause])
    clean = clean + noises.room_noise(len(clean), -66.0, rng)
    ends = len(pause) + len(spoken)
    click, breath = noises.mouth_click(-24.0, rng), noises.breath(-36.0, rng, milliseconds(320))
    breathed = ends + milliseconds(450)
    places = {"let go": ends + milliseconds(75), "breathed": breathed + milliseconds(160)}
    worn = noises.sprinkle(clean, [(breathed, breath), *((at, click) for at in places.values())])
    near = {name: Span(at - milliseconds(3), at + len(click) + milliseconds(3)) for name, at in places.items()}
    came = treated(worn, made("one", clicks={}))
    let_go = slice(near["let go"].start, near["let go"].end)
    assert np.array_equal(came[let_go], worn[let_go])
    kinds = {name: {place.kind for place in scan(worn) if place.span.meets(span)} for name, span in near.items()}
    assert kinds == {"let go": set(), "breathed": {"breath", "click"}}


@pytest.mark.parametrize("voice", narrator.VOICES)
def test_coughs_and_knocks_between_words_are_found_and_sink_into_the_room(voice, phrases):
    rng, parts, truth = np.random.default_rng(31), [np.zeros(SAMPLE_RATE, np.float32)], []
    for spoken, make in zip(phrases[voice], (noises.cough, noises.thump, noises.cough, noises.thump), strict=True):
        parts += [(spoken / np.abs(spoken).max() * gain(-9)).astype(np.float32), np.zeros(SAMPLE_RATE * 6 // 5, np.float32)]
        truth.append((sum(map(len, parts)) - SAMPLE_RATE, make(rng.uniform(-30, -20), rng)))
    clean = np.concatenate(parts) + noises.room_noise(sum(map(len, parts)), -66, rng)
    sound = noises.sprinkle(clean, truth)
    found = [place for place in scan(sound) if place.kind == "noise"]
    assert len(found) == 4 and not [place for place in scan(clean) if place.kind == "noise"]
    repairs = [Repair(str(n), "a", one.kind, one.span, one.settings) for n, one in enumerate(found)]
    after = mended(sound, 0, repairs)
    for (at, noise), place in zip(truth, found, strict=True):
        assert place.span.meets(Span(at, at + len(noise)))
        inside = slice(at, at + len(noise))
        assert rms(after[inside]) < rms(sound[inside]) - 8.0
    outside = np.ones(len(sound), dtype=bool)
    for one in found:
        outside[one.span.start : one.span.end] = False
    assert np.array_equal(after[outside], sound[outside])


@pytest.mark.parametrize("voice", narrator.VOICES)
def test_a_stand_that_is_touched_and_a_hum_are_found_and_go(voice, phrases):
    rng = np.random.default_rng(47)
    sound, _, clean = reading(phrases[voice], 9, faults=False)
    touched = noises.handling(-18.0, rng)
    at = 2 * SAMPLE_RATE
    worn = noises.sprinkle(sound, [(at, touched)])
    (place,) = [one for one in scan(worn) if one.kind == "rumble"]
    assert place.span.meets(Span(at, at + len(touched))) and not [one for one in scan(clean) if one.kind == "rumble"]
    after = mended(worn, 0, [Repair("a", "r", "rumble", place.span)])
    inside, low = slice(place.span.start, place.span.end), butter(4, 90, "low", fs=SAMPLE_RATE, output="sos")
    assert rms(sosfiltfilt(low, after)[inside]) < rms(sosfiltfilt(low, worn)[inside]) - 12.0
    outside = np.ones(len(worn), bool)
    outside[inside] = False
    assert np.array_equal(after[outside], worn[outside])
    humming = clean + noises.hum(len(clean), -52.0, rng, 60.0)
    (hum,) = [one for one in scan(humming) if one.kind == "hum"]
    assert hum.settings["mains"] == 60.0 and not [one for one in scan(clean) if one.kind == "hum"]
    quiet = slice(0, SAMPLE_RATE * 9 // 10)
    assert rms(treated(humming, with_stage(None, *stage_for(hum)))[quiet]) < rms(humming[quiet]) - 6.0


@pytest.mark.parametrize(("voice", "over", "lowered"), [("rms", 2.0, 0.0), ("slt", 4.0, -3.0), ("awb", 3.0, 0.0)])
def test_clipped_tops_are_drawn_anew_nearer_to_what_was_said_and_fit(voice, over, lowered, phrases):
    spoken = phrases[voice][0] / np.abs(phrases[voice][0]).max()
    said_was = np.concatenate((np.zeros(9_600), spoken * gain(over), np.zeros(9_600))).astype(np.float32) * gain(lowered)
    sound = np.clip(said_was, -0.98 * gain(lowered), 0.98 * gain(lowered)).astype(np.float32)
    places = [one for one in scan(sound + np.float32(0.0)) if one.kind == "clipped"]
    assert 1 <= len(places) <= 4 and all(can_be_mended(one) for one in places)
    repairs = [Repair(str(n), "r", "clipped", one.span) for n, one in enumerate(places)]
    after = mended(sound, 0, repairs)
    assert np.abs(after).max() <= max(0.986, np.abs(sound).max())
    for one in places:
        inside = slice(one.span.start + BESIDE_TOPS, one.span.end - BESIDE_TOPS)
        scale = float(np.dot(after[inside], said_was[inside]) / np.dot(after[inside], after[inside]))
        off, was = rms(after[inside] * scale - said_was[inside]), rms(sound[inside] - said_was[inside])
        assert off < was - 3.0, (off, was)
    cut = slice(0, places[0].span.start)
    assert np.array_equal(after[cut], sound[cut])
    wave = np.clip(4.0 * np.sin(2 * np.pi * 60.0 * np.arange(1_600) / SAMPLE_RATE), -0.97, 0.97).astype(np.float32)
    flat = np.concatenate((sound, wave * gain(lowered), sound))
    assert not all(can_be_mended(one) for one in scan(flat) if one.kind == "clipped")


def test_a_long_gap_is_proposed_at_the_length_of_this_reader_s_own(phrases):
    one, other = phrases["rms"][:2]
    sound = np.concatenate((one, np.zeros(2 * SAMPLE_RATE, np.float32), other))
    sound = sound + noises.room_noise(len(sound), -66, np.random.default_rng(1))
    (gap,) = [place for place in scan(sound, natural=20_000) if place.kind == "gap"]
    assert abs(gap.span.start - len(one)) < milliseconds(80)
    assert gap.settings == {"keep": 20_000.0}
    assert natural_gap([[Span(0, 100), Span(20_100, 30_000), Span(54_000, 60_000)]] * 3) == 22_000
    assert natural_gap([[Span(0, 100), Span(20_100, 30_000)]]) is None


def test_nothing_outside_of_a_mended_place_is_touched_and_blocks_do_not_matter(phrases):
    sound, truth, clean = reading(phrases["slt"], 6)
    kinds = {"breath": {"decibel": -12.0}, "click": {}, "plosive": {}}
    repairs = [Repair(str(n), "r", kind, span, kinds[kind]) for n, (kind, span) in enumerate(truth)]
    comp = Comp.of_take("r", Span(0, len(sound)), None, 0)
    read = lambda _name, start, end: sound[start:end]  # noqa: E731
    whole = render_whole(comp, read, repairs)
    touched = np.zeros(len(sound), bool)
    for one in repairs:
        touched[one.span.start : one.span.end] = True
    assert np.array_equal(whole[~touched], sound[~touched])
    for block in (997, 48_000):
        assert np.array_equal(np.concatenate(list(render(comp, read, repairs=repairs, block=block))), whole)
    stretch = Span(truth[1][1].start - 10, truth[1][1].end + 500)
    assert np.array_equal(np.concatenate(list(render(comp, read, stretch, repairs))), whole[stretch.start : stretch.end])
    # Nearer to the clean sound than before, for each kind.
    for kind, span in truth:
        here = slice(span.start, span.end)
        before, now = np.sum((sound[here] - clean[here]) ** 2), np.sum((whole[here] - clean[here]) ** 2)
        assert now < before * 0.5, kind
    off = [replace(one, on=False) for one in repairs]
    assert render_whole(comp, read, off) is not None and np.array_equal(render_whole(comp, read, off), sound)
    assert key(comp, off) == key(comp) != key(comp, repairs)


def test_a_click_on_a_tone_is_drawn_as_the_tone_goes_on():
    """A sine is predicted without error, so what is drawn anew must be the sine."""
    tone = (0.3 * np.sin(2 * np.pi * 440 * np.arange(9_600) / SAMPLE_RATE)).astype(np.float32)
    broken = tone.copy()
    broken[4_800:4_920] = 0.9
    drawn = mended(broken, 0, [Repair("1", "r", "click", Span(4_800, 4_920))])
    assert np.max(np.abs(drawn - tone)) < 0.01
    assert np.array_equal(interpolated(np.zeros(2_000, np.float32), 1_000, 50), np.zeros(50, np.float32))


full = made("all", **{stage.kind: {} for stage in STAGES})


@settings(max_examples=15, deadline=None)
@given(cuts=st.lists(st.integers(0, 30_000), max_size=6), which=st.sampled_from([*STARTS, full]))
def test_a_treatment_does_not_depend_on_where_blocks_are_cut(cuts, which):
    sound = noises.hiss(30_000, -30, np.random.default_rng(2))
    edges = [0, *sorted(cuts), len(sound)]
    blocks = [sound[a:b] for a, b in zip(edges, edges[1:], strict=False)]
    parts = list(treated_blocks(blocks, which))
    assert [len(part) for part in parts] == [len(block) for block in blocks if len(block)]
    assert np.array_equal(np.concatenate(parts), treated(sound, which))


@settings(max_examples=10, deadline=None)
@given(start=st.integers(0, 90_000), length=st.integers(1, 60_000), block=st.integers(3_000, 50_000))
def test_a_stretch_of_a_treated_voice_is_what_lies_there_in_the_whole(start, length, block):
    sound = noises.hiss(100_000, -30, np.random.default_rng(4))
    comp = replace(Comp.of_take("r", Span(0, len(sound)), None, 0), treatment=full)
    span = Span(start, min(len(sound), start + length))

    def read(recording, first, last):
        return sound[first:last]

    parts = np.concatenate(list(render(comp, read, span, block=block)))
    assert np.array_equal(parts, treated(sound, full)[span.start : span.end])


@pytest.mark.parametrize("voice", narrator.VOICES)
@pytest.mark.parametrize("dark", [False, True])
def test_steady_noise_is_lowered_in_the_pauses_and_beneath_the_words_and_the_voice_stays(voice, dark):
    spoken = narrator._spoken(
        "Seven families shared the oven on the other side of the lane, and paid in bread.", voice, 1.0
    )
    pause = np.zeros(2 * SAMPLE_RATE, np.float32)
    clean = np.concatenate((pause, 0.1 * spoken / np.std(spoken), pause)).astype(np.float32)
    hiss = np.random.default_rng(19).standard_normal(len(clean))
    hiss = lfilter([1.0], [1.0, -0.95], hiss) if dark else hiss
    words = slice(len(pause), len(pause) + len(spoken))
    for below in (20.0, 30.0, 50.0):
        noise = (hiss / np.std(hiss) * gain(-20.0 - below)).astype(np.float32)
        came = treated(clean + noise, made("one", steady={"most": 12.0}))
        assert level(came) < level(clean + noise) - 10.0
        off = level_of(came[words] - clean[words]) - level_of(clean[words])
        # Hiss is lower beneath the words too; what is dark lies under the voice, and is no more than before.
        assert off < -below + (2.0 if dark else -2.0)
    # Without any room before the first word, its beginning is all there is to learn from.
    hardest = treated(clean, made("one", steady={"most": 18.0}))
    assert level_of(hardest[words] - clean[words]) < level_of(clean[words]) - 25.0


@pytest.mark.parametrize("seed", range(60, 66))
def test_clicks_are_drawn_anew_in_the_pauses_and_all_else_stays_bit_for_bit(seed):
    rng = np.random.default_rng(seed)
    reading = narrator.read("Then the keeper lifts one oak board, and the wheel remembers what to do.", seed)
    pause = SAMPLE_RATE
    clean = np.concatenate([np.zeros(pause, np.float32), reading.samples, np.zeros(pause, np.float32)])
    clean = clean + noises.room_noise(len(clean), -66.0, rng)
    assert np.array_equal(treated(clean, made("one", clicks={})), clean)
    places = [int(rng.uniform(0.2, 0.7) * pause), len(clean) - int(rng.uniform(0.3, 0.8) * pause)]
    clicks = [(at, noises.mouth_click(-34.0, rng)) for at in places]
    came = treated(noises.sprinkle(clean, clicks), made("one", clicks={}))
    near = np.zeros(len(clean), bool)
    for at, click in clicks:
        near[at - milliseconds(3) : at + len(click) + milliseconds(6)] = True
        inside = slice(at, at + len(click))
        left, put_in = level_of(came[inside] - clean[inside]), level_of(click)
        assert left < put_in - 15.0, (at, left, put_in)
    assert np.array_equal(came[~near], clean[~near])


def test_plosives_lose_their_thump_and_a_voice_without_one_its_phase_alone():
    rng, thumps = np.random.default_rng(61), []
    for seed in range(70, 74):
        reading = narrator.read("Boats from the upper farms came down with grain.", seed)
        at = reading.speech_start + milliseconds(15)
        popped = noises.sprinkle(reading.samples, [(at, noises.pop(-8.0, rng))])
        chain = made("one", plosives={"most": 18.0})
        span = slice(at, at + milliseconds(120))
        plain, came = treated(reading.samples, chain), treated(popped, chain)
        low = butter(4, 100, "low", fs=SAMPLE_RATE, output="sos")
        thumps.append(level_of(sosfilt(low, popped)[span]) - level_of(sosfilt(low, came)[span]))
        spectra = [np.abs(np.fft.rfft(sound)) for sound in (reading.samples, plain)]
        heard = spectra[0] > spectra[0].max() / 1_000
        assert np.median(np.abs(20 * np.log10(spectra[1][heard] / spectra[0][heard]))) < 0.05
    assert min(thumps) > 8.0, thumps


@pytest.mark.parametrize("voice", narrator.VOICES)
def test_levelling_brings_phrases_nearer_and_moves_slowly(voice, phrases):
    rng, parts, spans, at = np.random.default_rng(5), [np.zeros(SAMPLE_RATE, np.float32)], [], SAMPLE_RATE
    for number, spoken in enumerate(phrases[voice] * 2):
        loud = -24.0 + (4.0 if number % 2 else -4.0)
        sound = (spoken / np.std(spoken) * gain(loud)).astype(np.float32)
        spans.append(slice(at, at + len(sound)))
        parts += [sound, np.zeros(SAMPLE_RATE * 6 // 10, np.float32)]
        at += len(sound) + len(parts[-1])
    sound = np.concatenate(parts) + noises.room_noise(at, -66, rng)
    came = treated(sound, made("one", levelling={"most": 6.0}))
    assert len(came) == len(sound)

    def apart(which):
        levels = [rms(which[span]) for span in spans]
        return np.median(levels[1::2]) - np.median(levels[::2])

    assert apart(sound) == pytest.approx(8.0, abs=0.2) and abs(apart(came)) < 4.0
    moved = came[np.abs(sound) > 1e-3] / sound[np.abs(sound) > 1e-3]
    assert gain(-6.0) - 1e-3 <= moved.min() and moved.max() <= gain(6.0) + 1e-3
    # Within a phrase it moves by 5 dB a second at most: no word is pressed.
    inside = np.abs(sound[spans[3]]) > 1e-3
    steps = 20 * np.log10(came[spans[3]][inside] / sound[spans[3]][inside])
    assert np.ptp(steps) <= 5.0 * (spans[3].stop - spans[3].start) / SAMPLE_RATE + 0.5


def test_stages_keep_the_order_that_makes_sense_and_the_rest_that_was_asked_for():
    mixed = Chain("mixed", tuple(Stage(kind) for kind in ("tone", "rumble", "compressor", "noise", "sibilance")))
    found = [stage.kind for stage in checked(mixed).stages]
    assert found == [
        "clicks",
        "plosives",
        "rumble",
        "hum",
        "steady",
        "noise",
        "levelling",
        "tone",
        "compressor",
        "sibilance",
    ]
    assert (
        [stage.kind for stage in checked(checked(mixed)).stages]
        == found
        == [s.kind for s in of_file(as_file(mixed)).stages]
    )
    assert sorted(found) == sorted(STAGE_KINDS)
    # It is heard: what is lifted before a compressor is pressed by it.
    loud = tone(3_000, -12.0)
    lift, press = Stage("tone", True, {"presence": 9.0}), Stage("compressor", True, {"threshold": -20.0, "ratio": 8.0})
    one, other = (treated(loud, checked(Chain("x", stages))) for stages in ((lift, press), (press, lift)))
    assert level_of(other[SAMPLE_RATE // 2 :]) > level_of(one[SAMPLE_RATE // 2 :]) + 6.0


@pytest.mark.parametrize("decibel", [-6.0, 4.0])
def test_shelves_and_bells_are_those_of_the_cookbook(decibel):
    """Half of the gain at the corner of a shelf, all of it in the middle of a bell, nothing far away."""
    for sections, at in ((_shelf(160, decibel, False), 160), (_shelf(8_000, decibel, True), 8_000)):
        _, response = sosfreqz(sections, worN=[at], fs=SAMPLE_RATE)
        assert 20 * np.log10(abs(response[0])) == pytest.approx(decibel / 2, abs=0.01)
    _, response = sosfreqz(_bell(3_000, decibel, 0.8), worN=[3_000, 20], fs=SAMPLE_RATE)
    assert 20 * np.log10(np.abs(response)) == pytest.approx([decibel, 0.0], abs=0.01)


def tone(hertz, decibel, seconds=1.0):
    at = np.arange(int(seconds * SAMPLE_RATE)) / SAMPLE_RATE
    return (gain(decibel) * np.sqrt(2) * np.sin(2 * np.pi * hertz * at)).astype(np.float32)


def level_of(sound):
    """dBFS RMS."""
    return 10 * np.log10(np.mean(sound.astype(float) ** 2) + 1e-20)


def level(sound):
    """Of its last half second."""
    return level_of(sound[-SAMPLE_RATE // 2 :])


@pytest.mark.parametrize(
    ("stage", "hertz", "at", "comes"),
    [
        ("rumble", 20, -20, -68),  # order 4 at 80 Hz: 48 dB two octaves below
        ("rumble", 400, -20, -20),
        ("hum", 100, -30, -90),
        ("hum", 333, -30, -30),
        ("noise", 300, -60, -70),  # 10 dB below the threshold: 10 dB more
        ("noise", 300, -20, -20),
        ("compressor", 300, -14, -20),  # 10 dB over the threshold at 2.5 : 1
        ("compressor", 300, -40, -40),
        ("sibilance", 14_000, -20, -28),  # at most 8 dB
        ("sibilance", 500, -10, -10),
    ],
)
def test_each_stage_does_what_it_says(stage, hertz, at, comes):
    came = level(treated(tone(hertz, at, 2.0), made("one", **{stage: {}})))
    assert came <= comes + 3 if comes <= -65 else came == pytest.approx(comes, abs=1.0)


def test_a_chain_is_checked_and_told_whole():
    chain = checked(Chain("Mine", (Stage("tone", True, {"air": 3.0}),)))
    assert [stage.kind for stage in chain.stages] == [stage.kind for stage in STAGES]
    assert [stage.kind for stage in chain.working] == ["tone"]
    assert Chain.from_row(chain.as_row()) == chain
    for wrong in (
        Chain("", ()),
        Chain("x", (Stage("echo", True),)),
        Chain("x", (Stage("tone", True, {"air": 40.0}),)),
        Chain("x", (Stage("tone", True, {"air": float("nan")}),)),
    ):
        with pytest.raises(EditRefused):
            checked(wrong)


def state():
    line = Line("l", "1", "words", Span(0, 480_000), False, "", (), None, False)
    take = TakeRef("t", "r", "a", 1, 0, True, False, 48_000, 240_000, 0, 300_000)
    return State(lines=(line,), takes={"l": (take,)}, picks={"l": "t"}, reader="a")


def untreated(comp, line):
    return None


def test_hum_of_a_line_is_settled_by_its_treatment_or_that_of_all_lines_and_by_nothing_else():
    before = state()
    hum = Place("hum", Span(0, 300_000), 0.9, {"mains": 60.0, "below": 33.0})
    assert said(hum)[0] == "hum of 60 Hz, 33 dB below the voice"
    with pytest.raises(EditRefused):
        perform(before, Mend((Wanted("r", "hum", Span(0, 300_000)),)), lambda: "x")

    def open_in(present):
        return left(present, {"r": [hum]}, lambda comp, line: present.chain_of(line))

    assert open_in(before) == 1
    for base in (None, STARTS[1]):
        chain = checked(with_stage(base, *stage_for(hum)))
        on = {one.kind: dict(one.settings) for one in chain.working}
        assert on["hum"] == {"mains": 60.0}
        assert on.keys() - {"hum"} == ({one.kind for one in base.working} if base else set())
        for scope in ("line:l", "production"):
            assert open_in(perform(before, SetTreatment(scope, chain), lambda: "x")[0]) == 0
    assert open_in(perform(before, SetTreatment("line:l", checked(STARTS[0])), lambda: "x")[0]) == 1
    refused, _ = perform(before, Mend((Wanted("r", "hum", Span(0, 300_000)),), on=False), lambda: "x")
    assert open_in(refused) == 0


def test_lines_duller_or_quieter_than_those_around_them_are_places_of_their_whole_takes():
    def take(number):
        return TakeRef(f"t{number}", f"r{number}", "a", 1, first=10, last=90_000)

    lines = [(take(n), Sounded("a", -23.0 + n % 2, 120.0, -9.0 + n % 3, 1.0)) for n in range(9)]
    assert unlike_places(lines, as_recorded=True) == []
    lines[4] = (take(4), Sounded("a", -31.0, 120.0, -20.0, 1.0))
    (quiet, dull) = unlike_places(lines, as_recorded=True)
    assert quiet[0] == dull[0] == "r4" and quiet[1].kind == "level" and dull[1].kind == "dull"
    assert quiet[1].settings["decibel"] == pytest.approx(8.5, abs=0.6) and dull[1].settings["decibel"] == 6.0
    assert said(quiet[1])[1].startswith("lift it by") and dull[1].span == Span(10, 90_000)
    stage, settings = stage_for(dull[1])
    assert (stage, settings) == ("tone", {"air": 6.0, "presence": 2.0})
    # Where all lines are brought to one level none is quieter than another.
    assert [place.kind for _, place in unlike_places(lines, as_recorded=False)] == ["dull"]


def test_a_place_is_mended_or_left_and_comes_back_when_that_is_taken_back():
    number = iter(range(100))
    new_id = lambda: str(next(number))  # noqa: E731
    before = state()
    places = {
        "r": [Place("breath", Span(60_000, 70_000), 0.9, {"decibel": -12.0}), Place("click", Span(80_000, 80_200), 0.8)]
    }
    assert left(before, places, untreated) == 2 and left(before, {}, untreated) == 1
    wanted = Wanted("r", "breath", Span(60_100, 70_000), -9.0)
    after, said = perform(before, Mend((wanted,)), new_id)
    assert said == "breath lowered" and left(after, places, untreated) == 1
    assert list(difference(before, after).after) == ["repair:0"]
    again, _ = perform(after, Mend((replace(wanted, decibel=-15.0),)), new_id)
    assert [one.settings["decibel"] for one in again.repairs.values()] == [-15.0]
    refused, said = perform(again, Mend((Wanted("r", "click", Span(80_000, 80_200)),), on=False), new_id)
    assert said == "left as it is" and left(refused, places, untreated) == 0
    back, _ = perform(refused, DropRepairs(tuple(refused.repairs)), new_id)
    assert rows(back) == rows(before)
    for wrong in (
        Wanted("other", "click", Span(0, 9)),
        Wanted("r", "click", Span(0, 48_000)),
        replace(wanted, decibel=99.0),
    ):
        with pytest.raises(EditRefused):
            perform(before, Mend((wrong,)), new_id)


@pytest.mark.parametrize("close_up", [True, False])
def test_a_gap_is_closed_in_a_comp_of_its_own(close_up):
    before = state()
    comp = Comp.of_take("r", Span(0, 300_000), Span(48_000, 240_000), 0)
    gap = Span(100_000, 172_000)
    after, _ = perform(before, CloseGap("l", "t", gap, 24_000, close_up), lambda: "c")
    (one,) = after.comps
    assert after.picks == {"l": "c"} and one.name == "take 1, tightened"
    assert one.comp.length == comp.length - (48_000 if close_up else 0)
    assert one.comp.at == comp.at
    # What was a gap is none any more.
    assert not open_places(one.comp, "r", [Place("gap", gap, 0.9, {"keep": 24_000.0})], ())
    again, _ = perform(after, CloseGap("l", "c", Span(40_000, 48_000), 4_000, True), lambda: "d")
    assert len(again.comps) == 1
    with pytest.raises(EditRefused):
        perform(before, CloseGap("l", "t", gap, 96_000, close_up), lambda: "c")


@settings(deadline=None)
@given(
    start=st.integers(10_000, 40_000), length=st.integers(4_000, 30_000), keep=st.integers(960, 30_000), up=st.booleans()
)
def test_tightening_takes_away_what_it_says_and_nothing_else(start, length, keep, up):
    comp = Comp.of_take("r", Span(0, 96_000), None, 7)
    if keep >= length:
        with pytest.raises(ValueError, match="gap"):
            tighten(comp, Span(start, start + length), keep, up)
        return
    made_of = tighten(comp, Span(start, start + length), keep, up)
    ramp = np.linspace(0, 1, 96_000, dtype=np.float32)
    sound = render_whole(made_of, lambda _name, a, b: ramp[a:b])
    gone = length - keep if up else 0
    assert abs(made_of.length - (96_000 - gone)) <= 1
    assert np.array_equal(sound[:start], ramp[:start])
    assert np.array_equal(sound[-(96_000 - start - length) :], ramp[start + length :])


def test_the_nearest_treatment_wins():
    new_id = lambda: "x"  # noqa: E731
    every, _ = perform(state(), SetTreatment("production", STARTS[1]), new_id)
    assert every.chain_of("l").name == STARTS[1].name
    own, _ = perform(every, SetTreatment("line:l", STARTS[2]), new_id)
    assert own.chain_of("l").name == STARTS[2].name and own.chain_of("other").name == STARTS[1].name
    folder, _ = perform(replace(own, folders=frozenset({"f"})), SetTreatment("folder:f", STARTS[3]), new_id)
    told = [folder.chain_of(line, of).name for line, of in (("l", "f"), ("other", "f"), ("other", "g"))]
    assert told == [STARTS[2].name, STARTS[3].name, STARTS[1].name]
    with pytest.raises(EditRefused, match="folder"):
        perform(folder, SetTreatment("folder:g", STARTS[0]), new_id)
    none, _ = perform(own, SetTreatment("line:l", None), new_id)
    assert none.chain_of("l").name == STARTS[1].name
    with pytest.raises(EditRefused):
        perform(every, SetTreatment("line:nowhere", STARTS[0]), new_id)


@pytest.mark.parametrize("voice", narrator.VOICES)
def test_a_false_start_is_taken_out_whole_and_what_counts_stays(voice):
    text = "Then the keeper lifts one oak board, and the wheel remembers what to do."
    reading, again = narrator.read(text, 31, voice, fault="false start"), narrator.read(text, 32, voice)
    heard = hear(reading.samples)
    (place,) = of_words(read_check(text, reading.samples, heard.phrases))
    assert place.kind == "false start" and place.span.length > milliseconds(300)
    comp = Comp.of_take("r", Span(0, len(reading.samples)), heard.speech, 0)
    keep = int(place.settings["keep"])
    shorter = tighten(comp, place.span.shifted(-comp.at), keep)
    assert comp.length - shorter.length == place.span.length - keep
    sound = render_whole(shorter, lambda name, start, end: reading.samples[start:end])
    sound = np.pad(sound, SAMPLE_RATE // 2)
    check = read_check(text, sound, hear(sound).phrases)
    assert check.fine and not check.of("again")
    clean = read_check(text, again.samples, hear(again.samples).phrases)
    assert of_words(clean) == ()


def test_places_of_words_keep_to_the_words_beside_them():
    def words(*marks: tuple[int, str, int, int]) -> tuple[Word, ...]:
        return tuple(Word(n, mark, Span(a * 480, b * 480)) for n, mark, a, b in marks)

    said = words((0, "read", 10, 30), (1, "again", 31, 60), (1, "read", 90, 120), (2, "read", 121, 150))
    (place,) = of_words(ReadCheck(said))
    # From the end of the word before to just before the one that counts.
    assert place == Place("false start", Span(30 * 480, 86 * 480), 0.85, {"keep": 960.0})
    ended = ReadCheck(words((0, "read", 10, 30), (0, "again", 40, 60)), put_in=(Span(70 * 480, 120 * 480),))
    (added,) = of_words(ended)
    assert added.kind == "put in" and added.span == Span(66 * 480, 124 * 480)


def sine(hertz: float, level: float, seconds: float = 1.0) -> np.ndarray:
    """A tone of an RMS level in dBFS."""
    t = np.arange(int(seconds * SAMPLE_RATE)) / SAMPLE_RATE
    return (np.sqrt(2) * 10 ** (level / 20) * np.sin(2 * np.pi * hertz * t)).astype(np.float32)


def rms(samples: np.ndarray) -> float:
    return 10 * np.log10(np.mean(samples.astype(np.float64) ** 2))


def test_the_drawn_response_is_what_tones_meet():
    chain = made("", rumble={"below": 90.0}, hum={"mains": 50.0}, tone={"warmth": -4.0, "presence": 5.0, "air": 3.0})
    drawn = drawing(sine(440.0, -20.0), chain)
    for hertz in (45.0, 120.0, 440.0, 3_000.0, 9_000.0, 15_000.0):
        tone = sine(hertz, -20.0, 2.0)
        met = rms(treated(tone, chain)[SAMPLE_RATE:]) - rms(tone[SAMPLE_RATE:])
        assert met == pytest.approx(np.interp(np.log(hertz), np.log(drawn.hertz), drawn.response), abs=0.6), hertz
    assert not drawn.held


def test_what_a_compressor_holds_back_is_drawn_as_its_law_says():
    chain = made("", compressor={"threshold": -24.0, "ratio": 3.0})
    held = drawing(np.concatenate([sine(1_000.0, -12.0), sine(1_000.0, -40.0)]), chain).held["compressor"]
    assert held[10:48] == pytest.approx(12.0 * (1 - 1 / 3), abs=0.4)
    assert held[70:] == pytest.approx(0.0, abs=0.05)


def test_what_the_stages_take_away_is_together_what_is_missing():
    chain = made("", rumble={}, noise={}, sibilance={}, compressor={}, tone={"warmth": 3.0})
    sound = narrator.read("Listen to the sharp edges of the scythes.", 8).samples.astype(np.float32)
    missing = sum(taken_away(sound, chain, kind) for kind in ("rumble", "noise", "sibilance", "compressor", "tone"))
    assert missing == pytest.approx(sound - treated(sound, chain), abs=2e-6)
    with pytest.raises(ValueError, match="not on"):
        taken_away(sound, chain, "hum")


def test_what_is_compared_is_as_loud_as_one_another_and_clips_nowhere():
    read = narrator.read("The heron waits below the weir until the water turns.", 4).samples
    squashed = treated(read, made("x", compressor={"threshold": -40.0, "ratio": 8.0}))
    loud = np.clip(read * 6, -1, 1).astype(np.float32)
    for pair in ((read, squashed), (loud, read * 0.01), (read,)):
        told = [measure(sound) for sound in as_loud(pair)]
        assert max(one.loudness for one in told) - min(one.loudness for one in told) < 0.05
        assert max(one.true_peak for one in told) < -0.99 and told[0].loudness < WANTED + 0.05
    with pytest.raises(TooShort):
        as_loud([read, np.zeros(SAMPLE_RATE, np.float32)])


@pytest.mark.parametrize(("voice", "low"), [(narrator.VOICES[0], True), (narrator.VOICES[1], False)])
def test_a_suggestion_follows_the_voice_and_the_room(voice, low):
    text = "Then the keeper lifts one oak board, and the wheel remembers what to do. Nobody paid him for the nails."
    sound = np.concatenate([narrator._spoken(text, voice, 1.0) * 0.4, np.zeros(2 * SAMPLE_RATE)]).astype(np.float32)
    sound += np.random.default_rng(2).standard_normal(len(sound)).astype(np.float32) * 1e-4
    clean = suggested(sound, hear(sound).phrases)
    assert {stage.kind for stage in clean.chain.working} & {"hum", "noise"} == set()
    tone = next(stage for stage in clean.chain.working if stage.kind == "tone")
    assert (tone.settings["warmth"] < 0) == low
    hum = sum(sine(60.0 * number, -52.0 - 3 * number, len(sound) / SAMPLE_RATE) for number in (1, 2, 3))
    hiss = np.random.default_rng(3).standard_normal(len(sound)) * 10 ** (-52 / 20)
    loud = (sound + hum + hiss).astype(np.float32)
    noisy = suggested(loud, hear(loud).phrases)
    stages = {stage.kind: stage.settings for stage in noisy.chain.working}
    assert stages["hum"]["mains"] == 60.0 and -52.0 < stages["noise"]["threshold"] < -38.0
    assert any("60 Hz" in reason for reason in noisy.reasons)
    assert checked(noisy.chain) == noisy.chain
    assert suggested(sound[: SAMPLE_RATE // 4], ()) is None


def test_a_treatment_comes_back_out_of_its_file_and_nothing_else_does():
    chain = checked(made("Cold booth, close", rumble={"below": 95.0}, sibilance={"threshold": -30.5}))
    assert of_file(as_file(chain)) == chain
    told = json.loads(as_file(chain))
    assert told["version"] == 1
    for broken in (
        b"",
        b"RIFF",
        b"[]",
        b"[" * 100_000,
        json.dumps(told | {"version": 2}).encode(),
        b'{"kind": "treatment"}',
    ):
        with pytest.raises(EditRefused):
            of_file(broken)
    for row in ({"kind": "echo", "on": True, "settings": {}}, {"kind": "rumble", "on": 1, "settings": {"below": "x"}}, 7):
        with pytest.raises(EditRefused):
            of_file(json.dumps(told | {"stages": [row]}).encode())
    with pytest.raises(EditRefused, match="20 to 200 Hz"):
        of_file(as_file(made("", rumble={"below": float("nan")})).replace(b'"name": ""', b'"name": "x"'))


def test_what_is_sure_is_told_of_a_take_in_a_few_words():
    at, still = Span(0, 480), np.zeros(SAMPLE_RATE, np.float32)
    sure = [Place("click", at, 0.9), Place("click", at, 0.99), Place("plosive", at, 0.8), Place("gap", at, 0.99)]
    doubtful = [Place("click", at, 0.6), Place("rumble", at, 0.55)]
    hum = Place("hum", at, 0.9, {"mains": 50.0, "below": 33.6})

    def heard(*places):
        return heard_in(still, (), places)

    assert heard(*sure, *doubtful) == {"click": 2, "plosive": 1}
    assert told(heard(*sure, *doubtful, hum)) == ("2 clicks", "a plosive", "hum 34 dB below the voice")
    assert told(heard(Place("noise", at, 0.99))) == ("a noise between the words",)
    assert told({}) == told(heard(*doubtful)) == ()
    assert told({"heavy breath": 3, "sharp": 0.3}) == ("3 heavy breaths", "a sharp s, as loud as the voice")
    assert told({"sharp": 6.4}) == ("a sharp s, 6 dB below the voice",)
    assert told({"sharp": -2.0}) == ("a sharp s, 2 dB above the voice",)


@pytest.mark.parametrize("voice", narrator.VOICES)
def test_a_heavy_breath_and_a_sharp_s_are_told_and_those_that_anybody_has_are_not(voice):
    rng = np.random.default_rng(31)
    bare = narrator._spoken("Seven ships sailed past the station. She says she saw six of these.", voice, 1.0)
    level = np.sqrt(np.mean(bare[np.abs(bare) > 1e-4] ** 2))
    spoken = np.pad(bare * gain(-22.0) / level, (2 * SAMPLE_RATE, SAMPLE_RATE)).astype(np.float32)
    spoken += noises.room_noise(len(spoken), -66.0, rng)
    high = np.fft.rfftfreq(len(spoken), 1 / SAMPLE_RATE) > 5_500
    sharper = np.fft.irfft(np.fft.rfft(spoken) * np.where(high, gain(12.0), 1.0), len(spoken)).astype(np.float32)

    def heard(sound, breath):
        sound = noises.sprinkle(sound, [(2 * SAMPLE_RATE - 26_000, noises.breath(breath, rng, 20_000))]).astype(np.float32)
        return heard_in(sound, hear(sound).phrases, scan(sound))

    for n in range(4):
        assert "heavy breath" not in heard(spoken, -32.0 - n)
        assert heard(spoken, -24.0 + n)["heavy breath"] == 1
    usual, more = (sharpness(sound, hear(sound).phrases) for sound in (spoken, sharper))
    assert more > usual + 6.0
    assert "sharp" not in heard(spoken, -55.0) and ("sharp" in heard(sharper, -55.0)) == (more > SHARP_TOLD)
