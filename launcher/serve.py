"""Start and stop: database, web server and one worker, watched over until Ctrl-C."""

import fcntl
import json
import os
import secrets
import shlex
import signal
import socket
import subprocess
import time
from pathlib import Path

from launcher import install
from launcher.postgres import Cluster, free_port, wait_for
from launcher.steps import DATA, PYTHON, ROOT, WEB, Refused, Stamp, fingerprint, run, say, step

DATA_VERSION = 1
RUN = DATA / "run"
PORT = 8420


def cluster() -> Cluster:
    """The cluster of the data folder."""
    return Cluster(DATA / "postgres")


def environment(database_url: str, data: Path = DATA, port: int | None = None) -> dict[str, str]:
    """What the server's processes need to know."""
    secret = data / "secret-key"
    if not secret.exists():
        with os.fdopen(os.open(secret, os.O_WRONLY | os.O_CREAT, 0o600), "w") as file:
            file.write(secrets.token_urlsafe(48))
    path = ":".join(str(ROOT / part) for part in ("server", "core", "demo"))
    return {
        "DJANGO_SETTINGS_MODULE": "fendo_server.settings",
        "PYTHONPATH": path,
        "PYTHONUNBUFFERED": "1",
        "FENDO_DATA": str(data),
        "FENDO_SECRET": secret.read_text().strip(),
        "DATABASE_URL": database_url,
        **({"FENDO_PORT": str(port)} if port else {}),
    }


CONFINED = (str(PYTHON), str(ROOT / "launcher" / "confined.py"))
"""What opens files from anywhere is kept from all that is not Fendo's."""


def web_command(port: int) -> list[str]:
    """The web server."""
    return [*CONFINED, str(PYTHON), "-m", "fendo_server.serving", str(port)]


def worker_command() -> list[str]:
    """The worker; four at a time. Two long jobs run at once at most, so that they hold up neither short ones nor the
    housekeeping.

    It gives way to what runs beside it: on the same machine somebody may be recording while a film is made playable.
    """
    worker = [str(PYTHON), str(ROOT / "server" / "manage.py"), "procrastinate", "worker", "--concurrency", "4"]
    return [*CONFINED, "nice", "-n", "10", *worker]


def manage(*arguments: str, env: dict[str, str]) -> str:
    """Django's command line."""
    return run([str(PYTHON), str(ROOT / "server" / "manage.py"), *arguments], env=env)


def _choose_port() -> int:
    wanted = os.environ.get("FENDO_PORT")
    for port in [int(wanted)] if wanted else range(PORT, PORT + 20):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                continue
        if port != PORT and not wanted:
            say(f"  note: port {PORT} is taken by another program, so Fendo uses {port}")
        return port
    taken = wanted or f"{PORT} to {PORT + 19}"
    raise Refused(f"Port {taken} is taken by another program. Choose another one: FENDO_PORT=9000 ./fendo start")


