"""A Fendo of its own for the browser tests, and what they do again and again."""

import contextlib
import os
import re
import secrets
import signal
import socket
import subprocess
import threading
import time
import urllib.request
from pathlib import Path
from urllib.parse import urlsplit

import psycopg
from playwright.sync_api import Locator, Page, expect

from launcher import serve
from launcher.postgres import Cluster, free_port, wait_for

LINKS = """
import sys, django
django.setup()
from django.core.management import call_command
from django.db import connections
for account in sys.stdin:
    call_command("entry_link", account.strip(), "--new")
    sys.stdout.flush()
    connections.close_all()
"""


LISTEN = "from fendo_server.takes.listening import check_missing\nwhile check_missing(): pass"


class World:
    """A Fendo of its own: data folder, database, web server, worker. Each part can be killed and begun again."""

    def __init__(self, data: Path, database_url: str | None = None) -> None:
        self.data = data
        self.name = f"fendo_{secrets.token_hex(4)}"
        base = database_url or os.environ["DATABASE_URL"]
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
            assert wait_for(self.port, process=self.processes[name]), (self.data / "web.log").read_text()

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
        """A new link for an account, which is made if need be. One process makes all: each would take seconds to begin."""
        if "links" not in self.processes:
            self.processes["links"] = subprocess.Popen(
                [serve.PYTHON, "-c", LINKS],
                env={**os.environ, **self.env},
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                text=True,
                start_new_session=True,
            )
        links = self.processes["links"]
        print(account, file=links.stdin, flush=True)
        return self.address + links.stdout.readline().strip()

    def make_demo(self) -> None:
        """The demo production, made by its own generator. All of it is listened to: what sounds unpicked depends on it."""
        paths = os.pathsep.join(str(Path(__file__).parent.parent / part) for part in ("core", "server", "demo"))
        env = {**os.environ, **self.env}
        command = [serve.PYTHON, "-m", "fendo_demo.make"]
        made = subprocess.run(command, env={**env, "PYTHONPATH": paths}, capture_output=True, text=True, check=False)
        assert made.returncode == 0, made.stdout + made.stderr
        serve.manage("shell", "-v0", "-c", LISTEN, env=self.env)

    def wavs(self) -> list[Path]:
        return sorted(self.data.glob("media/*/*/*.wav"), key=lambda p: p.stat().st_mtime)

    def parts(self) -> list[Path]:
        return list(self.data.glob("media/*/*/*.part"))


@contextlib.contextmanager
def own_database(top: Path):
    """A Fendo with a PostgreSQL of its own below a folder, to be killed: (world, cluster). The web server runs."""
    for folder in (top, *top.parents[:3]):
        folder.chmod((folder.stat().st_mode & 0o7777) | 0o055)
    cluster = Cluster(top / "postgres")
    cluster.make()
    cluster.start()
    cluster.database()
    (top / "data").mkdir()
    world = World(top / "data", cluster.url())
    try:
        world.begin("web")
        yield world, cluster
    finally:
        world.close()
        cluster.stop()


