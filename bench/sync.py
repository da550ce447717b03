"""The long form of the sync probe: many takes at six frame rates, film heard and film silent, cores idle and busy.

Prints the distribution of the errors; `--takes 200` goes on until so many healthy takes were read. A take is healthy when
its own clock map says so: nothing stood still, nothing is missing, and its place is known within 5 ms.

`--drift 10` records takes of ten minutes instead, and prints how far each drifts against what was heard or seen.
"""

import argparse
import itertools
import json
import subprocess
import sys
import time
from dataclasses import asdict
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path[:0] = [str(ROOT), *(str(ROOT / part) for part in ("tests", "core", "server"))]

from playwright.sync_api import Error  # noqa: E402

import probe  # noqa: E402
from bench.own import own_fendo  # noqa: E402
from conftest import BROWSER, CHROMIUM  # noqa: E402

SPIN = [sys.executable, "-c", "while True: pass"]
IN_A_ROW = 4


def some_takes(world, browser, films: Path, rate: str, mode: str, busy: bool) -> list[probe.Taken]:
    """A few takes in a page of their own."""
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    spinning: list[subprocess.Popen] = []
    taken = []
    try:
        page = context.new_page()
        film = probe.make_film(films / f"flashes {rate.replace('/', ' ')}.mp4", rate)
        production = probe.prepare(page, world, film, rate, mode == "ear", f"bench-{mode}")
        if busy:
            spinning = [subprocess.Popen(SPIN) for _ in range(2)]
        for _ in range(IN_A_ROW):
            if "sync measured" not in page.get_by_test_id("loop").inner_text():
                probe.measure_loop(page)
            taken.append(probe.record(page, world, production, rate, mode))
    except (AssertionError, Error) as error:
        print(f"  gave up on {rate} {mode}: {str(error).splitlines()[0]}", flush=True)
    finally:
        for process in spinning:
            process.kill()
            process.wait()
        context.close()
    return taken


def report(all_taken: list[tuple[probe.Taken, bool]]) -> None:
    """The distributions, healthy takes first."""
    healthy = [taken for taken, _ in all_taken if taken.healthy]
    print(f"\n{len(all_taken)} takes, {len(healthy)} healthy, {len(all_taken) - len(healthy)} not")
    for mode in ("ear", "eye"):
        for name, chosen in (("healthy", True), ("unhealthy", False)):
            these = [taken for taken, _ in all_taken if taken.mode == mode and taken.healthy == chosen]
            errors = [error for taken in these for error in taken.errors]
            print(f"{mode} {name:9} takes {len(these):3}  {probe.distribution(errors)}")
            if mode == "eye" and these:
                print(
                    f"              raw (with the screen's raster) {probe.distribution([e for t in these for e in t.raw])}"
                )
                own = [error for taken in these for error in taken.floor]
                print(f"              the probe's own error          {probe.distribution(own)}")
    for rate in probe.RATES:
        errors = [error for taken in healthy if taken.rate == rate for error in taken.errors]
        print(f"healthy at {rate:10} {probe.distribution(errors)}")
    for busy in (False, True):
        errors = [error for taken, b in all_taken if taken.healthy and b == busy for error in taken.errors]
        print(f"healthy, cores {'busy' if busy else 'idle'} {probe.distribution(errors)}")
    means = [sum(taken.errors) / len(taken.errors) for taken in healthy if taken.errors]
    print(f"healthy, mean of a take       {probe.distribution(means)}")
    silent = [
        taken
        for taken, _ in all_taken
        if taken.trusted and any(abs(e) > 5 + max(taken.floor, default=0) for e in taken.errors)
    ]
    print(f"takes beyond 5 ms that did not say so: {len(silent)}")
    for taken in silent:
        print(f"  {taken.rate} {taken.mode} {probe.distribution(taken.errors)} steal {taken.steal:.1f}")


def drift(world, browser, films: Path, minutes: int) -> None:
    """One long take by ear and one by eye: the slope of their errors."""
    film = probe.long_film(minutes)
    for rate, mode in (("25", "ear"), ("30000/1001", "eye"), ("24", "eye")):
        context = browser.new_context(viewport={"width": 1280, "height": 800})
        page = context.new_page()
        path = probe.make_film(films / f"long {rate.replace('/', ' ')}.mp4", rate, film)
        production = probe.prepare(page, world, path, rate, mode == "ear", f"drift-{mode}", film)
        probe.measure_loop(page)
        taken = probe.record(page, world, production, rate, mode, film=film)
        said = "healthy" if taken.healthy else f"not healthy: {taken.said[:3]}"
        print(f"{minutes} minutes at {rate} by {mode}: drift {taken.drift / 10 * minutes:+.2f} ms", end=", ")
        print(
            f"{probe.distribution(taken.errors)}, within {taken.within:.1f}, {said}, {taken.steal:.1f} s stolen", flush=True
        )
        context.close()


def main() -> None:
    """Read takes until there are enough healthy ones, or the time is over."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--takes", type=int, default=200, help="healthy takes to reach")
    parser.add_argument("--minutes", type=float, default=90)
    parser.add_argument("--log", type=Path, default=None, help="one JSON line a take")
    parser.add_argument("--drift", type=int, metavar="MINUTES", help="record takes of this length and see how they drift")
    asked = parser.parse_args()
    all_taken: list[tuple[probe.Taken, bool]] = []
    end = time.monotonic() + asked.minutes * 60
    kinds = itertools.cycle(itertools.product((False, True), probe.RATES, ("eye", "ear")))
    with own_fendo() as (world, folder, driver):
        browser = driver.chromium.launch(executable_path=BROWSER, args=CHROMIUM)
        if asked.drift:
            return drift(world, browser, folder, asked.drift)
        while time.monotonic() < end and sum(taken.healthy for taken, _ in all_taken) < asked.takes:
            busy, rate, mode = next(kinds)
            for taken in some_takes(world, browser, folder, rate, mode, busy):
                all_taken.append((taken, busy))
                said = "healthy" if taken.healthy else taken.said[:2]
                print(f"{len(all_taken):3} {rate:10} {mode} {'busy' if busy else 'idle'}", end=" ")
                print(f"{probe.distribution(taken.errors)} within {taken.within:.1f} {said}", flush=True)
                if asked.log:
                    with asked.log.open("a") as log:
                        log.write(json.dumps({**asdict(taken), "path": "", "busy": busy}) + "\n")
        report(all_taken)


if __name__ == "__main__":
    main()
