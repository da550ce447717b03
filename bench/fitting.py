"""How near a fitted reading sits to its guide, and what a weave leaves of the text: made pairs of two voices.

    python -m bench.fitting

Texts, seeds and speeds are ones that nothing was tuned on. Where words lie in the result is asked of the decoder again, of
the rendered sound: a second account, exact to its frames of 10 ms.
"""

import random
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "core"))

import numpy as np

from fendo_core.audio.speech import hear
from fendo_core.reader import narrator
from fendo_core.script.lines import tokens
from fendo_core.takes.fitting import MOST, fitted, proposed
from fendo_core.takes.weaving import CantWeave, weave, words_in
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.voice import Comp, Read, render_whole
from fendo_core.voice.assembly import room_tone
from fendo_core.words import ReadCheck, read_check

TEXTS = (
    "Rain had filled the upper pond by the first week of March, and the sluice stood open.",
    "Two brothers from the north came to mend the broken gear. They stayed for eleven years.",
    "What the miller saved in winter, he said, the summer would spend for him.",
    "Every boat that passed the point rang once, for luck, and once for the tide.",
    "The bell was cast in a field behind the church, because the town had no foundry.",
    "Nobody wrote the recipe down; it was sung, and the song was wrong by one cup of flour.",
)
SPEEDS = {"rms": 1.0, "slt": 1.2, "awb": 1.13}
"""How fast the voices are by themselves: a reader who replaces a line reads about as fast as the old one did."""


def a_reading(text: str, voice: str, seed: int, stretch: float) -> np.ndarray:
    """A reading in a quiet room."""
    said = np.pad(narrator._spoken(text, voice, stretch), SAMPLE_RATE // 2)
    said *= 0.1 / np.sqrt(np.mean(said[said != 0] ** 2))
    return (said + narrator.room(len(said), seed)).astype(np.float32)


class Heard:
    """A reading, its comp at a place of the programme, its phrases and words."""

    def __init__(self, name: str, text: str, sound: np.ndarray, at: int) -> None:
        self.name, self.sound = name, sound
        found = hear(sound)
        self.comp = Comp.of_take(name, Span(0, len(sound)), found.speech, at)
        self.inside = found.phrases
        self.phrases = [span.shifted(at) for span in found.phrases]
        self.check: ReadCheck = read_check(text, sound, found.phrases)
        self.words = words_in(self.comp, {name: self.check})


def reader(*readings: Heard) -> Read:
    """The samples of some readings."""
    sounds = {one.name: one.sound for one in readings}
    return lambda name, start, end: sounds[name][start:end]


def words_of(text: str, comp: Comp, read: Read) -> tuple[dict[int, Span], ReadCheck]:
    """Where words lie in a rendered comp, programme samples."""
    pad = SAMPLE_RATE // 2
    sound = np.pad(render_whole(comp, read), pad).astype(np.float32)
    check = read_check(text, sound, hear(sound).phrases)
    return {word.ordinal: word.span.shifted(comp.at - pad) for word in check.of("read") if word.span}, check


def main() -> None:
    """Print shares and errors."""
    errors, limited, phrases, stretches = list[float](), 0, 0, list[float]()
    for number, text in enumerate(TEXTS):
        for own, old in (("slt", "rms"), ("rms", "awb"), ("awb", "slt"), ("rms", "slt"), ("slt", "slt")):
            dice = random.Random(f"{number}{own}{old}")
            new = Heard("new", text, a_reading(text, own, number, 1.0), 1_000)
            speed = SPEEDS[old] / SPEEDS[own] * dice.uniform(0.93, 1.07)
            guide = Heard("old", text, a_reading(text, old, 90 + number, speed), 5_000)
            read = reader(new)
            found = proposed(new.phrases, guide.phrases, new.words, guide.words)
            tone = room_tone("new", Span(0, len(new.sound)), new.inside, read)
            there, _ = words_of(text, fitted(new.comp, found, tone), read)
            for one in found:
                phrases += 1
                stretches.append(abs(one.stretch))
                if abs(one.stretch) > MOST - 0.001:
                    limited += 1
                    continue
                for word, edge in zip(one.words or (), ("start", "end"), strict=False):
                    if word in there and word in guide.words:
                        errors.append(abs(getattr(there[word], edge) - getattr(guide.words[word], edge)) / 48)
    print(f"fit: {phrases} phrases, {limited} beyond {MOST:.0%}; edges of the others off by (ms)")
    print(f"  median {np.median(errors):.0f}, p95 {np.percentile(errors, 95):.0f}, worst {max(errors):.0f}")
    print(f"  stretched by {np.median(stretches):.1%} at the median")
    fine = refused = tried = 0
    for number, text in enumerate(TEXTS):
        page = tokens(text)
        for voice in narrator.VOICES:
            dice = random.Random(f"{number}{voice}")
            out = dice.choice([n for n in range(2, len(page) - 2) if len(page[n].strip(".,;")) > 3])
            lacks = " ".join(page[:out] + page[out + 1 :])
            base = Heard("base", text, a_reading(lacks, voice, 200 + number, dice.uniform(0.95, 1.05)), 1_000)
            other = Heard("other", text, a_reading(text, voice, 300 + number, dice.uniform(0.95, 1.05)), 9_000)
            tried += 1
            read = reader(base, other)
            try:
                made = weave(base.comp, base.words, other.comp, other.words, out - 1, out + 1, read)
            except CantWeave:
                refused += 1
                continue
            fine += words_of(text, made.comp, read)[1].fine
    print(f"weave: {fine} of {tried} whole by the read check, {refused} refused")


if __name__ == "__main__":
    main()