class Wire:
    """A connection in between that can be cut and made slow: a plain TCP relay on a port of its own."""

    def __init__(self, to: int) -> None:
        self.to, self.port = to, free_port()
        self.cut = False
        self.rate: float | None = None  # bytes a second towards the server
        self.carried = 0  # bytes that went to the server
        self.pairs: set[socket.socket] = set()
        self.ear = socket.create_server(("127.0.0.1", self.port))
        threading.Thread(target=self._accept, daemon=True).start()

    def _accept(self) -> None:
        while True:
            try:
                near, _ = self.ear.accept()
            except OSError:
                return
            if self.cut:
                near.close()
                continue
            try:
                far = socket.create_connection(("127.0.0.1", self.to), timeout=5)
            except OSError:
                near.close()
                continue
            far.settimeout(None)
            self.pairs |= {near, far}
            threading.Thread(target=self._carry, args=(near, far, True), daemon=True).start()
            threading.Thread(target=self._carry, args=(far, near, False), daemon=True).start()

    def _carry(self, a: socket.socket, b: socket.socket, towards_server: bool) -> None:
        with contextlib.suppress(OSError):
            while data := a.recv(4096 if self.rate else 65536):
                if self.rate and towards_server:
                    time.sleep(len(data) / self.rate)
                b.sendall(data)
                self.carried += len(data) if towards_server else 0
        for one in (a, b):
            with contextlib.suppress(OSError):
                one.shutdown(socket.SHUT_RDWR)
            one.close()

    def break_off(self) -> None:
        """Cut it, and everything that goes over it now."""
        self.cut = True
        self.hang_up()

    def hang_up(self) -> None:
        """End everything that goes over it now; what comes next goes through."""
        for one in list(self.pairs):
            with contextlib.suppress(OSError):
                one.shutdown(socket.SHUT_RDWR)
        self.pairs.clear()

    def close(self) -> None:
        self.break_off()
        self.ear.close()


def state(page: Page, word: str, timeout: float = 60_000) -> None:
    """Wait for the Booth to say a state."""
    expect(page.get_by_test_id("booth-state")).to_contain_text(word, timeout=timeout)


def new_production(page: Page, name: str) -> None:
    page.get_by_label("New production").fill(name)
    page.get_by_role("button", name="Make it").click()
    expect(page.get_by_role("heading", name="No picture yet")).to_be_visible()


def bring_in(page: Page, *paths: Path | dict) -> None:
    """Files brought in by the Picture room's chooser; nothing is on its way any more when this returns."""
    page.get_by_test_id("film-file").set_input_files(list(paths))
    expect(page.get_by_role("radiogroup", name="what is shown")).to_be_visible(timeout=60_000)
    expect(page.get_by_role("list", name="files on their way")).to_have_count(0, timeout=60_000)


def look_at(page: Page, what: str) -> None:
    """One of the lists of the Picture room: Reel, Files, Sound, Shots."""
    page.get_by_role("radiogroup", name="what is shown").get_by_text(what).click()


def bring_in_film(page: Page, path: Path, shots: int = 3) -> None:
    """A film brought in, and its cuts found; the shots are in sight."""
    bring_in(page, path)
    look_at(page, "Shots")
    expect(page.locator(".picture-shots li")).to_have_count(shots, timeout=120_000)


def type_script(page: Page, text: str) -> None:
    page.keyboard.press("2")
    page.get_by_label("words, one line a paragraph").fill(text)
    page.get_by_role("button", name="Make").click()
    expect(page.get_by_test_id("page")).to_be_visible()
    page.locator("body").click(position={"x": 640, "y": 20})


def choose_simulated(page: Page, fault: str | None = None) -> None:
    page.get_by_role("combobox", name="microphone").click()
    page.get_by_role("option", name="Simulated reader").click()
    if fault:
        page.get_by_role("combobox", name="what goes wrong").click()
        page.get_by_role("option", name=fault).click()
    page.locator("body").click(position={"x": 640, "y": 20})


def read_one_take(page: Page, seconds: float = 4.0) -> None:
    """Record, read for a while, stop, wait until it is saved: by keys alone.

    The while is counted by what was heard, as the Booth's clock shows it: on a shared machine the sound may stand still for
    seconds, and a take stopped by the wall's clock would hold nothing.
    """
    page.keyboard.press("Enter")
    state(page, "Recording")
    clock = page.locator(".booth-clock")
    until(lambda: (said := clock.inner_text())[:1].isdigit() and float(said.split()[0]) >= seconds)
    page.keyboard.press("Enter")
    state(page, "Saved")


def alive(address: str) -> bool:
    with contextlib.suppress(OSError):
        return urllib.request.urlopen(f"{address}/alive", timeout=2).status == 200
    return False


