"""How many files of scripts come out as their senders meant, with seeds that no test uses.

`.venv/bin/python -m bench.sent [SEEDS]` says how many files, lines, slots and readers are right, and what is not.
"""

import sys
from collections import defaultdict
from pathlib import Path

sys.path[:0] = [str(Path(__file__).parents[1] / part) for part in ("core", "tests")]

from sent_scripts import KINDS, score  # noqa: E402


def main() -> None:
    """Say the figures."""
    seeds = range(1000, 1000 + (int(sys.argv[1]) if len(sys.argv) > 1 else 20))
    whole = defaultdict(list)
    for kind in KINDS:
        whole[kind] = [score(kind, seed) for seed in seeds]
    files = [each.whole for scores in whole.values() for each in scores]
    print(f"{len(KINDS)} kinds, {len(files)} files: {sum(files) / len(files):.1%} as meant")
    for what in ("words", "slots", "readers", "notes"):
        shares = [getattr(each, what) for scores in whole.values() for each in scores]
        print(f"{what}: {sum(shares) / len(shares):.1%}")
    for kind, scores in whole.items():
        right = sum(each.whole for each in scores)
        if right < len(scores):
            worst = min(scores, key=lambda each: (each.whole, each.words, each.slots))
            print(f"  {kind}: {right} of {len(scores)} ({worst})")


if __name__ == "__main__":
    main()
