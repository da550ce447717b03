"""Sound files and levels, against other readers and against standards."""

import contextlib
import io
import json
import subprocess

import numpy as np
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays
from pyebur128 import MeasurementMode, R128State, get_true_peak
from wavinfo import WavInfoReader

from fendo_core.audio import levels, pcm, wav
from fendo_core.audio.ceiling import Ceiling
from fendo_core.audio.levels import ProgrammeMeter
from fendo_core.audio.true_peak import TruePeak
from fendo_core.timebase import SAMPLE_RATE

TAGS = wav.Tags(
    production="The Tide Mill",
    folder="Reel 1/Narration",
    line="7a",
    take=3,
    reader="Maren Tull",
    words='Water <waits> & "listens", naïvely.',
    time_reference=10 * 3600 * SAMPLE_RATE + 17,
    origination="2026-11-25 10:11:12",
    timecode_rate="30000/1001",
    drop=True,
    notes={"FENDO_TAKE": "abc", "FENDO_SLOT": "1 2"},
)


@given(arrays(np.int32, st.integers(0, 400), elements=st.integers(-(2**23), 2**23 - 1)))
def test_24_bits_survive_packing_bit_for_bit(samples):
    assert np.array_equal(pcm.to_integers(pcm.from_integers(samples)), samples)
    assert np.array_equal(pcm.from_floats(pcm.to_floats(samples)), samples)


def test_floats_beyond_full_scale_are_clipped_not_wrapped():
    assert pcm.from_floats(np.array([1.5, -1.5, 1.0])).tolist() == [2**23 - 1, -(2**23), 2**23 - 1]


@given(arrays(np.int32, st.integers(1, 300), elements=st.integers(-(2**23), 2**23 - 1)))
def test_a_recording_reads_the_same_in_another_library(samples):
    sound = pcm.from_integers(samples)
    file = wav.header(TAGS, len(samples)) + sound + (b"\0" if len(sound) & 1 else b"")
    found, rate = soundfile.read(io.BytesIO(file), dtype="int32")
    assert rate == SAMPLE_RATE
    assert np.array_equal(found >> 8, samples)


def test_a_recording_says_what_it_is_to_other_programs(tmp_path):
    path = tmp_path / "a.wav"
    path.write_bytes(wav.header(TAGS, 48_000) + bytes(3 * 48_000))
    info = WavInfoReader(str(path))
    assert info.bext.time_reference == TAGS.time_reference
    assert info.bext.originator.startswith("Maren Tull")
    assert info.bext.version == 2
    assert info.ixml.project == "The Tide Mill"
    assert (info.ixml.scene, info.ixml.take) == ("7a", "3")
    shown = subprocess.run(
        ["ffprobe", "-v", "error", "-show_streams", "-show_format", "-of", "json", path], capture_output=True, check=True
    )
    found = json.loads(shown.stdout)
    stream = found["streams"][0]
    assert (stream["codec_name"], stream["channels"], stream["sample_rate"]) == ("pcm_s24le", 1, "48000")
    assert found["format"]["tags"]["time_reference"] == str(TAGS.time_reference)


def test_a_header_reads_back_and_a_cut_off_file_keeps_its_tags():
    assert wav.describe(wav.header(TAGS, 12)).tags == TAGS
    assert wav.describe(wav.header(TAGS, 0) + bytes(99)).tags == TAGS


def test_very_long_words_are_shortened_in_the_header_and_hostile_ones_do_no_harm():
    long = wav.Tags(**{**{f: getattr(TAGS, f) for f in TAGS.__dataclass_fields__}, "words": "]]>\0<wörds " * 2000})
    packed = wav.header(long, 0)
    assert len(packed) == wav.HEADER_BYTES
    assert wav.describe(packed).tags.words.endswith("…")
    with pytest.raises(ValueError, match="no WAV"):
        wav.describe(b"RIFX" + bytes(500))


@settings(max_examples=150, deadline=None)
@given(st.lists(st.tuples(st.integers(0, wav.HEADER_BYTES - 1), st.binary(min_size=1, max_size=6)), min_size=1, max_size=4))
def test_a_damaged_header_is_read_or_refused_and_nothing_else(damages):
    packed = bytearray(wav.header(TAGS, 12))
    for at, damage in damages:
        packed[at : at + len(damage)] = damage
    with contextlib.suppress(ValueError):
        assert wav.describe(bytes(packed)).data_offset <= len(packed)
    for size in (0, 11, 60, 700, 900):
        with contextlib.suppress(ValueError):
            wav.describe(bytes(packed[:size]))


def _sine(hertz: float, decibel: float, seconds: float, phase: float = 0.0) -> np.ndarray:
    t = np.arange(int(seconds * SAMPLE_RATE)) / SAMPLE_RATE
    return (10 ** (decibel / 20) * np.sin(2 * np.pi * hertz * t + phase)).astype(np.float32)


def test_loudness_is_that_of_the_standard():
    """EBU Tech 3341 case 1: 1 kHz at -23 dBFS in two channels is -23 LUFS; as one channel it reads 3 dB (3.01) lower."""
    assert levels.measure(_sine(1000, -23.0, 20)).loudness == pytest.approx(-23.0, abs=0.1)
    assert levels.measure(_sine(1000, -33.0, 20)).loudness == pytest.approx(-33.0, abs=0.1)


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 10_000), st.floats(-4, 1), st.lists(st.integers(1, 9_999), max_size=5), st.floats(0, 1))
def test_true_peak_is_that_of_another_meter_wherever_blocks_are_cut(seed, level, cuts, rough):
    """libebur128 interpolates everything; here only what could be the peak is looked at."""
    rng = np.random.default_rng(seed)
    sound = rng.standard_normal(10_000) * 10**level * np.abs(np.sin(np.arange(10_000) / rng.integers(50, 5_000)))
    sound = np.where(rng.random(10_000) < rough, sound, 0).astype(np.float32)
    other, own = R128State(1, SAMPLE_RATE, MeasurementMode.MODE_TRUE_PEAK), TruePeak()
    other.add_frames(sound, len(sound))
    for block in np.split(sound, sorted(set(cuts))):
        own.add(block)
    assert own.highest == pytest.approx(get_true_peak(other, 0), rel=1e-5)