def _begun_at(pid: int) -> str:
    """When a process began, so that a number that was given to another program since is not taken for ours."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[19]
    except OSError:
        return ""


def _note(name: str, pid: int) -> None:
    RUN.mkdir(parents=True, exist_ok=True)
    (RUN / f"{name}.json").write_text(json.dumps({"pid": pid, "began": _begun_at(pid)}))


def _noted(name: str) -> int | None:
    """The process of that name, if it is still the same one."""
    try:
        known = json.loads((RUN / f"{name}.json").read_text())
    except (OSError, ValueError):
        return None
    return known["pid"] if known["began"] and _begun_at(known["pid"]) == known["began"] else None


def _end(name: str, seconds: float = 8.0) -> bool:
    """End a noted process; whether there was one."""
    pid = _noted(name)
    if pid is None:
        return False
    os.kill(pid, signal.SIGTERM)
    until = time.monotonic() + seconds
    while _noted(name) and time.monotonic() < until:
        time.sleep(0.05)
    if _noted(name):
        os.kill(pid, signal.SIGKILL)
    return True


def _check_data() -> None:
    version = DATA / "version"
    if not version.exists():
        version.write_text(str(DATA_VERSION))
    elif int(version.read_text().strip() or 0) > DATA_VERSION:
        raise Refused(
            f"{DATA} was made by a newer Fendo. Start that one, or choose another folder: FENDO_DATA=… ./fendo start"
        )


def prepare() -> tuple[Cluster, dict[str, str]]:
    """Everything up to a database with the demo in it."""
    install.debian()
    install.room_on_disk()
    install.python()
    install.web()
    _check_data()
    database = cluster()
    with step("starting the database"):
        database.make()
        database.start()
        database.database()
    env = environment(database.url())
    migrations = [p for p in (ROOT / "server").rglob("migrations") if p.is_dir()]
    schema = Stamp(database.folder / "schema", fingerprint([*sorted(migrations), ROOT / "constraints.txt"]))
    if not schema.fresh:
        with step("bringing the database up to date"):
            manage("migrate", "--no-input", "-v0", env=env)
        schema.set()
    static = Stamp(DATA / "static" / ".fendo", (ROOT / "web" / "dist" / ".fendo").read_text())
    if not static.fresh:
        with step("laying out the web application"):
            manage("collectstatic", "--no-input", "--clear", "-v0", env=env)
        static.set()
    if not (DATA / "demo-truth.json").exists():
        with step("making the demo (a film is drawn and read; under two minutes)"):
            run([str(PYTHON), "-m", "fendo_demo.make"], env=env, quiet=False)
    return database, env


CHILDREN = ("web", "worker", "bundle")
OWN = ("media", "derived", "making", "run")
"""Folders of the data that are its owner's alone: voices, pictures, logs. PostgreSQL's own is closed by itself."""


def close_folders(data: Path) -> None:
    """See to it that nobody else on this machine looks into the data: takes are somebody's voice."""
    for name in OWN:
        folder = data / name
        folder.mkdir(parents=True, exist_ok=True)
        folder.chmod(0o700)


def start(developing: bool = False) -> int:
    """Start everything and watch over it until Ctrl-C or ./fendo stop.

    Args:
        developing: what is changed in the source is taken up: the web server and the worker begin again, and a page that
            is open shows what was changed of the web application.
    """
    begun = time.monotonic()
    close_folders(DATA)
    lock = (RUN / "lock").open("w")
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        address = (RUN / "address").read_text() if (RUN / "address").exists() else "its address"
        raise Refused(
            f"Fendo is running already, at {address}. ./fendo link prints a new link, ./fendo stop ends it."
        ) from None
    for name in CHILDREN:
        if _end(name):
            say(f"  note: ended a {name} process that an earlier start had left")
    _note("launcher", os.getpid())
    stopping = False

    def ask_to_stop(*_: object) -> None:
        nonlocal stopping
        if stopping:
            return
        stopping = True
        raise KeyboardInterrupt

    signal.signal(signal.SIGTERM, ask_to_stop)
    signal.signal(signal.SIGINT, ask_to_stop)
    database, children = None, {}
    try:
        database, env = prepare()
        port = _choose_port()
        commands = {"web": web_command(port), "worker": worker_command()}
        if developing:
            env |= {"FENDO_DEV": "1", "FENDO_SERVER": f"http://127.0.0.1:{port}"}
            shown = free_port()
            vite = f"exec npx vite --host 127.0.0.1 --port {shown} --strictPort"
            commands["bundle"] = ["sh", "-c", f"cd {shlex.quote(str(WEB))} && {vite}"]
        with step("starting the web server and one worker"):
            for name, command in commands.items():
                children[name] = _spawn(name, command, env)
            if not wait_for(port, process=children["web"]):
                raise Refused(f"The web server did not come up. {RUN / 'web.log'} says why.")
            if developing and not wait_for(shown, process=children["bundle"]):
                raise Refused(f"The web application did not come up. {RUN / 'bundle.log'} says why.")
        address = f"http://127.0.0.1:{shown if developing else port}"
        (RUN / "address").write_text(address)
        link = manage("entry_link", "demo", "--new", env=env).strip()
        say(
            f"\nFendo is ready after {time.monotonic() - begun:.1f} s. "
            f"Open this link; it signs you in, once:\n\n  {address}{link}\n"
        )
        say("Ctrl-C ends it. ./fendo link prints another link.")
        _watch(children, commands, env, database, developing)
    except KeyboardInterrupt:
        say("\nstopping")
    finally:
        stopping = True
        for name, child in children.items():
            child.terminate()
            try:
                child.wait(8)
            except subprocess.TimeoutExpired:
                child.kill()
            (RUN / f"{name}.json").unlink(missing_ok=True)
        if database:
            database.stop()
        for name in ("launcher.json", "address"):
            (RUN / name).unlink(missing_ok=True)
    say("Fendo has stopped; all that was saved is in its data folder.")
    return 0


