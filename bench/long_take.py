"""One long recording: memory of the page, what waits in the browser, and how soon it can be heard. Prints a row a minute.

.venv/bin/python bench/long_take.py --minutes 120
"""

import argparse
import contextlib
import os
import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path[:0] = [str(ROOT), *(str(ROOT / part) for part in ("tests", "core", "server"))]

from playwright.sync_api import expect, sync_playwright  # noqa: E402

from conftest import CHROMIUM  # noqa: E402
from harness import World, state, until  # noqa: E402
from launcher.checks import _test_cluster  # noqa: E402
from probe import api, context_frames, script  # noqa: E402

SIMULATED = {"device": "simulated", "label": "Simulated reader", "channel": 0, "fault": "none"}


def below(pid: int) -> list[int]:
    """A process and all that it, and they, have begun."""
    found = [pid]
    for listed in Path(f"/proc/{pid}/task").glob("*/children"):
        with contextlib.suppress(OSError):
            found += [each for child in listed.read_text().split() for each in below(int(child))]
    return found


def rss(pid: int) -> int:
    """Resident kilobytes of one process."""
    with contextlib.suppress(OSError):
        for line in Path(f"/proc/{pid}/status").read_text().splitlines():
            if line.startswith("VmRSS"):
                return int(line.split()[1])
    return 0


def page_memory() -> int:
    """Resident kilobytes of the process that shows the page: of this browser's renderers the one that needs the most."""
    renderers = [pid for pid in below(os.getpid()) if b"--type=renderer" in Path(f"/proc/{pid}/cmdline").read_bytes()]
    return max(rss(pid) for pid in renderers)


def main() -> None:
    """Record, look each minute, stop, listen."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--minutes", type=float, default=120)
    minutes = parser.parse_args().minutes
    expect.set_options(timeout=60_000)
    with _test_cluster() as url, tempfile.TemporaryDirectory() as name, sync_playwright() as driver:
        os.environ["DATABASE_URL"] = url
        world = World(Path(name))
        try:
            world.begin("web")
            world.begin("worker")
            browser = driver.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
            page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
            page.add_init_script(script("25"))
            page.goto(world.link("long"))
            production = api(page, "POST", "/api/productions/", {"name": "Long"})["id"]
            words = {"kind": "add_lines", "text": "A long pass through the whole script.", "revision": 0}
            api(page, "POST", f"/api/productions/{production}/edits/", words)
            api(page, "PATCH", f"/api/productions/{production}/", {"input": SIMULATED})
            page.goto(f"{world.address}/productions/{production}/booth")
            state(page, "Ready")
            devtools = page.context.new_cdp_session(page)
            devtools.send("Performance.enable")
            page.keyboard.press("Enter")
            state(page, "Recording")
            begun, start = context_frames(page), time.monotonic()
            print("minute  recorded s  JS heap MB  page MB  server MB  behind s")
            for minute in range(1, int(minutes) + 1):
                until(lambda due=start + minute * 60: time.monotonic() >= due, seconds=200, each=1.0)
                devtools.send("HeapProfiler.collectGarbage")
                metrics = {m["name"]: m["value"] for m in devtools.send("Performance.getMetrics")["metrics"]}
                (part,) = world.data.glob("media/*/*/*.part")
                reached = context_frames(page) - begun
                behind = max(0.0, reached / 48_000 + 0.85 - (part.stat().st_size - 9_000) / 144_000)
                heap, whole = metrics["JSHeapUsedSize"] / 1e6, page_memory() / 1000
                server = sum(map(rss, below(world.processes["web"].pid))) / 1000
                row = f"{heap:11.1f} {whole:8.0f} {server:10.1f} {behind:9.2f}"
                print(f"{minute:6} {reached / 48_000:11.1f} {row}", flush=True)
            page.keyboard.press("Enter")
            pressed = time.monotonic()
            state(page, "Saved")
            saved = time.monotonic() - pressed - 1.0  # the second that is kept after the stop
            take = api(page, "GET", f"/api/productions/{production}/")["takes"][0]
            asked = time.monotonic()
            middle = take["length"] // 2
            piece = page.request.get(f"{world.address}/api/takes/{take['id']}/audio/?start={middle}&end={middle + 480_000}")
            heard = time.monotonic() - asked
            assert piece.ok
            length = take["length"] / 48_000
            print(f"stop -> saved {saved:.2f} s; any ten seconds of it {heard * 1000:.0f} ms; {length:.1f} s long")
            clock = api(page, "GET", f"/api/takes/{take['id']}/clock/")
            print(f"gaps {len(clock['gaps'])}, breaks {len(clock['breaks'])}, readings {clock['readings']}")
            whole = f"/api/productions/{production}/"
            until(lambda: api(page, "GET", whole)["takes"][0]["measured"], seconds=900, each=1)
            worker = sum(map(rss, below(world.processes["worker"].pid))) / 1000
            print(f"measured {time.monotonic() - pressed:.0f} s after the stop; worker {worker:.0f} MB")
        finally:
            world.close()


if __name__ == "__main__":
    main()
