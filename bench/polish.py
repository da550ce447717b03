"""What a scan finds and what it takes for a fault, in made readings whose faults are known; speed of scan and treatment.

.venv/bin/python -m bench.polish [--seed N]             made voices
.venv/bin/python -m bench.polish [--seed N] FOLDER      phrases of people, clean and short (WAV), in a folder of yours
"""

import argparse
import time

import numpy as np

from bench.ear import VOICE, voices
from fendo_core.audio.levels import gain
from fendo_core.polish.scan import LONGEST_GAP, scan
from fendo_core.reader import noises
from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds
from fendo_core.voice.chain import STAGES, made
from fendo_core.voice.repair import REPAIR_KINDS
from fendo_core.voice.treatment import treated

SHORT = {"click", "noise", "breath"}
"""One of these may be taken for another: a key that is pressed is two clicks, a cough two breaths."""
READINGS = 24
PHRASES = 6


def reading(
    all_voices: list[np.ndarray], rng: np.random.Generator, faults: bool
) -> tuple[np.ndarray, list[tuple[str, Span]]]:
    """Phrases with pauses of 0.45 to 0.75 s in a room 44 dB below; about half of them have each fault."""
    parts, worn, at = [np.zeros(SAMPLE_RATE, np.float32)], [], SAMPLE_RATE
    for number in range(PHRASES):
        voice = all_voices[int(rng.integers(len(all_voices)))] * gain(2.0)
        start, end = at, at + len(voice)
        pause = int(rng.integers(21_600, 36_000))
        parts += [voice, np.zeros(pause, np.float32)]
        at = end + pause
        if faults and rng.random() < 0.5:
            sound = noises.breath(rng.uniform(-42, -32), rng, int(rng.uniform(0.22, 0.4) * SAMPLE_RATE))
            worn.append(("breath", start - len(sound) - milliseconds(int(rng.integers(30, 80))), sound))
        if faults and rng.random() < 0.5:
            click = noises.mouth_click(rng.uniform(-40, -26), rng)
            worn.append(("click", end + milliseconds(int(rng.integers(100, 250))), click))
        elif faults and rng.random() < 0.8:
            make = (noises.cough, noises.thump, noises.key_press)[int(rng.integers(3))]
            sound = make(rng.uniform(-34, -20), rng)
            parts[-1] = np.zeros(pause := max(pause, len(sound) + milliseconds(700)), np.float32)
            if pause > LONGEST_GAP and number < PHRASES - 1:
                worn.append(("gap", end, np.zeros(pause, np.float32)))
            at = end + pause
            worn.append(("noise", end + milliseconds(int(rng.integers(120, 250))), sound))
        if faults and rng.random() < 0.3:
            worn.append(("plosive", start + milliseconds(int(rng.integers(0, 100))), noises.pop(rng.uniform(-14, -8), rng)))
        elif faults and rng.random() < 0.2:
            sound = noises.handling(rng.uniform(-26, -14), rng)
            worn.append(("rumble", start + milliseconds(int(rng.integers(0, 800))), sound))
    sound = np.concatenate([*parts, np.zeros(SAMPLE_RATE, np.float32)])
    sound = sound + noises.room_noise(len(sound), VOICE - 42, rng)
    if faults and rng.random() < 0.5:
        mains = (50.0, 60.0)[int(rng.integers(2))]
        worn.append(("hum", 0, noises.hum(len(sound), VOICE - rng.uniform(28, 42), rng, mains)))
    truth = [(kind, Span(place, place + len(one))) for kind, place, one in worn]
    return noises.sprinkle(sound, [(place, one) for _, place, one in worn]), truth


def main() -> None:
    """Run all, print the figures."""
    parser = argparse.ArgumentParser()
    parser.add_argument("folder", nargs="?")
    parser.add_argument("--seed", type=int, default=17)
    asked = parser.parse_args()
    all_voices = list(voices(asked.folder))
    there, found = dict.fromkeys(REPAIR_KINDS, 0), dict.fromkeys(REPAIR_KINDS, 0)
    other, wrong = dict.fromkeys(REPAIR_KINDS, 0), dict.fromkeys(REPAIR_KINDS, 0)
    length, took = 0, 0.0
    for number in range(READINGS):
        rng = np.random.default_rng([asked.seed, number])
        sound, truth = reading(all_voices, rng, faults=number % 2 == 0)
        begun = time.perf_counter()
        places = scan(sound)
        took, length = took + time.perf_counter() - begun, length + len(sound)
        for kind, span in truth:
            there[kind] += 1
            told = {place.kind for place in places if place.span.meets(span)} & {kind, *SHORT}
            found[kind] += kind in told
            other[kind] += kind in SHORT and bool(told) and kind not in told
        for place in places:
            true = {kind for kind, span in truth if place.span.meets(span)}
            wrong[place.kind] += place.kind not in true and not (place.kind in SHORT and true & SHORT)
    minutes = length / SAMPLE_RATE / 60
    print(f"{len(all_voices)} voices, {minutes:.1f} minutes, half of them without faults")
    for kind in REPAIR_KINDS:
        if there[kind] or wrong[kind]:
            named = f" ({other[kind]} more as something else)" if other[kind] else ""
            said = f"found {found[kind]} of {there[kind]}{named}"
            print(f"{kind:8} {said}, false {10 * wrong[kind] / minutes:.1f} in ten minutes")
    print(f"all      false {10 * sum(wrong.values()) / minutes:.1f} in ten minutes")
    print(f"scan {length / SAMPLE_RATE / took:.0f} x realtime")
    whole = np.tile(all_voices[0], 60)
    begun = time.perf_counter()
    treated(whole, made("all", **{stage.kind: {} for stage in STAGES}))
    print(f"all stages of a treatment {len(whole) / SAMPLE_RATE / (time.perf_counter() - begun):.0f} x realtime")


if __name__ == "__main__":
    main()
