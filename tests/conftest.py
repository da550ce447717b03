"""The real thing: server, worker and database as ./fendo starts them, and a headless browser with a microphone."""

import json
import secrets
import subprocess
from collections import defaultdict
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

import probe
from harness import World
from measure import RATE

# A shared machine stands still for seconds: waiting longer costs nothing when all is well.
expect.set_options(timeout=40_000)

BROWSER = "/usr/bin/chromium-headless-shell"
"""Chromium without the window around its pages, which costs a second of processor for each context that is opened."""

CHROMIUM = [
    "--no-sandbox",
    "--disable-gpu",
    "--autoplay-policy=no-user-gesture-required",
    "--use-fake-ui-for-media-stream",
    "--use-fake-device-for-media-stream",
    "--host-resolver-rules=MAP * ~NOTFOUND, EXCLUDE localhost, EXCLUDE 127.0.0.1",
    "--disable-background-networking",
]


RECKONED = pytest.StashKey[dict[str, list[tuple[float, float]]]]()


def pytest_addoption(parser):
    parser.addoption("--rounds", type=int, default=1, help="how often each fault is done, at random moments")


def pytest_configure(config):
    config.stash[RECKONED] = defaultdict(list)


DEMO = (
    "test_demo.py",
    "test_making.py",
    "test_handover.py::test_the_demo",
    "test_handover.py::test_an_order",
    "test_player.py::test_the_player",
    "test_whole_line.py::test_on_the_demo",
    "test_rooms.py::test_nothing_is_hidden",
    "test_rooms.py::test_takes_opens",
    "test_durability.py::test_killing_the_worker",
)
"""Tests that look at the demo. They stay with one worker, so that it is made once."""


def pytest_xdist_make_scheduler(config, log):
    """By itself each test goes to the next worker that is free."""
    from xdist.scheduler import LoadScopeScheduling

    class Scheduling(LoadScopeScheduling):
        def _split_scope(self, nodeid):
            return "demo" if any(part in nodeid for part in DEMO) else nodeid

    return Scheduling(config, log)


def pytest_collection_modifyitems(config, items):
    """Variants of faults are done where faults are done several times: a plain run does each fault once."""
    for item in items:
        if "demo" in item.fixturenames and not any(part in item.nodeid for part in DEMO):
            raise pytest.UsageError(f"{item.nodeid} looks at the demo: say so in DEMO")
    if config.getoption("rounds") == 1:
        config.hook.pytest_deselected(items=[item for item in items if item.get_closest_marker("variant")])
        items[:] = [item for item in items if not item.get_closest_marker("variant")]
    # Long ones first: at the end both workers have short ones left to share.
    items.sort(key=lambda item: not _with_browser(item))
    # Where two share a machine that stands still at times, a fault is what fails twice; the summary names what failed once.
    for item in filter(_with_browser, items if hasattr(config, "workerinput") else ()):
        item.add_marker(pytest.mark.flaky(reruns=1))


def _with_browser(item: pytest.Item) -> bool:
    return item.path.is_relative_to(Path(__file__).parent)


def pytest_generate_tests(metafunc):
    if "nth" in metafunc.fixturenames:
        metafunc.parametrize("nth", range(metafunc.config.getoption("rounds")), indirect=True, ids=lambda n: f"round {n}")


@pytest.fixture
def nth(request):
    """Which of the rounds this is."""
    return request.param


@pytest.fixture
def name(request, nth):
    """A production's name of the test's own."""
    return f"{request.node.originalname[5:50].replace('_', ' ').strip()} {nth} {secrets.token_hex(2)}"


@pytest.fixture
def reckon(request):
    """Tell of a fault what the server had acknowledged, what is in the take, and how far was read, all in samples of it."""
    steal = probe.stolen()

    def told(kind: str, acknowledged: int, kept: int, read: int) -> float:
        """Seconds lost of what was not acknowledged; acknowledged samples that are lost fail the test."""
        assert kept >= acknowledged, f"{acknowledged - kept} acknowledged samples are lost"
        lost = max(0, read - kept) / RATE
        request.config.stash[RECKONED][kind].append((lost, probe.stolen() - steal))
        # On a machine that stands still the sound waits longer on its way into the storage than on one that does not.
        assert lost <= 0.25 + 2 * (probe.stolen() - steal)
        return lost

    return told


def pytest_terminal_summary(terminalreporter, config):
    if config.getoption("rounds") > 1:
        for kind, rows in config.stash[RECKONED].items():
            most, stolen = max(lost for lost, _ in rows), max(steal for _, steal in rows)
            said = f"acknowledged samples lost in none, others at most {most * 1000:.0f} ms"
            terminalreporter.write_line(f"{kind}: {len(rows)} times, {said} ({stolen:.1f} s stolen at the most)")


@pytest.fixture(scope="session")
def world(tmp_path_factory):
    made = World(tmp_path_factory.mktemp("world"))
    try:
        made.begin("web")
        made.begin("worker")
        yield made
    finally:
        made.close()


@pytest.fixture(scope="session")
def demo(world):
    """The demo production, and what is true of its takes."""
    world.make_demo()
    return json.loads((world.data / "demo-truth.json").read_text())


@pytest.fixture(scope="session")
def browser_type_launch_args():
    return {"executable_path": BROWSER, "args": CHROMIUM}


@pytest.fixture(scope="session")
def browser_context_args():
    return {"viewport": {"width": 1280, "height": 800}, "permissions": ["microphone"], "accept_downloads": True}


@pytest.fixture
def complaints(page: Page):
    """What the browser complained of; a test that expects none asserts that the list is empty."""
    said: list[str] = []
    page.on("pageerror", lambda error: said.append(str(error)))

    def complain(message) -> None:
        if message.type == "error":
            said.append(f"{message.text} {message.location.get('url', '')}")

    page.on("console", complain)
    return said


@pytest.fixture
def desk(page: Page, world, request):
    """A signed-in page of an account of the test's own."""
    page.goto(world.link(f"account-{request.node.name[:80]}-{secrets.token_hex(3)}"))
    return page


@pytest.fixture(scope="session")
def own_film(tmp_path_factory) -> Path:
    """Twelve seconds at 23.976 frames a second in WebM, with two cuts and a soft tone."""
    path = tmp_path_factory.mktemp("own") / "creek walk.webm"
    rate = "24000/1001"
    command = ["ffmpeg", "-y", "-v", "error"]
    for source in (
        f"testsrc2=s=480x270:r={rate}:d=4",
        f"smptebars=s=480x270:r={rate}:d=4",
        f"testsrc=s=480x270:r={rate}:d=4",
    ):
        command += ["-f", "lavfi", "-i", source]
    command += [
        "-f",
        "lavfi",
        "-i",
        "sine=220:r=48000:d=12",
        "-filter_complex",
        "[0][1][2]concat=n=3:v=1:a=0[v];[3]volume=0.1[a]",
    ]
    command += ["-map", "[v]", "-map", "[a]", "-c:v", "libvpx", "-deadline", "realtime", "-c:a", "libopus", str(path)]
    subprocess.run(command, check=True)
    return path
