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
from fendo_core.voice.chain import STAGES  # noqa: E402
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


def seeded(world, lines: int, takes: int = DEMO_TAKES) -> str:
    """A production of so many lines with takes; its identity."""
    command = [str(PYTHON), str(ROOT / "bench" / "seed.py"), f"{lines} lines", str(lines), str(takes)]
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


ROOMS = {"takes": ("4", "[data-take='1']", ""), "polish": ("5", "[data-kind='breath']", "polish/")}
"""Key, what is there once a room is of use, and what it asks for beside the production."""


def opening(door: Door, page, production: str, room: str) -> dict[str, float]:
    """Of a room: what it asks the API for (median and p95, s; compressed bytes), and when it is of use: its address opened
    anew, and from another room (medians, s)."""
    key, there, own = ROOMS[room]
    api = []
    for _ in range(ROUNDS):
        begun = time.perf_counter()
        body = door.ask("GET", f"/api/productions/{production}/{own}")
        api.append(time.perf_counter() - begun)
    anew, inside = [], []
    for _ in range(7):
        begun = time.perf_counter()
        page.goto(f"{door.base}/productions/{production}/{room}")
        page.locator(there).first.wait_for()
        anew.append(time.perf_counter() - begun)
        page.keyboard.press("6")
        page.wait_for_url("**/handover*")
        begun = time.perf_counter()
        page.keyboard.press(key)
        page.locator(there).first.wait_for()
        inside.append(time.perf_counter() - begun)
    api.sort()
    return {
        "api": statistics.median(api),
        "p95": api[int(0.95 * len(api)) - 1],
        "bytes": len(body),
        "anew": statistics.median(anew),
        "inside": statistics.median(inside),
    }


def treating(door: Door, production: str) -> list[float]:
    """A line of 6 s treated: from a change of its treatment to its sound's last byte, seconds each."""
    took = []
    for number in range(9):
        whole = json.loads(gzip.decompress(door.ask("GET", f"/api/productions/{production}/")))
        line = whole["lines"][0]
        stages = [{"kind": kind.kind, "on": True, "settings": {s.name: s.start for s in kind.settings}} for kind in STAGES]
        next(stage for stage in stages if stage["kind"] == "rumble")["settings"]["below"] = 60.0 + number
        chain = {"name": "bench", "stages": stages}
        what = {"kind": "set_treatment", "scope": f"line:{line['id']}", "chain": chain, "revision": whole["revision"]}
        begun = time.perf_counter()
        answer = door.ask("POST", f"/api/productions/{production}/edits/", json.dumps(what).encode())
        told = json.loads(gzip.decompress(answer) if answer[:2] == b"\x1f\x8b" else answer)
        voice = next(one for one in told["lines"] if one["id"] == line["id"])["voice"]
        door.ask("GET", f"/api/voices/{voice['id']}/{voice['key']}/sound/")
        took.append(time.perf_counter() - begun)
    return sorted(took)


def main() -> None:
    """Run all, print a table."""
    from playwright.sync_api import sync_playwright

    with _test_cluster() as url, tempfile.TemporaryDirectory() as name:
        os.environ["DATABASE_URL"] = url
        from conftest import BROWSER, CHROMIUM
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
            alone = seeded(world, 1, 0)
            stop_to_playable(door, alone, 6)
            took = treating(door, alone)
            print(f"6 s treated, all stages  {statistics.median(took):.2f} s, worst of {len(took)} {took[-1]:.2f}")
            with sync_playwright() as play:
                browser = play.chromium.launch(executable_path=BROWSER, args=CHROMIUM)
                page = browser.new_page()
                page.goto(world.link("bench"))
                for room in ROOMS:
                    first = None
                    for factor, production in made.items():
                        found = opening(door, page, production, room)
                        first = first or found
                        ratios = ", ".join(f"{found[name] / first[name]:.1f}" for name in ("api", "anew", "inside"))
                        at = f"anew {found['anew'] * 1000:5.0f} ms, from another room {found['inside'] * 1000:5.0f} ms"
                        print(
                            f"opening {room}, {DEMO_LINES * factor:5} lines   api {found['api'] * 1000:5.0f} ms"
                            f" (p95 {found['p95'] * 1000:.0f})  {found['bytes'] / 1000:5.0f} kB   {at}   ratios {ratios}"
                        )
                browser.close()
        finally:
            world.close()


if __name__ == "__main__":
    main()
