"""Cuts found in made films, against where they were made: precision and recall, for hard cuts and for dissolves.

.venv/bin/python -m bench.cuts
"""

import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "core"))

import numpy as np
from scipy.ndimage import gaussian_filter

from fendo_core.picture.cuts import HEIGHT, WIDTH, find_cuts

FILMS = 60
SHOTS = 8
NEAR = 1
"""Frames by which a hard cut may be off; a dissolve counts as found anywhere inside of it."""


def made(seed: int) -> tuple[np.ndarray, list[int], list[tuple[int, int]]]:
    """A film: its frames, its hard cuts, and the spans of its dissolves."""
    dice = np.random.default_rng(seed)
    frames: list[np.ndarray] = []
    hard, soft = [], []
    for shot in range(SHOTS):
        field = gaussian_filter(dice.standard_normal((HEIGHT, WIDTH * 4)), dice.uniform(2, 5))
        field = dice.uniform(50, 200) + dice.uniform(12, 45) * field / field.std()
        # One shot in four is panned fast.
        speed = dice.uniform(1.5, 2.7) if dice.random() < 0.25 else dice.uniform(0.0, 1.2)
        count = int(dice.integers(30, 70))
        own = [field[:, int(n * speed) % (WIDTH * 3) :][:, :WIDTH] for n in range(count)]
        if shot and dice.random() < 0.3:
            length = int(dice.integers(8, 25))
            start = len(frames) - length
            for n in range(length):
                share = (n + 1) / (length + 1)
                frames[start + n] = frames[start + n] * (1 - share) + own[0] * share
            soft.append((start, len(frames)))
        elif shot:
            hard.append(len(frames))
        frames += own
        if dice.random() < 0.3:
            at = len(frames) - int(dice.integers(12, 25))
            for n in range(int(dice.integers(1, 4))):
                frames[at + n] = np.full((HEIGHT, WIDTH), 250.0)
    noisy = np.stack(frames) + dice.normal(0, 2, (len(frames), HEIGHT, WIDTH))
    return np.clip(noisy, 0, 255).astype(np.uint8), hard, soft


def main() -> None:
    """Run all, print the figures."""
    cuts = dissolves = found_cuts = found_dissolves = wrong = total = 0
    for seed in range(FILMS):
        frames, hard, soft = made(seed)
        found = find_cuts(frames)
        total += len(found)
        cuts, dissolves = cuts + len(hard), dissolves + len(soft)
        hits = {at for at in hard if any(abs(one - at) <= NEAR for one in found)}
        inside = {span for span in soft if any(span[0] <= one <= span[1] for one in found)}
        found_cuts, found_dissolves = found_cuts + len(hits), found_dissolves + len(inside)
        wrong += sum(
            1 for one in found if not any(abs(one - at) <= NEAR for at in hard) and not any(a <= one <= b for a, b in soft)
        )
    print(f"{FILMS} films, {cuts} hard cuts, {dissolves} dissolves")
    print(f"  hard cuts found    {found_cuts / cuts:6.1%}")
    print(f"  dissolves found    {found_dissolves / dissolves:6.1%}")
    print(f"  of what was found, right {1 - wrong / total:6.1%} ({wrong} wrong)")


if __name__ == "__main__":
    main()