def test_what_is_kept_between_blocks_does_not_keep_the_blocks():
    sound = np.ones((SAMPLE_RATE, 2), np.float32)
    ceiling, meter, peak = Ceiling(), ProgrammeMeter(), TruePeak()
    for each in (ceiling, meter.add):
        each(sound[:-7])
    peak.add(sound[:, 0])
    for one in (ceiling, meter, peak):
        kept = [value for value in vars(one).values() if isinstance(value, np.ndarray)]
        assert kept and all(value.base is None or value.base.nbytes < 100_000 for value in kept)


def test_true_peak_finds_what_lies_between_the_samples():
    """EBU Tech 3341 case 16: a quarter-rate sine at 45 degrees peaks 3 dB above its samples (+0.2/-0.4 dB)."""
    tone = _sine(SAMPLE_RATE / 4, -6.0, 2, np.pi / 4)
    tone[:4800] *= np.linspace(0, 1, 4800, dtype=np.float32)
    tone[-4800:] *= np.linspace(1, 0, 4800, dtype=np.float32)
    found = levels.measure(tone)
    assert found.peak == pytest.approx(-9.0, abs=0.05)
    assert -6.4 <= found.true_peak <= -5.8


def test_silence_and_nothing_have_no_loudness():
    assert levels.measure(np.zeros(48_000, np.float32)).loudness is None
    assert levels.measure(np.zeros(0, np.float32)).peak == -120.0


def test_flat_tops_are_clipping_and_one_full_sample_is_none():
    sound = _sine(200, -1.0, 1)
    sound[1000] = 1.0
    assert levels.clipped_spans(sound) == ()
    driven = np.clip(_sine(200, 6.0, 0.1), -1, 1)
    assert len(levels.clipped_spans(np.concatenate([sound, driven, sound]))) == 1


@given(st.integers(0, 5000), st.integers(1, 700))
def test_a_waveform_has_a_column_for_every_begun_block(length, block):
    sound = np.full(length, 0.1, np.float32)
    drawn = levels.overview(sound, block)
    assert drawn.shape == (-(-length // block), 2)
    assert np.all(drawn[:, 0] == 170) if length else True


def stereo(*parts: tuple[float, float]) -> np.ndarray:
    """A tone of 1 kHz in two channels: peak levels in dBFS, each for so many seconds."""
    level = np.concatenate([np.full(round(seconds * SAMPLE_RATE), 10 ** (decibel / 20)) for decibel, seconds in parts])
    tone = level * np.sin(2 * np.pi * 1_000 * np.arange(len(level)) / SAMPLE_RATE)
    return np.stack([tone, tone], axis=1).astype(np.float32)


def metered(sound: np.ndarray, block: int = 70_001) -> levels.ProgrammeLoudness:
    meter = levels.ProgrammeMeter()
    for start in range(0, len(sound), block):
        meter.add(sound[start : start + block])
    return meter.read()


@pytest.mark.parametrize(
    ("parts", "integrated"),
    [
        ([(-23, 20)], -23),
        ([(-33, 20)], -33),
        ([(-36, 10), (-23, 60), (-36, 10)], -23),
        ([(-72, 10), (-36, 10), (-23, 60), (-36, 10), (-72, 10)], -23),
        ([(-26, 20), (-20, 20.1), (-26, 20)], -23),
    ],
)
def test_integrated_loudness_of_a_programme_is_that_of_tech_3341_cases_1_to_5(parts, integrated):
    assert metered(stereo(*parts)).integrated == pytest.approx(integrated, abs=0.1)


def test_short_term_and_momentary_loudness_are_those_of_tech_3341_cases_9_and_12():
    found = metered(stereo(*[(-20, 1.34), (-30, 1.66)] * 5))
    assert found.short_term == pytest.approx(-23, abs=0.1)
    assert found.curve[4:] == pytest.approx([-23.0] * (len(found.curve) - 4), abs=0.11)
    assert metered(stereo(*[(-20, 0.18), (-30, 0.22)] * 25)).momentary == pytest.approx(-23, abs=0.1)


@pytest.mark.parametrize(
    ("parts", "spread"),
    [
        ([(-20, 20), (-30, 20)], 10),
        ([(-20, 20), (-15, 20)], 5),
        ([(-40, 20), (-20, 20)], 20),
        ([(-50, 20), (-35, 20), (-20, 20), (-35, 20), (-50, 20)], 15),
    ],
)
def test_the_range_of_a_programme_is_that_of_tech_3342_cases_1_to_4(parts, spread):
    assert metered(stereo(*parts)).range == pytest.approx(spread, abs=1.0)


def test_a_programme_of_nothing_and_one_of_silence_have_no_loudness():
    for sound in (np.zeros((0, 2), np.float32), np.zeros((5 * SAMPLE_RATE + 77, 2), np.float32)):
        found = metered(sound)
        assert (found.integrated, found.momentary, found.short_term, found.range) == (None, None, None, 0.0)
