"""As many lines as a production holds, pasted at once: until the answer is there, taken back, done again, opened.

.venv/bin/python -m bench.most_lines [LINES]
"""

import json
import sys
import time
from pathlib import Path

import numpy as np

ROOT = Path(__file__).parents[1]
sys.path[:0] = [str(ROOT), *(str(ROOT / part) for part in ("tests", "core", "server"))]

from bench.bench import Door  # noqa: E402
from bench.load import own_world, plain  # noqa: E402
from fendo_core.script.lines import MOST_LINES  # noqa: E402

WORDS = (
    "the heron waits below weir until water turns each spring carpenter replaced three paddles of wheel nobody ever paid "
    "him for nails in evening boats came up with barley"
)


def main() -> None:
    """Say the seconds."""
    dice = np.random.default_rng()
    lines = int(sys.argv[1]) if len(sys.argv) > 1 else MOST_LINES
    text = "\n\n".join(f"{' '.join(dice.choice(WORDS.split(), 12)).capitalize()}." for _ in range(lines))
    with own_world() as world:
        door = Door(world)

        def ask(method: str, path: str, sent: object = None) -> dict:
            return json.loads(plain(door.ask(method, path, json.dumps(sent).encode() if sent is not None else b"")))

        # What the helper of the phonemes costs to begin with is not the lines' doing.
        for name, wanted in (("warm", "One line."), ("most", text)):
            address = f"/api/productions/{ask('POST', '/api/productions/', {'name': name})['id']}/"
            revision = ask("GET", address)["revision"]
            steps = [("edits/", {"kind": "add_lines", "text": wanted, "revision": revision}), ("undo/", {}), ("redo/", {})]
            for path, sent in steps:
                begun = time.perf_counter()
                ask("POST", address + path, sent)
                print(f"{name} {path:7} {time.perf_counter() - begun:6.2f} s")
            begun = time.perf_counter()
            held = len(ask("GET", address)["lines"])
            print(f"{name} opened  {time.perf_counter() - begun:6.2f} s, {held} lines")


if __name__ == "__main__":
    main()