def newest_source() -> float:
    """When a Python file of the core or the server was changed last."""
    files = (path for part in ("core", "server") for path in (ROOT / part).rglob("*.py"))
    return max(path.stat().st_mtime for path in files)


def _spawn(name: str, command: list[str], env: dict[str, str]) -> subprocess.Popen:
    log = (RUN / f"{name}.log").open("ab")
    child = subprocess.Popen(
        command,
        cwd=ROOT,
        env={**os.environ, **env},
        stdin=subprocess.DEVNULL,
        stdout=log,
        stderr=log,
        start_new_session=True,
    )
    _note(name, child.pid)
    return child


def _watch(
    children: dict[str, subprocess.Popen],
    commands: dict[str, list[str]],
    env: dict[str, str],
    database: Cluster,
    developing: bool = False,
) -> None:
    """Begin again what ends by itself; give up when it ends at once, again and again."""
    falls: dict[str, list[float]] = {name: [] for name in children}
    changed = newest_source()
    while True:
        time.sleep(0.3)
        if developing and (newest := newest_source()) != changed:
            changed = newest
            for name in ("web", "worker"):
                children[name].terminate()
                children[name].wait(20)
                children[name] = _spawn(name, commands[name], env)
        if not database.answers():
            say("  the database ended; starting it again")
            _revive(database)
        for name, child in children.items():
            if child.poll() is None:
                continue
            falls[name] = [*falls[name][-4:], time.monotonic()]
            if len(falls[name]) == 5 and falls[name][-1] - falls[name][0] < 20:
                raise Refused(f"The {name} ends again and again. {RUN / f'{name}.log'} says why. What was saved is safe.")
            say(f"  the {name} ended ({child.returncode}); starting it again")
            children[name] = _spawn(name, commands[name], env)


def _revive(database: Cluster, seconds: float = 300.0) -> None:
    """Start a database that was killed; what it left behind may take a while to end."""
    until = time.monotonic() + seconds
    while True:
        try:
            return database.start()
        except Refused:
            if time.monotonic() > until:
                raise
            database.end_left_over()
            time.sleep(1)


def stop() -> int:
    """End what start began, and nothing else."""
    if _end("launcher", 30):
        say("Fendo has stopped.")
        return 0
    left = [name for name in CHILDREN if _end(name)]
    database = cluster()
    if (database.data / "PG_VERSION").exists() and database.running():
        database.stop()
        left.append("database")
    say(f"Ended what a killed start had left: {', '.join(left)}." if left else "Fendo was not running.")
    return 0


def link(name: str = "demo", new: bool = False) -> int:
    """Print a new one-time link."""
    if not (RUN / "address").exists() or not _noted("launcher"):
        raise Refused("Fendo is not running. ./fendo start starts it and prints a link.")
    arguments = ["entry_link", name, *(["--new"] if new else [])]
    made = manage(*arguments, env=environment(cluster().url())).strip()
    say(f"{(RUN / 'address').read_text()}{made}")
    return 0


def reset_demo() -> int:
    """Put the demo productions back as they were; other productions are not touched."""
    with cluster().lent() as database, step("making the demo anew"):
        env = environment(database.url())
        manage("migrate", "--no-input", "-v0", env=env)
        run([str(PYTHON), "-m", "fendo_demo.make", "--anew"], env=env, quiet=False)
    return 0


def rescue(folder: str, account: str) -> int:
    """Rebuild productions from the recordings in a folder."""
    top = Path(folder).expanduser().resolve()
    if not top.is_dir():
        raise Refused(f"There is no folder {top}. Recordings lie in {DATA / 'media'}, a folder a production.")
    with cluster().lent() as database:
        env = environment(database.url())
        manage("migrate", "--no-input", "-v0", env=env)
        say(manage("rescue", str(top), "--account", account, env=env).rstrip())
    say("./fendo start shows it." if not _noted("launcher") else "It is there when the page is loaded again.")
    return 0
