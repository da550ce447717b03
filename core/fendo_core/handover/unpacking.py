"""An archive of a production unpacked: a zip from anywhere, of which nothing is believed."""

import hashlib
import shutil
import stat
import struct
import zipfile
from collections.abc import Callable
from pathlib import Path, PurePosixPath

MOST_FILES = 200_000
LARGEST_DIRECTORY = 64 << 20
"""Bytes of a zip's table of contents, which is read at once."""
DEEPEST = 16
LISTS = {"checksums.sha256": "sha256"}
_BLOCK = 1 << 20
_END, _END_BYTES, _LONGEST_COMMENT = b"PK\x05\x06", 22, 1 << 16
_BROKEN = (zipfile.BadZipFile, zipfile.LargeZipFile, EOFError, NotImplementedError, RuntimeError, ValueError, struct.error)


class ArchiveRefused(ValueError):
    """Something that can't be opened as an archive, in words."""


def unpack(path: Path, into: Path, most: int, report: Callable[[float], None]) -> int:
    """Write what is in a zip below a folder; how many files there were.

    Args:
        most: bytes that may be written.
        report: told the share that is done.

    Raises:
        ArchiveRefused: for what is no zip, is damaged, holds more than it may, or names what lies outside of it.
    """
    if _directory_bytes(path) > LARGEST_DIRECTORY:
        raise ArchiveRefused("This archive names more files than any production has. Nothing was opened.")
    try:
        with zipfile.ZipFile(path) as archive:
            files = [one for one in archive.infolist() if not one.is_dir()]
            if len(files) > MOST_FILES:
                raise ArchiveRefused("This archive names more files than any production has. Nothing was opened.")
            total = sum(one.file_size for one in files)
            if total > most:
                raise ArchiveRefused(
                    f"This archive holds {total / 1e9:.1f} GB, and the server's disk has room for {most / 1e9:.1f} GB. "
                    "Make room, and open it again."
                )
            done = 0
            for one in files:
                target = into / _inside(one)
                target.parent.mkdir(parents=True, exist_ok=True)
                with archive.open(one) as packed, target.open("xb") as file:
                    # What it says of its size is held to: zipfile gives no byte more, and checks the sum of what it gave.
                    while block := packed.read(_BLOCK):
                        file.write(block)
                        done += len(block)
                        report(done / max(1, total))
            return len(files)
    except _BROKEN as error:
        if isinstance(error, ArchiveRefused):
            raise
        raise ArchiveRefused(
            "This is no zip archive, or it is damaged. Nothing was opened; hand the production over once more."
        ) from error
    except FileExistsError as error:
        raise ArchiveRefused("This archive names a file twice. Nothing was opened.") from error


def _directory_bytes(path: Path) -> int:
    """How long the table of contents is, by the zip's end record."""
    size = path.stat().st_size
    with path.open("rb") as file:
        file.seek(max(0, size - _END_BYTES - _LONGEST_COMMENT))
        end = file.read()
    at = end.rfind(_END)
    if at < 0 or len(end) - at < _END_BYTES:
        return 0
    (length,) = struct.unpack_from("<I", end, at + 12)
    if length != 0xFFFFFFFF or at < 20:
        return int(length)
    # Zip64: the locator before it says where the longer record lies.
    (record,) = struct.unpack_from("<Q", end, at - 12)
    with path.open("rb") as file:
        file.seek(min(record, size))
        longer = file.read(56)
    return int(struct.unpack_from("<Q", longer, 40)[0]) if len(longer) == 56 else LARGEST_DIRECTORY + 1


def _inside(one: zipfile.ZipInfo) -> Path:
    """Where a file of the archive goes, below the folder that it is unpacked in."""
    name = PurePosixPath(one.filename)
    plain = one.filename.isprintable() and "\\" not in one.filename and ":" not in one.filename
    linked = stat.S_ISLNK(one.external_attr >> 16)
    if not plain or linked or name.is_absolute() or ".." in name.parts or not 0 < len(name.parts) <= DEEPEST:
        raise ArchiveRefused("This archive names files that lie outside of it. Nothing was opened.")
    return Path(*name.parts)


def tops(folder: Path, record: str) -> list[Path]:
    """The folders of productions: those that hold a `record`; else the one folder in which all of it lies."""
    found = sorted({path.parent for path in folder.rglob(record) if path.is_file()})
    while not found:
        inside = list(folder.iterdir())
        if len(inside) != 1 or not inside[0].is_dir():
            return [folder] if inside else []
        folder = inside[0]
    return found


def amiss(folder: Path) -> list[str]:
    """What the checksum lists in a folder name that is not there or is not what it was: (file, what), in words."""
    found = []
    for path in sorted(folder.rglob("*")):
        if path.name not in LISTS or not path.is_file():
            continue
        for row in path.read_text(encoding="utf-8", errors="replace").splitlines():
            sum_, _, name = row.partition("  ")
            inside = PurePosixPath(name)
            if not name or inside.is_absolute() or ".." in inside.parts:
                continue
            file = path.parent / inside
            if not file.is_file():
                found.append(f"{name} is missing")
            elif _digest(file, LISTS[path.name]) != sum_.strip().lower():
                found.append(f"{name} is not what it was")
    return found


def _digest(path: Path, kind: str) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, kind).hexdigest()


def room_for(folder: Path, spare: int = 1 << 30) -> int:
    """Bytes that may be written, so that recordings still find room."""
    return max(0, shutil.disk_usage(folder).free - spare)
