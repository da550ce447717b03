"""All data in one file while Fendo runs, and back again: media, database, secrets."""

import hashlib
import io
import json
import os
import shutil
import tarfile
import tempfile
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import IO

from launcher import serve
from launcher.postgres import Cluster
from launcher.steps import DATA, Refused, run, say, step

KEPT = ("media", "derived", "secret-key", "version", "demo-made.json", "demo-truth.json")
"""What of the data folder goes along; the database comes as a dump, all else is made again."""
DUMP, ABOUT, SUMS = "database.dump", "fendo-backup.json", "sha256.txt"


class _Hashing:
    """A file that is read, and the SHA-256 of what was read of it."""

    def __init__(self, file: IO[bytes]) -> None:
        self.file, self.sum = file, hashlib.sha256()

    def read(self, size: int = -1) -> bytes:
        data = self.file.read(size)
        self.sum.update(data)
        return data


def _files() -> Iterator[Path]:
    """What is kept, below the data folder."""
    for name in KEPT:
        top = DATA / name
        if top.is_file():
            yield top
        elif top.is_dir():
            yield from sorted(path for path in top.rglob("*") if path.is_file() and not path.is_symlink())


def backup(target: str) -> int:
    """Write all data into one file. It appears under its name when it is whole."""
    file = Path(target).expanduser().resolve()
    if file.exists():
        raise Refused(f"{file} is there already. Choose another name; nothing was written.")
    if not file.parent.is_dir():
        raise Refused(f"There is no folder {file.parent}. Nothing was written.")
    if DATA in file.parents:
        raise Refused("A backup does not belong into the data folder: it would be lost with it. Choose another place.")
    needed, free = sum(path.stat().st_size for path in _files()), shutil.disk_usage(file.parent).free
    if needed * 1.1 > free:
        raise Refused(f"The data are {needed >> 20} MB, and there are {free >> 20} MB free at {file.parent}.")
    part = file.with_name(f"{file.name}.part")
    try:
        with serve.cluster().lent() as database, step(f"writing {needed >> 20} MB to {file}"):
            with os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as out:
                _write(out, database)
                out.flush()
                os.fsync(out.fileno())
        part.replace(file)
    finally:
        part.unlink(missing_ok=True)
    say(f"  Everything is in {file}. ./fendo restore {file.name} opens it in an empty data folder (FENDO_DATA=…).")
    return 0


def _write(out: IO[bytes], database: Cluster) -> None:
    sums: list[str] = []
    with tarfile.open(fileobj=out, mode="w") as tar, tempfile.TemporaryDirectory(prefix="fendo-backup-") as held:
        # The database first: every file that it knows is there already, and takes never change.
        dump = Path(held, DUMP)
        run([database.program("pg_dump"), "-Fc", "-f", str(dump), *_reached(database)], env=_secret(database))
        about = {"fendo": serve.DATA_VERSION, "made": datetime.now(UTC).isoformat(timespec="seconds")}
        _add(tar, sums, ABOUT, io.BytesIO(json.dumps(about).encode()))
        with dump.open("rb") as file:
            _add(tar, sums, DUMP, file)
        for path in _files():
            # A take that was finished meanwhile has its own name now; what was being made is made again.
            there = next((one for one in (path, path.with_suffix("")) if one.is_file()), None)
            if there:
                with there.open("rb") as file:
                    _add(tar, sums, str(there.relative_to(DATA)), file)
        _add(tar, [], SUMS, io.BytesIO("".join(sums).encode()))


def _reached(database: Cluster) -> list[str]:
    return ["-h", "127.0.0.1", "-p", database.port_file.read_text().strip(), "-U", "fendo", "-d", "fendo"]


def _secret(database: Cluster) -> dict[str, str]:
    """The password, where nobody who lists processes sees it."""
    return {"PGPASSWORD": database.password}


def _add(tar: tarfile.TarFile, sums: list[str], name: str, file: IO[bytes]) -> None:
    """A file as long as it is now: one that grows is kept up to here."""
    info = tarfile.TarInfo(name)
    info.size = file.seek(0, os.SEEK_END)
    info.mode = 0o600
    file.seek(0)
    hashing = _Hashing(file)
    tar.addfile(info, hashing)  # type: ignore[arg-type]
    sums.append(f"{hashing.sum.hexdigest()}  {name}\n")


def restore(source: str) -> int:
    """Open a backup in a data folder that holds nothing yet."""
    file = Path(source).expanduser().resolve()
    if not file.is_file():
        raise Refused(f"There is no file {file}.")
    if DATA.exists() and any(path.name not in ("run",) for path in DATA.iterdir()):
        raise Refused(f"{DATA} holds data already. Name an empty folder: FENDO_DATA=… ./fendo restore {file.name}")
    DATA.mkdir(parents=True, exist_ok=True)
    making = DATA / "restoring"
    try:
        with step(f"reading {file}"):
            _unpack(file, making)
            about = json.loads((making / ABOUT).read_text())
            if about["fendo"] > serve.DATA_VERSION:
                raise Refused("This backup was made by a newer Fendo. Restore it with that one.")
        database = serve.cluster()
        with step("filling the database"), database.lent():
            filled = [
                database.program("pg_restore"),
                "--no-owner",
                "--exit-on-error",
                *_reached(database),
                str(making / DUMP),
            ]
            run(filled, env=_secret(database))
        for name in KEPT:
            if (making / name).exists():
                (making / name).replace(DATA / name)
    finally:
        shutil.rmtree(making, ignore_errors=True)
    serve.close_folders(DATA)
    say(f"  The backup of {about['made']} is in {DATA}. ./fendo start opens it.")
    return 0


def _unpack(file: Path, into: Path) -> None:
    """What a backup holds, every byte checked by its sum; nothing of it lands elsewhere."""
    try:
        with tarfile.open(file) as tar:
            tar.extractall(into, filter="data")
        sums = dict(reversed(line.split("  ", 1)) for line in (into / SUMS).read_text().splitlines())
    except (tarfile.TarError, OSError, ValueError) as error:
        raise Refused(f"{file} is no whole backup ({error}). Nothing was restored.") from error
    for name, wanted in sums.items():
        path = into / name
        with path.open("rb") as held:
            if not path.is_relative_to(into) or hashlib.file_digest(held, "sha256").hexdigest() != wanted:
                raise Refused(f"{file} is damaged: {name} is not what was written. Nothing was restored.")
