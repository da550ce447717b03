"""The Picture room with a reel of 12 clips and with a two-hour one of 240: opening, the strip, an edit, a seek, a step.

.venv/bin/python -m bench.reel
"""

import json
import os
import random
import statistics
import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).parents[1]
sys.path[:0] = [str(ROOT), *(str(ROOT / part) for part in ("tests", "core", "server"))]

from bench.script import median  # noqa: E402
from fendo_core.timebase import FRAME_RATES, format_timecode  # noqa: E402
from launcher.checks import _test_cluster  # noqa: E402

CLIPS = (12, 240)
LASTS = 30 * 25
FILM = 4 * 60 * 25
STEPS = 60
PAL = next(rate for rate in FRAME_RATES if rate.text == "25")

# One gesture a frame: how long each took, and the longest task.
STRIP = """async (zoom) => {
  const strip = document.querySelector('[data-testid=strip] canvas:last-of-type')
  const busy = [], long = []
  const watch = new PerformanceObserver((list) => long.push(...list.getEntries().map((each) => each.duration)))
  watch.observe({ type: 'longtask' })
  for (let step = 0; step < 120; step++) {
    const begun = performance.now()
    const how = zoom ? { deltaY: step < 60 ? 60 : -60, ctrlKey: true } : { deltaY: 900 }
    strip.dispatchEvent(new WheelEvent('wheel', { ...how, clientX: 600, bubbles: true, cancelable: true }))
    await new Promise((done) => requestAnimationFrame(() => setTimeout(done)))
    busy.push(performance.now() - begun)
  }
  busy.sort((a, b) => a - b)
  return [busy[60], busy[114], Math.max(0, ...long)]
}"""

# From the gesture's own moment until the canvas shows another number.
CHANGED = """(kind) => {
  const read = READ, canvas = document.querySelector('[data-testid=picture]'), before = read(canvas)
  window.changed = new Promise((done) => {
    let begun = 0
    window.addEventListener(kind, () => { begun = performance.now() }, { capture: true, once: true })
    const look = () => (begun && read(canvas) !== before ? done(performance.now() - begun) : requestAnimationFrame(look))
    look()
  })
}"""


def edl(clips: int) -> bytes:
    """A timeline of stretches of one film in a random order."""
    dice, rows = random.Random(7), ["TITLE: BENCH"]
    for n in range(clips):
        first = dice.randrange(0, FILM - LASTS)
        code = [format_timecode(at, PAL) for at in (first, first + LASTS, n * LASTS, (n + 1) * LASTS)]
        rows += [f"{n + 1:03}  AX  V  C  {' '.join(code)}", "* FROM CLIP NAME: bench.mp4"]
    return "\n".join(rows).encode()


def main() -> None:
    """Run all, print a table."""
    from playwright.sync_api import sync_playwright

    with _test_cluster() as url, tempfile.TemporaryDirectory() as name:
        os.environ["DATABASE_URL"] = url
        import numbered
        from conftest import BROWSER, CHROMIUM
        from harness import World

        film = numbered.make(Path(name) / "bench.mp4", 1, FILM)
        (Path(name) / "world").mkdir()
        world, rows = World(Path(name) / "world"), {}
        try:
            world.begin("web")
            world.begin("worker")
            with sync_playwright() as play:
                browser = play.chromium.launch(executable_path=BROWSER, args=CHROMIUM)
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                page.goto(world.link("bench"))
                for clips in CLIPS:
                    rows[clips] = measured(page, world.address, film, clips)
                browser.close()
        finally:
            world.close()
    first = rows[CLIPS[0]]
    for clips, row in rows.items():
        print(f"{clips} clips, {clips * LASTS // 25 // 60} minutes")
        for what, value in row.items():
            print(f"  {what:44}{value:9.1f} ms   ratio {value / max(0.05, first[what]):6.2f}")


def measured(page, base: str, film: Path, clips: int) -> dict[str, float]:
    """Everything of one reel, ms."""
    import numbered
    from harness import until
    from probe import api, send_file

    made = api(page, "POST", "/api/productions/", {"name": f"Reel of {clips}"})["id"]
    address = f"/api/productions/{made}/"
    send_file(page, made, film)
    until(lambda: api(page, "GET", address)["picture"]["sources"][0]["state"] == "ready", 300)
    whole = api(page, "POST", f"{address}timeline/", data=edl(clips))["patch"]
    changed = CHANGED.replace("READ", numbered.READ)

    def opened() -> float:
        begun = time.perf_counter()
        page.goto(f"{base}/productions/{made}/picture")
        page.locator(".picture-row").first.wait_for()
        until(lambda: page.get_by_test_id("picture").get_attribute("width") == "320", 30, 0.005)
        return time.perf_counter() - begun

    count = iter(range(1, 1000))

    def edited() -> float:
        now = api(page, "GET", address)
        clip = now["picture"]["clips"][clips // 2]
        body = {"kind": "trim_clip", "clip": clip["id"], "edge": "end", "at": clip["span"][1] - 1920 * next(count)}
        begun = time.perf_counter()
        api(page, "POST", f"{address}edits/", {**body, "revision": now["revision"]})
        return time.perf_counter() - begun

    def shown(kind: str, act) -> float:
        page.evaluate(changed, kind)
        act()
        return page.evaluate("window.changed")

    row = {
        "opening, clips listed and picture drawn": median(opened),
        "an edit in the middle, answer of the API": median(edited),
    }
    opened()
    for what, zoom in (("moving along the strip", False), ("zooming the strip", True)):
        half, most, long = page.evaluate(STRIP, zoom)
        row |= {f"{what}, median": half, f"{what}, 95th percentile": most, f"{what}, longest task": long}
    opened()
    steps = sorted(shown("keydown", lambda: page.keyboard.press("ArrowRight")) for _ in range(STEPS))
    row |= {"a step by one frame, median": statistics.median(steps), "the same, 95th percentile": steps[int(STEPS * 0.95)]}
    box, dice = page.get_by_test_id("strip").bounding_box(), random.Random(3)

    def elsewhere() -> None:
        page.mouse.click(box["x"] + dice.uniform(40, box["width"] - 90), box["y"] + 8)

    seeks = sorted(shown("pointerdown", elsewhere) for _ in range(STEPS // 2))
    row |= {"a seek, median": statistics.median(seeks), "a seek, 95th percentile": seeks[int(len(seeks) * 0.95)]}
    print(f"{clips} clips: {len(whole['picture']['shots'])} shots, {len(json.dumps(whole)) / 1000:.0f} kB an edit's answer")
    return row


if __name__ == "__main__":
    main()
