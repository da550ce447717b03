"""The read check, and passes cut by what was said: shares found and false, speed.

.venv/bin/python -m bench.words                 made voices, texts and seeds that nothing was tuned on
.venv/bin/python -m bench.words FOLDER          readings of people: NAME.wav with the text that was read in NAME.txt
"""

import random
import sys
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "core"))

import numpy as np
import soundfile
import soxr

from fendo_core.audio.levels import gain
from fendo_core.audio.speech import hear
from fendo_core.booth.passes import PassLine, cut_by_words
from fendo_core.reader import narrator
from fendo_core.script.lines import tokens
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.words import ReadCheck, read_check, spoken_words
from fendo_core.words.check import SMALL
from fendo_core.words.decoder import Decoder
from fendo_core.words.following import Follower, following_scores
from fendo_core.words.listener import listener, spoken_in

TEXTS = (
    "Rain had filled the upper pond by the first week of March.",
    "Two brothers from the north came to mend the broken gear.",
    "They slept above the stable and were paid in bread.",
    "A wheel of this size wants forty barrels of water a minute.",
    "Sheep grazed on the bank until the fence was put up.",
    "Her ledger begins in pencil and ends in violet ink.",
    "Seven families shared the oven on the other side of the lane.",
    "Nothing moves so slowly as a barge against the tide.",
    "The bell was rung twice for flour and three times for fire.",
    "Later the railway took the grain, and the quay grew quiet.",
    "Some of the stones are older than the church.",
    "You can still read the names that were cut into the beam.",
    "Winter stopped the wheel, but never for more than a month.",
    "Every miller had a cat, and every cat had a title.",
    "Chalk marks on the door counted sacks, and sometimes debts.",
    "The last owner sold the lot to a painter of boats.",
    "Children learned to swim where the water leaves the race.",
    "In dry summers the whole town came to look at the mud.",
    "Listen for the hum below the floor: that is the great shaft.",
    "By morning the gates were open again.",
)
PUT_IN = ("elephants", "very slowly indeed", "I am sorry", "seventeen times")


def in_room(sound: np.ndarray, seed: int, noise: float = -62.0) -> np.ndarray:
    """A voice at -22 dBFS in a room."""
    level = np.sqrt(np.mean(sound[np.abs(sound) > 1e-4] ** 2))
    room = np.random.default_rng(seed).standard_normal(len(sound)) * gain(noise)
    return (sound * gain(-22.0) / level + room).astype(np.float32)


def made() -> list[tuple[str, str, np.ndarray]]:
    """Text, voice, bare sound."""
    return [(text, voice, narrator._spoken(text, voice, 1.02)) for text in TEXTS for voice in narrator.VOICES]


def recorded(folder: Path) -> list[tuple[str, str, np.ndarray]]:
    """The same of people."""
    found = []
    for path in sorted(folder.glob("*.wav")):
        sound, rate = soundfile.read(path, dtype="float32", always_2d=True)
        found.append((path.with_suffix(".txt").read_text().strip(), "", soxr.resample(sound[:, 0], rate, SAMPLE_RATE)))
    return found


class Counted:
    """How often something was looked for, and found."""

    def __init__(self) -> None:
        self.asked = self.found = 0

    def add(self, found: bool) -> None:
        """One more, found or not."""
        self.asked += 1
        self.found += found

    def __str__(self) -> str:
        return f"{self.found} of {self.asked} ({100 * self.found / max(1, self.asked):.1f} %)"


