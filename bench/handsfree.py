"""The demo's lines read without a key: how many takes that makes, and how they are judged.

.venv/bin/python -m bench.handsfree
"""

import sys
import time
from collections import Counter
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path[:0] = [str(ROOT), *(str(ROOT / part) for part in ("tests", "core", "server"))]

from playwright.sync_api import expect  # noqa: E402

from bench.own import own_fendo  # noqa: E402
from conftest import BROWSER, CHROMIUM  # noqa: E402
from harness import choose_simulated, state, until  # noqa: E402
from probe import api, takes_of  # noqa: E402

LONGEST = 20 * 60


def main() -> None:
    """Make the demo, go to its first line, press one key, and look at what is there at the end."""
    with own_fendo() as (world, _, driver):
        world.make_demo()
        browser = driver.chromium.launch(executable_path=BROWSER, args=CHROMIUM)
        page = browser.new_context(viewport={"width": 1280, "height": 800}, permissions=["microphone"]).new_page()
        page.goto(world.link())
        page.get_by_text("The Tide Mill at Orsey").first.click()
        state(page, "Ready")
        production = page.url.split("/")[4]
        lines = [one for one in api(page, "GET", f"/api/productions/{production}/")["lines"] if one["text"]]
        choose_simulated(page)
        for _ in lines:
            page.keyboard.press("ArrowUp")
        expect(page.get_by_test_id("booth-line")).to_contain_text(lines[0]["text"][:12])
        before = {take["id"] for take in takes_of(page, production)}
        begun = time.monotonic()
        page.keyboard.press("Shift+Enter")
        run = page.get_by_test_id("run")
        expect(run).to_be_visible()
        until(lambda: run.count() == 0, seconds=LONGEST, each=0.5)
        took = time.monotonic() - begun
        made = [take for take in takes_of(page, production) if take["id"] not in before]
        readings = Counter(take["line"] for take in made)
        print(f"{len(readings)} of {len(lines)} lines read, {len(made)} takes, one key, {took:.0f} s")
        print(f"read more than once: {sum(count > 1 for count in readings.values())}")
        for fault, count in Counter(fault for take in made for fault in take["faults"]).most_common():
            print(f"{count:3} × {fault}")
        browser.close()


if __name__ == "__main__":
    main()
