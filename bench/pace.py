"""How well the length of a reading is told: after so many takes, on readings that were not learned from, for several voices
and speeds; beside the plain counts of words and of letters, learned in the same way.

    .venv/bin/python -m bench.pace                        six made voices
    .venv/bin/python -m bench.pace FOLDER [LANGUAGE]      one person
"""

import argparse
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np
import soundfile
import soxr

sys.path[:0] = [str(Path(__file__).parents[1] / part) for part in ("core", "demo")]

from fendo_core.audio.speech import hear  # noqa: E402
from fendo_core.script.pace import STYLES, Pace, expected_length, learned  # noqa: E402
from fendo_core.timebase import SAMPLE_RATE  # noqa: E402
from fendo_demo import scenario  # noqa: E402

VOICES = (
    ("flite rms", ["flite", "-voice", "rms", "--setf", "duration_stretch=1.0"]),
    ("flite slt, quick", ["flite", "-voice", "slt", "--setf", "duration_stretch=0.8"]),
    ("flite awb, slow", ["flite", "-voice", "awb", "--setf", "duration_stretch=1.2"]),
    ("espeak-ng British, 150", ["espeak-ng", "-v", "en-gb", "-s", "150"]),
    ("espeak-ng American, 190", ["espeak-ng", "-v", "en-us", "-s", "190"]),
    ("espeak-ng slow, 120", ["espeak-ng", "-v", "en-gb+f3", "-s", "120"]),
)
MORE = """
Tie the first knot with the short end, and leave a hand's width over.
A bowline holds a boat of 12 tonnes and opens again with two fingers.
Round the post, under itself, and back: that is all there is to a clove hitch.
If the rope is wet, make the loop twice as large as you think.
The harbour opens at 6:30, and by 7 every berth along the wall is taken.
In 1952 the ferry carried 40,000 people across; today it carries none.
Salt, sun and sand: rope dies of all three, though slowly.
What looks like a mistake here is, in fact, the only part that holds.
Pull once, gently. Pull again, as if you meant it. Now let go.
Nobody checks a knot that has never failed.
The gauge by the window reads 3.5 metres, which is more than this quay was built for.
We measured the temperature of the water every hour, day and night, for eleven weeks.
Her first letter arrived on the 3rd of March, and the last one on May 21st, 1911.
It is a small machine with a long memory.
The committee, after much discussion, decided to decide nothing.
Seeds of this kind keep for about 4 years if they are dry, dark and cool.
An orchard is a slow argument with the weather.
Turn left at the chapel, cross the bridge, and follow the smell of bread.
There were 17 of us in the boat, and only one had ever rowed.
Photographs from that summer show the same dog, again and again, in places it could not have been.
Because the walls are thick, it is warm in winter and quiet all year.
The instrument weighs less than a kilogram and measures to a hundredth of a degree.
Listen for the second bell, not the first.
Everything you can see from here was under water 9,000 years ago.
""".strip().splitlines()


def length_of(command: list[str], text: str) -> int:
    """Samples from the first sound to the last."""
    with tempfile.TemporaryDirectory() as folder:
        words, wav = Path(folder, "words.txt"), Path(folder, "voice.wav")
        words.write_text(text)
        tail = ["-f", str(words), *(["-o", str(wav)] if command[0] == "flite" else ["-w", str(wav)])]
        subprocess.run([*command, *tail], check=True, capture_output=True, timeout=60)
        sound, rate = soundfile.read(wav)
    loud = np.flatnonzero(np.abs(sound) > 0.02 * np.abs(sound).max())
    return round(int(loud[-1] - loud[0]) * SAMPLE_RATE / rate)


def plain(count, texts: list[str], lengths: list[int], at: np.ndarray, out: np.ndarray) -> list[float]:
    """Errors of a length told by a plain count, its scale learned as the median of the takes."""
    scale = float(np.median([lengths[n] / count(texts[n]) for n in at]))
    return [abs(count(texts[n]) * scale / lengths[n] - 1) for n in out]


def read_by_a_person(folder: Path) -> tuple[list[str], list[int]]:
    """Texts, and samples of speech, of the WAV files in a folder that have a text beside them."""
    texts, lengths = [], []
    for path in sorted(folder.glob("*.wav")):
        text = path.with_suffix(".txt")
        if not text.exists():
            continue
        sound, rate = soundfile.read(path, dtype="float32", always_2d=True)
        # What was cut at the first sound has no room around it to tell it from.
        room = np.random.default_rng(1).standard_normal(rate).astype(np.float32) * 3e-4
        phrases = hear(soxr.resample(np.concatenate([room, sound[:, 0], room]), rate, SAMPLE_RATE)).phrases
        if phrases:
            texts.append(text.read_text().strip())
            lengths.append(phrases[-1].end - phrases[0].start)
    return texts, lengths


def row_of(
    texts: list[str], lengths: list[int], start: Pace, draws: int, rng: np.random.Generator
) -> dict[str, list[float]]:
    """Errors on texts that were not learned from, by how many takes were."""
    row: dict[str, list[float]] = {}
    for _ in range(draws):
        order = rng.permutation(len(texts))
        for count in (0, 1, 3, 10, 20):
            pace = learned([(texts[n], lengths[n]) for n in order[:count]], start)
            off = [abs(expected_length(texts[n], pace) / lengths[n] - 1) for n in order[20:]]
            row.setdefault(str(count), []).extend(off)
        at, out = order[:10], order[20:]
        row.setdefault("words", []).extend(plain(lambda t: len(t.split()), texts, lengths, at, out))
        row.setdefault("letters", []).extend(plain(lambda t: sum(map(str.isalnum, t)), texts, lengths, at, out))
    return row


def told(name: str, row: dict[str, list[float]]) -> float:
    """Print a row; its median after ten takes."""
    cells = [f"{100 * np.median(off):.1f}/{100 * np.percentile(off, 90):.0f}" for off in row.values()]
    print(f"{name:26}" + "".join(f"{cell:>{10 if n < 5 else 12}}" for n, cell in enumerate(cells)))
    return float(np.median(row["10"]))


def main() -> None:
    """Run all voices, print a table."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument(
        "folder", nargs="?", type=Path, help="readings of one person: WAV files, each with a .txt beside it"
    )
    parser.add_argument("language", nargs="?", default="en-us", help="in which they are")
    parser.add_argument("--draws", type=int, default=40, help="random choices of the takes to learn from")
    asked = parser.parse_args()
    rng = np.random.default_rng(7)
    print("median and 90th percentile of the error in %, on texts not learned from")
    print(f"{'voice':26}{'none':>10}{'1 take':>10}{'3':>10}{'10':>10}{'20':>10}{'words, 10':>12}{'letters, 10':>13}")
    if asked.folder:
        texts, lengths = read_by_a_person(asked.folder)
        for style, pace in STYLES.items():
            row = row_of(texts, lengths, Pace.starting(pace, asked.language), asked.draws, rng)
            told(f"{len(texts)} texts, {style}", row)
        return
    texts = [line.text for line in (*scenario.LINES, *scenario.SPOT.lines)] + MORE
    texts = [text for text in texts if len(text.split()) > 2]
    worst = 0.0
    for name, command in VOICES:
        if not shutil.which(command[0]):
            print(f"{name:26} not installed")
            continue
        lengths = [length_of(command, text) for text in texts]
        worst = max(worst, told(name, row_of(texts, lengths, Pace.starting(), asked.draws, rng)))
    print(f"{len(texts)} texts; the worst median after ten takes: {100 * worst:.1f} %")


if __name__ == "__main__":
    main()
