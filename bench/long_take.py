"""One long recording: memory of the page, what waits in the browser, and how soon it can be heard. Prints a row a minute.

.venv/bin/python bench/long_take.py --minutes 120
"""

import argparse
import contextlib
import os
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path[:0] = [str(ROOT), *(str(ROOT / part) for part in ("tests", "core", "server"))]

from playwright.sync_api import Page, Playwright  # noqa: E402

from bench.own import own_fendo  # noqa: E402
from conftest import BROWSER, CHROMIUM  # noqa: E402
from harness import World, state, until  # noqa: E402
from probe import api, script, stolen, takes_of  # noqa: E402

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


def browsing(folder: Path) -> tuple[subprocess.Popen[bytes], str]:
    """Start a browser of its own; returns it and the address its developer tools answer at."""
    options = [*CHROMIUM, "--remote-debugging-port=0", f"--user-data-dir={folder}", "about:blank"]
    browser = subprocess.Popen([BROWSER, *options], stderr=subprocess.DEVNULL)
    port = folder / "DevToolsActivePort"
    until(lambda: port.exists() and port.read_text().count("\n"), seconds=60)
    return browser, f"http://127.0.0.1:{port.read_text().split()[0]}"


@contextlib.contextmanager
def watched(driver: Playwright, tools: str) -> Iterator[Page]:
    """The page with the developer tools looking on. They keep what each request sent: not for longer than is needed."""
    browser = driver.chromium.connect_over_cdp(tools)
    yield browser.contexts[0].pages[0]
    browser.close()


def heap(page: Page) -> float:
    """Megabytes of the page's scripts, with the garbage taken out."""
    devtools = page.context.new_cdp_session(page)
    devtools.send("Performance.enable")
    devtools.send("HeapProfiler.collectGarbage")
    return (
        next(m["value"] for m in devtools.send("Performance.getMetrics")["metrics"] if m["name"] == "JSHeapUsedSize") / 1e6
    )


def main() -> None:
    """Record, look each minute from outside, stop, listen."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--minutes", type=float, default=120)
    parser.add_argument("--watched", action="store_true", help="leave the developer tools connected")
    asked_for = parser.parse_args()
    with own_fendo() as (world, folder, driver):
        browser, tools = browsing(folder / "browser")
        try:
            with contextlib.ExitStack() as held:
                page = held.enter_context(watched(driver, tools))
                production = prepare(page, world)
                print(f"JS heap {heap(page):.1f} MB")
                page.keyboard.press("Enter")
                state(page, "Recording")
                start = time.monotonic()
                if asked_for.watched:
                    held.pop_all()
            taken = stolen()
            print("minute  page MB  server MB  not on the disk s  stolen by the host s", flush=True)
            for minute in range(1, int(asked_for.minutes) + 1):
                until(lambda due=start + minute * 60: time.monotonic() >= due, seconds=200, each=1.0)
                (part,) = world.data.glob("media/*/*/*.part")
                stored = (part.stat().st_size - 9_000) / 144_000
                # By the clock on the wall: sound that waits, or that stood still with the machine.
                behind = max(0.0, time.monotonic() - start + 0.85 - stored)
                server = sum(map(rss, below(world.processes["web"].pid))) / 1000
                print(
                    f"{minute:6} {page_memory() / 1000:8.0f} {server:10.1f} {behind:9.2f} {stolen() - taken:9.2f}",
                    flush=True,
                )
            with watched(driver, tools) as page:
                listen(page, world, production)
                print(f"JS heap {heap(page):.1f} MB")
        finally:
            browser.terminate()
            browser.wait(30)


def prepare(page: Page, world: World) -> str:
    """A production of one line, open in the Booth; returns which."""
    page.set_viewport_size({"width": 1280, "height": 800})
    page.add_init_script(script("25"))
    page.goto(world.link("long"))
    production = str(api(page, "POST", "/api/productions/", {"name": "Long"})["id"])
    words = {"kind": "add_lines", "text": "A long pass through the whole script.", "revision": 0}
    api(page, "POST", f"/api/productions/{production}/edits/", words)
    api(page, "PATCH", f"/api/productions/{production}/", {"input": SIMULATED})
    page.goto(f"{world.address}/productions/{production}/booth")
    state(page, "Ready")
    return production


def listen(page: Page, world: World, production: str) -> None:
    """Stop, hear some of the take as soon as it is saved, and wait until all of it is measured."""
    page.keyboard.press("Enter")
    pressed = time.monotonic()
    state(page, "Saved")
    saved = time.monotonic() - pressed - 1.0  # the second that is kept after the stop
    (take,) = takes_of(page, production)
    asked = time.monotonic()
    middle = take["length"] // 2
    voice = f"{world.address}/api/voices/{take['id']}/{take['voice']['key']}"
    piece = page.request.get(f"{voice}/sound/?start={middle}&end={middle + 480_000}")
    heard = time.monotonic() - asked
    assert piece.ok
    length = take["length"] / 48_000
    print(f"stop -> saved {saved:.2f} s; any ten seconds of it {heard * 1000:.0f} ms; {length:.1f} s long")
    clock = api(page, "GET", f"/api/takes/{take['id']}/clock/")
    counts = ", ".join(f"{name} {len(clock[name])}" for name in ("breaks", "gaps", "repeats"))
    print(f"{counts}, readings {clock['readings']}", flush=True)
    until(lambda: takes_of(page, production)[0]["measured"], seconds=900, each=1)
    worker = sum(map(rss, below(world.processes["worker"].pid))) / 1000
    print(f"measured {time.monotonic() - pressed:.0f} s after the stop; worker {worker:.0f} MB")


if __name__ == "__main__":
    main()
