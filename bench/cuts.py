"""Cuts found in made films of many kinds, against where they were made, with seeds that no test uses.

`.venv/bin/python -m bench.cuts`
"""

import sys
from pathlib import Path

sys.path[:0] = [str(Path(__file__).parents[1] / part) for part in ("core", "tests")]

from fendo_core.picture.cuts import find_cuts  # noqa: E402
from fendo_core.picture.scores import cut_scores  # noqa: E402
from made_films import KINDS, NEAR, made, score  # noqa: E402

FILMS = 60


def main() -> None:
    """Run all, print the figures."""
    for kind in KINDS:
        films = [score(kind, seed) for seed in range(1000, 1020)]
        there, found, false = (sum(each) for each in zip(*films, strict=True))
        print(f"{kind:20} {found} of {there} found, {false} false, in 20 films")
    cuts = dissolves = found_cuts = found_dissolves = wrong = total = 0
    for seed in range(FILMS):
        frames, hard, soft = made(seed)
        told = find_cuts(frames)
        inside = [one for one in told if any(start <= one <= end for start, end in soft)]
        at_cuts = cut_scores(hard, [one for one in told if one not in inside], NEAR)
        total += len(told)
        cuts, dissolves = cuts + len(hard), dissolves + len(soft)
        found_cuts, wrong = found_cuts + at_cuts.found, wrong + at_cuts.false
        found_dissolves += sum(any(start <= one <= end for one in told) for start, end in soft)
    print(f"{FILMS} films with all of it, {cuts} hard cuts, {dissolves} dissolves")
    print(f"  hard cuts found    {found_cuts / cuts:6.1%}")
    print(f"  dissolves found    {found_dissolves / dissolves:6.1%}")
    print(f"  of what was found, right {1 - wrong / total:6.1%} ({wrong} wrong)")


if __name__ == "__main__":
    main()
