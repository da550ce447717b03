"""Stop -> take playable; opening a room with the demo's size and with ten times its lines. Prints figures and ratios."""

import gzip
import http.cookiejar
import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path

sys.path[:0] = [str(Path(__file__).parent.parent), *(str(Path(__file__).parent.parent / p) for p in ("tests", "core"))]

from fendo_core.audio import pcm  # noqa: E402
from fendo_core.reader import narrator  # noqa: E402
from launcher.checks import _test_cluster  # noqa: E402
from launcher.steps import PYTHON, ROOT  # noqa: E402

DEMO_LINES, DEMO_TAKES = 18, 5
ROUNDS = 15


class Door:
    """Signed-in requests without a browser."""

    def __init__(self, world, account: str = "bench") -> None:
        self.base, self.jar = world.address, http.cookiejar.CookieJar()
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.jar))
        self.opener.open(world.link(account)).read()

    def ask(self, method: str, path: str, body: bytes = b"", kind: str = "application/json", **more: str):
        """The answer's body; raises for what the server refuses."""
        token = next((c.value for c in self.jar if c.name == "csrftoken"), "")
        headers = {"Content-Type": kind, "X-CSRFToken": token, "Accept-Encoding": "gzip", **more}
        with self.opener.open(urllib.request.Request(self.base + path, body or None, headers, method=method)) as answer:
            return answer.read()


def seeded(world, lines: int) -> str:
    """A production of so many lines with takes; its identity."""
    command = [str(PYTHON), str(ROOT / "bench" / "seed.py"), f"{lines} lines", str(lines), str(DEMO_TAKES)]
    done = subprocess.run(command, env={**os.environ, **world.env}, capture_output=True, text=True, check=True)
    return done.stdout.strip()


def stop_to_playable(door: Door, production: str, seconds: float) -> float:
    """Median of: all sound is there, finish is asked for, and the take's first bytes have come back (seconds)."""
    whole = json.loads(gzip.decompress(door.ask("GET", f"/api/productions/{production}/")))
    voice = narrator.read("Then the keeper lifts one oak board.", 1).samples
    sound = pcm.from_integers(pcm.from_floats(voice))
    wanted = int(seconds * 48_000) * 3
    sound = (sound * (wanted // len(sound) + 1))[:wanted]
    took = []
    for _ in range(7):
        line = whole["lines"][0]["id"]
        take = json.loads(door.ask("POST", f"/api/lines/{line}/takes/", b'{"input": "bench"}'))["id"]
        for at in range(0, wanted, 28_800):
            path = f"/api/takes/{take}/sound/?offset={at // 3}"
            door.ask("PUT", path, sound[at : at + 28_800], "application/octet-stream")
        clock = {"capture": [[0, 0]], "transport": [[0, 0]], "source": "none"}
        begun = time.perf_counter()
        door.ask("POST", f"/api/takes/{take}/finish/", json.dumps({"total": wanted // 3, "clock": clock}).encode())
        door.ask("GET", f"/api/takes/{take}/recording/", Range="bytes=0-65535")
        took.append(time.perf_counter() - begun)
    return statistics.median(took)


def opening(door: Door, page, production: str) -> tuple[float, float, float, int]:
    """Of a production: API median and p95 (s), Takes useful in the browser (median, s), compressed bytes."""
    api = []
    for _ in range(ROUNDS):
        begun = time.perf_counter()
        body = door.ask("GET", f"/api/productions/{production}/")
        api.append(time.perf_counter() - begun)
    seen = []
    for _ in range(7):
        begun = time.perf_counter()
        page.goto(f"{door.base}/productions/{production}/takes")
        page.locator("[data-take='1']").wait_for()
        seen.append(time.perf_counter() - begun)
    api.sort()
    return statistics.median(api), api[int(0.95 * len(api)) - 1], statistics.median(seen), len(body)


def main() -> None:
    """Run all, print a table."""
    from playwright.sync_api import sync_playwright

    with _test_cluster() as url, tempfile.TemporaryDirectory() as name:
        os.environ["DATABASE_URL"] = url
        from conftest import CHROMIUM
        from harness import World

        world = World(Path(name))
        try:
            world.begin("web")
            door = Door(world)
            made = {}
            for factor in (1, 10, 66):
                made[factor] = seeded(world, DEMO_LINES * factor)
            short = stop_to_playable(door, made[1], 6)
            long = stop_to_playable(door, made[1], 60)
            print(f"stop -> take playable     6 s of sound {short * 1000:7.0f} ms")
            print(f"                         60 s of sound {long * 1000:7.0f} ms   ratio {long / short:5.2f}")
            with sync_playwright() as play:
                browser = play.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
                page = browser.new_page()
                page.goto(world.link("bench"))
                first = None
                for factor, production in made.items():
                    api, p95, seen, size = opening(door, page, production)
                    first = first or (api, seen)
                    lines = DEMO_LINES * factor
                    print(
                        f"opening Takes, {lines:5} lines   api {api * 1000:5.0f} ms (p95 {p95 * 1000:.0f})"
                        f"  {size / 1000:5.0f} kB"
                        f"   useful {seen * 1000:5.0f} ms   ratio api {api / first[0]:5.2f}, useful {seen / first[1]:5.2f}"
                    )
                browser.close()
        finally:
            world.close()


if __name__ == "__main__":
    main()
