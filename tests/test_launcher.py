"""./fendo itself: started, killed, started again, stopped; and what it says when something stands in its way."""

import contextlib
import json
import os
import shutil
import signal
import socket
import subprocess
import tempfile
import time
import urllib.error
import urllib.request
from pathlib import Path

import pytest

from fendo_demo import scenario
from harness import alive, until
from launcher import confined, install, serve
from launcher.postgres import Cluster, free_port
from launcher.steps import ROOT, Refused, Stamp, fingerprint


class Fendo:
    """./fendo with a data folder of its own; the demo is left out, for it is tested elsewhere."""

    def __init__(self, data: Path) -> None:
        self.data, self.port = data, free_port()
        self.env = {**os.environ, "FENDO_DATA": str(data), "FENDO_PORT": str(self.port)}
        self.env.pop("DATABASE_URL", None)
        (data / "demo-truth.json").write_text("{}")
        (data / "demo-made.json").write_text(
            json.dumps([scenario.NAME, scenario.SPOT.name, scenario.LESSON, scenario.TALK])
        )
        self.address = f"http://127.0.0.1:{self.port}"

    def run(self, *command: str, **env: str) -> tuple[int, str]:
        done = subprocess.run(
            [ROOT / "fendo", *command], env={**self.env, **env}, capture_output=True, text=True, timeout=120, check=False
        )
        return done.returncode, done.stdout + done.stderr

    def start(self) -> tuple[subprocess.Popen, str]:
        """Started and ready; what it said."""
        log = self.data / "start.log"
        with log.open("w") as out:
            process = subprocess.Popen(
                [ROOT / "fendo", "start"], env=self.env, stdout=out, stderr=out, start_new_session=True
            )
        until(lambda: "Fendo is ready" in log.read_text() or process.poll() is not None, 400)
        assert process.poll() is None, log.read_text()
        return process, log.read_text()

    def pid(self, name: str) -> int:
        return json.loads((self.data / "run" / f"{name}.json").read_text())["pid"]


@pytest.fixture
def fendo():
    data = Path(tempfile.mkdtemp(prefix="fendo-data-"))
    data.chmod(0o755)
    made = Fendo(data)
    yield made
    made.run("stop")
    shutil.rmtree(data, ignore_errors=True)


def test_what_breaks_in_the_server_reaches_neither_homes_nor_other_files(tmp_path):
    """A library that was taken over by a hostile file: what it could do, tried out."""
    if not confined.version():
        pytest.skip("this kernel has no Landlock")
    data, elsewhere, disk = tmp_path / "data", tmp_path / "elsewhere", tmp_path / "disk"
    for folder in (data, elsewhere, disk):
        folder.mkdir()
        (folder / "kept").write_text("kept")
    (data / "media").symlink_to(disk)
    tries = {
        "read elsewhere": f"open({str(elsewhere / 'kept')!r}).read()",
        "write elsewhere": f"open({str(elsewhere / 'new')!r}, 'w')",
        "change elsewhere": f"open({str(elsewhere / 'kept')!r}, 'a')",
        "delete elsewhere": f"os.remove({str(elsewhere / 'kept')!r})",
        "change the program": f"open({str(ROOT / 'fendo')!r}, 'a')",
        "look into homes": f"os.listdir({str(Path.home())!r})",
        "read passwords": "open('/etc/shadow').read()",
        "become another": "os.setuid(1)",
        "read the program": f"open({str(ROOT / 'fendo')!r}).read()",
        "write in the data": f"os.rename({str(data / 'kept')!r}, {str(data / 'moved')!r})",
        "write where the data lie on another disk": f"open({str(data / 'media' / 'new')!r}, 'w')",
        "start a program": "subprocess.run(['ffmpeg', '-version'], check=True, stdout=subprocess.DEVNULL)",
    }
    script = "import os, subprocess\n" + "".join(
        f"try:\n    {line}\n    print({name!r})\nexcept OSError:\n    pass\n" for name, line in tries.items()
    )
    env = {**os.environ, "FENDO_DATA": str(data), "TMPDIR": str(data)}
    done = subprocess.run(
        [*serve.CONFINED, serve.PYTHON, "-c", script], env=env, capture_output=True, text=True, check=True, cwd="/"
    )
    assert done.stdout.splitlines() == list(tries)[-4:], done.stderr
    assert (elsewhere / "kept").read_text() == "kept"


MAY_GIVE_UP = 1 << 8
"""CAP_SETPCAP."""


