"""Raw readings of the simulated reader, two minutes in ten lines, and the same without anything amiss."""

from dataclasses import dataclass

import numpy as np

from fendo_core.audio.levels import gain
from fendo_core.reader import narrator, noises
from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds

TEXTS = (
    (
        "Before the bridge was built, a ferry crossed here.",
        "Its keeper slept in a hut beside the landing.",
        "He rose whenever the bell was rung.",
    ),
    (
        "The mill stands where two streams meet.",
        "Nobody has ground corn in it for forty years.",
        "Its wheel still turns after heavy rain.",
    ),
    (
        "Behind the orchard runs a narrow path.",
        "It climbs between two walls of grey stone.",
        "Sheep have worn it hollow in the middle.",
    ),
    (
        "In winter the harbour freezes at its edge.",
        "Then the smaller boats are drawn up on the sand.",
        "Their owners mend nets until the thaw.",
    ),
    (
        "A lamp was kept burning in the upper window.",
        "It could be seen from the far side of the bay.",
        "Fishermen steered by it on dark nights.",
    ),
    (
        "The schoolhouse had a single room and a stove.",
        "Every child brought a piece of wood in the morning.",
        "Those who forgot sat nearest to the door.",
    ),
    (
        "Bees were kept in hollow logs along the fence.",
        "Their honey was dark and tasted of heather.",
        "It was sold by the jar at the summer market.",
    ),
    (
        "On the hill there is a ring of standing stones.",
        "Some of them have fallen and lie in the grass.",
        "Nobody knows who carried them up there.",
    ),
    (
        "The old road left the valley through a wood.",
        "Carts went along it loaded with charcoal.",
        "You can still find black earth beneath the leaves.",
    ),
    (
        "Twice a year the river comes over its banks.",
        "The meadows turn into a lake for a week.",
        "When it goes, the grass is greener than before.",
    ),
)
"""Phrases of each line."""
WORN = (
    ("breath", "click"),
    ("plosive", "gap"),
    ("noise",),
    ("breath", "plosive"),
    ("click", "gap"),
    ("false start",),
    ("noise", "click"),
    ("gap", "breath"),
    ("clipped",),
    ("plosive", "click"),
)
"""What is amiss in each line."""
NATURAL = milliseconds(480)
LONG = milliseconds(2_300)


@dataclass(frozen=True)
class Raw:
    """A line as it was read (`samples`), the voice alone (`voice`, as long), where phrases and faults lie."""

    text: str
    samples: np.ndarray
    voice: np.ndarray
    phrases: tuple[Span, ...]
    faults: tuple[tuple[str, Span], ...]


def readings(seed: int, voice: str = narrator.VOICES[0]) -> list[Raw]:
    """Ten of them."""
    return [_reading(number, seed, voice) for number in range(len(TEXTS))]


def _reading(number: int, seed: int, voice: str) -> Raw:
    rng = np.random.default_rng([seed, number])
    said = TEXTS[number]
    worn, sounds = WORN[number], list[tuple[int, np.ndarray]]()
    whole, at = [np.zeros(SAMPLE_RATE, np.float32)], SAMPLE_RATE
    phrases, faults = list[Span](), list[tuple[str, Span]]()

    def laid(kind: str, where: int, sound: np.ndarray) -> None:
        sounds.append((where, sound))
        faults.append((kind, Span(where, where + len(sound))))

    for place, text in enumerate(said):
        spoken = _at_peak(narrator._spoken(text, voice, 1.0), -9.0)
        if place == 1 and "false start" in worn:
            broken = _at_peak(narrator._spoken(" ".join(text.split()[:3]) + ",", voice, 1.0), -9.0)
            begun = at
            whole += [broken, np.zeros(milliseconds(350), np.float32)]
            at += len(broken) + milliseconds(350)
            faults.append(("false start", Span(begun, at)))
        if place == 2 and "clipped" in worn:
            spoken = _at_peak(spoken, 1.5)
            faults.append(("clipped", Span(at, at + len(spoken))))
        phrases.append(Span(at, at + len(spoken)))
        whole.append(spoken)
        at += len(spoken)
        pause = LONG if place == 0 and "gap" in worn else milliseconds(860) if place == 1 and "noise" in worn else NATURAL
        if place == 0 and "gap" in worn:
            faults.append(("gap", Span(at, at + pause)))
        if place == 0 and "click" in worn:
            laid("click", at + milliseconds(180), noises.mouth_click(-28.0, rng))
        if place == 1 and "noise" in worn:
            laid("noise", at + milliseconds(200), noises.cough(-24.0, rng)[: milliseconds(450)])
        if place == 1 and "breath" in worn:
            sound = noises.breath(-34.0, rng, milliseconds(300))
            laid("breath", at + pause - len(sound) - milliseconds(60), sound)
        if place == 1 and "plosive" in worn:
            laid("plosive", at + pause + milliseconds(20), noises.pop(-9.0, rng))
        whole.append(np.zeros(pause, np.float32))
        at += pause
    whole.append(np.zeros(milliseconds(600), np.float32))
    clean = np.concatenate(whole)
    heard = noises.sprinkle(clean, sounds) + noises.room_noise(len(clean), narrator.ROOM_NOISE, rng)
    samples = np.clip(heard, -0.99, 0.99).astype(np.float32)
    return Raw(" ".join(said), samples, clean, tuple(phrases), tuple(faults))


def _at_peak(sound: np.ndarray, level: float) -> np.ndarray:
    return (sound / np.max(np.abs(sound)) * gain(level)).astype(np.float32)
