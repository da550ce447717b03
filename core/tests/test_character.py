"""How readings sound beside one another: made voices and texts that no limit was set with, and injected differences."""

from dataclasses import replace

import numpy as np
import pytest
import soxr
from scipy.signal import butter, sosfilt

from fendo_core.audio.levels import gain
from fendo_core.reader import narrator
from fendo_core.takes.character import FEATURES, Sounded, by_day, character_of, differences, unlike
from fendo_core.takes.measures import measure
from fendo_core.timebase import SAMPLE_RATE

TEXTS = (
    "The ferry left at six with nobody but the post on board.",
    "On the other bank a boy was counting herons.",
    "We carried the ladders up to the loft before the frost.",
    "Nothing in the account book explains the second key.",
    "A carpenter looked at the roof and asked for a week.",
    "She kept the seeds in tins that once held tea.",
    "The road was mended twice and washed away three times.",
    "From here the smoke of both villages can be seen.",
    "They agreed on a price and drank to it in cider.",
    "Half of the orchard belongs to the school.",
)


def looked_at(sound, voice) -> Sounded:
    found = measure(sound)
    pitch, tone = found.character
    return Sounded(voice, found.loudness, pitch, tone, 1.0)


def duller(sound):
    return sosfilt(butter(1, 900, output="sos", fs=SAMPLE_RATE), sound).astype(np.float32)


@pytest.mark.parametrize("voice", narrator.VOICES[:2])
def test_what_was_read_at_another_distance_pitch_or_tone_stands_out_and_what_is_alike_does_not(voice):
    room = np.random.default_rng(77)
    sounds = [narrator.read(text, 800 + n, voice=voice).samples for n, text in enumerate(TEXTS)]
    sounds = [(sound + room.standard_normal(len(sound)) * gain(-66)).astype(np.float32) for sound in sounds]
    alike = [looked_at(sound, voice) for sound in sounds]
    assert sum(bool(said) for said in unlike(alike)) <= 1
    changes = {
        "level": lambda sound: sound * np.float32(gain(-8)),
        "pitch": lambda sound: soxr.resample(sound, SAMPLE_RATE, SAMPLE_RATE * 2 ** (4 / 12)).astype(np.float32),
        "tone": duller,
    }
    missed = dict.fromkeys(changes, 0)
    for name, change in changes.items():
        column = [feature.name for feature in FEATURES].index(name)
        for n in range(0, len(sounds), 3):
            other = list(alike)
            other[n] = looked_at(change(sounds[n]), voice)
            own = FEATURES[column].more, FEATURES[column].less
            missed[name] += not any(word in said for said in unlike(other)[n] for word in own)
    assert missed["level"] == missed["pitch"] == 0 and missed["tone"] <= 1


def test_readers_are_compared_with_themselves_and_the_unknown_is_left_out():
    one = [Sounded("ada", -20.0 + n % 2, 200.0, 3.0, 1.0) for n in range(8)]
    two = [Sounded("bea", -30.0, 110.0, -2.0, 1.2) for _ in range(8)]
    mixed = [each for pair in zip(one, two, strict=True) for each in pair]
    assert unlike(mixed) == [()] * 16
    mixed[6] = Sounded("ada", -29.0, 270.0, None, None)
    said = unlike(mixed)
    assert said[6][0] == "sounds like another day" and said[6][1].endswith("dB quieter") and "higher" in said[6][2]
    assert [n for n, each in enumerate(said) if each] == [6]
    assert np.isnan(differences(mixed)[6, 2:]).all()
    assert unlike([]) == [] and unlike(one[:3]) == [()] * 3


@pytest.mark.parametrize("voice", narrator.VOICES[:2])
def test_a_day_that_begins_in_the_middle_of_a_script_is_told_by_all_of_its_lines(voice):
    room = np.random.default_rng(78)
    sounds = [narrator.read(text, 300 + n, voice=voice).samples for n, text in enumerate(TEXTS)]
    sounds = [(sound + room.standard_normal(len(sound)) * gain(-66)).astype(np.float32) for sound in sounds]
    days = ["2026-05-03"] * 5 + ["2026-05-04"] * 5
    alike = by_day([looked_at(sound, voice) for sound in sounds], days)
    assert [(day.day, day.lines, day.unlike) for day in alike] == [("2026-05-03", 5, ()), ("2026-05-04", 5, ())]
    later = [looked_at(sound * np.float32(gain(-7)) if n > 4 else sound, voice) for n, sound in enumerate(sounds)]
    first, second = by_day(later, days)
    assert first.unlike[0].endswith("dB louder") and second.unlike[0].endswith("dB quieter")
    assert by_day(later, ["2026-05-03"] * 10) == [] and by_day([], []) == []
    # Readers are compared with themselves alone.
    two = [replace(one, reader="other") if n > 4 else one for n, one in enumerate(later)]
    assert by_day(two, days) == []


def test_too_little_of_a_voice_has_no_character():
    for sound in (np.zeros(SAMPLE_RATE, np.float32), narrator.read("Yes.", 3).samples[: SAMPLE_RATE // 4]):
        assert character_of(sound) is None