def status_of(pid: int) -> dict[str, str]:
    """What the kernel says of a process."""
    return dict(row.split(":\t", 1) for row in Path(f"/proc/{pid}/status").read_text().splitlines())


def gone(pid: int) -> bool:
    with contextlib.suppress(ProcessLookupError):
        os.kill(pid, 0)
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0] == "Z"
    return True


def test_started_killed_started_again_and_stopped(fendo):
    first, said = fendo.start()
    link = next(word for word in said.split() if word.startswith(fendo.address))
    assert urllib.request.urlopen(link).status == 200
    for name in ("web", "worker"):
        status = status_of(fendo.pid(name))
        # Whoever may not give up powers (a container without that right) keeps them.
        assert int(status["CapEff"], 16) == 0 or not int(status_of(os.getpid())["CapEff"], 16) & MAY_GIVE_UP, name
        assert status["NoNewPrivs"] == "1"
    with pytest.raises(urllib.error.HTTPError, match="410"):
        urllib.request.urlopen(link)
    code, again = fendo.run("start")
    assert code == 1
    assert "running already" in again

    web = fendo.pid("web")
    os.kill(web, signal.SIGKILL)
    until(lambda: fendo.pid("web") != web and alive(fendo.address))

    database = Cluster(fendo.data / "postgres")
    os.kill(int((database.data / "postmaster.pid").read_text().split()[0]), signal.SIGKILL)
    until(lambda: "the database ended; starting it again" in (fendo.data / "start.log").read_text())
    until(lambda: fendo.run("link")[0] == 0, each=0.5)

    os.kill(first.pid, signal.SIGKILL)
    first.wait()
    orphans = [fendo.pid("web"), fendo.pid("worker")]
    second, said = fendo.start()
    assert "an earlier start had left" in said
    assert all(gone(pid) for pid in orphans)
    assert "bringing the database up to date" not in said, "a second start does only what is needed"

    ours = [second.pid, fendo.pid("web"), fendo.pid("worker")]
    # Jobs give way to whoever records on the same machine.
    niceness = [os.getpriority(os.PRIO_PROCESS, fendo.pid(name)) for name in ("web", "worker")]
    assert niceness[1] == min(19, niceness[0] + 10)
    code, said = fendo.run("stop")
    assert (code, said.strip()) == (0, "Fendo has stopped.")
    second.wait(20)
    assert all(gone(pid) for pid in ours)
    assert not alive(fendo.address)
    assert not Cluster(fendo.data / "postgres").running()
    assert fendo.run("stop") == (0, "Fendo was not running.\n")
    assert "not running" in fendo.run("link")[1]


def test_a_taken_port_and_a_newer_data_folder_are_said_plainly(fendo):
    with socket.socket() as other:
        other.bind(("127.0.0.1", fendo.port))
        other.listen()
        code, said = fendo.run("start")
    assert code == 1
    assert f"Port {fendo.port} is taken" in said
    (fendo.data / "version").write_text("99")
    code, said = fendo.run("start")
    assert code == 1
    assert "newer Fendo" in said
    assert "no command “dance”" in fendo.run("dance")[1]


def test_secrets_are_readable_by_their_owner_only(fendo):
    fendo.start()
    assert (fendo.data / "secret-key").stat().st_mode & 0o077 == 0
    assert (fendo.data / "postgres" / "password").stat().st_mode & 0o077 == 0


def test_without_the_right_to_install_it_names_what_and_how(monkeypatch):
    monkeypatch.setattr(install, "_missing", lambda for_tests: ["ffmpeg", "flite"])
    monkeypatch.setattr(install.os, "geteuid", lambda: 1000)
    monkeypatch.setattr(install.shutil, "which", lambda name: None if name == "sudo" else f"/usr/bin/{name}")
    with pytest.raises(Refused, match="apt-get install --no-install-recommends ffmpeg flite"):
        install.debian()


def test_a_full_disk_is_said_before_anything_begins(monkeypatch, tmp_path):
    monkeypatch.setattr(install, "DATA", tmp_path)
    monkeypatch.setattr(install.shutil, "disk_usage", lambda _path: shutil._ntuple_diskusage(100, 99, 5_000_000))
    with pytest.raises(Refused, match="only 5 MB left"):
        install.room_on_disk()


