"""Runs a command that writes in the data folder and in places for temporary files alone, and reads no homes.

    python launcher/confined.py COMMAND …       the data folder is FENDO_DATA

Whatever a hostile file does to a library in it, or in a program that it starts: what lies elsewhere can't be changed, and
what its user keeps at home can't be read. This is Landlock, the kernel's own; where it is missing (before Linux 5.19), the
command runs without it. Where root started Fendo, the command keeps root's number, for it has to reach the interpreter and
the data, and none of root's powers: no capabilities, and no way to new ones.
"""

import ctypes
import os
import struct
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

_CREATE, _ADD, _RESTRICT = 444, 445, 446
"""System calls of Landlock, the same on all processors."""
_PATH_BENEATH = 1
_NO_NEW_PRIVILEGES, _DROP_FROM_BOUNDING_SET = 38, 24
"""Of prctl."""
_EXECUTE, _WRITE_FILE, _READ_FILE, _READ_DIR, _TRUNCATE, _IOCTL = 1 << 0, 1 << 1, 1 << 2, 1 << 3, 1 << 14, 1 << 15
READ = _EXECUTE | _READ_FILE | _READ_DIR
OF_FILES = _EXECUTE | _WRITE_FILE | _READ_FILE | _TRUNCATE | _IOCTL
"""Rights that a file can have; the others are of folders."""
_BITS = {2: 14, 3: 15, 4: 15}
"""By version: how many rights the kernel knows."""
_KNOWN_HERE = 16
_OLDEST = 2
"""Before it nothing could be moved from one folder to another."""
HOMES = frozenset({"root", "home", "boot", "mnt", "media", "lost+found", "tmp"})
"""Below `/`: not read, but for what Fendo is made of and its data."""

_libc = ctypes.CDLL(None, use_errno=True)


def version() -> int:
    """Of the kernel's Landlock; 0: none that is of use."""
    found = _libc.syscall(_CREATE, None, ctypes.c_size_t(0), 1)
    return found if found >= _OLDEST else 0


def reachable(data: Path) -> Iterator[tuple[Path, int]]:
    """What can be reached, and how: (a file or folder with all below it, rights)."""
    everything = (1 << _KNOWN_HERE) - 1
    for top in Path("/").iterdir():
        if top.name == "etc":
            # What others may not read holds passwords and keys.
            yield from ((path, READ) for path in top.iterdir() if path.exists() and path.stat().st_mode & 0o004)
        elif top.name not in HOMES:
            yield top, READ
    for own in {Path(__file__).resolve().parent.parent, Path(sys.prefix), Path(sys.base_prefix)}:
        yield own, READ
    yield Path("/dev"), OF_FILES
    # A folder of the data may lie on another disk.
    linked = [path.resolve() for path in (*data.glob("*"), *data.glob("media/*")) if path.is_symlink()]
    for place in (data, *linked, Path(tempfile.gettempdir()), Path("/dev/shm"), Path("/var/tmp")):
        yield place, everything


def confine(data: Path) -> bool:
    """Confine this process, whose powers were given up, and all that it starts; whether the kernel can.

    Raises:
        OSError: when the kernel refuses what it said it can do.
    """
    known = version()
    if not known:
        return False
    rights = (1 << _BITS.get(known, _KNOWN_HERE)) - 1
    rules = _done(_libc.syscall(_CREATE, struct.pack("Q", rights), ctypes.c_size_t(8), 0))
    for path, wanted in reachable(data):
        if not path.exists():
            continue
        allowed = wanted & rights & (-1 if path.is_dir() else OF_FILES)
        place = os.open(path, os.O_PATH | os.O_CLOEXEC)
        _done(_libc.syscall(_ADD, rules, _PATH_BENEATH, struct.pack("=Qi", allowed, place), 0))
        os.close(place)
    _done(_libc.syscall(_RESTRICT, rules, 0))
    os.close(rules)
    return True


def give_up_powers(data: Path) -> None:
    """Of root, once the next program is started: all capabilities. Where the data are another user's they are needed."""
    _done(_libc.prctl(_NO_NEW_PRIVILEGES, 1, 0, 0, 0))
    if os.geteuid() or data.stat().st_uid:
        return
    for power in range(int(Path("/proc/sys/kernel/cap_last_cap").read_text()) + 1):
        # Not ours to give up in a container that lacks it.
        _libc.prctl(_DROP_FROM_BOUNDING_SET, power, 0, 0, 0)


def _done(answer: int) -> int:
    if answer < 0:
        number = ctypes.get_errno()
        raise OSError(number, os.strerror(number))
    return answer


def main() -> None:
    """Confine, and become the command."""
    data = Path(os.environ["FENDO_DATA"]).resolve()
    give_up_powers(data)
    if not confine(data):
        print("this kernel has no Landlock: nothing keeps a library that was broken from the rest of the disk", flush=True)
    os.execvp(sys.argv[1], sys.argv[1:])


if __name__ == "__main__":
    main()
