"""What the Booth costs while it is looked at, at rest and recording: shares of one processor.

.venv/bin/python -m bench.drawing
"""

import os
import sys
import time
from collections import defaultdict
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path[:0] = [str(ROOT), *(str(ROOT / part) for part in ("tests", "core", "server"))]

from playwright.sync_api import Page  # noqa: E402

from bench.long_take import below, prepare  # noqa: E402
from bench.own import own_fendo  # noqa: E402
from conftest import BROWSER, CHROMIUM  # noqa: E402
from harness import state  # noqa: E402

SECONDS = 10
TOLD = {"ScriptDuration": "scripts", "LayoutDuration": "layout", "RecalcStyleDuration": "styles"}
KINDS = {b"--type=renderer": "page", b"--type=gpu-process": "screen"}


def spent() -> dict[str, float]:
    """Seconds of processor of the browser's processes, by what they do."""
    seconds: dict[str, float] = defaultdict(float)
    for pid in below(os.getpid()):
        command = Path(f"/proc/{pid}/cmdline").read_bytes().replace(b" ", b"\0").split(b"\0")
        ticks = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[11:13]
        for kind in KINDS.keys() & set(command):
            seconds[KINDS[kind]] += sum(map(int, ticks)) / os.sysconf("SC_CLK_TCK")
    return seconds


def look(page: Page, what: str) -> None:
    """Print what some seconds of looking cost."""
    tools = page.context.new_cdp_session(page)
    tools.send("Performance.enable")

    def told() -> dict[str, float]:
        return {each["name"]: each["value"] for each in tools.send("Performance.getMetrics")["metrics"]}

    before, began, start = told(), spent(), time.monotonic()
    time.sleep(SECONDS)
    after, ended, seconds = told(), spent(), time.monotonic() - start
    shares = {kind: (ended[kind] - began[kind]) / seconds for kind in KINDS.values()}
    shares |= {name: (after[key] - before[key]) / seconds for key, name in TOLD.items()}
    layouts = (after["LayoutCount"] - before["LayoutCount"]) / seconds
    print(
        f"{what:12}" + "".join(f"{name:>9} {share:5.1%}" for name, share in shares.items()) + f"  layouts {layouts:.0f} a s"
    )


def main() -> None:
    """The Booth at rest, recording, and at rest again."""
    with own_fendo() as (world, _, driver):
        page = driver.chromium.launch(executable_path=BROWSER, args=CHROMIUM).new_page()
        prepare(page, world)
        page.wait_for_timeout(2000)
        look(page, "at rest")
        page.keyboard.press("Enter")
        state(page, "Recording")
        look(page, "recording")
        page.keyboard.press("Enter")
        state(page, "Saved")
        page.wait_for_timeout(3000)
        look(page, "saved")


if __name__ == "__main__":
    main()
