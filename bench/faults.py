"""Kills and cuts at random moments while takes are recorded, many times: what was acknowledged, kept and lost.

.venv/bin/python bench/faults.py --rounds 10
"""

import argparse
import os
import random
import signal
import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path[:0] = [str(ROOT), *(str(ROOT / part) for part in ("tests", "core", "server"))]

from playwright.sync_api import Playwright, expect, sync_playwright  # noqa: E402

import probe  # noqa: E402
from conftest import CHROMIUM  # noqa: E402
from fendo_core.audio import wav  # noqa: E402
from harness import Wire, World, alive, crash_tabs, own_database, state, until  # noqa: E402
from launcher import serve  # noqa: E402
from launcher.checks import _test_cluster  # noqa: E402
from measure import RATE  # noqa: E402
from probe import context_frames  # noqa: E402
from test_durability import begun_at, booth, files, safe, start, unbroken  # noqa: E402

BROWSER = {"executable_path": "/usr/bin/chromium", "args": CHROMIUM, "viewport": {"width": 1280, "height": 800}}


def kill_browser(driver: Playwright, world: World, folder: Path, name: str, whole: bool) -> tuple[float, float, float]:
    """Seconds acknowledged at the kill, kept afterwards, and lost of what was read until then."""
    context = driver.chromium.launch_persistent_context(folder, **BROWSER)
    page = context.new_page()
    booth(page, world, name)
    start(page, int(random.uniform(0.3, 4.0) * RATE))
    until(lambda: safe(world, name) > 0)
    address, first, reached = page.url, begun_at(world, name), context_frames(page)
    crash_tabs(folder, whole)
    acknowledged = safe(world, name)
    if not whole:
        context.close()
    context = driver.chromium.launch_persistent_context(folder, **BROWSER)
    page = context.new_page()
    page.goto(world.link(f"account {name}"))
    page.goto(address)
    (take,) = until(lambda: files(world, name))
    kept = wav.describe(take.read_bytes()[: wav.HEADER_BYTES]).samples
    unbroken(take)
    context.close()
    return acknowledged / RATE, kept / RATE, (reached - first - kept) / RATE


def kill_part(driver: Playwright, world: World, name: str, part: str) -> tuple[float, float, float]:
    """The same for a process of the server: killed, and begun again while the take goes on."""
    browser = driver.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
    page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
    booth(page, world, name)
    start(page, int(random.uniform(0.3, 3.0) * RATE))
    until(lambda: safe(world, name) > 0)
    first = begun_at(world, name)
    world.kill(part)
    acknowledged = safe(world, name)
    begun = context_frames(page)
    until(lambda: context_frames(page) > begun + int(random.uniform(0.2, 3.0) * RATE))
    world.begin(part)
    until(lambda: alive(world.address))
    page.keyboard.press("Enter")
    stopped = context_frames(page)
    state(page, "Saved", timeout=120_000)
    (take,) = files(world, name)
    kept = len(unbroken(take))
    browser.close()
    return acknowledged / RATE, kept / RATE, max(0.0, (stopped - first - kept) / RATE)


def kill_database(driver: Playwright, name: str) -> tuple[float, float, float]:
    """The same for PostgreSQL, of a Fendo with a cluster of its own: killed with SIGKILL, and revived."""
    with tempfile.TemporaryDirectory() as folder, own_database(Path(folder)) as (world, cluster):
        browser = driver.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
        page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
        booth(page, world, name)
        start(page, int(random.uniform(0.3, 3.0) * RATE))
        until(lambda: safe(world, name) > 0)
        first = begun_at(world, name)
        os.kill(int((cluster.data / "postmaster.pid").read_text().split()[0]), signal.SIGKILL)
        acknowledged = safe(world, name)
        begun = context_frames(page)
        until(lambda: context_frames(page) > begun + int(random.uniform(0.5, 3.0) * RATE))
        page.keyboard.press("Enter")
        stopped = context_frames(page)
        until(lambda: not cluster.running())
        serve._revive(cluster)
        state(page, "Saved", timeout=120_000)
        (take,) = files(world, name)
        kept = len(unbroken(take))
        browser.close()
        return acknowledged / RATE, kept / RATE, max(0.0, (stopped - first - kept) / RATE)


def cut_wire(driver: Playwright, world: World, name: str, seconds: float = 60) -> tuple[float, float, float]:
    """The connection is away for a minute from a random moment of a take on; the take is stopped while it is away."""
    wire = Wire(world.port)
    browser = driver.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
    try:
        page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
        booth(page, world, name, address=f"http://127.0.0.1:{wire.port}")
        start(page, int(random.uniform(0.3, 3.0) * RATE))
        until(lambda: safe(world, name) > 0)
        first = begun_at(world, name)
        wire.break_off()
        away = time.monotonic()
        acknowledged = safe(world, name)
        begun = context_frames(page)
        until(lambda: context_frames(page) > begun + int(random.uniform(2, 20) * RATE))
        page.keyboard.press("Enter")
        stopped = context_frames(page)
        time.sleep(max(0.0, seconds - (time.monotonic() - away)))
        wire.cut = False
        state(page, "Saved", timeout=120_000)
        (take,) = files(world, name)
        kept = len(unbroken(take))
        return acknowledged / RATE, kept / RATE, max(0.0, (stopped - first - kept) / RATE)
    finally:
        browser.close()
        wire.close()


KINDS = ("tab", "browser", "web", "worker", "database", "wire")


def main() -> None:
    """Every kind, so many rounds."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--rounds", type=int, default=10)
    parser.add_argument("--kinds", nargs="+", choices=KINDS, default=KINDS)
    told = parser.parse_args()
    rounds = told.rounds
    expect.set_options(timeout=60_000)
    rows: dict[str, list[tuple[float, float, float]]] = {}
    with _test_cluster() as url, tempfile.TemporaryDirectory() as name, sync_playwright() as driver:
        os.environ["DATABASE_URL"] = url
        world = World(Path(name))
        try:
            world.begin("web")
            world.begin("worker")
            for n in range(rounds):
                for kind in told.kinds:
                    own = f"{kind} {n}"
                    steal = probe.stolen()
                    if kind in ("tab", "browser"):
                        with tempfile.TemporaryDirectory() as profile:
                            row = kill_browser(driver, world, Path(profile), own, kind == "browser")
                    elif kind == "database":
                        row = kill_database(driver, own)
                    elif kind == "wire":
                        row = cut_wire(driver, world, own)
                    else:
                        row = kill_part(driver, world, own, kind)
                    rows.setdefault(kind, []).append(row)
                    print(
                        f"{own:12} acknowledged {row[0]:6.2f} s, kept {row[1]:6.2f} s, lost {row[2] * 1000:5.0f} ms", end=""
                    )
                    print(f", {probe.stolen() - steal:.1f} s stolen", flush=True)
            for kind, found in rows.items():
                lost = [max(0.0, row[2]) * 1000 for row in found]
                gone = sum(row[1] < row[0] for row in found)
                print(
                    f"{kind}: {len(found)} faults, acknowledged sound lost in {gone}, else {max(lost):.0f} ms at the most"
                )
        finally:
            world.close()


if __name__ == "__main__":
    main()