def checks(readings: list[tuple[str, str, np.ndarray]]) -> None:
    """Readings against their own text, and against texts that differ by one thing: the reading is as it was recorded."""
    dice, spent, heard = random.Random(11), 0.0, 0
    false, out, small, put_in, told, away = Counted(), Counted(), Counted(), Counted(), Counted(), Counted()
    for number, (text, _, bare) in enumerate(readings):
        sound = in_room(np.pad(bare, SAMPLE_RATE // 4), number)
        phrases, page = hear(sound).phrases, tokens(text)
        if len(page) < 5:
            continue

        def check(other: str, sound: np.ndarray = sound, phrases: tuple[Span, ...] = phrases) -> ReadCheck:
            return read_check(other, sound, phrases)

        began = time.perf_counter()
        own = check(text)
        spent, heard = spent + time.perf_counter() - began, heard + len(sound)
        false.add(not own.fine)
        at = dice.randrange(1, len(page))
        more = check(" ".join([*page[:at], "elephants", *page[at:]]))
        out.add(any(word.ordinal == at for word in more.of("left out")))
        more = check(" ".join([*page[:at], "the", *page[at:]]))
        small.add(any(word.ordinal == at and word.mark != "read" for word in more.words))
        big = [n for n in range(1, len(page) - 1) if page[n].casefold().strip(",.") not in SMALL]
        gone = dice.choice(big or [1])
        more = check(" ".join(page[:gone] + page[gone + 1 :]))
        put_in.add(not more.fine)
        told.add(bool(more.put_in) and not more.lost)
        away.add(check(readings[(number + 7) % len(readings)][0]).lost)
    print(f"false alarms on readings of the very text: {false}")
    print(f"a word that was not said: {out}; a small one (told as doubtful): {small}")
    print(f"one word said that is not in the text: {put_in}; told as such: {told}")
    print(f"another text: {away}; {heard / SAMPLE_RATE / spent:.0f} times as fast as it was read")


def one_pass(voice: str, seed: int) -> tuple[np.ndarray, list[tuple[int, int, int]]]:
    """Twenty lines: six broken off and said again, three said twice, two left out; the sound, and (line, start, end)."""
    dice, parts, truth = random.Random(seed), [np.zeros(SAMPLE_RATE, np.float32)], []
    order = dice.sample(range(len(TEXTS)), len(TEXTS))
    broken, twice, out = order[:6], order[6:9], order[9:11]

    def say(text: str) -> tuple[int, int]:
        start = sum(map(len, parts))
        sound = narrator._spoken(text, voice, 1.0)
        parts.append(sound * 0.08 / np.sqrt(np.mean(sound**2)))
        parts.append(np.zeros(int(dice.uniform(0.6, 1.6) * SAMPLE_RATE), np.float32))
        return start, start + len(sound)

    for line, text in enumerate(TEXTS):
        if line in out:
            continue
        words = text.split()
        if line in broken:
            say(" ".join(words[: dice.randrange(2, len(words) - 2)]))
        for _ in range(2 if line in twice else 1):
            truth.append((line, *say(text)))
    return in_room(np.concatenate(parts), seed), truth


def cutting() -> None:
    """Lines that are cut right: as many whole takes as were read, each with all of its words and nothing of another."""
    right, spent, heard = Counted(), 0.0, 0
    lines = [PassLine(str(n), text, 0) for n, text in enumerate(TEXTS)]
    for voice in narrator.VOICES:
        for seed in range(40, 44):
            sound, truth = one_pass(voice, seed)
            phrases, began = hear(sound).phrases, time.perf_counter()
            found = cut_by_words(lines, lambda a, b, sound=sound: sound[a:b], phrases, len(sound))
            spent, heard = spent + time.perf_counter() - began, heard + len(sound)
            for line in range(len(TEXTS)):
                wanted = [(a, b) for number, a, b in truth if number == line]
                got = [one.span for one in found.attempts if one.line == str(line) and one.whole]
                near = [
                    span.start <= a + 2_400 and span.end >= b - 4_800 and a - span.start < 30_000 and span.end - b < 40_000
                    for (a, b), span in zip(wanted, got, strict=False)
                ]
                right.add(len(wanted) == len(got) and all(near))
    print(f"lines of a pass that are cut right: {right}; {heard / SAMPLE_RATE / spent:.0f} times as fast as it was read")


LOOK = SAMPLE_RATE // 5


def following(readings: list[tuple[str, str, np.ndarray]]) -> None:
    """Readings followed as they come, 0.2 s at a time, against where their words are found afterwards."""
    delays, right, of, spent, heard, decoder = list[float](), 0, 0, 0.0, 0, Decoder()
    for number, (text, _, bare) in enumerate(readings):
        sound = in_room(np.pad(bare, SAMPLE_RATE // 2), number)
        words = [word.text for word in spoken_words(text)]
        last = {one.index: one for one in spoken_in(listener().listen(sound, words), hear(sound).phrases)}
        if len(last) < 0.8 * len(words):
            continue
        follower, looks = Follower(words, decoder=decoder), []
        began = time.perf_counter()
        for start in range(0, len(sound), LOOK):
            follower.feed(sound[start : start + LOOK])
            looks.append((min(len(sound), start + LOOK), follower.place))
        follower.close()
        spent, heard = spent + time.perf_counter() - began, heard + len(sound)
        found = following_scores(list(last.values()), looks)
        delays += [np.inf if delay is None else delay / SAMPLE_RATE for delay in found.delays]
        right, of = right + found.looks, of + found.of
    p50, p95, p99 = np.percentile(delays, [50, 95, 99])
    late = 100 * np.mean(np.array(delays) > 0.5)
    print(f"a word is known {p50:.2f} s after it begins (p95 {p95:.2f}, p99 {p99:.2f}); {late:.1f} % later than 0.5 s")
    print(f"the place is right at {100 * right / of:.1f} % of looks; {heard / SAMPLE_RATE / spent:.0f} × realtime")


if __name__ == "__main__":
    listener()
    given = recorded(Path(sys.argv[1])) if len(sys.argv) > 1 else made()
    following(given)
    checks(given)
    if len(sys.argv) < 2:
        cutting()
