"""The Script room at the demo's size and with 1,200 lines: opening, scrolling from end to end, an edit in the middle.

.venv/bin/python -m bench.script
"""

import json
import os
import statistics
import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).parents[1]
sys.path[:0] = [str(ROOT), *(str(ROOT / part) for part in ("tests", "core", "server"))]

from bench.bench import DEMO_LINES, Door, seeded  # noqa: E402
from launcher.checks import _test_cluster  # noqa: E402

LINES = (DEMO_LINES, 1200)
ROUNDS = 9

SCROLL = """async () => {
  const page = document.querySelector('[data-testid=page]')
  const end = page.scrollHeight - page.clientHeight
  const busy = []
  const long = []
  const watch = new PerformanceObserver((list) => long.push(...list.getEntries().map((each) => each.duration)))
  watch.observe({ type: 'longtask' })
  for (let step = 0; step <= 120; step++) {
    const begun = performance.now()
    page.scrollTop = (end * step) / 120
    page.dispatchEvent(new Event('scroll'))
    await new Promise((done) => requestAnimationFrame(() => setTimeout(done)))
    busy.push(performance.now() - begun)
  }
  busy.sort((a, b) => a - b)
  return [busy[Math.floor(busy.length * 0.5)], busy[Math.floor(busy.length * 0.95)], Math.max(0, ...long)]
}"""


# From the key's own moment until the words stand on the page, looked at once a frame.
SHOWN = """(said) => {
  window.shown = new Promise((done) => {
    let begun = 0
    window.addEventListener('keydown', () => { begun = performance.now() }, { capture: true, once: true })
    const look = () => {
      const there = [...document.querySelectorAll('.page-words')].some((words) => words.textContent === said)
      if (there) done(performance.now() - begun)
      else requestAnimationFrame(look)
    }
    look()
  })
}"""


def median(measure, rounds: int = ROUNDS) -> float:
    """Median of what was measured, ms."""
    return 1000 * statistics.median(measure() for _ in range(rounds))


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
            rows = {}
            with sync_playwright() as play:
                browser = play.chromium.launch(executable_path=BROWSER, args=CHROMIUM)
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                page.goto(world.link("bench"))
                for lines in LINES:
                    rows[lines] = measured(door, page, seeded(world, lines), lines)
                browser.close()
        finally:
            world.close()
    first = rows[LINES[0]]
    for lines, row in rows.items():
        print(f"{lines} lines")
        for what, value in row.items():
            print(f"  {what:44}{value:9.1f} ms   ratio {value / max(0.05, first[what]):6.2f}")


def measured(door: Door, page, production: str, lines: int) -> dict[str, float]:
    """Everything of one production, ms."""
    address = f"/api/productions/{production}/"
    middle = lines // 2

    def opened() -> float:
        begun = time.perf_counter()
        page.goto(f"{door.base}/productions/{production}/script")
        page.locator("[data-line='1'] .fit-said").wait_for()
        return time.perf_counter() - begun

    def asked() -> float:
        begun = time.perf_counter()
        door.ask("GET", address)
        return time.perf_counter() - begun

    count = iter(range(1000))

    def written() -> float:
        page.get_by_test_id("page").evaluate(f"page => page.scrollTo(0, page.scrollHeight * {middle} / {lines})")
        row = page.locator(f"[data-line='{middle}']")
        row.locator(".page-number").click()
        page.keyboard.press("Enter")
        page.locator(".words-editor textarea").wait_for()
        said = f"Written {next(count)} times."
        page.keyboard.press("Control+a")
        page.keyboard.type(said)
        page.evaluate(SHOWN, said)
        page.keyboard.press("Escape")
        return page.evaluate("() => window.shown") / 1000

    def edited() -> float:
        whole = page.evaluate("address => fetch(address).then((answer) => answer.json())", address)
        body = {"kind": "set_words", "line": whole["lines"][middle]["id"], "text": f"Set {next(count)} times."}
        body["revision"] = whole["revision"]
        begun = time.perf_counter()
        door.ask("POST", f"{address}edits/", json.dumps(body).encode())
        return time.perf_counter() - begun

    asked()
    row = {"answer of the API": median(asked), "opening, first line with its fit in sight": median(opened)}
    half, most, long = page.evaluate(SCROLL)
    row |= {
        "scrolling, a step of 1/120, median": half,
        "the same, 95th percentile": most,
        "longest task while scrolling": long,
    }
    row |= {
        "an edit in the middle, answer of the API": median(edited),
        "the same, until the page shows it": median(written),
    }
    return row


if __name__ == "__main__":
    main()
