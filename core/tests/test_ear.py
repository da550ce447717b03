"""The ear: where speech begins and ends beside what a room adds to it, against where it was put."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.signal import lfilter
from scipy.signal.windows import tukey

from fendo_core.audio import levels
from fendo_core.audio.scores import score_speech
from fendo_core.audio.speech import hear, hear_blocks
from fendo_core.booth.levelwindow import LEVEL_WINDOWS
from fendo_core.reader import narrator, noises
from fendo_core.takes.measures import level_advice, level_faults, measure
from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds

TEXTS = (
    "Fog lies on the estuary before the gates are closed.",
    "Half the flour went to the bakers of the town.",
    "Thick ropes hold the boat against the current.",
    "Stop the stones and listen to the water.",
)
VOICE = -24.0
"""dBFS RMS of the voices below."""


def rng_of(*seed):
    return np.random.default_rng(list(seed))


@pytest.fixture(scope="module")
def voices():
    """Bare voices, equally loud."""
    made = []
    for number, text in enumerate(TEXTS):
        for voice in narrator.VOICES:
            sound = narrator._spoken(text, voice, 1.0 + 0.03 * number)
            active = np.sqrt(np.mean(sound[np.abs(sound) > 0.1 * np.abs(sound).max()] ** 2))
            made.append((sound / active * levels.gain(VOICE)).astype(np.float32))
    return made


def placed(voice, rng, added=lambda length, start, end, rng: np.zeros(length, np.float32)):
    """A voice in a quiet room with a second and more around it, and what is added to it; and where it lies."""
    lead, tail = int(rng.integers(SAMPLE_RATE, 2 * SAMPLE_RATE)), SAMPLE_RATE
    length = lead + len(voice) + tail
    sound = noises.room_noise(length, VOICE - 50, rng) + added(length, lead, lead + len(voice), rng)
    sound[lead : lead + len(voice)] += voice
    return sound.astype(np.float32), Span(lead, lead + len(voice))


def keys(length, start, end, rng):
    at, pressed = 0, []
    while (at := at + int(rng.integers(9_000, 20_000))) < length:
        if not start - 9_000 < at < end + 7_000:
            pressed.append((at, noises.key_press(rng.uniform(-40, -28), rng)))
    return noises.sprinkle(np.zeros(length, np.float32), pressed)


def breath(length, start, end, rng):
    sound = noises.breath(rng.uniform(-44, -34), rng)
    at = start - len(sound) - milliseconds(int(rng.integers(20, 50)))
    return noises.sprinkle(np.zeros(length, np.float32), [(at, sound)])


def knock(length, start, end, rng):
    at = start - milliseconds(int(rng.integers(500, 900)))
    return noises.sprinkle(np.zeros(length, np.float32), [(at, noises.thump(rng.uniform(-24, -12), rng))])


ADDED = {
    "nothing": lambda length, start, end, rng: np.zeros(length, np.float32),
    "hiss 30 dB below": lambda length, start, end, rng: noises.hiss(length, VOICE - 30, rng),
    "rumble 25 dB below": lambda length, start, end, rng: noises.rumble(length, VOICE - 25, rng),
    "hum 30 dB below": lambda length, start, end, rng: noises.hum(length, VOICE - 30, rng),
    "a keyboard": keys,
    "a breath just before": breath,
    "a knock against the desk": knock,
}


@pytest.mark.parametrize("name", ADDED)
def test_the_first_and_the_last_word_are_found_beside(name, voices):
    sounds = [placed(voice, rng_of(5, number), ADDED[name]) for number, voice in enumerate(voices)]
    scores = score_speech([truth for _, truth in sounds], [hear(sound).speech for sound, _ in sounds])
    assert scores.silent == 0
    # One of twelve may be off: the voices end in sounds as quiet as the noise.
    assert scores.starts_off <= 1 / 12, scores
    assert scores.ends_off <= 1 / 12, scores


def followed(sound, attack, release):
    """The peaks of each ms of a sound, followed with time constants in ms."""
    level, envelope = 0.0, np.empty(len(sound) // 48)
    for at, peak in enumerate(np.abs(sound[: len(envelope) * 48]).reshape(-1, 48).max(axis=1)):
        let_go = np.exp(-1 / release) if peak < level else np.exp(-1 / attack)
        envelope[at] = level = let_go * level + (1 - let_go) * peak
    return np.maximum(envelope, 1e-6)


def turned(sound, gain):
    return (sound[: len(gain) * 48] * np.repeat(gain, 48)).astype(np.float32)


def expanded(sound):
    """A sound behind a downward expander: below -45 dBFS 2.5 dB fall for each, its detector lets go within 60 ms."""
    return turned(sound, np.minimum(1.0, (followed(sound, 2, 60) / levels.gain(-45.0)) ** 1.5))


def levelled(sound):
    """A sound behind a recorder that levels by itself: it turns quiet up by 18 dB, within 1.5 s."""
    return turned(sound, np.clip(levels.gain(-22.0) / followed(sound, 200, 1500), 0.5, 8.0))


def creak(seconds, rng):
    """A low voice as it ends a sentence: pulses at some 70 Hz, no two alike, through the resonances of an e."""
    sound = np.zeros(int(seconds * SAMPLE_RATE))
    at = 0
    while at < len(sound):
        sound[at] = rng.uniform(0.6, 1.0)
        at += int(SAMPLE_RATE / 70 * rng.uniform(0.95, 1.05))
    for hertz, width in ((520, 80), (1700, 110), (2500, 140)):
        pole = np.exp((-np.pi * width + 2j * np.pi * hertz) / SAMPLE_RATE)
        sound = lfilter([1.0], [1.0, -2 * pole.real, abs(pole) ** 2], sound)
    sound += lfilter([1.0], [1.0, -0.95], rng.normal(size=len(sound))) * 0.02 * np.sqrt(np.mean(sound**2))
    return (sound / np.sqrt(np.mean(sound**2)) * levels.gain(VOICE - 6)).astype(np.float32)


def test_the_creak_in_which_a_low_voice_ends_belongs_to_its_words(voices):
    """Two syllables of it, a closed t between them and before: nothing of them has a pitch for long."""
    for number, voice in enumerate(voices):
        rng = rng_of(number, 31)
        closed = np.zeros(milliseconds(120), np.float32)
        sound, at = placed(np.concatenate((voice, closed, creak(0.3, rng), closed, closed, creak(0.25, rng))), rng)
        noise = noises.hiss(len(sound), VOICE - 32, rng)
        assert (span := hear(sound + noise).speech)
        assert abs(span.end - at.end) < milliseconds(80)


def test_the_quiet_last_words_of_a_reading_without_pauses_are_words(voices):
    """18 dB quieter than the rest; a quarter of the voices may lose theirs."""
    truths, heard = [], []
    for number, voice in enumerate(voices):
        reading = np.concatenate((voice, voice, voice, 0.12 * voice))
        room = noises.room_noise(len(reading) + milliseconds(300), VOICE - 50, rng_of(number, 41))
        room[: len(reading)] += reading
        truths.append(Span(0, len(reading)))
        heard.append(hear(room.astype(np.float32)).speech)
    assert score_speech(truths, heard).ends_off <= 1 / 4


@pytest.mark.parametrize("lasts", [110, 140])
def test_a_word_of_one_short_vowel_is_not_silence(lasts, voices):
    """Beside the noise of an old converter, from the loudest vowel of each voice."""
    for number, voice in enumerate(voices):
        rng = rng_of(number, lasts)
        window = tukey(milliseconds(lasts), 0.5)
        middle = int(np.argmax(np.convolve(voice**2, window, "valid")))
        vowel = voice[middle : middle + len(window)] * window
        sound, at = placed(vowel.astype(np.float32), rng)
        assert (span := hear(sound + noises.hiss(len(sound), VOICE - 32, rng)).speech), number
        assert abs(span.start - at.start) < milliseconds(80) and abs(span.end - at.end) < milliseconds(80)


@pytest.mark.parametrize("share", [1.0, 0.4])
def test_a_recorder_that_levels_by_itself_moves_no_word(share, voices):
    room = {"added": lambda length, start, end, rng: noises.room_noise(length, VOICE - 42, rng)}
    sounds = [placed(voice[: int(share * len(voice))], rng_of(16, n), **room) for n, voice in enumerate(voices)]
    heard = [hear(levelled(sound)) for sound, _ in sounds]
    assert not any(one.whispered for one in heard)
    scores = score_speech([truth for _, truth in sounds], [one.speech for one in heard])
    assert scores.silent == scores.starts_off == scores.ends_off == 0, scores


def test_the_room_that_is_heard_while_an_expander_closes_is_no_last_word(voices):
    sounds = [placed(voice, rng_of(15, number)) for number, voice in enumerate(voices)]
    scores = score_speech(
        [truth for _, truth in sounds], [hear(expanded(sound)).speech for sound, _ in sounds], milliseconds(120)
    )
    assert scores.silent == 0 and scores.starts_off == 0 and scores.ends_off <= 1 / 12, scores


def test_a_whisper_is_speech(voices):
    sounds = [placed(noises.whispered(voice, rng_of(6, n)) * 0.5, rng_of(7, n)) for n, voice in enumerate(voices)]
    heard = [hear(sound) for sound, _ in sounds]
    assert all(one.whispered for one in heard)
    assert score_speech([t for _, t in sounds], [one.speech for one in heard], milliseconds(150)).starts_off <= 1 / 12


@pytest.mark.parametrize("what", ["rumble", "keys", "knocks", "hiss", "hum", "breaths", "clicks"])
@pytest.mark.parametrize("seed", range(6))
def test_what_is_no_speech_is_not_taken_for_it(what, seed):
    rng, length = rng_of(8, seed), 4 * SAMPLE_RATE
    lasting = {"rumble": noises.rumble, "hiss": noises.hiss, "hum": noises.hum}
    single = {"keys": noises.key_press, "knocks": noises.thump, "breaths": noises.breath, "clicks": noises.mouth_click}
    sound = noises.room_noise(length, rng.uniform(-75, -60), rng)
    if what in lasting:
        sound = sound + lasting[what](length, rng.uniform(-55, -35), rng)
    else:
        at = rng.integers(0, length, 6)
        sound = noises.sprinkle(sound, [(int(a), single[what](rng.uniform(-40, -20), rng)) for a in at])
    assert hear(sound).phrases == ()


@settings(max_examples=12, deadline=None)
@given(shift=st.integers(1, 3), seed=st.integers(0, 3), blocks=st.lists(st.integers(100, 600), min_size=1, max_size=4))
def test_it_does_not_matter_in_which_blocks_a_sound_comes_or_where_it_begins(shift, seed, blocks):
    sound = narrator.read(TEXTS[seed], seed).samples
    sound = np.concatenate((noises.room_noise(shift * 480, narrator.ROOM_NOISE, rng_of(1)), sound))
    edges = np.minimum(np.cumsum([0, *blocks, 10**6]) * 480, len(sound))
    parts = [sound[a:b] for a, b in zip(edges[:-1], edges[1:], strict=True) if b > a]
    whole, pieces = hear(sound), hear_blocks(parts)
    assert abs(whole.speech.start - pieces.speech.start) <= milliseconds(20)
    assert abs(whole.speech.end - pieces.speech.end) <= milliseconds(20)
    assert whole.noise == pieces.noise


@pytest.mark.parametrize("level", [-70.0, -55.0, -50.0])
@pytest.mark.parametrize("made", [noises.hiss, noises.room_noise, noises.rumble])
def test_the_noise_is_told_within_2_db_and_without_pauses_within_4(made, level, voices):
    rng = rng_of(9)
    spaced = [np.concatenate((voice, np.zeros(SAMPLE_RATE // 2, np.float32))) for voice in voices]
    dense = [voice[: len(voice) - len(voice) % 480] for voice in voices]
    # The made voices have a noise of their own in them, at about -62 dBFS.
    for parts, near in ((spaced, 2.0), (dense, 6.0)) if level > -60 else ((spaced, 2.0),):
        sound = np.concatenate(parts)
        assert hear(sound + made(len(sound), level, rng)).noise == pytest.approx(level, abs=near)


def test_silence_and_nothing_are_silent():
    assert hear(np.zeros(0, np.float32)).speech is None
    assert hear(np.zeros(SAMPLE_RATE, np.float32)).speech is None


@pytest.mark.parametrize("lowered", [0.0, 0.1, 3.0, 12.0])
@pytest.mark.parametrize("converter", [1.0, 0.9988, 0.966])
def test_flat_tops_are_found_at_any_level(converter, lowered, voices):
    """Driven 1 dB over a converter that stops at 0, -0.01 or -0.3 dBFS, then turned down, in 16 bits."""
    found = clean = 0
    for voice in voices:
        loud = voice / np.abs(voice).max()
        driven = np.clip(loud * levels.gain(1.0) * converter, -converter, converter) * levels.gain(-lowered)
        found += bool(levels.clipped_spans(np.round(driven * 32767).astype(np.float32) / 32768))
        whole = loud * 0.98 * levels.gain(-lowered)
        clean += bool(levels.clipped_spans(np.round(whole * 32767).astype(np.float32) / 32768))
    assert found >= 11
    assert clean == 0


def test_a_level_beside_the_window_is_said_with_by_how_much():
    lively = LEVEL_WINDOWS["lively"]
    assert level_faults(-8.0, -17.0, -60.0, lively) == () == level_advice(-8.0, -17.0, -60.0, lively)
    assert level_advice(-2.9, -12.0, -60.0, lively) == ("turn the gain down by about 6 dB",)
    assert level_advice(-28.0, -37.0, -75.0, lively) == ("turn the gain up by about 19 dB",)
    near = ("come nearer to the microphone: the noise is too close",)
    assert level_advice(-28.0, -37.0, -60.0, lively) == near, "more gain would lift the noise too"
    assert level_faults(-2.9, -12.0, -60.0, lively) == ("3 dB too hot",)
    assert level_faults(-28.0, -37.0, -75.0, lively) == ("16 dB too quiet",)
    assert level_faults(-8.0, -17.0, -40.0, lively) == ("noise only 20 dB under the voice",)
    quiet = narrator.read(TEXTS[0], 1).samples * levels.gain(-20)
    found = measure(quiet.astype(np.float32))
    assert "too quiet" in " ".join(level_faults(found.peak, found.loudness, found.noise, lively))