def test_a_step_is_done_again_when_its_inputs_changed_or_it_was_killed(tmp_path, monkeypatch):
    monkeypatch.setattr("launcher.steps.ROOT", tmp_path)
    (tmp_path / "a").write_text("one")
    stamp = Stamp(tmp_path / "out" / "stamp", fingerprint([tmp_path / "a"]))
    assert not stamp.fresh
    stamp.set()
    assert Stamp(stamp.path, fingerprint([tmp_path / "a"])).fresh
    (tmp_path / "a").write_text("two")
    assert not Stamp(stamp.path, fingerprint([tmp_path / "a"])).fresh


def test_nobody_else_on_the_machine_looks_into_the_data(tmp_path):
    """Also where they were open before."""
    (tmp_path / "media" / "The Tide Mill").mkdir(parents=True)
    (tmp_path / "media").chmod(0o755)
    serve.close_folders(tmp_path)
    modes = {folder.name: folder.stat().st_mode & 0o777 for folder in tmp_path.iterdir()}
    assert modes == dict.fromkeys(("media", "derived", "making", "run"), 0o700)


def test_what_is_changed_in_the_source_is_noticed(tmp_path, monkeypatch):
    monkeypatch.setattr(serve, "ROOT", tmp_path)
    for part in ("core", "server"):
        (tmp_path / part / "inside").mkdir(parents=True)
        (tmp_path / part / "inside" / "a.py").write_text("a = 1\n")
    before = serve.newest_source()
    os.utime(tmp_path / "server" / "inside" / "a.py", (before + 5, before + 5))
    assert serve.newest_source() == before + 5


SPOT = """
from django.contrib.auth import get_user_model
from fendo_demo.make import make_spot
make_spot(get_user_model().objects.get_or_create(username="demo")[0], quick=True)
"""


def rows(fendo: Fendo) -> list[str]:
    """Every row of the database, as a dump writes them."""
    cluster = Cluster(fendo.data / "postgres")
    with cluster.lent():
        command = [cluster.program("pg_dump"), "--data-only", "--inserts", "--exclude-table=procrastinate_*", cluster.url()]
        dump = subprocess.run(command, capture_output=True, text=True, check=True).stdout
    return sorted(line for line in dump.splitlines() if line.startswith("INSERT") and "django_session" not in line)


UNWRITTEN = "select count(*) from productions_production where recorded is null or recorded < changed"


def asked(fendo: Fendo, statement: str) -> str:
    """The database's answer to one statement."""
    cluster = Cluster(fendo.data / "postgres")
    with cluster.lent():
        command = [cluster.program("psql"), "-Atc", statement, cluster.url()]
        return subprocess.run(command, capture_output=True, text=True, check=True).stdout.strip()


def test_a_backup_made_while_it_runs_is_opened_elsewhere_row_by_row_and_byte_by_byte(fendo, tmp_path):
    fendo.start()
    serve.manage("shell", "-c", SPOT, env=serve.environment(Cluster(fendo.data / "postgres").url(), fendo.data))
    # What the worker still has to write down would be known here and not there.
    known: list[str] = []
    while known != (known := rows(fendo)) or asked(fendo, UNWRITTEN) != "0":
        time.sleep(3)
    file = tmp_path / "all.tar"
    code, said = fendo.run("backup", str(file))
    assert code == 0 and file.exists() and file.stat().st_mode & 0o077 == 0, said
    assert "is there already" in fendo.run("backup", str(file))[1]
    assert "holds data already" in fendo.run("restore", str(file))[1]
    fendo.run("stop")
    elsewhere = Path(tempfile.mkdtemp(prefix="fendo-data-"))
    elsewhere.chmod(0o755)
    other = Fendo.__new__(Fendo)
    other.data, other.env = elsewhere, {**fendo.env, "FENDO_DATA": str(elsewhere)}
    try:
        code, said = other.run("restore", str(file))
        assert code == 0, said
        known = rows(fendo)
        assert len(known) > 30 and rows(other) == known
        files = sorted(path for path in fendo.data.glob("media/**/*") if path.is_file())
        assert len([path for path in files if path.suffix == ".wav"]) >= 3
        for path in [*files, fendo.data / "secret-key"]:
            assert (elsewhere / path.relative_to(fendo.data)).read_bytes() == path.read_bytes()
        # One byte that is not what was written is found before anything is taken over.
        damaged, empty = bytearray(file.read_bytes()), tmp_path / "empty"
        damaged[len(damaged) // 2] ^= 1
        file.write_bytes(damaged)
        code, said = other.run("restore", str(file), FENDO_DATA=str(empty))
        assert code == 1 and "Nothing was restored" in said and not list(empty.glob("media"))
    finally:
        Cluster(elsewhere / "postgres").stop()
        shutil.rmtree(elsewhere, ignore_errors=True)