def until(what, seconds: float = 90.0, each: float = 0.05):
    """Wait for something to become true; its value."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if found := what():
            return found
        time.sleep(each)
    raise AssertionError(f"it did not happen within {seconds} s")


def crash_tabs(profile: Path, whole: bool = False) -> int:
    """SIGKILL to every renderer of the browser with this profile, or to the whole browser; how many processes."""

    def command(pid: int) -> str:
        with contextlib.suppress(OSError):
            return Path(f"/proc/{pid}/cmdline").read_text().replace("\0", " ")
        return ""

    def parent(pid: int) -> int:
        with contextlib.suppress(OSError):
            return int(Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[1])
        return 0

    def ours(pid: int) -> bool:
        while pid > 1:
            if f"--user-data-dir={profile}" in command(pid):
                return True
            pid = parent(pid)
        return False

    pids = [int(entry.name) for entry in Path("/proc").iterdir() if entry.name.isdigit()]
    renderers = [
        pid for pid in pids if (whole or "--type=renderer" in command(pid)) and "chrom" in command(pid) and ours(pid)
    ]
    for pid in renderers:
        with contextlib.suppress(ProcessLookupError):
            os.kill(pid, signal.SIGKILL)
    return len(renderers)


def order(page: Page, *parts: str, which: str = "all lines that were read") -> None:
    """In Handover, with just these parts ticked."""
    page.keyboard.press("6")
    expect(page.get_by_test_id("write")).to_be_visible()
    for part in parts:
        page.get_by_role("checkbox", name=part, exact=True).check()
    for box in page.locator(".handover-parts input").all():
        if box.is_checked() and box.evaluate("box => box.labels[0].textContent") not in parts:
            box.uncheck()
    page.get_by_role("combobox", name="Lines").click()
    page.get_by_role("option", name=which).click()
    page.locator("body").click(position={"x": 640, "y": 20})


def handed_over(page: Page, seconds: float = 180.0) -> Locator:
    """Write, and wait until it stands in the list; its row."""
    told = page.get_by_role("radio", name=re.compile("Handed over"))
    before = int(re.sub(r"\D", "", told.evaluate("box => box.labels[0].textContent")) or 0)
    expect(page.get_by_test_id("write")).to_be_enabled()
    page.get_by_test_id("write").click()
    expect(page.get_by_test_id("handover")).to_have_count(before + 1, timeout=seconds * 1000)
    return page.get_by_test_id("handover").first


def hand_over(page: Page, tmp_path, part: str = "The film with the voice", ending: str = ".mp4") -> Path:
    """Write one part, wait for it, download its file."""
    order(page, part)
    newest = handed_over(page)
    newest.get_by_role("button", name="Files").click()
    with page.expect_download() as waited:
        newest.get_by_role("link", name=re.compile(f"{re.escape(ending)}$")).first.click()
    path = tmp_path / waited.value.suggested_filename
    waited.value.save_as(path)
    return path


def treat(page: Page, start: str) -> None:
    """A treatment for all lines, begun from one of those that ship."""
    page.get_by_role("combobox", name="start from").click()
    page.get_by_role("option", name=start).click()
    expect(page.get_by_test_id("untreated")).to_be_visible()


def in_slot(page: Page, name: str) -> None:
    """A production with one line in a slot of four seconds, in the Booth with the simulated reader."""
    from measure import RATE
    from probe import api

    new_production(page, name)
    type_script(page, "Twice a day the sea comes up the creek, and waits.")
    address = f"/api/productions/{page.url.split('/')[4]}/"
    production = api(page, "GET", address)
    line, revision = production["lines"][0]["id"], production["revision"]
    slot = {"kind": "set_slot", "line": line, "slot": [4 * RATE, 8 * RATE], "revision": revision}
    api(page, "POST", f"{address}edits/", slot)
    page.goto(page.url.rsplit("/", 1)[0] + "/booth")
    state(page, "Ready")
    choose_simulated(page)
