"""The real thing: server, worker and database as ./fendo starts them, and a headless browser with a microphone."""

import contextlib
import json
import os
import secrets
import signal
import subprocess
import time
import urllib.request
from pathlib import Path
from urllib.parse import urlsplit

import psycopg
import pytest
from playwright.sync_api import Browser, Page, expect

from launcher import serve
from launcher.postgres import free_port, wait_for
from launcher.steps import PYTHON

expect.set_options(timeout=15_000)

CHROMIUM = [
    "--no-sandbox",
    "--disable-gpu",
    "--autoplay-policy=no-user-gesture-required",
    "--use-fake-ui-for-media-stream",
    "--use-fake-device-for-media-stream",
    "--host-resolver-rules=MAP * ~NOTFOUND, EXCLUDE localhost, EXCLUDE 127.0.0.1",
    "--disable-background-networking",
]


class World:
    """A Fendo of its own: data folder, database, web server, worker. Each part can be killed and begun again."""

    def __init__(self, data: Path) -> None:
        self.data = data
        self.name = f"fendo_{secrets.token_hex(4)}"
        base = os.environ["DATABASE_URL"]
        self.admin = base
        with psycopg.connect(base, autocommit=True) as db:
            db.execute(f'create database "{self.name}"')
        self.url = urlsplit(base)._replace(path=f"/{self.name}").geturl()
        self.env = serve.environment(self.url, data)
        self.port = free_port()
        self.address = f"http://127.0.0.1:{self.port}"
        self.processes: dict[str, subprocess.Popen] = {}
        serve.manage("migrate", "--no-input", "-v0", env=self.env)

    def begin(self, name: str) -> None:
        command = serve.web_command(self.port) if name == "web" else serve.worker_command()
        log = (self.data / f"{name}.log").open("ab")
        self.processes[name] = subprocess.Popen(
            command,
            env={**os.environ, **self.env},
            stdout=log,
            stderr=log,
            stdin=subprocess.DEVNULL,
            start_new_session=True,
        )
        if name == "web":
            assert wait_for(self.port), (self.data / "web.log").read_text()

    def kill(self, name: str) -> None:
        """As the power cut would: the process and its children, at once."""
        with contextlib.suppress(ProcessLookupError):
            os.killpg(self.processes[name].pid, signal.SIGKILL)
        self.processes[name].wait()

    def close(self) -> None:
        for name in list(self.processes):
            self.kill(name)
        with psycopg.connect(self.admin, autocommit=True) as db:
            db.execute(f'drop database if exists "{self.name}" with (force)')

    def link(self, account: str = "demo") -> str:
        return self.address + serve.manage("entry_link", account, "--new", env=self.env).strip()

    def wavs(self) -> list[Path]:
        return sorted(self.data.glob("media/*/*/*.wav"), key=lambda p: p.stat().st_mtime)

    def parts(self) -> list[Path]:
        return list(self.data.glob("media/*/*/*.part"))


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
    """The demo production, made by its own generator."""
    made = subprocess.run(
        [PYTHON, "-m", "fendo_demo.make"], env={**os.environ, **world.env}, capture_output=True, text=True, check=False
    )
    assert made.returncode == 0, made.stdout + made.stderr
    return json.loads((world.data / "demo-truth.json").read_text())


@pytest.fixture(scope="session")
def browser_type_launch_args():
    return {"executable_path": "/usr/bin/chromium", "args": CHROMIUM}


@pytest.fixture(scope="session")
def browser_context_args():
    return {"viewport": {"width": 1280, "height": 800}, "permissions": ["microphone"], "accept_downloads": True}


@pytest.fixture
def complaints(page: Page):
    """What the browser complained of; a test that expects none asserts that the list is empty."""
    said: list[str] = []
    page.on("pageerror", lambda error: said.append(str(error)))
    page.on("console", lambda message: said.append(message.text) if message.type == "error" else None)
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


def state(page: Page, word: str, timeout: float = 20_000) -> None:
    """Wait for the Booth to say a state."""
    expect(page.get_by_test_id("booth-state")).to_contain_text(word, timeout=timeout)


def new_production(page: Page, name: str) -> None:
    page.get_by_label("New production").fill(name)
    page.get_by_role("button", name="Make it").click()
    expect(page.get_by_role("heading", name="No picture yet")).to_be_visible()


def type_script(page: Page, text: str) -> None:
    page.keyboard.press("2")
    page.get_by_label("words, one line a paragraph").fill(text)
    page.get_by_role("button", name="Make").click()
    expect(page.get_by_test_id("page")).to_be_visible()
    page.locator("body").click(position={"x": 640, "y": 20})


def choose_simulated(page: Page, fault: str | None = None) -> None:
    page.get_by_label("microphone", exact=True).click()
    page.get_by_role("option", name="Simulated reader").click()
    if fault:
        page.get_by_label("what goes wrong with the simulated reader").click()
        page.get_by_role("option", name=fault).click()
    page.locator("body").click(position={"x": 640, "y": 20})


def read_one_take(page: Page, seconds: float = 4.0) -> None:
    """Record, read for a while, stop, wait until it is saved: by keys alone."""
    page.keyboard.press("Enter")
    state(page, "Recording")
    page.wait_for_timeout(seconds * 1000)
    page.keyboard.press("Enter")
    state(page, "Saved")


def alive(address: str) -> bool:
    with contextlib.suppress(OSError):
        return urllib.request.urlopen(f"{address}/alive", timeout=2).status == 200
    return False


def until(what, seconds: float = 30.0, each: float = 0.05):
    """Wait for something to become true; its value."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if found := what():
            return found
        time.sleep(each)
    raise AssertionError(f"it did not happen within {seconds} s")


def crash_tabs(browser: Browser) -> int:
    """SIGKILL to every renderer of the browser; how many."""
    session = browser.new_browser_cdp_session()
    processes = session.send("SystemInfo.getProcessInfo")["processInfo"]
    pids = [p["id"] for p in processes if p["type"] == "renderer"]
    for pid in pids:
        with contextlib.suppress(ProcessLookupError):
            os.kill(pid, signal.SIGKILL)
    session.detach()
    return len(pids)
