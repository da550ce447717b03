"""Where speech begins and ends, beside what a room adds to it: shares that are more than 80 ms off, worst cases, speed.

.venv/bin/python -m bench.ear            made voices
.venv/bin/python -m bench.ear FOLDER     recordings of people, clean and short (WAV), in a folder of yours
"""

import sys
import time
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "core"))

import numpy as np
import soundfile
import soxr
from scipy.signal import butter, sosfilt

from fendo_core.audio.bleed import MARGIN
from fendo_core.audio.levels import clipped_spans, gain
from fendo_core.audio.scores import score_speech
from fendo_core.audio.speech import hear
from fendo_core.reader import narrator, noises
from fendo_core.takes.measures import measure_blocks
from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds

VOICE = -24.0
TEXTS = (
    "The gates stand open until the ebb has filled the pond.",
    "Nobody in the town could say how old the wheel was.",
    "She weighs the flour, and writes the sum beside it.",
    "After midnight the boats came up with barley.",
    "First the stones are lifted, then the sluice is shut.",
    "His father had kept the mill, and so had hers.",
)
Added = Callable[[int, Span, np.random.Generator], np.ndarray]


def active(sound: np.ndarray) -> float:
    """Level of the louder parts of a voice, dBFS RMS."""
    rows = sound[: len(sound) // 480 * 480].reshape(-1, 480)
    rms = np.sqrt(np.mean(rows**2, axis=1))
    return float(20 * np.log10(np.sqrt(np.mean(rms[rms > 0.1 * rms.max()] ** 2))))


def trimmed(sound: np.ndarray) -> np.ndarray:
    """A clean recording from its first to its last sound within 36 dB of its loudest 2.5 ms, at a level of `VOICE`."""
    power = np.mean(sound[: len(sound) // 120 * 120].reshape(-1, 120) ** 2, axis=1)
    power = np.convolve(np.pad(power, 2, mode="edge"), np.ones(5) / 5, "valid")
    on = np.flatnonzero(power > power.max() * 10**-3.6)
    cut = sound[on[0] * 120 : (on[-1] + 1) * 120]
    return (cut * gain(VOICE - active(cut))).astype(np.float32)


def voices(folder: str | None) -> Iterator[np.ndarray]:
    """Bare voices, equally loud."""
    if folder is None:
        for number, text in enumerate(TEXTS):
            for voice in narrator.VOICES:
                yield trimmed(narrator._spoken(text, voice, 0.94 + 0.03 * number))
        return
    for path in sorted(Path(folder).glob("*.wav")):
        sound, rate = soundfile.read(path, dtype="float32", always_2d=True)
        yield trimmed(np.asarray(soxr.resample(sound[:, 0], rate, SAMPLE_RATE), np.float32))


def lasting(noise: Callable[..., np.ndarray], below: float) -> Added:
    """A noise that goes on, so far below the voice."""
    return lambda length, at, rng: noise(length, VOICE - below, rng)


def keyboard(length: int, at: Span, rng: np.random.Generator) -> np.ndarray:
    """Keys that are pressed before and after the reading."""
    place, pressed = 0, []
    while (place := place + int(rng.integers(8_000, 20_000))) < length:
        if not at.start - 7_000 < place < at.end + 7_000:
            pressed.append((place, noises.key_press(rng.uniform(-40, -26), rng)))
    return noises.sprinkle(np.zeros(length, np.float32), pressed)


def knock(length: int, at: Span, rng: np.random.Generator) -> np.ndarray:
    """One knock against the desk before the first word."""
    place = at.start - milliseconds(int(rng.integers(500, 900)))
    return noises.sprinkle(np.zeros(length, np.float32), [(place, noises.thump(rng.uniform(-24, -12), rng))])


def breath(length: int, at: Span, rng: np.random.Generator) -> np.ndarray:
    """A breath that ends 20 to 50 ms before the first word."""
    sound = noises.breath(rng.uniform(-44, -32), rng)
    place = at.start - len(sound) - milliseconds(int(rng.integers(20, 50)))
    return noises.sprinkle(np.zeros(length, np.float32), [(place, sound)])


def bleed(others: list[np.ndarray], below: float) -> Added:
    """Another voice from the headphones."""

    def added(length: int, at: Span, rng: np.random.Generator) -> np.ndarray:
        sound, place = np.zeros(length, np.float32), 0
        while place < length:
            other = others[int(rng.integers(len(others)))][: length - place]
            sound[place : place + len(other)] = other * gain(-below)
            place += len(other) + int(rng.integers(2_000, 20_000))
        return sound

    return added


def speech(all_voices: list[np.ndarray], seed: int) -> None:
    """Starts and ends, in each condition."""
    conditions: dict[str, Added] = {
        "a quiet room, 50 dB below": lambda length, at, rng: np.zeros(length, np.float32),
        "room 40 dB below": lasting(noises.room_noise, 40),
        "room 30 dB below": lasting(noises.room_noise, 30),
        "hiss 25 dB below": lasting(noises.hiss, 25),
        "rumble 40 dB below": lasting(noises.rumble, 40),
        "rumble 25 dB below": lasting(noises.rumble, 25),
        "hum 30 dB below": lasting(noises.hum, 30),
        "a keyboard": keyboard,
        "a knock before it": knock,
        "a breath just before it": breath,
        "bleed 45 dB below": bleed(all_voices, 45),
        "bleed 36 dB below": bleed(all_voices, 36),
    }
    heard_seconds = took = 0.0
    for row, (name, added) in enumerate(conditions.items()):
        truth, found = [], []
        for number, voice in enumerate(all_voices):
            rng = np.random.default_rng([seed, row, number])
            lead = int(rng.integers(SAMPLE_RATE, 2 * SAMPLE_RATE))
            at = Span(lead, lead + len(voice))
            length = at.end + SAMPLE_RATE
            sound = noises.room_noise(length, VOICE - 50, rng) + added(length, at, rng)
            sound[at.start : at.end] += voice
            begun = time.perf_counter()
            found.append(hear(sound.astype(np.float32)).speech)
            took, heard_seconds = took + time.perf_counter() - begun, heard_seconds + length / SAMPLE_RATE
            truth.append(at)
        s = score_speech(truth, found)
        print(
            f"{name:26} starts off {s.starts_off:6.1%}  ends off {s.ends_off:6.1%}  silent {s.silent:6.1%}  "
            f"p95 {1000 * s.start_p95:4.0f}, {1000 * s.end_p95:4.0f} ms  worst {s.worst:.2f} s"
        )
    print(f"{heard_seconds / took:.0f} x realtime")


def headphones(rng: np.random.Generator) -> np.ndarray:
    """A way from headphones to a microphone: thin, coloured, 4 to 20 ms long, up to 80 ms late or 20 ms early."""
    long = int(rng.uniform(0.004, 0.02) * SAMPLE_RATE)
    way = rng.standard_normal(long) * np.exp(-np.arange(long) / (long / 5))
    way[0] = 3.0
    band = butter(1, [rng.uniform(200, 500), rng.uniform(4_000, 9_000)], "band", fs=SAMPLE_RATE, output="sos")
    late = int(rng.uniform(0.0, 0.1) * SAMPLE_RATE)
    return np.concatenate((np.zeros(late), sosfilt(band, np.concatenate((way, np.zeros(400))))))


def _first(sound: np.ndarray, span: Span) -> np.ndarray:
    return sound[: span.length]


def known_bleed(all_voices: list[np.ndarray], seed: int) -> None:
    """Starts and ends beside another voice in the headphones, which is known, as it is in a take; and where none leaks."""
    early = milliseconds(20)
    for below in (45.0, 36.0, 28.0, None):
        truth, found, with_it, said = [], [], [], 0
        for number, voice in enumerate(all_voices):
            rng = np.random.default_rng([seed, 66, int(below or 0), number])
            at = Span(lead := int(rng.integers(SAMPLE_RATE, 2 * SAMPLE_RATE)), lead + len(voice))
            length = at.end + SAMPLE_RATE
            played = bleed(all_voices, 0)(length + 2 * MARGIN, at, rng).astype(np.float32)
            sound = noises.room_noise(length, VOICE - 50, rng)
            if below is not None:
                leak = np.convolve(played, headphones(rng))[MARGIN + early : MARGIN + early + length]
                sound = sound + leak * gain(VOICE - below - active(leak))
            sound[at.start : at.end] += voice
            measures = measure_blocks([sound.astype(np.float32)], partial(_first, played))[0]
            truth.append(at)
            found.append(measures.speech)
            with_it.append(hear(sound.astype(np.float32)).speech)
            said += measures.bleed is not None
        for name, heard in (("unknown", with_it), ("known", found)):
            s = score_speech(truth, heard)
            print(
                f"bleed {'none' if below is None else f'{below:g} dB below'}, {name:8} starts off {s.starts_off:6.1%}  "
                f"ends off {s.ends_off:6.1%}  worst {s.worst:.2f} s  said of {said} of {len(all_voices)}"
            )


def whispers(all_voices: list[np.ndarray], seed: int) -> None:
    """Whispers 25 to 40 dB above the room."""
    truth, found = [], []
    for number, voice in enumerate(all_voices):
        rng = np.random.default_rng([seed, 77, number])
        whisper = trimmed(noises.whispered(voice, rng)) * gain(-10)
        sound = noises.room_noise(len(whisper) + 2 * SAMPLE_RATE, VOICE - 10 - rng.uniform(25, 40), rng)
        sound[SAMPLE_RATE : SAMPLE_RATE + len(whisper)] += whisper
        truth.append(Span(SAMPLE_RATE, SAMPLE_RATE + len(whisper)))
        found.append(hear(sound).speech)
    s = score_speech(truth, found)
    print(f"whispers: called silent {s.silent:.1%}, starts off {s.starts_off:.1%}, ends off {s.ends_off:.1%}")


def no_speech(seed: int, count: int = 60) -> None:
    """What is called speech though nobody speaks."""
    wrong: dict[str, int] = {}
    kinds = {"rumble": noises.rumble, "hiss": noises.hiss, "hum": noises.hum}
    single = {"keys": noises.key_press, "knocks": noises.thump, "breaths": noises.breath, "coughs": noises.cough}
    for what in (*kinds, *single):
        for number in range(count):
            rng = np.random.default_rng([seed, 88, number])
            length = 4 * SAMPLE_RATE
            sound = noises.room_noise(length, rng.uniform(-75, -60), rng)
            if what in kinds:
                sound = sound + kinds[what](length, rng.uniform(-55, -35), rng)
            else:
                some = [(int(at), single[what](rng.uniform(-40, -15), rng)) for at in rng.integers(0, length, 5)]
                sound = noises.sprinkle(sound, some)
            wrong[what] = wrong.get(what, 0) + (hear(sound).speech is not None)
    print(f"called speech, of {count}: " + ", ".join(f"{what} {some}" for what, some in wrong.items()))


def clipping(all_voices: list[np.ndarray], seed: int) -> None:
    """Takes driven 1 dB over, turned down afterwards; and clean loud ones."""
    found = clean = behind = 0
    for number, voice in enumerate(all_voices):
        rng = np.random.default_rng([seed, 99, number])
        top = gain(-float(rng.choice([0.0, 0.01, 0.3])))
        loud = voice / np.abs(voice).max()
        driven = np.clip(loud * gain(1.0), -top, top)
        lowered = np.round(driven * gain(-rng.uniform(0.1, 12)) * 32767).astype(np.float32) / 32768
        found += bool(clipped_spans(lowered))
        resampled = soxr.resample(soxr.resample(driven, SAMPLE_RATE, 44_100), 44_100, SAMPLE_RATE)
        behind += bool(clipped_spans(np.asarray(resampled, np.float32)))
        whole = np.round(loud * gain(-rng.uniform(0.05, 12)) * 32767).astype(np.float32) / 32768
        clean += bool(clipped_spans(whole))
    count = len(all_voices)
    print(
        f"1 dB over: clipping found {found / count:.1%}, behind a resampling {behind / count:.1%}; "
        f"said of clean ones {clean / count:.1%}"
    )


def main() -> None:
    """Run all, print the figures."""
    all_voices = list(voices(sys.argv[1] if len(sys.argv) > 1 else None))
    print(f"{len(all_voices)} voices")
    speech(all_voices, 41)
    known_bleed(all_voices, 41)
    whispers(all_voices, 41)
    no_speech(41)
    clipping(all_voices, 41)


if __name__ == "__main__":
    main()
